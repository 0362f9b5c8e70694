#include "app/actions/cell_actions.h"

#include "app/openrow/open_row.h"
#include "app/words/as_text.h"

namespace ivrin::app {
namespace {

QKeySequence keyOf(PatternTool::Id id) {
  using Id = PatternTool::Id;
  switch (id) {
  case Id::everyNth:
    return Qt::SHIFT | Qt::Key_X;
  case Id::later:
    return Qt::SHIFT | Qt::Key_R;
  case Id::earlier:
    return Qt::CTRL | Qt::SHIFT | Qt::Key_R;
  case Id::mirror:
    return Qt::SHIFT | Qt::Key_B;
  case Id::thin:
    return Qt::SHIFT | Qt::Key_H;
  case Id::fill:
    return Qt::SHIFT | Qt::Key_L;
  case Id::spread:
    return Qt::SHIFT | Qt::Key_P;
  case Id::sides:
    return Qt::SHIFT | Qt::Key_S;
  case Id::accent:
    return Qt::SHIFT | Qt::Key_A;
  }
  return {};
}

} // namespace

void CellActions::addActions(const QString& menu) {
  const QString sub = tr("Cell pattern");
  const auto add = [&](const QString& id, const QString& text, const QString& meaning, const QKeySequence& key,
                       std::function<void(const std::string& ornament)> act) {
    actions_->add({id, menu, text, meaning, {key}, [this, act] { act(score_->hand().atCaret()); }, false, false, sub});
  };
  for (const PatternTool& t : patternTools()) {
    add(QString::fromStdString(t.key), capital(asWords(t.name)), asWords(t.meaning), keyOf(t.id),
        [this, id = t.id](const std::string& o) { usePatternTool(session_, o, id); });
  }
  add(QStringLiteral("pattern-copy"), tr("Copy pattern"),
      tr("Copies the cell pattern for another ornament with cells, of any kind."), Qt::CTRL | Qt::SHIFT | Qt::Key_C,
      [this](const std::string& o) {
        copied_ = patternOf(session_, o);
        measure_->say(copied_ ? tr("Cell pattern copied.") : noCellsWords(), false);
      });
  add(QStringLiteral("pattern-paste"), tr("Paste pattern"), {}, Qt::CTRL | Qt::SHIFT | Qt::Key_V,
      [this](const std::string& o) {
        if (copied_)
          setPattern(session_, o, *copied_, tr("paste pattern into %1"));
        else
          measure_->say(tr("No cell pattern has been copied. Open an ornament with cells and choose Copy pattern."),
                        false);
      });
  add(QStringLiteral("pattern-named"), tr("Pattern library…"), tr("Use a saved cell pattern, or save this one."),
      Qt::CTRL | Qt::SHIFT | Qt::Key_P, [this](const std::string&) {
        if (score_->opened().row() && score_->opened().isOpen() && score_->opened().row()->patterns().isVisible())
          score_->opened().row()->patterns().offer();
        else
          measure_->say(noCellsWords(), false);
      });
  add(QStringLiteral("keep-roll"), tr("Lock roll"),
      tr("Keeps what chance chose for a glitch, so that its cells can be edited. Press again to unlock."),
      Qt::SHIFT | Qt::Key_G, [this](const std::string& o) { keepRoll(session_, o); });
}

} // namespace ivrin::app
