#include "app/session/recipe_trial.h"

#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "song/edits.h"

#include <algorithm>

namespace ivrin::app {
namespace {

/// Whether the song has rows for all that it needs.
bool hasRows(const Song& song, const Recipe& recipe) {
  return std::all_of(recipe.parts.begin(), recipe.parts.end(),
                     [&](const RecipePart& p) { return !p.needed || !rowsFor(song, p).empty(); });
}

} // namespace

RecipeTrial::RecipeTrial(Session& session)
    : session_(session) {
  connect(&session_.placing(), &Placing::recipeMade, this, &RecipeTrial::take);
  connect(&session_.placing(), &Placing::recipePartPlaced, this, &RecipeTrial::grow);
  // Whatever else changes the song keeps what is heard.
  connect(&session_, &Session::songChanged, this, [this] {
    if (running() && !editing_) end();
  });
  connect(&session_, &Session::opened, this, [this] {
    if (running()) end();
  });
}

bool RecipeTrial::begin(const std::string& landing, const std::optional<Recipe>& own) {
  if (running()) letGo();
  const auto at = session_.isOpen() ? session_.song().landingById(landing) : std::nullopt;
  if (!at) return false;
  if (at->at <= Beats(0)) {
    emit session_.notice(tr("Nothing plays before the start of the song. Choose a later landing for a recipe."), false);
    return false;
  }
  session_.settle();
  session_.beginHearing();
  before_ = session_.song();
  landing_ = landing;
  options_ = {};
  said_.clear();
  Problems problems;
  all_ = allRecipes(allKinds().registry(), problems);
  for (const Problem& p : problems.list) emit session_.notice(asText(p.text()), p.isError);
  const auto middle =
      std::stable_partition(all_.begin(), all_.end(), [&](const Recipe& r) { return hasRows(before_, r); });
  fitting_ = static_cast<std::size_t>(middle - all_.begin());
  // What stands there already is what the others are heard instead of.
  std::size_t first = 0;
  Song bare = before_;
  for (const auto& o : before_.ornaments) {
    if (!o->recipe || o->recipe->landing != landing) continue;
    options_ = {o->recipe->density, o->recipe->length};
    for (std::size_t i = 0; i < all_.size(); ++i)
      if (all_[i].name == o->recipe->name) first = i;
    bare = withoutOrnament(std::move(bare), o->id);
  }
  if (bare == before_) {
    base_ = session_.plan();
  } else {
    editing_ = true;
    session_.edit(tr("recipe"), bare, "recipe-" + landing_);
    editing_ = false;
    base_ = session_.plan();
  }
  if (own) {
    all_.insert(all_.begin(), *own);
    ++fitting_;
    first = 0;
  }
  emit changed();
  hear(first);
  return true;
}

void RecipeTrial::hear(std::size_t which) {
  if (!running() || which >= all_.size()) return;
  heard_ = which;
  said_.clear();
  grown_ = false;
  emit changed();
  session_.placing().tryRecipe(base_, all_[heard_], landing_, options_);
}

void RecipeTrial::setOptions(const RecipeOptions& options) {
  options_ = {std::clamp(options.density, -1, 1), std::clamp(options.length, -1, 1)};
  hear(heard_);
}

void RecipeTrial::become(const Song& song) {
  editing_ = true;
  session_.edit(tr("recipe “%1”").arg(asWords(all_[heard_].name)), song, "recipe-" + landing_);
  editing_ = false;
}

void RecipeTrial::grow(const Song& song, const std::vector<std::string>& placed) {
  if (!running()) return;
  proposed_ = {placed.begin(), placed.end()};
  become(song);
  emit changed();
  if (!std::exchange(grown_, true)) emit heardAnother();
}

void RecipeTrial::take(const RecipeMade& made) {
  if (!running()) return;
  proposed_.clear();
  for (const Ornament& o : made.placed) proposed_.insert(o.id);
  // Of what another recipe has left here only that goes which stands in this one's way; what it placed itself is placed
  // anew.
  std::vector<Ornament> stays;
  QStringList replaced;
  for (const auto& o : before_.ornaments) {
    if (!o->recipe || o->recipe->landing != landing_ || o->recipe->name == all_[heard_].name) continue;
    const bool meets = std::any_of(made.placed.begin(), made.placed.end(), [&](const Ornament& p) {
      return p.on == o->on && p.start < o->span().end && o->start < p.span().end;
    });
    if (meets)
      replaced << kindWord(o->kind);
    else
      stays.push_back(*o);
  }
  Song song = made.why.empty() ? made.song : base_->song();
  if (!stays.empty()) song = withOrnaments(std::move(song), std::move(stays)).song;
  become(song);
  const QString name = asWords(all_[heard_].name);
  std::set<std::string> rows;
  for (const Ornament& o : made.placed) rows.insert(o.on);
  said_ = made.why.empty() ? tr("Previewing “%1”, not placed: %2 on %3")
                                 .arg(name, tr("%n ornament(s)", nullptr, static_cast<int>(made.placed.size())),
                                      tr("%n row(s)", nullptr, static_cast<int>(rows.size())))
                           : tr("Recipe “%1” does not fit here: %2").arg(name, asText(made.why));
  if (made.why.empty() && !replaced.isEmpty()) said_ += tr("; replaces %1").arg(replaced.join(QStringLiteral(", ")));
  if (const double over = made.mostDb - session_.song().mix.ceilingDbtp; made.why.empty() && over > -1)
    said_ += made.mostBeforeDb > made.mostDb - 0.1 ? tr("; the mix is close to its ceiling there anyway")
                                                   : tr("; the mix peaks %1 dB higher with it and its limiter works")
                                                         .arg(made.mostDb - made.mostBeforeDb, 0, 'f', 1);
  emit changed();
  if (!std::exchange(grown_, true)) emit heardAnother();
  emit whole();
}

void RecipeTrial::keep() {
  if (!running()) return;
  const auto count = static_cast<int>(proposed_.size());
  const QString name = asWords(all_[heard_].name);
  if (count == 0) {
    letGo();
    return;
  }
  session_.settle();
  end();
  emit kept(count, name);
}

void RecipeTrial::letGo() {
  if (!running()) return;
  editing_ = true;
  session_.settle();
  if (!(session_.song() == before_)) session_.undo();
  editing_ = false;
  end();
}

void RecipeTrial::end() {
  session_.endHearing();
  base_.reset();
  proposed_.clear();
  said_.clear();
  before_ = Song();
  emit changed();
}

} // namespace ivrin::app
