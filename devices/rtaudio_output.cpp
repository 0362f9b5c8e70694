#include "devices/rtaudio_output.h"

#include <RtAudio.h>
#include <alsa/asoundlib.h>

#include <atomic>
#include <chrono>

namespace ivrin {
namespace {

void keepQuiet(const char*, int, const char*, int, const char*, ...) {}

class RtAudioOutput : public Output {
 public:
  explicit RtAudioOutput(std::unique_ptr<RtAudio> api)
      : api_(std::move(api)) {
    const RtAudio::DeviceInfo info = api_->getDeviceInfo(api_->getDefaultOutputDevice());
    name_ = info.name;
  }
  ~RtAudioOutput() override { stop(); }

  std::string name() const override { return name_; }
  bool simulated() const override { return false; }
  /// A device that has gone is not always announced: what counts is that nobody asks for sound any more.
  bool lost() const override {
    const auto calls = calls_.load(std::memory_order_relaxed);
    const auto now = std::chrono::steady_clock::now();
    if (calls != seenCalls_) {
      seenCalls_ = calls;
      seenAt_ = now;
    }
    return started_ && now - seenAt_ > std::chrono::milliseconds(1500);
  }
  std::int64_t periodFrames() const override { return period_; }

  std::string start(AudioFeed& feed, int sampleRate) override {
    feed_ = &feed;
    RtAudio::StreamParameters out;
    out.deviceId = api_->getDefaultOutputDevice();
    out.nChannels = 2;
    RtAudio::StreamOptions options;
    options.flags = RTAUDIO_NONINTERLEAVED | RTAUDIO_SCHEDULE_REALTIME;
    options.streamName = "Ivrin";
    unsigned frames = 256;
    try {
      api_->openStream(&out, nullptr, RTAUDIO_FLOAT32, static_cast<unsigned>(sampleRate), &frames,
                       &RtAudioOutput::callback, this, &options, [](RtAudioError::Type, const std::string&) {});
      period_ = frames;
      if (api_->getStreamSampleRate() != static_cast<unsigned>(sampleRate)) {
        api_->closeStream();
        return name_ + " does not run at " + std::to_string(sampleRate) + " Hz";
      }
      seenAt_ = std::chrono::steady_clock::now();
      api_->startStream();
      started_ = true;
    } catch (const RtAudioError& e) {
      return name_ + ": " + e.getMessage();
    }
    return {};
  }

  void stop() override {
    started_ = false;
    try {
      if (api_->isStreamRunning()) api_->abortStream();
      if (api_->isStreamOpen()) api_->closeStream();
    } catch (const RtAudioError&) { // it has gone: nothing left to close
    }
  }

 private:
  static int callback(void* out, void*, unsigned frames, double, RtAudioStreamStatus, void* self) {
    auto* left = static_cast<float*>(out);
    auto* output = static_cast<RtAudioOutput*>(self);
    output->feed_->fill(left, left + frames, frames);
    output->calls_.fetch_add(1, std::memory_order_relaxed);
    return 0;
  }

  std::unique_ptr<RtAudio> api_;
  AudioFeed* feed_ = nullptr;
  std::string name_;
  std::int64_t period_ = 256;
  std::atomic<std::uint64_t> calls_{0};
  bool started_ = false;
  mutable std::uint64_t seenCalls_ = 0; // by lost(), on the window's thread
  mutable std::chrono::steady_clock::time_point seenAt_;
};

} // namespace

std::unique_ptr<Output> openDefaultDevice() {
  snd_lib_error_set_handler(keepQuiet);
  try {
    auto api = std::make_unique<RtAudio>();
    api->showWarnings(false);
    if (api->getDeviceCount() == 0) return nullptr; // a default id of 0 is given even then
    if (api->getDeviceInfo(api->getDefaultOutputDevice()).outputChannels < 2) return nullptr;
    return std::make_unique<RtAudioOutput>(std::move(api));
  } catch (const RtAudioError&) {
    return nullptr;
  }
}

} // namespace ivrin
