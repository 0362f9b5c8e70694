#include "ornaments/source.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

Read::What hearing(const Ornament& o) {
  return o.hears == Hears::dry ? Read::What::dryBefore : Read::What::rowSoFar;
}

Source::Source(const Placed& p) {
  const Ornament& o = p.ornament;
  const Read::What own = hearing(o);
  const auto add = [&](const std::string& row, Read::What what, FrameRange r, double db) {
    reads_.push_back({row, what, r});
    windows_.push_back(EdgeWindow::withDefaultEdges(r, p.sampleRate()));
    gains_.push_back(static_cast<float>(Decibels(db).gain()));
    frames_ = std::max(frames_, r.length());
  };
  if (o.source.empty()) add(o.on, own, p.span(), 0);
  for (const SourcePiece& piece : o.source) {
    const bool elsewhere = piece.row && *piece.row != o.on;
    add(elsewhere ? *piece.row : o.on, elsewhere ? Read::What::beforeOrnaments : own,
        p.map.frames({piece.start, piece.start + piece.length}), piece.sendDb);
  }
}

void Source::read(Sounds& sounds, std::int64_t offset, StereoSpan out, StereoBuffer& scratch) const {
  out.clear();
  if (scratch.frames() < out.frames) scratch.resize(out.frames);
  for (std::size_t i = 0; i < reads_.size(); ++i) {
    const FrameRange piece = reads_[i].frames;
    const FrameRange want = intersect(piece, {piece.begin + Frames(offset), piece.begin + Frames(offset + out.frames)});
    if (want.empty()) continue;
    const StereoSpan part = scratch.span().part(0, want.length());
    sounds.read(i, want.begin, part);
    const std::int64_t at = (want.begin - piece.begin).count - offset;
    for (std::int64_t k = 0; k < want.length(); ++k) {
      const float g = gains_[i] * static_cast<float>(windows_[i].at(want.begin + Frames(k)));
      out.left[at + k] += g * part.left[k];
      out.right[at + k] += g * part.right[k];
    }
  }
}

OwnOrPieces::OwnOrPieces(const Placed& p, FrameRange own)
    : begin_(p.span().begin) {
  if (!p.ornament.source.empty()) {
    pieces_.emplace(p);
    reads_ = pieces_->reads();
  } else {
    reads_ = {{p.ornament.on, hearing(p.ornament), own}};
  }
}

void OwnOrPieces::read(Sounds& sounds, std::int64_t from, StereoSpan out) {
  if (pieces_)
    pieces_->read(sounds, from, out, scratch_);
  else
    sounds.read(0, begin_ + Frames(from), out);
}

std::int64_t edgeFrames(const Placed& p) {
  return std::min<std::int64_t>(std::llround(kFadeInSeconds * p.sampleRate()), p.span().length() / 2);
}

SourceLevel measureSource(std::int64_t frames, const std::function<void(std::int64_t at, StereoSpan out)>& read) {
  constexpr double kSounding = 1e-4; // amplitude
  SourceLevel level;
  StereoBuffer b(kPrintBlock);
  double power = 0;
  std::int64_t active = 0;
  for (std::int64_t at = 0; at < frames; at += kPrintBlock) {
    const StereoSpan part = b.span().part(0, std::min(kPrintBlock, frames - at));
    read(at, part);
    for (std::int64_t i = 0; i < part.frames; ++i) {
      const double l = part.left[i], r = part.right[i], m = std::max(std::abs(l), std::abs(r));
      level.peak = std::max(level.peak, m);
      if (m <= kSounding) continue;
      power += 0.5 * (l * l + r * r);
      ++active;
    }
  }
  if (active > 0) level.rmsDb = 10 * std::log10(power / static_cast<double>(active) + 1e-20);
  return level;
}

GainSegments sourceRemoved(const Placed& p, double gain) {
  return turnedDown(p.span(), gain, std::llround(kFadeInSeconds * p.sampleRate()),
                    std::llround(kFadeOutSeconds * p.sampleRate()));
}

} // namespace ivrin
