// What the keys act on, in words: the measure line names what has the focus frame.
#pragma once

#include <QString>

class QWidget;

namespace ivrin::app {

/// Of a number, the finish line, a curve; empty for everything else.
QString inHandWords(const QWidget* focus);

} // namespace ivrin::app
