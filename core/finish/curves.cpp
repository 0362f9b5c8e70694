#include "finish/curves.h"

#include "dsp/crush.h"
#include "dsp/drive.h"

namespace ivrin {
namespace {

constexpr double kKneeDb = 6;
// Butterworth of fourth order as two sections, and of second (any textbook on filters: Q of the pole pairs).
constexpr double kSoftQ = 0.54119610, kSharpQ = 1.3065630, kSingleQ = 0.70710678;

} // namespace

std::vector<StereoSvf> filterSections(const SettingsView& s, bool low, double sampleRate) {
  const bool steep = s.number("slope_db") > 18;
  const double lift = std::pow(14.0, s.share("resonance_percent"));
  const auto pass = low ? StereoSvf::Pass::high : StereoSvf::Pass::low;
  std::vector<StereoSvf> sections;
  if (steep) sections.emplace_back(pass, 1000, 1000, sampleRate, kSoftQ);
  sections.emplace_back(pass, 1000, 1000, sampleRate, (steep ? kSharpQ : kSingleQ) * lift);
  return sections;
}

FilterCurve::FilterCurve(const SettingsView& filter, double beats, double sampleRate) {
  for (const bool low : {true, false}) {
    const char* key = low ? "low_cut_hz" : "high_cut_hz";
    if (filter.value(key).isNull()) continue;
    for (StereoSvf& section : filterSections(filter, low, sampleRate)) {
      section.setCutoff(filter.curve(key).at(beats));
      sections_.push_back(section);
    }
  }
}

double FilterCurve::gainDb(double hz) const {
  double db = 0;
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
  if (const double drive = s.share("drive_percent"); drive > 0) x = Drive(drive, kDirtDriveAgainst).shape(x);
  return x;
}

} // namespace ivrin
