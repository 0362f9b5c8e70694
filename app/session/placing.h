// Placing computes first presses and recipes by jobs. What they make comes back as an edit, or as a song to be heard.
#pragma once

#include "manners/placing.h"
#include "manners/recipe_fit.h"
#include "render/render_plan.h"
#include "services/findings.h"
#include "services/jobs.h"

#include <QObject>
#include <QString>

namespace ivrin::app {

class Session;

/// Where something that is being computed will stand, about.
struct Pending {
  std::string kind, row;
  BeatRange stretch;
};

class Placing : public QObject {
  Q_OBJECT
 public:
  explicit Placing(Session& session);
  /// Another song is open: nothing of the former one comes back.
  void clear();
  /// First press, one ornament on each row: computed apart, then one edit and placed(id of the first).
  void place(const std::string& kind, const std::vector<std::string>& rows, BeatRange stretch);
  /// The same after an ornament that stands already: both are tied to one landing, in one undo step.
  void placeAfter(const std::string& kind, const Ornament& former, BeatRange stretch);
  /// A recipe at a landing of the song as `base` has it: computed apart, the newest alone is told by recipeMade().
  void tryRecipe(const std::shared_ptr<const RenderPlan>& base, const Recipe& recipe, const std::string& landing,
                 const RecipeOptions& options);

  /// What was asked for and is not there yet; pendingChanged() follows whenever it is another.
  std::vector<Pending> pending() const;

 signals:
  void pendingChanged();
  void placed(const QString& id);
  void recipeMade(const ivrin::RecipeMade& made);
  /// The same song grows: it has these so far.
  void recipePartPlaced(const ivrin::Song& song, const std::vector<std::string>& placed);

 private:
  QString changeWords(const Ornament& was, const Ornament& is) const;
  struct PressInput {
    std::shared_ptr<const RenderPlan> plan;
    SongAudio audio;
    std::shared_ptr<PrintCache> cache;
    std::shared_ptr<Findings> findings;
    std::string kind;
    std::vector<Press> presses;
    std::string after; // the ornament that it follows, or none
  };
  struct Pressed {
    std::vector<Ornament> made;
    std::string after;
    QString refusal, said; // why something is not there; what one press heard and did
  };
  struct RecipeInput {
    std::shared_ptr<const RenderPlan> base;
    SongAudio audio;
    std::shared_ptr<PrintCache> cache;
    std::shared_ptr<Findings> findings;
    Recipe recipe;
    std::string landing;
    RecipeOptions options;
    std::function<void(const Song& song, const std::vector<std::string>& placed)> part; // on the window's thread
  };
  void begin(const std::string& kind, std::vector<Press> presses, const std::string& after);
  void take(const Pressed& pressed);
  void setPending(std::vector<Pending> pending);

  Session& session_;
  std::vector<Pending> pending_;
  Job<PressInput, Pressed> pressJob_;
  Job<RecipeInput, std::optional<RecipeMade>> recipeJob_;
};

} // namespace ivrin::app
