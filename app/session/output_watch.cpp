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
    return Session::tr("No sound: %1. Playback is running silently.").arg(what);
  case OutputNews::What::doesNotRun:
    return Session::tr("No sound: %1 does not run. Playback is running silently.").arg(what);
  case OutputNews::What::stopped:
    return Session::tr("Playing stopped: %1.").arg(what);
  case OutputNews::What::gone:
    return what.isEmpty()
               ? Session::tr("No sound: the sound device has gone, and playing stopped. Ivrin takes it up again when "
                             "it is back.")
               : Session::tr("The sound device has gone, and playing stopped. %1 is used from now on.").arg(what);
  case OutputNews::What::back:
    return Session::tr("Sound is back through %1.").arg(what);
  }
  return {};
}

} // namespace

OutputWatch::OutputWatch(Session& session, Playback& playback)
    : session_(session)
    , playback_(playback)
    , job_(
          session.workers(),
          [](const std::shared_ptr<OutputSource>& outputs, const Run&) { return outputs->devices(); },
          [this](const std::vector<OutputDevice>& there) { take(there); })
    , listJob_(
          session.workers(),
          [](const std::shared_ptr<OutputSource>& outputs, const Run&) {
            return outputs ? outputs->devices() : std::vector<OutputDevice>();
          },
          [this](const std::vector<OutputDevice>& there) {
            if (const auto then = std::exchange(wanted_, nullptr)) then(there);
          }) {
  timer_.setInterval(kEveryMs);
  connect(&timer_, &QTimer::timeout, this, &OutputWatch::lookForDevice);
}

void OutputWatch::begin(int sampleRate) {
  if (const auto news = playback_.begin(sampleRate)) tell(*news);
  watch();
}

void OutputWatch::tell(const OutputNews& news) {
  emit session_.notice(wordsOf(news), news.what != OutputNews::What::back);
  watch();
}

void OutputWatch::watch() {
  if (noSound()) timer_.start();
}

void OutputWatch::lookForDevice() {
  if (!noSound())
    timer_.stop();
  else if (!job_.running())
    job_.begin(playback_.outputs());
}

void OutputWatch::take(const std::vector<OutputDevice>& there) {
  const auto news = playback_.tryAgain(there);
  if (!news) return;
  session_.hearPlan();
  emit session_.outputReplaced();
  tell(*news);
}

void OutputWatch::choose(const OutputChoice& choice) {
  if (choice == playback_.choice()) return;
  playback_.choose(choice);
  replace();
}

void OutputWatch::findDevices(std::function<void(const std::vector<OutputDevice>&)> then) {
  wanted_ = std::move(then);
  listJob_.begin(playback_.outputs());
}

void OutputWatch::replace() {
  if (const auto news = playback_.replaceOutput()) tell(*news);
  watch();
  if (!session_.isOpen()) return;
  session_.hearPlan();
  emit session_.outputReplaced();
}

void OutputWatch::look() {
  const auto news = playback_.look();
  if (!news) return;
  if (news->what == OutputNews::What::gone) { // another device: a player of its own
    session_.hearPlan();
    emit session_.outputReplaced();
  }
  tell(*news);
}

} // namespace ivrin::app
