// The grid over the stems, from the Song menu: its tempo, and where bar 1 lies.
#include "song/grid_edits.h"
#include "app/dialogs/tempo_dialog.h"
#include "app/frame/main_window.h"
#include "app/theme/words.h"

#include <cmath>

namespace ivrin::app {

void MainWindow::addGridEdits(const QString& menu) {
  actions_->add({"tempo",
                 menu,
                 tr("&Tempo…"),
                 tr("Typed, tapped or listened for; ornaments keep their beats, or stay on the sound"),
                 {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_M)},
                 [this] { tempoDialog(); },
                 false,
                 true});
  actions_->add({"barOne",
                 menu,
                 tr("Bar &1 is here"),
                 tr("At the playhead while playing, else at the caret; ornaments stay on the sound"),
                 {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_B)},
                 [this] { barOneHere(); }});
}

void MainWindow::tempoDialog() {
  if (!session_.isOpen()) return;
  const Song& song = session_.song();
  const Beats at = here();
  const TempoMap map = song.tempoMap();
  QString where;
  if (song.tempo.size() > 1) {
    const TempoEntry* holds = &song.tempo.front();
    for (const TempoEntry& e : song.tempo)
      if (e.at <= at) holds = &e;
    where = tr("From bar %1 on").arg(map.barAt(holds->at).bar);
  }
  TempoDialog d(map.bpmAt(at), where, !song.ornaments.empty(), this);
  connect(&d, &TempoDialog::listens, &session_, &Session::lookForGrid);
  connect(&session_, &Session::gridFound, &d, &TempoDialog::setFound);
  if (d.exec() != QDialog::Accepted || std::abs(d.bpm() - map.bpmAt(at)) < 1e-9) return;
  const QString bpm = QString::number(d.bpm());
  if (d.corrects())
    session_.edit(tr("grid at %1 BPM").arg(bpm), withTempoCorrectedAt(session_.song(), at, d.bpm()));
  else
    session_.edit(tr("tempo of %1 BPM").arg(bpm), withTempoAt(session_.song(), at, d.bpm()));
  session_.settle();
  if (session_.song().ornaments.empty())
    measure_->say(tr("%1 BPM").arg(bpm), false);
  else
    measure_->say(d.corrects() ? tr("%1 BPM: %n ornament(s) stayed on the sound", nullptr,
                                    static_cast<int>(session_.song().ornaments.size()))
                                     .arg(bpm)
                               : tr("%1 BPM: %n ornament(s) kept their beats", nullptr,
                                    static_cast<int>(session_.song().ornaments.size()))
                                     .arg(bpm),
                  false);
}

void MainWindow::barOneHere() {
  if (!session_.isOpen()) return;
  const Beats at = here();
  if (at.ticks == 0) {
    measure_->say(tr("Bar 1 is here already."), false);
    return;
  }
  const double seconds = session_.plan()->map().secondsAt(at).value;
  session_.edit(tr("bar 1 at %1 s").arg(seconds, 0, 'f', 2), withBarOneAt(session_.song(), at));
  session_.settle();
  score_->setCaret(Beats(0));
  measure_->say(tr("Bar 1 lies at %1 s of the stems; what is placed stayed on the sound").arg(seconds, 0, 'f', 3),
                false);
}

} // namespace ivrin::app
