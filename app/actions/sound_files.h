// This file tells file dialogs which files hold sound, and remembers the folders that songs may read from.
#pragma once

#include <QStringList>

namespace ivrin::app {

/// The filter of a file dialog.
QString audioFilter();
/// A folder that songs may read from, in this and every later run.
void rememberReach(const QString& folder);

} // namespace ivrin::app
