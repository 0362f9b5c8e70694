// This file says how an ornament is called and inked, the same everywhere it is offered or drawn.
#pragma once

#include "app/theme/palette.h"
#include "app/words/as_text.h"
#include "ornaments/kind.h"
#include "render/render_plan.h"

#include <QString>

namespace ivrin::app {

/// As undo says it: "delay throw".
inline QString kindWord(const std::string& kind) {
  return asWordsInside(allKinds().find(kind)->table().name);
}

/// Rust for what sounds, or takes away, before its landing or source; blue for what follows. Switched off it is quiet.
/// It is heard before its landing.
inline bool leadsIn(const Ornament& o) {
  const Kind* kind = allKinds().find(o.kind);
  return kind && kind->leadsIn(o);
}

inline QColor inkOf(const Ornament& o) {
  return !o.enabled ? paper().quiet : leadsIn(o) ? paper().rust : paper().blue;
}

/// Where a print turns from lead-in to what follows: its landing, else the begin of its source.
inline Frames turnOf(const OrnamentNode& node, const SongContext& context) {
  const Placed placed{*node.ornament, context};
  return node.kind->landingFrame(placed).value_or(placed.span().begin);
}

} // namespace ivrin::app
