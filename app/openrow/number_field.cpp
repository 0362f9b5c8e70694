#include "app/openrow/number_field.h"

#include "app/openrow/field_note.h"
#include "app/openrow/note_values_page.h"
#include "app/openrow/readable_field.h"
#include "app/theme/focus_frame.h"
#include "app/theme/menu_letters.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "song/settings/setting_text.h"
#include "song/settings/setting_type.h"
#include "time/plain_number.h"

#include <QAccessible>
#include <QApplication>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>
#include <QPainterPath>

namespace ivrin::app {
namespace {

/// Its values are a few words, not typed.
bool turns(const SettingSpec& s) {
  return s.shape == Shape::one && s.type->turns();
}
/// On or off: both stand there.
bool isSwitch(const SettingSpec& s) {
  return turns(s) && s.initial.boolean();
}
constexpr int kPixelsPerStep = 4;

QFont fieldLabelFont() {
  return sans(11.5);
}
QFont fieldValueFont() {
  return sans(14.5, Weight::medium);
}
} // namespace

NumberField::NumberField(const SettingSpec& spec, QWidget* parent)
    : QWidget(parent)
    , spec_(spec)
    , value_(spec.initial) {
  setFocusPolicy(Qt::StrongFocus);
  setCursor(turns(spec) ? Qt::PointingHandCursor : Qt::SizeVerCursor);
  setObjectName(QString::fromStdString(spec.key));
  makeFieldsReadable(); // before anything is read out of it
  setSpec(spec);
}

NumberField::~NumberField() {
  if (note_) note_->deleteLater(); // it belongs to the window
}

void NumberField::setSpec(const SettingSpec& spec) {
  spec_ = spec;
  const QString tip =
      spec.curve ? tr("%1\nDrag, wheel or arrow keys change it. Double-click: default (%2). C draws a curve.\nType %3.")
                 : tr("%1\nDrag, wheel or arrow keys change it. Double-click: default (%2).\nType %3.");
  setToolTip(tip.arg(asWords(spec.meaning), asText(settingText(spec, spec.initial)), asText(settingTyping(spec))));
  announce();
  update();
}

void NumberField::setPlace(const TempoMap& map, Beats at) {
  map_ = map;
  at_ = at;
}

void NumberField::setValue(const Value& v) {
  if (v == value_) return;
  value_ = v;
  announce();
  update();
}

void NumberField::setHeard(bool on) {
  if (heard_ == on) return;
  heard_ = on;
  announce();
  update();
}

void NumberField::announce() {
  setAccessibleName(asWords(spec_.label));
  const QString text = asText(settingText(spec_, value_));
  setAccessibleDescription(heard_ ? text : tr("%1, no effect with these settings").arg(text));
}

QSize NumberField::sizeHint() const {
  return {scaled(104), scaled(38)};
}

void NumberField::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::TextAntialiasing);
  const Palette& c = paper();
  p.setFont(fieldLabelFont());
  p.setPen(c.quiet);
  const int left = scaled(4);
  p.drawText(QRect(left, 0, width() - left, height() * 2 / 5 + 1), Qt::AlignLeft | Qt::AlignBottom,
             asWords(spec_.label));
  if (spec_.curve) { // a small rising line beside the label
    const QRectF m = QRectF(curveMark()).adjusted(3, 3, -3, -2);
    p.setRenderHint(QPainter::Antialiasing);
    QPainterPath path(m.bottomLeft());
    path.cubicTo(m.left() + m.width() * 0.5, m.bottom(), m.left() + m.width() * 0.5, m.top(), m.right(), m.top());
    p.setPen(QPen(curveShown_ || underMouse() || hasFocus() ? c.ink : c.quiet, curveShown_ ? 2 : 1.2));
    p.drawPath(path);
  }
  QFont font = fieldValueFont();
  if (!heard_) font.setItalic(true);
  p.setFont(font);
  const bool off = value_.isNull() || (value_.boolean() && !*value_.boolean());
  p.setPen((off || !heard_) && !hasFocus() && !underMouse() ? c.quiet : c.ink);
  const QRect box(left, height() * 2 / 5, width() - left, height() * 3 / 5);
  int used = 0;
  if (isSwitch(spec_)) {
    paintSwitch(p, box, font);
    used = box.width() - scaled(6);
  } else {
    const QString text = QFontMetrics(font).elidedText(valueText(), Qt::ElideRight, box.width());
    p.drawText(box, Qt::AlignLeft | Qt::AlignVCenter, text);
    used = QFontMetrics(font).horizontalAdvance(text);
  }
  if (hasFocus() || edit_) { // in hand
    paintFocusFrame(p, rect());
  } else if (underMouse()) {
    p.setPen(QPen(c.barRule, 1));
    p.drawLine(left, height() - 2, std::min(width() - 4, left + used), height() - 2);
  }
}

/// As it is read; what opens a list says so.
QString NumberField::valueText() const {
  const QString text = asText(settingText(spec_, value_));
  return turns(spec_) && !isSwitch(spec_) ? text + QStringLiteral(" \u25be") : text;
}

/// Both states, the one that stands in ink and underlined.
void NumberField::paintSwitch(QPainter& p, const QRect& box, const QFont& font) const {
  const Palette& c = paper();
  int x = box.left();
  for (const bool state : {false, true}) {
    const QString word = asText(settingText(spec_, Value(state)));
    const bool stands = value_.boolean() && *value_.boolean() == state;
    const int w = QFontMetrics(font).horizontalAdvance(word);
    p.setPen(stands && heard_ ? c.ink : c.quiet);
    p.drawText(QRect(x, box.top(), w + 2, box.height()), Qt::AlignLeft | Qt::AlignVCenter, word);
    if (stands) p.fillRect(QRectF(x, box.bottom() - scaled(3), w, 1.6), heard_ ? c.ink : c.quiet);
    x += w;
    if (state) break;
    p.setPen(c.barRule);
    p.drawText(QRect(x, box.top(), scaled(16), box.height()), Qt::AlignCenter, QStringLiteral("|"));
    x += scaled(16);
  }
}

int NumberField::wantedWidth() const {
  const QFontMetrics value(fieldValueFont()), label(fieldLabelFont());
  const int words = isSwitch(spec_) ? value.horizontalAdvance(asText(settingText(spec_, Value(false)))) + scaled(16) +
                                          value.horizontalAdvance(asText(settingText(spec_, Value(true))))
                                    : value.horizontalAdvance(valueText());
  const int head = label.horizontalAdvance(asWords(spec_.label)) + (spec_.curve ? scaled(26) : 0);
  return scaled(4) + std::max(words, head) + scaled(8);
}

QString NumberField::note() const {
  return note_ && !note_->isHidden() ? note_->text() : QString();
}

QRect NumberField::curveMark() const {
  if (!spec_.curve) return {};
  const int x = scaled(4) + QFontMetrics(fieldLabelFont()).horizontalAdvance(asWords(spec_.label)) + scaled(4);
  return {x, 0, scaled(22), height() * 2 / 5 + 2};
}

void NumberField::setCurveShown(bool on) {
  curveShown_ = on;
  update();
}

void NumberField::step(int steps) {
  const Value next = steppedSetting(spec_, value_, steps, map_, at_);
  if (next == value_) return;
  setValue(next);
  emit changed(value_, true);
}

void NumberField::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  if (curveMark().contains(e->pos())) {
    emit curveRequested();
    return;
  }
  pressed_ = true;
  dragged_ = false;
  pressX_ = e->pos().x();
  pressY_ = e->pos().y();
  stepsTaken_ = 0;
  pressValue_ = value_;
}

void NumberField::mouseMoveEvent(QMouseEvent* e) {
  if (!pressed_ || turns(spec_)) return;
  const int pixels = (pressY_ - e->pos().y()) + (e->pos().x() - pressX_), steps = pixels / kPixelsPerStep;
  if (steps == 0 && !dragged_) return;
  dragged_ = true;
  if (steps == stepsTaken_) return;
  stepsTaken_ = steps;
  // From where the drag began, so that going back gives the same value again.
  const Value next = steppedSetting(spec_, pressValue_, steps, map_, at_);
  if (next == value_) return;
  setValue(next);
  emit changed(value_, true);
}

void NumberField::mouseReleaseEvent(QMouseEvent* e) {
  if (!pressed_ || e->button() != Qt::LeftButton) return;
  pressed_ = false;
  if (!dragged_ && spec_.curve && value_.list()) {
    emit curveRequested();
    return;
  }
  if (!dragged_ && offersChoices()) return offerChoices();
  if (!dragged_ && isSwitch(spec_)) step(1);
  emit settled();
}

bool NumberField::offersChoices() const {
  return turns(spec_) && !isSwitch(spec_);
}

/// All there are, with the one that stands marked.
void NumberField::offerChoices() {
  if (spec_.type->picked()) {
    emit choiceRequested();
    return;
  }
  auto* menu = new QMenu(this);
  menu->setAttribute(Qt::WA_DeleteOnClose);
  menu->setObjectName(QStringLiteral("choices"));
  for (const std::string& choice : spec_.choices) {
    QAction* a = menu->addAction(QString::fromStdString(settingText(spec_, choice)), this, [this, choice] {
      if (value_ == Value(choice)) return;
      setValue(choice);
      emit changed(value_, false);
      emit settled();
    });
    a->setCheckable(true);
    a->setChecked(value_ == Value(choice));
    if (a->isChecked()) menu->setActiveAction(a);
  }
  giveMenuLetters(menu->actions());
  menu->popup(mapToGlobal(QPoint(0, height())));
}

void NumberField::mouseDoubleClickEvent(QMouseEvent*) {
  if (offersChoices()) return;
  if (isSwitch(spec_)) { // as two clicks
    step(1);
    emit settled();
    return;
  }
  if (value_ == spec_.initial) return;
  setValue(spec_.initial);
  emit changed(value_, false);
  emit settled();
}

void NumberField::wheelEvent(QWheelEvent* e) {
  const int steps = e->angleDelta().y() / 120;
  if (steps != 0) step(steps);
  e->accept();
}

bool NumberField::event(QEvent* e) {
  if (e->type() == QEvent::ShortcutOverride) { // digits and steps are meant for the field, not for the window's actions
    const auto* k = static_cast<QKeyEvent*>(e);
    static const QList<int> ours{Qt::Key_Up,    Qt::Key_Down,   Qt::Key_PageUp,    Qt::Key_PageDown, Qt::Key_Return,
                                 Qt::Key_Enter, Qt::Key_Delete, Qt::Key_Backspace, Qt::Key_Minus,    Qt::Key_Period};
    if (spec_.curve && k->key() == Qt::Key_C && k->modifiers() == Qt::NoModifier) {
      e->accept();
      return true;
    }
    // Every letter too: in a number none is an action of the window.
    const bool types = !k->text().isEmpty() && k->text()[0].isPrint() && !k->text()[0].isSpace();
    if (!(k->modifiers() & (Qt::ControlModifier | Qt::AltModifier)) && (ours.contains(k->key()) || types)) {
      e->accept();
      return true;
    }
  }
  return QWidget::event(e);
}

void NumberField::keyPressEvent(QKeyEvent* e) {
  switch (e->key()) {
  case Qt::Key_Up:
    step(1);
    return;
  case Qt::Key_Down:
    step(-1);
    return;
  case Qt::Key_PageUp:
    step(10);
    return;
  case Qt::Key_PageDown:
    step(-10);
    return;
  case Qt::Key_Return:
  case Qt::Key_Enter:
    if (offersChoices()) return offerChoices();
    if (isSwitch(spec_)) {
      step(1);
      emit settled();
    } else {
      beginTyping(asText(settingText(spec_, value_)));
    }
    return;
  case Qt::Key_Delete:
  case Qt::Key_Backspace:
    setValue(spec_.initial);
    emit changed(value_, false);
    emit settled();
    return;
  default:
    break;
  }
  if (spec_.curve && e->key() == Qt::Key_C && e->modifiers() == Qt::NoModifier) {
    emit curveRequested();
    return;
  }
  const QString text = e->text();
  if (!text.isEmpty() && !turns(spec_) &&
      (text[0].isDigit() || QStringLiteral("-+.,").contains(text[0]) || beginsWith(text[0])) &&
      !(e->modifiers() & (Qt::ControlModifier | Qt::AltModifier))) {
    beginTyping(text);
    if (edit_) edit_->deselect();
    return;
  }
  if (!text.isEmpty() && text[0].isPrint() && !text[0].isSpace() &&
      !(e->modifiers() & (Qt::ControlModifier | Qt::AltModifier))) {
    if (text[0].isLetter())
      emit letterTyped(text[0]);
    else
      emit refused(tr("%1 does not accept “%2”. Press Return to type a value.").arg(asWords(spec_.label), text));
    return;
  }
  QWidget::keyPressEvent(e);
}

bool NumberField::beginsWith(QChar letter) const {
  std::string why; // where a whole value begins so, the letter is meant for it
  for (const QString& rest : {QString(), QStringLiteral("4")})
    if (letter.isLetter() && parseSettingAt(spec_, QString(letter + rest).toStdString(), map_, at_, why)) return true;
  return false;
}

void NumberField::beginTyping(const QString& text) {
  if (edit_ || spec_.type->drawn()) return;
  edit_ = new QLineEdit(text, this);
  edit_->setFont(fieldValueFont());
  edit_->setFrame(false);
  edit_->setGeometry(scaled(2), height() * 2 / 5 - 1, width() - scaled(6), height() * 3 / 5);
  edit_->setStyleSheet(QStringLiteral("background:%1;color:%2").arg(paper().card.name(), paper().ink.name()));
  edit_->setAccessibleName(tr("Value of %1").arg(asWords(spec_.label)));
  edit_->installEventFilter(this);
  qApp->installEventFilter(this); // a click elsewhere commits, and does what it hits
  note_ = new FieldNote(this);
  connect(edit_, &QLineEdit::textEdited, this, &NumberField::judge);
  edit_->show();
  edit_->setFocus();
  edit_->selectAll();
  judge(text);
}

/// Says under the field what may be typed, what it will be kept as where that reads otherwise, or why it is no value.
void NumberField::judge(const QString& typed) {
  const QString example = tr("such as %1").arg(asText(settingExample(spec_)));
  std::string why;
  const auto v = parseSettingAt(spec_, typed.toStdString(), map_, at_, why);
  const bool bare = typed.trimmed().isEmpty() || QStringLiteral("-+.,").contains(typed.trimmed());
  if (!v && !bare)
    note_->say(asText(why), true);
  else if (const QString kept = v ? asText(settingText(spec_, *v)) : QString(); v && kept != typed.trimmed())
    note_->say(tr("%1 \u2013 %2").arg(kept, example), false);
  else
    note_->say(example, false);
  edit_->setAccessibleDescription(note_->text());
}

bool NumberField::endTyping(bool take, bool focusHere, bool insists) {
  if (!edit_) return true;
  const std::string text = edit_->text().toStdString();
  std::string why;
  const auto v = take ? parseSettingAt(spec_, text, map_, at_, why) : std::nullopt;
  if (take && !v && insists) {
    note_->say(asText(why), true);
    edit_->selectAll();
    return false;
  }
  qApp->removeEventFilter(this);
  QLineEdit* edit = std::exchange(edit_, nullptr);
  for (QWidget* w : {static_cast<QWidget*>(edit), static_cast<QWidget*>(note_)}) {
    w->hide();
    w->deleteLater();
  }
  note_.clear();
  if (focusHere) setFocus();
  if (take && !v) emit refused(asText(why));
  if (v) enter(*v);
  return !take || v;
}

std::optional<Value> NumberField::timeAs(const NoteValue& v) const {
  if (spec_.shape != Shape::one || turns(spec_) || spec_.type->picked() || spec_.type->namesRow()) return std::nullopt;
  const double seconds = v.seconds(map_, at_).value;
  std::string why;
  for (const std::string& text : {v.text(), roundNumber(seconds * 1e3, 9) + " ms", roundNumber(seconds, 9) + " s"})
    if (auto value = parseSettingAt(spec_, text, map_, at_, why)) return value;
  return std::nullopt;
}

bool NumberField::pickTime() {
  if (!timeAs(*NoteValue::parse("1/4")) && !timeAs(*NoteValue::parse("1/64"))) return false;
  const QPointer<NumberField> self(this); // another ornament may be opened meanwhile
  NoteValuesPage page(map_, at_, asWords(spec_.label), window());
  if (page.exec() != QDialog::Accepted || !page.picked() || !self) return true;
  if (const auto v = timeAs(*page.picked()))
    enter(*v);
  else
    emit refused(tr("%1: %2 is out of range").arg(asWords(spec_.label), QString::fromStdString(page.picked()->text())));
  return true;
}

void NumberField::contextMenuEvent(QContextMenuEvent* e) {
  if (!pickTime()) QWidget::contextMenuEvent(e);
}

void NumberField::enter(const Value& v) {
  if (v == value_) return;
  setValue(v);
  emit changed(value_, false);
  emit settled();
}

bool NumberField::eventFilter(QObject* o, QEvent* e) {
  if (edit_ && e->type() == QEvent::MouseButtonPress && o != edit_ && o->isWidgetType() &&
      !edit_->isAncestorOf(static_cast<QWidget*>(o)) && static_cast<QWidget*>(o)->window() == window())
    endTyping(true, false);
  if (o == edit_ && e->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape)
    e->accept(); // it gives up what is typed, and nothing of the window
  if (o == edit_ && e->type() == QEvent::KeyPress) {
    // Taken here: a line edit lets Return pass on to its parent, which would begin to type again.
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Escape || key == Qt::Key_Return || key == Qt::Key_Enter) {
      if (endTyping(key != Qt::Key_Escape, true, true) && key != Qt::Key_Escape) emit typed();
      return true;
    }
  }
  if (o == edit_ && e->type() == QEvent::FocusOut && // its own menu is no reason to end
      static_cast<QFocusEvent*>(e)->reason() != Qt::PopupFocusReason)
    endTyping(true, false);
  return QWidget::eventFilter(o, e);
}

void retire(std::vector<NumberField*>& fields) {
  for (NumberField* f : fields) {
    f->giveUpTyping();
    f->blockSignals(true); // all but destroyed(), which who reads the window aloud waits for
    f->hide();
    f->deleteLater();
  }
  fields.clear();
}

void jumpByLetter(const std::vector<NumberField*>& fields, QObject* owner, std::function<void(const QString&)> say) {
  for (std::size_t i = 0; i < fields.size(); ++i)
    QObject::connect(fields[i], &NumberField::letterTyped, owner, [fields, i, say](QChar letter) {
      for (std::size_t k = 1; k <= fields.size(); ++k) {
        NumberField* f = fields[(i + k) % fields.size()];
        if (!f->isVisible() || asWords(f->spec().label).at(0).toLower() != letter.toLower()) continue;
        return f->setFocus();
      }
      say(NumberField::tr("No setting here starts with “%1”.").arg(letter));
    });
}

} // namespace ivrin::app
