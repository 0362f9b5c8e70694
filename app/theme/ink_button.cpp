#include "app/theme/ink_button.h"
#include "app/theme/focus_frame.h"

#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <QKeyEvent>

namespace ivrin::app {

InkButton::InkButton(const QString& word, QWidget* parent)
    : QAbstractButton(parent) {
  setText(word);
  setAccessibleName(word);
  setCursor(Qt::PointingHandCursor);
}

InkButton::InkButton(Mark mark, const QString& name, QWidget* parent)
    : QAbstractButton(parent)
    , mark_(mark) {
  setAccessibleName(name);
  setToolTip(name);
  setCursor(Qt::PointingHandCursor);
}

QSize InkButton::sizeHint() const {
  if (mark_) return {scaled(32), scaled(30)};
  const QFontMetrics m(serif_ ? serif(px_, italic_) : sans(px_));
  if (boxed_) return {m.horizontalAdvance(text()) + scaled(36), scaled(40)};
  return {m.horizontalAdvance(text()) + scaled(8), std::max(scaled(20), m.height() + scaled(2))};
}

bool InkButton::event(QEvent* e) {
  // Return presses the button that has the focus. The space bar plays, whatever has it.
  if (e->type() == QEvent::ShortcutOverride) {
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Return || key == Qt::Key_Enter) {
      e->accept();
      return true;
    }
  }
  return QAbstractButton::event(e);
}

void InkButton::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
    click();
  else
    QAbstractButton::keyPressEvent(e);
}

void InkButton::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Palette& c = paper();
  const QColor colour = !isEnabled()                                                ? c.barRule
                        : warns_                                                    ? c.warning
                        : isChecked() || isDown() || underMouse() || !isCheckable() ? c.ink
                                                                                    : c.quiet;
  if (mark_) {
    const double s = std::min(width(), height()) * 0.74;
    drawMark(p, *mark_, QRectF((width() - s) / 2.0, (height() - s) / 2.0, s, s), colour);
    if (isChecked() && *mark_ != Mark::play && *mark_ != Mark::stop) {
      p.setPen(QPen(c.ink, 1.6));
      p.drawLine(scaled(6), height() - 1, width() - scaled(6), height() - 1);
    }
  } else {
    if (boxed_) {
      p.fillRect(rect(), underMouse() ? c.margin : c.card);
      p.setPen(QPen(c.ink, 1));
      p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
    QFont f = serif_ ? serif(px_, italic_) : sans(px_);
    p.setFont(f);
    p.setPen(colour);
    p.drawText(rect(), Qt::AlignCenter, text());
    const int w = QFontMetrics(f).horizontalAdvance(text()), x = (width() - w) / 2, mid = height() / 2 + 1;
    p.setPen(QPen(colour, 1.3));
    if (isCheckable() && !isChecked() && strikes_) p.drawLine(x - 2, mid, x + w + 2, mid);
    if ((isCheckable() && isChecked() && !strikes_) || (warns_ && underMouse()))
      p.drawLine(x, height() - 2, x + w, height() - 2);
  }
  if (hasFocus()) paintFocusFrame(p, rect());
}

} // namespace ivrin::app
