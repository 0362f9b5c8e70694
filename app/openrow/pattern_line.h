// The PatternLine stands below the cells of an open ornament: it offers the tools for its pattern, as words, and the
// patterns that have names.
#pragma once

#include "app/session/session.h"
#include "app/theme/ink_button.h"
#include "patterns/pattern_book.h"
#include "patterns/pattern_tools.h"

#include <QWidget>

namespace ivrin::app {

class PatternLine : public QWidget {
  Q_OBJECT
 public:
  PatternLine(Session& session, QWidget* parent);
  void setOrnament(const Ornament& o);
  /// Patterns that ship and one's own, as a menu, and to keep this one.
  void offer();
  static std::filesystem::path ownFolder();

 protected:
  void resizeEvent(QResizeEvent*) override { layOut(); }

 private:
  void layOut();
  void keep();
  Session& session_;
  Ornament ornament_;
  std::vector<InkButton*> tools_;
  InkButton *roll_, *patterns_;
};

// What the words and the keys do, to an ornament by its id. Each says what it did, or why it did nothing.
void usePatternTool(Session& session, const std::string& id, PatternTool::Id tool);
void setPattern(Session& session, const std::string& id, const Pattern& p, const QString& undo);
/// Writes down what chance drew; what was written down gives way to chance again.
void keepRoll(Session& session, const std::string& id);
/// Why nothing is done where no ornament with cells is open.
QString noCellsWords();
/// Its pattern; nothing where it has no cells.
std::optional<Pattern> patternOf(const Session& session, const std::string& id);

} // namespace ivrin::app
