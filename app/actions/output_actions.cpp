#include "app/actions/output_actions.h"

#include "app/dialogs/output_dialog.h"

#include <QApplication>
#include <QPointer>
#include <QSettings>

namespace ivrin::app {
namespace {

void store(const OutputChoice& c) {
  QSettings set;
  set.setValue(QStringLiteral("output/device"), QString::fromStdString(c.device));
  set.setValue(QStringLiteral("output/rate"), c.sampleRate);
  set.setValue(QStringLiteral("output/buffer"), c.bufferFrames);
}

} // namespace

OutputChoice OutputActions::storedChoice() {
  const QSettings set;
  return {set.value(QStringLiteral("output/device")).toString().toStdString(),
          set.value(QStringLiteral("output/rate"), 0).toInt(), set.value(QStringLiteral("output/buffer"), 256).toInt()};
}

void OutputActions::addActions(const QString& menu) {
  actions_->add({"output",
                 menu,
                 tr("Out&put…"),
                 tr("Sets the audio device, sample rate and buffer size."),
                 {},
                 [this] { look(); },
                 false,
                 true});
}

void OutputActions::look() {
  measure_->say(tr("Looking for audio devices…"), false);
  session_.outputs().findDevices([self = QPointer(this)](const auto& devices) {
    if (self) self->dialog(devices);
  });
}

void OutputActions::dialog(const std::vector<OutputDevice>& devices) {
  measure_->say({}, false);
  if (QApplication::activeModalWidget()) return; // something else was asked meanwhile
  OutputDialog d(devices, session_.playback().choice(), session_.isOpen() ? session_.song().sampleRate : 48000,
                 window_);
  d.setObjectName(QStringLiteral("outputDialog"));
  if (d.exec() != QDialog::Accepted) return;
  const OutputChoice c = d.choice();
  session_.outputs().choose(c);
  if (keepsState_) store(c);
}

} // namespace ivrin::app
