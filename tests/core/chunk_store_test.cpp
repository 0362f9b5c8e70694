// Where computed sound is kept: memory up to a budget, a file beyond it, and what is given back.
#include "audio/chance.h"
#include "audio/chunk_store.h"
#include "render/render_plan.h"
#include "song/history.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <fstream>
#include <map>
#include <thread>

using namespace ivrin;
using namespace ivrin::test;

namespace {
constexpr std::int64_t kChunkBytes = ChunkStore::kChunkFloats * sizeof(float), kSlabBytes = 16 * kChunkBytes;
}

TEST_CASE("chunks keep what is written, in memory and in the file, whatever is taken and given", "[memory]") {
  const TempFolder dir;
  ChunkStore store({2 * kSlabBytes, dir.path()});
  Chance chance(1);
  std::map<float*, float> held;
  std::int64_t most = 0;
  for (int i = 0; i < 4000; ++i) {
    if (held.size() < 200 && (held.empty() || chance.below(3) > 0)) {
      float* c = store.take();
      REQUIRE_FALSE(held.contains(c));
      held[c] = static_cast<float>(i);
      c[0] = c[ChunkStore::kChunkFloats - 1] = static_cast<float>(i);
    } else {
      const auto one = std::next(held.begin(), chance.below(held.size()));
      REQUIRE(one->first[0] == one->second);
      REQUIRE(one->first[ChunkStore::kChunkFloats - 1] == one->second);
      store.give(one->first);
      held.erase(one);
    }
    most = std::max(most, store.bytesInFile());
    REQUIRE(store.bytesInUse() == static_cast<std::int64_t>(held.size()) * kChunkBytes);
    REQUIRE(store.bytesInMemory() <= 2 * kSlabBytes); // its budget
    REQUIRE(store.bytesInMemory() + store.bytesInFile() <= 64 * kSlabBytes);
  }
  CHECK(most >= 10 * kSlabBytes);
  CHECK(std::filesystem::is_empty(dir.path())); // the file has no name
  for (const auto& [chunk, value] : held) store.give(chunk);
  CHECK(store.bytesInUse() == 0);
  CHECK(store.bytesInFile() == 0);
}

TEST_CASE("without a file, or where it cannot be made, all is kept in memory; what is free goes back", "[memory]") {
  const TempFolder dir;
  std::ofstream(dir / "no folder") << "x";
  for (const std::filesystem::path& folder : {std::filesystem::path(), dir / "no folder" / "below"}) {
    ChunkStore store({kSlabBytes, folder});
    std::vector<float*> all;
    for (int i = 0; i < 500; ++i) all.push_back(store.take());
    CHECK(store.bytesInMemory() == 32 * kSlabBytes);
    CHECK(store.bytesInFile() == 0);
    for (float* c : all) store.give(c);
    CHECK(store.bytesInMemory() <= 8 * kSlabBytes);
  }
}

TEST_CASE("chunks are taken and given by several threads", "[memory][threads]") {
  const TempFolder dir;
  ChunkStore store({kSlabBytes, dir.path()});
  std::atomic<int> wrong{0};
  {
    std::vector<std::jthread> threads;
    for (int t = 0; t < 4; ++t)
      threads.emplace_back([&, t] {
        std::vector<float*> mine;
        for (int i = 0; i < 300; ++i) {
          mine.push_back(store.take());
          mine.back()[7] = static_cast<float>(t);
          if (i % 3 == 2) {
            wrong += mine.front()[7] != static_cast<float>(t);
            store.give(mine.front());
            mine.erase(mine.begin());
          }
        }
        for (float* c : mine) store.give(c);
      });
  }
  CHECK(wrong == 0);
  CHECK(store.bytesInUse() == 0);
}

TEST_CASE("prints that no plan has are kept up to a budget, without what would go on computing them", "[memory]") {
  const auto store = std::make_shared<ChunkStore>();
  PrintCache cache({std::int64_t{4} << 20, 100}, store);
  TestSong t;
  t.stem("v", 10 * 48000, noise(3, 0.2));
  for (int i = 0; i < 60; ++i) { // as a drag makes them: one after the other, each for a moment
    t.ornaments.clear();
    t.ornament("pulse", "v", 0, 8 + 0.125 * i);
    t.song.ornaments = Chunked(std::vector<Shared<Ornament>>{Shared(t.ornaments.front())});
    const auto plan = RenderPlan::make(t.song, t.audio, allKinds(), cache);
    const auto& n = plan->nodes().front();
    n->print->ensure(*plan, *n);
  }
  cache.trim();
  CHECK(store->bytesInUse() > std::int64_t{2} << 20);
  CHECK(store->bytesInUse() <= std::int64_t{4} << 20); // of 60 MiB
}

TEST_CASE("undo keeps as many steps as fit: a thousand small ones, fewer large ones", "[memory][history]") {
  Song song;
  History small(song);
  for (int i = 1; i <= 1200; ++i) {
    song.title = std::to_string(i);
    small.edit("title", {}, song);
  }
  int steps = 0;
  for (; small.canUndo(); ++steps) small.undo();
  CHECK(steps == 1000);
  CHECK(small.song().title == "200");
  for (; small.canRedo(); --steps) small.redo();
  CHECK(steps == 0);
  CHECK(small.song() == song);
  // A grid of twenty thousand meters is 800 kB in every step.
  for (int i = 0; i < 20000; ++i) song.meter.push_back({Beats::ofQuarters(4.0 * (i + 1)), 4, 4});
  History large(song);
  for (int i = 1; i <= 1200; ++i) {
    song.title = std::to_string(i);
    large.edit("title", {}, song);
    REQUIRE(large.bytes() <= std::int64_t{64} << 20);
  }
  for (; large.canUndo(); ++steps) large.undo();
  CHECK(steps > 50);
  CHECK(steps < 400);
}
