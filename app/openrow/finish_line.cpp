#include "app/openrow/finish_line.h"

#include "app/openrow/measures.h"
#include "app/theme/focus_frame.h"
#include "app/theme/letters.h"
#include "app/theme/paper_dialog.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "files/user_folder.h"
#include "finish/finisher.h"
#include "finish/starting_points.h"
#include "song/edits.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kBox = 28, kGap = 16;

} // namespace

void paintFinishMark(QPainter& p, const QRectF& box, const Processor& processor, const FinishContext& c,
                     const QColor& ink) {
  const FinishShape s = finishShape(processor, c);
  const QRectF in = box.adjusted(scaled(4), scaled(5), -scaled(4), -scaled(5));
  const auto place = [&](const QPolygonF& line) {
    QPolygonF out;
    for (const QPointF& q : line)
      out << QPointF(in.left() + in.width() * q.x(), in.bottom() - in.height() * std::clamp(q.y(), 0.0, 1.0));
    return out;
  };
  p.setPen(QPen(ink, 1.6, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  p.setBrush(Qt::NoBrush);
  for (const QPolygonF& line : s.lines) p.drawPolyline(place(line));
  if (processor.type == "level") {
    p.setPen(QPen(ink, 1.2, Qt::DashLine));
    for (const QPolygonF& line : s.guides) p.drawPolyline(place(line));
  }
}

FinishLine::FinishLine(Session& session, QWidget* parent)
    : QWidget(parent)
    , session_(session) {
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setObjectName(QStringLiteral("finish"));
  setAccessibleName(tr("Finish"));
}

FinishContext FinishLine::context() const {
  const TempoMap& map = session_.plan()->map();
  const auto node = session_.plan()->node(ornament_.id);
  FinishContext c = finishContext(map, ornament_, node.get());
  return c;
}

void FinishLine::setOrnament(const Ornament& o) {
  if (o.id != ornament_.id) {
    opened_ = -1;
    current_ = 0;
  }
  ornament_ = o;
  opened_ = std::min(opened_, static_cast<int>(o.finish.size()) - 1);
  current_ = std::clamp(current_, 0, std::max(0, static_cast<int>(o.finish.size()) - 1));
  QStringList words;
  for (const Processor& one : o.finish) words << finishWords(one, context());
  setAccessibleDescription(words.isEmpty() ? tr("no processing") : words.join(QStringLiteral("; ")));
  layOut();
  update();
}

void FinishLine::setOpened(int index) {
  opened_ = index;
  if (index >= 0) current_ = index;
  update();
}

void FinishLine::layOut() {
  marks_.clear();
  const int n = static_cast<int>(ornament_.finish.size());
  const int mid = height() / 2, box = scaled(kBox), gap = scaled(kGap);
  const int room = width() - scaled(kLabel + 90);
  const QFontMetrics m(sans(13, Weight::medium));
  std::vector<QString> words;
  int all = 0;
  for (const Processor& one : ornament_.finish) {
    words.push_back(finishWords(one, context()));
    all += box + gap + scaled(8) + m.horizontalAdvance(words.back());
  }
  // Where they do not fit with their words, the words are cut evenly; at last the drawings stand alone.
  const int each = n > 0 ? (room - n * (box + gap + scaled(8))) / n : 0;
  int x = scaled(kLabel + 18);
  for (int i = 0; i < n; ++i) {
    QString text = words[static_cast<std::size_t>(i)];
    if (all > room) text = each > scaled(30) ? m.elidedText(text, Qt::ElideRight, each) : QString();
    const int w = text.isEmpty() ? 0 : scaled(8) + m.horizontalAdvance(text);
    marks_.push_back({QRect(x, mid - box / 2, box, box), text, x + box + w});
    x += box + w + gap;
  }
  if (n == 0) x = scaled(kLabel + 76) + static_cast<int>(songTextWidth(tr("no processing"), 15, true)) + scaled(30);
  add_ = QRect(x, mid - scaled(12), static_cast<int>(songTextWidth(tr("Add…"), 15, true)) + scaled(12), scaled(24));
}

QRect FinishLine::markRect(int index) const {
  return index >= 0 && index < static_cast<int>(marks_.size()) ? marks_[static_cast<std::size_t>(index)].box : QRect();
}

int FinishLine::markAt(QPoint p) const {
  for (std::size_t i = 0; i < marks_.size(); ++i)
    if (p.x() >= marks_[i].box.left() - scaled(3) && p.x() < marks_[i].right + scaled(3)) return static_cast<int>(i);
  return -1;
}

void FinishLine::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Palette& c = paper();
  const double mid = height() / 2.0;
  p.setPen(QPen(c.beatRule, 1));
  p.drawLine(scaled(24), 1, width(), 1);
  drawSongText(p, QPointF(scaled(34), mid + scaled(5)), tr("finish"), 15, true, c.quiet);
  p.setPen(QPen(c.barRule, 1.2));
  double x = scaled(kLabel + 6);
  if (marks_.empty()) {
    p.drawLine(QPointF(x, mid), QPointF(scaled(kLabel + 66), mid));
    const double w =
        drawSongText(p, QPointF(scaled(kLabel + 76), mid + scaled(5)), tr("no processing"), 15, true, c.quiet);
    x = scaled(kLabel + 86) + w;
    p.setPen(QPen(c.barRule, 1.2));
  }
  p.setFont(sans(13, Weight::medium));
  for (std::size_t i = 0; i < marks_.size(); ++i) {
    const Mark& m = marks_[i];
    const bool on = static_cast<int>(i) == opened_,
               near = static_cast<int>(i) == hover_ || (hasFocus() && static_cast<int>(i) == current_);
    p.setPen(QPen(c.barRule, 1.2));
    p.drawLine(QPointF(x, mid), QPointF(m.box.left() - scaled(2), mid));
    p.setBrush(c.paper);
    p.setPen(QPen(on || near ? c.ink : c.barRule, on ? 2.0 : 1.2));
    p.drawRect(QRectF(m.box).adjusted(0.5, 0.5, -0.5, -0.5));
    paintFinishMark(p, m.box, ornament_.finish[i], context(), c.ink);
    p.setPen(c.ink);
    p.drawText(QRectF(m.box.right() + scaled(8), 0, width(), height()), Qt::AlignVCenter | Qt::AlignLeft, m.words);
    if (on) p.fillRect(QRectF(m.box.left(), height() - 3, m.right - m.box.left(), 2), c.ink);
    x = m.right + scaled(5);
  }
  p.setPen(QPen(c.barRule, 1.2));
  p.drawLine(QPointF(x, mid), QPointF(add_.left() - scaled(4), mid));
  drawSongText(p, QPointF(add_.left() + scaled(4), mid + scaled(5)), tr("Add…"), 15, true,
               hover_ == -2 ? c.ink : c.quiet);
  p.setPen(QPen(c.barRule, 1.2));
  if (add_.right() + scaled(8) < width() - scaled(24))
    p.drawLine(QPointF(add_.right() + scaled(4), mid), QPointF(width() - scaled(24), mid));
  if (dragging_ && dropAt_ >= 0) {
    const int at = dropAt_ < static_cast<int>(marks_.size())
                       ? marks_[static_cast<std::size_t>(dropAt_)].box.left() - scaled(kGap) / 2
                       : marks_.back().right + scaled(kGap) / 2;
    p.fillRect(QRectF(at - 1, mid - scaled(15), 2.5, scaled(30)), c.ink);
  }
  if (hasFocus()) paintFocusFrame(p, QRectF(rect()).adjusted(scaled(24), 0, -1, 0));
}

void FinishLine::set(std::vector<Processor> finish, const QString& label) {
  const Ornament* now = session_.song().ornament(ornament_.id);
  if (!now) return;
  Ornament o = *now;
  o.finish = std::move(finish);
  const QString name = kindWord(o.kind);
  session_.edit(tr("%1 of %2").arg(label, name), withOrnamentReplaced(session_.song(), std::move(o)));
  session_.settle();
}

void FinishLine::add(const std::string& type) {
  auto finish = ornament_.finish;
  // Before a level or limiter at the end: these have the last word.
  auto at = finish.end();
  if (type != "level" && type != "limiter")
    while (at != finish.begin() && ((at - 1)->type == "level" || (at - 1)->type == "limiter")) --at;
  const int index = static_cast<int>(at - finish.begin());
  Processor p{type, {}};
  if (type == "filter") p.settings = {{"low_cut_hz", 200.0}}; // heard at once
  finish.insert(at, std::move(p));
  const QString word = asWordsInside(findFinisher(type)->table().name);
  set(std::move(finish), word);
  emit openRequested(index);
}

void FinishLine::move(int from, int to) {
  auto finish = ornament_.finish;
  if (from < 0 || from >= static_cast<int>(finish.size()) || to < 0 || to > static_cast<int>(finish.size()) ||
      to == from || to == from + 1)
    return;
  const Processor p = finish[static_cast<std::size_t>(from)];
  finish.erase(finish.begin() + from);
  const int at = to > from ? to - 1 : to;
  finish.insert(finish.begin() + at, p);
  const bool wasOpen = opened_ == from;
  current_ = at;
  set(std::move(finish), tr("change order of the finish"));
  if (wasOpen)
    emit openRequested(at);
  else if (opened_ >= 0)
    emit openRequested(-1);
}

void FinishLine::remove(int index) {
  auto finish = ornament_.finish;
  if (index < 0 || index >= static_cast<int>(finish.size())) return;
  const Finisher* f = findFinisher(finish[static_cast<std::size_t>(index)].type);
  finish.erase(finish.begin() + index);
  if (opened_ >= 0) emit openRequested(-1);
  set(std::move(finish), tr("remove %1").arg(f ? asWordsInside(f->table().name) : QString()));
}

std::filesystem::path FinishLine::ownFolder() {
  return windowFolder() / "starting-points";
}

void FinishLine::keep() {
  const QString name = askName(this, tr("Save as preset"), tr("Name")).value_or(QString()).trimmed();
  if (name.isEmpty()) return;
  std::string why;
  if (keepStartingPoint(ownFolder(), {name.toStdString(), {ornament_.kind}, ornament_.finish}, why))
    emit session_.notice(tr("Saved preset “%1”").arg(name), false);
  else
    emit session_.notice(QString::fromStdString(why), true);
}

void FinishLine::offer() {
  auto* menu = new QMenu(this);
  menu->setObjectName(QStringLiteral("finish-menu"));
  menu->setAttribute(Qt::WA_DeleteOnClose);
  lettersChoose(*menu);
  for (const Finisher* f : allFinishers()) {
    QAction* a = menu->addAction(asWords(f->table().name), this, [this, type = f->table().id] { add(type); });
    a->setToolTip(asWords(f->table().meaning));
  }
  menu->addSeparator();
  auto* from = menu->addMenu(tr("Presets"));
  lettersChoose(*from);
  Problems problems;
  std::vector<StartingPoint> points = startingPointsIn(ownFolder(), allKinds().registry(), problems);
  const std::size_t own = points.size();
  const std::vector<StartingPoint> shipped = shippedStartingPoints(allKinds().registry());
  points.insert(points.end(), shipped.begin(), shipped.end());
  for (std::size_t i = 0; i < points.size(); ++i) {
    if (i == own && own > 0) from->addSeparator();
    if (!points[i].suits(ornament_.kind)) continue;
    from->addAction(asWords(points[i].name), this, [this, point = points[i]] {
      emit openRequested(-1);
      set(point.finish, asWords(point.name));
    });
  }
  for (const Problem& one : problems.list) emit session_.notice(QString::fromStdString(one.text()), true);
  if (!ornament_.finish.empty()) {
    menu->addAction(tr("Save as preset…"), this, [this] { keep(); });
    menu->addAction(tr("Remove all processors"), this, [this] {
      emit openRequested(-1);
      set({}, tr("remove all processors"));
    });
  }
  menu->popup(mapToGlobal(add_.topLeft()));
}

void FinishLine::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  press_ = e->pos();
  pressed_ = markAt(press_);
  dragging_ = false;
  if (pressed_ >= 0) current_ = pressed_;
  if (add_.contains(press_)) offer();
}

void FinishLine::mouseMoveEvent(QMouseEvent* e) {
  if (pressed_ >= 0 && (dragging_ || std::abs(e->pos().x() - press_.x()) > scaled(6))) {
    dragging_ = true;
    dropAt_ = static_cast<int>(marks_.size());
    for (std::size_t i = 0; i < marks_.size(); ++i)
      if (e->pos().x() < (marks_[i].box.left() + marks_[i].right) / 2) {
        dropAt_ = static_cast<int>(i);
        break;
      }
    update();
    return;
  }
  const int over = add_.contains(e->pos()) ? -2 : markAt(e->pos());
  if (over != hover_) {
    hover_ = over;
    setCursor(over != -1 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    setToolTip(over >= 0 ? finishWords(ornament_.finish[static_cast<std::size_t>(over)], context()) +
                               tr("\nClick to open, drag to move, right-click for more.")
                         : QString());
    update();
  }
}

void FinishLine::mouseReleaseEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || pressed_ < 0) return;
  const int from = std::exchange(pressed_, -1);
  if (std::exchange(dragging_, false))
    move(from, dropAt_);
  else
    emit openRequested(from == opened_ ? -1 : from);
  dropAt_ = -1;
  update();
}

void FinishLine::contextMenuEvent(QContextMenuEvent* e) {
  const int i = markAt(e->pos());
  if (i < 0) return offer();
  QMenu menu(this);
  menu.addAction(i == opened_ ? tr("Close") : tr("Open"), this,
                 [this, i] { emit openRequested(i == opened_ ? -1 : i); });
  menu.addAction(tr("Remove"), this, [this, i] { remove(i); });
  menu.exec(e->globalPos());
}

bool FinishLine::event(QEvent* e) {
  if (e->type() == QEvent::ShortcutOverride) {
    static const QList<int> ours{Qt::Key_Left,   Qt::Key_Right, Qt::Key_Delete, Qt::Key_Backspace,
                                 Qt::Key_Return, Qt::Key_Enter, Qt::Key_Plus,   Qt::Key_Insert};
    const auto* k = static_cast<QKeyEvent*>(e);
    const bool moves = k->key() == Qt::Key_Left || k->key() == Qt::Key_Right; // with Ctrl
    if (ours.contains(k->key()) && (moves || !(k->modifiers() & Qt::ControlModifier))) {
      e->accept();
      return true;
    }
  }
  return QWidget::event(e);
}

void FinishLine::keyPressEvent(QKeyEvent* e) {
  const int n = static_cast<int>(marks_.size());
  const bool moves = e->modifiers() & Qt::ControlModifier;
  switch (e->key()) {
  case Qt::Key_Left:
    moves ? move(current_, current_ - 1) : static_cast<void>(current_ = std::max(0, current_ - 1));
    break;
  case Qt::Key_Right:
    moves ? move(current_, current_ + 2) : static_cast<void>(current_ = std::min(std::max(0, n - 1), current_ + 1));
    break;
  case Qt::Key_Delete:
  case Qt::Key_Backspace:
    remove(current_);
    break;
  case Qt::Key_Return:
  case Qt::Key_Enter:
    if (n == 0)
      offer();
    else
      emit openRequested(current_ == opened_ ? -1 : current_);
    break;
  case Qt::Key_Plus:
  case Qt::Key_Insert:
    offer();
    break;
  default:
    QWidget::keyPressEvent(e);
    return;
  }
  update();
}

void FinishLine::leaveEvent(QEvent*) {
  hover_ = -1;
  update();
}

} // namespace ivrin::app
