// From one opening of the caret's row to the next: each is selected, so that the next key places an ornament there.
#include "app/frame/main_window.h"
#include "app/theme/words.h"
#include "manners/fitting.h"

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr double kLongestWordBeats = 4, kHitBeats = 0.5;

/// What is marked for an opening: the word before a gap, the note itself, the hit, the bars before a landing.
BeatRange sourceOf(const Opening& o, const TempoMap& map, const std::vector<FrameRange>& phrases,
                   const std::vector<Frames>& attacks) {
  if (o.kind == Opening::Kind::hit)
    return {o.place.begin, o.place.begin + std::min(o.place.length(), Beats::ofQuarters(kHitBeats))};
  if (o.kind != Opening::Kind::gap) return o.place;
  const Frames gap = map.frameAt(o.place.begin);
  const auto after =
      std::partition_point(phrases.begin(), phrases.end(), [&](const FrameRange& p) { return p.begin < gap; });
  if (after == phrases.begin()) return o.place;
  const FrameRange last = *(after - 1);
  // From its last attack, but for one at its very end.
  const Frames late = map.frameAt(map.beatAt(last.end) - Beats::ofQuarters(0.2));
  const auto attack = std::upper_bound(attacks.begin(), attacks.end(), late);
  Frames from = last.begin;
  if (attack != attacks.begin() && *(attack - 1) > last.begin) from = *(attack - 1);
  const Beats begin = std::max(map.beatAt(from), map.beatAt(last.end) - Beats::ofQuarters(kLongestWordBeats));
  return {begin, std::max(map.beatAt(last.end), begin + Beats(1))};
}

} // namespace

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
  connect(&session_, &Session::openingsReady, this, [this] {
    if (const int step = std::exchange(openingWanted_, 0); step != 0) stepOpening(step);
  });
}

void MainWindow::stepOpening(int step) {
  const std::vector<Opening>* all = session_.openings();
  if (!all) {
    openingWanted_ = step;
    measure_->say(tr("Listening for openings …"), false);
    session_.lookForOpenings();
    return;
  }
  const std::string row = score_->caretRow();
  const auto selected = score_->selection();
  const bool goesOn = openingChosen_ && selected && *selected == openingChosen_->first;
  const Beats from = goesOn ? openingChosen_->second : selected ? selected->begin : score_->caret();
  const Opening* next = nullptr;
  for (const Opening& o : *all) {
    if (o.row != row) continue;
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
  const BeatRange source = sourceOf(*next, map, session_.phrases(row), session_.onsets(row));
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
  const QString beats = QString::number(next->place.length().quarters(), 'f', 1);
  const QString what = next->kind == Opening::Kind::gap    ? tr("A gap of %1 beats after this").arg(beats)
                       : next->kind == Opening::Kind::held ? tr("Held for %1 beats").arg(beats)
                       : next->kind == Opening::Kind::hit  ? tr("A hit, %1 beats to the next").arg(beats)
                                                           : tr("%1 beats before a landing").arg(beats);
  measure_->say(tr("%1: %2").arg(what, suits.join(QStringLiteral(", "))), false);
}

} // namespace ivrin::app
