#include "app/frame/empty_page.h"

#include "app/frame/painted.h"
#include "app/theme/ink_button.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <QVBoxLayout>

namespace ivrin::app {

QWidget* emptyPage(QWidget* parent, const std::function<void()>& openDemo, const std::function<void()>& chooseStems) {
  auto* page = new Painted(
      {400, 300},
      [](QPainter& p, const QRectF& r) {
        const Palette& c = paper();
        p.fillRect(r, c.paper);
        // An empty system: five quiet staves and a double bar, waiting.
        p.setPen(QPen(c.beatRule, 1));
        for (int i = 0; i < 5; ++i)
          p.drawLine(QPointF(r.width() * 0.16, r.height() * 0.26 + i * scaled(11)),
                     QPointF(r.width() * 0.84, r.height() * 0.26 + i * scaled(11)));
        p.setPen(QPen(c.ochre, 2.4));
        p.drawLine(QPointF(r.width() * 0.84, r.height() * 0.26),
                   QPointF(r.width() * 0.84, r.height() * 0.26 + 4 * scaled(11)));
        p.setPen(QPen(c.ochre, 1.1));
        p.drawLine(QPointF(r.width() * 0.84 - 5, r.height() * 0.26),
                   QPointF(r.width() * 0.84 - 5, r.height() * 0.26 + 4 * scaled(11)));
        const QString text = QObject::tr("Drop the stems of a song here, or choose one of these.");
        drawSongText(p, QPointF((r.width() - songTextWidth(text, 24, false)) / 2, r.height() * 0.26 + scaled(110)),
                     text, 24, false, c.ink);
      },
      parent);
  page->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
  auto* column = new QVBoxLayout(page);
  column->addStretch(5);
  auto* row = new QHBoxLayout;
  row->addStretch(1);
  const auto add = [&](const QString& text, const char* name, const std::function<void()>& run) {
    auto* b = new InkButton(text, page);
    b->setBoxed(true);
    b->setSerif(true);
    b->setTextPx(18);
    b->setFocusPolicy(Qt::StrongFocus);
    b->setObjectName(QString::fromLatin1(name));
    QObject::connect(b, &QAbstractButton::clicked, page, run);
    row->addWidget(b);
  };
  if (openDemo) add(QObject::tr("Open the demo song"), "empty-demo", openDemo);
  row->addSpacing(scaled(12));
  add(QObject::tr("New from stems…"), "empty-stems", chooseStems);
  row->addStretch(1);
  column->addLayout(row);
  column->addStretch(4);
  return page;
}

} // namespace ivrin::app
