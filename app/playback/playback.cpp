#include "playback/playback.h"

#include "words/words.h"

#include <algorithm>
#include <exception>
#include <utility>

namespace ivrin {

namespace {
constexpr int kTriesApart = 10;
}

std::shared_ptr<OpenedOutput> openOutput(const OutputWish& wish) {
  if (wish.former) wish.former->stop();
  auto opened = std::make_shared<OpenedOutput>();
  if (!wish.outputs) return opened;
  try {
    const OutputChoice& c = wish.choice;
    std::unique_ptr<Output> made = wish.outputs->open(c);
    if (!made && !c.device.empty()) made = wish.outputs->open({{}, c.sampleRate, c.bufferFrames});
    if (!made) return opened;
    opened->why = made->start(opened->feed, wish.sampleRate);
    if (opened->why.empty())
      opened->output = std::move(made);
    else
      made->stop();
  } catch (const std::exception& e) {
    opened->output.reset();
    opened->why = inWords(e);
  }
  return opened;
}

Playback::Playback(Options options)
    : options_(std::move(options)) {}

Playback::~Playback() {
  current_->feed.disconnect();
}

void Playback::begin(int sampleRate) {
  heard_ = true;
  compared_ = {};
  current_->feed.disconnect();
  player_ = std::make_unique<Player>(Player::Options{sampleRate, options_.choice.bufferFrames, !options_.stepped});
  apply();
  const bool sameRate = sampleRate == sampleRate_;
  sampleRate_ = sampleRate;
  if (!options_.outputs || neverRan_) return useStandIn();
  if (sameRate && opening() && why_ != Why::again) return; // what is opened is for this song too
  if (sameRate && current_->output && !standIn_)
    use(current_);
  else
    wish(Why::first, letGo());
}

// ---------------------------------------------------------------- the device

/// Nothing asks the player from now on. The device that did, to be stopped elsewhere; a stand-in is stopped at once.
std::shared_ptr<OpenedOutput> Playback::letGo() {
  current_->feed.disconnect();
  auto former = std::exchange(current_, std::make_shared<OpenedOutput>());
  return std::exchange(standIn_, false) ? nullptr : former;
}

void Playback::wish(Why why, std::shared_ptr<OpenedOutput> former) {
  if (!former || !former->output) former = wish_ ? std::move(wish_->former) : nullptr;
  why_ = why;
  wish_ =
      OutputWish{why == Why::neverRan ? nullptr : options_.outputs, options_.choice, sampleRate_, std::move(former)};
}

std::optional<OutputWish> Playback::takeWish() {
  if (carriedOut_ || !wish_) return std::nullopt;
  carriedOut_ = true;
  return std::exchange(wish_, std::nullopt);
}

/// The player is asked by this one from now on.
void Playback::use(std::shared_ptr<OpenedOutput> opened) {
  current_->feed.disconnect();
  if (current_ != opened) asked_ = false;
  current_ = std::move(opened);
  player_->handOver(current_->output->periodFrames());
  if (auto* simulated = dynamic_cast<SimulatedOutput*>(current_->output.get()); simulated && options_.stepped)
    simulated->beforePeriod([this] { player_->pump(); });
  current_->feed.connect(*player_);
}

void Playback::useStandIn() {
  auto standIn = std::make_shared<OpenedOutput>();
  standIn->output = std::make_unique<SimulatedOutput>(SimulatedOutput::Mode::realTime, options_.choice.bufferFrames);
  standIn->output->start(standIn->feed, sampleRate_);
  use(std::move(standIn));
  standIn_ = true;
}

std::optional<OutputNews> Playback::take(std::shared_ptr<OpenedOutput> opened) {
  carriedOut_ = false;
  if (wish_) { // for another one, meanwhile
    if (!wish_->former) wish_->former = std::move(opened);
    return std::nullopt;
  }
  if (why_ == Why::neverRan) return std::nullopt;
  if (!opened->output) {
    if (why_ == Why::again) return std::nullopt;
    useStandIn();
    if (!opened->why.empty()) return OutputNews{OutputNews::What::noSound, opened->why};
    if (why_ == Why::first) return std::nullopt;
    return OutputNews{why_ == Why::gone ? OutputNews::What::gone : OutputNews::What::none, {}};
  }
  if (why_ == Why::again) player_->stop(); // it never goes on by itself through another loudspeaker
  use(std::move(opened));
  standIn_ = false;
  switch (why_) {
  case Why::chosen:
    return OutputNews{OutputNews::What::chosen, output()->name()};
  case Why::gone:
    return OutputNews{OutputNews::What::gone, output()->name()};
  case Why::again:
    return OutputNews{OutputNews::What::back, output()->name()};
  default:
    return std::nullopt;
  }
}

void Playback::choose(const OutputChoice& choice) {
  options_.choice = choice;
  if (!player_ || !options_.outputs) return;
  neverRan_ = false;
  wish(Why::chosen, letGo());
}

void Playback::tryAgain(const std::vector<OutputDevice>& there) {
  if (!standIn_ || !player_ || opening()) return;
  std::vector<std::string> names;
  for (const OutputDevice& d : there) names.push_back(d.name);
  const bool others = refused_ && names != *refused_;
  refused_ = names;
  if (others) neverRan_ = false;
  if (names.empty() || (!others && (neverRan_ || ++passed_ < kTriesApart))) return;
  passed_ = 0;
  wish(Why::again, nullptr); // the stand-in keeps time meanwhile
}

std::optional<OutputNews> Playback::look() {
  if (!player_) return std::nullopt;
  if (std::string why = player_->takeFault(); !why.empty())
    return OutputNews{OutputNews::What::stopped, std::move(why)};
  if (!output()) return std::nullopt;
  asked_ = asked_ || output()->everAsked();
  if (!output()->lost()) return std::nullopt;
  if (!asked_) { // opening it again would end the same way
    const OutputNews news{OutputNews::What::doesNotRun, output()->name()};
    auto former = letGo();
    useStandIn();
    neverRan_ = true;
    refused_.reset();
    wish(Why::neverRan, std::move(former));
    return news;
  }
  player_->stop();
  wish(Why::gone, letGo());
  return std::nullopt;
}

// ---------------------------------------------------------------- what is heard

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

} // namespace ivrin
