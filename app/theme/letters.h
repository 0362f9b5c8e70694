// Letters choose in a list that opens: what is typed goes to the entry that begins with it.
#pragma once

#include <QMenu>

namespace ivrin::app {

void lettersChoose(QMenu& menu);

} // namespace ivrin::app
