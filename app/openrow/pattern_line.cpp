#include "app/openrow/pattern_line.h"

#include "app/openrow/measures.h"
#include "app/theme/ornament_look.h"
#include "app/theme/type.h"
#include "ornaments/glitch.h"
#include "song/edits.h"

#include <QInputDialog>
#include <QMenu>
#include <QStandardPaths>

namespace ivrin::app {
namespace {

std::unique_ptr<Cells> cellsOf(const Session& session, const Ornament& o) {
  const Kind* kind = allKinds().find(o.kind);
  return kind && session.plan() ? kind->cells({o, session.plan()->context()}) : nullptr;
}

bool rollIsKept(const Ornament& o) {
  const auto it = o.settings.find("kept_ms");
  return it != o.settings.end() && !it->second.isNull();
}

} // namespace

std::optional<Pattern> patternOf(const Session& session, const std::string& id) {
  const Ornament* o = session.song().ornament(id);
  const auto cells = o ? cellsOf(session, *o) : nullptr;
  return cells ? std::optional(cells->pattern()) : std::nullopt;
}

void setPattern(Session& session, const std::string& id, const Pattern& p, const QString& undo) {
  const Ornament* o = session.song().ornament(id);
  const auto cells = o ? cellsOf(session, *o) : nullptr;
  if (!cells) {
    emit session.notice(QObject::tr("There are no cells here."), false);
    return;
  }
  const QString label = undo.arg(kindWord(o->kind));
  session.edit(label, withOrnamentReplaced(session.song(), cells->with(p)));
  session.settle();
}

void usePatternTool(Session& session, const std::string& id, PatternTool::Id tool) {
  const Ornament* o = session.song().ornament(id);
  const auto cells = o ? cellsOf(session, *o) : nullptr;
  if (!cells) {
    emit session.notice(QObject::tr("There are no cells here."), false);
    return;
  }
  ToolApplied done = applied(tool, *cells, session.plan()->map());
  if (done.next) {
    const QString label = QObject::tr("pattern of %1").arg(kindWord(o->kind));
    session.edit(label, withOrnamentReplaced(session.song(), std::move(*done.next)));
    session.settle();
  }
  emit session.notice(QString::fromStdString(done.said), false);
}

void keepRoll(Session& session, const std::string& id) {
  const Ornament* o = session.song().ornament(id);
  if (!o || o->kind != "glitch") {
    emit session.notice(QObject::tr("There is no roll here."), false);
    return;
  }
  if (rollIsKept(*o)) {
    Ornament next = *o;
    next.settings.erase("kept_ms");
    next.settings.erase("kept_semitones");
    session.edit(QObject::tr("letting the roll go"), withOrnamentReplaced(session.song(), std::move(next)));
    emit session.notice(QObject::tr("By chance again."), false);
  } else if (auto kept = withRollKept({*o, session.plan()->context()})) {
    session.edit(QObject::tr("keeping the roll"), withOrnamentReplaced(session.song(), std::move(*kept)));
    emit session.notice(QObject::tr("This roll is kept: its cells are there to be edited."), false);
  } else {
    emit session.notice(QObject::tr("It has more than 1024 steps: too many to be written down."), true);
  }
  session.settle();
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
    tools_.push_back(word(QString::fromStdString(t.name), QString::fromStdString(t.meaning)));
    connect(tools_.back(), &InkButton::clicked, this,
            [this, id = t.id] { usePatternTool(session_, ornament_.id, id); });
  }
  roll_ = word(tr("keep this roll"), tr("Writes down what chance drew, to be edited cell by cell."));
  connect(roll_, &InkButton::clicked, this, [this] { keepRoll(session_, ornament_.id); });
  patterns_ = word(tr("patterns …"), tr("Patterns that have names; keep this one."));
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
  roll_->setVisible(o.kind == "glitch");
  roll_->setText(rollIsKept(o) ? tr("let it roll") : tr("keep this roll"));
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
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation).toStdString() + "/patterns";
}

void PatternLine::keep() {
  const auto now = patternOf(session_, ornament_.id);
  if (!now) return;
  bool ok = false;
  const QString name =
      QInputDialog::getText(this, tr("Keep as a pattern"), tr("Name"), QLineEdit::Normal, {}, &ok).trimmed();
  if (!ok || name.isEmpty()) return;
  std::string why;
  if (keepPattern(ownFolder(), {name.toStdString().substr(0, 200), *now}, why))
    emit session_.notice(tr("Kept “%1”").arg(name), false);
  else
    emit session_.notice(QString::fromStdString(why), true);
}

void PatternLine::offer() {
  auto* menu = new QMenu(this);
  menu->setObjectName(QStringLiteral("pattern-menu"));
  menu->setAttribute(Qt::WA_DeleteOnClose);
  menu->addAction(tr("Keep this one …"), this, &PatternLine::keep);
  menu->addSeparator();
  Problems problems;
  std::vector<NamedPattern> all = patternsIn(ownFolder(), problems);
  const std::size_t own = all.size();
  all.insert(all.end(), shippedPatterns().begin(), shippedPatterns().end());
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (i == own && own > 0) menu->addSeparator();
    menu->addAction(QString::fromStdString(all[i].name), this, [this, p = all[i]] {
      setPattern(session_, ornament_.id, p.steps,
                 tr("“%1” for %2").arg(QString::fromStdString(p.name), QStringLiteral("%1")));
      emit session_.notice(QString::fromStdString(p.name), false);
    });
  }
  if (!problems.list.empty()) emit session_.notice(QString::fromStdString(problems.list.front().text()), true);
  menu->popup(patterns_->mapToGlobal(QPoint(0, patterns_->height())));
}

} // namespace ivrin::app
