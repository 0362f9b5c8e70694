// The keyboard's place in the score, and what is in hand there.
#include "app/score/score_view.h"

#include "app/openrow/open_row.h"
#include "app/score/score_objects.h"
#include "app/session/as_text.h"
#include "app/theme/ornament_look.h"
#include "song/edits.h"
#include "time/note_value.h"

#include <QKeyEvent>

#include <algorithm>

namespace ivrin::app {

namespace {
constexpr double kStepPixels = 4;     // of an arrow key without a grid
constexpr double kSamplePixels = 1.2; // samples so far apart are stepped through one by one
} // namespace

void ScoreView::setCaret(Beats b) {
  caret_ = b;
  update();
}

void ScoreView::moveCaret(int rows, int steps, bool extend) {
  if (rows_.empty() || !session_.plan()) return;
  std::size_t at = 0;
  for (std::size_t i = 0; i < rows_.size(); ++i)
    if (rows_[i] == caretRow_) at = i;
  at = static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(static_cast<std::ptrdiff_t>(at) + rows, 0,
                                                           static_cast<std::ptrdiff_t>(rows_.size()) - 1));
  if (extend) beginExtending();
  if (caretRow_ != rows_[at]) readRow(*this, rows_[at]);
  caretRow_ = rows_[at];
  Beats to = caret_;
  if (steps != 0) {
    const Beats step = snapStep();
    const TempoMap& map = session_.plan()->map();
    const Beats moved = grid_.ticks > 0 ? snapToGrid(caret_ + step * steps, step, map)
                                        : map.beatAt(map.frameAt(caret_ + step * steps)); // to the sample
    // A grid that does not divide the bar begins again at its line: never stand still.
    to = moved == caret_ ? caret_ + step * steps : moved;
  }
  putCaret(to, extend);
}

/// The edge of the selection that is away from where it was anchored is the one that moves.
void ScoreView::beginExtending() {
  if (!anchor_) {
    anchor_ = selection_ ? selection_->begin : caret_;
    anchorRow_ = selection_ ? selection_->row : caretRow_;
  }
  if (selection_) caret_ = *anchor_ == selection_->begin ? selection_->end : selection_->begin;
}

void ScoreView::putCaret(Beats to, bool extend) {
  caret_ = to;
  if (extend) {
    const Beats a = std::min(*anchor_, caret_), b = std::max(*anchor_, caret_);
    const std::string row = caretRow_;
    select(b > a ? std::optional(Selection{anchorRow_, a, b, page_.between(anchorRow_, caretRow_)}) : std::nullopt);
    caretRow_ = row;
  } else {
    anchor_.reset();
    select(std::nullopt);
    emit seekRequested(caret_);
  }
  if (caret_.quarters() < axis().left || caret_.quarters() > axis().right()) centreOn(caret_);
  bringIntoView(caretRow_);
}

void ScoreView::travelCaret(CaretUnit unit, int step, bool extend) {
  if (rows_.empty() || !session_.plan()) return;
  const RowSpeech speech{session_.rows().phrases(caretRow_), session_.rows().onsets(caretRow_)};
  if (extend) beginExtending();
  const auto to = caretTarget(unit, step, caret_, *session_.plan(), speech);
  if (!to) {
    const bool heard = unit == CaretUnit::landing || unit == CaretUnit::bar || !speech.phrases.empty();
    emit session_.notice(!heard     ? nothingHeard()
                         : step > 0 ? tr("There is none after this one.")
                                    : tr("There is none before this one."),
                         false);
    return;
  }
  putCaret(*to, extend);
  if (unit == CaretUnit::landing)
    for (const Landing& l : session_.song().allLandings())
      if (l.at == *to) goToLanding(l.id);
}

QString ScoreView::nothingHeard() const {
  const QString name = asText(session_.song().rowName(caretRow_));
  return session_.rows().heard(caretRow_) ? tr("No phrase is heard on %1.").arg(name)
                                          : tr("%1 is still being listened to.").arg(name);
}

void ScoreView::selectSpoken() {
  if (rows_.empty() || !session_.plan()) return;
  const RowSpeech speech{session_.rows().phrases(caretRow_), session_.rows().onsets(caretRow_)};
  const auto now = selection_ ? std::optional(selection_->range()) : std::nullopt;
  const auto to = grown(now, caret_, session_.plan()->map(), speech);
  if (!to)
    emit session_.notice(speech.phrases.empty() ? nothingHeard() : tr("There is no word after this place."), false);
  else
    selectOnRow(caretRow_, *to);
}

void ScoreView::selectLess() {
  if (rows_.empty() || !session_.plan() || !selection_) return;
  const RowSpeech speech{session_.rows().phrases(selection_->row), session_.rows().onsets(selection_->row)};
  if (const auto to = shrunk(selection_->range(), session_.plan()->map(), speech))
    selectOnRow(selection_->row, *to);
  else
    emit session_.notice(tr("There is nothing smaller to be heard in the selection."), false);
}

bool ScoreView::selectSaidAt(const std::string& row, Beats at, bool phrase) {
  const TempoMap& map = session_.plan()->map();
  const RowSpeech speech{session_.rows().phrases(row), session_.rows().onsets(row)};
  const auto r = phrase ? phraseAt(at, map, speech) : wordAt(at, map, speech);
  if (!r || at < r->begin || at >= r->end) return false;
  selectOnRow(row, *r);
  return true;
}

void ScoreView::selectOnRow(const std::string& row, BeatRange r) {
  anchor_.reset();
  caret_ = r.begin;
  caretRow_ = row;
  select(Selection{row, r.begin, r.end});
  if (r.begin.quarters() < axis().left || r.end.quarters() > axis().right()) centreOn(r.begin);
  bringIntoView(row);
}

/// Off the grid what can be seen: a sixty-fourth, or a few pixels where that is less, and no less than a sample.
Beats ScoreView::snapStep() const {
  if (grid_.ticks > 0 || !session_.plan()) return grid_.ticks > 0 ? grid_ : Beats(kTicksPerQuarter / 16);
  const TempoMap& map = session_.plan()->map();
  const Beats frame = Beats::ofQuarters(map.bpmAt(caret_) / 60 / map.sampleRate()),
              pixels = Beats::ofQuarters(kStepPixels / axis().pxPerBeat);
  if (frame.quarters() * axis().pxPerBeat >= kSamplePixels) return frame;
  return std::max(frame, std::min(pixels, Beats(kTicksPerQuarter / 16)));
}

void ScoreView::bringIntoView(const std::string& row) {
  const int wanted = page_.scrollTo(row);
  if (wanted == scrollY_) return;
  scrollY_ = wanted;
  layOut();
  update();
}

void ScoreView::mark(std::set<std::string> ids) {
  if (ids == marked_) return;
  marked_ = std::move(ids);
  update();
  emit markedChanged();
}

std::vector<std::string> ScoreView::inHand() const {
  if (!marked_.empty()) return {marked_.begin(), marked_.end()};
  const std::string id = ornamentAtCaret();
  return id.empty() ? std::vector<std::string>() : std::vector<std::string>{id};
}

namespace {

QString wordsFor(const Song& song, const std::vector<std::string>& ids) {
  return ids.size() == 1 ? kindWord(song.ornament(ids.front())->kind)
                         : QObject::tr("%n ornament(s)", nullptr, static_cast<int>(ids.size()));
}

} // namespace

void ScoreView::nudge(int steps) {
  const auto ids = inHand();
  if (ids.empty()) return;
  session_.edit(tr("move of %1").arg(wordsFor(session_.song(), ids)),
                withOrnamentsShifted(session_.song(), ids, snapStep() * steps), "nudge-" + ids.front());
}

void ScoreView::nudgeFrames(int frames) {
  const auto ids = inHand();
  if (ids.empty()) return;
  // By whole frames of the first one; the others keep their distance in beats.
  const TempoMap& map = session_.plan()->map();
  const Beats start = session_.song().ornament(ids.front())->start;
  const Beats to = map.beatAt(map.frameAt(start) + Frames(frames));
  session_.edit(tr("move of %1").arg(wordsFor(session_.song(), ids)),
                withOrnamentsShifted(session_.song(), ids, to - start), "nudge-frames-" + ids.front());
}

void ScoreView::reorder(int steps) {
  const std::string id = marked_.size() == 1 ? *marked_.begin() : ornamentAtCaret();
  const Ornament* o = session_.song().ornament(id);
  if (!o) return;
  const auto now = static_cast<int>(orderOnRow(session_.song(), id));
  const QString name = kindWord(o->kind);
  session_.edit(tr("order of %1").arg(name),
                withOrnamentAt(session_.song(), id, static_cast<std::size_t>(std::max(0, now + steps))), {});
  session_.settle();
}

std::string ScoreView::ornamentAtCaret() const {
  if (!open_.empty()) return open_;
  const Ornament* best = nullptr;
  for (const auto& o : session_.song().ornaments)
    if (o->on == caretRow_ && (!best || std::abs((o->start - caret_).ticks) < std::abs((best->start - caret_).ticks)))
      best = o.get();
  return best ? best->id : std::string();
}

void ScoreView::keyPressEvent(QKeyEvent* e) {
  const bool extend = e->modifiers() & Qt::ShiftModifier;
  if (e->modifiers() == Qt::NoModifier && arrowed(e)) return;
  if (!(e->modifiers() & (Qt::ControlModifier | Qt::AltModifier))) switch (e->key()) {
    case Qt::Key_Left:
      moveCaret(0, -1, extend);
      return;
    case Qt::Key_Right:
      moveCaret(0, 1, extend);
      return;
    case Qt::Key_Up:
      moveCaret(-1, 0, extend && selection_);
      return;
    case Qt::Key_Down:
      moveCaret(1, 0, extend && selection_);
      return;
    case Qt::Key_Return:
    case Qt::Key_Enter:
      if (tries_.running()) {
        tries_.keep();
        return;
      }
      if (!open_.empty()) {
        openRow_->focusNumbers();
        return;
      }
      if (const std::string id = ornamentAtCaret(); !id.empty()) openOrnament(id);
      return;
    default:
      break;
    }
  QWidget::keyPressEvent(e);
}

} // namespace ivrin::app
