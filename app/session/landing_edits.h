// This file holds what the form line, the ruler and the menu do to sections and landings, each as one edit with its
// words.
#pragma once

#include "app/session/session.h"

namespace ivrin::app {

/// Returns the new one's id.
std::string addLanding(Session& session, Beats at, bool section, const QString& name);
void renameLanding(Session& session, const std::string& id, const QString& name);
/// `at` on a drag's way: the edits become one; end it with session.settle().
void moveLanding(Session& session, const std::string& id, Beats at);
void removeLanding(Session& session, const std::string& id);
/// Bar lines for sections and landings, or the grid where it is wanted finer.
Beats landingPlace(const Session& session, Beats at, bool free, Beats grid);

} // namespace ivrin::app
