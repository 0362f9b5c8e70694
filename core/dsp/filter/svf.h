// Second-order state-variable filter in trapezoidal form: V. Zavalishin, "The Art of VA Filter Design" (2012),
// section 4; computed as in A. Simper, "Linear Trapezoidal Integrated SVF" (2013). 12 dB per octave, stable for any
// cutoff below half the sample rate, and under modulation.
#pragma once

#include <cstdint>

namespace ivrin {

// States of a filter under this are rest: far under the smallest float, no sample can tell them from none.
inline constexpr double kRestingState = 1e-60;

class StereoSvf {
 public:
  enum class Pass { low, high, band }; // band: 1 at its middle
  /// `cutoffHz` is limited to 0.49·sampleRate; `q` 0.7071 is Butterworth.
  StereoSvf(Pass pass, double cutoffLeftHz, double cutoffRightHz, double sampleRate, double q = 0.70710678118654752);
  /// Both sides; may be called at any time.
  void setCutoff(double hz) { setCutoff(hz, hz); }
  void setCutoff(double leftHz, double rightHz);
  void process(float* left, float* right, std::int64_t frames);
  /// With a cutoff that moves in a straight line (warped as the bilinear transform has it) from `fromHz` to `toHz` over
  /// `over` frames, of which these are those from `first` on: nothing steps. Leaves it where it came to.
  void processMoving(float* left, float* right, std::int64_t frames, double fromHz, double toHz, std::int64_t first,
                     std::int64_t over);
  /// |H| at `hz` for one side (0 left, 1 right): the bilinear transform of the analogue prototype.
  double magnitude(int side, double hz) const;
  void reset();

 private:
  friend class SvfCascade; // has the same coefficients
  struct Side {
    double g = 0, a1 = 0, a2 = 0, a3 = 0, s1 = 0, s2 = 0;
  };
  double warped(double hz) const;
  void turn(Side& s, double g) const;
  void set(Side& s, double hz) const { turn(s, warped(hz)); }
  template <typename Turns>
  void run(float* left, float* right, std::int64_t frames, Side& l, Side& r, Turns turns) const;
  Side side_[2];
  Pass pass_;
  double k_, rate_;
};

} // namespace ivrin
