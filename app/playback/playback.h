// Playback lets the open song be heard: it has the player, the device that it goes out through, and what is left out or
// turned down to compare. It belongs to one thread, the window's, and knows no Qt.
//
// Opening, starting and stopping a device can take seconds: Playback says what it wishes, another thread carries it out
// (openOutput), and what came of it is taken. Until then nothing asks for sound, and the playhead rests.
#pragma once

#include "play/feed_switch.h"
#include "play/player.h"
#include "play/simulated_output.h"
#include "render/render_plan.h"
#include "render/render_pool.h"

#include <functional>
#include <memory>
#include <optional>
#include <string>

namespace ivrin {

/// What happened to the output, to be told to the user.
struct OutputNews {
  enum class What {
    noSound,    // it could not be started, `detail` says why; a silent stand-in keeps time
    doesNotRun, // it said that it runs and never asked for sound; a silent stand-in keeps time
    stopped,    // mixing went wrong, `detail` says why; playing has stopped
    gone,       // it has gone; playing stopped and goes on through `detail`; empty: there is none
    none,       // another was asked for, and there is none; a silent stand-in keeps time
    chosen,     // `detail` is used from now on, as was asked for
    back        // there was none; `detail` is used from now on
  };
  What what;
  std::string detail;
};

/// A device that runs and asks its switch for sound.
struct OpenedOutput {
  OpenedOutput() = default;
  ~OpenedOutput() { stop(); }
  OpenedOutput(const OpenedOutput&) = delete;
  OpenedOutput& operator=(const OpenedOutput&) = delete;
  void stop() {
    if (output) output->stop();
  }
  FeedSwitch feed;
  std::unique_ptr<Output> output; // none: there is none, or it could not be started
  std::string why;                // it could not be started
};

/// What is to be opened, once the former one is let go: some devices belong to one stream at a time.
struct OutputWish {
  std::shared_ptr<OutputSource> outputs; // none: only to let go
  OutputChoice choice;
  int sampleRate = 48000; // of the song
  std::shared_ptr<OpenedOutput> former;
};

/// Carries out a wish; on any thread, and as long as the sound system takes. A chosen device that is not there today
/// gives way to the default one.
std::shared_ptr<OpenedOutput> openOutput(const OutputWish& wish);

class Playback {
 public:
  struct Options {
    /// Where outputs come from; without one, or where it has none, a silent stand-in keeps time.
    std::shared_ptr<OutputSource> outputs;
    OutputChoice choice;
    bool stepped = false; // playing is pumped by the stepped output
  };
  explicit Playback(Options options);
  ~Playback();
  Playback(const Playback&) = delete;
  Playback& operator=(const Playback&) = delete;

  /// A song of this rate was opened: a new player, all ornaments heard. A device that runs for this rate goes on.
  void begin(int sampleRate);
  /// None before the first song.
  Player& player() { return *player_; }
  const Player& player() const { return *player_; }
  bool begun() const { return player_ != nullptr; }
  /// None before the first song and while one is being opened.
  const Output* output() const { return current_->output.get(); }

  /// What another thread is to carry out now, one at a time; what comes of it goes to take().
  std::optional<OutputWish> takeWish();
  /// Nothing is told of a first device that runs, nor of a further try that was in vain.
  std::optional<OutputNews> take(std::shared_ptr<OpenedOutput> opened);

  /// The song as it is now. `without` leaves out what with / without compares; asked for only while that is heard.
  void show(std::shared_ptr<const RenderPlan> plan, const std::function<std::shared_ptr<const RenderPlan>()>& without,
            RenderPool& pool);

  /// What is compared: the chosen ornament. Its loudness is known once it is measured.
  struct Compared {
    std::string ornament;         // empty: all of them
    bool levelIsTheEffect = true; // then it is never matched
    std::optional<double> lufsWith{}, lufsWithout{};
  };
  void compare(Compared c);
  void setOrnamentsHeard(bool on) { heard_ = on, apply(); }
  bool ornamentsHeard() const { return heard_; }
  void setAlone(bool on) { alone_ = on, apply(); }
  bool alone() const { return alone_; }
  void setMatched(bool on) { matched_ = on, apply(); }
  bool matched() const { return matched_; }
  /// What is being turned down for equal loudness now, dB ≤ 0.
  double matchDb() const;

  /// No device could be had, and a stand-in keeps time, or the one there was has gone: nothing is heard.
  bool noSound() const { return standIn_ || (opening() && why_ == Why::gone); }
  /// One is being opened, or is about to be.
  bool opening() const { return wish_ || carriedOut_; }
  const std::shared_ptr<OutputSource>& outputs() const { return options_.outputs; }
  /// While there is no sound, now and then (about once a second): with the devices that are there now, which may take a
  /// while to find and is done on another thread. Wishes for one where there are others than when none could be had,
  /// and else every tenth time; one that never ran is not tried again until the devices change.
  void tryAgain(const std::vector<OutputDevice>& there);

  const OutputChoice& choice() const { return options_.choice; }
  /// Goes on through another device, or a stand-in, from the same place; what plays plays on.
  void choose(const OutputChoice& choice);
  /// At every picture: what has become of the device. Another one is wished for where it has gone.
  std::optional<OutputNews> look();

 private:
  enum class Why { first, chosen, gone, again, neverRan };
  void wish(Why why, std::shared_ptr<OpenedOutput> former);
  std::shared_ptr<OpenedOutput> letGo();
  void use(std::shared_ptr<OpenedOutput> opened);
  void useStandIn();
  void apply();

  Options options_;
  std::unique_ptr<Player> player_;
  std::shared_ptr<OpenedOutput> current_ = std::make_shared<OpenedOutput>(); // goes before the player, whom it asks
  std::optional<OutputWish> wish_;
  bool carriedOut_ = false; // one is, by another thread
  Why why_ = Why::first;
  int sampleRate_ = 0; // that the device was started for
  Compared compared_;
  bool heard_ = true, alone_ = false, matched_ = false;
  bool asked_ = false; // the device in use has asked for sound at least once
  bool standIn_ = false;
  // What was there when none could be had; nothing: not known.
  std::optional<std::vector<std::string>> refused_ = std::vector<std::string>();
  bool neverRan_ = false;
  int passed_ = 0; // tries since
};

} // namespace ivrin
