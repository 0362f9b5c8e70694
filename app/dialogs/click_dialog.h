// This dialog sets how the click sounds, and how many bars it counts in.
#pragma once

#include "play/click.h"

#include <QComboBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QSpinBox>

namespace ivrin::app {

inline constexpr int kMostCountIn = 4; // bars

class ClickDialog : public QDialog {
  Q_OBJECT
 public:
  ClickDialog(const Click& now, int countIn, QWidget* parent);
  Click click() const;
  int countIn() const { return countIn_->value(); }

 signals:
  /// While the dialog is open: to be heard.
  void changed();

 private:
  QComboBox *sound_, *parts_;
  QDoubleSpinBox *level_, *accent_;
  QSpinBox* countIn_;
};

} // namespace ivrin::app
