// gap: its manners.
#include "manners/fitting.h"
#include "words/words.h"

#include <algorithm>

namespace ivrin {
namespace {

class GapManners : public Manners {
 public:
  std::string_view kind() const override { return "gap"; }
  int suits(Opening::Kind opening) const override { return opening == Opening::Kind::landing ? 2 : 0; }
  bool sounds() const override { return false; }

  Heard fit(Ornament& o, const PressedAt& at) const override {
    Heard heard;
    tieToLanding(at.song, o, o.span().end);
    keepAttack(o, at, heard);
    return heard;
  }

  /// A silence from where the other one is done to its landing, or the next one.
  std::optional<BeatRange> stretchAfter(const Ornament& open, const SongContext& context,
                                        const Song& song) const override {
    const Beats done = context.map.beatAt(allKinds().find(open.kind)->doneAt({open, context}));
    BeatRange r{done, done};
    const auto next = open.landing ? song.landingById(*open.landing) : song.landingAfter(done);
    if (next) r.end = std::max(done, next->at);
    return r;
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::string nextPress(const std::string& /*key*/) const override {
    return worded("Drag its edges to change its length.");
  }
  std::optional<PressedAgain> again(const Ornament&, const Song&) const override {
    return PressedAgain{{}, {}, worded("There is a gap here already.")};
  }

  bool isHeard(const Settings&, std::string_view) const override { return true; }
};

} // namespace

const Manners& gapManners() {
  static const GapManners m;
  return m;
}

} // namespace ivrin
