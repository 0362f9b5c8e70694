#include "finish/curves.h"

#include "dsp/dynamics/crush.h"
#include "dsp/dynamics/drive.h"

namespace ivrin {
namespace {

constexpr double kKneeDb = 6;
// Butterworth of fourth order as two sections, and of second (any textbook on filters: Q of the pole pairs).
constexpr double kSoftQ = 0.54119610, kSharpQ = 1.3065630, kSingleQ = 0.70710678;

std::vector<StereoSvf> sectionsOf(StereoSvf::Pass pass, bool steep, double lift, double rate) {
  std::vector<StereoSvf> sections;
  if (steep) sections.emplace_back(pass, 1000, 1000, rate, kSoftQ);
  sections.emplace_back(pass, 1000, 1000, rate, (steep ? kSharpQ : kSingleQ) * lift);
  return sections;
}

bool isSteep(const SettingsView& filter) {
  return filter.number("slope_db") > 18;
}
double liftOf(const SettingsView& filter) {
  return std::pow(14.0, filter.share("resonance_percent"));
}

/// Of pink noise of which five octaves pass a low-pass.
double pinkPower(bool steep, double lift) {
  constexpr double kRate = 48000, kCutoff = 500;
  auto sections = sectionsOf(StereoSvf::Pass::low, steep, lift, kRate);
  for (StereoSvf& f : sections) f.setCutoff(kCutoff);
  double sum = 0;
  for (double octave = -5; octave < 5; octave += 0.02) {
    double power = 1;
    for (const StereoSvf& f : sections) power *= std::pow(f.magnitude(0, kCutoff * std::exp2(octave)), 2);
    sum += power;
  }
  return sum;
}

} // namespace

std::vector<StereoSvf> filterSections(const SettingsView& s, bool low, double sampleRate) {
  return sectionsOf(low ? StereoSvf::Pass::high : StereoSvf::Pass::low, isSteep(s), liftOf(s), sampleRate);
}

double resonanceGain(const SettingsView& s) {
  const double lift = liftOf(s);
  return lift > 1 ? std::sqrt(pinkPower(isSteep(s), 1) / pinkPower(isSteep(s), lift)) : 1;
}

FilterCurve::FilterCurve(const SettingsView& filter, double beats, double sampleRate) {
  for (const bool low : {true, false}) {
    const char* key = low ? "low_cut_hz" : "high_cut_hz";
    if (filter.value(key).isNull()) continue;
    gainDb_ += 20 * std::log10(resonanceGain(filter));
    for (StereoSvf& section : filterSections(filter, low, sampleRate)) {
      section.setCutoff(filter.curve(key).at(beats));
      sections_.push_back(section);
    }
  }
}

double FilterCurve::gainDb(double hz) const {
  double db = gainDb_;
  for (const StereoSvf& s : sections_) db += 20 * std::log10(s.magnitude(0, hz) + 1e-9);
  return db;
}

double compressorReductionDb(double overDb, double slope) {
  if (overDb > kKneeDb / 2) return slope * overDb;
  if (overDb > -kKneeDb / 2) return slope * (overDb + kKneeDb / 2) * (overDb + kKneeDb / 2) / (2 * kKneeDb);
  return 0;
}

double compressorOutDb(const SettingsView& s, double inDb) {
  return inDb - compressorReductionDb(inDb - s.number("threshold_db"), 1 - 1 / s.number("ratio")) +
         s.number("makeup_db");
}

double dirtSteps(const SettingsView& s) {
  return crushSteps(s.number("bits"));
}

double dirtTransfer(const SettingsView& s, double x) {
  if (const double steps = dirtSteps(s); steps > 0) x = std::round(x * steps) / steps;
  if (const double drive = s.share("drive_percent"); drive > 0) x = DriveCurve(drive, kDirtDriveAgainst).at(x);
  return x;
}

} // namespace ivrin
