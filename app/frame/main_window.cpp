#include "app/frame/main_window.h"
#include "app/score/second_click.h"

#include "app/actions/cell_actions.h"
#include "app/actions/help_actions.h"
#include "app/actions/look_actions.h"
#include "app/actions/ornament_actions.h"
#include "app/actions/output_actions.h"
#include "app/actions/place_actions.h"
#include "app/actions/read_actions.h"
#include "app/actions/room_actions.h"
#include "app/actions/row_actions.h"
#include "app/actions/selection_actions.h"
#include "app/actions/snap_actions.h"
#include "app/actions/travel_actions.h"
#include "app/frame/empty_page.h"
#include "app/frame/kept_views.h"
#include "app/openrow/open_row.h"
#include "app/openrow/open_title.h"
#include "app/theme/menu_letters.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"

#include <QCloseEvent>
#include <QFileInfo>
#include <QMenu>
#include <QMimeData>
#include <QSettings>
#include <QVBoxLayout>

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kTickMs = 16;

} // namespace

MainWindow::MainWindow(Session& session, std::filesystem::path demoSong)
    : session_(session)
    , actions_(new ActionRegistry(this))
    , score_(new ScoreView(session, this))
    , listening_(new Listening(session, *score_, *actions_))
    , form_(new FormLine(session, *score_, this))
    , measure_(new MeasureLine(session, *score_, this))
    , pages_(new QStackedWidget(this)) {
  listening_->setParent(this);
  const bool hasDemo = !demoSong.empty();
  const Desk desk{session_, *score_, *measure_, *actions_, *this};
  openings_ = new OpeningActions(desk, *listening_);
  sections_ = new SectionActions(desk);
  recipes_ = new RecipeActions(desk, *listening_, *openings_);
  room_ = new RoomActions(desk);
  grid_ = new GridActions(desk, *form_, *recipes_);
  files_ = new FileActions(desk, *recipes_, std::move(demoSong));
  stems_ = new StemActions(desk, *files_, *grid_);
  rows_ = new RowActions(desk);
  ornaments_ = new OrnamentActions(desk);
  cells_ = new CellActions(desk);
  places_ = new PlaceActions(desk, *form_);
  looks_ = new LookActions(desk);
  snap_ = new SnapActions(desk);
  outputs_ = new OutputActions(desk);
  setWindowTitle(QStringLiteral("Ivrin"));
  resize(1280, 800);
  setAcceptDrops(true);
  addActions();
  head_ = new HeadBar(session_, *actions_, *listening_, this);
  connect(head_, &HeadBar::tempoChosen, grid_, &GridActions::tryLikely);
  empty_ = emptyPage(this, hasDemo ? std::function<void()>([this] { files_->openDemo(); }) : nullptr,
                     [this] { action(QStringLiteral("new"))->trigger(); });
  layOut();
  connectSession();
  connectScore();
  tick_.setInterval(kTickMs);
  connect(&tick_, &QTimer::timeout, this, &MainWindow::tick);
  tick_.start();
  if (QMenu* song = head_->menu(tr("Song"))) song->insertMenu(action(QStringLiteral("save")), files_->recentMenu());
  head_->giveMenuLetters();
  snap_->apply();
  looks_->applyPaper();
  updateActions();
  if (auto* first = empty_->findChild<InkButton*>()) first->setFocus();
}

/// In the order in which the menus show them.
void MainWindow::addActions() {
  const QString song = tr("Song"), edit = tr("Edit"), place = tr("Place"), listen = tr("Listen"), travel = tr("Go"),
                view = tr("View");
  const Desk desk{session_, *score_, *measure_, *actions_, *this};
  files_->addActions(song);
  stems_->addFind(song);
  stems_->addStems(song);
  rows_->addActions(song);
  grid_->addActions(song);
  sections_->addActions(song);
  grid_->addNoteValues(song);
  stems_->addFile(song);
  files_->addExport(song);
  ornaments_->addActions(edit);
  cells_->addActions(edit);
  ornaments_->addClose(edit, *sections_);
  places_->addActions(place);
  recipes_->addActions(place);
  room_->addActions(place);
  listening_->addActions(listen);
  outputs_->addActions(listen);
  auto* travels = new TravelActions(desk);
  travels->addActions(travel);
  (new SelectionActions(desk))->addActions(travel);
  openings_->addActions(travel);
  travels->addCentre(travel);
  looks_->addActions(view);
  snap_->addActions(view);
  (new ReadActions(desk))
      ->addActions(view,
                   {[this] { return head_->positionText(); },
                    [this] {
                      return tr("%1 · monitor %2 dB").arg(head_->meterText()).arg(listening_->monitorDb(), 0, 'f', 1);
                    }});
  looks_->addPapers(view);
  (new HelpActions(desk))->addActions(tr("Help"));
}

void MainWindow::layOut() {
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
}

void MainWindow::connectSession() {
  connect(&session_, &Session::opened, this, &MainWindow::songOpened);
  connect(&session_, &Session::songChanged, this, &MainWindow::updateActions);
  connect(&session_, &Session::outputReplaced, listening_, &Listening::apply);
  connect(&session_, &Session::notice, this, [this](const QString& text, bool bad) { measure_->say(text, bad); });
  connect(&session_, &Session::progress, measure_, &MeasureLine::setProgress);
  connect(&session_.exports(), &Exports::exported, this,
          [this](const QString& text, bool ok) { measure_->say(text, !ok); });
  connect(measure_, &MeasureLine::cancelRequested, &session_, &Session::cancelWork);
  files_->leaving = [this] {
    if (keepsState_) storeView(session_, *score_);
  };
  ornaments_->copiedChanged = [this] { updateActions(); };
}

void MainWindow::connectScore() {
  for (auto signal : {&ScoreView::selectionChanged, &ScoreView::openChanged, &ScoreView::markedChanged})
    connect(score_, signal, this, &MainWindow::updateActions);
  connect(score_, &ScoreView::openChanged, new SecondClick(this), &SecondClick::moved);
  connect(score_, &ScoreView::auditionRequested, listening_, &Listening::audition);
  connect(score_, &ScoreView::handleHeld, listening_, &Listening::hold);
  connect(&score_->opened().tries(), &Tries::heardAnother, listening_, &Listening::audition);
  connect(&score_->opened().tries(), &Tries::changed, this, &MainWindow::updateActions);
  connect(form_, &FormLine::recipesWanted, recipes_, &RecipeActions::openAt);
  connect(score_, &ScoreView::aloneRequested, this, [this](bool on) {
    if (action(QStringLiteral("alone"))->isChecked() != on) action(QStringLiteral("alone"))->trigger();
  });
  // One state, by key, menu and mouse.
  connect(action(QStringLiteral("alone")), &QAction::toggled, this, [this](bool on) {
    if (OpenRow* row = score_->opened().row()) row->title().setAlone(on);
  });
  connect(score_->gridMark(), &QAbstractButton::clicked, this, [this] {
    QMenu menu;
    for (QAction* a : actions())
      if (a->property("sub").toString() == SnapActions::menuTitle()) menu.addAction(a);
    menu.exec(score_->gridMark()->mapToGlobal(QPoint(0, score_->gridMark()->height())));
  });
  connect(score_, &ScoreView::seekRequested, this, &MainWindow::seek);
}

void MainWindow::songOpened() {
  pages_->setCurrentIndex(1);
  score_->setFocus();
  measure_->say({}, false);
  listening_->apply();
  session_.setOrnamentsHeard(action(QStringLiteral("with"))->isChecked());
  const TempoMap& map = session_.plan()->map();
  const Beats at =
      score_->landing() ? score_->landing()->at - map.meterAt(score_->landing()->at).barLength() * 4 : Beats(0);
  session_.player().setPosition(map.frameAt(std::max(at, Beats(0))));
  files_->remember();
  if (keepsState_ && restoreView(session_, *score_))
    action(QStringLiteral("foldQuiet"))->setChecked(score_->viewState().foldsQuiet);
  updateActions();
}

void MainWindow::seek(Beats at) {
  const Frames f = session_.plan()->map().frameAt(at);
  if (session_.player().playing())
    session_.player().play(f);
  else
    session_.player().setPosition(f);
  score_->setFollows(true);
  score_->tick();
  head_->tick();
  form_->tick();
  measure_->tick();
}

void MainWindow::tick() {
  session_.tick();
  score_->tick();
  form_->tick();
  head_->tick();
  measure_->tick();
}

void MainWindow::closeEvent(QCloseEvent* e) {
  // What is to be saved first is saved by a job, after which the window closes.
  if (!mayClose_) {
    const auto later = std::make_shared<bool>(false);
    files_->leave([this, later] {
      mayClose_ = true;
      if (*later) close();
    });
    *later = true;
  }
  if (!std::exchange(mayClose_, false)) {
    e->ignore();
    return;
  }
  if (keepsState_) {
    storeView(session_, *score_);
    storeListening(*listening_, *actions_);
    QSettings set;
    set.setValue(QStringLiteral("window"), saveGeometry());
    set.setValue(QStringLiteral("song"), QString::fromStdString(session_.file().string()));
    set.setValue(QStringLiteral("grid"), snap_->text());
  }
  if (session_.isOpen()) session_.player().stop();
  e->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
  if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
  QStringList dropped;
  for (const QUrl& u : e->mimeData()->urls())
    if (u.isLocalFile()) dropped << u.toLocalFile();
  e->acceptProposedAction();
  stems_->drop(dropped);
}

/// The first window: all of it on the screen, the frame that the window manager puts around it included.
void MainWindow::fitScreen() {
  const QRect room = screen()->availableGeometry();
  constexpr int kFrame = 4, kTitle = 36; // more than common desktops take; what they take is known once it is shown
  resize(std::min(1280, room.width() - 2 * kFrame), std::min(800, room.height() - kTitle - kFrame));
  move(room.left() + (room.width() - width()) / 2 - kFrame, room.top() + (room.height() - height() - kTitle) / 2);
}

void MainWindow::keepState() {
  keepsState_ = true;
  const QSettings set;
  if (!restoreGeometry(set.value(QStringLiteral("window")).toByteArray())) fitScreen();
  measure_->setLeavesByItself(true);
  restoreListening(*listening_, *actions_);
  if (const QString grid = set.value(QStringLiteral("grid")).toString(); !grid.isEmpty()) snap_->setText(grid);
  looks_->keepState();
  outputs_->keepState();
  files_->keepState();
}

QString MainWindow::lastSong() {
  const QString f = QSettings().value(QStringLiteral("song")).toString();
  return QFileInfo::exists(f) ? f : QString();
}

void MainWindow::updateActions() {
  const bool open = session_.isOpen();
  static const QSet<QString> atAnyTime{"new", "open", "demo", "left", "quit", "output", "keys", "about", "night"};
  for (QAction* a : actions_->all()) {
    const QString id = a->objectName();
    a->setEnabled(open || atAnyTime.contains(id) || id.startsWith(QLatin1String("paper-")) ||
                  id.startsWith(QLatin1String("grid-")));
  }
  const History& h = session_.history();
  QAction *undo = action(QStringLiteral("undo")), *redo = action(QStringLiteral("redo"));
  undo->setEnabled(open && h.canUndo());
  redo->setEnabled(open && h.canRedo());
  retitleEntry(undo, h.canUndo() ? tr("Undo %1").arg(asText(h.undoLabel())) : tr("Undo"));
  retitleEntry(redo, h.canRedo() ? tr("Redo %1").arg(asText(h.redoLabel())) : tr("Redo"));
  action(QStringLiteral("paste"))->setEnabled(open && ornaments_->hasCopied());
  action(QStringLiteral("delete"))->setEnabled(!session_.chosen().empty() || !score_->hand().marked().empty());
  action(QStringLiteral("fourTries"))->setEnabled(!session_.chosen().empty());
  action(QStringLiteral("sourceHere"))->setEnabled(!session_.chosen().empty() && score_->selection());
  for (const char* slot : {"A", "B", "C", "D"})
    action(QStringLiteral("variant") + QString::fromLatin1(slot))->setEnabled(!session_.chosen().empty());
  action(QStringLiteral("findStems"))->setEnabled(open && !session_.stems().missing().empty());
  const QString title = QString::fromStdString(session_.song().title);
  const QString shown = title.isEmpty() ? tr("Untitled") : shortened(title, 80);
  setWindowTitle(
      open ? (session_.readOnly() ? tr("%1 (read only)[*] – Ivrin") : QStringLiteral("%1[*] – Ivrin")).arg(shown)
           : QStringLiteral("Ivrin[*]"));
  setWindowModified(open && h.changedSinceSave());
  if (open && action(QStringLiteral("loop"))->isChecked() && score_->selection()) listening_->renewLoop();
}

} // namespace ivrin::app
