#include "app/score/sign_strip.h"

#include "app/faces/face.h"
#include "app/theme/focus_frame.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "ornaments/kind.h"

#include <QAbstractButton>
#include <QApplication>
#include <QDrag>
#include <QGridLayout>
#include <QMimeData>
#include <QMouseEvent>
#include <QPainter>

namespace ivrin::app {
namespace {

class SignButton : public QAbstractButton {
 public:
  SignButton(const TableSpec& table, QWidget* parent)
      : QAbstractButton(parent)
      , kind_(QString::fromStdString(table.id))
      , key_(QString::fromStdString(table.key)) {
    setText(asWords(table.name));
    setAccessibleName(QObject::tr("Place %1").arg(text()));
    setToolTip(QStringLiteral("%1 (%2)").arg(asWords(table.meaning), key_));
    setObjectName(QStringLiteral("place-") + kind_);
    setCursor(Qt::PointingHandCursor);
    setFocusPolicy(Qt::TabFocus);
  }
  QSize sizeHint() const override {
    return {scaled(44) + QFontMetrics(serif(16)).horizontalAdvance(text()) + scaled(30), scaled(30)};
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    const Palette& c = paper();
    if (underMouse() || hasFocus()) p.fillRect(rect(), c.margin);
    drawSign(p, kind_, QRectF(scaled(8), height() / 2.0 - scaled(8), scaled(22), scaled(16)), c.ink);
    drawSongText(p, QPointF(scaled(40), height() / 2.0 + scaled(5)), text(), 16, false, c.ink);
    p.setFont(sans(12));
    p.setPen(c.quiet);
    p.drawText(rect().adjusted(0, 0, -scaled(8), 0), Qt::AlignRight | Qt::AlignVCenter, key_.toLower());
    if (hasFocus()) paintFocusFrame(p, rect());
  }
  void enterEvent(QEnterEvent*) override { update(); }
  void leaveEvent(QEvent*) override { update(); }
  void mousePressEvent(QMouseEvent* e) override {
    press_ = e->pos();
    QAbstractButton::mousePressEvent(e);
  }
  /// Dragged away it is carried to a row.
  void mouseMoveEvent(QMouseEvent* e) override {
    if (!isDown() || (e->pos() - press_).manhattanLength() < QApplication::startDragDistance()) return;
    setDown(false);
    QPixmap picture(QSize(scaled(30), scaled(22)) * devicePixelRatioF());
    picture.setDevicePixelRatio(devicePixelRatioF());
    picture.fill(Qt::transparent);
    QPainter p(&picture);
    drawSign(p, kind_, QRectF(scaled(4), scaled(3), scaled(22), scaled(16)), paper().ink);
    p.end();
    auto* mime = new QMimeData;
    mime->setData(QString::fromLatin1(SignStrip::kMime), kind_.toUtf8());
    auto* drag = new QDrag(this);
    drag->setMimeData(mime);
    drag->setPixmap(picture);
    drag->exec(Qt::CopyAction);
  }

 private:
  QString kind_, key_;
  QPoint press_;
};

} // namespace

SignStrip::SignStrip(QWidget* parent)
    : QWidget(parent) {
  setAccessibleName(tr("Ornaments for the selection"));
  auto* grid = new QGridLayout(this);
  grid->setContentsMargins(scaled(6), scaled(6), scaled(6), scaled(6));
  grid->setSpacing(scaled(2));
  int i = 0;
  for (const Kind* k : allKinds().all()) {
    auto* b = new SignButton(k->table(), this);
    connect(b, &QAbstractButton::clicked, this,
            [this, id = QString::fromStdString(k->table().id)] { emit picked(id); });
    grid->addWidget(b, i / 4, i % 4);
    ++i;
  }
  adjustSize();
}

void SignStrip::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), paper().card);
  p.setPen(QPen(paper().ink, 1));
  p.drawRect(rect().adjusted(0, 0, -1, -1));
}

} // namespace ivrin::app
