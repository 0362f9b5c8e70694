// The magnifier shows an edge under the lens: the real samples a few milliseconds around it, with the attacks as ticks.
#pragma once

#include "app/session/session.h"

#include <QPainter>

namespace ivrin::app {

/// Size of the lens, with its line of words.
QSizeF magnifierSize();
/// `onsets` are the attacks of the row.
void paintMagnifier(QPainter& p, const QRectF& box, const std::shared_ptr<const RenderPlan>& plan,
                    const std::vector<Frames>& onsets, const std::string& row, Beats at);
/// "attack 3.2 ms before", "on the attack"; empty where none is near.
QString nearestOnsetWords(const TempoMap& map, const std::vector<Frames>& onsets, Beats at);
/// The attack nearest to `at` within `reach`; `at` itself where there is none.
Beats nearestOnset(const Session& session, const std::string& row, Beats at, Beats reach);

} // namespace ivrin::app
