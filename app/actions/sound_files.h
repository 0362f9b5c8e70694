// Files of sound and MIDI, as file dialogs and drops want them.
#pragma once

#include <QStringList>

namespace ivrin::app {

/// The filter of a file dialog.
QString audioFilter();
/// A folder that songs may read from, in this and every later run.
void rememberReach(const QString& folder);

} // namespace ivrin::app
