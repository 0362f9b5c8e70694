// The frame of an open ornament: its title above the drawing, its numbers below. The drawing itself is painted by the
// score on its beat axis, between the two.
#pragma once

#include "app/openrow/number_field.h"
#include "app/session/session.h"
#include "app/theme/ink_button.h"

#include <QWidget>

namespace ivrin::app {

class ScoreView;

class OpenRow : public QObject {
  Q_OBJECT
 public:
  OpenRow(Session& session, ScoreView* score);
  ~OpenRow() override;
  void setOrnament(const Ornament& o);
  /// The whole row; title and panel lay themselves at its top and bottom.
  void place(const QRect& row);
  void show();
  int titleHeight() const;
  int panelHeight() const;
  NumberField* field(const std::string& key) const;
  QString sentence() const { return sentence_; }
  bool sentenceWarns() const { return warns_; }
  const Ornament& ornament() const { return ornament_; }

 signals:
  void auditionRequested();
  void closeRequested();

 private:
  void build(const TableSpec& table);
  void set(const SettingSpec& spec, const Value& v, bool merge);
  void setWhole(const SettingSpec& spec, const Value& v, bool merge);
  void updateSentence();

  Session& session_;
  ScoreView* score_;
  QWidget* title_;
  QWidget* panel_;
  InkButton* audition_;
  InkButton* close_;
  std::vector<NumberField*> fields_, whole_;
  std::vector<std::pair<QString, std::vector<NumberField*>>> lines_;
  Ornament ornament_;
  std::string tableId_;
  QString sentence_;
  bool warns_ = false;
};

} // namespace ivrin::app
