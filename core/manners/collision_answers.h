// What can be done at one press about a tail that meets the next phrase, or a swell that lies over the one before.
#pragma once

#include "analysis/collisions.h"
#include "ornaments/kind.h"

namespace ivrin {

enum class CollisionAnswer {
  duck,    // turned down under the phrase
  cut,     // ended where it begins; a swell: begun where it ends
  shorten, // less feedback or decay, so that it is gone by then
};

/// The ornament changed so that it no longer meets the phrase (24 dB under it, see findCollisions). `collision` is the
/// first that was found. Nothing where the kind has no setting for it, or where it would change nothing.
std::optional<Ornament> answered(const Kind& kind, const Placed& p, CollisionAnswer answer, const Collision& collision);

/// What an answer does to this kind there, in a word for its button and a sentence.
struct AnswerWords {
  std::string word, meaning;
};
AnswerWords answerWords(const Kind& kind, const Placed& p, CollisionAnswer answer, const Collision& collision);

} // namespace ivrin
