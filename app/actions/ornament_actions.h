// These actions edit ornaments by key and menu: they copy, move, tie and bypass them, walk their handles and choose
// their variants.
#pragma once

#include "app/actions/action_group.h"
#include "app/actions/section_actions.h"

namespace ivrin::app {

class Face;

class OrnamentActions : public ActionGroup {
  Q_DECLARE_TR_FUNCTIONS(ivrin::app::OrnamentActions)
 public:
  using ActionGroup::ActionGroup;
  void addActions(const QString& menu);
  /// After those of the cells: what stands open or is selected goes, one at a time.
  void addClose(const QString& menu, SectionActions& sections);
  bool hasCopied() const { return !copied_.empty(); }
  std::function<void()> copiedChanged; // what can be done now is another

 private:
  void addTies(const QString& menu);
  void addMoves(const QString& menu);
  void addHandles(const QString& menu);
  void addVariants(const QString& menu);
  void addOwn(const QString& menu);
  void copy();
  /// `withSource`: what would hear nothing takes its sound from where it was copied.
  void paste(bool withSource = false);
  bool hearsNothing(const Ornament& o) const;
  void duplicateToNextLanding();
  void deleteInHand();
  void markAll();
  void markAtCaret();
  void toggleEnabled();
  void toggleTie();
  void sourceFromSelection();
  void sourceHome();
  void walkHandles(int step);
  void nextCurve();
  void toNumbersAndBack();
  void stepSetting(const Face& face, const char* key, int steps);
  void chooseVariant(const std::string& slot);
  void closeNext(SectionActions& sections);
  std::vector<Ornament> copied_;
  std::optional<std::pair<std::string, Beats>> warnedAt_; // that nothing sounds there
};

} // namespace ivrin::app
