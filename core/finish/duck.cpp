// duck: out of the way of another row, or of its own dry sound.
#include "finish/ducking.h"
#include "finish/stages.h"

namespace ivrin {
namespace {

using T = SettingType;
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
    table_ = {"duck", "Duck", "", "Turned down while a row sounds.", {}};
    table_.settings.push_back(
        {"depth_db", "depth", "dB", T::number, 0, 48, 9, "How far it is turned down.", "duck", 0.5});
    table_.settings.push_back(
        {"key", "key", "", T::text, 0, 0, Value(), "The row that turns it down, before its ornaments.", "duck"});
    table_.settings.back().nullable = true;
    table_.settings.back().whenNull = "own row";
    table_.settings.push_back(
        {"attack_ms", "attack", "ms", T::number, 1, 200, 15, "How fast, ahead of the key.", "duck", 1});
    table_.settings.push_back(
        {"release_ms", "release", "ms", T::number, 5, 2000, 150, "How fast it comes back.", "duck", 5});
  }
  const TableSpec& table() const override { return table_; }
  std::optional<Key> key(const FinishPlace& at, const Settings& set) const override {
    const SettingsView v(table_, set);
    const std::string* row = v.value("key").text();
    return Key{row ? *row : std::string(),
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
