// This page shows every note value in milliseconds and hertz at one place of the song. The user reads them, copies
// them, or picks one for a number.
#pragma once

#include "time/note_value.h"

#include <QDialog>
#include <QLabel>
#include <QTableWidget>

namespace ivrin::app {

class NoteValuesPage : public QDialog {
  Q_OBJECT
 public:
  /// At this place of the song; `forWhat` names the number that a time is picked for, empty: they are copied.
  NoteValuesPage(const TempoMap& map, Beats at, const QString& forWhat, QWidget* parent);
  /// What was picked.
  const std::optional<NoteValue>& picked() const { return picked_; }

 protected:
  bool eventFilter(QObject* o, QEvent* e) override;

 private:
  void act(int row, int column, bool hertz);
  int rowOf(const NoteValue& v) const;
  const NoteValue* valueAt(int row, int column) const;
  TempoMap map_;
  Beats at_;
  bool picks_;
  std::vector<NoteValue> values_, rows_;
  QTableWidget* table_;
  QLabel* said_;
  std::optional<NoteValue> picked_;
};

} // namespace ivrin::app
