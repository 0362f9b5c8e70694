// The TempoChoices stand in the head where a new song's tempo is in doubt: the likeliest ones as buttons. Each is taken
// and heard with its click; pressed again it is settled.
#pragma once

#include "app/theme/ink_button.h"

#include <QWidget>

#include <vector>

namespace ivrin::app {

class TempoChoices : public QWidget {
  Q_OBJECT
 public:
  explicit TempoChoices(QWidget* parent);
  /// The likeliest first; none: hidden. `taken` is the song's own, which is marked.
  void show(const std::vector<double>& bpm, double taken);
  const std::vector<InkButton*>& buttons() const { return buttons_; }
  /// The keys go to the likeliest.
  void focusBest();

 signals:
  void chosen(double bpm);

 private:
  std::vector<double> bpm_;
  std::vector<InkButton*> buttons_;
};

} // namespace ivrin::app
