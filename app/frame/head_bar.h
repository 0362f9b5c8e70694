// The HeadBar is the line at the top of the window: title, menus, position, tempo, meter and key, playing, with and
// without, meters.
#pragma once

#include "app/actions/action_registry.h"
#include "app/actions/listening.h"
#include "app/frame/painted.h"
#include "app/frame/tempo_choices.h"
#include "app/openrow/number_field.h"
#include "app/session/session.h"
#include "app/theme/ink_button.h"

#include <QHBoxLayout>
#include <QMenuBar>

namespace ivrin::app {

class HeadBar : public QWidget {
  Q_OBJECT
 public:
  HeadBar(Session& session, ActionRegistry& actions, Listening& listening, QWidget* parent);
  QSize sizeHint() const override;
  QSize minimumSizeHint() const override;
  QString positionText() const;
  InkButton* button(const QString& actionId) const { return buttons_.value(actionId); }
  NumberField* monitor() const { return monitor_; }
  QWidget* tempo() const { return tempo_; }
  QWidget* meter() const { return meter_; }
  /// Buttons of the tempi that may be meant; hidden where none is in doubt.
  TempoChoices* tempoChoices() const { return choices_; }
  /// Once all menus are whole: every entry gets a letter of its own.
  void giveMenuLetters();
  QMenu* menu(const QString& title) const { return menu_.value(title); }
  /// What stands beside the title of a song with unsaved edits.
  QString changedWords() const;
  /// As the meter says it: "−14.2 LUFS · −1.6 dBTP".
  QString meterText() const;

 signals:
  void tempoChosen(double bpm);

 public slots:
  void refresh();
  void tick();

 protected:
  void paintEvent(QPaintEvent*) override;
  bool eventFilter(QObject* o, QEvent* e) override;
  void resizeEvent(QResizeEvent*) override;

 private:
  void makeTitle();
  void makeMenus();
  void makePosition();
  void makeTempo();
  void showTempoChoices();
  void addHearing(QHBoxLayout& row);
  void makeMeter();
  void addMonitor(QHBoxLayout& row);
  InkButton* addButton(InkButton* b, const QString& actionId);
  Session& session_;
  ActionRegistry& actions_;
  Listening& listening_;
  QMenuBar* menus_;
  QMap<QString, QMenu*> menu_;
  NumberField* monitor_;
  TempoChoices* choices_;
  void fit();
  bool stacked_ = false; // meter and key under the tempo
  bool wasPlaying_ = false;
  float truePeak_ = 0;
  Painted *title_, *position_, *tempo_, *meter_;
  QMap<QString, InkButton*> buttons_;
  QString shownPosition_;
  float peakLeft_ = 0, peakRight_ = 0, holdLeft_ = 0, holdRight_ = 0;
  double lufs_ = -200, limiterDb_ = 0;
  QRectF meterArea_, keyArea_; // of the tempo's field: where a click opens another panel than the tempo's
};

} // namespace ivrin::app
