// A NumberField is one setting as a number on the page: its label above, its value below. It is dragged, wheeled,
// stepped by keys and typed into.
#pragma once

#include "app/openrow/field_note.h"
#include "song/settings/setting_spec.h"
#include "time/note_value.h"

#include <QLineEdit>
#include <QPointer>
#include <QWidget>

#include <functional>
#include <vector>

namespace ivrin::app {

class NumberField : public QWidget {
  Q_OBJECT
 public:
  /// `spec` must outlive the field. `at` is where in the song times are meant.
  NumberField(const SettingSpec& spec, QWidget* parent);
  ~NumberField() override;
  /// Off: as the other settings stand it makes no difference; it is drawn quiet.
  void setHeard(bool on);
  void setPlace(const TempoMap& map, Beats at);
  void setValue(const Value& v);
  const Value& value() const { return value_; }
  const SettingSpec& spec() const { return spec_; }
  /// The same setting with other choices: what names landings follows their names.
  void setSpec(const SettingSpec& spec);
  /// Its curve is being shown.
  void setCurveShown(bool on);
  QRect curveMark() const;
  QSize sizeHint() const override;
  /// Pixels that its label and value need, so that neither is cut.
  int wantedWidth() const;
  /// What stands under it while it is typed into; empty while it is not.
  QString note() const;

 signals:
  /// `merge` while a drag or a run of steps goes on: one undo step.
  void changed(const ivrin::Value& v, bool merge);
  void settled();
  void refused(const QString& why);
  /// A letter while nothing is being typed: it goes to a field whose name begins so.
  void letterTyped(QChar letter);
  void focused();
  /// Return ended the typing: the keys go back to where they were.
  void typed();
  /// The setting's curve is wanted: by its mark, by C, or by a click on a value that is one.
  void curveRequested();
  /// A file or a row is to be picked.
  void choiceRequested();

 protected:
  bool event(QEvent* e) override;
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override;
  void mouseMoveEvent(QMouseEvent*) override;
  void mouseReleaseEvent(QMouseEvent*) override;
  void mouseDoubleClickEvent(QMouseEvent*) override;
  void wheelEvent(QWheelEvent*) override;
  void contextMenuEvent(QContextMenuEvent*) override;
  void keyPressEvent(QKeyEvent*) override;
  void focusInEvent(QFocusEvent*) override {
    update();
    emit focused();
  }
  void focusOutEvent(QFocusEvent*) override { update(); }
  void enterEvent(QEnterEvent*) override { update(); }
  void leaveEvent(QEvent*) override { update(); }

 public:
  /// As the wheel or the arrow keys would.
  void stepBy(int steps) { step(steps); }
  /// What is being typed is forgotten.
  void giveUpTyping() { endTyping(false, false); }
  /// As if it had been typed.
  void enter(const Value& v);
  /// This note value as a value of the setting: itself, beats, milliseconds or seconds. Nothing where it takes no
  /// times.
  std::optional<Value> timeAs(const NoteValue& v) const;
  /// The page of note values, to pick one; false where it takes no times.
  bool pickTime();

 private:
  void step(int steps);
  bool offersChoices() const;
  void offerChoices();
  void beginTyping(const QString& text);
  /// What is typed is taken, or given up. False where it is no value: said, and still being typed where `insists`.
  bool endTyping(bool take, bool focusHere, bool insists = false);
  void judge(const QString& typed);
  /// A letter that its values begin with: "L 45", "A3".
  bool beginsWith(QChar letter) const;
  QString valueText() const;
  void paintSwitch(QPainter& p, const QRect& box, const QFont& font) const;
  void announce();
  bool eventFilter(QObject* o, QEvent* e) override;

  SettingSpec spec_;
  Value value_;
  TempoMap map_;
  Beats at_;
  QLineEdit* edit_ = nullptr;
  QPointer<FieldNote> note_; // while it is typed into
  bool pressed_ = false, dragged_ = false, curveShown_ = false, heard_ = true;
  int pressX_ = 0, pressY_ = 0, stepsTaken_ = 0;
  Value pressValue_;
};

/// Fields that make way for others: unseen and silent at once, gone once nothing can be inside of them any more. Qt may
/// just be giving one of them the keys.
void retire(std::vector<NumberField*>& fields);

/// A letter typed in one of them goes to the next one whose name begins so; where none does, `say` says so.
void jumpByLetter(const std::vector<NumberField*>& fields, QObject* owner, std::function<void(const QString&)> say);

} // namespace ivrin::app
