#include "app/frame/main_window.h"
#include "app/theme/ornament_look.h"

#include "app/dialogs/export_dialog.h"
#include "app/openrow/open_row.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "song/edits.h"
#include "time/note_value.h"

#include <QApplication>
#include <QCloseEvent>
#include <QFileDialog>
#include <QInputDialog>
#include <QMessageBox>
#include <QMimeData>
#include <QSettings>
#include <QVBoxLayout>

#include <algorithm>

namespace ivrin::app {
namespace fs = std::filesystem;
namespace {

constexpr int kTickMs = 16;
const char* const kAudioFilter = "*.wav *.flac *.aiff *.aif *.ogg *.mp3 *.w64 *.rf64";

fs::path pathOf(const QString& s) {
  return fs::path(s.toStdString());
}

} // namespace

MainWindow::MainWindow(Session& session, fs::path demoSong)
    : session_(session)
    , demoSong_(std::move(demoSong))
    , actions_(new ActionRegistry(this))
    , score_(new ScoreView(session, this))
    , pages_(new QStackedWidget(this)) {
  setWindowTitle(QStringLiteral("Ivrin"));
  resize(1280, 800);
  setAcceptDrops(true);
  addActions();
  head_ = new HeadBar(session_, *actions_, this);
  form_ = new FormLine(session_, *score_, this);
  measure_ = new MeasureLine(session_, *score_, this);
  empty_ = emptyPage();
  auto* work = new QWidget(this);
  auto* column = new QVBoxLayout(work);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(form_);
  column->addWidget(score_, 1);
  pages_->addWidget(empty_);
  pages_->addWidget(work);
  auto* central = new QWidget(this);
  auto* all = new QVBoxLayout(central);
  all->setContentsMargins(0, 0, 0, 0);
  all->setSpacing(0);
  all->addWidget(head_);
  all->addWidget(pages_, 1);
  all->addWidget(measure_);
  setCentralWidget(central);

  connect(&session_, &Session::opened, this, [this] {
    pages_->setCurrentIndex(1);
    score_->setFocus();
    measure_->say({}, false);
    applyListening();
    session_.setOrnamentsHeard(action(QStringLiteral("with"))->isChecked());
    const TempoMap& map = session_.plan()->map();
    const Beats at =
        score_->landing() ? score_->landing()->at - map.meterAt(score_->landing()->at).barLength() * 4 : Beats(0);
    session_.player().setPosition(map.frameAt(std::max(at, Beats(0))));
    updateActions();
  });
  connect(&session_, &Session::songChanged, this, &MainWindow::updateActions);
  connect(&session_, &Session::outputReplaced, this, &MainWindow::applyListening);
  connect(&session_, &Session::notice, this, [this](const QString& text, bool bad) { measure_->say(text, bad); });
  connect(&session_, &Session::progress, measure_, &MeasureLine::setProgress);
  connect(&session_, &Session::exported, this, [this](const QString& text, bool ok) { measure_->say(text, !ok); });
  connect(&session_, &Session::recovered, this, [this] {
    measure_->say(tr("Edits that were not saved have been brought back."), false, tr("open as saved instead"),
                  [this] { session_.discardRecovered(); });
  });
  connect(&session_, &Session::outOfReach, this, [this](const QString& folder) {
    measure_->say(tr("Some audio lies outside the song's folder, in %1.").arg(folder), true, tr("allow that folder"),
                  [this, folder] {
                    QSettings s;
                    QStringList known = s.value(QStringLiteral("reach")).toStringList();
                    known << folder;
                    s.setValue(QStringLiteral("reach"), known);
                    session_.allowFolder(pathOf(folder));
                  });
  });
  connect(measure_, &MeasureLine::cancelRequested, &session_, &Session::cancelExport);
  connect(score_, &ScoreView::selectionChanged, this, &MainWindow::updateActions);
  connect(score_, &ScoreView::openChanged, this, &MainWindow::updateActions);
  connect(score_, &ScoreView::auditionRequested, this, &MainWindow::audition);
  connect(score_, &ScoreView::seekRequested, this, [this](Beats at) {
    const Frames f = session_.plan()->map().frameAt(at);
    if (session_.player().playing())
      session_.player().play(f);
    else
      session_.player().setPosition(f);
    score_->tick();
    head_->tick();
    form_->tick();
  });
  tick_.setInterval(kTickMs);
  connect(&tick_, &QTimer::timeout, this, [this] {
    score_->tick();
    form_->tick();
    head_->tick();
    if (session_.isOpen() && session_.output().lost()) {
      session_.replaceOutput();
      measure_->say(
          session_.output().simulated()
              ? tr("The sound device has gone; playing stopped. A silent stand-in keeps time until there is one again.")
              : tr("The sound device has gone; playing stopped. %1 is used from now on.")
                    .arg(QString::fromStdString(session_.output().name())),
          true);
    }
  });
  tick_.start();
  applyPaper();
  updateActions();
  if (auto* first = empty_->findChild<InkButton*>()) first->setFocus();
}

QWidget* MainWindow::emptyPage() {
  auto* page = new Painted(
      {400, 300},
      [](QPainter& p, const QRectF& r) {
        const Palette& c = paper();
        p.fillRect(r, c.paper);
        // An empty system: five quiet staves and a double bar, waiting.
        p.setPen(QPen(c.beatRule, 1));
        for (int i = 0; i < 5; ++i)
          p.drawLine(QPointF(r.width() * 0.16, r.height() * 0.26 + i * scaled(11)),
                     QPointF(r.width() * 0.84, r.height() * 0.26 + i * scaled(11)));
        p.setPen(QPen(c.ochre, 2.4));
        p.drawLine(QPointF(r.width() * 0.84, r.height() * 0.26),
                   QPointF(r.width() * 0.84, r.height() * 0.26 + 4 * scaled(11)));
        p.setPen(QPen(c.ochre, 1.1));
        p.drawLine(QPointF(r.width() * 0.84 - 5, r.height() * 0.26),
                   QPointF(r.width() * 0.84 - 5, r.height() * 0.26 + 4 * scaled(11)));
        const QString text = tr("Drop the stems of a song here, or begin with one of these.");
        drawSongText(p, QPointF((r.width() - songTextWidth(text, 24, false)) / 2, r.height() * 0.26 + scaled(110)),
                     text, 24, false, c.ink);
      },
      this);
  page->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
  auto* column = new QVBoxLayout(page);
  column->addStretch(5);
  auto* row = new QHBoxLayout;
  row->addStretch(1);
  const auto add = [&](const QString& text, const char* name, auto run) {
    auto* b = new InkButton(text, page);
    b->setBoxed(true);
    b->setSerif(true);
    b->setTextPx(18);
    b->setFocusPolicy(Qt::StrongFocus);
    b->setObjectName(QString::fromLatin1(name));
    connect(b, &QAbstractButton::clicked, this, run);
    row->addWidget(b);
  };
  if (!demoSong_.empty()) add(tr("Open the demo song"), "empty-demo", [this] { session_.open(demoSong_); });
  row->addSpacing(scaled(12));
  add(tr("Choose stems…"), "empty-stems", [this] { action(QStringLiteral("new"))->trigger(); });
  row->addStretch(1);
  column->addLayout(row);
  column->addStretch(4);
  return page;
}

void MainWindow::addActions() {
  using K = QKeySequence;
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  const QString song = tr("Song"), edit = tr("Edit"), place = tr("Place"), listen = tr("Listen"), look = tr("Look"),
                help = tr("Help");
  add({"new", song, tr("&New from stems…"), tr("A new song from audio files"), {K::New}, [this] {
         const QStringList files = QFileDialog::getOpenFileNames(
             this, tr("Stems of the song"), {}, tr("Audio (%1)").arg(QString::fromLatin1(kAudioFilter)));
         if (!files.isEmpty()) askTempoFor(files);
       }});
  add({"open", song, tr("&Open…"), tr("Open a song"), {K::Open}, [this] { openDialog(); }});
  if (!demoSong_.empty()) add({"demo", song, tr("Open the &demo song"), {}, {}, [this] { session_.open(demoSong_); }});
  add({"save", song, tr("&Save"), tr("Save the song"), {K::Save}, [this] { saveNow(); }, false, true});
  add({"saveAs", song, tr("Save &as…"), {}, {K(Qt::CTRL | Qt::SHIFT | Qt::Key_S)}, [this] { saveDialog(); }});
  add({"export",
       song,
       tr("&Export…"),
       tr("Write mix, rows and ornaments as audio files"),
       {K(Qt::CTRL | Qt::Key_E)},
       [this] { exportDialog(); },
       false,
       true});
  add({"quit", song, tr("&Quit"), {}, {K::Quit}, [this] { close(); }, false, true});

  add({"undo", edit, tr("&Undo"), {}, {K::Undo}, [this] { session_.undo(); }});
  add({"redo", edit, tr("&Redo"), {}, {K(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), K(Qt::CTRL | Qt::Key_Y)}, [this] {
         session_.redo();
       }});
  add({"delete",
       edit,
       tr("&Delete ornament"),
       tr("Delete the open ornament"),
       {K(Qt::Key_Delete)},
       [this] {
         const std::string id = session_.chosen();
         if (id.empty()) return;
         const QString name = kindWord(session_.song().ornament(id)->kind);
         score_->closeOrnament();
         session_.edit(tr("delete %1").arg(name), withoutOrnament(session_.song(), id));
         session_.settle();
       },
       false,
       true});
  add({"copy",
       edit,
       tr("&Copy ornament"),
       tr("Copy the open ornament, or the one at the caret"),
       {K::Copy},
       [this] {
         if (const Ornament* o = session_.song().ornament(score_->ornamentAtCaret())) copied_ = *o;
         updateActions();
       },
       false,
       true});
  add({"paste",
       edit,
       tr("&Paste at the caret"),
       tr("Paste the copied ornament on the caret's row, at its place"),
       {K::Paste},
       [this] {
         if (!copied_) return;
         Ornament o = *copied_;
         o.start = score_->selection() ? score_->selection()->begin : score_->caret();
         o.on = score_->caretRow();
         o.landing.reset();
         paste(std::move(o), tr("paste"));
       }});
  add({"duplicate",
       edit,
       tr("D&uplicate to the next landing"),
       tr("The same ornament, as far from the next landing as it is from its own"),
       {K(Qt::CTRL | Qt::Key_D)},
       [this] { duplicateToNextLanding(); }});
  add({"earlier",
       edit,
       tr("Move &earlier"),
       tr("Move the ornament by one step of the grid"),
       {K(Qt::ALT | Qt::Key_Left)},
       [this] { score_->nudge(score_->ornamentAtCaret(), -1); },
       false,
       true});
  add({"later",
       edit,
       tr("Move &later"),
       tr("Move the ornament by one step of the grid"),
       {K(Qt::ALT | Qt::Key_Right)},
       [this] { score_->nudge(score_->ornamentAtCaret(), 1); }});
  add({"close", edit, tr("&Close row, clear selection"), {}, {K(Qt::Key_Escape)}, [this] {
         if (score_->selection())
           score_->select(std::nullopt);
         else
           score_->closeOrnament();
       }});

  for (const Kind* k : allKinds().all()) {
    const QString id = QString::fromStdString(k->table().id);
    add({"place-" + id,
         place,
         QString::fromStdString(k->table().name),
         QString::fromStdString(k->table().meaning),
         {K(QString::fromStdString(k->table().key))},
         [this, id] { score_->placeOnSelection(id); }});
  }

  add({"play", listen, tr("&Play"), tr("Play, or stop"), {K(Qt::Key_Space)}, [this] { playOrStop(); }});
  add({"start", listen, tr("Go to the &begin"), {}, {K(Qt::Key_Home)}, [this] {
         emit score_->seekRequested(Beats(0));
         score_->centreOn(Beats(0));
       }});
  add({"loop",
       listen,
       tr("&Loop"),
       tr("Loop the selection, the open ornament, or the bars about the landing"),
       {K(Qt::Key_L)},
       [this] { loopChanged(action(QStringLiteral("loop"))->isChecked()); },
       true});
  add({"audition",
       listen,
       tr("&Audition"),
       tr("Loop from a bar before the open ornament to the end of its tail"),
       {K(Qt::Key_A)},
       [this] { audition(); }});
  add({"click",
       listen,
       tr("&Click"),
       tr("A click on the beats"),
       {K(Qt::Key_K)},
       [this] {
         if (session_.isOpen()) session_.player().setClick(action(QStringLiteral("click"))->isChecked(), clickDb_);
       },
       true,
       true});
  QAction* with = add({"with",
                       listen,
                       tr("&With ornaments"),
                       tr("With and without: the open ornament, or all of them"),
                       {K(Qt::Key_W)},
                       [this] { session_.setOrnamentsHeard(action(QStringLiteral("with"))->isChecked()); },
                       true});
  with->setChecked(true);
  add({"mono",
       listen,
       tr("&Mono"),
       tr("Listen in mono"),
       {K(Qt::SHIFT | Qt::Key_M)},
       [this] {
         if (session_.isOpen()) session_.player().setMono(action(QStringLiteral("mono"))->isChecked());
       },
       true});

  add({"former", look, tr("&Former landing"), {}, {K(Qt::CTRL | Qt::Key_Left)}, [this] { score_->goToLanding(-1); }});
  add({"next", look, tr("&Next landing"), {}, {K(Qt::CTRL | Qt::Key_Right)}, [this] { score_->goToLanding(1); }});
  add({"centre", look, tr("&Centre on the landing"), {}, {K(Qt::Key_Period)}, [this] { score_->goToLanding(0); }});
  add({"nearer",
       look,
       tr("Zoom &in"),
       {},
       {K::ZoomIn, K(Qt::CTRL | Qt::Key_Equal)},
       [this] { score_->zoom(1.5, score_->axis().x0 + score_->axis().width / 2); },
       false,
       true});
  add({"farther", look, tr("Zoom &out"), {}, {K::ZoomOut}, [this] {
         score_->zoom(1 / 1.5, score_->axis().x0 + score_->axis().width / 2);
       }});
  add({"whole", look, tr("The &whole song"), {}, {K(Qt::CTRL | Qt::Key_0)}, [this] {
         if (session_.isOpen())
           score_->showRange(-1, session_.plan()->map().quartersAt(session_.plan()->end(true)) + 1, true);
       }});
  int n = 1;
  for (const char* value : {"1/1", "1/2", "1/4", "1/8", "1/16", "1/32", "1/8t"}) {
    const auto step = NoteValue::parse(value)->beats(TempoMap(), Beats(0));
    QAction* a = add({QStringLiteral("grid-") + QString::fromLatin1(value),
                      look,
                      tr("Grid of %1").arg(QString::fromLatin1(value)),
                      tr("Selections and edges snap to this; Alt leaves the grid"),
                      {K(Qt::CTRL | static_cast<Qt::Key>(Qt::Key_0 + n))},
                      [this, step] {
                        score_->setGrid(*step);
                        updateActions();
                      },
                      true,
                      n == 1});
    a->setProperty("ticks", QVariant::fromValue<qlonglong>(step->ticks));
    ++n;
  }
  add({"night",
       look,
       tr("Ni&ght paper"),
       tr("Pale ink on dark paper"),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_N)},
       [this] { setNight(action(QStringLiteral("night"))->isChecked()); },
       true,
       true});
  add({"keys", help, tr("&Keys"), tr("All keys on one page"), {K::HelpContents}, [this] { showKeys(); }});
  add({"about", help, tr("&About Ivrin"), {}, {}, [this] {
         QMessageBox::about(this, tr("About Ivrin"),
                            tr("<h3>Ivrin 0.1</h3><p>Transitions and ear candy from the stems of a song, on the beat "
                               "grid.</p><p>Free software under the GPL, version 3 or later. "
                               "EB Garamond and Cabin are open fonts under the SIL Open Font License.</p>"));
       }});
}

void MainWindow::updateActions() {
  const bool open = session_.isOpen();
  for (const char* id :
       {"save",     "saveAs", "export", "play", "start",  "copy", "duplicate", "earlier", "later",   "loop",
        "audition", "click",  "with",   "mono", "former", "next", "centre",    "nearer",  "farther", "whole"})
    action(QString::fromLatin1(id))->setEnabled(open);
  const History& h = session_.history();
  QAction *undo = action(QStringLiteral("undo")), *redo = action(QStringLiteral("redo"));
  undo->setEnabled(open && h.canUndo());
  redo->setEnabled(open && h.canRedo());
  undo->setText(h.canUndo() ? tr("&Undo %1").arg(QString::fromStdString(h.undoLabel())) : tr("&Undo"));
  redo->setText(h.canRedo() ? tr("&Redo %1").arg(QString::fromStdString(h.redoLabel())) : tr("&Redo"));
  action(QStringLiteral("paste"))->setEnabled(open && copied_.has_value());
  action(QStringLiteral("delete"))->setEnabled(!session_.chosen().empty());
  for (const Kind* k : allKinds().all())
    action(QStringLiteral("place-") + QString::fromStdString(k->table().id))
        ->setEnabled(open && score_->selection().has_value());
  for (QAction* a : actions())
    if (a->property("ticks").isValid()) a->setChecked(a->property("ticks").toLongLong() == score_->grid().ticks);
  const QString title = QString::fromStdString(session_.song().title);
  setWindowTitle(open ? QStringLiteral("%1[*] – Ivrin").arg(title.isEmpty() ? tr("Untitled") : title)
                      : QStringLiteral("Ivrin[*]"));
  setWindowModified(open && h.changedSinceSave());
  if (open && action(QStringLiteral("loop"))->isChecked() && score_->selection()) loopChanged(true);
}

// ---------------------------------------------------------------- listening

void MainWindow::applyListening() {
  session_.player().setClick(action(QStringLiteral("click"))->isChecked(), clickDb_);
  session_.player().setMono(action(QStringLiteral("mono"))->isChecked());
  loopChanged(action(QStringLiteral("loop"))->isChecked());
}

void MainWindow::playOrStop() {
  Player& p = session_.player();
  if (p.playing())
    p.stop();
  else {
    Frames from = p.position();
    if (const auto loop = loopRange(); loop && action(QStringLiteral("loop"))->isChecked() && !loop->contains(from))
      from = loop->begin;
    if (from >= session_.plan()->end(true)) from = Frames(0);
    p.play(from);
  }
  head_->tick();
}

std::optional<FrameRange> MainWindow::loopRange() const {
  if (!session_.isOpen()) return std::nullopt;
  const TempoMap& map = session_.plan()->map();
  FrameRange r;
  if (score_->selection()) {
    r = map.frames(score_->selection()->range());
  } else if (const auto node = session_.plan()->node(session_.chosen()); node) {
    // From a bar before it to the end of its tail, at a bar line. While the tail is not known, what the settings
    // foretell.
    const Ornament& o = *node->ornament;
    Beats end = o.span().end;
    if (node->print && node->print->complete())
      end = std::max(end, map.beatAt(node->extent().end));
    else if (const auto f = node->kind->loopFigures({o, map}); f && f->diesAt)
      end = std::max(end, *f->diesAt);
    const Beats begin = o.start - map.meterAt(o.start).barLength();
    r = {map.frameAt(begin), map.frameAt(map.barStart(map.barAt(end + Beats(kTicksPerQuarter / 2)).bar + 1))};
  } else if (const Landing* l = score_->landing()) {
    const Beats bar = map.meterAt(l->at).barLength();
    r = map.frames({l->at - bar * 2, l->at + bar * 2});
  }
  r.begin = std::max(r.begin, Frames(0));
  return r.length() > 64 ? std::optional(r) : std::nullopt;
}

void MainWindow::loopChanged(bool on) {
  if (!session_.isOpen()) return;
  session_.player().setLoop(on ? loopRange() : std::nullopt);
}

void MainWindow::audition() {
  if (session_.chosen().empty()) return;
  action(QStringLiteral("loop"))->setChecked(true);
  const auto r = loopRange();
  session_.player().setLoop(r);
  if (r) session_.player().play(r->begin);
  head_->tick();
}

void MainWindow::paste(Ornament o, const QString& label) {
  o.id = freshOrnamentId(session_.song());
  const QString name = kindWord(o.kind);
  session_.edit(tr("%1 of %2").arg(label, name), withOrnament(session_.song(), std::move(o)));
  session_.settle();
}

void MainWindow::duplicateToNextLanding() {
  const Ornament* found = session_.song().ornament(score_->ornamentAtCaret());
  if (!found) return;
  Ornament o = *found;
  const auto all = session_.song().allLandings();
  // Its own landing: what it is tied to, else the next one after it begins.
  const auto own = std::find_if(all.begin(), all.end(),
                                [&](const Landing& l) { return o.landing ? l.id == *o.landing : l.at > o.start; });
  if (own == all.end() || own + 1 == all.end()) {
    measure_->say(tr("There is no landing after this one."), false);
    return;
  }
  o.start = o.start + ((own + 1)->at - own->at);
  if (o.landing) o.landing = (own + 1)->id;
  paste(std::move(o), tr("duplicate"));
}

// ---------------------------------------------------------------- files

void MainWindow::openDialog() {
  const QString f = QFileDialog::getOpenFileName(this, tr("Open a song"), {}, tr("Ivrin songs (*.ivrin)"));
  if (!f.isEmpty()) session_.open(pathOf(f));
}

bool MainWindow::saveNow() {
  return session_.file().empty() ? saveDialog() : session_.save(session_.file());
}

bool MainWindow::saveDialog() {
  QString f = QFileDialog::getSaveFileName(this, tr("Save the song"), QString::fromStdString(session_.file().string()),
                                           tr("Ivrin songs (*.ivrin)"));
  if (f.isEmpty()) return false;
  if (!f.endsWith(QLatin1String(".ivrin"))) f += QStringLiteral(".ivrin");
  return session_.save(pathOf(f));
}

void MainWindow::exportDialog() {
  const fs::path beside = session_.file().empty() ? fs::current_path() : session_.file().parent_path() / "prints";
  ExportDialog d(QString::fromStdString(beside.string()), this);
  d.setObjectName(QStringLiteral("exportDialog"));
  if (d.exec() == QDialog::Accepted && !d.folder().isEmpty()) session_.exportTo(pathOf(d.folder()), d.options());
}

void MainWindow::askTempoFor(const QStringList& files) {
  bool ok = false;
  const double bpm =
      QInputDialog::getDouble(this, tr("New song"), tr("Tempo, quarter notes per minute"), 120, 20, 400, 2, &ok);
  if (ok) newFromFiles(files, bpm);
}

void MainWindow::newFromFiles(const QStringList& files, double bpm) {
  std::vector<fs::path> paths;
  for (const QString& f : files) paths.push_back(pathOf(f));
  session_.begin(paths, bpm);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
  QStringList files;
  for (const QUrl& u : e->mimeData()->urls())
    if (u.isLocalFile()) files << u.toLocalFile();
  e->acceptProposedAction();
  if (files.size() == 1 && files.front().endsWith(QLatin1String(".ivrin")))
    session_.open(pathOf(files.front()));
  else if (!files.isEmpty())
    QTimer::singleShot(0, this, [this, files] { askTempoFor(files); }); // the drop must end before a dialog begins
}

void MainWindow::closeEvent(QCloseEvent* e) {
  if (asks_ && session_.isOpen() && session_.history().changedSinceSave()) {
    const auto answer = QMessageBox::question(
        this, tr("Unsaved changes"), tr("Save the changes to “%1”?").arg(QString::fromStdString(session_.song().title)),
        QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Save);
    if (answer == QMessageBox::Cancel || (answer == QMessageBox::Save && !saveNow())) {
      e->ignore();
      return;
    }
    if (answer == QMessageBox::Discard) session_.forgetEdits();
  }
  if (session_.isOpen()) session_.player().stop();
  e->accept();
}

// ---------------------------------------------------------------- looks

void MainWindow::setNight(bool on) {
  setPaper(on);
  action(QStringLiteral("night"))->setChecked(on);
  applyPaper();
}

void MainWindow::applyPaper() {
  const Palette& c = paper();
  QPalette p;
  p.setColor(QPalette::Window, c.paper);
  p.setColor(QPalette::Base, c.card);
  p.setColor(QPalette::AlternateBase, c.margin);
  p.setColor(QPalette::Button, c.margin);
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
    p.setColor(role, c.ink);
  p.setColor(QPalette::Disabled, QPalette::ButtonText, c.quiet);
  p.setColor(QPalette::Disabled, QPalette::Text, c.quiet);
  p.setColor(QPalette::Disabled, QPalette::WindowText, c.quiet);
  p.setColor(QPalette::ToolTipBase, c.card);
  p.setColor(QPalette::Highlight, c.ink);
  p.setColor(QPalette::HighlightedText, c.card);
  p.setColor(QPalette::PlaceholderText, c.quiet);
  QApplication::setPalette(p);
  head_->refresh();
  for (QWidget* w : findChildren<QWidget*>()) w->update();
  update();
}

void MainWindow::showKeys() {
  QString html = QStringLiteral("<table cellpadding=3>");
  for (const auto& [menu, entries] : actions_->menus()) {
    html += QStringLiteral("<tr><td colspan=2><b>%1</b></td></tr>").arg(menu);
    for (const QAction* a : entries)
      if (a && !a->shortcut().isEmpty())
        html +=
            QStringLiteral("<tr><td>%1&nbsp;&nbsp;</td><td>%2</td></tr>")
                .arg(a->shortcut().toString(QKeySequence::NativeText), QString(a->text()).remove('&').toHtmlEscaped());
  }
  html += QStringLiteral("</table>");
  QMessageBox box(QMessageBox::NoIcon, tr("Keys"), html, QMessageBox::Close, this);
  box.setInformativeText(tr("In the score: arrows move by the grid and between rows, with Shift they select; Return "
                            "opens the ornament there. "
                            "The wheel scrolls, with Ctrl it zooms; Alt leaves the grid while dragging."));
  box.exec();
}

} // namespace ivrin::app
