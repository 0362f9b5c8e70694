// Playback lets the open song be heard: it has the player, the device that it goes out through, and what is left out or
// turned down to compare. It belongs to one thread, the window's, and knows no Qt.
#pragma once

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
    gone,       // it has gone; playing stopped and goes on through `detail`
    back        // there was none; `detail` is used from now on
  };
  What what;
  std::string detail;
};

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

  /// A song of this rate was opened: a new player, all ornaments heard.
  std::optional<OutputNews> begin(int sampleRate);
  /// None before the first song.
  Player& player() { return *player_; }
  const Player& player() const { return *player_; }
  bool begun() const { return player_ != nullptr; }
  Output& output() { return *output_; }

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

  /// No device could be had: a stand-in keeps time, and nothing is heard.
  bool noSound() const { return standIn_; }
  const std::shared_ptr<OutputSource>& outputs() const { return options_.outputs; }
  /// While there is no sound, now and then (about once a second): with the devices that are there now, which may take a
  /// while to find and is done on another thread. Takes one where there are others than when none could be had, and
  /// else every tenth time; one that never ran is not tried again until the devices change. Nothing to tell as long as
  /// there is none. Show the plan again where there is.
  std::optional<OutputNews> tryAgain(const std::vector<OutputDevice>& there);

  const OutputChoice& choice() const { return options_.choice; }
  void choose(const OutputChoice& choice) { options_.choice = choice; }
  /// Goes on through another device, or a stand-in, from the same place. Show the plan again afterwards.
  std::optional<OutputNews> replaceOutput();
  /// At every picture: what has become of the device. Where `what` is `gone` another one was taken.
  std::optional<OutputNews> look();

 private:
  std::unique_ptr<Output> openDevice() const;
  std::unique_ptr<Output> anyOutput();
  std::optional<OutputNews> start(int sampleRate);
  void useStandIn();
  void apply();

  Options options_;
  std::unique_ptr<Output> output_;
  std::unique_ptr<Player> player_;
  int sampleRate_ = 48000;
  Compared compared_;
  bool heard_ = true, alone_ = false, matched_ = false;
  bool asked_ = false; // the device in use has asked for sound at least once
  bool standIn_ = false;
  // What was there when none could be had; nothing: not known yet.
  std::optional<std::vector<std::string>> refused_ = std::vector<std::string>();
  bool neverRan_ = false;
  int passed_ = 0; // tries since
};

} // namespace ivrin
