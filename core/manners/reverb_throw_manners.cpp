// reverb-throw: its manners.
#include "manners/level_fit.h"
#include "manners/tail_room.h"
#include "song/settings/settings_view.h"
#include "time/note_value.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr std::int64_t kHeldBars = 2, kFarthestLandingBars = 8; // without a landing near by; up to one

class ReverbThrowManners : public Manners {
 public:
  std::string_view kind() const override { return "reverb-throw"; }
  int suits(Opening::Kind opening) const override {
    return opening == Opening::Kind::gap    ? 2
           : opening == Opening::Kind::hit  ? 2
           : opening == Opening::Kind::held ? 2
                                            : 0;
  }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    const TempoMap& map = at.context.map;
    Heard heard;
    const TailRoom reach = tailRoomAfter(o, at, heard);
    // Three seconds, or as much as has fallen 40 dB when the next phrase comes; where the row does not rest, two beats
    // or two seconds.
    double decay = 3;
    if (reach.next)
      decay = std::min(decay, 1.5 * static_cast<double>((*reach.next - reach.sounding).count) / map.sampleRate());
    else if (reach.runs)
      decay = std::min(decay, std::max(2.0, 120 / map.bpmAt(o.start)));
    o.settings = {{"character", "plate"},
                  {"decay_seconds", std::max(0.4, std::round(decay * 100) / 100)},
                  {"pre_delay", "1/64"},
                  {"low_cut_hz", 250.0},
                  {"duck_db", reach.inside ? kDeepDuck : 6.0}};
    fitLevel(o, at, {.underLu = 8, .lowCutHz = 250}, heard);
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  /// It rings on, is cut on a beat, is held as a pad up to the next landing, and rings on again.
  std::string nextPress(const std::string& key) const override {
    return worded("Press %1 again to cut, hold or free its tail.", key);
  }
  std::optional<PressedAgain> again(const Ornament& o, const Song& song) const override {
    const TempoMap map = song.tempoMap();
    const SettingsView now(allKinds().find(o.kind)->table(), o.settings);
    const Beats end = o.span().end;
    PressedAgain next{o, worded("tail"), {}};
    Settings& s = next.next->settings;
    if (now.yes("freeze")) {
      for (const char* key : {"freeze", "freeze_of", "cut_at"}) s.erase(key);
    } else if (!now.maybe("cut_at")) {
      const Beats beat = map.meterAt(end).beatLength();
      s["cut_at"] = (snapToGrid(end + beat + Beats(beat.ticks / 2 - 1), beat, map) - o.start).quarters();
    } else {
      const Beats bar = map.meterAt(end).barLength();
      Beats until = snapToGrid(end + bar * kHeldBars, bar, map);
      const auto landing = song.landingAfter(end + Beats(1));
      if (landing && landing->at <= end + bar * kFarthestLandingBars) {
        until = landing->at;
        next.next->landing = landing->id;
      }
      s["freeze"] = true;
      s["freeze_of"] = "tones";
      s["cut_at"] = (until - o.start).quarters();
    }
    return next;
  }

  bool isHeard(const Settings& set, std::string_view key) const override {
    const SettingsView now(allKinds().find("reverb-throw")->table(), set);
    const bool held = now.yes("freeze"), tones = held && now.is("freeze_of", "tones");
    if (key == "freeze_of") return held;
    if (key == "hold_db") return tones;
    if (tones)
      return key != "decay_seconds" && key != "character" && key != "impulse_file" && key != "size_percent" &&
             key != "damping_percent" && key != "modulation_percent" && key != "send_percent" && key != "wet_db";
    return !held || key != "decay_seconds";
  }
};

} // namespace

const Manners& reverbThrowManners() {
  static const ReverbThrowManners m;
  return m;
}

} // namespace ivrin
