#include "app/score/score_caret.h"

#include "app/score/score_objects.h"
#include "app/score/score_view.h"
#include "app/words/as_text.h"
#include "time/note_value.h"

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr double kStepPixels = 4;     // of an arrow key without a grid
constexpr double kSamplePixels = 1.2; // samples so far apart are stepped through one by one

} // namespace

ScoreCaret::ScoreCaret(ScoreView& view)
    : view_(view)
    , session_(view.session()) {}

void ScoreCaret::put(Beats b) {
  at_ = b;
  view_.update();
}

void ScoreCaret::setRow(const std::string& row) {
  row_ = row;
  view_.update();
}

void ScoreCaret::move(int rows, int steps, bool extend) {
  const std::vector<std::string>& all = view_.rows();
  if (all.empty() || !session_.plan()) return;
  std::size_t at = 0;
  for (std::size_t i = 0; i < all.size(); ++i)
    if (all[i] == row_) at = i;
  at = static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(at) + rows, 0,
                                                           static_cast<std::ptrdiff_t>(all.size()) - 1));
  if (extend) beginExtending();
  if (row_ != all[at]) readRow(view_, all[at]);
  row_ = all[at];
  Beats to = at_;
  if (steps != 0) {
    const Beats by = step();
    const TempoMap& map = session_.plan()->map();
    const Beats moved = view_.grid().ticks > 0 ? snapToGrid(at_ + by * steps, by, map)
                                               : map.beatAt(map.frameAt(at_ + by * steps)); // to the sample
    // A grid that does not divide the bar begins again at its line: never stand still.
    to = moved == at_ ? at_ + by * steps : moved;
  }
  go(to, extend);
}

/// The edge of the selection that is away from where it was anchored is the one that moves.
void ScoreCaret::beginExtending() {
  const auto& selected = view_.selection();
  if (!anchor_) {
    anchor_ = selected ? selected->begin : at_;
    anchorRow_ = selected ? selected->row : row_;
  }
  if (selected) at_ = *anchor_ == selected->begin ? selected->end : selected->begin;
}

void ScoreCaret::go(Beats to, bool extend) {
  at_ = to;
  if (extend) {
    const Beats a = std::min(*anchor_, at_), b = std::max(*anchor_, at_);
    const std::string row = row_;
    view_.select(b > a ? std::optional(Selection{anchorRow_, a, b, view_.page().between(anchorRow_, row_)})
                       : std::nullopt);
    row_ = row;
  } else {
    anchor_.reset();
    view_.select(std::nullopt);
    emit view_.seekRequested(at_);
  }
  if (at_.quarters() < view_.axis().left || at_.quarters() > view_.axis().right()) view_.centreOn(at_);
  view_.bringIntoView(row_);
}

void ScoreCaret::travel(CaretUnit unit, int step, bool extend) {
  if (view_.rows().empty() || !session_.plan()) return;
  const RowSpeech speech{session_.rows().phrases(row_), session_.rows().onsets(row_)};
  if (extend) beginExtending();
  const auto to = caretTarget(unit, step, at_, *session_.plan(), speech);
  if (!to) {
    const bool heard = unit == CaretUnit::landing || unit == CaretUnit::bar || !speech.phrases.empty();
    emit session_.notice(!heard     ? nothingHeard()
                         : step > 0 ? tr("There is nothing after the cursor to go to.")
                                    : tr("There is nothing before the cursor to go to."),
                         false);
    return;
  }
  go(*to, extend);
  if (unit == CaretUnit::landing)
    for (const Landing& l : session_.song().allLandings())
      if (l.at == *to) view_.goToLanding(l.id);
}

QString ScoreCaret::nothingHeard() const {
  const QString name = asText(session_.song().rowName(row_));
  return session_.rows().heard(row_) ? tr("No phrase was found on %1.").arg(name)
                                     : tr("%1 is still being analysed. Try again in a moment.").arg(name);
}

void ScoreCaret::selectSpoken() {
  if (view_.rows().empty() || !session_.plan()) return;
  const RowSpeech speech{session_.rows().phrases(row_), session_.rows().onsets(row_)};
  const auto now = view_.selection() ? std::optional(view_.selection()->range()) : std::nullopt;
  const auto to = grown(now, at_, session_.plan()->map(), speech);
  if (!to)
    emit session_.notice(speech.phrases.empty() ? nothingHeard() : tr("There is no word after the cursor."), false);
  else
    selectOnRow(row_, *to);
}

void ScoreCaret::selectLess() {
  const auto& selected = view_.selection();
  if (view_.rows().empty() || !session_.plan() || !selected) return;
  const std::string row = selected->row;
  const RowSpeech speech{session_.rows().phrases(row), session_.rows().onsets(row)};
  if (const auto to = shrunk(selected->range(), session_.plan()->map(), speech))
    selectOnRow(row, *to);
  else
    emit session_.notice(tr("The selection is already its smallest word."), false);
}

bool ScoreCaret::selectSaidAt(const std::string& row, Beats at, bool phrase) {
  const TempoMap& map = session_.plan()->map();
  const RowSpeech speech{session_.rows().phrases(row), session_.rows().onsets(row)};
  const auto r = phrase ? phraseAt(at, map, speech) : wordAt(at, map, speech);
  if (!r || at < r->begin || at >= r->end) return false;
  selectOnRow(row, *r);
  return true;
}

void ScoreCaret::selectOnRow(const std::string& row, BeatRange r) {
  anchor_.reset();
  at_ = r.begin;
  row_ = row;
  view_.select(Selection{row, r.begin, r.end});
  if (r.begin.quarters() < view_.axis().left || r.end.quarters() > view_.axis().right()) view_.centreOn(r.begin);
  view_.bringIntoView(row_);
}

Beats ScoreCaret::step() const {
  const Beats grid = view_.grid();
  if (grid.ticks > 0 || !session_.plan()) return grid.ticks > 0 ? grid : Beats(kTicksPerQuarter / 16);
  const TempoMap& map = session_.plan()->map();
  const Beats frame = Beats::ofQuarters(map.bpmAt(at_) / 60 / map.sampleRate()),
              pixels = Beats::ofQuarters(kStepPixels / view_.axis().pxPerBeat);
  if (frame.quarters() * view_.axis().pxPerBeat >= kSamplePixels) return frame;
  return std::max(frame, std::min(pixels, Beats(kTicksPerQuarter / 16)));
}

} // namespace ivrin::app
