// echo: a tempo-synced echo behind the sound.
#include "finish/shared_settings.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

EchoSettings echoOf(const SettingsView& v, const FinishPlace& at) {
  EchoSettings e;
  e.timeLeft = std::max(1.0, v.seconds("time_left", at.map, at.start) * at.sampleRate());
  e.timeRight = std::max(1.0, v.seconds("time_right", at.map, at.start) * at.sampleRate());
  e.pattern = echoPatternOf(v.value("pattern"));
  e.feedback.fill(v.share("feedback_percent"));
  e.lowCutHz.fill(v.maybe("low_cut_hz"));
  e.highCutHz.fill(v.maybe("high_cut_hz"));
  e.longest = at.frames;
  return e;
}

class EchoStage : public Ringing {
 public:
  EchoStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& v, std::int64_t longest)
      : Ringing(std::move(in), longest, at.sampleRate())
      , loop_(echoOf(v, at), at.sampleRate())
      , mix_(v.share("mix_percent")) {}

 protected:
  void process(StereoSpan io) override {
    if (wet_.frames() < io.frames) wet_.resize(io.frames);
    const StereoSpan wet = wet_.span().part(0, io.frames);
    std::copy_n(io.left, io.frames, wet.left);
    std::copy_n(io.right, io.frames, wet.right);
    loop_.process(wet);
    mixWet(io, wet, mix_);
    if (loop_.stored() >= kFloor) until_ = offset() + io.frames + loop_.memoryFrames();
  }
  std::int64_t storedUntil() const override { return until_; }

 private:
  EchoLoop loop_;
  double mix_;
  StereoBuffer wet_;
  std::int64_t until_ = 0;
};

class EchoFinisher : public Finisher {
 public:
  EchoFinisher() {
    table_ = {"echo", "Delay", "", "Adds echoes to the sound.", {}};
    const auto add = [&](SettingSpec s) -> SettingSpec& {
      table_.settings.push_back(std::move(s));
      return table_.settings.back();
    };
    add({.key = "time_left",
         .label = "time L",
         .type = type::time,
         .min = 1,
         .max = 960000,
         .initial = "1/8",
         .meaning = "Time between left echoes.",
         .group = "delay"});
    add({.key = "time_right",
         .label = "time R",
         .type = type::time,
         .min = 1,
         .max = 960000,
         .initial = "1/8",
         .meaning = "Time between right echoes.",
         .group = "delay"});
    add(echoPatternSetting("pattern"));
    add({.key = "feedback_percent",
         .label = "feedback",
         .unit = "%",
         .max = 95,
         .initial = 35,
         .meaning = "How much of each echo is repeated: higher gives more echoes.",
         .group = "delay",
         .role = Role::feedback});
    add({.key = "mix_percent",
         .label = "mix",
         .unit = "%",
         .max = 100,
         .initial = 25,
         .meaning = "Mix of the dry sound and the delay: 100 % is delay only.",
         .group = "delay"});
    for (const bool low : {true, false})
      add(cutSetting(low,
                     low ? "Removes lows below this frequency at every repeat."
                         : "Removes highs above this frequency at every repeat.",
                     "delay"));
  }
  const TableSpec& table() const override { return table_; }
  std::int64_t tailFrames(const FinishPlace& at, const Settings& set) const override {
    const EchoSettings e = echoOf(SettingsView(table_, set), at);
    const double longest = std::max(e.timeLeft, e.timeRight);
    const double passes = 2 + (e.feedback[0] > 0.001 ? 108 / std::max(0.4, -20 * std::log10(e.feedback[0])) : 0);
    return static_cast<std::int64_t>(std::min(longest * passes, 120 * at.sampleRate()));
  }
  std::unique_ptr<Flow> attach(std::unique_ptr<Flow> in, const FinishPlace& at, const Settings& set) const override {
    return std::make_unique<EchoStage>(std::move(in), at, SettingsView(table_, set), tailFrames(at, set));
  }

 private:
  TableSpec table_;
};

} // namespace

const Finisher& echoFinisher() {
  static const EchoFinisher f;
  return f;
}

} // namespace ivrin
