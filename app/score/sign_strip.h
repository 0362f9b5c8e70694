// The strip of signs that appears by a selection: sign, name, key.
#pragma once

#include <QWidget>

namespace ivrin::app {

class SignStrip : public QWidget {
  Q_OBJECT
 public:
  explicit SignStrip(QWidget* parent);

 protected:
  void paintEvent(QPaintEvent*) override;

 signals:
  void picked(const QString& kind);
};

} // namespace ivrin::app
