// Exports writes the open song's audio, one export after another. A later one follows when the one under way has ended.
#pragma once

#include "app/session/jobs_of_session.h"
#include "render/export.h"

#include <QObject>
#include <QString>

#include <deque>
#include <filesystem>

namespace ivrin::app {

class Session;

class Exports : public QObject {
  Q_OBJECT
 public:
  explicit Exports(Session& session);
  void exportTo(const std::filesystem::path& folder, const ExportOptions& options);
  bool underWay() const { return !waiting_.empty(); }
  /// The one under way ends with nothing half written, and none follows.
  void cancel();

 signals:
  void exported(const QString& message, bool ok);

 private:
  struct Input {
    std::shared_ptr<const RenderPlan> plan;
    SongAudio audio;
    std::filesystem::path folder;
    ExportOptions options;
    std::function<void(const QString& what, double fraction)> told; // on the window's thread
  };
  struct Ended {
    QString message;
    bool ok;
  };
  static Ended written(const Input& in, const Run& run);
  void next();

  Session& session_;
  std::deque<Input> waiting_; // the first is under way
  Job<Input, Ended> job_;
};

} // namespace ivrin::app
