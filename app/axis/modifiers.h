// This file says what keys held with the mouse mean, in one place. Nothing relies on Alt: window managers move windows
// with it.
#pragma once

#include <Qt>

namespace ivrin::app {

/// Off the grid, to the sample.
inline bool leavesGrid(Qt::KeyboardModifiers m) {
  return m & Qt::ShiftModifier;
}
/// This one alone, where a handle is for all: the shoulders of a cell.
inline bool thisAlone(Qt::KeyboardModifiers m) {
  return (m & Qt::ControlModifier) && !(m & Qt::ShiftModifier);
}
/// Onto an attack that is near.
inline bool seeksAttack(Qt::KeyboardModifiers m) {
  return (m & Qt::ControlModifier) && (m & Qt::ShiftModifier);
}

} // namespace ivrin::app
