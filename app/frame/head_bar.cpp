#include "app/frame/head_bar.h"

#include "app/openrow/open_drawing.h"
#include "app/theme/focus_frame.h"
#include "app/theme/menu_letters.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"

#include <QHBoxLayout>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kMeterFloorDb = -48;

double meterPart(float amplitude) {
  return std::clamp((Decibels::ofGain(static_cast<double>(amplitude)).value - kMeterFloorDb) / -kMeterFloorDb, 0.0,
                    1.0);
}

QFont meterFont() {
  return sans(11.5);
}

/// The widest that the meter says: no figure is ever cut.
int meterWidth() {
  const QFontMetrics m(meterFont());
  const QString loudness = HeadBar::tr("%1 LUFS").arg(QStringLiteral("−88.8"));
  int widest = m.horizontalAdvance(HeadBar::tr("opening audio device"));
  for (const QString& peak :
       {HeadBar::tr("limiter %1").arg(QStringLiteral("−88.8")), HeadBar::tr("%1 dBTP").arg(QStringLiteral("−88.8"))})
    widest = std::max(widest, m.horizontalAdvance(loudness + QStringLiteral(" · ") + peak));
  return widest + 2;
}

const SettingSpec& monitorSpec() {
  static const SettingSpec s{.key = "monitor_db",
                             .label = QT_TRANSLATE_NOOP("core", "Monitor level"),
                             .unit = "dB",
                             .min = -60,
                             .initial = 0.0,
                             .meaning = QT_TRANSLATE_NOOP("core", "How loud you listen. Exports are not affected."),
                             .group = "listen",
                             .step = 0.5};
  return s;
}

/// Bare digits, small, under the word above them.
class MonitorDigits : public NumberField {
 public:
  using NumberField::NumberField;
  QSize sizeHint() const override {
    return {QFontMetrics(sans(12)).horizontalAdvance(QObject::tr("monitor %1 dB").arg(QStringLiteral("−60.0"))) +
                scaled(4),
            scaled(20)};
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    const Palette& c = paper();
    p.setFont(sans(12));
    p.setPen(hasFocus() || underMouse() || *value().number() != 0 ? c.ink : c.quiet);
    QString text = QObject::tr("monitor %1 dB").arg(*value().number(), 0, 'f', 1);
    text.replace('-', QChar(0x2212));
    p.drawText(rect(), Qt::AlignRight | Qt::AlignVCenter, text);
    if (hasFocus()) paintFocusFrame(p, rect());
  }
};

} // namespace

HeadBar::HeadBar(Session& session, ActionRegistry& actions, Listening& listening, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , actions_(actions)
    , listening_(listening)
    , menus_(new QMenuBar(this)) {
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(scaled(20), 0, scaled(18), 0);
  row->setSpacing(scaled(8));

  makeTitle();
  row->addWidget(title_);
  makeMenus();
  row->addWidget(menus_);
  row->addStretch(1);
  makePosition();
  row->addWidget(position_);
  row->addStretch(1);
  makeTempo();
  row->addWidget(tempo_);
  row->addWidget(choices_);
  row->addStretch(1);
  addHearing(*row);
  makeMeter();
  row->addWidget(meter_);
  addMonitor(*row);
  connect(&listening_, &Listening::changed, this, &HeadBar::refresh);
  connect(&session_.rows(), &RowFacts::chosenChanged, this, &HeadBar::refresh);
  connect(&session_, &Session::songChanged, this, &HeadBar::refresh);
  connect(&session_, &Session::opened, this, &HeadBar::refresh);
  connect(&session_, &Session::outputReplaced, this, [this] { meter_->update(); });
  connect(&session_, &Session::protectionChanged, this, &HeadBar::refresh);
  refresh();
}

void HeadBar::makeTitle() {
  title_ = new Painted(
      {scaled(196), scaled(44)},
      [this](QPainter& p, const QRectF& r) {
        const Palette& c = paper();
        const double y = r.center().y() + scaled(8);
        QString name = QString::fromStdString(session_.song().title);
        if (name.isEmpty()) name = session_.isOpen() ? tr("Untitled") : QStringLiteral("Ivrin");
        const double room = r.width() - scaled(session_.unprotected() ? 96 : 44);
        double px = 24;
        while (px > 14 && songTextWidth(shortened(name, 100), px, true) > room) px -= 1;
        name = shortened(name, px, true, room);
        const double w = drawSongText(p, QPointF(0, y), name, px, true, c.ink);
        if (session_.isOpen() && session_.history().changedSinceSave())
          drawSongText(p, QPointF(w + scaled(10), y - 1), changedWords(), 14, true,
                       session_.unprotected() ? c.warning : c.quiet);
      },
      this);
}

void HeadBar::makeMenus() {
  menus_->setNativeMenuBar(false);
  menus_->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
  for (const auto& [name, entries] : actions_.menus()) {
    QMenu* m = menus_->addMenu(name);
    m->setToolTipsVisible(true);
    menu_[name] = m;
    QMap<QString, QMenu*> subs;
    for (QAction* a : entries) {
      const QString sub = a ? a->property("sub").toString() : QString();
      if (!a)
        m->addSeparator();
      else if (sub.isEmpty())
        m->addAction(a);
      else {
        if (!subs.contains(sub)) subs[sub] = m->addMenu(sub);
        subs[sub]->addAction(a);
      }
    }
  }
}

void HeadBar::makePosition() {
  position_ = new Painted(
      {scaled(96), scaled(40)},
      [this](QPainter& p, const QRectF& r) {
        p.setFont(sans(21, Weight::semibold));
        p.setPen(paper().ink);
        p.drawText(r, Qt::AlignCenter, shownPosition_);
      },
      this);
  position_->setAccessibleName(tr("Position: bar, beat, sixteenth"));
}

void HeadBar::makeTempo() {
  tempo_ = new Painted(
      {scaled(150), scaled(40)},
      [this](QPainter& p, const QRectF& r) {
        if (!session_.isOpen()) return;
        const Palette& c = paper();
        const TempoMap& map = session_.plan()->map();
        const Beats here = session_.playBeat();
        const double middle = r.center().y() - (stacked_ ? scaled(8) : 0);
        drawMark(p, Mark::crotchet,
                 QRectF(0, middle - scaled(stacked_ ? 9 : 10), scaled(17), scaled(stacked_ ? 18 : 20)), c.ink);
        p.setFont(sans(stacked_ ? 15.5 : 17, Weight::medium));
        p.setPen(c.ink);
        const QString bpm = QStringLiteral("= %1").arg(QString::number(map.bpmAt(here), 'g', 6));
        const MeterEntry& m = map.meterAt(here);
        const auto& key = session_.song().key;
        const QString keyWords = key ? asText(keyText(*key)) : QString();
        if (stacked_) { // meter and key under the tempo
          p.drawText(QRectF(scaled(19), 0, r.width() - scaled(19), r.height() - scaled(17)),
                     Qt::AlignVCenter | Qt::AlignLeft, bpm);
          const QString meter = QStringLiteral("%1/%2  ").arg(m.count).arg(m.unit);
          drawSongText(p, QPointF(0, r.height() - scaled(4)), meter + keyWords, 14, true, c.quiet);
          meterArea_ = QRectF(0, r.height() - scaled(19), songTextWidth(meter, 14, true), scaled(19));
          keyArea_ = QRectF(meterArea_.right(), meterArea_.top(), r.width() - meterArea_.right(), meterArea_.height());
          return;
        }
        p.drawText(QRectF(scaled(19), 0, scaled(70), r.height()), Qt::AlignVCenter | Qt::AlignLeft, bpm);
        double x = scaled(19) + QFontMetricsF(p.font()).horizontalAdvance(bpm) + scaled(12);
        p.setFont(sans(13, Weight::semibold));
        for (const auto& [text, dy] : {std::pair{QString::number(m.count), -0.5}, {QString::number(m.unit), 0.5}})
          p.drawText(QRectF(x, r.center().y() + dy * scaled(14) - scaled(9), scaled(20), scaled(18)), Qt::AlignCenter,
                     text);
        meterArea_ = QRectF(x - scaled(4), 0, scaled(26), r.height());
        x += scaled(26);
        keyArea_ = QRectF(x - scaled(4), 0, r.width() - x + scaled(4), r.height());
        drawSongText(p, QPointF(x, r.center().y() + scaled(5)), keyWords, 15, true, c.quiet);
      },
      this);
  tempo_->setAccessibleName(tr("Tempo, time signature and key"));
  tempo_->setToolTip(tr("Click the tempo, the time signature or the key to change it."));
  tempo_->setCursor(Qt::PointingHandCursor);
  tempo_->installEventFilter(this);
  choices_ = new TempoChoices(this);
  choices_->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
  connect(choices_, &TempoChoices::chosen, this, &HeadBar::tempoChosen);
  connect(&session_.findings(), &SongFindings::tempoDoubted, this, [this] {
    showTempoChoices();
    if (session_.findings().tempoInDoubt()) choices_->focusBest();
  });
}

/// They take the place of the words "equal loudness" and of the meter and key, while they are there.
void HeadBar::showTempoChoices() {
  const auto& heard = session_.findings().tempoInDoubt();
  choices_->show(heard ? likelyTempi(*heard) : std::vector<double>(),
                 session_.isOpen() ? session_.song().tempo.front().bpm : 0);
  fit();
}

/// Playing, the loop, the click; with and without.
void HeadBar::addHearing(QHBoxLayout& row) {
  row.addWidget(addButton(new InkButton(Mark::play, tr("Play"), this), QStringLiteral("play")));
  row.addWidget(addButton(new InkButton(Mark::loop, tr("Loop"), this), QStringLiteral("loop")));
  auto* click = addButton(new InkButton(Mark::metronome, tr("Click"), this), QStringLiteral("click"));
  click->installEventFilter(this); // the wheel sets its level
  row.addWidget(click);
  row.addStretch(1);
  auto* with = addButton(new InkButton(tr("Ornaments"), this), QStringLiteral("with"));
  with->setSerif(true);
  with->setTextPx(16);
  with->setStrikesWhenOff(true);
  auto* equal = addButton(new InkButton(tr("Equal loudness"), this), QStringLiteral("equal"));
  equal->setTextPx(11.5);
  auto* compare = new QVBoxLayout;
  compare->setSpacing(0);
  compare->addStretch(1);
  compare->addWidget(with, 0, Qt::AlignHCenter);
  compare->addWidget(equal, 0, Qt::AlignHCenter);
  compare->addStretch(1);
  row.addLayout(compare);
  row.addStretch(1);
}

void HeadBar::makeMeter() {
  meter_ = new Painted(
      {scaled(150), scaled(40)},
      [this](QPainter& p, const QRectF& r) {
        const Palette& c = paper();
        const double w = scaled(120), y = scaled(7);
        for (int side = 0; side < 2; ++side) {
          const double at = y + side * scaled(6);
          p.fillRect(QRectF(0, at, w, scaled(3)), c.beatRule);
          p.fillRect(QRectF(0, at, w * meterPart(side ? peakRight_ : peakLeft_), scaled(3)), c.ink);
          const float hold = side ? holdRight_ : holdLeft_;
          if (hold > 0.001f)
            p.fillRect(QRectF(w * meterPart(hold) - 1, at - 1, 2, scaled(5)), hold > 0.89f ? c.warning : c.ink);
        }
        p.setFont(meterFont());
        p.setPen(session_.isOpen() && session_.outputs().noSound() ? c.warning : c.quiet);
        const QString text = meterText();
        p.drawText(QRectF(0, y + scaled(13), r.width(), scaled(16)), Qt::AlignLeft | Qt::AlignVCenter, text);
      },
      this);
  meter_->setToolTip(
      tr("Bars: level after the monitor volume. Numbers: momentary loudness of the mix and its highest true peak since "
         "playback started; click to reset. “no sound” means that no audio device is running."));
  meter_->setAccessibleName(tr("Meter"));
  meter_->installEventFilter(this);
}

void HeadBar::addMonitor(QHBoxLayout& row) {
  auto* mono = addButton(new InkButton(tr("mono"), this), QStringLiteral("mono"));
  mono->setTextPx(13);
  monitor_ = new MonitorDigits(monitorSpec(), this);
  monitor_->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
  connect(monitor_, &NumberField::changed, this, [this](const Value& v) { listening_.setMonitorDb(*v.number()); });
  auto* right = new QVBoxLayout;
  right->setSpacing(0);
  right->addStretch(1);
  right->addWidget(mono, 0, Qt::AlignRight);
  right->addWidget(monitor_, 0, Qt::AlignRight);
  right->addStretch(1);
  row.addLayout(right);
}

QSize HeadBar::sizeHint() const {
  return {1000, scaled(48)};
}

QSize HeadBar::minimumSizeHint() const {
  return {scaled(640), scaled(48)};
}

void HeadBar::giveMenuLetters() {
  app::giveMenuLetters(menus_->actions());
  for (QMenu* m : menus_->findChildren<QMenu*>()) app::giveMenuLetters(m->actions());
}

void HeadBar::resizeEvent(QResizeEvent*) {
  fit();
}

/// Where it is narrow, or the text large: first the title takes what it needs and meter and key go under the tempo,
/// then menus wait behind a mark; at last what can be had elsewhere steps back, the tempo after all else.
void HeadBar::fit() {
  const int menus = menus_->sizeHint().width(), fewest = scaled(58);
  const QString name = asText(session_.song().title);
  const int beside = scaled(session_.unprotected() ? 108 : 54), most = scaled(142) + beside; // a word on its edits
  const int title =
      std::clamp(static_cast<int>(songTextWidth(shortened(name, 100), 24, true)) + beside, scaled(46) + beside, most);
  QWidget* const leaving[] = {buttons_[QStringLiteral("equal")], meter_, tempo_};
  const auto roomLeft = [&] {
    layout()->invalidate();
    return width() - layout()->minimumSize().width();
  };
  const auto arrange = [&](bool close, bool few, int gone) {
    stacked_ = close;
    title_->setHint({few ? std::min(title, scaled(78) + beside) : close ? title : most, scaled(44)});
    tempo_->setHint({scaled(close ? 84 : 150), scaled(40)});
    position_->setHint({scaled(close ? 80 : 96), scaled(40)});
    meter_->setHint({meterWidth(), scaled(40)});
    menus_->setFixedWidth(few ? fewest : menus);
    for (int i = 0; i < 3; ++i) leaving[i]->setVisible(i >= gone);
    return roomLeft() >= 0;
  };
  if (arrange(false, false, 0) || arrange(true, false, 0)) return;
  if (choices_->isVisibleTo(this) && (arrange(true, false, 1) || arrange(true, false, 2))) return;
  for (int gone = 0; gone <= 3; ++gone)
    if (arrange(true, true, gone)) break;
  menus_->setFixedWidth(std::clamp(fewest + roomLeft(), fewest, menus));
}

InkButton* HeadBar::addButton(InkButton* b, const QString& actionId) {
  QAction* a = actions_.action(actionId);
  b->setCheckable(a->isCheckable());
  b->setChecked(a->isChecked());
  b->setToolTip(ActionRegistry::withKey(a));
  connect(b, &QAbstractButton::clicked, a, &QAction::trigger);
  connect(a, &QAction::changed, b, [a, b] {
    b->setChecked(a->isChecked());
    b->setEnabled(a->isEnabled());
  });
  buttons_[actionId] = b;
  return b;
}

QString HeadBar::changedWords() const {
  return session_.unprotected() ? tr("not recoverable") : tr("edited");
}

QString HeadBar::meterText() const {
  if (session_.isOpen() && session_.outputs().noSound()) return tr("no sound");
  if (session_.isOpen() && session_.outputs().opening() && session_.player().playing())
    return tr("opening audio device");
  QStringList parts;
  if (lufs_ > -100) parts << tr("%1 LUFS").arg(decibels(lufs_));
  if (limiterDb_ > 0.05) // then the peak is the ceiling, and there is no room for both
    parts << tr("limiter %1").arg(decibels(-limiterDb_));
  else if (truePeak_ > 1e-5f)
    parts << tr("%1 dBTP").arg(decibels(Decibels::ofGain(static_cast<double>(truePeak_)).value));
  if (parts.isEmpty()) parts << tr("silent");
  return parts.join(QStringLiteral(" · "));
}

bool HeadBar::eventFilter(QObject* o, QEvent* e) {
  if (o == meter_ && e->type() == QEvent::MouseButtonPress) {
    truePeak_ = holdLeft_ = holdRight_ = 0;
    meter_->update();
  }
  if (o == tempo_ && e->type() == QEvent::MouseButtonPress) {
    const QPointF at = static_cast<QMouseEvent*>(e)->position();
    actions_
        .action(meterArea_.contains(at) ? QStringLiteral("meterHere")
                : keyArea_.contains(at) ? QStringLiteral("songKey")
                                        : QStringLiteral("tempo"))
        ->trigger();
    return true;
  }
  if (o == buttons_.value(QStringLiteral("click")) && e->type() == QEvent::Wheel) {
    const int steps = static_cast<QWheelEvent*>(e)->angleDelta().y() / 120;
    if (steps != 0) listening_.setClickDb(listening_.clickDb() + steps);
    return true;
  }
  return QWidget::eventFilter(o, e);
}

QString HeadBar::positionText() const {
  if (!session_.isOpen()) return QStringLiteral("1.1.1");
  return barWords(session_.plan()->map(), session_.playBeat());
}

void HeadBar::refresh() {
  const Palette& c = paper();
  menus_->setStyleSheet(QStringLiteral("QMenuBar{background:transparent;color:%1;font-size:%4px}QMenuBar::item{padding:"
                                       "%5px %6px;background:transparent}"
                                       "QMenuBar::item:selected{color:%2;background:%3}")
                            .arg(c.ink.name(), c.ink.name(), c.beatRule.name())
                            .arg(scaled(13.5))
                            .arg(scaled(5))
                            .arg(scaled(9)));
  showTempoChoices();
  monitor_->setValue(Value(listening_.monitorDb()));
  const double match = session_.playback().matchDb();
  InkButton* equal = buttons_[QStringLiteral("equal")];
  const QString words = match < -0.05 ? tr("equal, %1 dB").arg(decibels(match)) : tr("Equal loudness");
  if (equal->text() != words) {
    equal->setText(words);
    equal->updateGeometry();
  }
  buttons_[QStringLiteral("click")]->setToolTip(
      tr("%1, %2 dB; the wheel sets how loud")
          .arg(ActionRegistry::withKey(actions_.action(QStringLiteral("click"))), decibels(listening_.clickDb())));
  tick();
  update();
  for (QWidget* w : {static_cast<QWidget*>(title_), static_cast<QWidget*>(tempo_), static_cast<QWidget*>(position_)})
    w->update();
}

void HeadBar::tick() {
  const QString now = positionText();
  if (now != shownPosition_) {
    shownPosition_ = now;
    position_->update();
    tempo_->update();
  }
  if (!session_.isOpen()) return;
  buttons_[QStringLiteral("play")]->setMark(session_.player().playing() ? Mark::stop : Mark::play);
  const Meters m = session_.player().takeMeters();
  const bool playing = session_.player().playing();
  if (playing && !wasPlaying_) truePeak_ = holdLeft_ = holdRight_ = 0;
  wasPlaying_ = playing;
  truePeak_ = std::max(truePeak_, m.truePeak);
  const float fall = 0.90f;
  const float l = std::max(m.peakLeft, peakLeft_ * fall), r = std::max(m.peakRight, peakRight_ * fall);
  const double lufs = playing ? m.momentaryLufs : -200;
  if (l < 1e-4f && r < 1e-4f && peakLeft_ == 0 && lufs == lufs_) return;
  peakLeft_ = l < 1e-4f ? 0 : l;
  peakRight_ = r < 1e-4f ? 0 : r;
  holdLeft_ = std::max(peakLeft_, holdLeft_ * 0.985f);
  holdRight_ = std::max(peakRight_, holdRight_ * 0.985f);
  lufs_ = lufs;
  limiterDb_ = std::max(m.limiterDb, limiterDb_ * 0.95);
  meter_->update();
}

void HeadBar::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), paper().paper);
}

} // namespace ivrin::app
