#include "ornaments/reverse_reverb.h"

#include "dsp/filter/svf.h"
#include "finish/shared_settings.h"
#include "finish/space.h"
#include "ornaments/source.h"
#include "ornaments/tail.h"
#include "song/curve.h"
#include "time/note_value.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

namespace ivrin {
namespace {

constexpr double kLeastEchoes = 6, kEchoRiseDb = 30; // of what is fitted to the lead-in
constexpr double kLandingFadeSeconds = 0.005;
constexpr double kRiseDb = 36; // what a full bend takes off at the lead-in's begin
constexpr float kSilence = 1e-6f;

void addSwellItself(TableSpec& t) {
  t.add({.key = "lead_beats",
         .label = "lead-in",
         .unit = "beats",
         .min = 1.0 / 16,
         .max = 64,
         .initial = 4,
         .meaning = "Longest time the swell may take before the landing: longer builds up more slowly.",
         .group = "swell",
         .step = 0.25,
         .role = Role::lead});
  t.add({.key = "land",
         .label = "landing offset",
         .unit = "beats",
         .min = -64,
         .max = 64,
         .initial = 0,
         .meaning = "Where the swell peaks, counted from the start of the source.",
         .group = "swell",
         .step = 0.25,
         .role = Role::leftAlone});
  t.add({.key = "rise_bend",
         .label = "swell bend",
         .min = -1,
         .max = 1,
         .initial = 0,
         .meaning = "Shape of the swell: above 0 it rises late and steeply, below 0 early.",
         .group = "swell",
         .step = 0.05});
  t.add(wetSetting("Level of the swell.", "swell"));
  t.add({.key = "wash_under_percent",
         .label = "swell under word",
         .unit = "%",
         .max = 100,
         .initial = 0,
         .meaning = "How much of the swell continues under the word after the landing.",
         .group = "swell",
         .step = 5});
  t.add({.key = "word_db",
         .label = "word level",
         .unit = "dB",
         .min = -60,
         .max = 12,
         .meaning = "Level of the captured word at the landing, or off.",
         .group = "swell",
         .step = 0.5,
         .nullable = true,
         .whenNull = "off",
         .role = Role::level});
  t.add({.key = "spill_beats",
         .label = "tail",
         .unit = "beats",
         .max = 16,
         .initial = 0,
         .meaning = "How long the reverb continues after the landing.",
         .group = "swell",
         .step = 0.25});
  t.add({.key = "spill_db",
         .label = "tail level",
         .unit = "dB",
         .min = -60,
         .max = 12,
         .initial = -6,
         .meaning = "Level of the reverb after the landing.",
         .group = "swell",
         .step = 0.5,
         .role = Role::level});
  t.add(removeDrySetting(false, "swell"));
}

void addSwellSpace(TableSpec& t) {
  t.add({.key = "space",
         .label = "effect",
         .type = type::choice,
         .initial = "reverb",
         .meaning = "Effect that the reversed source goes through.",
         .group = "reverb",
         .choices = {"reverb", "echo", "echo-reverb", "reverb-echo"},
         .shown = {"reverb", "delay", "delay, then reverb", "reverb, then delay"}});
  t.add({.key = "decay_seconds",
         .label = "decay",
         .unit = "s",
         .min = 0.1,
         .max = 30,
         .meaning = "Time the reverb takes to fade by 60 dB; auto fits it to the lead-in.",
         .group = "reverb",
         .step = 0.1,
         .nullable = true,
         .whenNull = "auto",
         .role = Role::decay});
  SpaceSettings::addTo(t, "reverb");
  for (const bool low : {true, false})
    t.add(cutSetting(low,
                     low ? "Removes lows of the swell below this frequency (12 dB/oct)."
                         : "Removes highs of the swell above this frequency (12 dB/oct).",
                     "reverb"));
}

void addSwellEcho(TableSpec& t) {
  t.add({.key = "balance_percent",
         .label = "reverb/delay mix",
         .unit = "%",
         .max = 100,
         .initial = 50,
         .meaning = "Mix of the two: 0 % is reverb only, 100 % delay only.",
         .group = "delay",
         .step = 5});
  t.add({.key = "echo_time",
         .label = "delay time",
         .type = type::time,
         .min = 1,
         .max = 960000,
         .initial = "1/8",
         .meaning = "Time between echoes; auto takes the longest even note value of which six fit into the lead-in.",
         .group = "delay",
         .nullable = true,
         .whenNull = "auto",
         .nullSince = 2});
  t.add(
      {.key = "echo_feedback_percent",
       .label = "feedback",
       .unit = "%",
       .max = 95,
       .initial = 60,
       .meaning =
           "How much louder each echo is than the one before it; auto lets the echoes rise by 30 dB over the lead-in.",
       .group = "delay",
       .nullable = true,
       .whenNull = "auto",
       .role = Role::feedback,
       .nullSince = 2});
  t.add(echoPatternSetting("echo_pattern"));
  t.add({.key = "echo_drive_percent",
         .label = "drive",
         .unit = "%",
         .max = 100,
         .initial = 0,
         .meaning = "Saturates the echoes: higher sounds rougher and denser.",
         .group = "delay"});
}

TableSpec makeReverseReverbTable() {
  TableSpec t;
  t.id = "reverse-reverb";
  t.name = "Reverse reverb";
  t.key = "R";
  t.meaning = "Swells up into the selected sound out of its own reversed reverb.";
  addSwellItself(t);
  addSwellSpace(t);
  addSwellEcho(t);
  return t;
}

/// The time between two echoes.
double echoSeconds(const Value& time, const TempoMap& map, Beats at, double lead) {
  if (time.number()) return *time.number() / 1000;
  if (time.text()) return NoteValue::parse(*time.text())->seconds(map, at).value;
  double fitted = 0;
  for (const char* straight : {"1/4", "1/8", "1/16", "1/32", "1/64"}) {
    fitted = NoteValue::parse(straight)->seconds(map, at).value;
    if (fitted * kLeastEchoes <= lead + 1e-9) break;
  }
  return fitted;
}

/// Echo k is feedback^(k−1) of the first: the farthest that the lead-in holds is `kEchoRiseDb` under the nearest.
double feedbackForRise(double seconds, double lead) {
  const double steps = std::max(1.0, std::floor(lead / seconds + 1e-6) - 1);
  return std::min(0.95, std::pow(10.0, -kEchoRiseDb / 20 / steps));
}

struct Swell {
  Frames landing;
  std::int64_t lead = 0, source = 0, spill = 0; // frames
  double bend = 0, wet = 1, wash = 0, spillGain = 1;
  std::optional<double> word;
  bool reverb = true, echo = false, echoFirst = false;
  double balance = 0.5;
  SpaceSettings space;
  EchoSettings loop;
  std::optional<double> lowCut, highCut;
  std::int64_t seed = 1;

  static Swell of(const Placed& p) {
    static const TableSpec table = makeReverseReverbTable();
    const auto value = [&](const char* key) -> const Value& { return settingOr(table, p.ornament.settings, key); };
    const auto number = [&](const char* key) { return *value(key).number(); };
    const double rate = p.sampleRate();
    const Beats start = p.ornament.start, land = start + Beats::ofQuarters(number("land"));
    Swell s;
    s.landing = p.map.frameAt(land);
    s.lead = (s.landing - p.map.frameAt(land - Beats::ofQuarters(number("lead_beats")))).count;
    s.source = std::min<std::int64_t>(Source(p).frames(), std::llround(ReverseReverb::kLongestSeconds * rate));
    s.spill = (p.map.frameAt(land + Beats::ofQuarters(number("spill_beats"))) - s.landing).count;
    s.bend = number("rise_bend");
    s.wet = Decibels(number("wet_db")).gain();
    s.wash = number("wash_under_percent") / 100;
    s.spillGain = Decibels(number("spill_db")).gain();
    if (const double* w = value("word_db").number()) s.word = Decibels(*w).gain();
    const std::string& through = *value("space").text();
    s.reverb = through != "echo";
    s.echo = through != "reverb";
    s.echoFirst = through == "echo-reverb";
    s.balance = number("balance_percent") / 100;
    s.space = SpaceSettings::of(table, p.ornament.settings);
    s.space.reverb.seed = static_cast<std::uint64_t>(p.ornament.seed);
    const double* decay = value("decay_seconds").number();
    s.space.reverb.decaySeconds =
        decay ? *decay : decayForFall(s.space, std::max(0.1, static_cast<double>(s.lead) / rate));
    const double leadSeconds = static_cast<double>(s.lead) / rate;
    const double seconds = echoSeconds(value("echo_time"), p.map, start, leadSeconds);
    s.loop.timeLeft = s.loop.timeRight = std::max(1.0, seconds * rate);
    const double* feedback = value("echo_feedback_percent").number();
    s.loop.feedback.fill(feedback ? *feedback / 100 : feedbackForRise(seconds, leadSeconds));
    s.loop.drive = number("echo_drive_percent") / 100;
    s.loop.pattern = echoPatternOf(value("echo_pattern"));
    s.loop.longest = s.source + std::max(s.lead, s.spill);
    if (const double* hz = value("low_cut_hz").number()) s.lowCut = *hz;
    if (const double* hz = value("high_cut_hz").number()) s.highCut = *hz;
    s.seed = p.ornament.seed;
    return s;
  }
  std::int64_t fade(double rate) const { return std::llround(kLandingFadeSeconds * rate); }
  /// Frames after the landing in which anything can sound.
  std::int64_t after(double rate) const {
    std::int64_t n = fade(rate);
    if (wash > 0 || word) n = std::max(n, source);
    return std::max(n, spill);
  }
};

void mixIn(StereoSpan io, double a, const StereoBuffer& other, double b) {
  const auto ga = static_cast<float>(a), gb = static_cast<float>(b);
  for (std::int64_t i = 0; i < io.frames; ++i) {
    io.left[i] = ga * io.left[i] + gb * other.left()[i];
    io.right[i] = ga * io.right[i] + gb * other.right()[i];
  }
}

/// What is heard first is the end of what is computed, so the swell comes in stretches, each with the silence and sound
/// before it that its space still remembers (down to kSilence): a long source is heard at once and never held whole.
/// What fits into one stretch is computed as one.
class ReverseReverbVoice : public Voice {
 public:
  ReverseReverbVoice(const Placed& p, Sounds& sounds)
      : s_(Swell::of(p))
      , rate_(p.sampleRate())
      , impulses_(p.impulses)
      , sounds_(sounds)
      , source_(p)
      , memory_(std::min(memoryFrames(), reversed()))
      , frames_(s_.lead + s_.after(rate_)) {
    const auto one = std::llround(kOneStretchSeconds * rate_);
    if (reversed() <= one) memory_ = reversed();
    stretch_ = std::max<std::int64_t>(one, memory_);
    if (reversed() <= one && isSilent()) frames_ = 0;
    if (frames_ > 0 && s_.spill > 0) makeSpill();
  }

  std::int64_t render(StereoSpan out) override {
    const std::int64_t n = std::min(out.frames, frames_ - at_);
    for (std::int64_t done = 0; done < n;) {
      if (at_ + done >= swellEnd_) nextStretch();
      const std::int64_t from = at_ + done, part = std::min(n - done, swellEnd_ - from);
      for (std::int64_t i = 0; i < part; ++i) {
        const auto g = static_cast<float>(s_.wet * gainAt(from + i));
        out.left[done + i] = g * swell_.left()[from - swellBegin_ + i];
        out.right[done + i] = g * swell_.right()[from - swellBegin_ + i];
      }
      done += part;
    }
    const StereoSpan given = out.part(0, n);
    if (s_.word) addWord(given);
    if (spill_.frames() > 0) addAfter(given, spill_, 0, s_.spillGain * s_.wet);
    at_ += n;
    return n;
  }

 private:
  /// Frames of the source backwards, and of its answer over the lead-in: frame r of them lies on the row r before the
  /// source's last.
  std::int64_t reversed() const { return s_.source + s_.lead; }

  bool isSilent() {
    StereoBuffer part(kPrintBlock);
    for (std::int64_t at = 0; at < s_.source; at += kPrintBlock) {
      const StereoSpan read = part.span().part(0, std::min(kPrintBlock, s_.source - at));
      source_.read(sounds_, at, read, scratch_);
      if (!read.isSilent()) return false;
    }
    return true;
  }

  /// How long what went in is still heard of over kSilence.
  std::int64_t memoryFrames() const {
    double seconds = 0;
    if (s_.reverb && !s_.space.isImpulse) {
      const double lows = std::max(1.0, s_.space.reverb.low.value_or(1.5));
      seconds += kRemembersDb / 60 * lows * s_.space.reverb.decaySeconds + kBuildUpSeconds;
    } else if (s_.reverb) {
      const std::string& file = s_.space.impulseFile;
      const auto impulse = impulses_ ? impulses_->find(file, rate_) : Impulses::shipped(file, rate_);
      if (impulse) seconds += static_cast<double>(impulse->audio.frames()) / rate_ + kBuildUpSeconds;
    }
    if (s_.echo) {
      const double pass = s_.loop.timeLeft / rate_, keeps = s_.loop.feedback[0];
      seconds += pass * (1 + (keeps > 0 ? kRemembersDb / (-20 * std::log10(keeps)) : 0));
    }
    return std::llround(seconds * rate_);
  }

  /// The stretch of the swell that begins where the last one ended: the lead-in first, then what lies under the word.
  void nextStretch() {
    swellBegin_ = swellEnd_;
    const std::int64_t leads = s_.lead + s_.fade(rate_);
    swellEnd_ = std::min(frames_, swellBegin_ < leads && reversed() > stretch_ ? leads : swellBegin_ + stretch_);
    if (memory_ == reversed()) swellEnd_ = frames_; // all is remembered
    const std::int64_t end = reversed() - swellBegin_, begin = std::max<std::int64_t>(0, reversed() - swellEnd_);
    const std::int64_t from = std::max<std::int64_t>(0, begin - memory_);
    swell_ = StereoBuffer(swellEnd_ - swellBegin_);
    if (end <= 0) return;
    StereoBuffer all(end - from);
    const std::int64_t last = std::min(end, s_.source); // of the source backwards
    for (std::int64_t r = from; r < last; r += kPrintBlock) {
      const std::int64_t n = std::min(kPrintBlock, last - r);
      const StereoSpan part = all.span().part(r - from, n);
      source_.read(sounds_, s_.source - r - n, part, scratch_);
      part.reverse();
    }
    if (all.span().isSilent()) return;
    through(s_, all.span(), from);
    all.span().reverse();
    const std::int64_t n = std::min(all.frames(), swell_.frames());
    std::copy_n(all.left(), n, swell_.left());
    std::copy_n(all.right(), n, swell_.right());
  }

  /// The space going on after the landing, fading to its end.
  void makeSpill() {
    spill_ = StereoBuffer(s_.spill);
    for (std::int64_t at = 0; at < std::min(s_.source, s_.spill); at += kPrintBlock)
      source_.read(sounds_, at, spill_.span().part(at, std::min(kPrintBlock, std::min(s_.source, s_.spill) - at)),
                   scratch_);
    Swell forward = s_;
    forward.space.reverb.decaySeconds = std::max(0.1, static_cast<double>(s_.spill) / rate_);
    through(forward, spill_.span(), 0);
    for (std::int64_t i = 0; i < s_.spill; ++i) { // gone by its end
      const auto g = static_cast<float>(raisedCosine(2 * (1 - static_cast<double>(i) / static_cast<double>(s_.spill))));
      spill_.left()[i] *= g;
      spill_.right()[i] *= g;
    }
  }

  /// In place. `from` frames of silence came before: what moves in the space has moved on.
  void through(const Swell& s, StereoSpan io, std::int64_t from) const {
    // Cut before the space, which is the same as after it and costs only as long as the source is.
    const std::int64_t cut = std::clamp<std::int64_t>(s.source + std::llround(0.25 * rate_) - from, 0, io.frames);
    if (s.lowCut) StereoSvf(StereoSvf::Pass::high, *s.lowCut, *s.lowCut, rate_).process(io.left, io.right, cut);
    if (s.highCut) StereoSvf(StereoSvf::Pass::low, *s.highCut, *s.highCut, rate_).process(io.left, io.right, cut);
    const auto reverb = [&](StereoSpan x) {
      // A block goes in where its answer comes out; only a convolution, which reads ahead, needs the whole kept.
      StereoBuffer kept;
      if (s.space.isImpulse) {
        kept.resize(x.frames);
        std::copy_n(x.left, x.frames, kept.left());
        std::copy_n(x.right, x.frames, kept.right());
      }
      std::int64_t at = 0;
      Space space(s.space, rate_, impulses_, kSilence, [&](StereoSpan part) {
        const std::int64_t first = std::exchange(at, at + part.frames);
        if (!s.space.isImpulse) return; // already there
        const std::int64_t n = std::clamp<std::int64_t>(kept.frames() - first, 0, part.frames);
        std::copy_n(kept.left() + std::min(first, kept.frames()), n, part.left);
        std::copy_n(kept.right() + std::min(first, kept.frames()), n, part.right);
        part.part(n, part.frames - n).clear();
      });
      if (!s.space.isImpulse && s.space.reverb.modulation > 0) {
        StereoBuffer silence(kPrintBlock);
        for (std::int64_t i = 0; i < from; i += kPrintBlock)
          space.read(silence.span().part(0, std::min(kPrintBlock, from - i)));
      }
      for (std::int64_t i = 0; i < x.frames; i += kPrintBlock)
        space.read(x.part(i, std::min(kPrintBlock, x.frames - i)));
    };
    const auto echo = [&](StereoSpan x) { EchoLoop(s.loop, rate_).process(x); };
    if (!s.echo) return reverb(io);
    if (!s.reverb) return echo(io);
    // Both in a row, balanced at equal power against the reverb alone.
    StereoBuffer both(io.frames);
    std::copy_n(io.left, io.frames, both.left());
    std::copy_n(io.right, io.frames, both.right());
    const JoinGains g = equalPower(s.balance);
    if (s.echoFirst) {
      echo(both.span());
      reverb(both.span());
      reverb(io);
    } else {
      reverb(io);
      both = StereoBuffer(io.frames);
      std::copy_n(io.left, io.frames, both.left());
      std::copy_n(io.right, io.frames, both.right());
      echo(both.span());
    }
    mixIn(io, g.leaving, both, g.coming);
  }

  /// Of the swell, `i` frames after the lead-in's begin.
  double gainAt(std::int64_t i) const {
    if (i >= s_.lead) {
      const double past = static_cast<double>(i - s_.lead);
      const double down = raisedCosine(1 - past / static_cast<double>(s_.fade(rate_)));
      const auto end = static_cast<double>(std::llround(kFadeOutSeconds * rate_));
      const double close = raisedCosine((static_cast<double>(s_.source) - past) / end);
      return s_.wash > 0 ? std::max(s_.wash * close, down * (1 - s_.wash) + s_.wash * close) : down;
    }
    const double in = static_cast<double>(std::min<std::int64_t>(std::llround(0.02 * rate_), s_.lead / 8 + 1));
    const double up = static_cast<double>(i) < in ? raisedCosine(static_cast<double>(i) / in) : 1;
    if (s_.bend == 0) return up;
    const double u = static_cast<double>(i) / static_cast<double>(s_.lead);
    double db = -kRiseDb * s_.bend * (1 - u);
    if (s_.bend < 0) { // never louder early than at the landing: at most six tenths of what the space falls by itself
      const double falls = 60 * static_cast<double>(s_.lead) / rate_ / s_.space.reverb.decaySeconds;
      db = -s_.bend * 0.6 * std::min(falls, 60.0) * (1 - u);
    }
    return up * Decibels(db).gain();
  }

  /// Adds what lies after the landing to a block of the print: `x` begins `offset` frames after it.
  void addAfter(StereoSpan out, const StereoBuffer& x, std::int64_t offset, double gain) const {
    const auto g = static_cast<float>(gain);
    const std::int64_t begin = at_ - s_.lead - offset; // of the block, in x
    for (std::int64_t i = std::max<std::int64_t>(0, -begin); i < std::min(out.frames, x.frames() - begin); ++i) {
      out.left[i] += g * x.left()[begin + i];
      out.right[i] += g * x.right()[begin + i];
    }
  }

  /// The word itself.
  void addWord(StereoSpan out) {
    const std::int64_t from = std::max<std::int64_t>(0, at_ - s_.lead);
    const std::int64_t n = std::min(at_ + out.frames - s_.lead, s_.source) - from;
    if (n <= 0) return;
    word_.resize(n);
    source_.read(sounds_, from, word_.span(), scratch_);
    addAfter(out, word_, from, *s_.word);
  }

  static constexpr double kOneStretchSeconds = 20, kRemembersDb = 120, kBuildUpSeconds = 1;
  const Swell s_;
  const double rate_;
  const Impulses* impulses_;
  Sounds& sounds_;
  const Source source_;
  std::int64_t memory_, frames_, stretch_ = 0, at_ = 0;
  StereoBuffer swell_, spill_, word_, scratch_;
  std::int64_t swellBegin_ = 0, swellEnd_ = 0; // of what swell_ holds, from the lead-in's begin
};

} // namespace

const TableSpec& ReverseReverb::table() const {
  static const TableSpec t = makeReverseReverbTable();
  return t;
}

PrintPlan ReverseReverb::plan(const Placed& p) const {
  const Swell s = Swell::of(p);
  const double rate = p.sampleRate();
  PrintPlan plan;
  plan.extent = {s.landing - Frames(s.lead), s.landing + Frames(s.after(rate))};
  plan.reads = Source(p).reads();
  if (static_cast<double>(Source(p).frames() + s.lead + s.spill) > kLongestSeconds * rate) {
    plan.sounds = false;
    plan.refusal = worded("its lead-in, source and tail are longer than 30 minutes together. Choose a shorter source");
    plan.reads.clear();
    return plan;
  }
  if (*settingOr(table(), p.ornament.settings, "remove_dry").boolean()) plan.dry = sourceRemoved(p);
  return plan;
}

std::unique_ptr<Voice> ReverseReverb::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<ReverseReverbVoice>(p, sounds);
}

std::optional<Frames> ReverseReverb::landingFrame(const Placed& p) const {
  return Swell::of(p).landing;
}

std::optional<Ornament> ReverseReverb::withLandingAt(const Placed& p, Beats at) const {
  Ornament o = p.ornament;
  o.settings["land"] = std::clamp((at - o.start).quarters(), -64.0, 64.0);
  return o;
}

std::optional<Ornament> ReverseReverb::withLeadBegin(const Placed& p, Beats at) const {
  Ornament o = p.ornament;
  const double land = *settingOr(table(), o.settings, "land").number();
  o.settings["lead_beats"] = std::clamp((o.start - at).quarters() + land, 1.0 / 16, 64.0);
  return o;
}

std::optional<Ornament> ReverseReverb::withTailEnd(const Placed& p, Beats at) const {
  Ornament o = p.ornament;
  if (*settingOr(table(), o.settings, "spill_beats").number() == 0) return std::nullopt;
  const double land = *settingOr(table(), o.settings, "land").number();
  o.settings["spill_beats"] = std::clamp((at - o.start).quarters() - land, 1.0 / 16, 16.0);
  return o;
}

} // namespace ivrin
