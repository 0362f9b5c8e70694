#include "app/actions/grid_actions.h"

#include "analysis/median.h"
#include "app/dialogs/tempo_dialog.h"
#include "app/openrow/note_values_page.h"
#include "app/openrow/number_field.h"
#include "app/openrow/open_drawing.h"
#include "app/session/landing_edits.h"
#include "app/theme/paper_dialog.h"
#include "app/words/as_text.h"
#include "app/words/grid_words.h"
#include "import/midi_map.h"
#include "song/grid_edits.h"
#include "time/note_value.h"

#include <QFileDialog>
#include <QMenu>
#include <QRegularExpression>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {
constexpr double kMarkReachPixels = 60;
}
GridActions::GridActions(const Desk& desk, FormLine& form, RecipeActions& recipes)
    : ActionGroup(desk)
    , form_(&form)
    , recipes_(recipes) {
  connect(score_, &ScoreView::gridMarkClicked, this, &GridActions::markClicked);
  connect(score_, &ScoreView::gridMarkMoved, this, &GridActions::markMoved);
  connect(score_, &ScoreView::rulerMenuWanted, this, &GridActions::showRulerMenu);
  connect(&session_.findings(), &SongFindings::midiRead, this, &GridActions::useMidi);
  connect(&session_.findings(), &SongFindings::tempoDoubted, this, [this] { tried_ = 0; });
  connect(&session_, &Session::songChanged, this, &GridActions::tempoMayBeSettled);
}

void GridActions::addActions(const QString& menu) {
  actions_->add({"tempo",
                 menu,
                 tr("&Tempo…"),
                 tr("Type, tap or detect the tempo. Ornaments keep their beats or stay with the audio."),
                 {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_M)},
                 [this] { tempoDialog(here(), false); },
                 false,
                 true});
  actions_->add({"tempoHere",
                 menu,
                 tr("Tempo &from here on…"),
                 tr("Changes the tempo from the playhead's beat on while playing, otherwise from the cursor."),
                 {},
                 [this] { tempoFromHere(); }});
  actions_->add(
      {"meterHere",
       menu,
       tr("Change ti&me signature from this bar…"),
       tr("Changes the time signature from the playhead's bar on while playing, otherwise from the cursor's bar."),
       {},
       [this] { meterDialog(here()); }});
  actions_->add({"midiGrid",
                 menu,
                 tr("&Import tempo map (MIDI)…"),
                 tr("Takes tempo, time signatures, key and markers from a MIDI file. Ornaments stay with the audio."),
                 {},
                 [this] { midiDialog(); }});
  actions_->add(
      {"barOne",
       menu,
       tr("Set bar &1 here"),
       tr("Sets bar 1 at the playhead while playing, otherwise at the cursor. Ornaments stay with the audio."),
       {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_B)},
       [this] {
         if (session_.isOpen()) putBarOne(here());
       }});
  actions_->add({"songKey", menu, tr("&Key…"), tr("Sets the key that ornaments snap to."), {}, [this] { askKey(); }});
  actions_->add({"gridCheck",
                 menu,
                 tr("Check &grid"),
                 tr("Shows in the form line how far the playing is from the grid in each bar."),
                 {QKeySequence(Qt::Key_F9)},
                 [this] { gridCheck(); },
                 true});
  actions_->add({"gridWorst",
                 menu,
                 tr("Go to largest timing &offset"),
                 tr("Moves the cursor to the bar that is farthest from the grid."),
                 {QKeySequence(Qt::SHIFT | Qt::Key_F9)},
                 [this] { toWorstOfGrid(); }});
}

void GridActions::addNoteValues(const QString& menu) {
  actions_->add({"noteValues",
                 menu,
                 tr("&Note times and rates…"),
                 tr("Lists every note value in milliseconds and hertz at the cursor's tempo, to copy or to use in a "
                    "time setting."),
                 {QKeySequence(Qt::Key_F4)},
                 [this] { noteValues(); }});
}

void GridActions::tempoFromHere() {
  if (!session_.isOpen()) return;
  const TempoMap& map = session_.plan()->map();
  tempoDialog(std::max(Beats(0), snapToGrid(here(), map.meterAt(here()).beatLength(), map)), true);
}

void GridActions::askKey() {
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
  const auto chosen = askOne(window_, tr("Key"), tr("Key of the song"), all, static_cast<int>(place));
  if (!chosen || *chosen == place) return;
  Song song = session_.song();
  song.key = *chosen == 0 ? std::nullopt : std::optional(keys[static_cast<std::size_t>(*chosen - 1)]);
  session_.edit(tr("key: %1").arg(all[*chosen]), std::move(song));
  session_.settle();
}

QString GridActions::gridWords(const std::vector<BarOffset>& offsets) const {
  const BarOffset* worst = worstOf(offsets);
  if (!worst)
    return tr("Grid check failed: no transients were found near the beats. Check the grid by ear with the click (F3).");
  std::vector<double> all;
  for (const BarOffset& o : offsets) all.push_back(std::abs(o.ms));
  const QString most = worst->ms >= 0 ? tr("bar %1 is %2 ms late").arg(worst->bar).arg(worst->ms, 0, 'f', 0)
                                      : tr("bar %1 is %2 ms early").arg(worst->bar).arg(-worst->ms, 0, 'f', 0);
  QString words = tr("Grid: typical offset %1 ms; %2").arg(median(all), 0, 'f', 0).arg(most);
  if (const auto bpm = tempoThatFits(offsets, session_.plan()->map()))
    words += tr(". The grid drifts: the audio runs at %1 BPM. Change it in Song > Tempo.")
                 .arg(QString::number(*bpm, 'f', 2));
  return words;
}

void GridActions::gridCheck() {
  const bool on = action("gridCheck")->isChecked();
  form_->setShowsGrid(on && session_.isOpen());
  if (on && session_.isOpen()) measure_->say(gridWords(form_->gridOffsets()), false);
}

void GridActions::toWorstOfGrid() {
  if (!session_.isOpen()) return;
  action("gridCheck")->setChecked(true);
  form_->setShowsGrid(true);
  const std::vector<BarOffset> offsets = form_->gridOffsets();
  if (const BarOffset* worst = worstOf(offsets)) {
    const Beats at = session_.plan()->map().barStart(worst->bar);
    score_->caret().put(at);
    score_->centreOn(at);
  }
  measure_->say(gridWords(offsets), false);
}

void GridActions::noteValues() {
  if (auto* field = qobject_cast<NumberField*>(window_->focusWidget()); field && field->pickTime()) return;
  if (!session_.isOpen()) return;
  const Ornament* open = session_.song().ornament(session_.chosen());
  NoteValuesPage(session_.plan()->map(), open ? open->start : here(), {}, window_).exec();
}

/// The tempo that holds at a place becomes another, or there is another from there on.
void GridActions::tempoDialog(Beats at, bool fromHere) {
  if (!session_.isOpen()) return;
  const Song& song = session_.song();
  const TempoMap map = song.tempoMap();
  const TempoEntry* holds = &song.tempo.front();
  for (const TempoEntry& e : song.tempo)
    if (e.at <= at) holds = &e;
  if (!fromHere) at = holds->at;
  const QString where = fromHere || song.tempo.size() > 1 ? tr("From %1 on").arg(barWords(map, at)) : QString();
  // A map that follows the playing is followed anew; from a place on another tempo can be had.
  TempoDialog d(map.bpmAt(at), where, !song.ornaments.empty(), !fromHere, window_);
  connect(&d, &TempoDialog::listens, &session_.findings(), &SongFindings::lookForGrid);
  FoundGrid heard;
  connect(&session_.findings(), &SongFindings::gridFound, &d, [&](const FoundGrid& found) {
    heard = found;
    d.setFound(found);
  });
  if (const auto& doubted = session_.findings().tempoInDoubt()) {
    heard = *doubted;
    d.offerLikely(likelyTempi(heard));
  }
  const Song before = song;
  const bool clicked = action("click")->isChecked(), played = session_.player().playing();
  bool tried = false;
  connect(&d, &TempoDialog::tries, &d, [&](double bpm) {
    tried = true;
    session_.edit(tr("grid at %1 BPM").arg(bpmText(bpm)),
                  fromHere ? withTempoFrom(session_.song(), at, bpm)
                           : keptOnSound(session_.song(), atTempo(session_.song(), heard, bpm)),
                  "tempo-tried");
    hearWithClick();
  });
  const int answer = d.exec();
  if (!(session_.song() == before)) { // only tried
    session_.settle();
    session_.undo();
  }
  if (tried) {
    if (action("click")->isChecked() != clicked) action("click")->trigger();
    if (session_.player().playing() && !played) action("play")->trigger();
  }
  if (answer != QDialog::Accepted) return;
  if (const FoundGrid* found = d.followed()) {
    const QString tempi = tempiWords(tempiOf(*found->curve));
    takeGrid(tr("grid of %1").arg(tempi), tempi, onGrid(session_.song(), *found), d.corrects());
    return;
  }
  if (!fromHere && std::abs(d.bpm() - map.bpmAt(at)) < 1e-9) return;
  const QString bpm = QString::number(d.bpm());
  const Song changed = withTempoFrom(session_.song(), at, d.bpm());
  if (d.corrects())
    session_.edit(tr("grid at %1 BPM").arg(bpm),
                  withGridCorrected(session_.song(), changed.tempo, session_.song().startSeconds));
  else
    session_.edit(tr("tempo of %1 BPM").arg(bpm), changed);
  session_.settle();
  measure_->say(QStringLiteral("%1%2").arg(tr("%1 BPM").arg(bpm), whatMoved(d.corrects())), false);
}

void GridActions::hearWithClick() {
  if (!action("click")->isChecked()) action("click")->trigger();
  if (!session_.player().playing()) action("play")->trigger();
}

void GridActions::tryLikely(double bpm) {
  SongFindings& findings = session_.findings();
  if (!findings.tempoInDoubt()) return;
  if (std::abs(tried_ - bpm) < 1e-6) {
    session_.settle();
    findings.tempoIsSettled();
    findings.lookForSections();
    measure_->say(tr("%1 BPM, bar 1 at %2 s").arg(bpmText(bpm)).arg(session_.song().startSeconds, 0, 'f', 2), false);
    return;
  }
  session_.edit(tr("grid at %1 BPM").arg(bpmText(bpm)),
                keptOnSound(session_.song(), atTempo(session_.song(), *findings.tempoInDoubt(), bpm)), "tempo-tried");
  tried_ = bpm;
  hearWithClick();
}

/// Nothing is in doubt any more once something stands on the grid, or the tempo is none of those in doubt.
void GridActions::tempoMayBeSettled() {
  const auto& heard = session_.findings().tempoInDoubt();
  if (!heard) return;
  const Song& song = session_.song();
  const std::vector<double> likely = likelyTempi(*heard);
  const bool oneOfThem = song.tempo.size() == 1 && std::any_of(likely.begin(), likely.end(), [&](double bpm) {
                           return std::abs(bpm - song.tempo.front().bpm) < 1e-6;
                         });
  if (!oneOfThem || !song.ornaments.empty()) session_.findings().tempoIsSettled();
}

/// ": 3 ornaments kept their beats"; nothing where there are none.
QString GridActions::whatMoved(bool onTheSound) const {
  const auto count = static_cast<int>(session_.song().ornaments.size());
  if (count == 0) return {};
  return onTheSound ? tr(": %n ornament(s) stayed with the audio", nullptr, count)
                    : tr(": %n ornament(s) kept their beats", nullptr, count);
}

/// Another grid under all of the song; what is placed stays on the sound, or keeps its beats.
void GridActions::takeGrid(const QString& label, const QString& said, const Song& changed, bool onTheSound) {
  session_.edit(label, onTheSound ? keptOnSound(session_.song(), changed) : changed);
  session_.settle();
  measure_->say(said + whatMoved(onTheSound), false);
}

/// The tempi, meters, key and markers of a MIDI file; read apart.
void GridActions::takeMidi(const std::filesystem::path& file) {
  if (session_.isOpen()) session_.findings().readMidi(file);
}

void GridActions::useMidi(const MidiRead& read) {
  if (!read.map) {
    measure_->say(asText(read.problems.list.front().text()), true);
    return;
  }
  const QString name = asText(read.name);
  QString said = tr("Tempo map imported from %1: %2").arg(name, tempiWords(read.map->tempo));
  constexpr std::size_t kMostSaid = 3;
  const auto& notes = read.problems.list;
  for (std::size_t i = 0; i < std::min(notes.size(), kMostSaid); ++i)
    said += QStringLiteral("; ") + asText(notes[i].message);
  if (notes.size() > kMostSaid) said += tr("; and %n more", nullptr, static_cast<int>(notes.size() - kMostSaid));
  const Song changed = withMidiMap(session_.song(), *read.map);
  takeGrid(tr("grid of %1").arg(name), said, changed, true);
  if (session_.song().ornaments.empty()) return;
  offerInstead(said + whatMoved(true), tr("Keep their beats"),
               [this, name, said, changed] { takeGrid(tr("grid of %1").arg(name), said, changed, false); });
}

void GridActions::midiDialog() {
  QStringList endings;
  for (const char* e : kMidiEndings) endings << "*" + QString::fromLatin1(e);
  const QString f = QFileDialog::getOpenFileName(window_, tr("Import tempo map from a MIDI file"), {},
                                                 tr("Standard MIDI Files (%1)").arg(endings.join(' ')));
  if (!f.isEmpty()) takeMidi(pathOf(f));
}

/// Another map of tempi, ornaments on their beats; that they stay on the sound is offered.
void GridActions::changeTempi(const QString& label, const Song& changed) {
  if (changed == session_.song()) return;
  const Song corrected = withGridCorrected(session_.song(), changed.tempo, session_.song().startSeconds);
  session_.edit(label, changed);
  session_.settle();
  const QString said = capital(label);
  if (session_.song().ornaments.empty())
    measure_->say(said, false);
  else
    offerInstead(said + whatMoved(false), tr("Keep them with the audio"), [this, label, said, corrected] {
      session_.edit(label, corrected);
      session_.settle();
      measure_->say(said + whatMoved(true), false);
    });
}

void GridActions::meterDialog(Beats at) {
  if (!session_.isOpen()) return;
  const TempoMap& map = session_.plan()->map();
  const Beats line = map.barStart(std::max<std::int64_t>(1, map.barAt(at).bar));
  const MeterEntry now = map.meterAt(line);
  const auto typed = askName(window_, tr("Time signature from bar %1 on").arg(map.barAt(line).bar),
                             tr("For example 3/4 or 7/8"), QStringLiteral("%1/%2").arg(now.count).arg(now.unit));
  if (!typed) return;
  static const QRegularExpression asMeter(QStringLiteral("^\\s*(\\d{1,2})\\s*/\\s*(1|2|4|8|16|32)\\s*$"));
  const auto m = asMeter.match(*typed);
  const int count = m.captured(1).toInt();
  if (!m.hasMatch() || count < 1 || count > 32) {
    measure_->say(tr("“%1” is not a time signature. Type 1 to 32 beats over 1, 2, 4, 8, 16 or 32, such as 3/4 or 7/8.")
                      .arg(*typed),
                  true);
    return;
  }
  session_.edit(tr("time signature %1/%2").arg(count).arg(m.captured(2)),
                withMeterFrom(session_.song(), line, count, m.captured(2).toInt()));
  session_.settle();
}

void GridActions::markClicked(const GridMark& mark) {
  if (mark.kind == GridMark::Kind::tempo)
    tempoDialog(mark.at, false);
  else if (mark.kind == GridMark::Kind::meter)
    meterDialog(mark.at);
  else
    measure_->say(tr("Drag the bar 1 marker onto the first beat. %1 sets bar 1 at the cursor.")
                      .arg(action("barOne")->shortcut().toString(QKeySequence::NativeText)),
                  false);
}

void GridActions::markMoved(const GridMark& mark, Beats to) {
  const TempoMap& map = session_.plan()->map();
  if (mark.kind == GridMark::Kind::barOne)
    putBarOne(to);
  else if (mark.kind == GridMark::Kind::tempo)
    changeTempi(tr("move tempo change to %1").arg(barWords(map, to)), withTempoMoved(session_.song(), mark.at, to));
  else
    edit(tr("move time signature to bar %1").arg(map.barAt(to).bar), withMeterMoved(session_.song(), mark.at, to));
}

void GridActions::showRulerMenu(Beats at, const QPoint& globalAt) {
  const TempoMap& map = session_.plan()->map();
  const Beats beat = std::max(Beats(0), snapToGrid(at, map.meterAt(at).beatLength(), map));
  QMenu m(window_);
  if (const std::string landing = score_->landingAt(at); !landing.empty())
    m.addAction(tr("Recipes…"), this, [this, landing] { recipes_.openAt(landing); });
  m.addAction(tr("Tempo from here on…"), this, [this, beat] { tempoDialog(beat, true); });
  m.addAction(tr("Change time signature from this bar…"), this, [this, at] { meterDialog(at); });
  // Changes that lie within reach of the hand.
  const double reach = kMarkReachPixels / score_->axis().pxPerBeat;
  for (const TempoEntry& e : session_.song().tempo)
    if (e.at > Beats(0) && std::abs((e.at - at).quarters()) < reach)
      m.addAction(tr("Remove tempo change (%1 BPM)").arg(QString::number(e.bpm)), this, [this, e] {
        changeTempi(tr("remove tempo change (%1 BPM)").arg(QString::number(e.bpm)),
                    withoutTempoAt(session_.song(), e.at));
      });
  for (const MeterEntry& e : session_.song().meter)
    if (e.at > Beats(0) && std::abs((e.at - at).quarters()) < reach)
      m.addAction(tr("Remove time signature %1/%2").arg(e.count).arg(e.unit), this, [this, e] {
        edit(tr("remove time signature %1/%2").arg(e.count).arg(e.unit), withoutMeterAt(session_.song(), e.at));
      });
  m.addSeparator();
  m.addAction(tr("New section here"), this, [this, at] {
    form_->rename(addLanding(session_, landingPlace(session_, at, false, {}), true, tr("Section")));
  });
  m.addAction(tr("New landing here"), this,
              [this, beat] { form_->rename(addLanding(session_, beat, false, tr("landing"))); });
  m.exec(globalAt);
}

void GridActions::putBarOne(Beats at) {
  if (at.ticks == 0) {
    measure_->say(tr("Bar 1 is already here."), false);
    return;
  }
  const double seconds = session_.plan()->map().secondsAt(at).value;
  const TimeAxis was = score_->axis();
  session_.edit(tr("bar 1 at %1 s").arg(seconds, 0, 'f', 2), withBarOneAt(session_.song(), at));
  session_.settle();
  score_->caret().put(Beats(0));
  // The ruler has moved over the sound, which stays under the hand.
  score_->showRange(was.left - at.quarters(), was.right() - at.quarters(), false);
  measure_->say(tr("Bar 1 is now at %1 s of the stems. Ornaments stayed with the audio.").arg(seconds, 0, 'f', 3),
                false);
}

} // namespace ivrin::app
