// This dialog chooses what is listened through: device, rate and buffer.
#pragma once

#include "play/output.h"

#include <QComboBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QLabel>

namespace ivrin::app {

class OutputDialog : public QDialog {
  Q_OBJECT
 public:
  OutputDialog(std::vector<OutputDevice> devices, const OutputChoice& now, int songRate, QWidget* parent);
  OutputChoice choice() const;

 private:
  void showRates();
  std::vector<OutputDevice> devices_;
  int songRate_;
  QComboBox *device_, *rate_, *buffer_;
  QLabel* delay_;
};

} // namespace ivrin::app
