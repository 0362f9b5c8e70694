#include "app/openrow/open_title.h"

#include "app/openrow/open_drawing.h"

#include "app/theme/focus_frame.h"
#include "app/theme/palette.h"
#include "app/theme/signs.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "song/edits.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kSignX = 116, kNameX = 146, kControlsX = 470, kTitleRight = 20;
const char* const kLetters[] = {"A", "B", "C", "D"};

} // namespace

// ---------------------------------------------------------------- variants

VariantRing::VariantRing(const QString& letter, QWidget* parent)
    : QAbstractButton(parent) {
  setText(letter);
  setObjectName(QStringLiteral("variant-") + letter);
  setCursor(Qt::PointingHandCursor);
  setState(State::empty);
}

void VariantRing::setState(State s) {
  state_ = s;
  setAccessibleName(tr("Variant %1").arg(text()));
  setAccessibleDescription(s == State::live ? tr("playing") : s == State::stored ? tr("saved") : tr("empty"));
  setToolTip(s == State::live ? tr("Variant %1 (playing)").arg(text())
             : s == State::stored
                 ? tr("Variant %1: click to switch to it. Delete or the middle button deletes it.").arg(text())
                 : tr("Variant %1 is empty: click to start it as a copy.").arg(text()));
  update();
}

QSize VariantRing::sizeHint() const {
  return {scaled(24), scaled(24)};
}

void VariantRing::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Palette& c = paper();
  const double r = std::min(width(), height()) / 2.0 - 2.5;
  const QPointF m = QRectF(rect()).center();
  const bool near = underMouse() || hasFocus();
  p.setBrush(state_ == State::live ? QBrush(c.ink) : QBrush(Qt::NoBrush));
  p.setPen(QPen(state_ == State::empty && !near ? c.barRule : c.ink, near ? 1.8 : 1.2));
  p.drawEllipse(m, r, r);
  const QColor ink = state_ == State::live ? c.card : state_ == State::stored || near ? c.ink : c.quiet;
  const double w = songTextWidth(text().toLower(), 14, true);
  drawSongText(p, QPointF(m.x() - w / 2, m.y() + scaled(4)), text().toLower(), 14, true, ink);
  if (hasFocus()) paintFocusFrame(p, rect());
}

bool VariantRing::event(QEvent* e) {
  if (e->type() == QEvent::ShortcutOverride) { // with the focus on it these keys mean the variant, not the ornament
    static const QList<int> ours{Qt::Key_Delete, Qt::Key_Backspace, Qt::Key_Return, Qt::Key_Enter};
    const auto* k = static_cast<QKeyEvent*>(e);
    if (ours.contains(k->key()) && !(k->modifiers() & (Qt::ControlModifier | Qt::AltModifier))) {
      e->accept();
      return true;
    }
  }
  return QAbstractButton::event(e);
}

void VariantRing::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Delete || e->key() == Qt::Key_Backspace)
    emit forgetRequested();
  else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
    click();
  else
    QAbstractButton::keyPressEvent(e);
}

void VariantRing::mouseReleaseEvent(QMouseEvent* e) {
  if (e->button() == Qt::MiddleButton) emit forgetRequested();
  QAbstractButton::mouseReleaseEvent(e);
}

// ---------------------------------------------------------------- the title

OpenTitle::OpenTitle(Session& session, Tries& tries, SignOf drawSign, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , tries_(tries)
    , drawSign_(std::move(drawSign))
    , audition_(new InkButton(tr("Preview"), this))
    , alone_(new InkButton(tr("Solo"), this))
    , fourTries_(new InkButton(tr("Four ideas"), this))
    , close_(new InkButton(tr("Close"), this))
    , keep_(new InkButton(tr("Keep"), this))
    , others_(new InkButton(tr("Four others"), this))
    , none_(new InkButton(tr("Cancel"), this)) {
  for (int i = 0; i < kTries; ++i) {
    auto* ring = new VariantRing(QString::number(i + 1), this);
    connect(ring, &QAbstractButton::clicked, this, [this, i] { tries_.hear(i); });
    tryRings_.push_back(ring);
  }
  for (const char* letter : kLetters) {
    auto* ring = new VariantRing(QString::fromLatin1(letter), this);
    connect(ring, &QAbstractButton::clicked, this, [this, slot = std::string(letter)] {
      const Ornament* o = session_.song().ornament(ornament_.id);
      if (!o) return;
      const QString name = kindWord(o->kind);
      session_.edit(tr("variant %1 of %2").arg(QString::fromStdString(slot), name),
                    withVariant(session_.song(), o->id, slot));
      session_.settle();
    });
    connect(ring, &VariantRing::forgetRequested, this, [this, slot = std::string(letter)] {
      const Ornament* o = session_.song().ornament(ornament_.id);
      if (!o || o->variant == slot) return;
      const QString name = kindWord(o->kind);
      session_.edit(tr("delete variant %1 of %2").arg(QString::fromStdString(slot), name),
                    withoutVariant(session_.song(), o->id, slot));
      session_.settle();
    });
    variants_.push_back(ring);
  }
  for (InkButton* b : {audition_, alone_, fourTries_, close_, keep_, others_, none_}) {
    b->setSerif(true);
    b->setTextPx(16);
  }
  audition_->setToolTip(tr("Loops from a bar before the ornament to the end of its tail (A)."));
  alone_->setCheckable(true);
  alone_->setObjectName(QStringLiteral("alone"));
  alone_->setToolTip(tr("Plays only what the ornament adds (O)."));
  fourTries_->setObjectName(QStringLiteral("four-tries"));
  fourTries_->setToolTip(tr("Offers four variations to listen to. Keep one or none (Y)."));
  keep_->setToolTip(tr("Keeps the idea that is playing (Enter)."));
  others_->setToolTip(tr("Offers four other variations (Y)."));
  none_->setToolTip(tr("Keeps the ornament as it was (Esc)."));
  connect(fourTries_, &QAbstractButton::clicked, &tries_, &Tries::begin);
  connect(others_, &QAbstractButton::clicked, &tries_, &Tries::begin);
  connect(keep_, &QAbstractButton::clicked, &tries_, &Tries::keep);
  connect(none_, &QAbstractButton::clicked, &tries_, &Tries::none);
  connect(&tries_, &Tries::changed, this, [this] { setOrnament(ornament_); });
  close_->setToolTip(tr("Closes the ornament (Esc)."));
  connect(audition_, &QAbstractButton::clicked, this, &OpenTitle::auditionRequested);
  connect(alone_, &QAbstractButton::clicked, this, &OpenTitle::aloneRequested);
  connect(close_, &QAbstractButton::clicked, this, &OpenTitle::closeRequested);
}

void OpenTitle::setOrnament(const Ornament& o) {
  ornament_ = o;
  for (std::size_t i = 0; i < variants_.size(); ++i) {
    const std::string slot = kLetters[i];
    const bool stored =
        std::any_of(o.variants.begin(), o.variants.end(), [&](const Variant& v) { return v.slot == slot; });
    variants_[i]->setState(o.variant == slot ? VariantRing::State::live
                           : stored          ? VariantRing::State::stored
                                             : VariantRing::State::empty);
  }
  const bool trying = tries_.running();
  for (std::size_t i = 0; i < tryRings_.size(); ++i) {
    VariantRing* ring = tryRings_[i];
    const bool live = trying && tries_.heard() == static_cast<int>(i);
    ring->setState(live ? VariantRing::State::live : VariantRing::State::stored);
    ring->setAccessibleName(tr("Idea %1").arg(i + 1));
    ring->setToolTip(live ? tr("Playing") : tr("Play this idea (%1)").arg(i + 1));
    ring->setVisible(trying);
  }
  for (QWidget* w : std::initializer_list<QWidget*>{keep_, others_, none_}) w->setVisible(trying);
  for (QWidget* w : std::initializer_list<QWidget*>{audition_, alone_, fourTries_, close_}) w->setVisible(!trying);
  for (VariantRing* v : variants_) v->setVisible(!trying);
  alone_->setChecked(session_.playback().alone());
  layOut();
  update();
}

void OpenTitle::setAlone(bool on) {
  alone_->setChecked(on);
}

void OpenTitle::setSentence(const QString& text, bool warns) {
  sentence_ = text;
  warns_ = warns;
  update();
}

QString OpenTitle::placeWords() const {
  const Ornament& o = ornament_;
  const TempoMap& map = session_.plan()->map();
  if (!o.source.empty()) {
    const SourcePiece& s = o.source.front();
    const QString words =
        o.source.size() > 1 ? tr("at %1, source from %2 %3 and elsewhere") : tr("at %1, source from %2 %3");
    return words.arg(barWords(map, o.start), asText(session_.song().rowName(s.row.value_or(o.on))),
                     barWords(map, s.start));
  }
  const QString stretch = tr("%1 to %2").arg(barWords(map, o.start), barWords(map, o.span().end));
  return o.name.empty() ? stretch : tr("of “%1”, %2").arg(QString::fromStdString(o.name), stretch);
}

void OpenTitle::layOut() {
  const Kind* kind = allKinds().find(ornament_.kind);
  if (!kind || !session_.plan()) return;
  const double text = scaled(kNameX) + songTextWidth(asWords(kind->table().name), 19, false) + scaled(14) +
                      songTextWidth(placeWords(), 15, true);
  int x = std::max(scaled(kControlsX), static_cast<int>(text) + scaled(20));
  const int y = height() / 2;
  const bool trying = tries_.running();
  for (VariantRing* v : trying ? tryRings_ : variants_) {
    const QSize s = v->sizeHint();
    v->setGeometry(x, y - s.height() / 2, s.width(), s.height());
    x += s.width() + scaled(2);
  }
  x += scaled(16);
  for (InkButton* b : trying ? std::vector<InkButton*>{keep_, others_, none_}
                             : std::vector<InkButton*>{audition_, alone_, fourTries_, close_}) {
    const QSize s = b->sizeHint();
    b->setGeometry(x, y - scaled(12), s.width(), scaled(24));
    x += s.width() + scaled(12);
  }
}

void OpenTitle::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Palette& c = paper();
  p.fillRect(rect(), c.card);
  p.setPen(QPen(c.ink, 1.6));
  p.drawLine(0, 0, width(), 0);
  const Kind* kind = allKinds().find(ornament_.kind);
  if (!kind || !session_.plan()) return;
  drawSign_(p, QString::fromStdString(ornament_.kind),
            QRectF(scaled(kSignX), height() / 2.0 - scaled(9), scaled(24), scaled(18)), inkOf(ornament_));
  const double y = height() / 2.0 + scaled(6);
  double x = scaled(kNameX);
  x += drawSongText(p, QPointF(x, y), asWords(kind->table().name), 19, false, c.ink) + scaled(14);
  drawSongText(p, QPointF(x, y), placeWords(), 15, true, c.quiet);
  // The sentence takes what room is left: smaller before it is cut.
  const double room =
      width() - scaled(kTitleRight) - (tries_.running() ? none_ : close_)->geometry().right() - scaled(14);
  double px = 16;
  while (px > 13 && songTextWidth(sentence_, px, true) > room) px -= 0.5;
  if (room < scaled(60)) return; // large text in a small window: the row itself says it
  const QString shown = shortened(sentence_, px, true, room);
  drawSongText(p, QPointF(width() - scaled(kTitleRight) - songTextWidth(shown, px, true), y), shown, px, true,
               warns_ ? c.warning : inkOf(ornament_));
}

} // namespace ivrin::app
