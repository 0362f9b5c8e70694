#include "app/session/output_watch.h"

#include "app/session/session.h"
#include "app/words/as_text.h"

#include <utility>

namespace ivrin::app {
namespace {

constexpr int kEveryMs = 1000;

QString wordsOf(const OutputNews& news) {
  const QString what = asText(news.detail);
  switch (news.what) {
  case OutputNews::What::noSound:
    return Session::tr("No sound: %1. Playback is running silently. Choose a device in Listen > Output.").arg(what);
  case OutputNews::What::doesNotRun:
    return Session::tr(
               "No sound: %1 does not respond. Playback is running silently. Choose a device in Listen > Output.")
        .arg(what);
  case OutputNews::What::stopped:
    return Session::tr("Playback stopped: %1. Choose a device in Listen > Output.").arg(what);
  case OutputNews::What::gone:
    return what.isEmpty()
               ? Session::tr("No sound: the audio device was disconnected and playback stopped. Ivrin uses it again "
                             "once it is connected.")
               : Session::tr("The audio device was disconnected and playback stopped. Ivrin now uses %1.").arg(what);
  case OutputNews::What::none:
    return Session::tr("No sound: no audio device was found. Playback is running silently. Connect one, or choose it "
                       "in Listen > Output.");
  case OutputNews::What::chosen:
    return Session::tr("Playing through %1.").arg(what);
  case OutputNews::What::back:
    return Session::tr("Playing through %1 again.").arg(what);
  }
  return {};
}

} // namespace

OutputWatch::OutputWatch(Session& session, Playback& playback)
    : session_(session)
    , playback_(playback)
    , lookJob_(
          session.workers(),
          [](const std::shared_ptr<OutputSource>& outputs, const Run&) { return outputs->devices(); },
          [this](const std::vector<OutputDevice>& there) {
            playback_.tryAgain(there);
            open();
          })
    , listJob_(
          session.workers(),
          [](const std::shared_ptr<OutputSource>& outputs, const Run&) {
            return outputs ? outputs->devices() : std::vector<OutputDevice>();
          },
          [this](const std::vector<OutputDevice>& there) {
            if (const auto then = std::exchange(wanted_, nullptr)) then(there);
          })
    , openJob_(
          session.workers(), [](const OutputWish& wish, const Run&) { return openOutput(wish); },
          [this](std::shared_ptr<OpenedOutput> opened) { take(std::move(opened)); }) {
  timer_.setInterval(kEveryMs);
  connect(&timer_, &QTimer::timeout, this, &OutputWatch::lookForDevice);
}

void OutputWatch::begin(int sampleRate) {
  playback_.begin(sampleRate);
  open();
  watch();
}

void OutputWatch::open() {
  if (auto wish = playback_.takeWish()) openJob_.begin(std::move(*wish));
}

void OutputWatch::tell(const OutputNews& news) {
  emit session_.notice(wordsOf(news), news.what != OutputNews::What::back && news.what != OutputNews::What::chosen);
  watch();
}

void OutputWatch::watch() {
  if (noSound()) timer_.start();
}

void OutputWatch::lookForDevice() {
  if (!noSound())
    timer_.stop();
  else if (!lookJob_.running())
    lookJob_.begin(playback_.outputs());
}

void OutputWatch::take(std::shared_ptr<OpenedOutput> opened) {
  const auto news = playback_.take(std::move(opened));
  open(); // another was chosen meanwhile
  emit session_.outputReplaced();
  if (news) tell(*news);
  watch();
}

void OutputWatch::choose(const OutputChoice& choice) {
  if (choice == playback_.choice()) return;
  playback_.choose(choice);
  open();
}

void OutputWatch::findDevices(std::function<void(const std::vector<OutputDevice>&)> then) {
  wanted_ = std::move(then);
  listJob_.begin(playback_.outputs());
}

void OutputWatch::look() {
  const auto news = playback_.look();
  open();
  if (news) tell(*news);
}

} // namespace ivrin::app
