#include "app/score/recipe_card.h"

#include "app/faces/face.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"

#include <QKeyEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr std::size_t kMostInView = 6;
constexpr int kRestMs = 180; // the mouse stays on it: it is heard
constexpr double kWidth = 440, kHead = 44, kRow = 58, kFoot = 32, kDrawing = 118;

/// Where a part stands before the landing or behind it: 0 two bars before, 1 on it.
double placeOf(const RecipePart& p, const TempoMap& map, Beats landing) {
  if (p.take == RecipePart::Take::lastWord) return 0.62;
  if (p.take == RecipePart::Take::firstWord) return 0.93;
  const double bar = map.meterAt(landing - Beats(1)).barLength().quarters();
  const double bars = (placeFrom(map, landing, p.from) - landing).quarters() / bar;
  return std::clamp(1 + bars / 2, 0.02, 1.12);
}

/// As the ornament it becomes.
QColor inkOfPart(const RecipePart& part) {
  Ornament o;
  o.kind = part.kind;
  o.settings = part.settings;
  return inkOf(o);
}

} // namespace

RecipeCard::RecipeCard(RecipeTrial& trial, Session& session, QWidget* parent)
    : QWidget(parent)
    , trial_(trial)
    , session_(session)
    , place_(new InkButton(tr("Place"), this)) {
  setMouseTracking(true);
  rests_.setSingleShot(true);
  rests_.setInterval(kRestMs);
  connect(&rests_, &QTimer::timeout, this, [this] {
    if (trial_.running() && under_ != trial_.heard()) trial_.hear(under_);
  });
  place_->setToolTip(tr("Places the recipe that is playing (Return)."));
  place_->setFocusPolicy(Qt::NoFocus);
  place_->setTextPx(13.5);
  connect(place_, &QAbstractButton::clicked, this, [this] { trial_.keep(); });
  setObjectName(QStringLiteral("recipe-card"));
  setAccessibleName(tr("Recipes"));
  setFocusPolicy(Qt::StrongFocus);
  hide();
  connect(&trial_, &RecipeTrial::changed, this, [this] {
    if (!trial_.running()) return;
    if (trial_.heard() < first_) first_ = trial_.heard();
    if (trial_.heard() >= first_ + inView()) first_ = trial_.heard() - inView() + 1;
    const Recipe& r = trial_.all()[trial_.heard()];
    setAccessibleDescription(QStringLiteral("%1. %2").arg(asWords(r.name), asWords(r.says)));
    update();
  });
}

QSize RecipeCard::sizeHint() const {
  return {scaled(kWidth), scaled(kHead + kRow * kMostInView + kFoot)};
}

/// Whole ones: with large text the score is lower than all of them.
std::size_t RecipeCard::inView() const {
  const double room = height() - scaled(kHead) - scaled(kFoot);
  return std::clamp(static_cast<std::size_t>(std::max(0.0, room) / scaled(kRow)), std::size_t{1}, kMostInView);
}

void RecipeCard::standBeside(double landingX, const QRect& room) {
  const QSize size = sizeHint();
  const bool left = landingX - room.left() > room.right() - landingX;
  const int x = left ? room.left() + scaled(10) : room.right() - size.width() - scaled(10);
  setGeometry(QRect(QPoint(std::max(x, room.left()), room.top() + scaled(8)), size).intersected(room));
}

QRect RecipeCard::rowOf(std::size_t which) const {
  if (which < first_ || which >= first_ + inView()) return {};
  return {scaled(6), scaled(kHead + kRow * static_cast<double>(which - first_)), width() - scaled(12), scaled(kRow)};
}

void RecipeCard::paintSigns(QPainter& p, const Recipe& r, const QRectF& box) const {
  const Palette& c = paper();
  const double line = box.left() + box.width() * 0.86, staff = box.center().y() + scaled(9);
  p.setPen(QPen(c.barRule, 1));
  p.drawLine(QPointF(box.left(), staff), QPointF(box.right(), staff));
  p.setPen(QPen(c.ochre, 2));
  p.drawLine(QPointF(line, box.top() + scaled(6)), QPointF(line, box.bottom() - scaled(6)));
  const auto landing = session_.song().landingById(trial_.landing());
  if (!landing) return;
  const TempoMap& map = session_.plan()->map();
  // As far apart as they stand, but none on another.
  std::vector<std::pair<double, const RecipePart*>> signs;
  for (const RecipePart& part : r.parts)
    if (part.density <= trial_.options().density) signs.emplace_back(placeOf(part, map, landing->at), &part);
  std::stable_sort(signs.begin(), signs.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  const double wide = scaled(18), n = static_cast<double>(std::max<std::size_t>(signs.size(), 1));
  const double step = std::min(wide + scaled(3), (line - box.left() - scaled(4)) / n);
  for (std::size_t k = 0; k < signs.size(); ++k) {
    const auto& [place, part] = signs[k];
    const bool after = place > 0.999 && part->take == RecipePart::Take::stretch;
    const double wanted = box.left() + place * (line - box.left()) - wide,
                 least = box.left() + step * static_cast<double>(k),
                 most = line - scaled(3) - wide - step * (n - 1 - static_cast<double>(k));
    const double x = after ? line + scaled(3) : std::max(std::min(wanted, most), std::min(least, most));
    drawSign(p, QString::fromStdString(part->kind), QRectF(x, staff - scaled(20), wide, scaled(14)), inkOfPart(*part));
  }
}

void RecipeCard::paintEvent(QPaintEvent*) {
  if (!trial_.running()) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Palette& c = paper();
  p.fillRect(rect(), c.card);
  p.setPen(QPen(c.ink, hasFocus() ? 1.4 : 1));
  p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
  const auto landing = session_.song().landingById(trial_.landing());
  const QString name = landing ? asText(landing->name) : QString();
  drawSongText(p, QPointF(scaled(16), scaled(29)),
               name.isEmpty() ? tr("Recipes into the landing") : tr("Recipes into %1").arg(name), 18, false, c.ink);
  for (std::size_t i = first_; i < std::min(first_ + inView(), trial_.all().size()); ++i) {
    const Recipe& r = trial_.all()[i];
    const QRectF row = rowOf(i);
    if (i == trial_.heard()) p.fillRect(row, c.margin);
    const bool fits = i < trial_.fitting();
    p.setOpacity(fits ? 1 : 0.5);
    paintSigns(p, r, QRectF(row.left() + scaled(8), row.top() + scaled(4), scaled(kDrawing), row.height() - scaled(8)));
    const double x = row.left() + scaled(kDrawing + 24);
    drawSongText(p, QPointF(x, row.top() + scaled(20)), asWords(r.name), 16, false, c.ink);
    p.setFont(sans(12));
    p.setPen(c.quiet);
    p.drawText(QRectF(x, row.top() + scaled(24), row.right() - x - scaled(4), scaled(32)), Qt::TextWordWrap,
               asWords(r.says));
    p.setOpacity(1);
  }
  p.setFont(sans(12));
  p.setPen(c.quiet);
  const QString density = trial_.options().density < 0   ? tr("sparser")
                          : trial_.options().density > 0 ? tr("denser")
                                                         : QString();
  const QString length = trial_.options().length < 0   ? tr("shorter")
                         : trial_.options().length > 0 ? tr("longer")
                                                       : QString();
  p.drawText(QRectF(scaled(16), height() - scaled(kFoot), width() - scaled(32), scaled(kFoot)),
             Qt::AlignVCenter | Qt::AlignLeft,
             tr("Hover to preview, Return to place, + − for density, ← → for length"));
  QStringList now{density, length};
  now.removeAll(QString());
  const QString note = now.isEmpty() ? tr("%1 of %2 fit here").arg(trial_.fitting()).arg(trial_.all().size())
                                     : now.join(QStringLiteral(", "));
  drawSongText(p, QPointF(width() - scaled(16) - songTextWidth(note, 13, true), scaled(28)), note, 13, true,
               now.isEmpty() ? c.quiet : c.ink);
}

std::optional<std::size_t> RecipeCard::at(QPoint p) const {
  for (std::size_t i = first_; i < std::min(first_ + inView(), trial_.all().size()); ++i)
    if (rowOf(i).contains(p)) return i;
  return std::nullopt;
}

void RecipeCard::mousePressEvent(QMouseEvent* e) {
  rests_.stop();
  if (const auto i = at(e->pos()); i && *i != trial_.heard()) trial_.hear(*i);
  setFocus();
}

/// It is enough to rest on one to hear it.
void RecipeCard::mouseMoveEvent(QMouseEvent* e) {
  const auto i = at(e->pos());
  if (!i || *i == trial_.heard()) return rests_.stop();
  if (rests_.isActive() && *i == under_) return;
  under_ = *i;
  rests_.start();
}

void RecipeCard::leaveEvent(QEvent*) {
  rests_.stop();
}

void RecipeCard::resizeEvent(QResizeEvent*) {
  place_->adjustSize();
  place_->move(width() - scaled(12) - place_->width(),
               height() - static_cast<int>((scaled(kFoot) + place_->height()) / 2));
}

void RecipeCard::mouseDoubleClickEvent(QMouseEvent*) {
  trial_.keep();
}

void RecipeCard::wheelEvent(QWheelEvent* e) {
  const std::size_t n = trial_.all().size();
  if (e->angleDelta().y() < 0 && first_ + inView() < n) ++first_;
  if (e->angleDelta().y() > 0 && first_ > 0) --first_;
  update();
  e->accept();
}

bool RecipeCard::takes(int key) const {
  return key == Qt::Key_Up || key == Qt::Key_Down || key == Qt::Key_Left || key == Qt::Key_Right ||
         key == Qt::Key_Plus || key == Qt::Key_Equal || key == Qt::Key_Minus || key == Qt::Key_Return ||
         key == Qt::Key_Enter || key == Qt::Key_Escape;
}

/// Its keys are its own while it has them.
bool RecipeCard::event(QEvent* e) {
  if (e->type() == QEvent::ShortcutOverride && takes(static_cast<QKeyEvent*>(e)->key())) {
    e->accept();
    return true;
  }
  return QWidget::event(e);
}

void RecipeCard::step(int by) {
  const auto n = static_cast<int>(trial_.all().size());
  trial_.hear(static_cast<std::size_t>((static_cast<int>(trial_.heard()) + by + n) % n));
}

void RecipeCard::keyPressEvent(QKeyEvent* e) {
  RecipeOptions o = trial_.options();
  switch (e->key()) {
  case Qt::Key_Up:
    step(-1);
    break;
  case Qt::Key_Down:
    step(1);
    break;
  case Qt::Key_Plus:
  case Qt::Key_Equal:
    ++o.density;
    trial_.setOptions(o);
    break;
  case Qt::Key_Minus:
    --o.density;
    trial_.setOptions(o);
    break;
  case Qt::Key_Right:
    ++o.length;
    trial_.setOptions(o);
    break;
  case Qt::Key_Left:
    --o.length;
    trial_.setOptions(o);
    break;
  case Qt::Key_Return:
  case Qt::Key_Enter:
    trial_.keep();
    break;
  case Qt::Key_Escape:
    trial_.letGo();
    break;
  default:
    QWidget::keyPressEvent(e);
  }
}

} // namespace ivrin::app
