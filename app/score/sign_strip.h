// The SignStrip appears by a selection and offers the kinds: sign, name, key.
#pragma once

#include <QWidget>

namespace ivrin::app {

class SignStrip : public QWidget {
  Q_OBJECT
 public:
  explicit SignStrip(QWidget* parent);
  /// What a dragged sign carries: the id of its kind.
  static constexpr const char* kMime = "application/x-ivrin-sign";

 protected:
  void paintEvent(QPaintEvent*) override;

 signals:
  void picked(const QString& kind);
};

} // namespace ivrin::app
