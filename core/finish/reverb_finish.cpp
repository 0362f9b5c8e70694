// reverb: a little space, so that a sound does not stop dead.
#include "finish/space.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

SpaceSettings spaceOf(const TableSpec& table, const Settings& set, const FinishPlace& at) {
  SpaceSettings s = SpaceSettings::of(table, set);
  s.reverb.decaySeconds = decayOf(settingOr(table, set, "decay_seconds"), at.map, at.start);
  s.reverb.seed = at.seed;
  return s;
}

class ReverbStage : public Ringing {
 public:
  ReverbStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SpaceSettings& space, double preSeconds,
              double mix, std::int64_t longest)
      : Ringing(std::move(in), longest, at.sampleRate())
      , mix_(mix)
      , pre_(std::llround(preSeconds * at.sampleRate()))
      , space_(space, at.sampleRate(), at.impulses, kFloor, [this](StereoSpan out) { feed(out); }) {}

 protected:
  void process(StereoSpan io) override {
    dry_.insert(dry_.end(), io.left, io.left + io.frames);
    dryRight_.insert(dryRight_.end(), io.right, io.right + io.frames);
    if (wet_.frames() < io.frames) wet_.resize(io.frames);
    const StereoSpan wet = wet_.span().part(0, io.frames);
    space_.read(wet);
    mixWet(io, wet, mix_);
    // What the space has taken need not be kept.
    const std::int64_t gone = fed_ - pre_ - begin_;
    if (gone > 8 * kPrintBlock) {
      const std::int64_t n = std::min<std::int64_t>(gone, static_cast<std::int64_t>(dry_.size()));
      dry_.erase(dry_.begin(), dry_.begin() + n);
      dryRight_.erase(dryRight_.begin(), dryRight_.begin() + n);
      begin_ += n;
    }
  }
  std::int64_t storedUntil() const override { return space_.lastsUntil() + pre_; }

 private:
  /// The dry sound, later by the pre-delay. A convolution reads ahead: what has not come in yet is pulled.
  void feed(StereoSpan out) {
    for (std::int64_t i = 0; i < out.frames; ++i) {
      const std::int64_t at = fed_ + i - pre_ - begin_;
      const bool there = at >= 0 && at < static_cast<std::int64_t>(dry_.size());
      out.left[i] = there ? dry_[static_cast<std::size_t>(at)] : 0;
      out.right[i] = there ? dryRight_[static_cast<std::size_t>(at)] : 0;
    }
    fed_ += out.frames;
  }
  double mix_;
  std::int64_t pre_, fed_ = 0, begin_ = 0;
  std::vector<float> dry_, dryRight_;
  StereoBuffer wet_;
  Space space_;
};

class ReverbFinisher : public Finisher {
 public:
  ReverbFinisher() {
    table_ = {"reverb", "Reverb", "", "Adds a reverb to the sound.", {}};
    table_.settings.push_back({.key = "decay_seconds",
                               .label = "decay",
                               .type = type::duration,
                               .min = 0.1,
                               .max = 30,
                               .initial = 1.2,
                               .meaning = "Time the reverb takes to fade by 60 dB: longer sounds bigger.",
                               .group = "reverb"});
    table_.settings.push_back({.key = "pre_delay",
                               .label = "pre-delay",
                               .type = type::time,
                               .max = 960000,
                               .initial = 0,
                               .meaning = "Time before the reverb starts: longer keeps the source clearer.",
                               .group = "reverb"});
    SpaceSettings::addTo(table_, "reverb");
    table_.settings.push_back({.key = "mix_percent",
                               .label = "mix",
                               .unit = "%",
                               .max = 100,
                               .initial = 25,
                               .meaning = "Mix of the dry sound and the reverb: 100 % is reverb only.",
                               .group = "reverb"});
  }
  const TableSpec& table() const override { return table_; }
  bool whole(const Settings& set) const override {
    const SettingsView v(table_, set);
    return v.value("character") == Value("impulse");
  }
  std::int64_t tailFrames(const FinishPlace& at, const Settings& set) const override {
    const SpaceSettings s = spaceOf(table_, set, at);
    double tail = s.reverb.decaySeconds * (84 + 24) / 60 + 2.5;
    if (s.isImpulse) tail = kLongestImpulseSeconds + 6;
    return std::llround(std::min(tail + SettingsView(table_, set).seconds("pre_delay", at.map, at.start), 120.0) *
                        at.sampleRate());
  }
  std::unique_ptr<Flow> attach(std::unique_ptr<Flow> in, const FinishPlace& at, const Settings& set) const override {
    const SettingsView v(table_, set);
    const SpaceSettings s = spaceOf(table_, set, at);
    const std::int64_t longest = tailFrames(at, set);
    if (!s.isImpulse)
      return std::make_unique<ReverbStage>(std::move(in), at, s, v.seconds("pre_delay", at.map, at.start),
                                           v.share("mix_percent"), longest);
    return std::make_unique<ReverbWhole>(std::move(in), at, s, v.seconds("pre_delay", at.map, at.start),
                                         v.share("mix_percent"));
  }

 private:
  /// With an impulse response the whole sound goes through at once: the blocks of the convolution are longer than ours.
  class ReverbWhole : public Whole {
   public:
    ReverbWhole(std::unique_ptr<Flow> in, const FinishPlace& at, const SpaceSettings& s, double preSeconds, double mix)
        : Whole(std::move(in))
        , settings_(s)
        , rate_(at.sampleRate())
        , impulses_(at.impulses)
        , longest_(at.frames)
        , pre_(std::min<std::int64_t>(std::llround(preSeconds * at.sampleRate()), longest_))
        , mix_(mix) {}

   protected:
    void transform(StereoBuffer& all) override {
      const auto impulse =
          impulses_ ? impulses_->find(settings_.impulseFile, rate_) : Impulses::shipped(settings_.impulseFile, rate_);
      const std::int64_t length = impulse ? impulse->audio.frames() : 0, dry = all.frames();
      std::int64_t at = -pre_;
      StereoBuffer in = all;
      Space space(settings_, rate_, impulses_, Ringing::kFloor, [&](StereoSpan out) {
        for (std::int64_t i = 0; i < out.frames; ++i, ++at) {
          const bool there = at >= 0 && at < dry;
          out.left[i] = there ? in.left()[at] : 0;
          out.right[i] = there ? in.right()[at] : 0;
        }
      });
      all.resize(std::max(dry, std::min(dry + pre_ + length, longest_)));
      StereoBuffer wet(all.frames());
      space.read(wet.span());
      mixWet(all.span(), wet.span(), mix_);
      std::int64_t last = all.frames();
      while (last > dry && std::max(std::abs(all.left()[last - 1]), std::abs(all.right()[last - 1])) < Ringing::kFloor)
        --last;
      all.resize(last);
    }

   private:
    SpaceSettings settings_;
    double rate_;
    const Impulses* impulses_;
    std::int64_t longest_, pre_;
    double mix_;
  };
  TableSpec table_;
};

} // namespace

const Finisher& reverbFinisher() {
  static const ReverbFinisher f;
  return f;
}

} // namespace ivrin
