// This file keeps between runs how each song was looked at, and how the last one was listened to.
#pragma once

#include "app/actions/listening.h"

namespace ivrin::app {

/// The view of the song that is open, by its file.
void storeView(Session& session, const ScoreView& score);
/// True where one was kept.
bool restoreView(Session& session, ScoreView& score);

void storeListening(const Listening& listening, const ActionRegistry& actions);
void restoreListening(Listening& listening, const ActionRegistry& actions);

} // namespace ivrin::app
