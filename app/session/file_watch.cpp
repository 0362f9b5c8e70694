#include "app/session/file_watch.h"

#include <QFileInfo>

namespace ivrin::app {
namespace {

void watchThere(QFileSystemWatcher& watcher, const QStringList& files) {
  QStringList wanted;
  for (const QString& file : files) {
    const QFileInfo info(file);
    if (info.isFile()) wanted << file;
    if (QFileInfo(info.path()).isDir()) wanted << info.path();
  }
  wanted.removeDuplicates();
  const QStringList watched = watcher.files() + watcher.directories();
  QStringList more, less;
  for (const QString& w : wanted)
    if (!watched.contains(w)) more << w;
  for (const QString& w : watched)
    if (!wanted.contains(w)) less << w;
  if (!less.isEmpty()) watcher.removePaths(less);
  if (!more.isEmpty()) watcher.addPaths(more);
}

} // namespace

FileWatch::FileWatch(QObject* parent)
    : QObject(parent)
    , watcher_(new QFileSystemWatcher) {
  watcher_->moveToThread(&thread_);
  connect(&thread_, &QThread::finished, watcher_, &QObject::deleteLater);
  connect(watcher_, &QFileSystemWatcher::fileChanged, this, &FileWatch::changed);
  connect(watcher_, &QFileSystemWatcher::directoryChanged, this, &FileWatch::changed);
  thread_.setObjectName(QStringLiteral("file watch"));
  thread_.start();
}

FileWatch::~FileWatch() {
  thread_.quit();
  thread_.wait();
}

void FileWatch::watch(const QStringList& files) {
  ++beginning_;
  QMetaObject::invokeMethod(watcher_, [this, watcher = watcher_, files] {
    watchThere(*watcher, files);
    QMetaObject::invokeMethod(
        this, [this] { --beginning_; }, Qt::QueuedConnection);
  });
}

} // namespace ivrin::app
