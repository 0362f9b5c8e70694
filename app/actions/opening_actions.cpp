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
  const QString tip =
      tr("A gap, a held note, a lone hit of the caret's row, or on the mix the bars before a landing: it is "
         "selected, and a key places an ornament there");
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
                 tr("Openings sho&wn"),
                 tr("Hollow signs at places where an ornament wants to be; a click makes the one that suits best"),
                 {QKeySequence(Qt::SHIFT | Qt::Key_O)},
                 [this] { show(); },
                 true});
  actions_->add({"moreOpenings",
                 menu,
                 tr("&More openings"),
                 tr("Shows all of them, not only the best two in every eight bars"),
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
      said += tr("; the best %1 are shown, and %2 shows all")
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
  if (awaited_) measure_->say(tr("Listening for openings …"), false);
  score_->openings().setShown(on, action("moreOpenings")->isChecked());
}

void OpeningActions::step(int by) {
  const std::vector<Opening>* all = session_.findings().openings();
  if (!all) {
    wanted_ = by;
    measure_->say(tr("Listening for openings …"), false);
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
    measure_->say(none     ? tr("No opening is heard on %1.").arg(name)
                  : by > 0 ? tr("There is no opening after this one.")
                           : tr("There is no opening before this one."),
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
  const QString what = next->kind == Opening::Kind::gap    ? tr("A gap of %1 after this").arg(beats)
                       : next->kind == Opening::Kind::held ? tr("Held for %1").arg(beats)
                       : next->kind == Opening::Kind::hit  ? tr("A hit, %1 to the next").arg(beats)
                       : next->kind == Opening::Kind::turn ? tr("%1 in which the section turns round").arg(beats)
                                                           : tr("%1 before a landing").arg(beats);
  measure_->say(tr("%1: %2").arg(what, suits.join(QStringLiteral(", "))), false);
}

} // namespace ivrin::app
