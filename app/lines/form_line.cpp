#include "app/lines/form_line.h"

#include "app/axis/modifiers.h"
#include "app/faces/face.h"
#include "app/session/landing_edits.h"
#include "app/session/section_marks.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"

#include <QContextMenuEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

namespace ivrin::app {
namespace {
constexpr int kLeft = 24, kRight = 25;
constexpr double kGridScaleMs = 30; // at the least
constexpr double kGridFarMs = 20;   // a bar so far off is heard to be
} // namespace

FormLine::FormLine(Session& session, ScoreView& score, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , score_(score) {
  setAccessibleName(tr("Form of the song"));
  setMouseTracking(true);
  setToolTip(tr("Drag to scroll. Click a section or landing to go there; drag it to move it with everything tied to "
                "it. Right-click to add, rename or remove."));
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  connect(&score, &ScoreView::viewChanged, this, qOverload<>(&QWidget::update));
  const auto anew = [this] {
    song_ = QPixmap();
    update();
  };
  connect(&session, &Session::songChanged, this, anew);
  connect(&session, &Session::opened, this, anew);
  connect(&session.rows(), &RowFacts::peaksReady, this, anew);
  connect(&session.findings(), &SongFindings::sectionsProposed, this, anew);
  connect(&session, &Session::printsAdvanced, this, [this, anew] {
    if (showsGrid_) anew(); // rows have been listened to
  });
}

QSize FormLine::sizeHint() const {
  return {600, scaled(66)};
}

double FormLine::endQuarters() const {
  if (!session_.plan()) return 1;
  double end = session_.plan()->map().quartersAt(session_.plan()->end(true));
  for (const Landing& l : session_.song().allLandings()) end = std::max(end, l.at.quarters() + 4);
  return std::max(end, 4.0);
}

double FormLine::xOf(Beats b) const {
  const double begin = session_.start().quarters();
  return scaled(kLeft) + (b.quarters() - begin) / (endQuarters() - begin) * (width() - scaled(kLeft) - scaled(kRight));
}

void FormLine::paintEvent(QPaintEvent*) {
  const Palette& c = paper();
  const QString current = score_.landing() ? QString::fromStdString(score_.landing()->id) : QString();
  if (song_.isNull() || song_.size() != size() * devicePixelRatioF() || shownLanding_ != current ||
      shownNight_ != c.night) {
    song_ = QPixmap(size() * devicePixelRatioF());
    song_.setDevicePixelRatio(devicePixelRatioF());
    shownLanding_ = current;
    shownNight_ = c.night;
    QPainter painter(&song_);
    painter.setRenderHint(QPainter::Antialiasing);
    paintSong(painter);
  }
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.drawPixmap(0, 0, song_);
  if (!session_.isOpen()) return;
  // The part in view.
  const TimeAxis& a = score_.axis();
  const double x0 = std::clamp(xOf(Beats::ofQuarters(a.left)), 2.0, width() - 8.0),
               x1 = std::clamp(xOf(Beats::ofQuarters(a.right())), x0 + 6, width() - 2.0);
  p.setPen(QPen(c.ink, 2.2, Qt::SolidLine, Qt::FlatCap, Qt::MiterJoin));
  const double t = scaled(3), b = height() - scaled(4), s = scaled(5);
  p.drawPolyline(QPolygonF({{x0 + s, t}, {x0, t}, {x0, b}, {x0 + s, b}}));
  p.drawPolyline(QPolygonF({{x1 - s, t}, {x1, t}, {x1, b}, {x1 - s, b}}));
  const double x = xOf(session_.plan()->map().beatAt(session_.player().position()));
  playheadDrawn_ = x;
  p.setPen(QPen(c.ink, 1.2));
  p.drawLine(QPointF(x, scaled(24)), QPointF(x, height() - scaled(20)));
}

/// The mix, small.
void FormLine::paintWave(QPainter& p, double mid, double half) {
  const Palette& c = paper();
  const auto peaks = session_.rows().peaks(kMixRow);
  if (!peaks) return;
  const PeakView view = PeakView::of(*peaks);
  const double begin = session_.start().quarters(), end = endQuarters(), left = scaled(kLeft),
               span = width() - scaled(kLeft) - scaled(kRight);
  QColor wave = c.wave;
  wave.setAlphaF(0.55f);
  p.setPen(Qt::NoPen);
  p.setBrush(wave);
  const TempoMap& map = session_.plan()->map();
  for (int x = 0; x < static_cast<int>(span); ++x) {
    const auto f = [&](int at) { return map.frameAt(Beats::ofQuarters(begin + at / span * (end - begin))).count; };
    const Peak k = view.over(f(x), f(x + 1));
    const double h =
        std::max(0.5, std::max(std::abs(static_cast<double>(k.high)), std::abs(static_cast<double>(k.low))) * half);
    p.fillRect(QRectF(left + x, mid - h, 1, 2 * h), wave);
  }
}

std::vector<BarOffset> FormLine::gridOffsets() const {
  if (!session_.plan()) return {};
  std::vector<const std::vector<Frames>*> attacks;
  for (const Stem& s : session_.song().stems) attacks.push_back(&session_.rows().onsets(s.id));
  return ivrin::gridOffsets(attacks, session_.plan()->map(), {Frames(0), session_.plan()->end(true)});
}

void FormLine::setShowsGrid(bool on) {
  showsGrid_ = on;
  song_ = QPixmap();
  update();
}

/// A stroke for each bar, up where what is played is late, down where it is early; the rule between them is the grid.
void FormLine::paintOffsets(QPainter& p, double mid, double half) {
  const Palette& c = paper();
  const std::vector<BarOffset> offsets = gridOffsets();
  double most = kGridScaleMs;
  for (const BarOffset& o : offsets) most = std::max(most, std::abs(o.ms));
  const TempoMap& map = session_.plan()->map();
  p.setPen(QPen(c.barRule, 1));
  p.drawLine(QPointF(scaled(kLeft), mid), QPointF(width() - scaled(kRight), mid));
  for (const BarOffset& o : offsets) {
    const double from = xOf(map.barStart(o.bar)), to = xOf(map.barStart(o.bar + 1)), y = mid - o.ms / most * half,
                 x = (from + to) / 2;
    p.setPen(QPen(std::abs(o.ms) >= kGridFarMs ? c.warning : c.ink, std::clamp((to - from) * 0.5, 1.0, 3.0),
                  Qt::SolidLine, Qt::FlatCap));
    p.drawLine(QPointF(x, mid), QPointF(x, std::abs(y - mid) < 0.8 ? mid - 0.8 : y));
  }
  p.setFont(sans(9.5));
  p.setPen(c.quiet);
  const QString scale = QStringLiteral("±%1 ms").arg(most, 0, 'f', 0);
  p.drawText(QRectF(width() - scaled(66), mid + half - 1, scaled(62), scaled(12)), Qt::AlignRight | Qt::AlignVCenter,
             scale);
}

void FormLine::paintSong(QPainter& p) {
  const Palette& c = paper();
  p.fillRect(rect(), c.margin);
  p.setPen(QPen(c.barRule, 1));
  p.drawLine(QPointF(0, height() - 0.5), QPointF(width(), height() - 0.5));
  p.drawLine(QPointF(0, 0.5), QPointF(width(), 0.5));
  if (!session_.isOpen()) return;

  const double mid = scaled(36), half = scaled(9);
  if (showsGrid_)
    paintOffsets(p, mid, half);
  else
    paintWave(p, mid, half);
  if (session_.song().leadBars > 0) { // what was put before the stems: hatched, and said
    const double x0 = scaled(kLeft), x1 = xOf(session_.plan()->map().beatAt(Frames(0)));
    p.setPen(QPen(c.quiet, 0.8));
    for (double x = x0; x < x1; x += scaled(5))
      p.drawLine(QPointF(x, mid + half), QPointF(std::min(x + half, x1), mid));
    p.setPen(QPen(c.quiet, 1, Qt::DotLine));
    p.drawLine(QPointF(x1, mid - half), QPointF(x1, mid + half));
    const QString words = tr("lead %1").arg(session_.song().leadBars);
    if (songTextWidth(words, 12.5, true) < x1 - x0)
      drawSongText(p, QPointF(x0, scaled(18)), words, 12.5, true, c.quiet);
  }
  // Sections: a notch and a boxed letter; landings: a notch and a name. Their ornaments' signs stand below.
  const auto notch = [&](const Landing& l) {
    const bool current = score_.landing() && score_.landing()->id == l.id;
    const double x = xOf(l.at);
    if (l.id == hover_) { // what can be dragged
      const QRectF m = markOf(l.id);
      p.setPen(QPen(c.ink, 1));
      p.drawLine(QPointF(m.left() + 4, m.bottom() + 1), QPointF(m.right(), m.bottom() + 1));
    }
    p.setPen(QPen(c.ochre, current ? 2.4 : 1.2));
    p.drawLine(QPointF(x, scaled(7)), QPointF(x, height() - scaled(15)));
    return x;
  };
  // A name has room to the next notch; one that has none is not written.
  const auto all = session_.song().allLandings();
  const auto name = [&](const Landing& l, QPointF at, bool italic) {
    const auto after = std::find_if(all.begin(), all.end(), [&](const Landing& o) { return o.at > l.at; });
    const double room = (after == all.end() ? width() : xOf(after->at)) - scaled(4) - at.x();
    if (room > scaled(14))
      drawSongText(p, at, shortened(QString::fromStdString(l.name), 14.5, italic, room), 14.5, italic, c.ink);
  };
  const auto marks = sectionMarks(session_.song().sections);
  for (std::size_t i = 0; i < marks.size(); ++i) {
    Landing named = session_.song().sections[i];
    named.name = marks[i].name.toStdString();
    const double x = notch(named);
    paintBox(p, x, marks[i].mark, false);
    name(named, QPointF(x + scaled(10) + boxWidth(marks[i].mark), scaled(18)), false);
  }
  for (const FoundSection& f : session_.findings().proposedSections()) {
    const double x = xOf(f.at);
    p.setPen(QPen(c.quiet, 1.2, Qt::DotLine));
    p.drawLine(QPointF(x, scaled(7)), QPointF(x, height() - scaled(15)));
    paintBox(p, x, asText(f.name), true);
  }
  for (const Landing& l : session_.song().landings) {
    const double x = notch(l);
    name(l, QPointF(x + scaled(5), scaled(18)), true);
  }
  for (const FormSign& s : signs()) {
    const double w = scaled(s.tied ? 17 : 14), h = scaled(s.tied ? 13 : 11);
    drawSign(p, asText(s.ornament->kind), QRectF(s.x, height() - scaled(11.5) - h / 2, w, h), inkOf(*s.ornament));
  }
}

double FormLine::boxWidth(const QString& mark) const {
  return std::max(1.0 * scaled(15), songTextWidth(mark, 13, false) + scaled(6));
}

void FormLine::paintBox(QPainter& p, double x, const QString& mark, bool proposed) const {
  const Palette& c = paper();
  const QColor ink = proposed ? c.quiet : c.ink;
  const QRectF box(x + scaled(4), scaled(5), boxWidth(mark), scaled(15));
  p.fillRect(box, c.margin);
  p.setPen(QPen(ink, 1.2, proposed ? Qt::DotLine : Qt::SolidLine));
  p.setBrush(Qt::NoBrush);
  p.drawRect(box);
  drawSongText(p, QPointF(box.center().x() - songTextWidth(mark, 13, false) / 2, box.bottom() - scaled(3)), mark, 13,
               false, ink);
}

QRectF FormLine::markOf(const FoundSection& proposed) const {
  return {xOf(proposed.at) - 3, static_cast<double>(scaled(3)), boxWidth(asText(proposed.name)) + scaled(9),
          static_cast<double>(scaled(19))};
}

std::optional<Beats> FormLine::proposedUnder(QPointF p) const {
  std::optional<Beats> found;
  for (const FoundSection& f : session_.findings().proposedSections())
    if (markOf(f).contains(p)) found = f.at;
  return found;
}

/// What is heard before a landing stands before it, what is heard from it on behind it; free ones at their own place.
/// None lies on another or over a landing, as far as there is room between two of them.
std::vector<FormSign> FormLine::signs() const {
  std::vector<double> walls{0};
  const auto landings = session_.song().allLandings();
  for (const Landing& l : landings) walls.push_back(xOf(l.at));
  walls.push_back(width());
  std::sort(walls.begin(), walls.end());
  std::vector<std::vector<FormSign>> between(walls.size());
  for (const auto& o : session_.song().ornaments) {
    const auto l = o->landing ? session_.song().landingById(*o->landing) : std::nullopt;
    const double wall = l ? xOf(l->at) : 0;
    const bool before = l && (o->start < l->at || leadsIn(*o));
    const double x = l ? wall : xOf(o->start);
    const auto at = before ? std::lower_bound(walls.begin() + 1, walls.end() - 1, x)
                           : std::upper_bound(walls.begin() + 1, walls.end() - 1, x);
    between[static_cast<std::size_t>(at - walls.begin())].push_back({&*o, x, l.has_value()});
  }
  std::vector<FormSign> all;
  for (std::size_t i = 1; i < walls.size(); ++i) {
    auto& some = between[i];
    std::stable_sort(some.begin(), some.end(), [](const FormSign& a, const FormSign& b) { return a.x < b.x; });
    const double first = walls[i - 1] + scaled(4), end = walls[i] - scaled(5),
                 step = std::min(1.0 * scaled(20),
                                 (end - first) / static_cast<double>(std::max<std::size_t>(1, some.size())));
    double least = first;
    for (FormSign& s : some) {
      s.x = std::max(s.x, least);
      least = s.x + step;
    }
    double most = end;
    for (auto s = some.rbegin(); s != some.rend(); ++s) {
      s->x = std::max(first, std::min(s->x, most - step));
      most = s->x;
    }
    all.insert(all.end(), some.begin(), some.end());
  }
  return all;
}

void FormLine::tick() {
  if (!session_.isOpen()) return;
  const double x = xOf(session_.plan()->map().beatAt(session_.player().position()));
  if (std::abs(x - playheadDrawn_) < 0.5) return;
  for (const double at : {playheadDrawn_, x}) update(QRect(static_cast<int>(at) - 2, 0, 5, height()));
}

// ---------------------------------------------------------------- handling

Beats FormLine::beatAt(double x) const {
  const double u = (x - scaled(kLeft)) / std::max(1, width() - scaled(kLeft) - scaled(kRight));
  const double begin = session_.start().quarters();
  return Beats::ofQuarters(begin + std::clamp(u, 0.0, 1.0) * (endQuarters() - begin));
}

QRectF FormLine::markOf(const std::string& id) const {
  const auto l = session_.song().landingById(id);
  if (!l) return {};
  const auto& sections = session_.song().sections;
  const auto own = std::find_if(sections.begin(), sections.end(), [&](const Landing& s) { return s.id == id; });
  const double x = xOf(l->at), top = scaled(3), tall = scaled(19);
  if (own == sections.end()) return {x - 3, top, scaled(8) + songTextWidth(asText(l->name), 14.5, true) + 3, tall};
  const SectionMark m = sectionMarks(sections)[static_cast<std::size_t>(own - sections.begin())];
  return {x - 3, top, scaled(11) + boxWidth(m.mark) + songTextWidth(m.name, 14.5, false) + 3, tall};
}

/// The letter or name under the point; the later one where two overlap.
std::string FormLine::markUnder(QPointF p) const {
  std::string found;
  for (const Landing& l : session_.song().allLandings())
    if (markOf(l.id).contains(p)) found = l.id;
  return found;
}

void FormLine::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || !session_.isOpen()) return;
  endNaming(true);
  press_ = e->position();
  moved_ = false;
  held_ = markUnder(press_);
  heldProposal_ = held_.empty() ? proposedUnder(press_) : std::nullopt;
  if (held_.empty() && !heldProposal_) score_.centreOn(beatAt(press_.x()));
}

void FormLine::mouseMoveEvent(QMouseEvent* e) {
  if (!session_.isOpen()) return;
  if (!(e->buttons() & Qt::LeftButton)) {
    const std::string now = markUnder(e->position());
    setCursor(!now.empty()                   ? Qt::SizeHorCursor
              : proposedUnder(e->position()) ? Qt::PointingHandCursor
                                             : Qt::ArrowCursor);
    if (now == hover_) return;
    hover_ = now;
    song_ = QPixmap();
    update();
    return;
  }
  if (heldProposal_) return;
  if (held_.empty()) { // travelling
    score_.centreOn(beatAt(e->position().x()));
    return;
  }
  if (!moved_ && (e->position() - press_).manhattanLength() < 4) return;
  moved_ = true;
  moveLanding(session_, held_,
              landingPlace(session_, beatAt(e->position().x()), leavesGrid(e->modifiers()), score_.grid()));
}

void FormLine::mouseReleaseEvent(QMouseEvent* e) {
  if (const auto at = std::exchange(heldProposal_, std::nullopt)) {
    if (proposedUnder(e->position()) == at) takeProposed(session_, at);
    return;
  }
  if (held_.empty()) return;
  if (moved_)
    session_.settle();
  else
    score_.goToLanding(held_);
  held_.clear();
}

void FormLine::mouseDoubleClickEvent(QMouseEvent* e) {
  if (const std::string id = markUnder(e->position()); !id.empty())
    score_.goToLanding(id);
  else
    score_.centreOnLanding();
}

void FormLine::leaveEvent(QEvent*) {
  if (hover_.empty()) return;
  hover_.clear();
  song_ = QPixmap();
  update();
}

void FormLine::contextMenuEvent(QContextMenuEvent* e) {
  if (!session_.isOpen()) return;
  const std::string id = markUnder(e->pos());
  const Beats at = landingPlace(session_, beatAt(e->pos().x()), false, {});
  // What is chosen is done once the menu has closed and given the focus back.
  QMenu menu(this);
  std::map<const QAction*, std::function<void()>> does;
  const auto add = [&](const QString& text, std::function<void()> act) { does[menu.addAction(text)] = std::move(act); };
  if (id.empty()) {
    if (const auto proposed = proposedUnder(e->pos())) {
      add(tr("Accept section"), [this, proposed] { takeProposed(session_, proposed); });
      add(tr("Accept all detected sections"), [&] { takeProposed(session_); });
      add(tr("Discard detected sections"), [&] { session_.findings().letSectionsGo(); });
    }
    add(tr("New section here"), [&] { rename(addLanding(session_, at, true, tr("Section"))); });
    add(tr("New landing here"), [&] { rename(addLanding(session_, at, false, tr("landing"))); });
  } else {
    const auto tied = std::count_if(session_.song().ornaments.begin(), session_.song().ornaments.end(),
                                    [&](const auto& o) { return o->landing == id; });
    add(tr("Go there"), [&] { score_.goToLanding(id); });
    add(tr("Recipes…"), [&] { emit recipesWanted(id); });
    add(tr("Rename…"), [&] { rename(id); });
    add(tied == 0 ? tr("Remove") : tr("Remove (%1 tied ornaments stay in place)").arg(tied),
        [&] { removeLanding(session_, id); });
  }
  const auto chosen = does.find(menu.exec(e->globalPos()));
  if (chosen != does.end()) chosen->second();
}

void FormLine::nudge(int bars) {
  const Landing* l = score_.landing();
  if (!l) return;
  const TempoMap& map = session_.plan()->map();
  const BarPosition at = map.barAt(l->at);
  const Beats within = l->at - map.barStart(at.bar);
  moveLanding(session_, std::string(l->id), map.barStart(at.bar + bars) + within);
}

void FormLine::rename(const std::string& id) {
  const auto l = session_.song().landingById(id);
  if (!l) return;
  endNaming(true);
  naming_ = id;
  name_ = new QLineEdit(QString::fromStdString(l->name), this);
  name_->setObjectName(QStringLiteral("landing-name"));
  name_->setAccessibleName(tr("Name of the landing"));
  name_->setFont(serif(14.5));
  name_->setFrame(false);
  const Palette& c = paper();
  name_->setStyleSheet(QStringLiteral("background:%1;color:%2;border:1px solid %2").arg(c.card.name(), c.ink.name()));
  const QRectF mark = markOf(id);
  const int w = scaled(132);
  name_->setGeometry(std::clamp(static_cast<int>(mark.left()) + scaled(4), 0, std::max(0, width() - w)), scaled(2), w,
                     scaled(22));
  name_->selectAll();
  name_->installEventFilter(this);
  connect(name_, &QLineEdit::returnPressed, this, [this] {
    endNaming(true);
    score_.setFocus();
  });
  name_->show();
  name_->setFocus();
}

void FormLine::endNaming(bool keep) {
  if (!name_) return;
  QLineEdit* field = std::exchange(name_, nullptr);
  const QString text = field->text().trimmed();
  field->hide();
  field->deleteLater();
  if (keep && !text.isEmpty()) {
    const auto l = session_.song().landingById(naming_);
    if (l && QString::fromStdString(l->name) != text) renameLanding(session_, naming_, text);
  }
}

bool FormLine::eventFilter(QObject* o, QEvent* e) {
  if (o == name_ && e->type() == QEvent::FocusOut && // its own menu is no reason to end
      static_cast<QFocusEvent*>(e)->reason() != Qt::PopupFocusReason)
    endNaming(true);
  if (o == name_ && e->type() == QEvent::ShortcutOverride) e->accept(); // letters are the name's, not the window's
  if (o == name_ && e->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape) {
    endNaming(false);
    score_.setFocus();
    return true;
  }
  return QWidget::eventFilter(o, e);
}

} // namespace ivrin::app
