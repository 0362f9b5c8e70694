// Every word of the window goes through a translator: a language of wide letters is put on, and whatever is still in
// plain ones has escaped. Names of the song are given in Greek, so that they are told apart.
#include "app/actions/action_registry.h"
#include "app/openrow/answers.h"
#include "app/openrow/finish_line.h"
#include "app/theme/type.h"
#include "app/words/core_words.h"
#include "finish/finisher.h"
#include "rig.h"
#include "slowest_event.h"
#include "song/settings/setting_text.h"
#include "test_support/places.h"
#include "words/words.h"

#include <QAbstractButton>
#include <QAction>
#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QPaintEngine>
#include <QRegularExpression>
#include <QTextBrowser>
#include <QTranslator>

#include <mutex>
#include <set>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

namespace {

/// "with %1" becomes "ｗｉｔｈ %1"; places, tags, entities and mnemonics stay.
QString widened(const QString& english) {
  static const QRegularExpression kept(QStringLiteral("%L?[0-9n]+|<[^>]*>|&[a-z]+;"));
  QString out = english;
  std::vector<bool> keep(static_cast<std::size_t>(out.size()));
  for (auto it = kept.globalMatch(english); it.hasNext();) {
    const auto m = it.next();
    std::fill_n(keep.begin() + m.capturedStart(), m.capturedLength(), true);
  }
  for (qsizetype i = 0; i < out.size(); ++i)
    if (const char16_t c = out[i].unicode();
        !keep[static_cast<std::size_t>(i)] && ((c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z')))
      out[i] = QChar(c + 0xFEE0);
  return out;
}

class WideLetters : public QTranslator {
 public:
  bool isEmpty() const override { return false; }
  QString translate(const char* context, const char* english, const char*, int) const override {
    if (std::string_view(context) == "core") {
      const std::lock_guard lock(mutex_);
      asked_.insert(english);
    }
    return widened(QString::fromUtf8(english));
  }
  /// What the core wanted translated.
  std::set<std::string> asked() const {
    const std::lock_guard lock(mutex_);
    return asked_;
  }

 private:
  mutable std::mutex mutex_; // the core asks from any thread
  mutable std::set<std::string> asked_;
};

/// What the sources say in string literals, those over several lines joined.
const std::string& sources() {
  static const std::string all = [] {
    std::string text;
    for (const char* folder : {"core", "app"})
      for (const auto& e : std::filesystem::recursive_directory_iterator(sourceFolder() / folder))
        if (e.path().extension() == ".cpp" || e.path().extension() == ".h") {
          std::ifstream in(e.path());
          text.append(std::istreambuf_iterator<char>(in), {});
        }
    return QString::fromStdString(text).remove(QRegularExpression(QStringLiteral("\"\\s*\\n\\s*\""))).toStdString();
  }();
  return all;
}

/// Remembers what is written on it.
class Paper : public QPaintDevice {
 public:
  explicit Paper(QSize size)
      : size_(size) {}
  QPaintEngine* paintEngine() const override { return &engine_; }
  const QStringList& texts() const { return engine_.texts; }

 protected:
  int metric(PaintDeviceMetric m) const override {
    switch (m) {
    case PdmWidth:
      return size_.width();
    case PdmHeight:
      return size_.height();
    case PdmDpiX:
    case PdmDpiY:
    case PdmPhysicalDpiX:
    case PdmPhysicalDpiY:
      return 96;
    case PdmDepth:
      return 32;
    case PdmNumColors:
      return 1 << 24;
    case PdmDevicePixelRatio:
      return 1;
    case PdmDevicePixelRatioScaled:
      return static_cast<int>(devicePixelRatioFScale());
    default:
      return 0;
    }
  }

 private:
  struct Engine : QPaintEngine {
    Engine()
        : QPaintEngine(AllFeatures) {}
    bool begin(QPaintDevice*) override { return true; }
    bool end() override { return true; }
    void updateState(const QPaintEngineState&) override {}
    void drawPixmap(const QRectF&, const QPixmap&, const QRectF&) override {}
    void drawImage(const QRectF&, const QImage&, const QRectF&, Qt::ImageConversionFlags) override {}
    void drawPath(const QPainterPath&) override {}
    void drawPolygon(const QPointF*, int, PolygonDrawMode) override {}
    void drawTextItem(const QPointF&, const QTextItem& item) override { texts << item.text(); }
    Type type() const override { return User; }
    QStringList texts;
  };
  QSize size_;
  mutable Engine engine_;
};

/// Units, letters that are marks of their own, and the test's output devices.
bool speaksAnyLanguage(const QString& word) {
  static const std::set<QString> all = {"dB",   "Hz",   "kHz",  "ms",     "s", "st",  "LU",   "LUFS",
                                        "dBTP", "MIDI", "Desk", "Phones", "Q", "WAV", "FLAC", "Ivrin"};
  return all.contains(word);
}

/// What stands there in plain letters: two or more of them, besides tags and paths.
class Escaped {
 public:
  void look(const QString& text, const QString& where) {
    static const QRegularExpression tag(QStringLiteral("<[^>]*>|&[a-z]+;|/[!-~]+")),
        word(QStringLiteral("[A-Za-z]{2,}"));
    QString plain = text;
    plain.remove(tag);
    for (auto it = word.globalMatch(plain); it.hasNext();)
      if (const QString found = it.next().captured(); !speaksAnyLanguage(found))
        found_.insert(found + " in " + where + ": " + text.left(70));
    seen_ += text.count(QRegularExpression(QStringLiteral("[\uFF21-\uFF5A]")));
  }
  void lookAt(QWidget& w) {
    Paper paper(w.size());
    watchSongText([this](const QString& t) { look(t, QStringLiteral("drawn")); });
    w.render(&paper);
    watchSongText({});
    for (const QString& t : paper.texts()) look(t, QStringLiteral("painted"));
    for (QWidget* child : w.findChildren<QWidget*>()) lookInto(*child);
    lookInto(w);
    for (QAction* a : w.findChildren<QAction*>()) {
      look(QString(a->text()).remove('&'), QStringLiteral("action"));
      look(a->toolTip(), QStringLiteral("tip"));
    }
  }
  const std::set<QString>& found() const { return found_; }
  qsizetype seen() const { return seen_; }

 private:
  void lookInto(QWidget& w) {
    const QString who = QString::fromLatin1(w.metaObject()->className()) + '/' + w.objectName();
    look(w.toolTip(), "tip of " + who);
    look(w.accessibleName(), "name of " + who);
    look(w.accessibleDescription(), "description of " + who);
    if (const auto* label = qobject_cast<QLabel*>(&w)) look(label->text(), who);
    if (const auto* button = qobject_cast<QAbstractButton*>(&w)) look(QString(button->text()).remove('&'), who);
    if (const auto* page = qobject_cast<QTextBrowser*>(&w)) look(page->toPlainText(), who);
    if (const auto* list = qobject_cast<QComboBox*>(&w))
      for (int i = 0; i < list->count(); ++i) look(list->itemText(i), who);
  }
  std::set<QString> found_;
  qsizetype seen_ = 0;
};

/// The small song with names that no English word is in.
std::filesystem::path greekSong(const TempFolder& dir) {
  const auto file = writeSmallSong(dir);
  std::ifstream in(file);
  Problems problems;
  const std::string text{std::istreambuf_iterator<char>(in), {}};
  Song s = *readSong(text, allKinds().registry(), problems);
  s.title = "Φάρος";
  for (Landing& l : s.sections) l.name = "Μέρος";
  s.landings = {{"l", Beats::ofQuarters(24), "Πτώση"}};
  for (Stem& stem : s.stems) stem.name = "Ω" + std::to_string(stem.name.size());
  s.buses[0].name = "Ψ";
  std::ofstream(file) << writeSong(s, allKinds().registry());
  return file;
}

struct WideRig {
  NotWatched notWatched; // letters that no font of ours has: others are looked through for each of them
  WideRig() {
    QCoreApplication::installTranslator(&letters);
    setTranslator([](std::string_view english) {
      return QCoreApplication::translate("core", std::string(english).c_str()).toStdString();
    });
    rig = std::make_unique<Rig>();
    rig->open(greekSong(dir));
  }
  ~WideRig() {
    rig.reset();
    QCoreApplication::removeTranslator(&letters);
    setTranslator(nullptr);
  }
  TempFolder dir;
  WideLetters letters;
  std::unique_ptr<Rig> rig;
};

void expectNone(const Escaped& e, qsizetype letters) {
  CHECK(e.seen() > letters); // it has looked
  std::string all;
  for (const QString& f : e.found()) all += "\n" + f.toStdString();
  INFO(all);
  CHECK(e.found().empty());
}

} // namespace

TEST_CASE("no word of the window escapes the translator", "[app][words]") {
  WideRig wide;
  Escaped escaped;
  Rig& rig = *wide.rig;
  rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
  rig.settleView();
  escaped.lookAt(*rig.window);
  expectNone(escaped, 2000);
}

TEST_CASE("no word of an open row escapes the translator, whatever its kind", "[app][words][heavy]") {
  WideRig wide;
  Rig& rig = *wide.rig;
  for (const Kind* k : allKinds().all()) {
    INFO(k->table().id);
    Escaped escaped;
    rig.placeOpen(k->table().id.c_str(), "voice", 8, 9.5);
    escaped.lookAt(*rig.window);
    for (const SettingSpec& s : k->table().settings) {
      for (const std::string& c : s.choices) escaped.look(QString::fromStdString(settingText(s, Value(c))), "choice");
      escaped.look(QString::fromStdString(settingTyping(s)), "typing of " + QString::fromStdString(s.key));
    }
    expectNone(escaped, 2000);
    rig.score().opened().close();
    rig.session->undo();
    rig.settle();
  }
}

TEST_CASE("no word of a finish escapes the translator, whatever its processors", "[app][words]") {
  WideRig wide;
  Rig& rig = *wide.rig;
  const std::string id = rig.placeOpen("delay-throw", "voice", 8, 9.5);
  std::vector<Processor> chain;
  for (const Finisher* f : allFinishers()) chain.push_back({f->table().id, {}});
  Ornament o = rig.ornament(id);
  o.finish = chain;
  rig.session->edit(QStringLiteral("αλυσίδα"), withOrnamentReplaced(rig.session->song(), o));
  rig.settle();
  for (int i = 0; i < static_cast<int>(chain.size()); ++i) {
    INFO(chain[static_cast<std::size_t>(i)].type);
    Escaped escaped;
    emit rig.score().opened().row()->finish().openRequested(i);
    rig.settleView();
    escaped.lookAt(*rig.window);
    expectNone(escaped, 2000);
  }
}

// Seven seconds: every action in three situations, with what it opens.
TEST_CASE("no word that an action says or asks escapes the translator", "[app][words][heavy]") {
  WideRig wide;
  Rig& rig = *wide.rig;
  Escaped escaped;
  // With nothing, with a selection, with an open ornament.
  for (int round = kSanitized ? 2 : 0; round < 3; ++round) {
    const QStringList ids = [&] {
      QStringList all;
      for (const QAction* a : rig.window->findChild<ActionRegistry*>()->all()) all << a->objectName();
      return all;
    }();
    for (const QString& id : ids) {
      if (id == "quit" || id == "close") continue;
      if (round == 1 && !rig.score().selection())
        rig.score().select(Selection{"voice", Beats::ofQuarters(8), Beats::ofQuarters(9.5)});
      if (round == 2 && !rig.score().opened().row()) { // placed, or pressed again
        rig.score().select(Selection{"keys", Beats::ofQuarters(8), Beats::ofQuarters(12)});
        rig.score().placeOnSelection("pulse");
        rig.settle();
        rig.score().opened().open(rig.session->chosen());
        rig.settle();
      }
      QAction* a = rig.window->findChild<ActionRegistry*>()->action(id);
      if (!a || !a->isEnabled()) continue;
      QTimer looks; // what comes up while the action is done, and what its jobs bring
      QObject::connect(&looks, &QTimer::timeout, [&] {
        if (QWidget* dialog = QApplication::activeModalWidget()) {
          if (!dialog->inherits("QFileDialog")) escaped.lookAt(*dialog);
          dialog->close();
        }
        if (QWidget* menu = QApplication::activePopupWidget()) {
          escaped.lookAt(*menu);
          menu->close();
        }
      });
      looks.start(0);
      a->trigger();
      rig.settle();
      looks.stop();
      escaped.look(rig.window->measure().said(), "said by " + id);
      for (QWidget* w : QApplication::topLevelWidgets())
        if (w != rig.window.get() && w->isVisible()) {
          escaped.lookAt(*w);
          w->close();
        }
      if (rig.session->song().stems.empty()) rig.open(wide.dir / "song.ivrin");
      rig.session->player().stop();
    }
    rig.score().opened().close();
    while (rig.session->history().canUndo()) rig.session->undo();
    rig.settle();
  }
  expectNone(escaped, kSanitized ? 2000 : 5000);
  // What is asked for is what a catalogue holds: texts of tables, and those marked in sources.
  const std::vector<std::string> tables = coreWords();
  int marked = 0;
  for (const std::string& text : wide.letters.asked()) {
    if (std::binary_search(tables.begin(), tables.end(), text)) continue;
    if (std::none_of(text.begin(), text.end(), [](unsigned char c) { return std::isalpha(c); })) continue;
    ++marked;
    INFO(text);
    CHECK(sources().find('"' + QString::fromStdString(text).replace('"', "\\\"").toStdString() + '"') !=
          std::string::npos);
  }
  CHECK(tables.size() > 500);
  CHECK(marked > 5);
}

namespace {

/// All kinds placed and pressed again, their tools, and a collision answered in every way: as the file would have it.
std::string workedOn(Rig& rig) {
  int n = 0;
  for (const Kind* k : allKinds().all()) {
    if (kSanitized && n++ % 4 != 0) continue;
    rig.placeOpen(k->table().id.c_str(), "voice", 8, 9.5);
    rig.score().placeOnSelection(QString::fromStdString(k->table().id));
    rig.settle();
    const bool cells = k->table().id == "pulse" || k->table().id == "stutter" || k->table().id == "glitch";
    for (const char* tool :
         cells ? std::vector<const char*>{"pattern-every", "pattern-sides", "pattern-thin", "pattern-accent"}
               : std::vector<const char*>{}) {
      rig.window->action(QString::fromLatin1(tool))->trigger();
      rig.settle();
    }
    rig.score().opened().close();
    rig.settle();
  }
  struct Meets {
    CollisionAnswer answer;
    const char* kind;
    double from, to;
  };
  for (const Meets& m :
       {Meets{CollisionAnswer::duck, "reverse-reverb", 16, 17}, Meets{CollisionAnswer::cut, "delay-throw", 12, 13},
        Meets{CollisionAnswer::shorten, "delay-throw", 1, 2}}) {
    const std::string id = rig.placeOpen(m.kind, "voice", m.from, m.to);
    REQUIRE_FALSE(id.empty());
    Ornament o = rig.ornament(id);
    if (m.answer == CollisionAnswer::duck) {
      o.settings["lead_beats"] = 8.0;
      o.settings["decay_seconds"] = 8.0;
    } else {
      o.settings["feedback_percent"] = 92.0;
      o.settings.erase("cut_at");
      o.settings["duck_db"] = 0.0;
    }
    rig.session->edit(QStringLiteral("α"), withOrnamentReplaced(rig.session->song(), o));
    rig.settle();
    rig.score().opened().row()->answers().answer(m.answer);
    rig.settle();
    INFO(m.kind);
    CHECK(rig.ornament(id) != o); // it was answered
    rig.score().opened().close();
    rig.settle();
  }
  Song s = rig.session->song();
  for (Stem& stem : s.stems) stem.file.reset(); // they lie in a folder of their own each
  return writeSong(s, allKinds().registry());
}

} // namespace

// Ten seconds: all kinds are worked on twice.
TEST_CASE("what is done in another language makes the same song", "[app][words][heavy]") {
  std::string wide, plain;
  {
    WideRig other;
    wide = workedOn(*other.rig);
  }
  {
    TempFolder dir;
    Rig rig;
    rig.open(greekSong(dir));
    plain = workedOn(rig);
  }
  CHECK(wide.size() > (kSanitized ? 3000 : 8000));
  CHECK(wide == plain);
}
