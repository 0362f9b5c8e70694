// reverse: its manners.
#include "manners/fitting.h"
#include "words/words.h"

namespace ivrin {
namespace {

class ReverseManners : public Manners {
 public:
  std::string_view kind() const override { return "reverse"; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    Heard heard;
    tieToLanding(at.song, o, o.span().end);
    keepAttack(o, at, heard);
    return heard;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::optional<PressedAgain> again(const Ornament&, const Song&) const override {
    return PressedAgain{{}, {}, worded("It is reversed already.")};
  }

  bool isHeard(const Settings&, std::string_view) const override { return true; }
};

} // namespace

const Manners& reverseManners() {
  static const ReverseManners m;
  return m;
}

} // namespace ivrin
