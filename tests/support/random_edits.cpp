#include "random_edits.h"

#include "audio/chance.h"
#include "document/document.h"
#include "files/song_check.h"
#include "ornaments/kind.h"
#include "song/edits.h"
#include "song/grid_edits.h"
#include "song/row_edits.h"
#include "test_support/any_settings.h"

#include <limits>

namespace ivrin::test {
namespace {

Song firstSong() {
  Song s;
  s.title = "By chance";
  s.buses = {{"music", "Music", {}}};
  for (const char* id : {"voice", "keys", "drums"}) {
    Stem stem;
    stem.id = id;
    stem.name = id;
    s.stems.push_back(stem);
  }
  s.sections = {{"s1", Beats(0), "Intro"}, {"s2", Beats::ofQuarters(32), "Verse"}};
  return s;
}

class Hands {
 public:
  explicit Hands(std::uint64_t seed)
      : chance_(seed << 20) {}

  Song next(const Song& s) {
    switch (chance_.below(16)) {
    case 0:
    case 1:
      return withOrnaments(s, {ornament(s)}).song;
    case 2:
      return s.ornaments.empty() ? s : withoutOrnament(s, any(s).id);
    case 3:
    case 4: { // another setting, mostly a legal one
      if (s.ornaments.empty()) return s;
      Ornament o = any(s);
      if (chance_.below(4) == 0)
        o.settings[chance_.oneOf(allKinds().find(o.kind)->table().settings).key] = Value(number());
      else
        o.settings = anySettings(allKinds().find(o.kind)->table(), chance_);
      return withOrnamentReplaced(s, o);
    }
    case 5: {
      if (s.ornaments.empty()) return s;
      Ornament o = any(s);
      o.start = beat();
      o.length = length();
      o.gainDb = chance_.below(8) == 0 ? number() : -6;
      return withOrnamentReplaced(s, o);
    }
    case 6: {
      if (s.ornaments.empty()) return s;
      Ornament o = any(s);
      o.source.clear();
      for (int i = chance_.below(3); i > 0; --i) o.source.push_back({row(s), beat(), length(), -3});
      return withOrnamentReplaced(s, o);
    }
    case 7: {
      if (s.ornaments.empty()) return s;
      const std::string slot(1, static_cast<char>('A' + chance_.below(4)));
      return chance_.below(2) == 0 ? withVariant(s, any(s).id, slot) : withoutVariant(s, any(s).id, slot);
    }
    case 8:
    case 9: { // the tempo at a place, from end to end; on the sound, or on the beats
      const Song changed = withTempoFrom(s, chance_.below(3) == 0 ? beat() : Beats(0),
                                         chance_.oneOf(std::vector{20.0, 31.0, 120.0, 400.0, 19.0}));
      return chance_.below(2) == 0 ? changed : withGridCorrected(s, changed.tempo, s.startSeconds);
    }
    case 10:
      return withMeterFrom(s, chance_.below(3) == 0 ? beat() : s.tempoMap().barStart(1 + chance_.below(40)),
                           1 + chance_.below(64), 1 << chance_.below(7));
    case 11:
      return withSection(s, {freshLandingId(s, true), beat(), name()});
    case 12:
      return s.sections.empty() ? s : withLandingMoved(s, chance_.oneOf(s.sections).id, beat());
    case 13:
      return s.sections.empty() ? s : withoutLanding(s, chance_.oneOf(s.sections).id);
    case 14: {
      std::vector<std::string> ids;
      for (const auto& o : s.ornaments)
        if (chance_.below(2) == 0) ids.push_back(o->id);
      return withOrnamentsShifted(s, ids, beat());
    }
    default: {
      RowMix m;
      m.gainDb = chance_.below(6) == 0 ? number() : -chance_.unit() * 30;
      m.pan = 2 * chance_.unit() - 1;
      m.mute = chance_.below(2) == 0;
      return withRowMix(s, chance_.oneOf(s.rowsInScoreOrder()), m);
    }
    }
  }
  Chance& chance() { return chance_; }

 private:
  double number() {
    return chance_.oneOf(std::vector{0.0, -1.0, 1e9, -1e300, 0.1, 1.0 / 3, 12.0, -60.0, 4096.0,
                                     std::numeric_limits<double>::quiet_NaN()});
  }
  Beats beat() { return Beats(static_cast<std::int64_t>((chance_.unit() * 300 - 20) * kTicksPerQuarter)); }
  Beats length() {
    return chance_.oneOf(std::vector{Beats::ofQuarters(1.0 / 1024), Beats::ofQuarters(1.0 / 64), Beats::ofQuarters(1),
                                     Beats::ofQuarters(7.0 / 3), Beats::ofQuarters(64), Beats(1)});
  }
  std::string name() { return chance_.oneOf(std::vector<std::string>{"", "Drop", "\u266f 1", "\xff", "a\nb"}); }
  std::optional<std::string> row(const Song& s) {
    return chance_.below(2) == 0 ? std::nullopt : std::optional(chance_.oneOf(s.rowsInScoreOrder()));
  }
  const Ornament& any(const Song& s) {
    return *s.ornaments[static_cast<std::size_t>(chance_.below(s.ornaments.size()))];
  }
  Ornament ornament(const Song& s) {
    Ornament o;
    const Kind& kind = *chance_.oneOf(allKinds().all());
    o.kind = kind.table().id;
    o.on = chance_.oneOf(s.rowsInScoreOrder());
    o.start = beat();
    o.length = length();
    o.name = name();
    o.seed = chance_.below(1000);
    if (chance_.below(3) > 0) o.settings = anySettings(kind.table(), chance_);
    return o;
  }
  Chance chance_;
};

} // namespace

RandomEdits randomEdits(std::uint64_t seed, int count) {
  RandomEdits done;
  const Registry registry = allKinds().registry();
  Document document(registry);
  document.adopt(firstSong(), {}, {});
  const Song first = document.song();
  Hands hands(seed);
  const auto readsBack = [&](const Song& song) {
    Problems problems;
    const auto again = readSong(writeSong(song, registry), registry, problems);
    return again && *again == song;
  };
  for (int i = 0; i < count; ++i) {
    const Song before = document.song(), next = hands.next(before);
    const auto wrong = [&](const std::string& what) { done.wrong = "edit " + std::to_string(i) + ": " + what; };
    const std::string why = document.edit("edit", next);
    if (why.empty() && !readsBack(document.song())) wrong("the song does not read back");
    if (why.empty() && !(document.song() == next)) wrong("another song than was asked for");
    if (!why.empty() && !(document.song() == before)) wrong("refused, and changed");
    if (!why.empty() && readsBack(next)) wrong("refused, though it can be read: " + why);
    (why.empty() ? done.taken : done.refused) += 1;
    document.settle();
    if (i % 100 == 99 || i + 1 == count) {
      const Song last = document.song();
      int steps = 0;
      for (; document.history().canUndo(); ++steps) document.undo();
      if (!(document.song() == first)) wrong("all was undone, and it is another song than at first");
      for (int k = 0; k < steps; ++k) document.redo();
      if (!(document.song() == last)) wrong("all was done again, and it is another song");
      while (hands.chance().below(4) > 0 && document.history().canUndo()) document.undo();
    }
    if (i % 400 == 399) document.adopt(first, {}, {}); // a song of hundreds of ornaments takes long to read
    if (!done.wrong.empty()) break;
  }
  return done;
}

} // namespace ivrin::test
