// This file says in words what rows are.
#pragma once

#include "song/row_role.h"

#include <QObject>
#include <QString>

namespace ivrin::app {

inline QString roleName(std::optional<RowRole> role) {
  if (!role) return QObject::tr("none");
  switch (*role) {
  case RowRole::voice:
    return QObject::tr("voice");
  case RowRole::harmony:
    return QObject::tr("harmony");
  case RowRole::texture:
    return QObject::tr("texture");
  case RowRole::effects:
    return QObject::tr("effects");
  case RowRole::bass:
    return QObject::tr("bass");
  case RowRole::drums:
    return QObject::tr("drums");
  }
  return {};
}

} // namespace ivrin::app
