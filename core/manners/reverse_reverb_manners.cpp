// reverse-reverb: its manners.
#include "manners/level_fit.h"
#include "song/settings/settings_view.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

/// Lands on the next landing instead of its word, or on the word again; as it was where there is no landing.
Ornament landedElsewhere(const Song& song, Ornament o) {
  Ornament before = o;
  const auto land = o.settings.find("land");
  const bool onWord = land == o.settings.end() || land->second == Value(0.0);
  o.landing.reset();
  if (onWord) {
    const auto next = song.landingAfter(o.start);
    if (!next || (next->at - o.start).quarters() > 64) return before;
    o.settings["land"] = (next->at - o.start).quarters();
    o.landing = next->id;
    return o;
  }
  o.settings.erase("land");
  tieToLanding(song, o, o.start);
  return o;
}

constexpr double kLeastLead = 1; // beats
constexpr double kDuckDb = 10;   // over what is sung before the word

class ReverseReverbManners : public Manners {
 public:
  std::string_view kind() const override { return "reverse-reverb"; }
  int suits(Opening::Kind opening) const override {
    return opening == Opening::Kind::gap ? 1 : opening == Opening::Kind::landing ? 1 : 0;
  }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    const TempoMap& map = at.context.map;
    const FrameRange span = map.frames(o.span());
    Heard heard;
    const RoomBefore room = roomBefore(at.around.phrases, span, map.sampleRate());
    // One bar, or the rest before the word, in quarters of a beat, but a beat at least: over what is sung until then it
    // is turned down.
    double lead = map.meterAt(o.start).barLength().quarters();
    bool over = room.sounding < span.begin;
    if (over || room.former) {
      const double rest = over ? 0 : (o.start - map.beatAt(*room.former)).quarters();
      if (!over) heard.previous = map.beatAt(*room.former);
      lead = std::min(lead, std::max(kLeastLead, std::floor(rest * 4 + 1e-6) / 4));
      over = over || rest < lead - 0.01;
    }
    // Decay, and the echoes where its path is turned through some, are fitted to the lead-in.
    o.settings = {{"character", "hall"},
                  {"lead_beats", lead},
                  {"low_cut_hz", 250.0},
                  {"echo_time", Value()},
                  {"echo_feedback_percent", Value()}};
    if (o.length.quarters() > 4) { // a phrase: every syllable swells
      o.settings["decay_seconds"] = 0.8;
      o.settings["wash_under_percent"] = 100.0;
    } else if (over) {
      o.finish.push_back({"duck", {{"depth_db", kDuckDb}, {"attack_ms", 1.0}}});
    }
    tieToLanding(at.song, o, o.start);
    fitLevel(o, at, {.underLu = 6, .mostMoreLu = 4, .leadsIn = true, .lowCutHz = 250}, heard);
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::string nextPress(const std::string& key) const override {
    return worded("Press %1 again to land it on the next landing.", key);
  }
  std::optional<PressedAgain> again(const Ornament& o, const Song& song) const override {
    PressedAgain a;
    a.word = "landing";
    const Ornament next = landedElsewhere(song, o);
    if (next == o)
      a.why = worded("There is no landing after it to move to. Press M to set one");
    else
      a.next = next;
    return a;
  }

  bool isHeard(const Settings& now, std::string_view key) const override {
    const SettingsView s(allKinds().find("reverse-reverb")->table(), now);
    const std::string& space = s.text("space");
    if (key.starts_with("echo_")) return space != "reverb";
    if (key == "balance_percent") return space.find('-') != std::string::npos;
    if (key == "impulse_file") return space != "echo" && s.is("character", "impulse");
    if (key == "character" || key == "size_percent" || key == "damping_percent" || key == "modulation_percent")
      return space != "echo";
    return true;
  }
};

} // namespace

const Manners& reverseReverbManners() {
  static const ReverseReverbManners m;
  return m;
}

} // namespace ivrin
