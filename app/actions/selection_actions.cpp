#include "app/actions/selection_actions.h"

#include "analysis/word_edges.h"
#include "app/score/magnifier.h"
#include "render/facts.h"

namespace ivrin::app {
namespace {

constexpr double kAttackReachBeats = 0.5, kZeroReachSeconds = 0.01;

} // namespace

void SelectionActions::addActions(const QString& menu) {
  const auto add = [this, menu](const char* id, const QString& text, const QString& tip, QKeySequence key, auto run) {
    actions_->add({QString::fromLatin1(id), menu, text, tip, {key}, run, false, false, tr("Selection")});
  };
  add("selectSpoken", tr("&Select word"),
      tr("Selects the word at the cursor or the next one. Press again for its phrase, then for the next phrase too."),
      QKeySequence(Qt::Key_S), [this] { score_->caret().selectSpoken(); });
  add("selectLess", tr("S&hrink selection"), tr("Takes the last phrase off the selection, down to the first word."),
      QKeySequence(Qt::Key_Backspace), [this] { selectLess(); });
  add("edgesToAttacks", tr("Snap edges to &transients"), tr("Moves both edges to transients within half a beat."),
      QKeySequence(Qt::SHIFT | Qt::Key_Q), [this] { edgesToAttacks(); });
  add("edgesToZero", tr("Snap edges to &zero crossings"), tr("Moves both edges to zero crossings within 10 ms."),
      QKeySequence(Qt::SHIFT | Qt::Key_Z), [this] { edgesToZero(); });
  add("fromVowel", tr("Skip first &consonant"), tr("Starts the selection after its first hard consonant."),
      QKeySequence(Qt::SHIFT | Qt::Key_V), [this] { fromVowel(); });
}

bool SelectionActions::selectionWanted() {
  if (session_.isOpen() && score_->selection()) return true;
  measure_->say(tr("Nothing is selected. Drag over a row, or press S to select the word at the cursor."), false);
  return false;
}

void SelectionActions::selectLess() {
  if (selectionWanted()) score_->caret().selectLess();
}

void SelectionActions::putEdges(BeatRange to, const QString& said) {
  Selection s = *score_->selection();
  if (to.begin >= to.end) {
    measure_->say(tr("The selection would be empty, so it was not changed."), false);
    return;
  }
  s.begin = to.begin;
  s.end = to.end;
  score_->select(s);
  score_->caret().put(s.begin);
  measure_->say(said, false);
}

void SelectionActions::edgesToAttacks() {
  if (!selectionWanted()) return;
  const Selection s = *score_->selection();
  const auto near = [&](Beats at) { return nearestOnset(session_, s.row, at, Beats::ofQuarters(kAttackReachBeats)); };
  const BeatRange to{near(s.begin), near(s.end)};
  if (to == s.range())
    measure_->say(session_.rows().onsets(s.row).empty() ? tr("No transients were found on this row.")
                                                        : tr("There is no other transient near the edges."),
                  false);
  else
    putEdges(to, tr("Both edges are on transients."));
}

void SelectionActions::edgesToZero() {
  if (!selectionWanted()) return;
  const Selection s = *score_->selection();
  const TempoMap& map = session_.plan()->map();
  const RowReader row = readerBeforeOrnaments(session_.plan(), s.row, {});
  const auto near = [&](Beats at) {
    return map.beatAt(nearestZero(row, map.frameAt(at), Frames(std::llround(kZeroReachSeconds * map.sampleRate()))));
  };
  putEdges({near(s.begin), near(s.end)}, tr("Both edges are on zero crossings."));
}

void SelectionActions::fromVowel() {
  if (!selectionWanted()) return;
  const Selection s = *score_->selection();
  const TempoMap& map = session_.plan()->map();
  const FrameRange word = map.frames(s.range());
  const auto begin = vowelBegin(readerBeforeOrnaments(session_.plan(), s.row, {}), word, map.sampleRate());
  if (!begin)
    measure_->say(tr("The selection has no vowel to start from."), false);
  else if (*begin - word.begin < Frames(std::llround(0.005 * map.sampleRate())))
    measure_->say(tr("The selection already starts with a vowel."), false);
  else
    putEdges({map.beatAt(*begin), s.end},
             tr("First consonant skipped (%1 ms).")
                 .arg(1e3 * static_cast<double>((*begin - word.begin).count) / map.sampleRate(), 0, 'f', 0));
}

} // namespace ivrin::app
