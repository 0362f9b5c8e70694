// gap: its manners.
#include "manners/fitting.h"

namespace ivrin {
namespace {

class GapManners : public Manners {
 public:
  std::string_view kind() const override { return "gap"; }

  void fit(Ornament& o, const PressedAt& at) const override { tieToLanding(at.song, o, o.span().end); }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::optional<PressedAgain> again(const Ornament&, const Song&) const override {
    return PressedAgain{{}, {}, "There is a gap already."};
  }

  bool isHeard(const Settings&, std::string_view) const override { return true; }
};

} // namespace

const Manners& gapManners() {
  static const GapManners m;
  return m;
}

} // namespace ivrin
