#include "ornaments/source.h"

namespace ivrin {

Source::Source(const Placed& p) {
  const Ornament& o = p.ornament;
  const auto own = o.hears == Hears::dry ? Read::What::dryBefore : Read::What::rowSoFar;
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

} // namespace ivrin
