#include "app/session/placing.h"

#include "app/session/session.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "app/words/time_words.h"
#include "manners/said_of_press.h"
#include "services/hearing.h"
#include "song/edits.h"
#include "song/row_edits.h"
#include "song/settings/setting_text.h"
#include "time/give_way.h"
#include "time/note_value.h"
#include "time/song_place.h"

#include <chrono>

namespace ivrin::app {
namespace {

constexpr std::chrono::milliseconds kPartsApart{250}; // of a recipe that is being placed

} // namespace

Placing::Placing(Session& session)
    : session_(session)
    , pressJob_(
          session.workers(),
          [](const PressInput& in, const Run& run) {
            PlacedSeveral made = placeSeveral(allKinds(), in.kind, in.plan->song(), in.presses,
                                              hearing(in.plan, in.audio, in.cache, *in.findings, run.stop));
            const QString said =
                made.heard.size() == 1
                    ? asText(saidOfPress(made.heard.front(),
                                         [&map = in.plan->map()](Beats b) {
                                           return barText(map, snapToGrid(b, Beats(kTicksPerQuarter / 4), map));
                                         }))
                    : QString();
            return Pressed{std::move(made.placed), in.after, asText(made.refusal), said};
          },
          [this](const Pressed& pressed) {
            setPending({});
            take(pressed);
          })
    , recipeJob_(
          session.workers(),
          [](const RecipeInput& in, const Run& run) -> std::optional<RecipeMade> {
            giveWay();
            // The first part at once, then no more often than a listener follows: each is an edit for the window.
            std::optional<std::chrono::steady_clock::time_point> told;
            const auto part = [&](const Song& song, const std::vector<std::string>& placed) {
              const auto now = std::chrono::steady_clock::now();
              if (told && now - *told < kPartsApart) return;
              told = now;
              run.report([part = in.part, song, placed] { part(song, placed); });
            };
            RecipeMade made = applied(allKinds(), in.recipe, in.base->song(), in.landing, in.options,
                                      hearing(in.base, in.audio, in.cache, *in.findings, run.stop), part);
            return run.stop.stop_requested() ? std::nullopt : std::optional(std::move(made));
          },
          [this](std::optional<RecipeMade> made) {
            setPending({});
            if (made) emit recipeMade(*made);
          }) {}

std::vector<Pending> Placing::pending() const {
  return pressJob_.running() || recipeJob_.running() ? pending_ : std::vector<Pending>();
}

void Placing::setPending(std::vector<Pending> pending) {
  if (pending.empty() && pending_.empty()) return;
  pending_ = std::move(pending);
  emit pendingChanged();
}

namespace {

/// Where the parts of a recipe will stand, about: on the first row that has a role of theirs.
std::vector<Pending> pendingOf(const Song& song, const TempoMap& map, const Recipe& recipe,
                               const std::string& landing) {
  std::vector<Pending> all;
  const auto at = song.landingById(landing);
  if (!at) return all;
  for (const RecipePart& part : recipe.parts) {
    std::string row = part.on.empty() ? kMixRow : "";
    for (const RowRole role : part.on)
      for (const std::string& id : song.rowsInScoreOrder())
        if (row.empty() && roleOfRow(song, id) == role) row = id;
    if (row.empty()) continue;
    const bool word = part.take != RecipePart::Take::stretch;
    const Beats begin = word ? at->at - map.meterAt(at->at).barLength() : placeFrom(map, at->at, part.from);
    all.push_back({part.kind, row, {begin, word ? at->at : placeFrom(map, at->at, part.to)}});
  }
  return all;
}

} // namespace

void Placing::clear() {
  setPending({});
  pressJob_.cancel();
  recipeJob_.cancel();
}

/// What a second press has changed, and to what: "riser: 4 bars", "shape: dip".
QString Placing::changeWords(const Ornament& was, const Ornament& is) const {
  const TempoMap& map = session_.plan()->map();
  const QString name = kindWord(is.kind);
  if (was.length != is.length) return QStringLiteral("%1: %2").arg(name, spanWords(map, is.start, is.length));
  if (const auto landing = is.landing ? session_.song().landingById(*is.landing) : std::nullopt;
      landing && was.landing != is.landing)
    return Session::tr("%1 lands on %2").arg(name, asText(landing->name));
  if (was.landing != is.landing || was.start != is.start)
    return Session::tr("%1 at bar %2").arg(name).arg(map.barAt(is.start).bar);
  const TableSpec& table = allKinds().find(is.kind)->table();
  for (const SettingSpec& s : table.settings) {
    const Value& now = settingOr(table, is.settings, s.key);
    if (settingOr(table, was.settings, s.key) == now) continue;
    return QStringLiteral("%1: %2").arg(asWords(s.label), asText(settingText(s, now)));
  }
  return {};
}

void Placing::place(const std::string& kind, const std::vector<std::string>& rows, BeatRange stretch) {
  if (!session_.isOpen() || rows.empty() || stretch.length().ticks <= 0) return;
  if (rows.size() == 1)
    if (const auto again = pressedAgain(session_.song(), kind, rows.front(), stretch)) {
      if (!again->next) {
        emit session_.notice(asText(again->why), false);
        return;
      }
      const auto found = session_.song().ornament(again->next->id);
      const QString said = found ? changeWords(*found, *again->next) : QString();
      session_.edit(Session::tr("%1 of %2").arg(asText(again->word), kindWord(kind)),
                    withOrnamentReplaced(session_.song(), *again->next));
      session_.settle();
      if (!said.isEmpty()) emit session_.notice(said, false);
      return;
    }
  std::vector<Press> presses;
  for (const std::string& row : rows) presses.push_back({row, stretch});
  begin(kind, std::move(presses), {});
}

void Placing::placeAfter(const std::string& kind, const Ornament& former, BeatRange stretch) {
  if (session_.isOpen() && stretch.length().ticks > 0) begin(kind, {{former.on, stretch}}, former.id);
}

void Placing::begin(const std::string& kind, std::vector<Press> presses, const std::string& after) {
  std::vector<Pending> pending;
  for (const Press& press : presses) pending.push_back({kind, press.row, press.stretch});
  setPending(std::move(pending));
  pressJob_.begin({session_.plan(), session_.audio(), session_.cache(), session_.options().findings, kind,
                   std::move(presses), after});
}

void Placing::tryRecipe(const std::shared_ptr<const RenderPlan>& base, const Recipe& recipe, const std::string& landing,
                        const RecipeOptions& options) {
  if (!base) return;
  setPending(pendingOf(base->song(), base->map(), recipe, landing));
  recipeJob_.begin({base, session_.audio(), session_.cache(), session_.options().findings, recipe, landing, options,
                    [this](const Song& song, const std::vector<std::string>& placed) {
                      setPending({}); // what is there is shown as it is
                      emit recipePartPlaced(song, placed);
                    }});
}

/// The song may have moved on since they were computed: rows may be gone, ids taken.
void Placing::take(const Pressed& pressed) {
  const Song& song = session_.song();
  std::vector<Ornament> fitting;
  for (const Ornament& o : pressed.made)
    if (song.hasRow(o.on)) fitting.push_back(o);
  if (fitting.empty()) {
    if (!pressed.refusal.isEmpty()) emit session_.notice(pressed.refusal, false);
    return;
  }
  const QString name = kindWord(fitting.front().kind);
  const QString label =
      fitting.size() == 1 ? name : Session::tr("%1 on %n row(s)", nullptr, static_cast<int>(fitting.size())).arg(name);
  Song next = song;
  if (const Ornament* former = next.ornament(pressed.after); former && !former->landing && fitting.front().landing) {
    Ornament tied = *former;
    tied.landing = fitting.front().landing;
    next = withOrnamentReplaced(std::move(next), std::move(tied));
  }
  auto added = withOrnaments(std::move(next), std::move(fitting));
  const int lead = song.leadBars;
  session_.edit(label, std::move(added.song));
  session_.settle();
  if (!session_.song().ornament(added.ids.front())) return;
  emit placed(asText(added.ids.front()));
  // Unless there was something to say that matters more.
  if (session_.song().leadBars != lead) return;
  const Ornament& made = *session_.song().ornament(added.ids.front());
  const Manners* manners = mannersOf(made.kind);
  const QString onward = manners ? asText(manners->nextPress(allKinds().find(made.kind)->table().key)) : QString();
  const QString heard = pressed.said.isEmpty() ? QString() : Session::tr("%1.").arg(capital(pressed.said));
  if (!heard.isEmpty() || !onward.isEmpty())
    emit session_.notice(QStringLiteral("%1 %2").arg(onward, heard).trimmed(), false);
}

} // namespace ivrin::app
