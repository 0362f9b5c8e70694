// The sound device of a session: chosen, lost, and taken up again when it is back, in words.
#pragma once

#include "playback/playback.h"
#include "services/jobs.h"

#include <QObject>
#include <QTimer>

namespace ivrin::app {

class Session;

class OutputWatch : public QObject {
  Q_OBJECT
 public:
  OutputWatch(Session& session, Playback& playback);
  /// A song of this rate is open.
  void begin(int sampleRate);
  /// There could be a device, and none can be had: nothing is heard until there is one.
  bool noSound() const { return playback_.noSound() && playback_.outputs(); }
  /// Goes on with another device, or a stand-in that keeps time, from the same place.
  void replace();
  void choose(const OutputChoice& choice);
  /// While no device could be had: looks for one, apart, and takes it. Called by itself about once a second.
  void lookForDevice();
  /// At every picture: goes on with another device where one has gone, and says so.
  void look();

 private:
  void take(const std::vector<OutputDevice>& there);
  void tell(const OutputNews& news);
  void watch();

  Session& session_;
  Playback& playback_;
  QTimer timer_;
  Job<std::shared_ptr<OutputSource>, std::vector<OutputDevice>> job_;
};

} // namespace ivrin::app
