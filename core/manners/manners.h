// What the core asks of a kind beyond its sound: how it is placed at its first key press, what the key does when it is
// pressed again, and which of its settings are heard as the others stand. One file for each kind, one line in the list
// (all_manners.cpp); a test walks the list against allKinds(). Nothing falls back silently.
#pragma once

#include "analysis/openings.h"
#include "analysis/phrases.h"
#include "ornaments/kind.h"

#include <algorithm>
#include <string_view>

namespace ivrin {

/// What a first press listens to.
struct Surroundings {
  /// The row before its own ornaments; any row may be asked for. The mix is what every other row has come to.
  std::function<RowReader(const std::string& row)> before;
  /// The mix after its own ornaments and its gain, before the limiter. May be empty: then nobody asks.
  std::function<void(Frames, StereoSpan)> wholeMix{};
  /// Phrases of the row the ornament is placed on.
  std::vector<FrameRange> phrases;
  /// How long that row takes to fall by 60 dB by itself: its room, or its ring; 0: it stops at once.
  double decaySeconds = 0;
};

/// What a first press heard, and what it did about it. said_of_press.h has it in words.
struct Heard {
  std::string refusal;           // nothing is placed, and why; mostly empty
  double sourceLufs = -200;      // loudest window of what is taken
  double roomSeconds = 0;        // as in Surroundings
  std::optional<Beats> next;     // where the row's next phrase starts, within reach
  std::optional<Beats> previous; // where its previous phrase ends, of what leads in
  bool runs = false;             // the row does not rest within two bars
  enum class Level { none, asMeant, raised, heldUnderSource, heldInMix, heldForLows };
  Level level = Level::none;
  double overSourceLu = 0;            // its loudest window against the source's
  std::optional<double> underMixLu;   // its loudest 400 ms under the mix's, where there is a mix
  std::optional<double> lowCutHz;     // where it was chosen by what is there
  bool cutAtNext = false;             // it is ended where the next phrase starts
  std::optional<double> attackKeptMs; // the row returns so much earlier, so that its attack is whole
};

/// What is wanted of an ornament whatever fits: laid over what its manners chose before its level is fitted.
struct PressWish {
  Settings settings;
  std::vector<Processor> finish; // in front of what its manners put there
  void layOver(Ornament& o) const {
    for (const auto& [key, value] : settings) o.settings[key] = value;
    for (const Processor& p : finish)
      if (std::find(o.finish.begin(), o.finish.end(), p) == o.finish.end()) o.finish.insert(o.finish.begin(), p);
  }
};

/// Where a key was pressed.
struct PressedAt {
  const Kind& kind;
  const Song& song;
  const SongContext& context;
  const Surroundings& around;
  const PressWish* wish = nullptr;
};

/// What a key pressed again on the same stretch does.
struct PressedAgain {
  std::optional<Ornament> next; // nothing: `why`
  std::string word;             // as undo says it: "shape"
  std::string why;              // there is nothing more to do, as the measure line says it
};

class Manners {
 public:
  virtual ~Manners() = default;
  /// Id of the kind.
  virtual std::string_view kind() const = 0;
  /// First press: `o` has its place; settings, finish, landing and length are fitted to it, to sound right untouched.
  virtual Heard fit(Ornament& o, const PressedAt& at) const = 0;
  /// How well it suits an opening, 0: not at all. The kinds that suit are offered with the best first.
  virtual int suits(Opening::Kind /*opening*/) const { return 0; }
  /// Whether what it computes stands for its row's sound: of several on one place one would take the other's away.
  virtual bool replacesRow() const { return false; }
  /// Whether it is heard itself, so that its gain turns it down.
  virtual bool sounds() const { return true; }
  /// An ornament of this kind that does to a row, over a stretch, what a processor does; nothing where it is no kind
  /// for that.
  virtual std::optional<Ornament> treating(const std::string& /*row*/, BeatRange /*stretch*/,
                                           const Processor& /*how*/) const {
    return std::nullopt;
  }
  /// Whether there must be something to hear in the stretch that is pressed on.
  virtual bool needsSound() const { return true; }
  /// Where a key pressed without a selection places it, by the landing that bars are counted to; nothing where it needs
  /// a selection.
  virtual std::optional<BeatRange> stretchAt(const TempoMap& /*map*/, Beats /*landing*/) const { return std::nullopt; }
  /// Where a key pressed while another ornament is open, and nothing selected, places it: after that one, up to the
  /// next landing, which both are tied to then. Empty where there is no room; nothing where the kind does not follow.
  virtual std::optional<BeatRange> stretchAfter(const Ornament& /*open*/, const SongContext& /*context*/,
                                                const Song& /*song*/) const {
    return std::nullopt;
  }
  /// Whether `o` is what a first press on this stretch of its row left there.
  virtual bool standsOn(const Ornament& o, BeatRange stretch) const = 0;
  /// The key pressed again on it; nothing where the kind has no second meaning: then it is a first press.
  virtual std::optional<PressedAgain> again(const Ornament& o, const Song& song) const = 0;
  /// What a hand may do next with what a first press has placed, as the measure line says it; `key` is the kind's.
  virtual std::string nextPress(const std::string& key) const = 0;
  /// The settings that make it grow for as long as nothing cuts it; none: it falls by itself.
  virtual std::vector<std::string_view> growsBy(const Settings&) const { return {}; }
  /// Whether a setting makes any difference to what is heard as the others stand.
  virtual bool isHeard(const Settings& now, std::string_view key) const = 0;
};

/// The manners of every kind, in the order of allKinds().
const std::vector<const Manners*>& allManners();
/// Every kind has its own; for one that is not in the list nothing is returned (kinds of tests).
const Manners* mannersOf(std::string_view kind);
/// The kinds that suit an opening, the best first.
std::vector<std::string> suiting(Opening::Kind opening);

} // namespace ivrin
