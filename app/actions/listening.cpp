#include "app/actions/listening.h"

#include "app/dialogs/click_dialog.h"

#include <algorithm>
#include <utility>

namespace ivrin::app {
namespace {

/// The loop on, and from its start.
void playLoop(Player& player, QAction* loop, const std::optional<FrameRange>& r) {
  loop->setChecked(true);
  player.setLoop(r);
  if (r) player.play(r->begin);
}

} // namespace

Listening::Listening(Session& session, ScoreView& score, ActionRegistry& actions)
    : session_(session)
    , score_(score)
    , actions_(actions) {
  connect(&score_, &ScoreView::openChanged, this, &Listening::rowOpenedOrClosed);
}

/// What opening a row began ends with it: closed, all is played as it was before.
void Listening::rowOpenedOrClosed() {
  if (!session_.isOpen()) return;
  Player& p = session_.player();
  if (score_.opened().isOpen()) {
    if (!before_) before_ = Before{p.playing(), action("loop")->isChecked()};
    return;
  }
  const auto before = std::exchange(before_, std::nullopt);
  if (!before) return;
  if (!before->playing) p.stop();
  action("loop")->setChecked(before->loop);
  renewLoop();
  emit changed();
}

void Listening::addActions(const QString& menu) {
  using K = QKeySequence;
  const auto add = [this](const ActionSpec& s) { return actions_.add(s); };
  add({"play", menu, tr("&Play"), tr("Starts or stops playback."), {K(Qt::Key_Space)}, [this] { playOrStop(); }});
  add({"loop",
       menu,
       tr("&Loop"),
       tr("Loops the selection, the open ornament, or the bars around the current landing."),
       {K(Qt::Key_L)},
       [this] { renewLoop(); },
       true});
  add({"audition",
       menu,
       tr("Previe&w"),
       tr("Loops from a bar before the open ornament to the end of its tail."),
       {K(Qt::Key_A)},
       [this] { audition(); }});
  QAction* with = add({"with",
                       menu,
                       tr("Orna&ments"),
                       tr("Turns the open ornament on or off, or all ornaments when none is open."),
                       {K(Qt::Key_W)},
                       [this] {
                         session_.setOrnamentsHeard(action("with")->isChecked());
                         emit changed();
                       },
                       true,
                       true});
  with->setChecked(true);
  add({"equal",
       menu,
       tr("E&qual loudness"),
       tr("Plays the song equally loud with and without ornaments, for a fair comparison."),
       {K(Qt::Key_Q)},
       [this] {
         session_.setMatched(action("equal")->isChecked());
         emit changed();
       },
       true});
  add({"alone",
       menu,
       tr("S&olo ornament"),
       tr("Plays only what the open ornament adds."),
       {K(Qt::Key_O)},
       [this] {
         session_.setAlone(action("alone")->isChecked());
         emit changed();
       },
       true});
  add({"click",
       menu,
       tr("&Click"),
       tr("Plays a click on the beats."),
       {K(Qt::Key_F3)},
       [this] { apply(); },
       true,
       true});
  add({"clickLouder", menu, tr("Click lo&uder"), {}, {K(Qt::SHIFT | Qt::Key_F3)}, [this] {
         setClickDb(click_.levelDb + 2);
       }});
  add({"clickSofter", menu, tr("Click so&fter"), {}, {K(Qt::CTRL | Qt::SHIFT | Qt::Key_F3)}, [this] {
         setClickDb(click_.levelDb - 2);
       }});
  add({"clickHow",
       menu,
       tr("Click and cou&nt-in…"),
       tr("Sets the sound, level and accents of the click, and how many bars it counts in before playback."),
       {K(Qt::CTRL | Qt::Key_F3)},
       [this] { clickDialog(); }});
  add({"mono",
       menu,
       tr("&Mono"),
       tr("Plays everything in mono."),
       {K(Qt::CTRL | Qt::Key_M)},
       [this] { apply(); },
       true});
}

void Listening::apply() {
  if (!session_.isOpen()) return;
  Player& p = session_.player();
  p.setClick(action("click")->isChecked(), click_);
  p.setMono(action("mono")->isChecked());
  p.setMonitorDb(monitorDb_);
  session_.setAlone(action("alone")->isChecked());
  session_.setMatched(action("equal")->isChecked());
  renewLoop();
  emit changed();
}

void Listening::setClickDb(double db) {
  Click louder = click_;
  louder.levelDb = db;
  setClick(louder);
}

void Listening::setClick(const Click& click) {
  click_ = click;
  click_.levelDb = std::clamp(click.levelDb, -48.0, 0.0);
  click_.accentDb = std::clamp(click.accentDb, 0.0, 24.0);
  click_.parts = std::clamp(click.parts, 1, 4);
  if (session_.isOpen()) session_.player().setClick(action("click")->isChecked(), click_);
  emit changed();
}

void Listening::setCountIn(int bars) {
  countIn_ = std::clamp(bars, 0, kMostCountIn);
}

void Listening::clickDialog() {
  const Click was = click_;
  ClickDialog d(click_, countIn_, &score_);
  connect(&d, &ClickDialog::changed, this, [&] { setClick(d.click()); });
  if (d.exec() == QDialog::Accepted)
    setCountIn(d.countIn());
  else
    setClick(was);
}

void Listening::setMonitorDb(double db) {
  monitorDb_ = std::clamp(db, -60.0, 0.0);
  if (session_.isOpen()) session_.player().setMonitorDb(monitorDb_);
  emit changed();
}

void Listening::hearLoop() {
  const bool goesOn = session_.player().playing() && action("loop")->isChecked();
  if (goesOn)
    renewLoop();
  else
    playLoop(session_.player(), action("loop"), loopRange());
  emit changed();
}

void Listening::playOrStop() {
  if (!session_.isOpen()) return;
  Player& p = session_.player();
  if (p.playing()) {
    p.stop();
    if (p.position() < countedFrom_) p.setPosition(countedFrom_); // stopped while it was counted in
  } else {
    Frames from = p.position();
    if (const auto loop = loopRange(); loop && action("loop")->isChecked() && !loop->contains(from)) from = loop->begin;
    if (from >= session_.plan()->end(true) || from < session_.song().firstFrame()) from = session_.song().firstFrame();
    Frames countIn(0);
    if (countIn_ > 0) {
      const TempoMap& map = session_.plan()->map();
      const Beats at = map.beatAt(from);
      countIn = from - map.frameAt(at - map.meterAt(at).barLength() * countIn_);
    }
    countedFrom_ = countIn.count > 0 ? from : session_.song().firstFrame();
    p.play(from, countIn);
  }
  emit changed();
}

std::optional<FrameRange> Listening::loopRange() const {
  if (!session_.isOpen()) return std::nullopt;
  const TempoMap& map = session_.plan()->map();
  FrameRange r;
  if (around_ && score_.selection() && *score_.selection() == around_->first) {
    r = map.frames(around_->second);
  } else if (score_.selection()) {
    r = map.frames(score_.selection()->range());
  } else if (const auto node = session_.plan()->node(session_.chosen()); node) {
    // From a bar before it to the end of its tail, at a bar line. While the tail is not known, what the settings
    // foretell.
    const Ornament& o = *node->ornament;
    Beats begin = o.start, end = o.span().end;
    if (node->print) begin = std::min(begin, map.beatAt(node->print->first()));
    if (node->print && node->print->complete())
      end = std::max(end, map.beatAt(node->extent().end));
    else if (const auto f = node->kind->loopFigures({o, session_.plan()->context()}); f && f->diesAt)
      end = std::max(end, *f->diesAt);
    begin = begin - map.meterAt(begin).barLength();
    r = {map.frameAt(begin), map.frameAt(map.barStart(map.barAt(end + Beats(kTicksPerQuarter / 2)).bar + 1))};
  } else if (const Landing* l = score_.landing()) {
    const Beats bar = map.meterAt(l->at).barLength();
    r = map.frames({l->at - bar * 2, l->at + bar * 2});
  }
  r.begin = std::max(r.begin, session_.song().firstFrame());
  return r.length() > 64 ? std::optional(r) : std::nullopt;
}

void Listening::renewLoop() {
  if (!session_.isOpen()) return;
  session_.player().setLoop(action("loop")->isChecked() ? loopRange() : std::nullopt);
}

void Listening::hold(bool held) {
  if (!session_.isOpen()) return;
  Player& p = session_.player();
  if (!held) {
    if (!std::exchange(heldStarted_, false)) return;
    p.stop();
    action("loop")->setChecked(heldLoop_);
    renewLoop();
    emit changed();
    return;
  }
  const auto node = session_.plan()->node(session_.chosen());
  if (p.playing() || !node) return; // it is being listened to as it is
  heldStarted_ = true;
  heldLoop_ = action("loop")->isChecked();
  action("loop")->setChecked(true);
  const TempoMap& map = session_.plan()->map();
  auto r = loopRange();
  if (!r) return;
  const Frames from = map.frameAt(map.beatAt(node->extent().begin) - map.meterAt(node->ornament->start).beatLength());
  r->begin = std::max(r->begin, from);
  p.setLoop(r);
  p.play(r->begin);
  emit changed();
}

void Listening::hear(const Selection& selected, BeatRange around) {
  if (!session_.isOpen()) return;
  const TempoMap& map = session_.plan()->map();
  around_ = {
      selected,
      {around.begin - map.meterAt(around.begin).beatLength(), around.end + map.meterAt(around.end).beatLength()}};
  playLoop(session_.player(), action("loop"), loopRange());
  emit changed();
}

void Listening::audition() {
  if (!session_.isOpen() || session_.chosen().empty()) return;
  playLoop(session_.player(), action("loop"), loopRange());
  emit changed();
}

} // namespace ivrin::app
