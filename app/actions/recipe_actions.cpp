#include "app/actions/recipe_actions.h"

#include "app/score/recipe_card.h"
#include "app/theme/paper_dialog.h"
#include "app/words/as_text.h"

#include <algorithm>

namespace ivrin::app {
RecipeActions::RecipeActions(const Desk& desk, Listening& listening, const OpeningActions& openings)
    : ActionGroup(desk)
    , listening_(listening)
    , openings_(openings)
    , trial_(new RecipeTrial(session_))
    , card_(new RecipeCard(*trial_, session_, score_)) {
  trial_->setParent(this);
  connect(trial_, &RecipeTrial::changed, this, &RecipeActions::trialChanged);
  connect(score_, &ScoreView::recipesWanted, this, &RecipeActions::openAt);
  connect(trial_, &RecipeTrial::heardAnother, this, [this] { listening_.hearLoop(); });
  connect(trial_, &RecipeTrial::kept, this, [this](int count, const QString& name) {
    measure_->say(tr("Placed “%1”: %2").arg(name, tr("%n ornament(s)", nullptr, count)), false);
  });
}

void RecipeActions::addActions(const QString& menu) {
  actions_->add({"recipes",
                 menu,
                 tr("&Recipes…"),
                 tr("Lists whole transitions into the current landing. Preview them before placing one."),
                 {QKeySequence(Qt::CTRL | Qt::Key_R)},
                 [this] { open(); },
                 false,
                 true});
  actions_->add(
      {"keepRecipe",
       menu,
       tr("Sa&ve as recipe…"),
       tr("Saves the selected ornaments, or everything tied to the current landing, as a recipe for other landings."),
       {},
       [this] { keepOwnRecipe(); }});
  actions_->add({"carryTransition",
                 menu,
                 tr("Cop&y transition to next landing…"),
                 tr("Fits everything that is selected or tied to the current landing to the next one. Preview it "
                    "before placing."),
                 {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_L)},
                 [this] { carryTransition(); }});
}

void RecipeActions::trialChanged() {
  score_->setProposed(trial_->proposed());
  if (!trial_->running()) {
    const bool had = card_->hasFocus();
    card_->hide();
    if (had) score_->setFocus();
    return;
  }
  if (!trial_->said().isEmpty()) measure_->say(trial_->said(), false);
}

void RecipeActions::open() {
  if (!session_.isOpen()) return;
  // From an opening that is chosen to the landing after it; else to the one that bars are counted to.
  if (const auto& selected = score_->selection(); openings_.standsOnOne())
    if (const auto next = session_.song().landingAfter(selected->begin)) return openAt(next->id);
  if (!score_->landing()) {
    measure_->say(tr("There is no landing for a recipe to lead to. Press M to set one at the cursor."), false);
    return;
  }
  openAt(score_->landing()->id);
}

void RecipeActions::openAt(const std::string& id) {
  const auto at = session_.song().landingById(id);
  if (!at) return;
  const Landing landing = *at;
  score_->opened().close();
  score_->select(std::nullopt);
  score_->goToLanding(landing.id);
  if (trial_->begin(landing.id)) showCard(landing);
}

void RecipeActions::showCard(const Landing& landing) {
  // What leads in stands beside the card, the landing near the other edge.
  const double bar = session_.plan()->map().meterAt(landing.at - Beats(1)).barLength().quarters(),
               at = landing.at.quarters();
  score_->showRange(at - 7 * bar, at + 2 * bar, false);
  score_->comeToRest();
  score_->countTo(landing.id);
  card_->standBeside(score_->axis().xOf(landing.at),
                     score_->rect().adjusted(static_cast<int>(score_->axis().x0), 0, 0, 0));
  card_->show();
  card_->raise();
  card_->setFocus();
}

/// What is marked, if it is several, else all that is tied to the landing.
std::vector<std::string> RecipeActions::ofTransition(const Landing& landing) const {
  std::vector<std::string> ids;
  for (const Ornament& o : ornamentsInHand()) ids.push_back(o.id);
  if (ids.size() > 1) return ids; // one alone is where the caret is
  ids.clear();
  for (const auto& o : session_.song().ornaments)
    if (o->landing == landing.id) ids.push_back(o->id);
  return ids;
}

/// The same transition into the next landing, fitted to what plays there.
void RecipeActions::carryTransition() {
  if (!session_.isOpen() || !score_->landing()) return;
  const Landing here = *score_->landing();
  const std::vector<std::string> ids = ofTransition(here);
  if (ids.empty()) {
    measure_->say(
        tr("No ornament is selected or tied to this landing. Select some with Shift+click, or tie them with J."),
        false);
    return;
  }
  const auto next = session_.song().landingAfter(here.at);
  if (!next) {
    measure_->say(tr("There is no landing after this one. Press M to set one."), false);
    return;
  }
  const Landing there = *next;
  Recipe recipe = recipeOf(session_.song(), ids, here.at, tr("like %1").arg(asText(here.name)).toStdString());
  recipe.says = tr("The transition of the previous landing, fitted to what plays before this one.").toStdString();
  score_->opened().close();
  score_->select(std::nullopt);
  score_->goToLanding(there.id);
  if (trial_->begin(there.id, recipe)) showCard(there);
}

void RecipeActions::keepOwnRecipe() {
  if (!session_.isOpen()) return;
  const Landing* l = score_->landing();
  if (!l) {
    measure_->say(tr("There is no landing to count from. Press M to set one at the cursor."), false);
    return;
  }
  const std::vector<std::string> ids = ofTransition(*l);
  if (ids.empty()) {
    measure_->say(
        tr("No ornament is selected or tied to this landing. Select some with Shift+click, or tie them with J."),
        false);
    return;
  }
  const auto name = askName(window_, tr("Save as recipe"), tr("Name"));
  if (!name || name->trimmed().isEmpty()) return;
  std::string why;
  const Recipe recipe = recipeOf(session_.song(), ids, l->at, name->trimmed().toStdString());
  if (keepRecipe(ownRecipes(), recipe, why))
    measure_->say(
        tr("Saved recipe “%1”: %2").arg(name->trimmed(), tr("%n ornament(s)", nullptr, static_cast<int>(ids.size()))),
        false);
  else
    measure_->say(asText(why), true);
}

} // namespace ivrin::app
