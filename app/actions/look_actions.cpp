#include "app/actions/look_actions.h"

#include "app/theme/palette.h"

#include <QApplication>
#include <QSettings>

namespace ivrin::app {
using K = QKeySequence;
LookActions::LookActions(const Desk& desk)
    : ActionGroup(desk) {
  desktopIsDark_ = QApplication::palette().color(QPalette::Window).lightness() < 110;
}

void LookActions::addActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  add({"follow",
       menu,
       tr("Fo&llow the playhead"),
       tr("Scrolls with the playhead. Scrolling by hand stops this until playback starts again."),
       {K(Qt::CTRL | Qt::Key_F)},
       [this] {
         score_->setFollows(action("follow")->isChecked());
         score_->tick();
       },
       true});
  action("follow")->setChecked(true);
  connect(score_, &ScoreView::followsChanged, action("follow"), &QAction::setChecked);
  add({"nearer",
       menu,
       tr("Zoom &in"),
       {},
       {K::ZoomIn, K(Qt::CTRL | Qt::Key_Equal)},
       [this] { score_->zoom(1.5, score_->axis().x0 + score_->axis().width / 2); },
       false,
       true});
  add({"farther", menu, tr("Zoom &out"), {}, {K::ZoomOut}, [this] {
         score_->zoom(1 / 1.5, score_->axis().x0 + score_->axis().width / 2);
       }});
  add({"whole", menu, tr("Show &whole song"), {}, {K(Qt::CTRL | Qt::Key_0)}, [this] {
         if (session_.isOpen())
           score_->showRange(-1, session_.plan()->map().quartersAt(session_.plan()->end(true)) + 1, true);
       }});
  add({"foldRow",
       menu,
       tr("Fold ro&w"),
       tr("Shows the cursor's row thin, or in full again."),
       {K(Qt::SHIFT | Qt::Key_F)},
       [this] { score_->folds().toggle(score_->caret().row()); },
       false,
       true});
  add({"foldQuiet",
       menu,
       tr("Fold rows without &ornaments"),
       tr("Rows without ornaments in view are shown thin."),
       {K(Qt::Key_F)},
       [this] { score_->folds().setFoldsQuiet(action("foldQuiet")->isChecked()); },
       true});
}

void LookActions::addPapers(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  const QString papers = tr("Appearance");
  add({"paper-desktop",
       menu,
       tr("Same as &desktop"),
       {},
       {},
       [this] { setPaperChoice(QStringLiteral("desktop")); },
       true,
       true,
       papers});
  add({"paper-day",
       menu,
       tr("D&ay"),
       tr("Dark on warm white."),
       {},
       [this] { setPaperChoice(QStringLiteral("day")); },
       true,
       false,
       papers});
  add({"paper-night",
       menu,
       tr("Ni&ght"),
       tr("Light on dark."),
       {},
       [this] { setPaperChoice(QStringLiteral("night")); },
       true,
       false,
       papers});
  add({"night",
       menu,
       tr("Switch day / night"),
       tr("Switches between the day and night appearance."),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_N)},
       [this] { setPaperChoice(paper().night ? QStringLiteral("day") : QStringLiteral("night")); },
       false,
       false,
       papers});
}

void LookActions::keepState() {
  keepsState_ = true;
  setPaperChoice(QSettings().value(QStringLiteral("paper"), QStringLiteral("desktop")).toString());
}

void LookActions::setPaperChoice(const QString& choice) {
  setNight(choice == QLatin1String("night") || (choice == QLatin1String("desktop") && desktopIsDark_));
  for (const char* id : {"desktop", "day", "night"})
    actions_->action(QStringLiteral("paper-") + QString::fromLatin1(id))->setChecked(choice == QLatin1String(id));
  if (keepsState_) QSettings().setValue(QStringLiteral("paper"), choice);
}

void LookActions::setNight(bool on) {
  setPaper(on);
  applyPaper();
}

void LookActions::applyPaper() {
  const Palette& c = paper();
  QPalette p;
  p.setColor(QPalette::Window, c.paper);
  p.setColor(QPalette::Base, c.card);
  p.setColor(QPalette::AlternateBase, c.margin);
  p.setColor(QPalette::Button, c.margin);
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
    p.setColor(role, c.ink);
  p.setColor(QPalette::Disabled, QPalette::ButtonText, c.quiet);
  p.setColor(QPalette::Disabled, QPalette::Text, c.quiet);
  p.setColor(QPalette::Disabled, QPalette::WindowText, c.quiet);
  p.setColor(QPalette::ToolTipBase, c.card);
  p.setColor(QPalette::Highlight, c.ink);
  p.setColor(QPalette::HighlightedText, c.card);
  p.setColor(QPalette::PlaceholderText, c.quiet);
  QApplication::setPalette(p);
  for (QWidget* w : window_->findChildren<QWidget*>()) w->update();
  window_->update();
}

} // namespace ivrin::app
