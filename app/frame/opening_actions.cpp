// From one opening of the caret's row to the next: each is selected, so that the next key places an ornament there.
#include "app/frame/main_window.h"
#include "app/openrow/open_drawing.h"
#include "app/theme/ornament_look.h"

#include <algorithm>

namespace ivrin::app {
void MainWindow::addOpeningActions(const QString& menu) {
  const QString tip =
      tr("A gap, a held note, a lone hit of the caret's row, or on the mix the bars before a landing: it is "
         "selected, and a key places an ornament there");
  actions_->add({"previousOpening",
                 menu,
                 tr("Previous opening"),
                 tip,
                 {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_G)},
                 [this] { stepOpening(-1); },
                 false,
                 true});
  actions_->add({"nextOpening", menu, tr("Next &opening"), tip, {QKeySequence(Qt::CTRL | Qt::Key_G)}, [this] {
                   stepOpening(1);
                 }});
  actions_->add({"openings",
                 menu,
                 tr("Openings sho&wn"),
                 tr("Hollow signs at places where an ornament wants to be; a click makes the one that suits best"),
                 {QKeySequence(Qt::SHIFT | Qt::Key_O)},
                 [this] { showOpenings(); },
                 true});
  connect(&session_.findings(), &SongFindings::openingsReady, this, [this] {
    if (const auto* all = session_.findings().openings(); all && std::exchange(openingsAwaited_, false))
      measure_->say(tr("%n opening(s)", nullptr,
                       static_cast<int>(std::count_if(all->begin(), all->end(),
                                                      [](const Opening& o) { return o.score >= kWorthShowing; }))),
                    false);
    if (const int step = std::exchange(openingWanted_, 0); step != 0) stepOpening(step);
  });
}

void MainWindow::showOpenings() {
  const bool on = action(QStringLiteral("openings"))->isChecked();
  openingsAwaited_ = on && session_.isOpen() && !session_.findings().openings();
  if (openingsAwaited_) measure_->say(tr("Listening for openings …"), false);
  score_->setShowsOpenings(on);
}

void MainWindow::stepOpening(int step) {
  const std::vector<Opening>* all = session_.findings().openings();
  if (!all) {
    openingWanted_ = step;
    measure_->say(tr("Listening for openings …"), false);
    session_.findings().lookForOpenings();
    return;
  }
  const std::string row = score_->caretRow();
  const auto selected = score_->selection();
  const bool goesOn = openingChosen_ && selected && *selected == openingChosen_->first;
  const Beats from = goesOn ? openingChosen_->second : selected ? selected->begin : score_->caret();
  const Opening* next = nullptr;
  for (const Opening& o : *all) {
    if (o.row != row || o.score < kWorthShowing) continue;
    if (step > 0 && (o.place.begin > from || (!goesOn && o.place.begin == from))) {
      next = &o;
      break;
    }
    if (step < 0 && o.place.begin < from) next = &o;
  }
  const QString name = asText(session_.song().rowName(row));
  if (!next) {
    const bool none = std::none_of(all->begin(), all->end(), [&](const Opening& o) { return o.row == row; });
    measure_->say(none       ? tr("No opening is heard on %1.").arg(name)
                  : step > 0 ? tr("There is no opening after this one.")
                             : tr("There is no opening before this one."),
                  false);
    return;
  }
  const TempoMap& map = session_.plan()->map();
  const BeatRange source = sourceOf(*next, map, session_.rows().phrases(row), session_.rows().onsets(row));
  const Selection s{row, source.begin, source.end};
  score_->setCaret(source.begin);
  score_->select(s);
  openingChosen_ = {s, next->place.begin};
  const BeatRange both{source.begin, std::max(source.end, next->place.end)};
  if (both.begin.quarters() < score_->axis().left || both.end.quarters() > score_->axis().right())
    score_->centreOn(both.begin);
  QStringList suits;
  for (const std::string& kind : next->suits) {
    const Kind* k = allKinds().find(kind);
    suits << QStringLiteral("%1 (%2)").arg(kindWord(kind), QString::fromStdString(k->table().key));
  }
  listening_->hear(s, {both.begin, both.end});
  const QString beats = spanWords(map, next->place.begin, next->place.length());
  const QString what = next->kind == Opening::Kind::gap    ? tr("A gap of %1 after this").arg(beats)
                       : next->kind == Opening::Kind::held ? tr("Held for %1").arg(beats)
                       : next->kind == Opening::Kind::hit  ? tr("A hit, %1 to the next").arg(beats)
                       : next->kind == Opening::Kind::turn ? tr("%1 in which the section turns round").arg(beats)
                                                           : tr("%1 before a landing").arg(beats);
  measure_->say(tr("%1: %2").arg(what, suits.join(QStringLiteral(", "))), false);
}

} // namespace ivrin::app
