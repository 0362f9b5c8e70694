// The grid over the stems, from the Song menu: its tempo, and where bar 1 lies.
#include "song/grid_edits.h"
#include "app/dialogs/note_values_page.h"
#include "app/dialogs/paper_dialog.h"
#include "app/dialogs/tempo_dialog.h"
#include "app/frame/main_window.h"
#include "app/openrow/number_field.h"
#include "app/session/as_text.h"

#include <algorithm>
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
  actions_->add({"songKey", menu, tr("&Key…"), tr("The notes that risers keep to"), {}, [this] { askKey(); }});
  actions_->add({"gridCheck",
                 menu,
                 tr("&Grid check"),
                 tr("How far what is played lies from the grid, bar by bar, in the form line"),
                 {QKeySequence(Qt::Key_F9)},
                 [this] { gridCheck(); },
                 true});
  actions_->add({"gridWorst",
                 menu,
                 tr("Where the grid is &off most"),
                 tr("Goes to the bar that lies farthest from it"),
                 {QKeySequence(Qt::SHIFT | Qt::Key_F9)},
                 [this] { toWorstOfGrid(); }});
  addSectionActions(menu);
  actions_->add({"noteValues",
                 menu,
                 tr("&Note values…"),
                 tr("Every one in milliseconds and hertz at this place, to copy; in a number that is a time, to pick"),
                 {QKeySequence(Qt::Key_F4)},
                 [this] { noteValues(); }});
}

void MainWindow::askKey() {
  if (!session_.isOpen()) return;
  QStringList all{tr("none")};
  std::vector<Key> keys;
  for (int note = 0; note < 12; ++note)
    for (const bool minor : {false, true}) {
      keys.push_back({note, minor});
      all << asText(keyText(keys.back()));
    }
  const auto& now = session_.song().key;
  const auto place = now ? std::find(keys.begin(), keys.end(), *now) - keys.begin() + 1 : 0;
  const auto chosen = askOne(this, tr("Key"), tr("The song is in"), all, static_cast<int>(place));
  if (!chosen || *chosen == place) return;
  Song song = session_.song();
  song.key = *chosen == 0 ? std::nullopt : std::optional(keys[static_cast<std::size_t>(*chosen - 1)]);
  session_.edit(tr("key: %1").arg(all[*chosen]), std::move(song));
  session_.settle();
}

QString MainWindow::gridWords(const std::vector<BarOffset>& offsets) const {
  const BarOffset* worst = worstOf(offsets);
  if (!worst) return tr("No attacks near the beats are heard: nothing can be said of the grid.");
  std::vector<double> all;
  for (const BarOffset& o : offsets) all.push_back(std::abs(o.ms));
  std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2), all.end());
  const QString most = worst->ms >= 0 ? tr("bar %1 is %2 ms late").arg(worst->bar).arg(worst->ms, 0, 'f', 0)
                                      : tr("bar %1 is %2 ms early").arg(worst->bar).arg(-worst->ms, 0, 'f', 0);
  QString words = tr("Bars lie %1 ms from the grid in the middle; %2").arg(all[all.size() / 2], 0, 'f', 0).arg(most);
  if (const auto bpm = tempoThatFits(offsets, session_.plan()->map()))
    words += tr(". The grid runs away: %1 BPM lies on the sound (Song, Tempo)").arg(QString::number(*bpm, 'f', 2));
  return words;
}

void MainWindow::gridCheck() {
  const bool on = action(QStringLiteral("gridCheck"))->isChecked();
  form_->setShowsGrid(on && session_.isOpen());
  if (on && session_.isOpen()) measure_->say(gridWords(form_->gridOffsets()), false);
}

void MainWindow::toWorstOfGrid() {
  if (!session_.isOpen()) return;
  action(QStringLiteral("gridCheck"))->setChecked(true);
  form_->setShowsGrid(true);
  const std::vector<BarOffset> offsets = form_->gridOffsets();
  if (const BarOffset* worst = worstOf(offsets)) {
    const Beats at = session_.plan()->map().barStart(worst->bar);
    score_->setCaret(at);
    score_->centreOn(at);
  }
  measure_->say(gridWords(offsets), false);
}

void MainWindow::noteValues() {
  if (auto* field = qobject_cast<NumberField*>(focusWidget()); field && field->pickTime()) return;
  if (!session_.isOpen()) return;
  const Ornament* open = session_.song().ornament(session_.chosen());
  NoteValuesPage(session_.plan()->map(), open ? open->start : here(), {}, this).exec();
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
