// A chunked list is a list: after ten thousand acts it holds what a plain vector holds; and its copies share.
#include "audio/chance.h"
#include "song/chunked.h"

#include <catch2/catch.hpp>

#include <memory>
#include <numeric>

using namespace ivrin;

namespace {

constexpr std::size_t kChunk = Chunked<int>::kChunk;
bool same(int a, int b) {
  return a == b;
}

} // namespace

TEST_CASE("a chunked list does what a vector does", "[chunked]") {
  Chance chance(9);
  Chunked<int> list;
  std::vector<int> plain;
  std::vector<std::pair<Chunked<int>, std::vector<int>>> kept; // copies that must not change any more
  std::size_t longest = 0;
  for (int act = 0; act < 10000; ++act) {
    const int v = chance.below(1000);
    const auto at = [&](std::size_t n) { return static_cast<std::size_t>(chance.below(n)); };
    switch (const int what = chance.below(8); plain.empty() ? 0 : what) {
    case 0:
    case 1:
    case 2:
      list.push_back(v);
      plain.push_back(v);
      break;
    case 3: {
      const std::size_t i = at(plain.size() + 1);
      list.insert(i, v);
      plain.insert(plain.begin() + static_cast<std::ptrdiff_t>(i), v);
      break;
    }
    case 4: {
      const std::size_t i = at(plain.size());
      list.erase(i);
      plain.erase(plain.begin() + static_cast<std::ptrdiff_t>(i));
      break;
    }
    case 5:
    case 6: {
      const std::size_t i = at(plain.size());
      list.set(i, v);
      plain[i] = v;
      break;
    }
    default:
      if (chance.below(40) == 0) {
        const auto odd = [](int x) { return x % 3 == 0; };
        CHECK(list.eraseIf(odd) == static_cast<std::size_t>(std::count_if(plain.begin(), plain.end(), odd)));
        std::erase_if(plain, odd);
      } else if (kept.size() < 20) {
        kept.emplace_back(list, plain);
      }
    }
    longest = std::max(longest, plain.size());
    REQUIRE(list.size() == plain.size());
    if (act % 50 == 0) REQUIRE(std::equal(list.begin(), list.end(), plain.begin(), plain.end()));
  }
  CHECK(longest > 3 * kChunk);
  for (const auto& [copy, then] : kept) {
    REQUIRE(std::equal(copy.begin(), copy.end(), then.begin(), then.end()));
    CHECK(copy == Chunked<int>(then));
    // What two of them have in common at their ends, as counted one by one.
    const auto headOf = [&](const std::vector<int>& a, const std::vector<int>& b) {
      return static_cast<std::size_t>(std::mismatch(a.begin(), a.end(), b.begin(), b.end()).first - a.begin());
    };
    const std::size_t head = headOf(then, plain);
    CHECK(Chunked<int>::commonHead(copy, list, same) == head);
    const std::size_t most = std::min(then.size(), plain.size()) - head;
    const std::vector<int> a(then.rbegin(), then.rend()), b(plain.rbegin(), plain.rend());
    CHECK(Chunked<int>::commonTail(copy, list, most, same) == std::min(most, headOf(a, b)));
  }
}

TEST_CASE("copies of a chunked list share all chunks but the one that was changed", "[chunked]") {
  std::vector<int> all(5 * kChunk + 7);
  std::iota(all.begin(), all.end(), 0);
  const Chunked<int> list(all);
  Chunked<int> other = list;
  const std::size_t changed = 2 * kChunk + 3;
  other.set(changed, -1);
  int shared = 0;
  for (std::size_t c = 0; c < 6; ++c) shared += &list[c * kChunk] == &other[c * kChunk];
  CHECK(shared == 5);
  CHECK(list[changed] == static_cast<int>(changed));
  CHECK(other[changed] == -1);
  CHECK_FALSE(list == other);
  other.set(changed, static_cast<int>(changed));
  CHECK(list == other);
  // Shared chunks are not looked into.
  int asked = 0;
  const auto counting = [&](int a, int b) {
    ++asked;
    return a == b;
  };
  Chunked<int> last = list;
  last.set(all.size() - 1, -1);
  CHECK(Chunked<int>::commonHead(list, last, counting) == all.size() - 1);
  CHECK(asked <= 7);
  // Erasing leaves what lies before it shared.
  other = list;
  other.erase(3 * kChunk);
  CHECK(&other[0] == &list[0]);
  CHECK(&other[2 * kChunk] == &list[2 * kChunk]);
  CHECK(other[3 * kChunk] == static_cast<int>(3 * kChunk + 1));
  CHECK(Chunked<int>().begin() == Chunked<int>().end());
  CHECK(list.end() - list.begin() == static_cast<std::ptrdiff_t>(all.size()));
  CHECK(*(list.begin() + 130) == 130);
  CHECK(list.begin()[64] == 64);
  CHECK(list.begin() < list.end());
}
