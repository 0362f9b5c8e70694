#include "app/openrow/pattern_line.h"

#include "app/openrow/measures.h"
#include "app/theme/paper_dialog.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "files/user_folder.h"
#include "song/edits.h"

#include <QMenu>

namespace ivrin::app {
namespace {

std::unique_ptr<Cells> cellsOf(const Session& session, const Ornament& o) {
  const Kind* kind = allKinds().find(o.kind);
  return kind && session.plan() ? kind->cells({o, session.plan()->context()}) : nullptr;
}

/// By its id; none where there is no such ornament.
std::unique_ptr<Cells> cellsOf(const Session& session, const std::string& id) {
  const Ornament* o = session.song().ornament(id);
  return o ? cellsOf(session, *o) : nullptr;
}

/// The same, and a word where there are none.
std::unique_ptr<Cells> cellsOrWord(Session& session, const std::string& id) {
  auto cells = cellsOf(session, id);
  if (!cells) emit session.notice(noCellsWords(), false);
  return cells;
}

} // namespace

std::optional<Pattern> patternOf(const Session& session, const std::string& id) {
  const auto cells = cellsOf(session, id);
  return cells ? std::optional(cells->pattern()) : std::nullopt;
}

void setPattern(Session& session, const std::string& id, const Pattern& p, const QString& undo) {
  const auto cells = cellsOrWord(session, id);
  if (!cells) return;
  const QString label = undo.arg(kindWord(session.song().ornament(id)->kind));
  session.edit(label, withOrnamentReplaced(session.song(), cells->with(p)));
  session.settle();
}

void usePatternTool(Session& session, const std::string& id, PatternTool::Id tool) {
  const auto cells = cellsOrWord(session, id);
  if (!cells) return;
  ToolApplied done = applied(tool, *cells, session.plan()->map());
  if (done.next) {
    const QString label = QObject::tr("change pattern of %1").arg(kindWord(done.next->kind));
    session.edit(label, withOrnamentReplaced(session.song(), std::move(*done.next)));
    session.settle();
  }
  emit session.notice(QString::fromStdString(done.said), false);
}

void keepRoll(Session& session, const std::string& id) {
  const auto cells = cellsOf(session, id);
  if (!cells || cells->roll() == Cells::Roll::none) {
    emit session.notice(QObject::tr("There is no roll to lock. Open a glitch."), false);
    return;
  }
  const bool kept = cells->roll() == Cells::Roll::kept;
  auto next = cells->withRoll(kept ? Cells::Roll::byChance : Cells::Roll::kept);
  if (!next) {
    emit session.notice(
        QObject::tr("Locking failed: the roll has more than 1024 cells. Use longer cells or a shorter ornament."),
        true);
    return;
  }
  session.edit(kept ? QObject::tr("unlock roll") : QObject::tr("lock roll"),
               withOrnamentReplaced(session.song(), std::move(*next)));
  session.settle();
  emit session.notice(kept ? QObject::tr("Roll unlocked: cells are chosen by chance again.")
                           : QObject::tr("Roll locked: its cells can be edited now."),
                      false);
}

PatternLine::PatternLine(Session& session, QWidget* parent)
    : QWidget(parent)
    , session_(session) {
  const auto word = [this](const QString& text, const QString& meaning) {
    auto* b = new InkButton(text, this);
    b->setSerif(true);
    b->setItalic(true);
    b->setTextPx(15);
    b->setToolTip(meaning);
    b->setFocusPolicy(Qt::TabFocus); // a click leaves the keys with the score
    return b;
  };
  for (const PatternTool& t : patternTools()) {
    if (t.id == PatternTool::Id::earlier) continue; // by key, and in the menu
    tools_.push_back(word(asWords(t.name), asWords(t.meaning)));
    connect(tools_.back(), &InkButton::clicked, this,
            [this, id = t.id] { usePatternTool(session_, ornament_.id, id); });
  }
  roll_ = word(tr("Lock roll"), tr("Keeps what chance chose, so that you can edit it cell by cell."));
  connect(roll_, &InkButton::clicked, this, [this] { keepRoll(session_, ornament_.id); });
  patterns_ = word(tr("Patterns…"), tr("Use a saved pattern, or save this one."));
  connect(patterns_, &InkButton::clicked, this, &PatternLine::offer);
}

void PatternLine::setOrnament(const Ornament& o) {
  ornament_ = o;
  const auto cells = cellsOf(session_, o);
  if (!cells) return;
  std::size_t i = 0;
  for (const PatternTool& t : patternTools()) {
    if (t.id == PatternTool::Id::earlier) continue;
    tools_[i++]->setVisible(t.id != PatternTool::Id::sides || cells->has().sides);
  }
  roll_->setVisible(cells->roll() != Cells::Roll::none);
  roll_->setText(cells->roll() == Cells::Roll::kept ? tr("Unlock roll") : tr("Lock roll"));
  layOut();
}

void PatternLine::layOut() {
  int x = scaled(kLabel);
  const auto put = [&](InkButton* b) {
    if (b->isHidden()) return;
    const int w = b->sizeHint().width();
    b->setGeometry(x, 0, w, height());
    x += w + scaled(14);
  };
  for (InkButton* b : tools_) put(b);
  put(roll_);
  put(patterns_);
}

std::filesystem::path PatternLine::ownFolder() {
  return windowFolder() / "patterns";
}

void PatternLine::keep() {
  const auto now = patternOf(session_, ornament_.id);
  if (!now) return;
  const QString name = askName(this, tr("Save as pattern"), tr("Name")).value_or(QString()).trimmed();
  if (name.isEmpty()) return;
  std::string why;
  if (keepPattern(ownFolder(), {name.toStdString().substr(0, 200), *now}, why))
    emit session_.notice(tr("Saved pattern “%1”").arg(name), false);
  else
    emit session_.notice(QString::fromStdString(why), true);
}

void PatternLine::offer() {
  auto* menu = new QMenu(this);
  menu->setObjectName(QStringLiteral("pattern-menu"));
  menu->setAttribute(Qt::WA_DeleteOnClose);
  menu->addAction(tr("Save as pattern…"), this, &PatternLine::keep);
  menu->addSeparator();
  Problems problems;
  std::vector<NamedPattern> all = patternsIn(ownFolder(), problems);
  const std::size_t own = all.size();
  all.insert(all.end(), shippedPatterns().begin(), shippedPatterns().end());
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (i == own && own > 0) menu->addSeparator();
    menu->addAction(asWords(all[i].name), this, [this, p = all[i]] {
      setPattern(session_, ornament_.id, p.steps, tr("pattern “%1” for %2").arg(asWords(p.name), QStringLiteral("%1")));
      emit session_.notice(asWords(p.name), false);
    });
  }
  if (!problems.list.empty()) emit session_.notice(QString::fromStdString(problems.list.front().text()), true);
  menu->popup(patterns_->mapToGlobal(QPoint(0, patterns_->height())));
}

QString noCellsWords() {
  return QObject::tr("No ornament with cells is open. Open a stutter, pulse or glitch first.");
}

} // namespace ivrin::app
