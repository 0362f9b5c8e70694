// A cat on the desk: random hands at the real window. They found that a landing's name given while an ornament is open
// ended the program, and that a song could be saved which could not be opened again.
#include "hands.h"
#include "services/memory.h"
#include "slowest_event.h"

#include <catch2/catch.hpp>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

constexpr std::int64_t kMost = std::int64_t{1} << 30;

void mustReadBack(const Song& song) {
  Problems problems;
  const Registry registry = allKinds().registry();
  const auto again = readSong(writeSong(song, registry), registry, problems);
  INFO((problems.list.empty() ? std::string() : problems.list.front().text()));
  REQUIRE(again);
  REQUIRE_FALSE(problems.hasErrors());
  REQUIRE(*again == song);
}

} // namespace

// In the environment: IVRIN_HANDS=N makes it N rounds, each with chances of its own, IVRIN_SEED=N begins with the Nth,
// IVRIN_SAY=1 says every step.
TEST_CASE("whatever hands do, the song stays one that can be opened again, and can be undone to its start",
          "[hands][slow]") {
  const int asked = qEnvironmentVariableIntValue("IVRIN_HANDS");
  const int rounds = asked > 0 ? asked : tries(3);
  const int from = std::max(1, qEnvironmentVariableIntValue("IVRIN_SEED"));
  const auto seed = static_cast<std::uint64_t>(GENERATE_REF(range(from, from + rounds)));
  CAPTURE(seed);
  keepMemoryTidy();
  std::int64_t most = 0;
  {
    const TempFolder journal;
    SmallSongRig rig{journal.path()};
    Hands hands(rig, rig.dir.path(), seed);
    REQUIRE(hands.actions() > 80);
    rig.window->files().setAsks(true);
    int edits = 0;
    for (int step = 0; step < (kSanitized ? 100 : 200); ++step) {
      const Song before = rig.session->song();
      hands.step();
      if (qEnvironmentVariableIsSet("IVRIN_SAY")) std::fprintf(stderr, "%d %s\n", step, hands.did().c_str());
      INFO("step " << step << ": " << hands.did());
      if (step % 16 == 0) rig.settle();
      edits += !(rig.session->song() == before);
      if (rig.session->isOpen() && !(rig.session->song() == before)) mustReadBack(rig.session->song());
      const Session::Kept kept = rig.session->kept();
      CHECK(kept.inMemory() < kMost / 2);
      most = std::max(most, privateMemory());
    }
    CHECK(edits > (kSanitized ? 5 : 10));
    rig.window->files().setAsks(false);
    rig.session->cancelWork();
    rig.settle();
    rig.session->settle();
    if (rig.session->isOpen()) {
      rig.session->player().play(Frames(0));
      CHECK(largest(rig.hear(96000)) <= 1);
      rig.session->player().stop();
      const Song last = rig.session->song();
      int steps = 0;
      for (; rig.session->history().canUndo(); ++steps) rig.session->undo();
      CHECK(rig.session->song() == hands.first());
      for (int i = 0; i < steps; ++i) rig.session->redo();
      CHECK(rig.session->song() == last);
    }
  }
  if (!ivrin::test::kSanitized) // a sanitizer holds freed memory back
    CHECK(most < kMost);
  const SlowestEvent& slowest = slowestEvent();
  std::printf("seed %d: %lld MiB at most, slowest event %.0f ms: %s\n", static_cast<int>(seed),
              static_cast<long long>(most >> 20), slowest.milliseconds, slowest.what.c_str());
}
