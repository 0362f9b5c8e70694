// What the window asks of a kind: its sign, its drawing in the open row, and keys of its own. One file for each kind,
// one line in the list (all_faces.cpp); a test walks the list against allKinds(). Nothing falls back silently.
#pragma once

#include "app/openrow/open_drawing.h"
#include "app/theme/signs.h"

#include <QKeySequence>
#include <QString>
#include <QStringList>

#include <memory>
#include <string_view>
#include <vector>

namespace ivrin::app {

/// A key that steps a setting of the open ornament, or of the one at the caret.
struct OwnAction {
  QString id; // in the registry of actions
  QString text;
  QKeySequence key;
  const char* setting;
  int steps;
};

class Face {
 public:
  virtual ~Face() = default;
  /// Id of the kind.
  virtual std::string_view kind() const = 0;
  /// Its sign, on a field of 22 by 16; legible at 14 pixels.
  virtual void sign(SignPen& s) const = 0;
  virtual std::unique_ptr<OpenDrawing> drawing() const = 0;
  virtual std::vector<OwnAction> actions() const { return {}; }
  /// Under which its actions stand in the menu; only asked for where there are some.
  virtual QString actionsMenu() const { return {}; }
};

/// Draws the sign of a kind into `box` (wider than high, 22×16 is usual; legible from 14 px).
void drawSign(QPainter& p, const QString& kind, const QRectF& box, const QColor& colour);
/// The kinds that have a sign.
QStringList signKinds();

/// In the order of allKinds().
const std::vector<const Face*>& allFaces();
/// Nothing for kinds that are not in the list (kinds of tests).
const Face* faceOf(std::string_view kind);

} // namespace ivrin::app
