// Where computed sound is kept, in chunks of one size: in memory up to a budget, beyond it in a file that has no name
// and goes with the process. What is kept in the file is the system's to write out and to bring back; it is not memory
// of the process.
//
// Invariants:
//  1. A chunk stays where it is, readable and writable by any thread, until it is given back.
//  2. No more than the budget is held in memory, unless the file cannot grow (a full disk): then the work goes on in
//     memory.
//  3. What is free beyond kSpareSlabs is given back to the system.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <mutex>
#include <vector>

namespace ivrin {

class ChunkStore {
 public:
  static constexpr std::size_t kChunkFloats = 2 * 16 * 1024; // two sides of sixteen blocks of a print: 128 KiB

  struct Options {
    std::int64_t memoryBytes = std::int64_t{384} << 20;
    std::filesystem::path folder{}; // of the file; none: all in memory
  };
  ChunkStore();
  explicit ChunkStore(Options options);
  /// All chunks must have been given back.
  ~ChunkStore();
  ChunkStore(const ChunkStore&) = delete;
  ChunkStore& operator=(const ChunkStore&) = delete;

  /// kChunkFloats floats of any value. Throws std::bad_alloc where there is no memory for them.
  float* take();
  void give(float* chunk);

  /// What is taken from the system, free or not.
  std::int64_t bytesInMemory() const;
  std::int64_t bytesInFile() const;
  /// What is not free.
  std::int64_t bytesInUse() const;

 private:
  static constexpr std::size_t kChunkBytes = kChunkFloats * sizeof(float);
  static constexpr int kChunksPerSlab = 16;
  static constexpr std::size_t kSlabBytes = kChunkBytes * kChunksPerSlab;
  static constexpr int kSpareSlabs = 8;
  struct Slab {
    bool inFile = false;
    std::int64_t offset = 0; // in the file
    int used = 0;
    std::uint32_t free = 0; // a bit for each chunk
  };
  using Slabs = std::map<char*, Slab>;
  Slabs::iterator grow();
  char* mapFile(std::int64_t& offset);
  void drop(Slabs::iterator slab);

  const Options options_;
  mutable std::mutex mutex_;
  Slabs slabs_;                    // by where they begin
  std::vector<char*> open_[2];     // with something free: in memory, in the file; also twice, or full meanwhile
  std::vector<std::int64_t> gaps_; // of the file
  int file_ = -1, emptySlabs_ = 0;
  std::int64_t fileEnd_ = 0, inMemory_ = 0, inFile_ = 0, used_ = 0;
};

} // namespace ivrin
