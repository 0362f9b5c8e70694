// What can be done at one press about a tail that meets the next phrase, a swell that lies over the one before, or what
// covers another row.
#pragma once

#include "analysis/collisions.h"
#include "ornaments/kind.h"

namespace ivrin {

enum class CollisionAnswer {
  duck,    // turned down under the phrase, or under the row
  cut,     // ended where it begins; a swell: begun where it ends
  shorten, // less feedback or decay, so that it is gone by then
  thin,    // less in the octaves in which it lies over another row
  pan,     // to the side where another row is not
  move,    // taken from an earlier word, so that it is over by then
};
inline constexpr int kCollisionAnswers = 6;

/// The ornament changed so that it no longer meets the phrase (24 dB under it, see findCollisions), or lies 12 dB under
/// another row. `collision` is the first that was found. Nothing where the kind has no setting for it, or where it
/// would change nothing, or take all of it away.
std::optional<Ornament> answered(const Kind& kind, const Placed& p, CollisionAnswer answer, const Collision& collision);

/// What an answer does to this kind there, in a word for its button and a sentence.
struct AnswerWords {
  std::string word, meaning;
};
AnswerWords answerWords(const Kind& kind, const Placed& p, CollisionAnswer answer, const Collision& collision);

/// From here on what lies over another row is told, and its answers offered: it is as loud as that row or louder.
inline constexpr double kAnsweredOverDb = 0;

} // namespace ivrin
