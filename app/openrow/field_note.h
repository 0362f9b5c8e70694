// The FieldNote is a small card under a field while something is typed into it: what may be typed, or why what stands
// there is not a value.
#pragma once

#include <QWidget>

namespace ivrin::app {

class FieldNote : public QWidget {
 public:
  /// A child of the field's window, so that nothing cuts it off. `field` must outlive it.
  explicit FieldNote(QWidget* field);
  void say(const QString& text, bool refuses);
  const QString& text() const { return text_; }

 protected:
  void paintEvent(QPaintEvent*) override;

 private:
  QWidget* field_;
  QString text_;
  bool refuses_ = false;
};

} // namespace ivrin::app
