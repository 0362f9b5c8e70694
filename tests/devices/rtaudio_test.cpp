// The real output path: a JACK server with its dummy driver runs headless; what RtAudio played is captured by a JACK
// client and compared with the export.
#include "devices/rtaudio_output.h"
#include "dsp/dynamics/mix_limiter.h"
#include "play/player.h"
#include "playback/playback.h"
#include "test_support/bench_song.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <jack/jack.h>

#include <chrono>
#include <cmath>
#include <csignal>
#include <functional>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace ivrin;
using namespace ivrin::test;

namespace {

constexpr int kRate = 48000;

bool waitUntil(const std::function<bool()>& there, int milliseconds) {
  const auto end = std::chrono::steady_clock::now() + std::chrono::milliseconds(milliseconds);
  while (!there()) {
    if (std::chrono::steady_clock::now() > end) return false;
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
  }
  return true;
}

/// A JACK server of this test's own. JACK keeps a place for eight names; one whose server was killed is free again for
/// the same name only, so the name is always the same.
class Server {
 public:
  Server() {
    constexpr const char* kName = "ivrin-test";
    setenv("JACK_DEFAULT_SERVER", kName, 1); // RtAudio's client and ours look for this one
    setenv("JACK_NO_AUDIO_RESERVATION", "1", 1);
    setenv("JACK_NO_START_SERVER", "1", 1);
    jack_set_error_function([](const char*) {});
    jack_set_info_function([](const char*) {});
    pid_ = fork();
    if (pid_ == 0) {
      if (!freopen("/dev/null", "w", stdout) || !freopen("/dev/null", "w", stderr)) _exit(126);
      execlp("jackd", "jackd", "-n", kName, "-r", "-d", "dummy", "-r", "48000", "-p", "256",
             static_cast<char*>(nullptr));
      _exit(127);
    }
  }
  ~Server() {
    if (pid_ <= 0) return;
    ::kill(pid_, SIGTERM);
    if (!waitUntil([this] { return waitpid(pid_, nullptr, WNOHANG) == pid_; }, 5000)) kill();
  }
  Server(const Server&) = delete;
  Server& operator=(const Server&) = delete;
  bool ready() const {
    return waitUntil(
        [] {
          jack_client_t* c = jack_client_open("ivrin-probe", JackNoStartServer, nullptr);
          if (c) jack_client_close(c);
          return c != nullptr;
        },
        10000);
  }
  void kill() {
    if (pid_ <= 0) return;
    ::kill(pid_, SIGKILL);
    waitpid(pid_, nullptr, 0);
    pid_ = 0;
  }

 private:
  pid_t pid_ = 0;
};

/// Records what another client plays.
class Capture {
 public:
  explicit Capture(std::int64_t frames)
      : kept_(frames)
      , client_(jack_client_open("ivrin-capture", JackNoStartServer, nullptr)) {
    REQUIRE(client_);
    for (int i = 0; i < 2; ++i)
      ports_[i] = jack_port_register(client_, i ? "right" : "left", JACK_DEFAULT_AUDIO_TYPE, JackPortIsInput, 0);
    jack_set_process_callback(
        client_, [](jack_nframes_t n, void* self) { return static_cast<Capture*>(self)->take(n); }, this);
    jack_activate(client_);
  }
  ~Capture() { jack_client_close(client_); }
  Capture(const Capture&) = delete;
  Capture& operator=(const Capture&) = delete;

  void listenTo(const char* client) {
    const char** outs = nullptr;
    REQUIRE(waitUntil(
        [&] {
          jack_free(outs);
          outs = jack_get_ports(client_, client, JACK_DEFAULT_AUDIO_TYPE, JackPortIsOutput);
          return outs && outs[0] && outs[1];
        },
        5000));
    for (int i = 0; i < 2; ++i) REQUIRE(jack_connect(client_, outs[i], jack_port_name(ports_[i])) == 0);
    jack_free(outs);
    recording_ = true;
  }
  /// The server runs cycle after cycle, each when all its clients have done theirs: nothing is lost, however late the
  /// machine wakes us. This client keeps such cycles to real time, so that the player's mixer is not outrun.
  void freewheel(bool on) {
    pace_ = on;
    REQUIRE(jack_set_freewheel(client_, on) == 0);
  }
  bool full() const { return at_ >= kept_.frames(); }
  const StereoBuffer& heard() const { return kept_; }

 private:
  int take(jack_nframes_t n) {
    const auto* l = static_cast<const float*>(jack_port_get_buffer(ports_[0], n));
    const auto* r = static_cast<const float*>(jack_port_get_buffer(ports_[1], n));
    const std::int64_t at = at_;
    for (std::int64_t i = 0; recording_ && i < n && at + i < kept_.frames(); ++i) {
      kept_.left()[at + i] = l[i];
      kept_.right()[at + i] = r[i];
    }
    if (recording_) at_ = at + n;
    if (pace_) std::this_thread::sleep_for(std::chrono::microseconds(1000000LL * n / kRate));
    return 0;
  }
  StereoBuffer kept_;
  jack_client_t* client_;
  jack_port_t* ports_[2] = {};
  std::atomic<std::int64_t> at_{0};
  std::atomic<bool> recording_{false}, pace_{false};
};

} // namespace

TEST_CASE("what a real sound server was given is the export, bit for bit", "[device]") {
  Server server;
  REQUIRE(server.ready());
  const auto t = bigSong(3, 6, 6);
  t->song.mix.limiter = true;
  const auto plan = t->plan();
  const std::int64_t length = 3 * kRate;
  Evaluator e(*plan, Evaluator::Missing::compute);
  e.setBegin(Frames(0));
  MixLimiter limiter(kRate, plan->song().mix.ceilingDbtp, [&](Frames at, StereoSpan out) { e.mix(at, out); });
  StereoBuffer want(length);
  limiter.read(Frames(0), want.span());

  const auto devices = realDevices();
  REQUIRE_FALSE(devices->devices().empty());
  // A machine without a real-time kernel loses periods between server and clients, which is not ours: the server
  // freewheels here, and waits for its clients. A mixer kept from its processor for a tenth of a second would still
  // miss frames; then the run is taken again.
  bool clean = false;
  for (int attempt = 0; attempt < 6 && !clean; ++attempt) {
    auto output = devices->open({});
    REQUIRE(output);
    CHECK_FALSE(output->simulated());
    Player player({kRate, 256, true});
    player.setPlan(plan);
    REQUIRE(output->start(player, kRate).empty());
    CHECK(output->periodFrames() == 256);
    Capture capture(length + kRate);
    capture.listenTo("Ivrin");
    capture.freewheel(true);
    player.play(Frames(0));
    REQUIRE(waitUntil([&] { return capture.full(); }, 60000));
    player.stop();
    capture.freewheel(false);
    output->stop();
    const StereoBuffer& got = capture.heard();
    // Where frame 1000 of the song came: past the fade-in, anywhere in the first second.
    std::int64_t shift = -1;
    for (std::int64_t s = 0; s < kRate && shift < 0; ++s)
      if (std::equal(want.left() + 1000, want.left() + 1400, got.left() + s + 1000)) shift = s;
    INFO("attempt " << attempt << ": shift " << shift << ", missed " << player.missedFrames());
    if (player.missedFrames() > 0) continue;
    REQUIRE(shift >= 0);
    std::int64_t differ = 0;
    for (std::int64_t f = 500; f < length - 2000; ++f)
      differ += got.left()[f + shift] != want.left()[f] || got.right()[f + shift] != want.right()[f];
    CHECK(differ == 0);
    clean = true;
  }
  CHECK(clean);
}

TEST_CASE("a song at another rate is heard at its pitch on the server", "[device]") {
  Server server;
  REQUIRE(server.ready());
  TestSong t(44100);
  t.stem("v", 5 * 44100, sine(1000, 44100, 0.25));
  t.song.mix.limiter = false;
  auto output = realDevices()->open({});
  REQUIRE(output);
  Player player({44100, 256, true});
  player.setPlan(t.plan());
  REQUIRE(output->start(player, 44100).empty());
  Capture capture(2 * kRate);
  player.play(Frames(0));
  REQUIRE(waitUntil([&] { return player.position() > Frames(22050); }, 5000));
  capture.listenTo("Ivrin");
  REQUIRE(waitUntil([&] { return capture.full(); }, 20000));
  output->stop();
  // The strongest tone of a tenth of a second without a gap in it lies at 1 kHz, at its level.
  double best = 0;
  for (std::int64_t at = 0; at + 4800 <= 2 * kRate; at += 2400)
    best = std::max(best, toneLevel(capture.heard().left() + at, 4800, 1000, kRate));
  CHECK(Decibels::ofGain(best / 0.25).value == Approx(0).margin(0.1));
}

TEST_CASE("a server that dies is noticed, and a device that is not there is not opened", "[device]") {
  auto server = std::make_unique<Server>();
  REQUIRE(server->ready());
  const auto devices = realDevices();
  CHECK_FALSE(devices->open({"no such device", 0, 256}));
  auto output = devices->open({});
  REQUIRE(output);
  TestSong t;
  t.stem("v", 96000, sine(400, kRate, 0.2));
  Player player({kRate, 256, true});
  player.setPlan(t.plan());
  REQUIRE(output->start(player, kRate).empty());
  player.play(Frames(0));
  REQUIRE(waitUntil([&] { return player.position() > Frames(4800); }, 5000));
  CHECK_FALSE(output->lost());
  server->kill();
  CHECK(waitUntil([&] { return output->lost(); }, 6000));
  output->stop();
}

TEST_CASE("a server that comes back is taken up again", "[device]") {
  auto server = std::make_unique<Server>();
  REQUIRE(server->ready());
  TestSong t;
  t.stem("v", 96000, sine(400, kRate, 0.2));
  RenderPool pool(1);
  const std::shared_ptr<OutputSource> devices = realDevices();
  Playback playback(Playback::Options{devices, {}, false});
  const auto carryOut = [&playback] {
    std::optional<OutputNews> told;
    while (auto wish = playback.takeWish()) told = playback.take(openOutput(*wish));
    return told;
  };
  playback.begin(kRate);
  REQUIRE_FALSE(carryOut());
  playback.show(
      t.plan(), [&] { return t.plan(); }, pool);
  playback.player().play(Frames(0));
  REQUIRE(waitUntil([&] { return playback.player().position() > Frames(4800); }, 5000));
  CHECK_FALSE(playback.look());
  server->kill();
  std::optional<OutputNews> news;
  REQUIRE(waitUntil([&] { return (news = playback.look(), playback.opening()); }, 6000));
  CHECK_FALSE(news);
  news = carryOut();
  REQUIRE(news);
  CHECK(news->what == OutputNews::What::gone);
  CHECK(playback.noSound());
  playback.tryAgain(devices->devices());
  CHECK_FALSE(carryOut());
  server = std::make_unique<Server>();
  REQUIRE(server->ready());
  playback.tryAgain(devices->devices());
  const auto back = carryOut();
  REQUIRE(back);
  CHECK(back->what == OutputNews::What::back);
  const Frames at = playback.player().position();
  playback.player().play(at);
  CHECK(waitUntil([&] { return playback.player().position() > at + Frames(4800); }, 5000));
  CHECK_FALSE(playback.output()->lost());
}
