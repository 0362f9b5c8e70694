// treat: its manners.
#include "manners/fitting.h"
#include "words/words.h"

namespace ivrin {
namespace {

class TreatManners : public Manners {
 public:
  std::string_view kind() const override { return "treat"; }

  void fit(Ornament& o, const PressedAt&) const override {
    // A plate of 1.2 s at 30 %, the dry kept.
    o.settings = {{"dry", "keep"}, {"mix_percent", 30.0}};
    o.finish = {{"reverb", {{"character", "plate"}, {"decay_seconds", 1.2}, {"mix_percent", 100.0}}}};
  }

  bool standsOn(const Ornament& o, BeatRange stretch) const override { return fillsStretch(o, stretch); }

  std::optional<PressedAgain> again(const Ornament&, const Song&) const override {
    return PressedAgain{{}, {}, worded("It is treated already: the finish below says how.")};
  }

  bool isHeard(const Settings&, std::string_view) const override { return true; }
};

} // namespace

const Manners& treatManners() {
  static const TreatManners m;
  return m;
}

} // namespace ivrin
