// Hands at the window that know no song and want nothing: they place, drag, type, drop, save, undo, rename, export and
// answer dialogs by chance, the same for the same seed. Whatever they do, what they look at afterwards must hold.
#pragma once

#include "audio/chance.h"
#include "rig.h"
#include "song/grid_edits.h"
#include "test_support/midi_bytes.h"

#include <QFileDialog>
#include <QInputDialog>
#include <QLineEdit>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QSpinBox>

#include <array>
#include <fstream>

namespace ivrin::app::test {

/// What is there to be dropped, opened and written over.
inline std::vector<std::filesystem::path> thingsToDrop(const std::filesystem::path& dir) {
  namespace fs = std::filesystem;
  const auto sound = noise(7, 0.2);
  fs::create_directories(dir / "more stems" / "deeper");
  writeWav(dir / "mono.wav", 44100, 1, 44100, sound);
  writeWav(dir / "stereo.wav", 48000, 2, 60000, sound);
  writeWav(dir / "low rate.wav", 8000, 1, 9000, sound);
  writeWav(dir / "more stems" / "a.wav", 48000, 1, 48000, sound);
  writeWav(dir / "more stems" / "deeper" / "b.wav", 96000, 2, 96000, sound);
  std::ofstream(dir / "empty.wav").flush();
  std::ofstream(dir / "text.flac") << "no sound at all";
  std::ofstream(dir / "notes.txt") << "nothing for a song";
  std::ofstream(dir / "grid.mid", std::ios::binary)
      << midiFile({MidiTrack().tempo(0, 31).meter(0, 3, 2).tempo(480 * 12, 200).meter(480 * 12, 7, 3)});
  std::ofstream(dir / "broken.mid", std::ios::binary) << "MThd and so on";
  std::ofstream(dir / "broken.ivrin") << R"({"format": "ivrin-song", "version": 1, "tempo": 7})";
  Song other;
  other.title = "Other";
  Stem stem;
  stem.id = "mono";
  stem.name = "Mono";
  stem.file = "mono.wav";
  other.stems.push_back(stem);
  std::ofstream(dir / "other.ivrin") << writeSong(other, allKinds().registry());
  std::vector<fs::path> all{dir / "not there.wav", dir / "more stems"};
  for (const auto& e : fs::directory_iterator(dir))
    if (e.is_regular_file() && !e.path().filename().string().starts_with("song")) all.push_back(e.path());
  std::sort(all.begin(), all.end());
  return all;
}

class Hands {
 public:
  Hands(Rig& rig, std::filesystem::path folder, std::uint64_t seed)
      : rig_(rig)
      , folder_(std::move(folder))
      , things_(thingsToDrop(folder_))
      , chance_(seed * 1000) {
    // What ends the window is left out.
    for (QAction* a : rig_.window->actions())
      if (a->objectName() != QLatin1String("quit")) actions_.push_back(a);
    keepAnswering();
    QObject::connect(rig_.session.get(), &Session::opened, &answers_, [this] { first_ = rig_.session->song(); });
    first_ = rig_.session->song();
  }
  std::size_t actions() const { return actions_.size(); }
  const std::string& did() const { return did_; }
  /// The song that the window's history began with.
  const Song& first() const { return first_; }

  void step() {
    static const std::vector<std::pair<int, void (Hands::*)()>> all = {
        {12, &Hands::place},      {20, &Hands::act},  {10, &Hands::drag},  {12, &Hands::pull},
        {10, &Hands::stepNumber}, {10, &Hands::type}, {14, &Hands::press}, {4, &Hands::drop},
        {3, &Hands::save},        {6, &Hands::undo},  {5, &Hands::rename}, {2, &Hands::exports},
        {4, &Hands::click},       {2, &Hands::size},  {2, &Hands::tempo},  {3, &Hands::meanwhile}};
    int sum = 0;
    for (const auto& [weight, does] : all) sum += weight;
    int pick = chance_.below(sum);
    for (const auto& [weight, does] : all)
      if ((pick -= weight) < 0) {
        did_.clear();
        (this->*does)();
        break;
      }
    if (!rig_.window->isVisible()) rig_.window->show();
  }

 private:
  Session& session() { return *rig_.session; }
  const Song& song() { return session().song(); }
  QPoint anywhere(const QWidget& w) {
    return {chance_.below(static_cast<std::size_t>(std::max(1, w.width()))),
            chance_.below(static_cast<std::size_t>(std::max(1, w.height())))};
  }

  void place() {
    const auto rows = song().rowsInScoreOrder();
    if (!session().isOpen() || rows.empty()) return;
    const double from = 0.25 * chance_.below(200) - 4;
    rig_.score().select(Selection{chance_.oneOf(rows), Beats::ofQuarters(from),
                                  Beats::ofQuarters(from + 0.25 * (1 + chance_.below(16)))});
    const auto& kind = chance_.oneOf(allKinds().all())->table().id;
    did_ = "place " + kind;
    rig_.score().placeOnSelection(QString::fromStdString(kind));
    if (chance_.below(2) == 0) session().waitUntilIdle();
  }
  void act() {
    QAction* a = chance_.oneOf(actions_);
    did_ = "action " + a->objectName().toStdString();
    if (a->isEnabled()) a->trigger();
  }
  void drag() {
    did_ = "drag";
    QWidget* w = chance_.below(5) == 0 ? static_cast<QWidget*>(rig_.window->findChild<FormLine*>()) : &rig_.score();
    static const std::vector<Qt::KeyboardModifiers> held = {Qt::NoModifier, Qt::NoModifier, Qt::ShiftModifier,
                                                            Qt::ControlModifier};
    rig_.drag(w, anywhere(*w), anywhere(*w), chance_.oneOf(held));
  }
  void pull() {
    if (!openSomething()) return;
    const auto all = rig_.score().opened().handles();
    if (all.empty()) return;
    const QString name = chance_.oneOf(all).name;
    did_ = "handle " + name.toStdString();
    const QPoint at = rig_.score().opened().handleRect(name).center().toPoint();
    rig_.drag(&rig_.score(), at, at + QPoint(chance_.below(300) - 150, chance_.below(120) - 60));
  }
  NumberField* anyNumber() {
    if (!openSomething()) return nullptr;
    const auto fields = rig_.window->findChildren<NumberField*>();
    std::vector<NumberField*> seen;
    for (NumberField* f : fields)
      if (f->isVisible()) seen.push_back(f);
    return seen.empty() ? nullptr : chance_.oneOf(seen);
  }
  void stepNumber() {
    NumberField* f = anyNumber();
    if (!f) return;
    did_ = "step " + f->spec().key;
    f->setFocus();
    const Qt::Key k = chance_.oneOf(std::vector{Qt::Key_Up, Qt::Key_Down, Qt::Key_PageUp, Qt::Key_PageDown});
    for (int i = 0; i < 1 + chance_.below(5); ++i) QTest::keyClick(f, k);
  }
  void type() {
    NumberField* f = anyNumber();
    if (!f) return;
    static const std::vector<const char*> texts = {"0",   "-60",  "1e9",     "1/64",   "16 bars", "nan",  "0.0001",
                                                   "120", "64",   "999999",  "-4",     "1/8.",    "3 ms", "100 200",
                                                   "",    "none", "1 2 3 4", "0.0005", "4/4",     "-0.5"};
    const char* text = chance_.oneOf(texts);
    did_ = "type " + f->spec().key + " = " + text;
    f->setFocus();
    QTest::keyClick(f, Qt::Key_Return);
    for (const char* c = text; *c && QApplication::focusWidget(); ++c) QTest::keyClick(QApplication::focusWidget(), *c);
    leaveField();
  }
  /// As a field is left: by Return, Tab, back, Escape, or not at all.
  void leaveField() {
    QWidget* at = QApplication::focusWidget();
    if (!at) return;
    static const std::vector<std::pair<Qt::Key, Qt::KeyboardModifiers>> ways = {{Qt::Key_Return, Qt::NoModifier},
                                                                                {Qt::Key_Tab, Qt::NoModifier},
                                                                                {Qt::Key_Backtab, Qt::ShiftModifier},
                                                                                {Qt::Key_Escape, Qt::NoModifier}};
    const auto& [key, held] = chance_.oneOf(ways);
    QTest::keyClick(at, key, held);
  }
  void press() {
    static const std::vector<int> keys = [] {
      std::vector<int> k;
      for (int c = Qt::Key_A; c <= Qt::Key_Z; ++c) k.push_back(c);
      for (int c = Qt::Key_0; c <= Qt::Key_9; ++c) k.push_back(c);
      for (const int c : {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down, Qt::Key_PageUp, Qt::Key_PageDown,
                          Qt::Key_Home, Qt::Key_End, Qt::Key_Space, Qt::Key_Return, Qt::Key_Escape, Qt::Key_Delete,
                          Qt::Key_Backspace, Qt::Key_Tab, Qt::Key_Plus, Qt::Key_Minus, Qt::Key_F2, Qt::Key_F6})
        k.push_back(c);
      return k;
    }();
    static const std::vector<Qt::KeyboardModifiers> held = {Qt::NoModifier, Qt::NoModifier, Qt::ShiftModifier,
                                                            Qt::ControlModifier,
                                                            Qt::ControlModifier | Qt::ShiftModifier};
    const auto key = static_cast<Qt::Key>(chance_.oneOf(keys));
    const Qt::KeyboardModifiers m = chance_.oneOf(held);
    if (key == Qt::Key_Q && m.testFlag(Qt::ControlModifier)) return;
    did_ = "key " + QKeySequence(QKeyCombination(m, key)).toString().toStdString();
    rig_.key(key, m);
  }
  void drop() {
    std::vector<std::filesystem::path> files;
    for (int i = 0; i <= chance_.below(3); ++i) files.push_back(chance_.oneOf(things_));
    did_ = "drop";
    QMimeData data;
    QList<QUrl> urls;
    for (const auto& f : files) {
      did_ += " " + f.filename().string();
      urls << QUrl::fromLocalFile(QString::fromStdString(f.string()));
    }
    data.setUrls(urls);
    QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(rig_.window.get(), &enter);
    QDropEvent e(QPointF(300, 300), Qt::CopyAction, &data, Qt::LeftButton, {});
    QApplication::sendEvent(rig_.window.get(), &e);
    QCoreApplication::processEvents();
  }
  void save() {
    did_ = "save";
    if (session().isOpen()) session().files().save(folder_ / chance_.oneOf(std::vector{"song.ivrin", "song 2.ivrin"}));
  }
  void undo() {
    const bool back = chance_.below(2) == 0;
    did_ = back ? "undo" : "redo";
    if (!session().isOpen()) return;
    for (int i = 0; i <= chance_.below(12); ++i) back ? session().undo() : session().redo();
  }
  void rename() {
    did_ = "rename";
    if (!session().isOpen()) return;
    if (chance_.below(2) == 0) openSomething();
    rig_.window->action(QStringLiteral("rename"))->trigger();
    for (const char* c = chance_.oneOf(std::vector{"Drop", "", "x", "Chorus 2"}); *c && QApplication::focusWidget();
         ++c)
      QTest::keyClick(QApplication::focusWidget(), *c);
    leaveField();
  }
  void exports() {
    did_ = "export";
    if (!session().isOpen()) return;
    ExportOptions o;
    o.stems = chance_.below(2) == 0;
    o.ornaments = true;
    o.to = Beats::ofQuarters(chance_.below(40));
    session().exports().exportTo(folder_ / "prints", o);
    if (chance_.below(2) == 0) session().cancelWork();
  }
  void click() {
    did_ = "click";
    const auto all = rig_.window->findChildren<QWidget*>();
    std::vector<QWidget*> seen;
    for (QWidget* w : all)
      if (w->isVisible() && w->window() == rig_.window.get()) seen.push_back(w);
    if (seen.empty()) return;
    QWidget* w = chance_.oneOf(seen);
    did_ += std::string(" ") + w->metaObject()->className();
    const QPoint at = anywhere(*w);
    if (chance_.below(3) == 0) {
      QContextMenuEvent e(QContextMenuEvent::Mouse, at, w->mapToGlobal(at));
      QApplication::sendEvent(w, &e);
    } else if (chance_.below(3) == 0) {
      turnWheel(*w, at, 120 * (chance_.below(7) - 3));
    } else {
      QTest::mouseClick(w, Qt::LeftButton, {}, at);
    }
  }
  void size() {
    did_ = "size";
    rig_.window->resize(700 + chance_.below(900), 420 + chance_.below(700));
  }
  /// To the ends of what tempi there are: what was short becomes shorter.
  void tempo() {
    if (!session().isOpen()) return;
    const double bpm = chance_.oneOf(std::vector{20.0, 31.0, 97.3, 400.0});
    did_ = "tempo " + std::to_string(bpm);
    const Song changed = withTempoFrom(song(), Beats(0), bpm);
    session().edit(QStringLiteral("tempo"),
                   chance_.below(2) == 0 ? changed : withGridCorrected(song(), changed.tempo, song().startSeconds));
    session().settle();
  }
  void meanwhile() {
    did_ = "rest";
    rig_.settle();
    if (session().isOpen() && rig_.devices->out) rig_.out().step(2048);
  }

  bool openSomething() {
    if (!session().isOpen() || !session().plan()) return false;
    if (rig_.score().opened().isOpen()) return true;
    const auto& all = song().ornaments;
    if (all.empty()) return false;
    rig_.score().opened().open(all[static_cast<std::size_t>(chance_.below(all.size()))]->id);
    return rig_.score().opened().isOpen();
  }

  /// Also while one answer waits for what it brought up.
  void keepAnswering() {
    QTimer::singleShot(1, &answers_, [this] {
      keepAnswering();
      answer();
    });
  }
  /// What stands over the window is dealt with: a few touches, then it is taken or left.
  void answer() {
    if (auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget())) {
      std::vector<QAction*> choices;
      for (QAction* a : menu->actions())
        if (a->isEnabled() && !a->isSeparator() && a->objectName() != QLatin1String("quit")) choices.push_back(a);
      if (!choices.empty() && chance_.below(2) == 0) {
        menu->setActiveAction(chance_.oneOf(choices));
        QTest::keyClick(menu, Qt::Key_Return);
      } else {
        QTest::keyClick(menu, Qt::Key_Escape);
      }
      return;
    }
    if (QWidget* popup = QApplication::activePopupWidget()) {
      popup->close();
      return;
    }
    auto* d = qobject_cast<QDialog*>(QApplication::activeModalWidget());
    if (!d) return;
    if (auto* files = qobject_cast<QFileDialog*>(d)) {
      const auto thing = chance_.oneOf(things_);
      files->selectFile(QString::fromStdString(
          (files->acceptMode() == QFileDialog::AcceptSave ? folder_ / "song 3.ivrin" : thing).string()));
    } else if (auto* box = qobject_cast<QMessageBox*>(d)) {
      const auto buttons = box->buttons();
      if (!buttons.isEmpty()) buttons[chance_.below(static_cast<std::size_t>(buttons.size()))]->click();
      return;
    } else if (auto* input = qobject_cast<QInputDialog*>(d)) {
      input->setTextValue(
          chance_.oneOf(std::vector{QStringLiteral("My own"), QString(), QStringLiteral("a/b \u266f")}));
    }
    for (auto* box : d->findChildren<QDoubleSpinBox*>())
      box->setValue(chance_.oneOf(std::vector{box->minimum(), box->maximum(), box->value()}));
    for (auto* box : d->findChildren<QSpinBox*>())
      box->setValue(chance_.oneOf(std::vector{box->minimum(), box->maximum(), box->value()}));
    if (chance_.below(3) > 0)
      QMetaObject::invokeMethod(d, "accept");
    else
      d->reject();
    if (d->isVisible() && ++stuck_ > 20) d->reject(); // it does not take that
    if (!d->isVisible()) stuck_ = 0;
  }

  Rig& rig_;
  std::filesystem::path folder_;
  std::vector<std::filesystem::path> things_;
  Chance chance_;
  std::vector<QAction*> actions_;
  QObject answers_;
  Song first_;
  std::string did_;
  int stuck_ = 0;
};

} // namespace ivrin::app::test
