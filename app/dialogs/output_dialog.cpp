#include "app/dialogs/output_dialog.h"

#include "app/theme/paper_dialog.h"
#include "app/theme/type.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QVBoxLayout>

#include <algorithm>

namespace ivrin::app {

OutputDialog::OutputDialog(std::vector<OutputDevice> devices, const OutputChoice& now, int songRate, QWidget* parent)
    : QDialog(parent)
    , devices_(std::move(devices))
    , songRate_(songRate)
    , device_(new QComboBox(this))
    , rate_(new QComboBox(this))
    , buffer_(new QComboBox(this))
    , delay_(new QLabel(this)) {
  setWindowTitle(tr("Output"));
  device_->setObjectName(QStringLiteral("output-device"));
  rate_->setObjectName(QStringLiteral("output-rate"));
  buffer_->setObjectName(QStringLiteral("output-buffer"));
  device_->addItem(tr("Default device"), QString());
  for (const OutputDevice& d : devices_)
    device_->addItem(QString::fromStdString(d.name), QString::fromStdString(d.name));
  const QString chosen = QString::fromStdString(now.device);
  if (device_->findData(chosen) < 0) device_->addItem(tr("%1 (not connected)").arg(chosen), chosen);
  device_->setCurrentIndex(device_->findData(chosen));
  for (const int frames : {64, 128, 256, 512, 1024, 2048}) buffer_->addItem(tr("%1 frames").arg(frames), frames);
  buffer_->setCurrentIndex(std::max(0, buffer_->findData(now.bufferFrames)));
  showRates();
  rate_->setCurrentIndex(std::max(0, rate_->findData(now.sampleRate)));
  connect(device_, &QComboBox::currentIndexChanged, this, [this] { showRates(); });
  const auto delay = [this] {
    const int rate = rate_->currentData().toInt() > 0 ? rate_->currentData().toInt() : songRate_;
    delay_->setText(tr("%1 ms per buffer").arg(1000.0 * buffer_->currentData().toInt() / rate, 0, 'f', 1));
  };
  connect(buffer_, &QComboBox::currentIndexChanged, this, delay);
  connect(rate_, &QComboBox::currentIndexChanged, this, delay);
  delay();

  auto* form = new QFormLayout;
  form->addRow(tr("&Device"), device_);
  form->addRow(tr("&Rate"), rate_);
  form->addRow(tr("&Buffer"), buffer_);
  form->addRow(QString(), delay_);
  auto* all = new QVBoxLayout(this);
  if (devices_.empty()) {
    auto* none = new QLabel(tr("No audio device was found. Playback is running silently."), this);
    none->setWordWrap(true);
    all->addWidget(none);
  }
  all->addLayout(form);
  auto* say = new QLabel(
      tr("Playback is converted when the device runs at another rate than the song. Exports are not affected."), this);
  say->setWordWrap(true);
  all->addWidget(say);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  all->addWidget(buttons);
  setMinimumWidth(scaled(440));
  dress(*this);
}

void OutputDialog::showRates() {
  const int before = rate_->currentData().toInt();
  rate_->clear();
  rate_->addItem(tr("Same as song, %1 Hz").arg(songRate_), 0);
  for (const OutputDevice& d : devices_)
    if (device_->currentData().toString() == QString::fromStdString(d.name) ||
        (device_->currentData().toString().isEmpty() && d.isDefault))
      for (const int r : d.sampleRates) rate_->addItem(tr("%1 Hz").arg(r), r);
  rate_->setCurrentIndex(std::max(0, rate_->findData(before)));
}

OutputChoice OutputDialog::choice() const {
  return {device_->currentData().toString().toStdString(), rate_->currentData().toInt(),
          buffer_->currentData().toInt()};
}

} // namespace ivrin::app
