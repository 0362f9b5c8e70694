// A RowHead stands in the margin before a staff: the row's name, mute, solo and gain.
#pragma once

#include "app/openrow/number_field.h"
#include "app/session/session.h"
#include "app/theme/ink_button.h"

namespace ivrin::app {

class RowHead : public QWidget {
  Q_OBJECT
 public:
  RowHead(Session& session, const std::string& row, QWidget* parent);
  const std::string& row() const { return row_; }
  void refresh();
  /// Folded: the name alone.
  void setFolded(bool folded);

 signals:
  /// The name was double-clicked.
  void foldRequested();
  /// Its file is not there, and another one is to be chosen.
  void fileWanted();
  /// It was clicked.
  void chosen();
  /// What can be done with the row.
  void menuWanted(const QPoint& globalAt);
  /// It is dragged to another place, and then dropped there.
  void dragged(const QPoint& globalAt, bool dropped);

 protected:
  void mouseDoubleClickEvent(QMouseEvent*) override { emit foldRequested(); }
  void contextMenuEvent(QContextMenuEvent* e) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;

 private:
  void apply(const QString& label, RowMix mix, const std::string& mergeKey);
  Session& session_;
  std::string row_;
  InkButton* mute_ = nullptr;
  InkButton* solo_ = nullptr;
  QWidget* gain_ = nullptr;
  InkButton* find_ = nullptr; // in place of the others where the file is not there
  bool folded_ = false, pressed_ = false, dragging_ = false;
  QPoint press_;
};

} // namespace ivrin::app
