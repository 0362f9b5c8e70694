// duck: out of the way of another row, or of its own dry sound.
#include "finish/ducking.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

constexpr double kReferenceDb = -14; // RMS that counts as sounding in full: a stem at a usual level

class DuckStage : public InPlace {
 public:
  DuckStage(std::unique_ptr<Flow> in, const FinishPlace& at, const SettingsView& s)
      : InPlace(std::move(in)) {
    if (at.key && s.number("depth_db") > 0)
      ducking_ = std::make_unique<Ducking>(s.number("depth_db"), kReferenceDb, at.sampleRate(), at.first, at.key,
                                           s.number("attack_ms") / 1000, s.number("release_ms") / 1000);
  }

 protected:
  void process(StereoSpan io, std::int64_t) override {
    if (ducking_) ducking_->apply(io);
  }

 private:
  std::unique_ptr<Ducking> ducking_;
};

class DuckFinisher : public Finisher {
 public:
  DuckFinisher() {
    table_ = {"duck", "Duck", "", "Turns the sound down while a row plays.", {}};
    table_.settings.push_back({.key = "depth_db",
                               .label = "depth",
                               .unit = "dB",
                               .max = 48,
                               .initial = 9,
                               .meaning = "How far the sound is turned down.",
                               .group = "duck",
                               .step = 0.5});
    table_.settings.push_back({.key = "key",
                               .label = "sidechain",
                               .type = type::row,
                               .meaning = "Row that turns the sound down, before its ornaments.",
                               .group = "duck",
                               .nullable = true,
                               .whenNull = "own row"});
    table_.settings.push_back({.key = "attack_ms",
                               .label = "attack",
                               .unit = "ms",
                               .min = 1,
                               .max = 200,
                               .initial = 15,
                               .meaning = "Time to turn down, ahead of the sidechain: longer is smoother.",
                               .group = "duck"});
    table_.settings.push_back({.key = "release_ms",
                               .label = "release",
                               .unit = "ms",
                               .min = 5,
                               .max = 2000,
                               .initial = 150,
                               .meaning = "Time to come back: shorter pumps more.",
                               .group = "duck",
                               .step = 5});
  }
  const TableSpec& table() const override { return table_; }
  std::optional<KeyRow> key(const FinishPlace& at, const Settings& set) const override {
    const SettingsView v(table_, set);
    const std::string* row = v.value("key").text();
    return KeyRow{row ? *row : std::string(),
                  Ducking::lookaheadFrames(at.sampleRate(), v.number("attack_ms") / 1000) + kPrintBlock};
  }
  std::unique_ptr<Flow> attach(std::unique_ptr<Flow> in, const FinishPlace& at, const Settings& set) const override {
    return std::make_unique<DuckStage>(std::move(in), at, SettingsView(table_, set));
  }

 private:
  TableSpec table_;
};

} // namespace

const Finisher& duckFinisher() {
  static const DuckFinisher f;
  return f;
}

} // namespace ivrin
