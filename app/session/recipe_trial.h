// A RecipeTrial lets recipes at a landing be heard before one is placed: while it runs the song has the one that is
// heard, and keeping it or letting it go ends the trial. However many are listened to, they are one step of undo.
#pragma once

#include "app/session/session.h"

namespace ivrin::app {

class RecipeTrial : public QObject {
  Q_OBJECT
 public:
  explicit RecipeTrial(Session& session);
  bool running() const { return base_ != nullptr; }
  /// At a section or landing. What a recipe has left there already is taken out while others are heard in its place.
  /// False, with the reason said, where nothing can lead to it.
  /// `own` is heard first, before those there are.
  bool begin(const std::string& landing, const std::optional<Recipe>& own = {});
  const std::string& landing() const { return landing_; }
  /// Those that ship and the user's own; those whose rows the song has, first.
  const std::vector<Recipe>& all() const { return all_; }
  std::size_t fitting() const { return fitting_; }
  /// Computed apart; until then what was heard before goes on.
  void hear(std::size_t which);
  std::size_t heard() const { return heard_; }
  const RecipeOptions& options() const { return options_; }
  void setOptions(const RecipeOptions& options);
  /// What it comes to, in words; empty while it is computed.
  const QString& said() const { return said_; }
  /// Ids of what is heard and not yet placed.
  const std::set<std::string>& proposed() const { return proposed_; }
  void keep();
  void letGo();

 signals:
  /// Begun, ended, another one wanted or made.
  void changed();
  /// Another one is in the song, or the first part of it.
  void heardAnother();
  /// All of it is.
  void whole();
  void kept(int count, const QString& name);

 private:
  /// Heard as it grows: what comes first is heard while the rest is computed.
  void grow(const Song& song, const std::vector<std::string>& placed);
  void take(const RecipeMade& made);
  void become(const Song& song);
  void end();
  Session& session_;
  std::shared_ptr<const RenderPlan> base_;
  Song before_; // as it was
  std::string landing_;
  std::vector<Recipe> all_;
  std::size_t fitting_ = 0, heard_ = 0;
  RecipeOptions options_;
  QString said_;
  std::set<std::string> proposed_;
  bool editing_ = false;
  bool grown_ = false; // a part of the one that is wanted is heard
};

} // namespace ivrin::app
