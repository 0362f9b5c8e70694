// Hearing a song through devices that behave, that cannot start, that never ask for sound, and that go away.
#include "playback/playback.h"
#include "render/facts.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

enum class Manner { good, refuses, silent };

/// A device in steps whose manner the test chose.
class OddOutput : public SimulatedOutput {
 public:
  OddOutput(Manner manner, std::string name)
      : SimulatedOutput(Mode::stepped, 256)
      , manner_(manner)
      , name_(std::move(name)) {}
  std::string name() const override { return name_; }
  bool simulated() const override { return false; }
  std::string start(AudioFeed& feed, int rate) override {
    return manner_ == Manner::refuses ? "the device is in use" : SimulatedOutput::start(feed, rate);
  }
  bool lost() const override { return manner_ == Manner::silent || SimulatedOutput::lost(); }

 private:
  Manner manner_;
  std::string name_;
};

class OddDevices : public OutputSource {
 public:
  std::vector<OutputDevice> devices() override { return {{"Desk", {44100, 48000}, true}}; }
  std::unique_ptr<Output> open(const OutputChoice& choice) override {
    opened.push_back(choice.device);
    if (!there || (!choice.device.empty() && choice.device != "Desk")) return nullptr;
    auto made = std::make_unique<OddOutput>(manner, "Desk " + std::to_string(opened.size()));
    out = made.get();
    return made;
  }
  Manner manner = Manner::good;
  bool there = true;
  std::vector<std::string> opened;
  OddOutput* out = nullptr;
};

/// A steady tone with a gap in it as the one ornament.
struct Heard {
  explicit Heard(Manner manner = Manner::good) {
    devices->manner = manner;
    song.stem("keys", 8 * 24000, sine(440, 48000, 0.25));
    song.ornament("gap", "keys", 2, 2);
    id = song.ornaments.front().id;
    playback = std::make_unique<Playback>(Playback::Options{devices, {}, true});
    playback->begin(48000);
    news = carryOut();
    show();
  }
  /// What is wished is done, as another thread would.
  std::optional<OutputNews> carryOut() {
    std::optional<OutputNews> told;
    while (auto wish = playback->takeWish()) told = playback->take(openOutput(*wish));
    return told;
  }
  std::optional<OutputNews> tryAgain(const std::vector<OutputDevice>& there) {
    playback->tryAgain(there);
    return carryOut();
  }
  std::optional<OutputNews> look() {
    auto told = playback->look();
    auto then = carryOut();
    return told ? told : then;
  }
  void show() {
    plan = song.plan();
    playback->show(
        plan, [&] { return without; }, pool);
  }
  /// RMS of the left side between two beats, as the device got it.
  double rms(double from, double to) {
    playback->player().play(Frames(std::llround(from * 24000)));
    devices->out->forgetRecording();
    devices->out->step(std::llround((to - from) * 24000) + Player::monitorDelay(48000));
    const StereoBuffer b = devices->out->recorded();
    double sum = 0;
    const std::int64_t skip = Player::monitorDelay(48000) + 512; // its fade in
    for (std::int64_t i = skip; i < b.frames(); ++i) sum += static_cast<double>(b.left()[i] * b.left()[i]);
    playback->player().stop();
    return std::sqrt(sum / static_cast<double>(b.frames() - skip));
  }

  std::shared_ptr<OddDevices> devices = std::make_shared<OddDevices>();
  TestSong song;
  std::string id;
  RenderPool pool{1};
  std::shared_ptr<const RenderPlan> plan, without;
  std::unique_ptr<Playback> playback;
  std::optional<OutputNews> news;
};

} // namespace

TEST_CASE("a device that cannot start is told of once; a stand-in keeps time", "[services]") {
  Heard h(Manner::refuses);
  REQUIRE(h.news);
  CHECK(h.news->what == OutputNews::What::noSound);
  CHECK(h.news->detail == "the device is in use");
  CHECK(h.playback->output()->simulated());
  for (int i = 0; i < 100; ++i) CHECK_FALSE(h.look()); // at every picture
  CHECK(h.devices->opened.size() == 1);                // not tried again and again
  h.playback->player().play(Frames(0));
  const_cast<SimulatedOutput*>(dynamic_cast<const SimulatedOutput*>(h.playback->output()))->waitForPeriods(4);
  CHECK(h.playback->player().playing());
}

TEST_CASE("a device that says it runs and never asks for sound is given up once", "[services]") {
  Heard h(Manner::silent);
  CHECK_FALSE(h.news);
  const auto news = h.look();
  REQUIRE(news);
  CHECK(news->what == OutputNews::What::doesNotRun);
  CHECK(news->detail == "Desk 1");
  CHECK(h.playback->output()->simulated());
  for (int i = 0; i < 100; ++i) CHECK_FALSE(h.look());
  CHECK(h.devices->opened.size() == 1);
}

TEST_CASE("where there is no device one is taken up once it is there, from the same place", "[services]") {
  Heard h;
  h.playback->player().play(Frames(24000));
  h.devices->out->step(4800);
  CHECK_FALSE(h.playback->noSound());
  const Frames at = h.playback->player().position();
  h.playback->player().stop();
  h.devices->there = false;
  h.devices->out->disappear();
  REQUIRE(h.look());
  CHECK(h.playback->noSound());
  h.playback->player().setPosition(at);
  for (int i = 0; i < 5; ++i) CHECK_FALSE(h.tryAgain({})); // the server is away
  h.devices->there = true;
  const auto back = h.tryAgain(h.devices->devices());
  REQUIRE(back);
  CHECK(back->what == OutputNews::What::back);
  CHECK(back->detail == h.playback->output()->name());
  CHECK_FALSE(h.playback->noSound());
  CHECK(h.playback->player().position() == at);
  CHECK_FALSE(h.playback->player().playing());
  h.show();
  CHECK(h.rms(0, 1) == Approx(0.25 / std::sqrt(2)).epsilon(0.01));
}

TEST_CASE("a device that is listed and does not start is tried now and then; what plays silently plays on",
          "[services]") {
  Heard h(Manner::refuses);
  CHECK(h.playback->noSound());
  h.playback->player().play(Frames(0));
  const Player* player = &h.playback->player();
  for (int i = 0; i < 25; ++i) CHECK_FALSE(h.tryAgain(h.devices->devices()));
  CHECK(h.devices->opened.size() == 4); // at first, when it was seen, and twice in 24
  CHECK(&h.playback->player() == player);
  CHECK(h.playback->player().playing());
  h.devices->manner = Manner::good;
  std::optional<OutputNews> back;
  for (int i = 0; i < 10 && !back; ++i) back = h.tryAgain(h.devices->devices());
  REQUIRE(back);
  CHECK(back->what == OutputNews::What::back);
  // One that never runs would only stop what plays: it waits until there are others.
  Heard silent(Manner::silent);
  REQUIRE(silent.look());
  for (int i = 0; i < 25; ++i) CHECK_FALSE(silent.tryAgain(silent.devices->devices()));
  CHECK(silent.devices->opened.size() == 1);
  silent.devices->manner = Manner::good;
  CHECK(silent.tryAgain({{"Phones", {48000}, true}}));
}

TEST_CASE("a device that goes is replaced, from the same place", "[services]") {
  Heard h;
  CHECK_FALSE(h.news);
  h.playback->player().play(Frames(24000));
  h.devices->out->step(4800);
  CHECK_FALSE(h.look());
  const Frames at = h.playback->player().position();
  CHECK(at > Frames(24000));
  h.devices->out->disappear();
  const auto news = h.look();
  REQUIRE(news);
  CHECK(news->what == OutputNews::What::gone);
  CHECK(news->detail == "Desk 2");
  CHECK(h.playback->player().position() == at);
  CHECK_FALSE(h.playback->player().playing()); // never goes on by itself through another loudspeaker
  h.show();
  CHECK(h.rms(0, 1) == Approx(0.25 / std::sqrt(2)).epsilon(0.01));
  // None is there any more: the stand-in, which is no device.
  h.devices->there = false;
  h.devices->out->disappear();
  const auto none = h.look();
  REQUIRE(none);
  CHECK(none->what == OutputNews::What::gone);
  CHECK(none->detail.empty());
  CHECK(h.playback->output()->simulated());
}

TEST_CASE("a chosen device that is not there gives way to the usual one", "[services]") {
  Heard h;
  h.playback->choose({"Phones", 0, 512});
  const auto news = h.carryOut();
  REQUIRE(news);
  CHECK(news->what == OutputNews::What::chosen);
  CHECK(news->detail == "Desk 3");
  CHECK(h.devices->opened == std::vector<std::string>{"", "Phones", ""});
  // None at all: said, and a stand-in keeps time.
  h.devices->there = false;
  h.playback->choose({"Phones", 0, 256});
  const auto none = h.carryOut();
  REQUIRE(none);
  CHECK(none->what == OutputNews::What::none);
  CHECK(h.playback->noSound());
  Playback without{Playback::Options{}};
  without.begin(48000);
  CHECK_FALSE(without.takeWish());
  CHECK(without.output()->simulated());
}

TEST_CASE("while a device is opened the playhead rests; what plays comes in on the frame where it waits",
          "[services]") {
  Heard h;
  h.playback->player().play(Frames(24000));
  h.devices->out->step(4800);
  const Frames at = h.playback->player().position();
  h.playback->choose({"Desk", 0, 512});
  auto first = h.playback->takeWish();
  REQUIRE(first);
  CHECK(h.playback->opening());
  CHECK_FALSE(h.playback->noSound());
  CHECK(h.playback->output() == nullptr);
  h.devices->out->step(9600); // the former one still runs, and is given nothing
  CHECK(h.playback->player().position() == at);
  // Another is chosen before the first is there: that one is let go, and one at a time is opened.
  h.playback->choose({"Desk", 0, 128});
  CHECK_FALSE(h.playback->takeWish());
  CHECK_FALSE(h.playback->take(openOutput(*first)));
  auto second = h.playback->takeWish();
  REQUIRE(second);
  REQUIRE(second->former);
  CHECK(second->former->output->name() == "Desk 2");
  REQUIRE(h.playback->take(openOutput(*second)));
  CHECK_FALSE(h.playback->opening());
  // No plan was shown anew: the same player goes on, from that frame, and fades in.
  CHECK(h.playback->player().playing());
  h.devices->out->forgetRecording();
  h.devices->out->step(4800);
  CHECK(h.playback->player().position() == at + Frames(4800));
  const StereoBuffer b = h.devices->out->recorded();
  const Signal tone = sine(440, 48000, 0.25);
  CHECK(std::abs(b.left()[0]) < 0.01f);
  double worst = 0;
  for (std::int64_t i = 480; i < b.frames(); ++i)
    worst = std::max(worst, std::abs(static_cast<double>(b.left()[i]) -
                                     static_cast<double>(tone(at.count + i - Player::monitorDelay(48000), 0))));
  CHECK(worst < 1e-3);
}

TEST_CASE("a device goes on for the next song of the same rate, and is started anew for another rate", "[services]") {
  Heard h;
  h.playback->begin(48000);
  CHECK_FALSE(h.playback->takeWish());
  h.show();
  CHECK(h.rms(0, 1) == Approx(0.25 / std::sqrt(2)).epsilon(0.01));
  h.playback->begin(44100);
  CHECK_FALSE(h.carryOut());
  CHECK(h.devices->opened.size() == 2);
}

TEST_CASE("with and without, alone, and equally loud are heard as they say", "[services]") {
  Heard h;
  const double tone = 0.25 / std::sqrt(2);
  CHECK(h.rms(2.1, 3.9) < 1e-4); // in the gap
  h.without =
      RenderPlan::make(withoutOrnaments(h.plan->song(), h.id), h.song.audio, allKinds(), h.song.cache, h.plan.get());
  h.playback->setOrnamentsHeard(false);
  h.show();
  CHECK(h.rms(2.1, 3.9) == Approx(tone).epsilon(0.01));
  CHECK_FALSE(h.playback->ornamentsHeard());
  // Alone: a gap adds nothing.
  h.playback->setOrnamentsHeard(true);
  h.show();
  h.playback->compare({h.id, true});
  h.playback->setAlone(true);
  CHECK(h.rms(0.1, 1.9) < 1e-6);
  h.playback->setAlone(false);
  // Equal loudness: the louder is turned down, by what was measured; never the softer up.
  h.playback->setMatched(true);
  CHECK(h.playback->matchDb() == 0); // where the level is the effect
  h.playback->compare({h.id, false, -12.0, -18.0});
  CHECK(h.playback->matchDb() == -6);
  CHECK(h.rms(0.1, 1.9) == Approx(tone * Decibels(-6).gain()).epsilon(0.01));
  h.playback->setOrnamentsHeard(false);
  CHECK(h.playback->matchDb() == 0);
  h.playback->compare({h.id, false, -18.0, -12.0});
  CHECK(h.playback->matchDb() == -6); // the other way round
  h.playback->setOrnamentsHeard(true);
  CHECK(h.playback->matchDb() == 0);
  h.playback->compare({h.id, false, -80.0, -12.0}); // silence has no loudness to match
  CHECK(h.playback->matchDb() == 0);
  h.playback->compare({h.id, false});
  CHECK(h.playback->matchDb() == 0); // not measured yet
  // Another song: heard as it is.
  h.playback->setOrnamentsHeard(false);
  h.playback->begin(44100);
  CHECK_FALSE(h.carryOut());
  CHECK(h.playback->ornamentsHeard());
}
