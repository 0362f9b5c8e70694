#include "playback/playback.h"

#include <algorithm>

namespace ivrin {

namespace {
constexpr int kTriesApart = 10;
}

Playback::Playback(Options options)
    : options_(std::move(options))
    , output_(anyOutput()) {}

Playback::~Playback() {
  output_->stop();
}

std::unique_ptr<Output> Playback::openDevice() const {
  const OutputChoice& c = options_.choice;
  std::unique_ptr<Output> made = options_.outputs ? options_.outputs->open(c) : nullptr;
  // A chosen device that is not there today: the default one.
  if (!made && options_.outputs && !c.device.empty()) made = options_.outputs->open({{}, c.sampleRate, c.bufferFrames});
  return made;
}

std::unique_ptr<Output> Playback::anyOutput() {
  const OutputChoice& c = options_.choice;
  std::unique_ptr<Output> made = openDevice();
  standIn_ = !made;
  if (!made) made = std::make_unique<SimulatedOutput>(SimulatedOutput::Mode::realTime, c.bufferFrames);
  return made;
}

std::optional<OutputNews> Playback::begin(int sampleRate) {
  heard_ = true;
  compared_ = {};
  return start(sampleRate);
}

std::optional<OutputNews> Playback::start(int sampleRate) {
  sampleRate_ = sampleRate;
  output_->stop();
  player_ = std::make_unique<Player>(Player::Options{sampleRate, output_->periodFrames(), !options_.stepped});
  if (auto* simulated = dynamic_cast<SimulatedOutput*>(output_.get()); simulated && options_.stepped)
    simulated->beforePeriod([this] { player_->pump(); });
  apply();
  asked_ = false;
  const std::string why = output_->start(*player_, sampleRate);
  if (why.empty()) return std::nullopt;
  useStandIn();
  return OutputNews{OutputNews::What::noSound, why};
}

void Playback::useStandIn() {
  output_->stop();
  output_ = std::make_unique<SimulatedOutput>(SimulatedOutput::Mode::realTime, 256);
  standIn_ = true;
  output_->start(*player_, sampleRate_);
}

void Playback::show(std::shared_ptr<const RenderPlan> plan,
                    const std::function<std::shared_ptr<const RenderPlan>()>& without, RenderPool& pool) {
  pool.setPlayhead(player_->position());
  if (heard_) {
    pool.setPlans({plan});
    player_->setPlan(std::move(plan));
    return;
  }
  // The pool keeps the song's own prints ready too: they are drawn, and heard at once when it is switched back.
  auto other = without();
  pool.setPlans({std::move(plan), other});
  player_->setPlan(std::move(other));
}

void Playback::compare(Compared c) {
  compared_ = std::move(c);
  apply();
}

double Playback::matchDb() const {
  if (!matched_ || alone_ || compared_.levelIsTheEffect || !compared_.lufsWith || !compared_.lufsWithout) return 0;
  if (*compared_.lufsWith < -70 || *compared_.lufsWithout < -70) return 0;
  const double louder = *compared_.lufsWith - *compared_.lufsWithout; // with is louder by this
  return heard_ ? std::min(0.0, -louder) : std::min(0.0, louder);
}

void Playback::apply() {
  if (!player_) return;
  player_->setAlone(alone_ ? compared_.ornament : std::string());
  player_->setMatchDb(matchDb());
}

std::optional<OutputNews> Playback::replaceOutput() {
  const Frames at = player_ ? player_->position() : Frames(0);
  output_->stop();
  output_ = anyOutput();
  if (!player_) return std::nullopt;
  auto news = start(sampleRate_);
  player_->setPosition(at);
  return news;
}

std::optional<OutputNews> Playback::tryAgain(const std::vector<OutputDevice>& there) {
  if (!standIn_ || !player_) return std::nullopt;
  std::vector<std::string> names;
  for (const OutputDevice& d : there) names.push_back(d.name);
  const bool others = refused_ && names != *refused_;
  refused_ = names;
  if (others) neverRan_ = false;
  if (names.empty() || (!others && (neverRan_ || ++passed_ < kTriesApart))) return std::nullopt;
  passed_ = 0;
  std::unique_ptr<Output> made = openDevice();
  if (!made) return std::nullopt;
  // First with the player that there is: where the device does not start after all, the stand-in goes on with it.
  output_->stop();
  const bool starts = made->start(*player_, sampleRate_).empty();
  made->stop();
  if (!starts) {
    output_->start(*player_, sampleRate_);
    return std::nullopt;
  }
  const Frames at = player_->position();
  standIn_ = false;
  output_ = std::move(made);
  auto news = start(sampleRate_);
  player_->setPosition(at);
  return news ? news : OutputNews{OutputNews::What::back, output_->name()};
}

std::optional<OutputNews> Playback::look() {
  if (!player_) return std::nullopt;
  if (std::string why = player_->takeFault(); !why.empty())
    return OutputNews{OutputNews::What::stopped, std::move(why)};
  asked_ = asked_ || output_->everAsked();
  if (!output_->lost()) return std::nullopt;
  if (!asked_) { // opening it again would end the same way
    const OutputNews news{OutputNews::What::doesNotRun, output_->name()};
    useStandIn();
    neverRan_ = true;
    refused_.reset();
    return news;
  }
  if (auto news = replaceOutput()) return news;
  return OutputNews{OutputNews::What::gone, standIn_ ? std::string() : output_->name()};
}

} // namespace ivrin
