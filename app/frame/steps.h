// Steps are what a command line asks of the window before its picture is taken. Each step says why it cannot be taken.
#pragma once

#include <QString>

namespace ivrin::app {

class MainWindow;

/// What steps there are, a line each.
QString stepsInWords();
/// Takes one step; says why it cannot be taken, or nothing.
QString takeStep(MainWindow& window, const QString& step);

} // namespace ivrin::app
