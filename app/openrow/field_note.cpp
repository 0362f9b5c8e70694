#include "app/openrow/field_note.h"

#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <QPainter>

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kWidest = 420, kPadding = 8;

} // namespace

FieldNote::FieldNote(QWidget* field)
    : QWidget(field->window())
    , field_(field) {
  setObjectName(QStringLiteral("field-note"));
  setAttribute(Qt::WA_TransparentForMouseEvents);
  hide();
}

void FieldNote::say(const QString& text, bool refuses) {
  text_ = text;
  refuses_ = refuses;
  setAccessibleName(text);
  if (text.isEmpty()) return hide();
  const int pad = scaled(kPadding);
  const QRect need =
      QFontMetrics(sans(12.5)).boundingRect(QRect(0, 0, scaled(kWidest), 1000), Qt::TextWordWrap | Qt::AlignLeft, text);
  const QSize size(need.width() + 2 * pad + 2, need.height() + pad);
  const QRect around = parentWidget()->rect();
  // Under the field; over it at the window's foot.
  QPoint at = field_->mapTo(parentWidget(), QPoint(0, field_->height() + scaled(2)));
  if (at.y() + size.height() > around.bottom())
    at.setY(field_->mapTo(parentWidget(), QPoint(0, 0)).y() - size.height() - scaled(2));
  at.setX(std::max(0, std::min(at.x(), around.right() - size.width())));
  setGeometry(QRect(at, size));
  show();
  raise();
  update();
}

void FieldNote::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Palette& c = paper();
  p.fillRect(rect(), c.card);
  p.setPen(QPen(refuses_ ? c.warning : c.barRule, 1));
  p.drawRect(rect().adjusted(0, 0, -1, -1));
  p.setFont(sans(12.5));
  p.setPen(refuses_ ? c.warning : c.quiet);
  p.drawText(rect().adjusted(scaled(kPadding), 0, -scaled(kPadding), 0), Qt::AlignVCenter | Qt::TextWordWrap, text_);
}

} // namespace ivrin::app
