// What a print is made from, as a digest: two prints with the same digest have the same samples. No sample is hashed.
#pragma once

#include "render/render_plan.h"

namespace ivrin {

/// To be raised whenever a kind computes something else from the same settings.
inline constexpr int kEngineVersion = 7;

/// Digest of the ornament, its place in time, the key, tempo and meters in its reach, and its reads' ranges.
std::string ownDigest(const OrnamentNode& node, const SongContext& context);
/// What a row sounds like over a stretch of the song, before its own ornaments, gain, pan and mute, or after the
/// ornaments: the same text, the same samples.
std::string soundBefore(const RenderPlan& plan, std::size_t row, FrameRange range);
std::string soundAfter(const RenderPlan& plan, std::size_t row, FrameRange range);
/// Own digest together with the stems and prints that meet the declared reads.
std::string provenance(const OrnamentNode& node, const std::vector<RowNode>& rows);

} // namespace ivrin
