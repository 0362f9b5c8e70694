#include "app/score/row_head.h"

#include "app/theme/focus_frame.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/row_words.h"
#include "song/edits.h"
#include "song/settings/setting_text.h"

#include <QContextMenuEvent>
#include <QInputDialog>
#include <QKeyEvent>
#include <QPainter>

namespace ivrin::app {
namespace {

constexpr int kDragFromPixels = 6;

const SettingSpec& gainSpec() {
  static const SettingSpec s{.key = "row_gain_db",
                             .label = QT_TRANSLATE_NOOP("core", "gain"),
                             .unit = "dB",
                             .min = -60,
                             .max = 12,
                             .initial = 0.0,
                             .meaning = QT_TRANSLATE_NOOP("core", "Level of this row in the mix."),
                             .group = "row",
                             .step = 0.5};
  return s;
}

/// The gain as bare digits on the name's second line; dragged, wheeled, stepped, typed after Enter.
class GainDigits : public NumberField {
 public:
  using NumberField::NumberField;
  QSize sizeHint() const override { return {scaled(44), scaled(20)}; }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    const Palette& c = paper();
    p.setFont(sans(12));
    p.setPen(hasFocus() || underMouse() ? c.ink : c.quiet);
    QString text = QString::number(value().number() ? *value().number() : 0.0, 'f', 1);
    text.replace('-', QChar(0x2212));
    p.drawText(rect(), Qt::AlignLeft | Qt::AlignVCenter, text);
    if (hasFocus()) paintFocusFrame(p, rect());
  }
};

} // namespace

RowHead::RowHead(Session& session, const std::string& row, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , row_(row) {
  const QString name = QString::fromStdString(session.song().rowName(row));
  setAccessibleName(name);
  setObjectName(QStringLiteral("row-") + QString::fromStdString(row));
  if (row == kMixRow) return;
  mute_ = new InkButton(tr("m"), this);
  solo_ = new InkButton(tr("s"), this);
  for (InkButton* b : {mute_, solo_}) {
    b->setCheckable(true);
    b->setTextPx(12);
  }
  mute_->setAccessibleName(tr("Mute %1").arg(name));
  mute_->setToolTip(tr("Mute %1 with its ornaments.").arg(name));
  solo_->setAccessibleName(tr("Solo %1").arg(name));
  solo_->setToolTip(tr("Solo %1. Exports ignore solo.").arg(name));
  connect(mute_, &QAbstractButton::clicked, this, [this](bool on) {
    RowMix m = session_.song().rowMix(row_);
    m.mute = on;
    apply(on ? tr("mute") : tr("unmute"), m, {});
  });
  connect(solo_, &QAbstractButton::clicked, this, [this](bool on) {
    RowMix m = session_.song().rowMix(row_);
    m.solo = on;
    apply(tr("solo"), m, {});
  });
  auto* gain = new GainDigits(gainSpec(), this);
  gain->setAccessibleName(tr("Gain of %1").arg(name));
  connect(gain, &NumberField::changed, this, [this](const Value& v, bool merge) {
    RowMix m = session_.song().rowMix(row_);
    m.gainDb = *v.number();
    apply(tr("gain"), m, merge ? "gain-" + row_ : std::string());
  });
  connect(gain, &NumberField::settled, this, [this] { session_.settle(); });
  gain_ = gain;
  if (session.song().stem(row)) {
    find_ = new InkButton(tr("Find file…"), this);
    find_->setTextPx(12);
    find_->setWarns(true);
    find_->setObjectName(QStringLiteral("find-") + QString::fromStdString(row));
    find_->setAccessibleName(tr("Find the file of %1").arg(name));
    connect(find_, &QAbstractButton::clicked, this, &RowHead::fileWanted);
  }
  refresh();
}

void RowHead::apply(const QString& label, RowMix mix, const std::string& mergeKey) {
  session_.edit(tr("%1 of %2").arg(label, QString::fromStdString(session_.song().rowName(row_))),
                withRowMix(session_.song(), row_, mix), mergeKey);
  if (mergeKey.empty()) session_.settle();
}

void RowHead::refresh() {
  if (mute_) {
    const RowMix m = session_.song().rowMix(row_);
    mute_->setChecked(m.mute);
    solo_->setChecked(m.solo);
    static_cast<NumberField*>(gain_)->setValue(Value(m.gainDb));
    resizeEvent(nullptr);
  }
  update();
}

void RowHead::setFolded(bool folded) {
  if (folded == folded_) return;
  folded_ = folded;
  resizeEvent(nullptr);
  update();
}

void RowHead::resizeEvent(QResizeEvent*) {
  if (!mute_) return;
  const bool room = height() >= scaled(40) && !folded_;
  const bool missing = find_ && session_.stems().isMissing(row_);
  for (QWidget* w : {static_cast<QWidget*>(mute_), static_cast<QWidget*>(solo_), gain_})
    w->setVisible(room && !missing);
  if (find_) find_->setVisible(room && missing);
  if (!room) return;
  const int y = height() / 2 + scaled(1);
  mute_->setGeometry(scaled(30), y, scaled(20), scaled(20));
  solo_->setGeometry(scaled(50), y, scaled(20), scaled(20));
  gain_->setGeometry(scaled(73), y, scaled(36), scaled(20));
  if (find_) find_->setGeometry(scaled(30), y, std::min(find_->sizeHint().width(), width() - scaled(32)), scaled(20));
}

void RowHead::contextMenuEvent(QContextMenuEvent* e) {
  emit menuWanted(e->globalPos());
}

void RowHead::mousePressEvent(QMouseEvent* e) {
  pressed_ = e->button() == Qt::LeftButton && row_ != kMixRow;
  dragging_ = false;
  press_ = e->pos();
}

void RowHead::mouseMoveEvent(QMouseEvent* e) {
  if (!pressed_) return;
  if (!dragging_ && std::abs(e->pos().y() - press_.y()) < kDragFromPixels) return;
  dragging_ = true;
  setCursor(Qt::ClosedHandCursor);
  emit dragged(e->globalPosition().toPoint(), false);
}

void RowHead::mouseReleaseEvent(QMouseEvent* e) {
  const bool was = std::exchange(dragging_, false);
  pressed_ = false;
  unsetCursor();
  if (was)
    emit dragged(e->globalPosition().toPoint(), true);
  else if (e->button() == Qt::LeftButton)
    emit chosen();
}

void RowHead::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Palette& c = paper();
  const bool problem = !session_.stems().problem(row_).isEmpty();
  const bool two = mute_ && (mute_->isVisible() || (find_ && find_->isVisible()));
  const RowMix m = session_.song().rowMix(row_);
  const QString name = QString::fromStdString(session_.song().rowName(row_));
  const double px = height() < scaled(24) ? 13 : 16;
  const double y = two ? height() / 2.0 - scaled(3) : height() / 2.0 + scaled(px * 0.3);
  // A long name is shortened with an ellipsis; the tooltip has it whole.
  const bool slim = height() < scaled(44); // no room for a second line
  const int missing = problem && !two && slim ? scaled(10) : 0;
  const QString shown = shortened(name, px, false, width() - scaled(34) - scaled(2) - missing);
  drawSongText(p, QPointF(scaled(34), y), shown, px, false, problem ? c.warning : m.mute ? c.quiet : c.ink);
  const QString whole = shortened(name, 200);
  const Song& song = session_.song();
  const Stem* stem = song.stem(row_);
  const Bus* bus = song.bus(row_);
  const auto role = stem ? stem->role : bus ? bus->role : std::nullopt;
  setToolTip(problem ? QStringLiteral("%1: %2").arg(whole, session_.stems().problem(row_))
             : role  ? QStringLiteral("%1 (%2)").arg(whole, roleName(role))
                     : whole);
  if (problem) {
    p.setFont(sans(11));
    p.setPen(c.warning);
    if (slim && !two)
      p.drawText(QRect(scaled(34), 0, width() - scaled(34) - scaled(2), height()), Qt::AlignRight | Qt::AlignVCenter,
                 QStringLiteral("?"));
    else if (!two)
      p.drawText(QRect(scaled(34), static_cast<int>(y) + 2, width() - scaled(34), scaled(14)), Qt::AlignLeft,
                 tr("file missing"));
  }
}

} // namespace ivrin::app
