#include "render/evaluator.h"

#include "audio/simd.h"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace ivrin {
namespace {

constexpr double kFadeAtBeginSeconds = 0.002;
constexpr std::int64_t kBlock = 2048; // stays in the second-level cache with its planes

IVRIN_CLONES void addScaled(const float* in, float g, float* out, std::int64_t n) {
  if (g == 1.0f) {
    for (std::int64_t i = 0; i < n; ++i) out[i] += in[i];
  } else {
    for (std::int64_t i = 0; i < n; ++i) out[i] += g * in[i];
  }
}

IVRIN_CLONES void add(const float* a, const float* b, float* out, std::int64_t n) {
  for (std::int64_t i = 0; i < n; ++i) out[i] = a[i] + b[i];
}

IVRIN_CLONES void scale(float* x, float g, std::int64_t n) {
  if (g == 1.0f) return;
  for (std::int64_t i = 0; i < n; ++i) x[i] *= g;
}

void ensureSize(Planes& p, std::int64_t frames) {
  if (p.dry.frames() < frames) {
    p.dry.resize(frames);
    p.wet.resize(frames);
  }
}

void joined(const Planes& p, StereoSpan out) {
  if (p.wetSounds) {
    add(p.dry.left(), p.wet.left(), out.left, out.frames);
    add(p.dry.right(), p.wet.right(), out.right, out.frames);
  } else {
    std::memcpy(out.left, p.dry.left(), static_cast<std::size_t>(out.frames) * sizeof(float));
    std::memcpy(out.right, p.dry.right(), static_cast<std::size_t>(out.frames) * sizeof(float));
  }
}

/// Cuts a range into blocks.
template <class Work> void inBlocks(Frames from, StereoSpan out, const Work& work) {
  for (std::int64_t at = 0; at < out.frames; at += kBlock) {
    const std::int64_t n = std::min(kBlock, out.frames - at);
    work(from + Frames(at), out.part(at, n));
  }
}

} // namespace

void Evaluator::sumMembers(const RowNode& row, Frames from, std::int64_t frames, Planes& out, std::size_t depth) {
  StereoSpan dry = out.dry.span().part(0, frames), wet = out.wet.span().part(0, frames);
  dry.clear();
  while (scratch_.size() <= depth) scratch_.push_back(std::make_unique<Planes>());
  for (const std::size_t m : row.members) {
    const RowNode& member = plan_->rows()[m];
    if (member.mute) continue;
    if (member.type == RowNode::Type::stem && member.ornaments.empty()) { // straight from the store
      if (!member.audio) continue;
      const FrameRange r = intersect({Frames(member.offset), Frames(member.offset + member.audio->frames())},
                                     {from, from + Frames(frames)});
      if (r.empty()) continue;
      const std::int64_t at = (r.begin - from).count, in = r.begin.count - member.offset;
      addScaled(member.audio->left() + in, member.gainLeft, dry.left + at, r.length());
      addScaled(member.audio->right() + in, member.gainRight, dry.right + at, r.length());
      continue;
    }
    Planes& p = *scratch_[depth];
    planesAt(m, from, frames, p, SIZE_MAX, depth + 1);
    addScaled(p.dry.left(), member.gainLeft, dry.left, frames);
    addScaled(p.dry.right(), member.gainRight, dry.right, frames);
    if (!p.wetSounds) continue;
    if (!out.wetSounds) wet.clear();
    out.wetSounds = true;
    addScaled(p.wet.left(), member.gainLeft, wet.left, frames);
    addScaled(p.wet.right(), member.gainRight, wet.right, frames);
  }
}

void Evaluator::planesAt(std::size_t index, Frames from, std::int64_t frames, Planes& out, std::size_t ornaments,
                         std::size_t depth) {
  const RowNode& row = plan_->rows()[index];
  ensureSize(out, frames);
  out.wetSounds = false;
  const FrameRange here{from, from + Frames(frames)};
  if (depth == 0) silencing_.clear();
  const std::size_t count = std::min(ornaments, row.ornaments.size()), above = silencing_.size();
  for (std::size_t i = 0; i < count; ++i)
    if (const PrintPlan& p = row.ornaments[i]->plan; p.silencesReplaced && !intersect(p.dry.span(), here).empty())
      silencing_.push_back(row.ornaments[i].get());
  StereoSpan dry = out.dry.span().part(0, frames), wet = out.wet.span().part(0, frames);
  if (row.type == RowNode::Type::stem) {
    const FrameRange r = row.audio ? intersect({Frames(row.offset), Frames(row.offset + row.audio->frames())},
                                               {from, from + Frames(frames)})
                                   : FrameRange{};
    if (r.length() < frames) dry.clear();
    if (!r.empty()) {
      const std::int64_t at = (r.begin - from).count, in = r.begin.count - row.offset;
      std::memcpy(dry.left + at, row.audio->left() + in, static_cast<std::size_t>(r.length()) * sizeof(float));
      std::memcpy(dry.right + at, row.audio->right() + in, static_cast<std::size_t>(r.length()) * sizeof(float));
    }
  } else {
    sumMembers(row, from, frames, out, depth);
  }
  for (std::size_t i = 0; i < count; ++i) {
    const OrnamentNode& node = *row.ornaments[i];
    if (!intersect(node.plan.dry.span(), here).empty()) node.plan.dry.apply(from, dry.left, dry.right, frames);
    if (out.wetSounds && !intersect(node.plan.wet.span(), here).empty())
      node.plan.wet.apply(from, wet.left, wet.right, frames);
    if (!node.print || intersect(node.print->extent(), here).empty()) continue;
    if (missing_ == Missing::compute) {
      stopped_ = !node.print->ensure(*plan_, node, here, stop_) || stopped_;
      broken_ = node.print->failed() || broken_;
    }
    if (intersect(node.print->extent(), here).empty()) continue; // it turned out to end before
    if (!out.wetSounds) wet.clear();
    out.wetSounds = true;
    if (node.plan.replaces() && !silencing_.empty())
      addSilenced(node, from, wet, above);
    else
      addPrint(node, from, wet);
  }
  silencing_.resize(above);
}

/// What stands in the row's place falls silent with it: in gaps that come after it in its row, and in all gaps of the
/// rows that it feeds, which are the first `above` ones.
void Evaluator::addSilenced(const OrnamentNode& node, Frames from, StereoSpan wet, std::size_t above) {
  if (silenced_.frames() < wet.frames) silenced_.resize(wet.frames);
  const StereoSpan own = silenced_.span().part(0, wet.frames);
  own.clear();
  addPrint(node, from, own);
  for (std::size_t i = 0; i < silencing_.size(); ++i)
    if (i < above || silencing_[i]->order > node.order)
      silencing_[i]->plan.dry.apply(from, own.left, own.right, own.frames);
  addScaled(own.left, 1, wet.left, wet.frames);
  addScaled(own.right, 1, wet.right, wet.frames);
}

/// A print that began before the song does not jump in where the song begins.
void Evaluator::addPrint(const OrnamentNode& node, Frames from, StereoSpan wet) {
  const std::int64_t fade = std::llround(kFadeAtBeginSeconds * plan_->map().sampleRate());
  if (!begin_ || node.print->first() >= *begin_ || from >= *begin_ + Frames(fade)) {
    node.print->addTo(from, wet);
    return;
  }
  StereoBuffer own(wet.frames);
  own.span().clear();
  node.print->addTo(from, own.span());
  const std::int64_t since = (from - *begin_).count;
  for (std::int64_t i = 0; i < wet.frames && since + i < fade; ++i) {
    const double u = static_cast<double>(since + i) / static_cast<double>(fade);
    const auto g = static_cast<float>(u > 0 ? raisedCosine(u) : 0);
    own.left()[i] *= g;
    own.right()[i] *= g;
  }
  addScaled(own.left(), 1, wet.left, wet.frames);
  addScaled(own.right(), 1, wet.right, wet.frames);
}

void Evaluator::alone(const OrnamentNode& node, Frames from, StereoSpan out) {
  out.clear();
  if (!node.print) return;
  const FrameRange here{from, from + Frames(out.frames)};
  if (intersect(node.print->extent(), here).empty()) return;
  if (missing_ == Missing::compute) stopped_ = !node.print->ensure(*plan_, node, here, stop_) || stopped_;
  addPrint(node, from, out);
  float left = plan_->mixGain(), right = plan_->mixGain();
  for (std::size_t row = node.row; row != plan_->mixRow();) {
    const RowNode& r = plan_->rows()[row];
    left *= r.gainLeft;
    right *= r.gainRight;
    std::size_t next = plan_->mixRow(); // the bus that the row feeds, else the mix
    for (std::size_t b = 0; b < plan_->rows().size(); ++b) {
      const auto& m = plan_->rows()[b].members;
      if (b != plan_->mixRow() && std::find(m.begin(), m.end(), row) != m.end()) next = b;
    }
    row = next;
  }
  scale(out.left, left, out.frames);
  scale(out.right, right, out.frames);
}

void Evaluator::planes(std::size_t row, Frames from, std::int64_t frames, Planes& out, std::size_t ornaments) {
  planesAt(row, from, frames, out, ornaments, 0);
}

void Evaluator::rowOut(std::size_t row, Frames from, StereoSpan out) {
  inBlocks(from, out, [&](Frames at, StereoSpan part) {
    planesAt(row, at, part.frames, top_, SIZE_MAX, 0);
    joined(top_, part);
    scale(part.left, plan_->rows()[row].gainLeft, part.frames);
    scale(part.right, plan_->rows()[row].gainRight, part.frames);
  });
}

void Evaluator::mix(Frames from, StereoSpan out) {
  inBlocks(from, out, [&](Frames at, StereoSpan part) {
    planesAt(plan_->mixRow(), at, part.frames, top_, SIZE_MAX, 0);
    joined(top_, part);
    scale(part.left, plan_->mixGain(), part.frames);
    scale(part.right, plan_->mixGain(), part.frames);
  });
}

void Evaluator::soloMix(Frames from, StereoSpan out) {
  StereoBuffer one;
  inBlocks(from, out, [&](Frames at, StereoSpan part) {
    part.clear();
    one.resize(part.frames);
    for (std::size_t r = 0; r < plan_->mixRow(); ++r) {
      if (!plan_->rows()[r].solo) continue;
      rowOut(r, at, one.span());
      addScaled(one.left(), plan_->mixGain(), part.left, part.frames);
      addScaled(one.right(), plan_->mixGain(), part.right, part.frames);
    }
  });
}

void Evaluator::read(const OrnamentNode& node, std::size_t index, Frames from, StereoSpan out) {
  const Read::What what = node.plan.reads[index].what;
  inBlocks(from, out, [&](Frames at, StereoSpan part) {
    planesAt(node.readRows[index], at, part.frames, top_, what == Read::What::rowSoFar ? node.order : 0, 0);
    if (what == Read::What::dryBefore) top_.wetSounds = false;
    joined(top_, part);
  });
}

} // namespace ivrin
