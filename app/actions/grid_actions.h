// These actions edit the grid over the stems: its tempo and meter, where bar 1 lies, and the key. They also say how
// well the grid fits what is played.
#pragma once

#include "analysis/grid_check.h"
#include "app/actions/action_group.h"
#include "app/actions/recipe_actions.h"
#include "app/lines/form_line.h"

namespace ivrin::app {

class FormLine;

class GridActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::GridActions)
 public:
  GridActions(const Desk& desk, FormLine& form, RecipeActions& recipes);
  void addActions(const QString& menu);
  void addNoteValues(const QString& menu);
  /// The tempi, meters, key and markers of a MIDI file; it is read by a job.
  void takeMidi(const std::filesystem::path& file);
  /// One of the tempi that a new song may have: taken and heard with the click; a second time it is settled.
  void tryLikely(double bpm);

 private:
  void tempoDialog(Beats at, bool fromHere);
  void tempoFromHere();
  void hearWithClick();
  void tempoMayBeSettled();
  void meterDialog(Beats at);
  void midiDialog();
  void useMidi(const MidiRead& read);
  void askKey();
  void gridCheck();
  void toWorstOfGrid();
  void noteValues();
  QString gridWords(const std::vector<BarOffset>& offsets) const;
  QString whatMoved(bool onTheSound) const;
  void changeTempi(const QString& label, const Song& changed);
  void takeGrid(const QString& label, const QString& said, const Song& changed, bool onTheSound);
  void putBarOne(Beats at);
  void markClicked(const GridMark& mark);
  void markMoved(const GridMark& mark, Beats to);
  void showRulerMenu(Beats at, const QPoint& globalAt);
  double tried_ = 0; // BPM, of the tempi in doubt
  FormLine* form_;
  RecipeActions& recipes_;
};

} // namespace ivrin::app
