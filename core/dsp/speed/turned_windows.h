// A sound drawn out or pressed together at its pitch, in one band of frequencies: windows of it are laid further apart
// or closer, and each peak of their spectra is turned on by what it turns in the time between (a phase vocoder with
// identity phase locking: J. Laroche and M. Dolson, "Improved phase vocoder time-scale modification of audio", IEEE
// Trans. Speech and Audio Processing 7(3), 1999).
// At an attack the windows begin anew: those before it do not hear it; the first one after it is left as it is, but for
// what sounded before and goes on, which turns on (after A. Röbel, "A new approach to transient processing in the phase
// vocoder", DAFx 2003); each of the others joins in where all that it says lies behind the attack. So an attack is
// heard once, as it was, and never ahead of itself.
#pragma once

#include "audio/buffer.h"
#include "dsp/measure/fourier.h"

#include <memory>
#include <vector>

namespace ivrin {

/// What windows are cut from: the frames from `from` on.
struct WindowSource {
  StereoBuffer sound;
  std::int64_t from = 0;
  std::int64_t end() const { return from + sound.frames(); }
  void letGo(std::int64_t before);
};

/// A frame of the source and where it comes to in the output.
struct WindowPlace {
  std::int64_t in = 0, out = 0;
};

class TurnedWindows {
 public:
  /// Windows of `window` frames, a multiple of 16. What lies over `fromHz` and under `toHz` passes, with edges of an
  /// octave about them that add up to all; 0 and half the rate or more: no edge.
  /// `overlap` of them lie over each frame.
  TurnedWindows(std::int64_t window, std::int64_t overlap, double fromHz, double toHz, double sampleRate);
  std::int64_t window() const { return window_; }
  std::int64_t hop() const { return window_ / overlap_; }
  /// An attack so near to the one before it is a part of it.
  std::int64_t least() const { return hand_ + 1; }

  /// From nothing: the first window lies about source frame `origin` and output frame 0.
  void begin(std::int64_t origin);
  /// Power of the attack that the present segment begins with over what sounded before it; 1: none.
  void roseBy(double rise);
  /// The middle of the last window, source frame.
  std::int64_t last() const { return last_.in; }
  /// Where the present segment begins, source frame.
  std::int64_t segment() const { return segment_.in; }
  /// The next window's middle where the output goes `faster` times as fast as the source.
  std::int64_t next(double faster) const;
  /// Adds a window, which hears nothing from the next attack on. The source holds window()/2 + hop() frames before its
  /// middle, and window()/2 after it.
  void add(const WindowSource& source, WindowPlace at, WindowPlace attack);
  /// As add() where it is silent for a window and a half about the place: costs nothing.
  void pass(WindowPlace at);
  /// The last window's middle is an attack that rose so far: adds the first one after it.
  void beginAnew(const WindowSource& source, double rise, WindowPlace attack);

  /// All before this output frame is done.
  std::int64_t doneTo() const { return windows_ == 0 ? -window_ : last_.out - window_ / 2; }
  /// Adds to `out` what lies from output frame `from` on: done, and not let go.
  void read(std::int64_t from, StereoSpan out);
  /// Nothing before this output frame will be read; what has not been laid yet need not be.
  void letGo(std::int64_t before);

 private:
  struct Spectrum {
    std::int64_t at = 0;
    RealFourier::Bins left, right;
  };
  /// A peak and its region: bins; how far it has been turned (radians), how fast it turns (radians a frame).
  struct Peak {
    std::int64_t bin, from, to;
    double by = 0, speed = 0;
    double cosine = 1, sine = 0; // of `by`, once it is laid
  };
  bool look(const WindowSource& source, std::int64_t at, std::int64_t attack, Spectrum& to);
  Spectrum spare();
  void forget();
  void findPeaks(const Spectrum& s);
  void turn(const Spectrum& now, std::int64_t frames, bool cut);
  void keepTurning();
  void lay(const Spectrum& now, bool sounds, WindowPlace attack);

  std::int64_t window_, overlap_;
  std::int64_t hand_, alone_, joins_;    // frames
  std::int64_t fromBin_ = 0, toBin_ = 0; // that pass at all
  std::shared_ptr<const RealFourier> fourier_;
  std::vector<float> shape_, gate_, pass_;
  RealFourier::Samples samples_;
  RealFourier::Bins work_;
  std::vector<Spectrum> before_, spares_; // of this segment, the latest last
  std::vector<float> power_;
  std::vector<Peak> peaks_, peaksBefore_;

  StereoBuffer sum_;
  std::vector<float> weight_;
  std::int64_t sumFrom_ = 0, divided_ = 0; // output frames: of the first one kept; all before it have been divided
  WindowPlace last_, segment_;
  bool first_ = true;    // the next window is its segment's first
  float turnedDown_ = 1; // the attack, for all windows but that one
  std::int64_t windows_ = 0;
};

/// Layers whose sum is all of a sound: long windows for the lows, where partials lie close, shorter ones for the rest.
/// `width` of the windows, 1/2..1.
std::vector<TurnedWindows> stretchLayers(double sampleRate, double width);

} // namespace ivrin
