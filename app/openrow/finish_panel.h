// The FinishPanel shows one processor of the finish: its drawing with handles, and its numbers beside it. It lies over
// the numbers of the kind until it is closed.
#pragma once

#include "app/openrow/finish_shapes.h"
#include "app/openrow/number_field.h"
#include "app/session/session.h"

#include <QWidget>

namespace ivrin::app {

class FinishPanel : public QWidget {
  Q_OBJECT
 public:
  FinishPanel(Session& session, QWidget* parent);
  /// Shows processor `index` of the ornament; hides itself where there is none.
  void show(const Ornament& o, int index);
  int index() const { return index_; }
  void setCurveShown(const std::string& key);
  NumberField* field(const std::string& key) const;
  /// Where a handle lies, in the widget; empty where there is none.
  QRectF handleRect(const QString& name) const;
  QRectF drawing() const;
  /// What a level has turned it up or down by, and the wet level that is heard on top of that.
  QString matchWords(double matchedDb) const;

 signals:
  /// Return ended the typing in one of its numbers.
  void typed();
  /// The curve of one of its settings is wanted in the editor.
  void curveRequested(const std::string& key);

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override { layOut(); }
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;

 private:
  void paintShape(QPainter& p, const FinishShape& s);
  void paintHandles(QPainter& p, const FinishShape& s);
  void paintNotes(QPainter& p, const Processor& one, const FinishShape& s);
  void build(const TableSpec& table);
  void layOut();
  void apply(Settings settings, const QString& word, bool merge);
  QString handleAt(QPointF p) const;
  QPointF unitOf(QPointF p) const;
  QPointF placeOf(QPointF unit) const;
  FinishContext context() const;
  const Processor* processor() const;

  Session& session_;
  Ornament ornament_;
  int index_ = -1;
  std::string type_;
  std::vector<NumberField*> fields_;
  QString held_, hover_;
  std::optional<Processor> before_; // at the press
};

} // namespace ivrin::app
