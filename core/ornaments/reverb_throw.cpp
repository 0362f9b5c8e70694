#include "ornaments/reverb_throw.h"

#include "dsp/filter/svf.h"
#include "dsp/tones/held_tones.h"
#include "finish/control_ramp.h"
#include "finish/ducking.h"
#include "finish/shared_settings.h"
#include "finish/space.h"
#include "ornaments/source.h"
#include "ornaments/tail.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kLeastEntrySeconds = 0.15, kMostEntrySeconds = 0.6; // in which held tones come in

TableSpec makeReverbThrowTable() {
  TableSpec t;
  t.id = "reverb-throw";
  t.name = "Reverb throw";
  t.key = "V";
  t.meaning = "Sends the selected sound into a reverb that rings on.";
  const auto add = [&](SettingSpec s) -> SettingSpec& {
    t.settings.push_back(std::move(s));
    return t.settings.back();
  };
  add({.key = "decay_seconds",
       .label = "decay",
       .type = type::duration,
       .min = 0.1,
       .max = 30,
       .initial = 2.5,
       .meaning = "Time the reverb takes to fade by 60 dB: longer sounds bigger, shorter clearer.",
       .group = "reverb",
       .role = Role::decay});
  add({.key = "pre_delay",
       .label = "pre-delay",
       .type = type::time,
       .max = 960000,
       .initial = 0,
       .meaning = "Time before the reverb starts: longer keeps the source clearer.",
       .group = "reverb"});
  SpaceSettings::addTo(t, "reverb");
  add({.key = "freeze",
       .label = "freeze",
       .type = type::yesNo,
       .initial = false,
       .meaning = "Holds the reverb without fading until it is cut.",
       .group = "reverb",
       .role = Role::leftAlone});
  add({.key = "freeze_of",
       .label = "freeze source",
       .type = type::choice,
       .initial = "space",
       .meaning = "Sound that is held: the reverb itself, or the steady tones of the source as an endless pad.",
       .group = "reverb",
       .choices = {"space", "tones"},
       .shown = {"reverb", "tones"},
       .role = Role::leftAlone,
       .since = 2});
  add({.key = "hold_db",
       .label = "freeze level",
       .unit = "dB",
       .min = -60,
       .max = 12,
       .initial = -10,
       .meaning = "Level of the held tones, relative to the source.",
       .group = "reverb",
       .role = Role::leftAlone,
       .since = 2});
  add(sendSetting("tail"));
  add(wetSetting("Level of the reverb.", "tail"));
  add(widthSetting("Stereo width of the reverb: 0 % is mono, 100 % unchanged, more is wider.", "tail"));
  for (const bool low : {true, false})
    add(cutSetting(low,
                   low ? "Removes lows of the reverb below this frequency (12 dB/oct)."
                       : "Removes highs of the reverb above this frequency (12 dB/oct).",
                   "tail"));
  add(duckSetting("tail"));
  add(cutAtSetting("tail"));
  add(removeDrySetting(false, "tail"));
  add(tailFloorSetting(-84, "tail"));
  return t;
}

const TableSpec& reverbThrowTable() {
  static const TableSpec t = makeReverbThrowTable();
  return t;
}

struct Throw {
  SpaceSettings space;
  std::int64_t preDelay = 0;
  Curve send;
  double wetDb = 0, holdDb = -10, width = 1, duckDb = 0, floorDb = -84;
  bool tones = false; // these are held, there is no space
  std::optional<double> lowCut, highCut, cutAt;
  bool removeDry = false;

  static Throw of(const Placed& p) {
    const auto value = [&](const char* key) -> const Value& {
      return settingOr(reverbThrowTable(), p.ornament.settings, key);
    };
    const auto number = [&](const char* key) { return *value(key).number(); };
    Throw s;
    s.space = SpaceSettings::of(reverbThrowTable(), p.ornament.settings);
    s.space.reverb.decaySeconds = decayOf(value("decay_seconds"), p.map, p.ornament.start);
    s.space.reverb.held = *value("freeze").boolean();
    s.tones = s.space.reverb.held && *value("freeze_of").text() == "tones";
    s.holdDb = number("hold_db");
    s.space.reverb.seed = static_cast<std::uint64_t>(p.ornament.seed);
    const Value& pre = value("pre_delay");
    const double seconds =
        pre.number() ? *pre.number() / 1000 : NoteValue::parse(*pre.text())->seconds(p.map, p.ornament.start).value;
    s.preDelay = std::llround(seconds * p.sampleRate());
    auto points = Curve::from(value("send_percent"))->points();
    for (auto& q : points) q.y /= 100;
    s.send = Curve(points);
    s.wetDb = number("wet_db");
    s.width = number("width_percent") / 100;
    s.duckDb = number("duck_db");
    s.floorDb = number("tail_floor_db");
    if (const double* hz = value("low_cut_hz").number()) s.lowCut = *hz;
    if (const double* hz = value("high_cut_hz").number()) s.highCut = *hz;
    if (const double* cut = value("cut_at").number()) s.cutAt = *cut;
    s.removeDry = *value("remove_dry").boolean();
    return s;
  }
};

/// Frames the print has at most: until a source of +12 dBFS has fallen under the floor with 12 dB to spare, for the
/// reverb's peaks over its level.
std::int64_t longestPrint(const Placed& p, const Throw& s, std::int64_t sourceFrames) {
  const double rate = p.sampleRate();
  const std::int64_t most = sourceFrames + std::llround(kLongestTailSeconds * rate);
  if (s.cutAt) {
    const Frames cut = p.map.frameAt(p.ornament.start + Beats::ofQuarters(*s.cutAt));
    return std::clamp<std::int64_t>((cut - p.span().begin).count, 0, most);
  }
  double tail = 0;
  if (s.tones) return most;
  if (s.space.isImpulse) {
    tail = static_cast<double>(Impulses::framesOf(p.impulses, s.space.impulseFile, rate));
  } else if (s.space.reverb.held) {
    return most;
  } else {
    const double loudest = 12 + 12 + std::max(0.0, s.wetDb) + (s.width > 1 ? 6 : 0);
    tail = s.space.reverb.decaySeconds * (loudest - s.floorDb) / 60 * rate + 2 * rate; // 2 s: what the lines remember
  }
  return std::min<std::int64_t>(most, sourceFrames + s.preDelay + std::llround(tail + kQuietSeconds * rate) +
                                          2 * kPrintBlock);
}

class ReverbThrowVoice : public Voice {
 public:
  ReverbThrowVoice(const Placed& p, Sounds& sounds)
      : s_(Throw::of(p))
      , sounds_(sounds)
      , source_(p)
      , send_(s_.send, p.map, p.ornament.start, p.span().begin)
      , end_(longestPrint(p, s_, source_.frames()), s_.cutAt.has_value(), s_.floorDb, p.sampleRate()) {
    const double rate = p.sampleRate();
    const SourceLevel level = measureSource(
        source_.frames(), [this](std::int64_t at, StereoSpan out) { source_.read(sounds_, at, out, scratch_); });
    silent_ = level.peak == 0;
    if (s_.tones) {
      tones_ = std::make_unique<HeldTones>(
          rate, static_cast<std::uint64_t>(p.ornament.seed), source_.frames(),
          [this](std::int64_t at, StereoSpan out) { source_.read(sounds_, at, out, scratch_); });
      silent_ = silent_ || tones_->size() == 0;
      comesIn_ = std::clamp<std::int64_t>(source_.frames(), std::llround(kLeastEntrySeconds * rate),
                                          std::llround(kMostEntrySeconds * rate));
      tonesGain_ = Decibels(level.rmsDb + s_.holdDb).gain();
    } else {
      space_ = std::make_unique<Space>(s_.space, rate, p.impulses, end_.floor(), [this](StereoSpan out) { feed(out); });
    }
    if (s_.lowCut) lowCut_ = std::make_unique<StereoSvf>(StereoSvf::Pass::high, *s_.lowCut, *s_.lowCut, rate);
    if (s_.highCut) highCut_ = std::make_unique<StereoSvf>(StereoSvf::Pass::low, *s_.highCut, *s_.highCut, rate);
    if (s_.duckDb > 0)
      ducking_ = std::make_unique<Ducking>(s_.duckDb, level.rmsDb, rate, p.span().begin,
                                           keyOf(sounds_, source_.reads().size()));
  }

  std::int64_t render(StereoSpan out) override {
    if (silent_ || end_.over(clock_, storedUntil())) return 0;
    const std::int64_t n = std::min(out.frames, end_.limit() - clock_);
    const StereoSpan part = out.part(0, n);
    if (tones_)
      hold(part);
    else
      space_->read(part);
    if (lowCut_) lowCut_->process(part.left, part.right, n);
    if (highCut_) highCut_->process(part.left, part.right, n);
    const double wet = tones_ ? 1 : Decibels(s_.wetDb).gain(); // theirs is their own
    const auto mid = static_cast<float>(0.5 * (1 + s_.width) * wet),
               side = static_cast<float>(0.5 * (1 - s_.width) * wet);
    for (std::int64_t i = 0; i < n; ++i) {
      const float l = part.left[i], r = part.right[i];
      part.left[i] = mid * l + side * r;
      part.right[i] = mid * r + side * l;
    }
    if (ducking_) ducking_->apply(part);
    end_.apply(part, clock_);
    clock_ += n;
    end_.over(clock_, storedUntil());
    return n;
  }

  std::string note() const override { return end_.note(); }

 private:
  std::int64_t storedUntil() const {
    return tones_ ? end_.limit() : std::max(space_->lastsUntil(), source_.frames() + s_.preDelay);
  }

  /// The tones, coming in under the source.
  void hold(StereoSpan out) {
    const std::int64_t from = clock_ - s_.preDelay;
    out.clear();
    const std::int64_t skip = std::clamp<std::int64_t>(-from, 0, out.frames);
    const StereoSpan part = out.part(skip, out.frames - skip);
    tones_->render(from + skip, part);
    for (std::int64_t i = 0; i < part.frames; ++i) {
      const double u = static_cast<double>(from + skip + i) / static_cast<double>(comesIn_);
      const auto g = static_cast<float>(tonesGain_ * (u < 1 ? raisedCosine(u) : 1));
      part.left[i] *= g;
      part.right[i] *= g;
    }
  }

  /// What is sent, later by the pre-delay.
  void feed(StereoSpan out) {
    const std::int64_t from = fed_ - s_.preDelay;
    fed_ += out.frames;
    source_.read(sounds_, from, out, scratch_);
    for (std::int64_t i = std::max<std::int64_t>(0, -from); i < out.frames && from + i < source_.frames(); ++i) {
      const float g = send_.at(from + i);
      out.left[i] *= g;
      out.right[i] *= g;
    }
  }

  Throw s_;
  Sounds& sounds_;
  Source source_;
  ControlRamp send_;
  TailEnd end_;
  std::unique_ptr<Space> space_;
  std::unique_ptr<HeldTones> tones_; // instead of it
  std::int64_t comesIn_ = 1;
  double tonesGain_ = 0;
  StereoBuffer scratch_;
  std::unique_ptr<StereoSvf> lowCut_, highCut_;
  std::unique_ptr<Ducking> ducking_;
  std::int64_t clock_ = 0, fed_ = 0;
  bool silent_ = true;
};

} // namespace

const TableSpec& ReverbThrow::table() const {
  return reverbThrowTable();
}

PrintPlan ReverbThrow::plan(const Placed& p) const {
  const Throw s = Throw::of(p);
  const Source source(p);
  const FrameRange span = p.span();
  PrintPlan plan;
  plan.extent = {span.begin, span.begin + Frames(longestPrint(p, s, source.frames()))};
  plan.reads = source.reads();
  if (s.duckDb > 0)
    plan.reads.push_back(
        {p.ornament.on,
         Read::What::dryBefore,
         {plan.extent.begin, plan.extent.end + Frames(Ducking::lookaheadFrames(p.sampleRate()) + kPrintBlock)}});
  if (s.removeDry) plan.dry = sourceRemoved(p);
  return plan;
}

std::unique_ptr<Voice> ReverbThrow::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<ReverbThrowVoice>(p, sounds);
}

std::optional<Ornament> ReverbThrow::withTailEnd(const Placed& p, Beats at) const {
  Ornament o = p.ornament;
  const Throw s = Throw::of(p);
  at = std::max(at, o.start + std::min(o.length, Beats(kTicksPerQuarter / 16)));
  const double dies = p.map.secondsAt(o.span().end).value + s.space.reverb.decaySeconds * 1.2;
  if (!s.space.reverb.held && p.map.secondsAt(at).value >= dies)
    o.settings["cut_at"] = Value();
  else
    o.settings["cut_at"] = (at - o.start).quarters();
  return o;
}

} // namespace ivrin
