// The window: the parts put together, the actions wired to them.
#pragma once

#include "app/actions/key_list.h"
#include "app/formline/form_line.h"
#include "app/frame/head_bar.h"
#include "app/frame/listening.h"
#include "app/frame/measure_line.h"
#include "app/score/score_view.h"

#include <QMainWindow>
#include <QStackedWidget>

namespace ivrin::app {

class Face;

std::filesystem::path pathOf(const QString& s);

class RecipeTrial;
class RecipeCard;

class MainWindow : public QMainWindow {
  Q_OBJECT
 public:
  /// `demoSong` may be empty where none is installed.
  MainWindow(Session& session, std::filesystem::path demoSong);

  Session& session() { return session_; }
  ScoreView& score() { return *score_; }
  HeadBar& head() { return *head_; }
  FormLine& form() { return *form_; }
  MeasureLine& measure() { return *measure_; }
  Listening& listening() { return *listening_; }
  QAction* action(const QString& id) const { return actions_->action(id); }
  QString keysAsMarkdown() const { return app::keysAsMarkdown(*actions_); }
  /// Off in tests: closing asks nothing.
  void setAsksBeforeClosing(bool on) { asks_ = on; }
  void setNight(bool on);
  /// "desktop", "day" or "night".
  void setPaperChoice(const QString& choice);
  /// Window, views, recent songs and choices are kept between runs; what was kept is taken up.
  void keepState();
  /// The song that was open last; empty when there is none.
  static QString lastSong();
  static OutputChoice storedOutputChoice();
  /// Asks about unsaved changes first.
  void openSong(const std::filesystem::path& file);
  /// "1/16", "1/8.", "1/4t" or "free".
  QString gridText() const;
  void setGridText(const QString& text);
  void newFromFiles(const QStringList& files);
  /// What moves by itself, drawn where it is now; 60 times a second.
  void tick();

 protected:
  void closeEvent(QCloseEvent*) override;
  void dragEnterEvent(QDragEnterEvent*) override;
  void dropEvent(QDropEvent*) override;

 private:
  void fitScreen();
  void addActions();
  void addSongActions(const QString& menu);
  void addEditActions(const QString& menu);
  void addOwnActions(const QString& menu);
  void addPatternActions(const QString& menu);
  void walkHandles(int step);
  void toNumbersAndBack();
  void stepSetting(const Face& face, const char* key, int steps);
  void addPlaceActions(const QString& menu);
  void addGridEdits(const QString& menu);
  void tempoDialog(Beats at, bool fromHere);
  QString whatMoved(bool onTheSound) const;
  void changeTempi(const QString& label, const Song& changed);
  void takeGrid(const QString& label, const QString& said, const Song& changed, bool onTheSound);
  void takeMidi(const std::filesystem::path& file);
  void useMidi(const MidiRead& read);
  void midiDialog();
  void meterDialog(Beats at);
  void connectGridMarks();
  void putBarOne(Beats at);
  void barOneHere();
  void addRowActions(const QString& menu);
  void editRows(const QString& label, Song next);
  std::optional<std::string> rowInHand();
  static QString audioFilter();
  void takeDropped(const QStringList& files);
  QStringList newWanted_; // dropped on an open song, and added to it: a new one may have been meant
  void addStemsDialog();
  void newEmptyRow();
  void newBus();
  void nameRow();
  void chooseRole();
  void chooseBus();
  void moveRow(int step);
  void removeRow();
  void noteValues();
  void askKey();
  void gridCheck();
  void toWorstOfGrid();
  QString gridWords(const std::vector<BarOffset>& offsets) const;
  void addSectionActions(const QString& menu);
  void proposeOrTakeSections();
  void tellSections();
  bool letProposedGo();
  bool sectionsWanted_ = false; // asked for by hand: what comes of it is said
  void addRecipeActions(const QString& menu);
  void openRecipes();
  void openRecipesAt(const std::string& landing);
  void showCard(const Landing& landing);
  void carryTransition();
  std::vector<std::string> ofTransition(const Landing& landing) const;
  void keepOwnRecipe();
  RecipeTrial* trial_ = nullptr;
  RecipeCard* card_ = nullptr;
  void addRoomActions(const QString& menu);
  void makeRoom();
  void openWide();
  std::string roomWanted_; // for this one, once it is measured what it covers
  void addSelectionActions(const QString& menu);
  bool selectionWanted();
  void selectLess();
  void putEdges(BeatRange to, const QString& said);
  void edgesToAttacks();
  void edgesToZero();
  void fromVowel();
  void addOpeningActions(const QString& menu);
  void stepOpening(int step);
  void showOpenings();
  bool openingsAwaited_ = false;                             // they are to be counted once they are there
  int openingWanted_ = 0;                                    // a step that waits for openings to be found
  std::optional<std::pair<Selection, Beats>> openingChosen_; // what was selected for the last one, and where that is
  void addTravelActions(const QString& menu);
  void addLookActions(const QString& menu);
  void addGridActions(const QString& menu);
  void addReadActions(const QString& menu);
  void updateActions();
  void applyGrid();
  void applyPaper();
  void openDialog();
  void newDialog();
  bool saveDialog();
  bool saveNow();
  void exportDialog();
  void outputDialog();
  bool mayLeave();
  void replaceSong(const std::function<void()>& open);
  void offerInstead(const QString& text, const QString& what, std::function<void()> does);
  void connectFiles();
  void offerLeft();
  void leftDialog();
  void findStems();
  void chooseStemFile(const std::string& row);
  void showRecent();
  void storeView();
  void restoreView();
  static void storeOutputChoice(const OutputChoice& c);
  std::vector<Ornament> ornamentsInHand() const;
  void deleteInHand();
  void paste();
  void duplicateToNextLanding();
  void toggleEnabled();
  void toggleTie();
  void sourceFromSelection();
  void chooseVariant(const std::string& slot);
  /// Where a new section or landing goes: the playhead while playing, else the caret.
  Beats here() const;
  void askLead();
  void showKeys();
  QWidget* emptyPage();

  Session& session_;
  std::filesystem::path demoSong_;
  ActionRegistry* actions_;
  HeadBar* head_;
  FormLine* form_;
  ScoreView* score_;
  Listening* listening_;
  MeasureLine* measure_;
  QStackedWidget* pages_;
  QWidget* empty_;
  QTimer tick_{this};
  bool asks_ = true;
  bool keepsState_ = false, desktopIsDark_ = false;
  QString paperChoice_ = QStringLiteral("desktop");
  QMenu* recent_ = nullptr;
  int gridValue_ = 16; // 1/16; 0 is free
  QString gridForm_;   // "", "." or "t"
  std::vector<Ornament> copied_;
  std::optional<Pattern> copiedPattern_;
};

} // namespace ivrin::app
