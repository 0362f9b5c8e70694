// riser: its manners.
#include "dsp/measure/loudness.h"
#include "manners/fitting.h"
#include "ornaments/riser.h"
#include "song/settings/settings_view.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kUnderMixLu = 8, kMomentSeconds = 0.4, kRangeDb = 39;
constexpr double kWithoutMixLufs = -22; // where nothing sounds before the landing

const TableSpec& riserTable() {
  return allKinds().find("riser")->table();
}

/// A riser of noise or of a tone reads nothing.
class NoSounds : public Sounds {
 public:
  void read(std::size_t, Frames, StereoSpan out) override { out.clear(); }
};

double loudest(const StereoBuffer& b, double rate) {
  const auto window = std::min<std::int64_t>(b.frames(), std::llround(kMomentSeconds * rate));
  return loudestWindowLufs(b, rate, window);
}

/// Bars from one place to another, to the nearest.
std::int64_t barsBetween(const TempoMap& map, Beats from, Beats to) {
  const double bar = map.meterAt(from).barLength().quarters();
  return std::llround((to - from).quarters() / bar);
}

/// So many bars before a place, or after it (negative).
Beats barsBefore(const TempoMap& map, Beats at, std::int64_t bars) {
  const BarPosition p = map.barAt(at);
  const Beats within = at - map.barStart(p.bar);
  return map.barStart(p.bar - bars) + within;
}

class RiserManners : public Manners {
 public:
  std::string_view kind() const override { return "riser"; }
  int suits(Opening::Kind opening) const override { return opening == Opening::Kind::landing ? 4 : 0; }
  bool needsSound() const override { return false; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    if (at.wish) at.wish->layOver(o);
    const bool up = rises(o);
    const Beats selected = o.span().end;
    if (up) endOnLanding(at.song, o);
    if (!up || o.span().end == selected) tieToLanding(at.song, o, up ? selected : o.start);
    // On the key's own note, near A3.
    if (at.song.key) {
      double note = 48 + at.song.key->note;
      if (note < 51) note += 12;
      o.settings["tone_note"] = note;
    }
    if (at.wish) at.wish->layOver(o);
    // Its last moment so far under the mix before the landing; what falls, its first under the mix behind it.
    const TempoMap& map = at.context.map;
    const double rate = map.sampleRate();
    const Beats landing = up ? o.span().end : o.start;
    const BeatRange bar =
        up ? BeatRange{barsBefore(map, landing, 1), landing} : BeatRange{landing, barsBefore(map, landing, -1)};
    const double there = loudest(heardOver(at.around.before(kMixRow), map.frames(bar)), rate);
    const double wanted = there > -60 ? there - kUnderMixLu : kWithoutMixLufs;
    const double level = std::clamp(std::round(-9 + wanted - loudestMoment(at.kind, {o, at.context})), -60.0, -3.0);
    o.settings["level_db"] = List{std::max(level - kRangeDb, -96.0), level};
    return {};
  }

  std::optional<BeatRange> stretchAt(const TempoMap& map, Beats landing) const override {
    return BeatRange{barsBefore(map, landing, 2), landing};
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override {
    return rises(o) ? o.span().end == stretch.end || o.start == stretch.begin : o.start == stretch.begin;
  }

  /// Two bars, four, eight, and round.
  std::string nextPress(const std::string& key) const override {
    return worded("Press %1 again for two, four or eight bars.", key);
  }
  std::optional<PressedAgain> again(const Ornament& o, const Song& song) const override {
    const TempoMap map = song.tempoMap();
    const std::int64_t now = barsBetween(map, o.start, o.span().end), bars = now < 2   ? 2
                                                                             : now < 4 ? 4
                                                                             : now < 8 ? 8
                                                                                       : 2;
    Ornament next = o;
    if (rises(o)) {
      const Beats end = o.span().end;
      next.start = barsBefore(map, end, bars);
      next.length = end - next.start;
    } else {
      next.length = barsBefore(map, o.start, -bars) - o.start;
    }
    return PressedAgain{std::move(next), worded("bars"), {}};
  }

  bool isHeard(const Settings& now, std::string_view key) const override {
    const SettingsView s(riserTable(), now);
    const bool tone = s.is("of", "tone"), stem = s.is("of", "stem");
    if (key == "tone_note" || key == "key_follow") return tone;
    if (key == "pitch_semitones" || key == "pitch_bend") return tone || stem;
    if (key == "stem_plays") return stem;
    if (key == "stem_loop") return stem && s.is("stem_plays", "looped");
    if (key == "hit_character") return s.maybe("hit_db").has_value();
    if (key == "reversed_hit" || key == "tail_beats") return s.is("direction", "up");
    if (key == "reversed_character") return s.yes("reversed_hit") && s.is("direction", "up");
    return true;
  }

 private:
  static bool rises(const Ornament& o) { return SettingsView(riserTable(), o.settings).is("direction", "up"); }
  /// How loud it is right before it lands, or right behind its landing where it falls, at the level of the file's
  /// default.
  static double loudestMoment(const Kind& kind, const Placed& p) {
    NoSounds none;
    const PrintPlan plan = kind.plan(p);
    const auto voice = kind.start(p, none);
    const double rate = p.sampleRate();
    const std::int64_t moment = 2 * std::llround(kMomentSeconds * rate),
                       landing = rises(p.ornament) ? (p.span().end - plan.extent.begin).count : moment,
                       from = std::max<std::int64_t>(0, landing - moment);
    voice->seek(from / kPrintBlock * kPrintBlock);
    StereoBuffer end((landing - from / kPrintBlock * kPrintBlock) / kPrintBlock * kPrintBlock + kPrintBlock);
    for (std::int64_t i = 0; i < end.frames(); i += kPrintBlock)
      if (voice->render(end.span().part(i, kPrintBlock)) < kPrintBlock) break;
    return loudest(end, rate);
  }
};

} // namespace

const Manners& riserManners() {
  static const RiserManners m;
  return m;
}

} // namespace ivrin
