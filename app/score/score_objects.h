// This file gives screen readers the score: its rows, the ornaments on them, and the handles of the open one are
// objects with names and values, beside the widgets that stand on it. They are what the page paints, asked for when
// they are wanted.
#pragma once

#include <QString>

#include <string>

namespace ivrin::app {

class ScoreView;

/// Once: from then on every score answers for its parts.
void makeScoreReadable();

/// Where the keys are now, so that it is read out: a row, an ornament, a handle. Nothing where nobody listens.
void readRow(ScoreView& score, const std::string& row);
void readOrnament(ScoreView& score, const std::string& id);
void readHandle(ScoreView& score, const QString& name);

} // namespace ivrin::app
