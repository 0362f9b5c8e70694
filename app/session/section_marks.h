// This file knows the boxed marks of sections, and those that are proposed.
#pragma once

#include "app/session/session.h"

namespace ivrin::app {

/// A section that is still called as it was proposed (B, A′) has its name for its mark and no other name; the others
/// have the letters in their order, but for those that are taken so.
struct SectionMark {
  QString mark, name;
};
std::vector<SectionMark> sectionMarks(const std::vector<Landing>& sections);

/// All sections that are proposed become the song's own, or only the one that starts there: one undo step. How many.
int takeProposed(Session& session, std::optional<Beats> at = {});

} // namespace ivrin::app
