// The OutputWatch keeps the sound device of a session: it is opened, chosen, lost, and taken up again when it is back,
// and each of that is said in words. Devices are found, opened and stopped by jobs.
#pragma once

#include "playback/playback.h"
#include "services/jobs.h"

#include <QObject>
#include <QTimer>

#include <functional>

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
  /// One is being opened: what plays waits for it.
  bool opening() const { return playback_.opening(); }
  /// Goes on with another device, or a stand-in that keeps time, from the same place.
  void choose(const OutputChoice& choice);
  /// Looks for the devices there are, by a job: that can take seconds.
  void findDevices(std::function<void(const std::vector<OutputDevice>&)> then);
  /// While no device could be had: looks for one, apart, and takes it. Called by itself about once a second.
  void lookForDevice();
  /// At every picture: goes on with another device where one has gone, and says so.
  void look();

 private:
  /// Carries out what the playback wishes, by a job.
  void open();
  void take(std::shared_ptr<OpenedOutput> opened);
  void tell(const OutputNews& news);
  void watch();

  Session& session_;
  Playback& playback_;
  QTimer timer_;
  std::function<void(const std::vector<OutputDevice>&)> wanted_;
  Job<std::shared_ptr<OutputSource>, std::vector<OutputDevice>> lookJob_, listJob_;
  Job<OutputWish, std::shared_ptr<OpenedOutput>> openJob_;
};

} // namespace ivrin::app
