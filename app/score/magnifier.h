// An edge under the lens: the real samples a few milliseconds around it, with the attacks as ticks.
#pragma once

#include "app/session/session.h"

#include <QPainter>

namespace ivrin::app {

/// Size of the lens, with its line of words.
QSizeF magnifierSize();
void paintMagnifier(QPainter& p, const QRectF& box, const Session& session, const std::string& row, Beats at);
/// "attack 3.2 ms before", "on the attack"; empty where none is near.
QString nearestOnsetWords(const Session& session, const std::string& row, Beats at);
/// The attack nearest to `at` within `reach`; `at` itself where there is none.
Beats nearestOnset(const Session& session, const std::string& row, Beats at, Beats reach);

} // namespace ivrin::app
