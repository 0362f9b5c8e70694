#include "song/problem.h"

#include "words/words.h"

#include <algorithm>
#include <array>
#include <numeric>
#include <optional>
#include <utility>

namespace ivrin {

std::string_view errorName(ErrorId id) {
  static constexpr std::array<std::string_view, kErrorIdCount> names = {
      "unreadable",   "syntax",       "not-a-song",     "newer-version", "missing-field", "unknown-field",
      "wrong-type",   "out-of-range", "unknown-choice", "duplicate-id",  "dangling-id",   "bad-order",
      "unknown-kind", "out-of-reach", "missing-audio",  "broken-audio",  "bad-samples",   "refused"};
  return names[static_cast<std::size_t>(id)];
}

void Problems::add(Problem p) {
  if (list.size() < kMost && more_ == 0)
    list.push_back(std::move(p));
  else
    count(1, p.id, p.isError);
}

void Problems::append(Problems other) {
  const std::size_t more = std::exchange(other.more_, 0);
  std::optional<Problem> counted;
  if (more > 0) {
    counted = std::move(other.list.back());
    other.list.pop_back();
  }
  for (Problem& p : other.list) add(std::move(p));
  if (counted) count(more, counted->id, counted->isError);
}

void Problems::count(std::size_t n, ErrorId id, bool isError) {
  if (more_ == 0) list.push_back({id, false, {}, {}});
  more_ += n;
  list.back().isError = list.back().isError || isError;
  list.back().message = worded("and %1 more", more_);
}

std::string nearestName(std::string_view word, const std::vector<std::string>& candidates) {
  constexpr std::size_t kMostCandidates = 256, kLongestWord = 100;
  std::string best;
  if (word.size() > kLongestWord) return best;
  std::size_t bestDistance = std::max<std::size_t>(2, word.size() / 3) + 1;
  for (std::size_t n = 0; n < std::min(candidates.size(), kMostCandidates); ++n) {
    const std::string& c = candidates[n];
    if (c.size() > kLongestWord) continue;
    std::vector<std::size_t> row(c.size() + 1);
    std::iota(row.begin(), row.end(), std::size_t{0});
    for (std::size_t i = 1; i <= word.size(); ++i) {
      std::size_t diagonal = row[0];
      row[0] = i;
      for (std::size_t j = 1; j <= c.size(); ++j) {
        const std::size_t cost = diagonal + (word[i - 1] == c[j - 1] ? 0 : 1);
        diagonal = row[j];
        row[j] = std::min({row[j] + 1, row[j - 1] + 1, cost});
      }
    }
    // "gain" is "gain_db" without its unit, however many letters that is.
    const auto unitAside = [](std::string_view a, std::string_view b) {
      return !a.empty() && b.size() > a.size() && b.starts_with(a) && b[a.size()] == '_';
    };
    const std::size_t distance =
        unitAside(word, c) || unitAside(c, word) ? std::min<std::size_t>(row.back(), 1) : row.back();
    if (distance < bestDistance) {
      bestDistance = distance;
      best = c;
    }
  }
  return best;
}

std::string didYouMean(std::string_view word, const std::vector<std::string>& candidates) {
  const std::string near = nearestName(word, candidates);
  return near.empty() ? "" : worded(" (did you mean “%1”?)", near);
}

} // namespace ivrin
