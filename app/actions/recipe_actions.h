// These actions place whole transitions into a landing. A transition is heard on a card beside the landing before it is
// placed, carried to the next landing, or kept as a recipe of the user.
#pragma once

#include "app/actions/action_group.h"
#include "app/actions/listening.h"
#include "app/actions/opening_actions.h"
#include "app/session/recipe_trial.h"

namespace ivrin::app {

class RecipeCard;

class RecipeActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::RecipeActions)
 public:
  RecipeActions(const Desk& desk, Listening& listening, const OpeningActions& openings);
  void addActions(const QString& menu);
  void openAt(const std::string& landing);
  /// What is heard and not placed goes.
  void letGo() { trial_->letGo(); }

 private:
  void open();
  void trialChanged();
  void showCard(const Landing& landing);
  void carryTransition();
  std::vector<std::string> ofTransition(const Landing& landing) const;
  void keepOwnRecipe();
  Listening& listening_;
  const OpeningActions& openings_;
  RecipeTrial* trial_;
  RecipeCard* card_;
};

} // namespace ivrin::app
