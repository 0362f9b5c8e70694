#include "app/actions/opening_actions.h"

#include "app/openrow/open_drawing.h"
#include "app/words/ornament_look.h"

#include <algorithm>

namespace ivrin::app {
OpeningActions::OpeningActions(const Desk& desk, Listening& listening)
    : ActionGroup(desk)
    , listening_(listening) {
  connect(&session_.findings(), &SongFindings::openingsReady, this, &OpeningActions::ready);
}

void OpeningActions::addActions(const QString& menu) {
  const QString tip = tr("Selects the next place for an ornament on the cursor's row: a rest, a held note or a single "
                         "hit; on the mix, the bars before a landing.");
  actions_->add({"previousOpening",
                 menu,
                 tr("Previous opening"),
                 tip,
                 {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_G)},
                 [this] { step(-1); },
                 false,
                 true});
  actions_->add(
      {"nextOpening", menu, tr("Next &opening"), tip, {QKeySequence(Qt::CTRL | Qt::Key_G)}, [this] { step(1); }});
  actions_->add({"openings",
                 menu,
                 tr("Openings"),
                 tr("Shows hollow symbols at places that suit an ornament. Click one to place it."),
                 {QKeySequence(Qt::SHIFT | Qt::Key_O)},
                 [this] { show(); },
                 true});
  actions_->add({"moreOpenings",
                 menu,
                 tr("&More openings"),
                 tr("Shows every opening, not only the best two in eight bars."),
                 {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O)},
                 [this] {
                   if (action("moreOpenings")->isChecked()) action("openings")->setChecked(true);
                   show();
                 },
                 true});
}

void OpeningActions::ready() {
  if (const auto* all = session_.findings().openings(); all && std::exchange(awaited_, false)) {
    const auto ranked = rankedOpenings(*all, session_.song(), session_.plan()->map(), kWorthShowing);
    const auto few = std::count_if(ranked.begin(), ranked.end(),
                                   [](const RankedOpening& o) { return o.rank != RankedOpening::Rank::more; });
    QString said = tr("%n opening(s)", nullptr, static_cast<int>(ranked.size()));
    if (few < std::ssize(ranked) && !action("moreOpenings")->isChecked())
      said += tr("; the best %1 are shown. %2 shows all.")
                  .arg(few)
                  .arg(action("moreOpenings")->shortcut().toString(QKeySequence::NativeText));
    measure_->say(said, false);
  }
  if (const int by = std::exchange(wanted_, 0); by != 0) step(by);
}

bool OpeningActions::standsOnOne() const {
  const auto selected = score_->selection();
  return chosen_ && selected && *selected == chosen_->first;
}

void OpeningActions::show() {
  const bool on = action("openings")->isChecked();
  awaited_ = on && session_.isOpen() && !session_.findings().openings();
  if (awaited_) measure_->say(tr("Looking for openings…"), false);
  score_->openings().setShown(on, action("moreOpenings")->isChecked());
}

void OpeningActions::step(int by) {
  const std::vector<Opening>* all = session_.findings().openings();
  if (!all) {
    wanted_ = by;
    measure_->say(tr("Looking for openings…"), false);
    session_.findings().lookForOpenings();
    return;
  }
  const std::string row = score_->caret().row();
  const auto selected = score_->selection();
  const bool goesOn = standsOnOne();
  const Beats from = goesOn ? chosen_->second : selected ? selected->begin : score_->caret().at();
  const Opening* next = nullptr;
  for (const Opening& o : *all) {
    if (o.row != row || o.score < kWorthShowing) continue;
    if (by > 0 && (o.place.begin > from || (!goesOn && o.place.begin == from))) {
      next = &o;
      break;
    }
    if (by < 0 && o.place.begin < from) next = &o;
  }
  const QString name = asText(session_.song().rowName(row));
  if (!next) {
    const bool none = std::none_of(all->begin(), all->end(), [&](const Opening& o) { return o.row == row; });
    measure_->say(none     ? tr("No opening was found on %1.").arg(name)
                  : by > 0 ? tr("There is no opening after the cursor.")
                           : tr("There is no opening before the cursor."),
                  false);
    return;
  }
  const TempoMap& map = session_.plan()->map();
  const BeatRange source = sourceOf(*next, map, session_.rows().phrases(row), session_.rows().onsets(row));
  const Selection s{row, source.begin, source.end};
  score_->caret().put(source.begin);
  score_->select(s);
  chosen_ = {s, next->place.begin};
  const BeatRange both{source.begin, std::max(source.end, next->place.end)};
  if (both.begin.quarters() < score_->axis().left || both.end.quarters() > score_->axis().right())
    score_->centreOn(both.begin);
  QStringList suits;
  for (const std::string& kind : next->suits) {
    const Kind* k = allKinds().find(kind);
    suits << QStringLiteral("%1 (%2)").arg(kindWord(kind), QString::fromStdString(k->table().key));
  }
  listening_.hear(s, {both.begin, both.end});
  const QString beats = spanWords(map, next->place.begin, next->place.length());
  const QString what = next->kind == Opening::Kind::gap    ? tr("A rest of %1 follows").arg(beats)
                       : next->kind == Opening::Kind::held ? tr("Held note, %1").arg(beats)
                       : next->kind == Opening::Kind::hit  ? tr("Single hit, %1 before the next").arg(beats)
                       : next->kind == Opening::Kind::turn ? tr("Turnaround, %1").arg(beats)
                                                           : tr("Lead-in to a landing, %1").arg(beats);
  measure_->say(tr("%1: %2").arg(what, suits.join(QStringLiteral(", "))), false);
}

} // namespace ivrin::app
