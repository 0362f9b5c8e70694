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
  add("selectSpoken", tr("&Select the word"),
      tr("The one at the caret, or the next one; again: its whole phrase, then the next phrase too"),
      QKeySequence(Qt::Key_S), [this] { score_->caret().selectSpoken(); });
  add("selectLess", tr("&Less of it"), tr("Without its last phrase; its first word"), QKeySequence(Qt::Key_Backspace),
      [this] { selectLess(); });
  add("edgesToAttacks", tr("Edges onto &attacks"), tr("Both, where one lies within half a beat"),
      QKeySequence(Qt::SHIFT | Qt::Key_Q), [this] { edgesToAttacks(); });
  add("edgesToZero", tr("Edges onto &zero crossings"), tr("Both, where one lies within 10 ms"),
      QKeySequence(Qt::SHIFT | Qt::Key_Z), [this] { edgesToZero(); });
  add("fromVowel", tr("From the &vowel on"), tr("Leaves out the hard consonant that the selection starts with"),
      QKeySequence(Qt::SHIFT | Qt::Key_V), [this] { fromVowel(); });
}

bool SelectionActions::selectionWanted() {
  if (session_.isOpen() && score_->selection()) return true;
  measure_->say(tr("Nothing is selected: S selects the word at the caret."), false);
  return false;
}

void SelectionActions::selectLess() {
  if (selectionWanted()) score_->caret().selectLess();
}

void SelectionActions::putEdges(BeatRange to, const QString& said) {
  Selection s = *score_->selection();
  if (to.begin >= to.end) {
    measure_->say(tr("Nothing of the selection would be left."), false);
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
    measure_->say(session_.rows().onsets(s.row).empty() ? tr("No attack is heard on this row.")
                                                        : tr("No other attack lies near the edges."),
                  false);
  else
    putEdges(to, tr("The edges lie on attacks."));
}

void SelectionActions::edgesToZero() {
  if (!selectionWanted()) return;
  const Selection s = *score_->selection();
  const TempoMap& map = session_.plan()->map();
  const RowReader row = readerBeforeOrnaments(session_.plan(), s.row, {});
  const auto near = [&](Beats at) {
    return map.beatAt(nearestZero(row, map.frameAt(at), Frames(std::llround(kZeroReachSeconds * map.sampleRate()))));
  };
  putEdges({near(s.begin), near(s.end)}, tr("The edges lie where the wave crosses zero."));
}

void SelectionActions::fromVowel() {
  if (!selectionWanted()) return;
  const Selection s = *score_->selection();
  const TempoMap& map = session_.plan()->map();
  const FrameRange word = map.frames(s.range());
  const auto begin = vowelBegin(readerBeforeOrnaments(session_.plan(), s.row, {}), word, map.sampleRate());
  if (!begin)
    measure_->say(tr("Nothing in the selection is voiced."), false);
  else if (*begin - word.begin < Frames(std::llround(0.005 * map.sampleRate())))
    measure_->say(tr("It starts with its vowel already."), false);
  else
    putEdges({map.beatAt(*begin), s.end},
             tr("From the vowel on: %1 ms are left out.")
                 .arg(1e3 * static_cast<double>((*begin - word.begin).count) / map.sampleRate(), 0, 'f', 0));
}

} // namespace ivrin::app
