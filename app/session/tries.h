// Tries lets the chosen ornament be heard in four variations one after another; keeping one, or none, ends them.
// However many are listened to, they are one step of undo.
#pragma once

#include "app/session/session.h"
#include "manners/tries.h"

namespace ivrin::app {

class Tries : public QObject {
  Q_OBJECT
 public:
  explicit Tries(Session& session);
  bool running() const { return !before_.id.empty(); }
  /// Of the chosen ornament; begun again while they run: four others. The first is heard at once.
  void begin();
  /// 0..3.
  void hear(int which);
  /// Which is heard.
  int heard() const { return heard_; }
  const std::array<Ornament, kTries>& all() const { return tries_; }
  void keep();
  /// The ornament as it was.
  void none();

 signals:
  /// Begun, ended, or another one heard.
  void changed();
  void heardAnother();

 private:
  void end();
  Session& session_;
  Ornament before_; // empty id: none run
  std::array<Ornament, kTries> tries_;
  int round_ = 0, heard_ = 0;
  bool editing_ = false;
};

} // namespace ivrin::app
