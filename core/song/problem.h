// What is wrong with a file or a song: a stable id, the place, and what a person reads.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace ivrin {

enum class ErrorId {
  unreadable,    // the file cannot be opened or is too large
  syntax,        // not strict JSON
  not_a_song,    // "format" is missing or another
  newer_version, // written by a later Ivrin
  missing_field,
  unknown_field,
  wrong_type,
  out_of_range,
  unknown_choice,
  duplicate_id,
  dangling_id,
  bad_order,    // tempo, meter or curve positions that do not ascend, meter off the bar line
  unknown_kind, // an ornament or processor this version does not have
  out_of_reach, // an audio path outside the allowed folders
  missing_audio,
  broken_audio, // truncated, not audio, zero frames, too many channels
  bad_samples,  // NaN or infinite samples
  refused,      // legal values whose combination cannot be computed
};
inline constexpr int kErrorIdCount = 18;

/// As printed and as in `check --json`: "unreadable", "syntax", …
std::string_view errorName(ErrorId id);

struct Problem {
  ErrorId id;
  bool isError = true; // false: worth knowing, the work can go on
  std::string place;   // "ornaments[0].settings.feedback_percent", or "line 3, column 7"
  std::string message;
  std::string text() const { return place.empty() ? message : place + ": " + message; }
};

struct Problems {
  static constexpr std::size_t kMost = 200;
  std::vector<Problem> list; // the first kMost, then one that counts the others
  void add(Problem p);
  /// All of another list, counted on.
  void append(Problems other);
  void error(ErrorId id, std::string place, std::string message) {
    add({id, true, std::move(place), std::move(message)});
  }
  void note(ErrorId id, std::string place, std::string message) {
    add({id, false, std::move(place), std::move(message)});
  }
  bool hasErrors() const {
    for (const auto& p : list)
      if (p.isError) return true;
    return false;
  }

 private:
  void count(std::size_t n, ErrorId id, bool isError);
  std::size_t more_ = 0; // counted by the last of the list
};

/// The candidate with the smallest edit distance (Levenshtein 1966), empty when none is near. Of many candidates the
/// first 256 are looked at, and none longer than a name is: what a file says must not cost more than reading it.
std::string nearestName(std::string_view word, const std::vector<std::string>& candidates);
/// ` (did you mean "x"?)` or nothing.
std::string didYouMean(std::string_view word, const std::vector<std::string>& candidates);

} // namespace ivrin
