#include "devices/rtaudio_output.h"

#include "play/rate_feed.h"

#include <RtAudio.h>
#include <alsa/asoundlib.h>

#include <atomic>
#include <chrono>
#include <mutex>

namespace ivrin {
namespace {

void keepQuiet(const char*, int, const char*, int, const char*, ...) {}

/// What the library said last about an error. It gives its error callback nothing to tell streams apart by; one stream
/// runs at a time.
class LastError {
 public:
  void clear() { say({}); }
  void say(const std::string& text) {
    std::lock_guard lock(mutex_);
    text_ = text;
  }
  std::string text() const {
    std::lock_guard lock(mutex_);
    return text_;
  }

 private:
  mutable std::mutex mutex_;
  std::string text_;
};

LastError& lastError() {
  static LastError e;
  return e;
}

class RtAudioOutput : public Output {
 public:
  RtAudioOutput(std::unique_ptr<RtAudio> api, unsigned device, OutputChoice choice)
      : api_(std::move(api))
      , device_(device)
      , choice_(std::move(choice))
      , name_(api_->getDeviceInfo(device).name) {}
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
  bool everAsked() const override { return calls_.load(std::memory_order_relaxed) > 0; }
  std::int64_t periodFrames() const override { return period_; }

  std::string start(AudioFeed& feed, int songRate) override {
    RtAudio::StreamParameters out;
    out.deviceId = device_;
    out.nChannels = 2;
    RtAudio::StreamOptions options;
    options.flags = RTAUDIO_NONINTERLEAVED | RTAUDIO_SCHEDULE_REALTIME;
    options.streamName = "Ivrin";
    auto frames = static_cast<unsigned>(choice_.bufferFrames);
    // With a callback for errors the library tells it instead of throwing, from whichever thread meets them.
    lastError().clear();
    calls_ = 0;
    const int rate = deviceRate(songRate);
    try {
      api_->openStream(&out, nullptr, RTAUDIO_FLOAT32, static_cast<unsigned>(rate), &frames, &RtAudioOutput::callback,
                       this, &options, &RtAudioOutput::onError);
      if (!api_->isStreamOpen()) return whyNot();
      period_ = frames;
      const auto got = static_cast<int>(api_->getStreamSampleRate());
      converter_.reset();
      feed_ = &feed;
      if (got != songRate) {
        converter_ = std::make_unique<RateFeed>(feed, songRate, got);
        feed_ = converter_.get();
      }
      seenAt_ = std::chrono::steady_clock::now();
      api_->startStream();
      if (!api_->isStreamRunning()) {
        std::string why = whyNot();
        stop();
        return why;
      }
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
  static void onError(RtAudioError::Type type, const std::string& text) {
    if (type != RtAudioError::WARNING && type != RtAudioError::DEBUG_WARNING) lastError().say(text);
  }
  std::string whyNot() const {
    const std::string text = lastError().text();
    return name_ + ": " + (text.empty() ? "it could not be started" : text);
  }
  /// The rate chosen; else the song's where the device has it, else what the device prefers.
  int deviceRate(int songRate) const {
    const RtAudio::DeviceInfo info = api_->getDeviceInfo(device_);
    const int wanted = choice_.sampleRate > 0 ? choice_.sampleRate : songRate;
    for (const unsigned r : info.sampleRates)
      if (static_cast<int>(r) == wanted) return wanted;
    return info.preferredSampleRate > 0 ? static_cast<int>(info.preferredSampleRate) : wanted;
  }

  static int callback(void* out, void*, unsigned frames, double, RtAudioStreamStatus, void* self) {
    auto* left = static_cast<float*>(out);
    auto* output = static_cast<RtAudioOutput*>(self);
    output->feed_->fill(left, left + frames, frames);
    output->calls_.fetch_add(1, std::memory_order_relaxed);
    return 0;
  }

  std::unique_ptr<RtAudio> api_;
  unsigned device_;
  OutputChoice choice_;
  std::string name_;
  AudioFeed* feed_ = nullptr;
  std::unique_ptr<RateFeed> converter_;
  std::int64_t period_ = 256;
  std::atomic<std::uint64_t> calls_{0};
  bool started_ = false;
  mutable std::uint64_t seenCalls_ = 0; // by lost(), on the window's thread
  mutable std::chrono::steady_clock::time_point seenAt_;
};

class RtAudioDevices : public OutputSource {
 public:
  RtAudioDevices() { snd_lib_error_set_handler(keepQuiet); }

  std::vector<OutputDevice> devices() override {
    std::vector<OutputDevice> found;
    each([&](RtAudio&, unsigned, const RtAudio::DeviceInfo& info) {
      OutputDevice d{info.name, {}, info.isDefaultOutput};
      for (const unsigned r : info.sampleRates) d.sampleRates.push_back(static_cast<int>(r));
      found.push_back(std::move(d));
      return false;
    });
    return found;
  }

  std::unique_ptr<Output> open(const OutputChoice& choice) override {
    std::unique_ptr<Output> made;
    each([&](RtAudio& api, unsigned id, const RtAudio::DeviceInfo& info) {
      const bool wanted = choice.device.empty() ? id == api.getDefaultOutputDevice() : info.name == choice.device;
      if (!wanted) return false;
      auto own = std::make_unique<RtAudio>(api.getCurrentApi());
      own->showWarnings(false);
      made = std::make_unique<RtAudioOutput>(std::move(own), id, choice);
      return true;
    });
    return made;
  }

 private:
  /// Every device with two channels out, until `found` is true.
  template <class Found> void each(Found found) {
    try {
      RtAudio api;
      api.showWarnings(false);
      const unsigned n = api.getDeviceCount(); // a default id of 0 is given even when there is none
      for (unsigned id = 0; id < n; ++id) {
        const RtAudio::DeviceInfo info = api.getDeviceInfo(id);
        if (info.probed && info.outputChannels >= 2 && found(api, id, info)) return;
      }
    } catch (const RtAudioError&) { // no sound system: no devices
    }
  }
};

} // namespace

std::unique_ptr<OutputSource> realDevices() {
  return std::make_unique<RtAudioDevices>();
}

} // namespace ivrin
