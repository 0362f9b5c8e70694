// A FileWatch watches files with a thread of its own, so that a network mount that hangs keeps nobody waiting.
#pragma once

#include <QFileSystemWatcher>
#include <QObject>
#include <QStringList>
#include <QThread>

namespace ivrin::app {

class FileWatch : public QObject {
  Q_OBJECT
 public:
  explicit FileWatch(QObject* parent = nullptr);
  ~FileWatch() override;
  /// These from now on, those that are there, and their folders: a file that is replaced is another one.
  void watch(const QStringList& files);
  /// Asked to watch, and not doing so yet.
  bool beginning() const { return beginning_ > 0; }

 signals:
  /// One of them was written, replaced or removed, or something happened beside it.
  void changed();

 private:
  QThread thread_;
  QFileSystemWatcher* watcher_; // of the thread
  int beginning_ = 0;
};

} // namespace ivrin::app
