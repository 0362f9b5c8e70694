// This file finds the sections of a song, from what is found of its stems.
#pragma once

#include "analysis/sections.h"
#include "services/findings.h"

namespace ivrin {

/// From all stems as their files are, on so many threads. `findings` look for notes. Nothing when asked to stop.
std::vector<FoundSection> sectionsOf(const std::shared_ptr<const RenderPlan>& plan, Findings& findings, int threads,
                                     std::stop_token stop = {});

/// Those where none of the song's own starts.
std::vector<FoundSection> withoutOwn(std::vector<FoundSection> found, const Song& song);
/// The song with these added to its own.
Song withSections(Song song, const std::vector<FoundSection>& found);

} // namespace ivrin
