#include "app/lines/measure_line.h"

#include "app/openrow/in_hand_words.h"
#include "app/openrow/open_drawing.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "manners/collision_answers.h"
#include "manners/fitting.h"

#include <QAccessible>
#include <QApplication>
#include <QKeyEvent>
#include <QPainter>
#include <algorithm>

#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kSaidMs = 8000; // that a message stays when nobody does anything
constexpr std::size_t kMessages = 50;

QString db(double v, int places = 1) {
  return QString::number(v, 'f', places).replace('-', QChar(0x2212));
}

} // namespace

MeasureLine::MeasureLine(Session& session, ScoreView& score, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , score_(score)
    , close_(new InkButton(tr("Dismiss"), this))
    , offer_(new InkButton(QString(), this))
    , cancel_(new InkButton(tr("Cancel"), this))
    , list_(new InkButton(tr("Messages"), this)) {
  setAccessibleName(tr("Measurements and messages"));
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  for (InkButton* b : {close_, offer_, cancel_, list_}) {
    b->setTextPx(13);
    b->hide();
  }
  list_->setObjectName(QStringLiteral("messages"));
  list_->setToolTip(tr("Lists the last messages."));
  connect(list_, &QAbstractButton::clicked, this, &MeasureLine::messagesRequested);
  connect(close_, &QAbstractButton::clicked, this, [this] { say({}, false); });
  leaves_.setSingleShot(true);
  leaves_.setInterval(kSaidMs);
  connect(&leaves_, &QTimer::timeout, this, [this] { say({}, false); });
  qApp->installEventFilter(this);
  offer_->setObjectName(QStringLiteral("offer"));
  connect(offer_, &QAbstractButton::clicked, this, [this] {
    const auto act = action_;
    say({}, false);
    if (act) act();
  });
  connect(cancel_, &QAbstractButton::clicked, this, &MeasureLine::cancelRequested);
  connect(qApp, &QApplication::focusChanged, this, qOverload<>(&QWidget::update));
  connect(&score, &ScoreView::selectionChanged, this, qOverload<>(&QWidget::update));
  connect(&score, &ScoreView::openChanged, this, qOverload<>(&QWidget::update));
  connect(&score, &ScoreView::markedChanged, this, qOverload<>(&QWidget::update));
  connect(&session.rows(), &RowFacts::chosenChanged, this, qOverload<>(&QWidget::update));
  connect(&session, &Session::songChanged, this, qOverload<>(&QWidget::update));
}

QSize MeasureLine::sizeHint() const {
  if (said_.isEmpty() || width() == 0) return {600, scaled(28)};
  const QRect words = QFontMetrics(sans(12.5)).boundingRect(QRect(0, 0, room(), 10000), Qt::TextWordWrap, said_);
  return {600, std::max(scaled(28), words.height() + scaled(10))};
}

void MeasureLine::say(const QString& text, bool isError, const QString& actionText, std::function<void()> action) {
  if (!text.isEmpty()) {
    messages_.insert(messages_.begin(), {QTime::currentTime(), text, isError});
    if (messages_.size() > kMessages) messages_.pop_back();
  }
  showWords(text, isError, actionText, std::move(action));
}

void MeasureLine::showWords(const QString& text, bool isError, const QString& actionText,
                            std::function<void()> action) {
  said_ = text;
  if (!text.isEmpty()) readOut(text);
  isError_ = isError;
  action_ = std::move(action);
  // What asks for a decision stays until it is made.
  if (text.isEmpty() || isError || !actionText.isEmpty() || !leavesByItself_)
    leaves_.stop();
  else
    leaves_.start();
  if (!std::exchange(fresh_, true))
    QMetaObject::invokeMethod(
        this, [this] { fresh_ = false; }, Qt::QueuedConnection);
  close_->setVisible(!text.isEmpty());
  offer_->setText(actionText);
  offer_->setAccessibleName(actionText);
  offer_->setVisible(!actionText.isEmpty());
  layOut();
  updateGeometry();
  update();
}

void MeasureLine::tick() {
  if (said_.isEmpty() && figures() != shown_) update();
}

void MeasureLine::tell(const QString& text) {
  action_ ? readOut(text) : showWords(text, false, {}, {});
}

void MeasureLine::readOut(const QString& text) {
  setAccessibleDescription(text);
  QAccessibleEvent read(this, QAccessible::Alert);
  QAccessible::updateAccessibility(&read);
}

/// The next act of the hand takes a message away before it does what it does: what that says stands then.
bool MeasureLine::eventFilter(QObject* o, QEvent* e) {
  if (e->type() != QEvent::ShortcutOverride && e->type() != QEvent::MouseButtonPress) return false;
  if (said_.isEmpty() || isError_ || fresh_ || action_ || o == close_ || o == list_ || !o->isWidgetType()) return false;
  if (static_cast<QWidget*>(o)->window() != window()) return false;
  if (e->type() == QEvent::ShortcutOverride) { // keys that are only held are no act yet
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Shift || key == Qt::Key_Control || key == Qt::Key_Alt || key == Qt::Key_Meta) return false;
  }
  say({}, false);
  return false;
}

void MeasureLine::setProgress(const QString& what, double fraction) {
  doing_ = what;
  fraction_ = fraction;
  cancel_->setVisible(fraction < 1 && !what.isEmpty());
  layOut();
  update();
}

int MeasureLine::room() const {
  int right = width() - scaled(24);
  for (const InkButton* b : {list_, close_, offer_, cancel_})
    if (!b->isHidden()) right = std::min(right, b->geometry().left() - scaled(12));
  return right - scaled(24);
}

void MeasureLine::resizeEvent(QResizeEvent*) {
  layOut();
  updateGeometry();
}

void MeasureLine::layOut() {
  list_->setVisible(!messages_.empty() && cancel_->isHidden());
  int x = width() - scaled(18);
  for (InkButton* b : {list_, close_, offer_, cancel_}) {
    if (b->isHidden()) continue;
    const QSize s = b->sizeHint();
    x -= s.width();
    b->setGeometry(x, (height() - s.height()) / 2, s.width(), s.height());
    x -= scaled(12);
  }
}

QString MeasureLine::figures() const {
  if (!session_.isOpen()) return {};
  const TempoMap& map = session_.plan()->map();
  QStringList parts;
  const auto nextLanding = [&](Beats from) -> QString {
    const auto l = session_.song().landingAfter(from);
    return l ? tr("%2 until %1").arg(QString::fromStdString(l->name), spanWords(map, from, l->at - from)) : QString();
  };
  const auto endsOn = [&](Beats end) -> QString {
    for (const Landing& l : session_.song().allLandings())
      if (std::abs((l.at - end).ticks) <= kTicksPerQuarter / 32) // it may end a moment earlier, for an attack
        return tr("ends on %1").arg(QString::fromStdString(l.name));
    return nextLanding(end);
  };
  if (const auto& s = score_.selection()) {
    const QString row = QString::fromStdString(session_.song().rowName(s->row));
    parts << tr("Selection on %1: %2")
                 .arg(s->more.empty() ? row : tr("%1 and %2 more").arg(row).arg(s->more.size()),
                      spanWords(map, s->begin, s->end - s->begin));
    const Room room = roomAfter(joinedOver(session_.rows().phrases(s->row), leastRest(map, s->begin)),
                                map.frames(s->range()), map.sampleRate());
    if (room.next)
      parts << tr("time until next phrase %1")
                   .arg(spanWords(map, s->end, map.beatAt(*room.next) - map.beatAt(room.sounding)));
    parts << endsOn(s->end);
  } else if (const auto& f = session_.rows().chosen()) {
    const Ornament* o = session_.song().ornament(f->ornament);
    if (!o) return {};
    if (f->lufsWith > -100) parts << tr("with %1, without %2 LUFS").arg(db(f->lufsWith), db(f->lufsWithout));
    const auto node = session_.plan()->node(o->id);
    if (f->peakDbfs <= -100 && node && node->print) parts << tr("Silent: its source is silent");
    if (f->peakDbfs > -100) parts << tr("peak %1 dBFS").arg(db(f->peakDbfs));
    parts << tr("below 200 Hz %1%2 dB").arg(f->lowsAddedDb >= 0 ? "+" : "", db(f->lowsAddedDb));
    if (f->tailEnd > o->span().end)
      parts << tr("tail %1").arg(spanWords(map, o->span().end, f->tailEnd - o->span().end));
    parts << endsOn(o->span().end);
    for (const auto& n : f->notes) parts << QString::fromStdString(n);
    parts.removeAll(QString());
    const QString name = kindWord(o->kind); // what it is that is measured
    if (!parts.isEmpty()) parts.front() = tr("%1: %2").arg(capital(name), parts.front());
  } else if (session_.song().ornament(session_.chosen())) {
    parts << tr("with …, without … LUFS") << tr("peak …") << tr("tail …"); // being measured
  } else if (!score_.hand().marked().empty()) {
    parts << tr("%n ornament(s) selected", nullptr, static_cast<int>(score_.hand().marked().size()))
          << tr("drag one to move all; X bypasses them, Delete deletes them");
  } else {
    parts << tr("Drag over a word, then press a letter: D delay throw, R reverse reverb, E tape. F1 for all shortcuts.")
          << nextLanding(session_.playBeat());
  }
  parts.removeAll(QString());
  return parts.join(QStringLiteral(" · "));
}

void MeasureLine::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const Palette& c = paper();
  p.fillRect(rect(), c.paper);
  p.setPen(QPen(c.barRule, 1));
  p.drawLine(0, 0, width(), 0);
  p.setFont(sans(12.5));
  const QRect line(scaled(24), 0, room(), height());
  if (fraction_ < 1 && !doing_.isEmpty()) {
    p.setPen(c.ink);
    p.drawText(line, Qt::AlignVCenter | Qt::AlignLeft,
               QStringLiteral("%1 · %2 %").arg(doing_).arg(static_cast<int>(fraction_ * 100)));
    p.fillRect(QRectF(0, 0, width() * fraction_, 2), c.ink);
    return;
  }
  if (!said_.isEmpty()) {
    p.setPen(isError_ ? c.warning : c.ink);
    p.drawText(line, Qt::AlignVCenter | Qt::AlignLeft | Qt::TextWordWrap, said_);
    return;
  }
  if (const QString hand = inHandWords(QApplication::focusWidget()); !hand.isEmpty()) {
    p.setPen(c.quiet);
    p.drawText(line, Qt::AlignVCenter | Qt::AlignLeft, p.fontMetrics().elidedText(hand, Qt::ElideRight, line.width()));
    return;
  }
  shown_ = figures();
  p.setPen(c.quiet);
  // What it meets is warned of; that it lies over what goes on beneath it is said.
  QString right;
  const auto& f = session_.rows().chosen();
  const bool meets = f && !f->collisions.empty();
  if (meets)
    right = tr("Overlaps %n phrase(s)", nullptr, static_cast<int>(f->collisions.size()));
  else if (f && f->overWhatGoesOn)
    right = tr("Overlaps its own phrase");
  else if (f && !f->over.empty() && f->over.front().db > kAnsweredOverDb)
    right = tr("Masks %1").arg(QString::fromStdString(session_.song().rowName(f->over.front().row)));
  const int rightWidth = static_cast<int>(songTextWidth(right, 15, true));
  p.drawText(line.adjusted(0, 0, -rightWidth - scaled(10), 0), Qt::AlignVCenter | Qt::AlignLeft,
             p.fontMetrics().elidedText(shown_, Qt::ElideRight, line.width() - rightWidth - scaled(10)));
  if (!right.isEmpty())
    drawSongText(p, QPointF(line.right() - rightWidth, height() / 2.0 + scaled(5)), right, 15, true,
                 meets ? c.warning : c.quiet);
}

} // namespace ivrin::app
