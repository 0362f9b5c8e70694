// How an ornament is called and inked, the same everywhere it is offered or drawn.
#pragma once

#include "app/theme/palette.h"
#include "ornaments/kind.h"

#include <QString>

namespace ivrin::app {

/// As undo says it: "delay throw".
inline QString kindWord(const std::string& kind) {
  return QString::fromStdString(allKinds().find(kind)->table().name).toLower();
}

/// A gap takes away before the landing it makes room for; a throw sounds after its source. Switched off it is quiet.
inline QColor inkOf(const Ornament& o) {
  return !o.enabled ? paper().quiet : o.kind == "gap" ? paper().rust : paper().blue;
}

} // namespace ivrin::app
