// An ActionGroup holds actions of the window that belong together, with the state between them. This file gives all
// groups the parts that they act on, and the one way in which they edit and offer.
#pragma once

#include "app/actions/action_registry.h"
#include "app/lines/measure_line.h"
#include "app/score/score_view.h"

#include <QCoreApplication>

namespace ivrin::app {

/// A path as a file dialog or a setting gives it.
std::filesystem::path pathOf(const QString& s);
std::vector<std::filesystem::path> pathsOf(const QStringList& all);

/// What every group acts on. It belongs to the window, and lives as long as that.
struct Desk {
  Session& session;
  ScoreView& score;
  MeasureLine& measure; // where every group says what it did
  ActionRegistry& registry;
  QWidget& window; // the parent of dialogs and menus
};

/// Actions that belong together, with the state between them. Adds them to the registry under a menu, and lives as long
/// as the window.
class ActionGroup : public QObject {
 public:
  explicit ActionGroup(const Desk& desk);

 protected:
  QAction* action(const char* id) const { return actions_->action(QString::fromLatin1(id)); }
  /// Where a new section or landing goes: the playhead while playing, else the caret.
  Beats here() const;
  /// The ornaments that the hand is on, by their starts.
  std::vector<Ornament> ornamentsInHand() const;
  /// An edit that is whole; none where it changes nothing.
  void edit(const QString& label, Song next);
  /// Offers to do the last step in another way: taking the offer undoes that step first. Where the song was edited
  /// since, nothing is done, and the line says so.
  void offerInstead(const QString& text, const QString& what, std::function<void()> does);

  Session& session_;
  ScoreView* score_;
  MeasureLine* measure_;
  ActionRegistry* actions_;
  QWidget* window_;
};

} // namespace ivrin::app
