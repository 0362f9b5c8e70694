// The OpenRow is the frame of an open ornament: its title above the drawing, its numbers below. The drawing itself is
// painted by the score on its beat axis, between the two.
#pragma once

#include "app/openrow/answers.h"
#include "app/openrow/curve_target.h"
#include "app/openrow/finish_line.h"
#include "app/openrow/finish_panel.h"
#include "app/openrow/number_field.h"
#include "app/openrow/open_drawing.h"
#include "app/openrow/open_title.h"
#include "app/openrow/pattern_line.h"

#include <QWidget>

#include <functional>
#include <memory>

namespace ivrin::app {

class OpenPanel;

class OpenRow : public QObject {
  Q_OBJECT
 public:
  /// How the drawing and the sign of a kind are had.
  struct Faces {
    std::function<std::unique_ptr<OpenDrawing>(const std::string& kind)> drawing;
    OpenTitle::SignOf sign;
  };
  OpenRow(Session& session, Tries& tries, Faces faces, QWidget* parent);
  ~OpenRow() override;
  void setOrnament(const Ornament& o);
  /// Made ready for an ornament and painted once, unseen: what is made for the first time takes longest.
  void warm(const Ornament& o, int width);
  /// The whole row; title and panel lay themselves at its top and bottom.
  void place(const QRect& row);
  const QRect& geometry() const { return row_; }
  void show();
  void hide();
  /// The keys go to the number that had them last, else to the first one.
  void focusNumbers();
  /// Whether the keys are anywhere in the row's frame.
  bool hasFocus() const;
  int titleHeight() const;
  int panelHeight() const;
  NumberField* field(const std::string& key) const;
  QString sentence() const { return sentence_; }
  bool sentenceWarns() const { return warns_; }
  const Ornament& ornament() const { return ornament_; }
  OpenTitle& title() const { return *title_; }
  Answers& answers() const { return *answers_; }
  FinishLine& finish() const { return *finish_; }
  PatternLine& patterns() const { return *patterns_; }
  FinishPanel& finishPanel() const { return *finishPanel_; }
  /// Opens a processor of the finish in place of the numbers; −1 closes it.
  void openFinish(int index);
  /// False where none was open.
  bool closeFinish();
  /// Marks the field whose curve is shown; empty: none.
  void setCurveShown(const CurveTarget& target);
  /// Where the view is, and where the drawing lies on it: the answers go beside the first collision.
  void setView(const TimeAxis& axis, const QRect& drawing);
  /// Offers what fits, unless a curve lies over the drawing.
  void renewAnswers();

 signals:
  void auditionRequested();
  void aloneRequested(bool on);
  void closeRequested();
  void curveRequested(const std::string& key, int finish);

 private:
  TableSpec wholeTable() const;
  Value wholeValue(const Ornament& o, const std::string& key) const;
  void build(const TableSpec& table);
  void set(const SettingSpec& spec, const Value& v, bool merge);
  void learnLandings();
  void setWhole(const SettingSpec& spec, const Value& v, bool merge);
  void layFields();
  void updateSentence();
  void placeAnswers();
  int patternHeight() const; // 0 where there are no cells

  Session& session_;
  Faces faces_;
  QWidget* parent_;
  TimeAxis axis_;
  QRect drawing_;
  bool shown_ = false, underCurve_ = false;
  OpenTitle* title_;
  OpenPanel* panel_;
  Answers* answers_;
  PatternLine* patterns_;
  FinishLine* finish_;
  FinishPanel* finishPanel_;
  TableSpec wholeTable_;                // what every ornament has besides the settings of its kind
  std::vector<std::string> landingIds_; // behind the choices of "tied to"
  std::vector<NumberField*> fields_, whole_;
  /// A line of numbers; where there is room it holds the numbers of the whole as well, after a word of their own.
  struct Line {
    QString label;
    std::vector<NumberField*> fields;
    QString second{};
    std::size_t secondAt = 0;
    std::size_t columns() const { return fields.size() + (second.isEmpty() ? 0 : 1); }
    std::size_t columnOf(std::size_t field) const { return field + (second.isEmpty() || field < secondAt ? 0 : 1); }
  };
  friend class OpenPanel;
  std::vector<Line> lines_;
  Ornament ornament_;
  QRect row_;
  std::string tableId_, lastField_;
  bool hasCells_ = false;
  QString sentence_;
  bool warns_ = false;
};

} // namespace ivrin::app
