#include "test_support/lead_in_kind.h"

#include "ornaments/source.h"

#include <algorithm>

namespace ivrin::test {
namespace {

class LeadInVoice : public Voice {
 public:
  LeadInVoice(const Placed& p, Sounds& sounds)
      : source_(p)
      , sounds_(sounds) {}
  std::int64_t render(StereoSpan out) override {
    const std::int64_t n = std::min(out.frames, source_.frames() - done_);
    source_.read(sounds_, source_.frames() - done_ - n, out.part(0, n), scratch_);
    std::reverse(out.left, out.left + n);
    std::reverse(out.right, out.right + n);
    for (std::int64_t i = 0; i < n; ++i) {
      out.left[i] *= 0.5f;
      out.right[i] *= 0.5f;
    }
    done_ += n;
    return n;
  }

 private:
  Source source_;
  Sounds& sounds_;
  StereoBuffer scratch_;
  std::int64_t done_ = 0;
};

} // namespace

const TableSpec& LeadInKind::table() const {
  static const TableSpec t{"test-lead-in", "Lead-in", "X", "The source backwards before itself.", {}};
  return t;
}

PrintPlan LeadInKind::plan(const Placed& p) const {
  const Source source(p);
  PrintPlan plan;
  const FrameRange span = p.span();
  plan.extent = {span.begin - Frames(source.frames()), span.begin};
  plan.reads = source.reads();
  plan.dry = turnedDown(span, 0, 96, 384);
  return plan;
}

std::unique_ptr<Voice> LeadInKind::start(const Placed& p, Sounds& sounds) const {
  return std::make_unique<LeadInVoice>(p, sounds);
}

const KindSet& kindsWithLeadIn() {
  static const LeadInKind leadIn;
  static const KindSet set = [] {
    std::vector<const Kind*> all = allKinds().all();
    all.push_back(&leadIn);
    return KindSet(all);
  }();
  return set;
}

} // namespace ivrin::test
