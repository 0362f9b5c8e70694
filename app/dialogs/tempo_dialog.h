// This dialog asks for the tempo that holds at a place: typed, tapped, found by listening, or half and double of what
// it is. It also asks whether the song is to be played faster, or the grid lay wrong.
#pragma once

#include "services/grid_finding.h"

#include <QCheckBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QElapsedTimer>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QRadioButton>

namespace ivrin::app {

class TempoDialog : public QDialog {
  Q_OBJECT
 public:
  /// `where` says from where on it holds; `everywhere`: another grid can be had, too. With no ornaments there is
  /// nothing to choose between.
  TempoDialog(double bpm, const QString& where, bool hasOrnaments, bool everywhere, QWidget* parent);
  double bpm() const { return bpm_->value(); }
  /// The grid lay wrong: what is placed stays on the sound.
  bool corrects() const { return corrects_->isChecked(); }
  /// The beats that were found are to be followed, tempo by tempo, in all of the song.
  const FoundGrid* followed() const { return follows_->isChecked() ? &found_ : nullptr; }
  /// What was found by listening, or that nothing was.
  void setFound(const FoundGrid& found);
  /// Tempi that may be meant, as buttons, the likeliest first and in focus.
  void offerLikely(const std::vector<double>& tempi);

 signals:
  void listens();
  /// One of the tempi that may be meant is to be heard with its click, as the song's for now.
  void tries(double bpm);

 private:
  void tap();
  QDoubleSpinBox* bpm_;
  QRadioButton *corrects_, *changes_;
  QPushButton* listen_;
  QCheckBox* follows_;
  QHBoxLayout* likely_;
  QLabel* said_;
  FoundGrid found_;
  bool everywhere_; // not from a place on
  QElapsedTimer clock_;
  std::vector<double> taps_; // seconds
};

/// The tempo of taps at these seconds, from four on: the slope through them, those that are a third of a beat off left
/// out; nothing under that.
std::optional<double> tappedTempo(const std::vector<double>& seconds);

} // namespace ivrin::app
