// The net under the planner: whatever is edited, the plan that grew out of the former ones equals the plan made anew.
#include "render/render_pool.h"
#include "test_support/any_settings.h"
#include "test_support/signals.h"

#include "song/edits.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <thread>

using namespace ivrin;
using namespace ivrin::test;

namespace {

const std::vector<std::string> kRows{"a", "b", "c", "d", "bus", "mix"};

Beats beat(double quarters) {
  return Beats::ofQuarters(quarters);
}

/// Four stems of four seconds, two of them on a bus.
std::unique_ptr<TestSong> smallBand() {
  auto t = std::make_unique<TestSong>();
  for (std::uint64_t i = 0; i < 4; ++i)
    t->stem(std::string(1, static_cast<char>('a' + i)), 192000, noise(i + 1, 0.3), i == 0 ? 1 : 2);
  t->song.buses = {{"bus", "Bus", {}}};
  t->song.stems[0].bus = t->song.stems[1].bus = "bus";
  t->song.key = Key{9, true};
  return t;
}

/// Any kind at any place, its tail kept short.
Ornament anyOrnament(Chance& chance) {
  Ornament o;
  const Kind& kind = *chance.oneOf(allKinds().all());
  o.kind = kind.table().id;
  o.on = chance.oneOf(kRows);
  o.start = beat(0.25 * chance.below(24));
  o.length = beat(0.25 * (1 + chance.below(4)));
  o.hears = chance.unit() < 0.75 ? Hears::row : Hears::dry;
  o.seed = chance.below(1000);
  if (kind.table().find("cut_at")) o.settings["cut_at"] = 1.5;
  if (kind.table().find("decay_seconds")) o.settings["decay_seconds"] = 0.2;
  if (kind.table().find("lead_beats")) o.settings["lead_beats"] = 1.0;
  if (kind.table().find("tails")) o.settings["tails"] = chance.unit() < 0.5 ? "keep" : "cut";
  if (kind.table().find("remove_dry")) o.settings["remove_dry"] = chance.unit() < 0.5;
  if (chance.unit() < 0.3) // from elsewhere: sometimes round in a circle
    for (int k = 0; k <= chance.below(2); ++k)
      o.source.push_back({chance.unit() < 0.3 ? std::nullopt : std::optional(chance.oneOf(kRows)),
                          beat(0.25 * chance.below(24)), beat(0.5), 0});
  if (chance.unit() < 0.3) o.finish.push_back({"duck", {{"key", chance.oneOf(kRows)}, {"depth_db", 6.0}}});
  if (chance.unit() < 0.2) o.finish.push_back({"gain", {{"db", -3.0}}});
  return o;
}

std::string anyId(const Song& s, Chance& chance) {
  return s.ornaments.empty() ? std::string() : chance.oneOf(s.ornaments)->id;
}

/// One edit of the sort that hands make. `past` are songs of before, as undo brings them back.
Song edited(const Song& s, Chance& chance, const std::vector<Song>& past, std::string& what) {
  const std::string id = anyId(s, chance);
  const Ornament* found = s.ornament(id);
  const auto replaced = [&](auto change) {
    if (!found) return s;
    Ornament o = *found;
    change(o);
    return withOrnamentReplaced(s, std::move(o));
  };
  switch (chance.below(16)) {
  case 0:
  case 1:
  case 2:
    what = "place";
    return s.ornaments.size() > 24 ? withoutOrnament(s, id) : withOrnaments(s, {anyOrnament(chance)}).song;
  case 3:
  case 4:
    what = "delete";
    return withoutOrnament(s, id);
  case 5:
  case 6:
    what = "bypass";
    return replaced([](Ornament& o) { o.enabled = !o.enabled; });
  case 7:
    what = "order";
    return withOrnamentAt(s, id, static_cast<std::size_t>(chance.below(6)));
  case 8:
    what = "move";
    return replaced([&](Ornament& o) { o.start = beat(0.25 * chance.below(24)); });
  case 9:
    what = "to another row";
    return replaced([&](Ornament& o) { o.on = chance.oneOf(kRows); });
  case 10:
    what = "retune";
    return replaced([&](Ornament& o) {
      const Kind& kind = *allKinds().find(o.kind);
      if (kind.table().find("wet_db")) o.settings["wet_db"] = -static_cast<double>(chance.below(12));
      o.gainDb = -static_cast<double>(chance.below(6));
      o.length = beat(0.25 * (1 + chance.below(4)));
      o.hears = chance.unit() < 0.5 ? Hears::row : Hears::dry;
    });
  case 11: {
    what = "row mix";
    RowMix m;
    m.gainDb = -static_cast<double>(chance.below(3));
    m.pan = 0.5 * (chance.below(3) - 1);
    m.mute = chance.unit() < 0.3;
    m.solo = chance.unit() < 0.1;
    return withRowMix(s, kRows[static_cast<std::size_t>(chance.below(5))], m);
  }
  case 12: {
    what = "bus";
    Song next = s;
    Stem& stem = next.stems[static_cast<std::size_t>(chance.below(next.stems.size()))];
    stem.bus = stem.bus ? std::nullopt : std::optional<std::string>("bus");
    return next;
  }
  case 13: {
    what = "tempo, meter or key";
    Song next = s;
    const int which = chance.below(4);
    if (which == 0) next.tempo = {{Beats(0), 120.0}, {beat(4), chance.unit() < 0.5 ? 120.0 : 90.0}};
    if (which == 1) next.tempo.resize(1);
    if (which == 2) next.meter = {{Beats(0), 4, 4}, {beat(4), chance.unit() < 0.5 ? 3 : 2, 4}};
    if (which == 3) next.key = Key{chance.below(12), chance.unit() < 0.5};
    return next;
  }
  case 14:
    what = "name";
    return replaced([&](Ornament& o) { o.name = std::to_string(chance.below(99)); });
  default:
    what = "undo";
    return past.empty() ? s : chance.oneOf(past);
  }
}

/// Nothing where both plans are the same, else what differs.
std::string difference(const RenderPlan& grown, const RenderPlan& anew) {
  if (grown.nodes().size() != anew.nodes().size()) return "the number of nodes";
  for (std::size_t i = 0; i < anew.nodes().size(); ++i) {
    const OrnamentNode &g = *grown.nodes()[i], &a = *anew.nodes()[i];
    const std::string which = a.ornament->id + " (" + a.ornament->kind + " on " + a.ornament->on + "): ";
    if (!(*g.ornament == *a.ornament)) return which + "another ornament";
    if (g.row != a.row || g.order != a.order) return which + "place";
    if (g.refused != a.refused) return which + "refused";
    if (g.provenance != a.provenance) return which + "provenance";
    if ((g.print != nullptr) != (a.print != nullptr)) return which + "print";
    if (!(g.reach() == a.reach())) return which + "reach";
    if (grown.node(a.ornament->id).get() != grown.nodes()[i].get()) return which + "found by its id";
    if (grown.rows()[g.row].ornaments[g.order].get() != grown.nodes()[i].get()) return which + "on its row";
  }
  return {};
}

} // namespace

// 10 000 edits take some four seconds: every one is planned twice.
TEST_CASE("ten thousand edits: the plan that grew equals the plan made anew", "[planner][render][slow]") {
  const auto t = smallBand();
  Chance chance(2026);
  Song song = t->song;
  std::shared_ptr<const RenderPlan> grown;
  std::vector<Song> past;
  int refused = 0, ornaments = 0;
  const int kEdits = tries(10000);
  for (int edit = 0; edit < kEdits; ++edit) {
    std::string what;
    song = edited(song, chance, past, what);
    if (edit % 7 == 0) past.push_back(song);
    if (past.size() > 12) past.erase(past.begin());
    grown = RenderPlan::make(song, t->audio, allKinds(), t->cache, grown.get());
    PrintCache fresh;
    const auto anew = RenderPlan::make(song, t->audio, allKinds(), fresh);
    const std::string differs = difference(*grown, *anew);
    INFO("edit " << edit << ", " << what << ": " << differs);
    REQUIRE(differs.empty());
    for (const auto& n : anew->nodes()) refused += n->refused;
    ornaments += static_cast<int>(anew->nodes().size());
  }
  CHECK(refused > kEdits / 100); // circles were among them
  CHECK(ornaments > 5 * kEdits);
}

// Planning 150 ornaments anew takes some milliseconds; a thousand edits a second and a half.
TEST_CASE("edits of a long list: what is replaced at its place is planned as the list made anew",
          "[planner][render][slow]") {
  const auto t = smallBand();
  Chance chance(150);
  Song song = t->song;
  std::vector<Ornament> many;
  for (int i = 0; i < 150; ++i) many.push_back(anyOrnament(chance));
  song = withOrnaments(std::move(song), std::move(many)).song;
  std::shared_ptr<const RenderPlan> grown = RenderPlan::make(song, t->audio, allKinds(), t->cache);
  std::vector<Song> past;
  const int kEdits = tries(1000);
  int inPlace = 0;
  for (int edit = 0; edit < kEdits; ++edit) {
    std::string what = "one after another";
    if (edit % 3 != 0) { // as a drag does: one ornament, again and again, sometimes several
      for (int k = chance.below(2); k >= 0; --k) {
        const auto i = static_cast<std::size_t>(chance.below(song.ornaments.size()));
        Ornament o = *song.ornaments[i];
        o.gainDb = -0.1 * chance.below(60);
        if (chance.unit() < 0.3) o.length = Beats(o.length.ticks + kTicksPerQuarter / 8);
        song = withOrnamentReplaced(song, o);
      }
      ++inPlace;
    } else {
      song = edited(song, chance, past, what);
    }
    if (edit % 7 == 0) past.push_back(song);
    grown = RenderPlan::make(song, t->audio, allKinds(), t->cache, grown.get());
    PrintCache fresh;
    const std::string differs = difference(*grown, *RenderPlan::make(song, t->audio, allKinds(), fresh));
    INFO("edit " << edit << ", " << what << ": " << differs);
    REQUIRE(differs.empty());
  }
  CHECK(inPlace > kEdits / 2);
  CHECK(song.ornaments.size() > 2 * Chunked<int>::kChunk);
}

// A hundred edits, each heard twice: some ten seconds of computing.
TEST_CASE("a hundred edits: every print sounds as one planned and computed anew", "[planner][render][slow]") {
  const auto t = smallBand();
  Chance chance(77);
  Song song = t->song;
  for (int i = 0; i < 6; ++i) song = withOrnaments(std::move(song), {anyOrnament(chance)}).song;
  std::shared_ptr<const RenderPlan> grown;
  std::vector<Song> past;
  const int kEdits = tries(100);
  std::int64_t compared = 0;
  for (int edit = 0; edit < kEdits; ++edit) {
    std::string what;
    song = edited(song, chance, past, what);
    while (song.ornaments.size() > 9) song = withoutOrnament(song, song.ornaments.front()->id);
    if (edit % 5 == 0) past.push_back(song);
    grown = RenderPlan::make(song, t->audio, allKinds(), t->cache, grown.get());
    // Part of them is begun and left, as a pool does when the next edit comes: it must not matter.
    for (const auto& n : grown->nodes())
      if (n->print && chance.unit() < 0.5) n->print->tryAdvance(*grown, *n, n->print->first() + Frames(9000), 2, {});
    if (chance.unit() < 0.3) continue;
    PrintCache fresh;
    const auto anew = RenderPlan::make(song, t->audio, allKinds(), fresh);
    for (std::size_t i = 0; i < anew->nodes().size(); ++i) {
      if (!anew->nodes()[i]->print) continue;
      const std::string& id = anew->nodes()[i]->ornament->id;
      const StereoBuffer heard = printOf(*grown, id), wanted = printOf(*anew, id);
      INFO("edit " << edit << ", " << what << ", print " << id << " of " << anew->nodes()[i]->ornament->kind);
      REQUIRE(heard == wanted);
      compared += wanted.frames();
    }
    INFO("edit " << edit << ", " << what);
    REQUIRE(mixOut(*grown, 0, 192000) == mixOut(*anew, 0, 192000));
  }
  CHECK(compared > (kEdits == 100 ? 192000 * 20 : 192000 * 2));
}

TEST_CASE("what slides into the place of a removed ornament hears the row without it", "[planner][render]") {
  for (const bool bypassed : {false, true}) {
    TestSong t;
    t.stem("v", 192000, noise(1, 0.3));
    t.ornament("gap", "v", 0, 4);     // silences what the second one takes in
    t.ornament("reverse", "v", 1, 1); // hears the row as the gap left it
    t.ornament("delay-throw", "mix", 1, 1, {{"cut_at", 2.0}});
    CHECK(largest(printOf(*t.plan(), "o2")) == 0);
    if (bypassed)
      t.ornaments[0].enabled = false;
    else
      t.ornaments.erase(t.ornaments.begin());
    const auto plan = t.plan();
    CHECK(largest(printOf(*plan, "o2")) > 0.1f); // before it was mended: 0, the print of before
    CHECK(largest(printOf(*plan, "o3")) > 0.1f);
  }
}

TEST_CASE("a print goes on under the plan that follows when the tempo changes where it does not reach",
          "[planner][render]") {
  TestSong t;
  t.stem("v", 480000, noise(1, 0.3));
  t.ornament("delay-throw", "v", 0, 1, {{"cut_at", 3.0}}).finish = {{"level", {{"offset_lu", -6.0}}}};
  const StereoBuffer wanted = printOf(*t.plan(), "o1");
  TestSong other;
  other.stem("v", 480000, noise(1, 0.3));
  other.ornament("delay-throw", "v", 0, 1, {{"cut_at", 3.0}}).finish = {{"gain", {{"db", {}}}}};
  other.ornaments[0].finish = t.ornaments[0].finish;
  {
    const auto first = other.plan();
    const auto node = first->node("o1");
    node->print->tryAdvance(*first, *node, Frames(0), 1, {});
  }
  other.song.tempo.push_back({beat(16), 90});
  static_cast<void>(other.plan()); // the first plan, with its tempo map, is gone
  const auto after = other.plan();
  CHECK(printOf(*after, "o1") == wanted);
}

TEST_CASE("a plan says what it is bounded by, at once", "[planner][render]") {
  TestSong t(48000, 20);
  t.stem("v", 48000, noise(1, 0.3));
  t.ornament("halftime", "v", 0, 65536, {{"cycle", 1.0}}); // 197 million cycles of a millisecond
  const auto plan = t.plan();
  REQUIRE(plan->node("o1"));
  CHECK(plan->node("o1")->print == nullptr);
  REQUIRE(t.problems.list.size() == 1);
  CHECK(t.problems.list[0].text().find("65536 cycles") != std::string::npos);
  CHECK(largest(rowOut(*plan, "v", 0, 48000)) > 0.2f); // the row sounds as it is
}

namespace {

/// Sounds the number of its block, and tells when it computes one.
class TellingVoice : public Voice {
 public:
  explicit TellingVoice(const std::function<void()>& tell)
      : tell_(tell) {}
  std::int64_t render(StereoSpan out) override {
    tell_();
    for (std::int64_t i = 0; i < out.frames; ++i) out.left[i] = out.right[i] = 0.001f * static_cast<float>(block_);
    return ++block_ < 60 ? out.frames : 0;
  }

 private:
  const std::function<void()>& tell_;
  int block_ = 0;
};

class TellingKind : public Kind {
 public:
  const TableSpec& table() const override {
    static const TableSpec t{"test-telling", "Telling", "X", "Tells when it computes.", {}};
    return t;
  }
  PrintPlan plan(const Placed& p) const override {
    PrintPlan plan;
    plan.extent = {p.span().begin, p.span().begin + Frames(60 * kPrintBlock)};
    return plan;
  }
  std::unique_ptr<Voice> start(const Placed&, Sounds&) const override { return std::make_unique<TellingVoice>(tell); }
  std::function<void()> tell = [] {};
};

} // namespace

TEST_CASE("asked to stop, a print ends within a block of each print it reads, and nothing half heard is kept",
          "[planner][render]") {
  TellingKind telling;
  std::vector<const Kind*> all = allKinds().all();
  all.push_back(&telling);
  const KindSet kinds(all);
  const auto build = [&](TestSong& t) {
    t.useKinds(kinds);
    t.stem("v", 192000, noise(1, 0.1));
    t.ornament("test-telling", "v", 0, 1);
    t.ornament("delay-throw", "v", 0.5, 2, {{"time_left", "1/16"}, {"feedback_percent", 60.0}, {"cut_at", 6.0}});
    t.ornament("reverse", "v", 0, 4); // reads both, from their end on
  };
  TestSong calm;
  build(calm);
  const StereoBuffer wanted = printOf(*calm.plan(), "o3");
  TestSong t;
  build(t);
  const auto plan = t.plan();
  const auto node = plan->node("o3");
  // Stopped again and again while the print under the others computes: each time one block later.
  int stops = 0, computed = 0, afterStop = 0;
  while (!node->print->complete()) {
    std::stop_source stop;
    int blocks = 0;
    telling.tell = [&] {
      ++computed;
      if (stop.stop_requested()) ++afterStop;
      if (++blocks == 3) stop.request_stop();
    };
    if (!node->print->ensure(*plan, *node, stop.get_token())) ++stops;
    REQUIRE(stops < 100);
  }
  CHECK(stops >= 15);    // 60 blocks, at most three at a time
  CHECK(afterStop == 0); // it ended within the block
  CHECK(computed == 60); // and none was computed twice
  CHECK(printOf(*plan, "o3") == wanted);
  CHECK(printOf(*plan, "o2") == printOf(*calm.plan(), "o2"));
}

TEST_CASE("blocks in any order are the blocks in order", "[planner][render]") {
  Chance chance(5);
  int anyOrder = 0;
  for (const Kind* kind : allKinds().all())
    for (int trial = 0; trial < (kSanitized ? 2 : 4); ++trial) {
      const auto build = [&](TestSong& t, Settings s) {
        t.stem("v", 480000, noise(3, 0.3));
        t.ornament(kind->table().id, "v", 2, 8, std::move(s)).finish = {{"pan", {{"position", 0.5}}},
                                                                        {"gain", {{"db", -3.0}}}};
      };
      Settings s;
      if (trial > 0) s = anySettings(kind->table(), chance);
      if (kind->table().find("cycle")) s["cycle"] = trial % 2 ? Value("1/2") : Value("1/4");
      if (kind->table().find("cut_at")) s["cut_at"] = 10.0;
      if (kind->table().find("fit")) s["fit"] = "span";
      TestSong straight, jumping;
      build(straight, s);
      build(jumping, s);
      const auto plan = jumping.plan();
      const auto node = plan->node("o1");
      if (!node->print || !node->print->anyOrder()) continue;
      const StereoBuffer wanted = printOf(*straight.plan(), "o1");
      ++anyOrder;
      INFO(kind->table().id << " " << trial << " " << compactJson(Value(Object(s.begin(), s.end()))));
      const FrameRange all = node->print->extent();
      for (int jump = 0; jump < 12; ++jump) {
        const Frames at =
            all.begin + Frames(static_cast<std::int64_t>(chance.unit() * static_cast<double>(all.length())));
        const FrameRange part{at, std::min(at + Frames(2000), all.end)};
        REQUIRE(node->print->ensure(*plan, *node, part));
        CHECK(node->print->has(part));
        StereoBuffer heard(part.length());
        heard.span().clear();
        node->print->addTo(part.begin, heard.span());
        for (std::int64_t i = 0; i < part.length(); ++i)
          REQUIRE(heard.left()[i] == wanted.left()[(part.begin - all.begin).count + i]);
      }
      CHECK(printOf(*plan, "o1") == wanted);
    }
  CHECK(anyOrder >= (kSanitized ? 5 : 10));
}

TEST_CASE("the key and the meters within reach are part of what a print is made from", "[planner][render]") {
  TestSong t;
  t.stem("v", 480000, noise(1, 0.3));
  t.ornament("delay-throw", "v", 0, 8, {{"cut_at", 10.0}});
  const auto now = [&] { return t.plan()->node("o1")->provenance; };
  const std::string first = now();
  t.song.key = Key{2, false};
  const std::string keyed = now();
  CHECK(keyed != first);
  t.song.meter.push_back({beat(4), 3, 4});
  const std::string metred = now();
  CHECK(metred != keyed);
  t.song.meter.push_back({beat(28), 4, 4}); // after all it reaches
  CHECK(now() == metred);
}

TEST_CASE("the pool computes what is heard without an ornament too", "[planner][render][threads]") {
  TestSong t;
  t.stem("v", 192000, noise(1, 0.3));
  t.ornament("gap", "v", 0, 2);
  t.ornament("delay-throw", "v", 1, 1, {{"cut_at", 2.0}});
  const auto plan = t.plan();
  t.ornaments[0].enabled = false;
  const auto without = t.plan();
  REQUIRE(plan->node("o2")->print != without->node("o2")->print);
  RenderPool pool(2);
  pool.setPlans({plan, without});
  pool.waitUntilIdle();
  CHECK(plan->node("o2")->print->complete());
  CHECK(without->node("o2")->print->complete());
}
