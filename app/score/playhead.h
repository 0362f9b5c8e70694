// The Playhead knows where the playhead is painted on the page, and whether the page is turned with it.
#pragma once

namespace ivrin::app {

class ScoreView;
class Session;

class Playhead {
 public:
  explicit Playhead(ScoreView& view);

  /// Where it is painted, in pixels; it moves by what is said here alone, so that no part of it is left behind.
  double x() const { return x_; }
  /// Where the song plays now.
  double wanted() const;
  /// The whole page is painted, or has moved: it is painted where it is now.
  void put() { x_ = wanted(); }
  /// What is on the screen was scrolled, and it went along.
  void scrolled(double pixels) { x_ -= pixels; }
  /// While it plays the page is turned with it, until somebody looks elsewhere.
  bool follows() const { return follows_; }
  void setFollows(bool on);
  /// True where the page has to be turned; it is drawn where it is now.
  bool tick();

 private:
  ScoreView& view_;
  Session& session_;
  double x_ = -1;
  bool follows_ = true, wasPlaying_ = false;
};

} // namespace ivrin::app
