#include "app/frame/main_window.h"

#include "app/dialogs/keys_page.h"
#include "app/dialogs/output_dialog.h"
#include "app/frame/recent_songs.h"
#include "app/openrow/open_row.h"
#include "app/openrow/open_title.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <QApplication>
#include <QCloseEvent>
#include <QCryptographicHash>
#include <QFileDialog>
#include <QFileInfo>
#include <QMimeData>
#include <QPointer>
#include <QSettings>
#include <QVBoxLayout>

#include <algorithm>

namespace ivrin::app {
namespace fs = std::filesystem;
namespace {

constexpr int kTickMs = 16;

} // namespace

MainWindow::MainWindow(Session& session, fs::path demoSong)
    : session_(session)
    , demoSong_(std::move(demoSong))
    , actions_(new ActionRegistry(this))
    , score_(new ScoreView(session, this))
    , listening_(new Listening(session, *score_, *actions_))
    , pages_(new QStackedWidget(this)) {
  listening_->setParent(this);
  setWindowTitle(QStringLiteral("Ivrin"));
  resize(1280, 800);
  setAcceptDrops(true);
  desktopIsDark_ = QApplication::palette().color(QPalette::Window).lightness() < 110;
  addActions();
  head_ = new HeadBar(session_, *actions_, *listening_, this);
  form_ = new FormLine(session_, *score_, this);
  connect(form_, &FormLine::recipesWanted, this, &MainWindow::openRecipesAt);
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

  session_.files().setMayReplace([window = QPointer(this)] { return !window || window->mayLeave(); });
  connect(&session_, &Session::opened, this, [this] {
    pages_->setCurrentIndex(1);
    score_->setFocus();
    measure_->say({}, false);
    listening_->apply();
    session_.setOrnamentsHeard(action(QStringLiteral("with"))->isChecked());
    const TempoMap& map = session_.plan()->map();
    const Beats at =
        score_->landing() ? score_->landing()->at - map.meterAt(score_->landing()->at).barLength() * 4 : Beats(0);
    session_.player().setPosition(map.frameAt(std::max(at, Beats(0))));
    if (keepsState_) {
      if (!session_.file().empty()) rememberSong(QString::fromStdString(session_.file().string()));
      restoreView();
      showRecent();
    }
    updateActions();
  });
  connect(&session_, &Session::songChanged, this, &MainWindow::updateActions);
  connect(&session_, &Session::outputReplaced, listening_, &Listening::apply);
  connect(&session_.findings(), &SongFindings::midiRead, this, &MainWindow::useMidi);
  connect(&session_, &Session::notice, this, [this](const QString& text, bool bad) { measure_->say(text, bad); });
  connect(&session_, &Session::progress, measure_, &MeasureLine::setProgress);
  connect(&session_.exports(), &Exports::exported, this,
          [this](const QString& text, bool ok) { measure_->say(text, !ok); });
  connectFiles();
  connect(measure_, &MeasureLine::cancelRequested, &session_, &Session::cancelWork);
  for (auto signal : {&ScoreView::selectionChanged, &ScoreView::openChanged, &ScoreView::markedChanged})
    connect(score_, signal, this, &MainWindow::updateActions);
  connect(score_, &ScoreView::auditionRequested, listening_, &Listening::audition);
  connect(score_, &ScoreView::handleHeld, listening_, &Listening::hold);
  connect(&score_->tries(), &Tries::heardAnother, listening_, &Listening::audition);
  connect(&score_->tries(), &Tries::changed, this, &MainWindow::updateActions);
  connect(score_, &ScoreView::aloneRequested, this, [this](bool on) {
    if (action(QStringLiteral("alone"))->isChecked() != on) action(QStringLiteral("alone"))->trigger();
  });
  // One state, by key, menu and mouse.
  connect(action(QStringLiteral("alone")), &QAction::toggled, this, [this](bool on) {
    if (OpenRow* row = score_->openRow()) row->title().setAlone(on);
  });
  connect(score_->gridMark(), &QAbstractButton::clicked, this, [this] {
    QMenu menu;
    for (QAction* a : actions())
      if (a->property("sub").toString() == tr("Grid")) menu.addAction(a);
    menu.exec(score_->gridMark()->mapToGlobal(QPoint(0, score_->gridMark()->height())));
  });
  connect(score_, &ScoreView::seekRequested, this, [this](Beats at) {
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
  });
  tick_.setInterval(kTickMs);
  connect(&tick_, &QTimer::timeout, this, &MainWindow::tick);
  tick_.start();
  recent_ = new QMenu(tr("&Recent songs"), this);
  if (QMenu* song = head_->menu(tr("Song"))) song->insertMenu(action(QStringLiteral("save")), recent_);
  head_->giveMenuLetters();
  showRecent();
  applyGrid();
  applyPaper();
  updateActions();
  if (auto* first = empty_->findChild<InkButton*>()) first->setFocus();
}

void MainWindow::tick() {
  session_.tick();
  score_->tick();
  form_->tick();
  head_->tick();
  measure_->tick();
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
        const QString text = tr("Drop the stems of a song here, or start with one of these.");
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
  if (!demoSong_.empty()) add(tr("Open the demo song"), "empty-demo", [this] { openSong(demoSong_); });
  row->addSpacing(scaled(12));
  add(tr("Choose stems…"), "empty-stems", [this] { action(QStringLiteral("new"))->trigger(); });
  row->addStretch(1);
  column->addLayout(row);
  column->addStretch(4);
  return page;
}

void MainWindow::outputDialog() {
  OutputDialog d(session_.playback().devices(), session_.playback().choice(),
                 session_.isOpen() ? session_.song().sampleRate : 48000, this);
  d.setObjectName(QStringLiteral("outputDialog"));
  if (d.exec() != QDialog::Accepted) return;
  const OutputChoice c = d.choice();
  session_.outputs().choose(c);
  if (keepsState_) storeOutputChoice(c);
  if (session_.isOpen())
    measure_->say(tr("Listening through %1.").arg(QString::fromStdString(session_.output().name())), false);
}

void MainWindow::closeEvent(QCloseEvent* e) {
  if (!mayLeave()) {
    e->ignore();
    return;
  }
  storeView();
  if (keepsState_) {
    QSettings set;
    set.setValue(QStringLiteral("window"), saveGeometry());
    set.setValue(QStringLiteral("song"), QString::fromStdString(session_.file().string()));
    set.setValue(QStringLiteral("listening/click_db"), listening_->clickDb());
    set.setValue(QStringLiteral("listening/click_sound"), static_cast<int>(listening_->click().sound));
    set.setValue(QStringLiteral("listening/click_accent_db"), listening_->click().accentDb);
    set.setValue(QStringLiteral("listening/click_parts"), listening_->click().parts);
    set.setValue(QStringLiteral("listening/count_in"), listening_->countIn());
    set.setValue(QStringLiteral("listening/monitor_db"), listening_->monitorDb());
    set.setValue(QStringLiteral("listening/click"), action(QStringLiteral("click"))->isChecked());
    set.setValue(QStringLiteral("listening/equal"), action(QStringLiteral("equal"))->isChecked());
    set.setValue(QStringLiteral("grid"), gridText());
  }
  if (session_.isOpen()) session_.player().stop();
  e->accept();
}

/// The first window: all of it on the screen, the frame that the window manager puts around it included.
void MainWindow::fitScreen() {
  const QRect room = screen()->availableGeometry();
  constexpr int kFrame = 4, kTitle = 36; // more than common desktops take; what they take is known once it is shown
  resize(std::min(1280, room.width() - 2 * kFrame), std::min(800, room.height() - kTitle - kFrame));
  move(room.left() + (room.width() - width()) / 2 - kFrame, room.top() + (room.height() - height() - kTitle) / 2);
}

// ---------------------------------------------------------------- what is kept between runs

void MainWindow::keepState() {
  keepsState_ = true;
  const QSettings set;
  if (!restoreGeometry(set.value(QStringLiteral("window")).toByteArray())) fitScreen();
  measure_->setLeavesByItself(true);
  Click click;
  const int sound = set.value(QStringLiteral("listening/click_sound")).toInt();
  if (sound >= 0 && sound < static_cast<int>(kClickSounds.size())) click.sound = static_cast<ClickSound>(sound);
  click.accentDb = set.value(QStringLiteral("listening/click_accent_db"), click.accentDb).toDouble();
  click.parts = set.value(QStringLiteral("listening/click_parts"), click.parts).toInt();
  listening_->setClick(click);
  listening_->setCountIn(set.value(QStringLiteral("listening/count_in")).toInt());
  listening_->setClickDb(set.value(QStringLiteral("listening/click_db"), Click().levelDb).toDouble());
  listening_->setMonitorDb(set.value(QStringLiteral("listening/monitor_db"), 0).toDouble());
  action(QStringLiteral("click"))->setChecked(set.value(QStringLiteral("listening/click")).toBool());
  action(QStringLiteral("equal"))->setChecked(set.value(QStringLiteral("listening/equal")).toBool());
  const QString grid = set.value(QStringLiteral("grid")).toString();
  if (!grid.isEmpty()) setGridText(grid);
  setPaperChoice(set.value(QStringLiteral("paper"), QStringLiteral("desktop")).toString());
  showRecent();
}

QString MainWindow::lastSong() {
  const QString f = QSettings().value(QStringLiteral("song")).toString();
  return QFileInfo::exists(f) ? f : QString();
}

OutputChoice MainWindow::storedOutputChoice() {
  const QSettings set;
  return {set.value(QStringLiteral("output/device")).toString().toStdString(),
          set.value(QStringLiteral("output/rate"), 0).toInt(), set.value(QStringLiteral("output/buffer"), 256).toInt()};
}

void MainWindow::storeOutputChoice(const OutputChoice& c) {
  QSettings set;
  set.setValue(QStringLiteral("output/device"), QString::fromStdString(c.device));
  set.setValue(QStringLiteral("output/rate"), c.sampleRate);
  set.setValue(QStringLiteral("output/buffer"), c.bufferFrames);
}

namespace {
/// Where the view of a song is kept, by its path.
QString viewGroup(const fs::path& file) {
  const QByteArray digest =
      QCryptographicHash::hash(QByteArray::fromStdString(file.string()), QCryptographicHash::Sha1);
  return QStringLiteral("views/") + QString::fromLatin1(digest.toHex().left(16));
}
} // namespace

void MainWindow::storeView() {
  if (!keepsState_ || !session_.isOpen() || session_.file().empty()) return;
  const ViewState v = score_->viewState();
  QSettings set;
  set.beginGroup(viewGroup(session_.file()));
  set.setValue(QStringLiteral("left"), v.left);
  set.setValue(QStringLiteral("pixels_per_beat"), v.pxPerBeat);
  set.setValue(QStringLiteral("landing"), QString::fromStdString(v.landing));
  set.setValue(QStringLiteral("open"), QString::fromStdString(v.open));
  set.setValue(QStringLiteral("folds_quiet"), v.foldsQuiet);
  set.setValue(QStringLiteral("position"), static_cast<qlonglong>(session_.player().position().count));
  QStringList folded;
  for (const std::string& r : v.folded) folded << QString::fromStdString(r);
  set.setValue(QStringLiteral("folded"), folded);
}

void MainWindow::restoreView() {
  if (session_.file().empty()) return;
  QSettings set;
  set.beginGroup(viewGroup(session_.file()));
  if (!set.contains(QStringLiteral("left"))) return;
  ViewState v;
  v.left = set.value(QStringLiteral("left")).toDouble();
  v.pxPerBeat = set.value(QStringLiteral("pixels_per_beat")).toDouble();
  v.landing = set.value(QStringLiteral("landing")).toString().toStdString();
  v.open = set.value(QStringLiteral("open")).toString().toStdString();
  v.foldsQuiet = set.value(QStringLiteral("folds_quiet")).toBool();
  for (const QString& r : set.value(QStringLiteral("folded")).toStringList()) v.folded.insert(r.toStdString());
  score_->restore(v);
  action(QStringLiteral("foldQuiet"))->setChecked(v.foldsQuiet);
  session_.player().setPosition(Frames(set.value(QStringLiteral("position")).toLongLong()));
}

// ---------------------------------------------------------------- looks

void MainWindow::setPaperChoice(const QString& choice) {
  paperChoice_ = choice;
  setNight(choice == QLatin1String("night") || (choice == QLatin1String("desktop") && desktopIsDark_));
  for (const char* id : {"desktop", "day", "night"})
    action(QStringLiteral("paper-") + QString::fromLatin1(id))->setChecked(choice == QLatin1String(id));
  if (keepsState_) QSettings().setValue(QStringLiteral("paper"), choice);
}

void MainWindow::setNight(bool on) {
  setPaper(on);
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
  auto* page = findChild<KeysPage*>();
  if (!page) {
    page = new KeysPage(*actions_, this);
    page->setAttribute(Qt::WA_DeleteOnClose);
  }
  page->show();
  page->raise();
  page->activateWindow();
  page->search().setFocus();
}

} // namespace ivrin::app
