#include "app/openrow/open_row.h"

#include "app/openrow/columns.h"
#include "app/openrow/measures.h"
#include "app/openrow/picking.h"
#include "app/words/ornament_look.h"
#include "manners/manners.h"

#include "app/openrow/open_drawing.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "song/edits.h"
#include "song/settings/setting_text.h"

#include <QApplication>
#include <QPainter>

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kHandleWords = 120; // what a handle is called stands beside it
constexpr int kBrace = 24;        // the column of braces, at the margin's left
constexpr int kFinish = 34, kPatterns = 26;
constexpr std::size_t kShared = 5; // numbers of a line that leave room for those of the whole

} // namespace

class OpenPanel : public QWidget {
 public:
  OpenPanel(const std::vector<OpenRow::Line>& lines, QWidget* parent)
      : QWidget(parent)
      , lines_(lines) {}
  /// Where the lines begin: below the tools for cells, where there are some.
  void setTop(int top) { top_ = top; }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    const Palette& c = paper();
    p.fillRect(rect(), c.card);
    p.setPen(QPen(c.barRule, 1));
    p.drawLine(scaled(24), 0, width(), 0);
    int y = top_ + scaled(4);
    for (const OpenRow::Line& line : lines_) {
      if (line.label == QObject::tr("ornament")) {
        p.setPen(QPen(c.beatRule, 1));
        p.drawLine(scaled(24), y + 1, width(), y + 1);
      }
      drawSongText(p, QPointF(scaled(34), y + scaled(19)), line.label, 15, true, c.quiet);
      if (!line.second.isEmpty() && line.secondAt < line.fields.size()) {
        const QRect next = line.fields[line.secondAt]->geometry();
        drawSongText(p, QPointF(next.left() - scaled(56), y + scaled(19)), line.second, 15, true, c.quiet);
      }
      y += scaled(kLine);
    }
    p.setPen(QPen(c.ink, 1.6));
    p.drawLine(0, height() - 1, width(), height() - 1);
  }

 private:
  const std::vector<OpenRow::Line>& lines_;
  int top_ = 0;
};

OpenRow::OpenRow(Session& session, Tries& tries, Faces faces, QWidget* parent)
    : session_(session)
    , faces_(std::move(faces))
    , parent_(parent)
    , title_(new OpenTitle(session, tries, faces_.sign, parent))
    , panel_(new OpenPanel(lines_, parent))
    , answers_(new Answers(session, parent))
    , patterns_(new PatternLine(session, panel_))
    , finish_(new FinishLine(session, panel_))
    , finishPanel_(new FinishPanel(session, panel_)) {
  connect(finish_, &FinishLine::openRequested, this, &OpenRow::openFinish);
  connect(finishPanel_, &FinishPanel::curveRequested, this,
          [this](const std::string& key) { emit curveRequested(key, finishPanel_->index()); });
  connect(finishPanel_, &FinishPanel::typed, parent_, [this] { parent_->setFocus(); });
  connect(title_, &OpenTitle::auditionRequested, this, &OpenRow::auditionRequested);
  connect(title_, &OpenTitle::aloneRequested, this, &OpenRow::aloneRequested);
  connect(title_, &OpenTitle::closeRequested, this, &OpenRow::closeRequested);
  connect(&session_, &Session::planChanged, this, [this] { updateSentence(); });
  connect(&session_.rows(), &RowFacts::chosenChanged, this, [this] {
    updateSentence();
    renewAnswers();
  });
}

OpenRow::~OpenRow() {
  for (QWidget* w : {static_cast<QWidget*>(title_), static_cast<QWidget*>(panel_), static_cast<QWidget*>(answers_)}) {
    w->hide();
    w->deleteLater();
  }
}

TableSpec OpenRow::wholeTable() const {
  TableSpec w;
  w.id = "whole";
  w.settings.push_back({.key = "gain_db",
                        .label = QT_TRANSLATE_NOOP("core", "gain"),
                        .unit = "dB",
                        .min = -60,
                        .max = 12,
                        .initial = 0.0,
                        .meaning = QT_TRANSLATE_NOOP("core", "Level of the whole ornament, after its finish."),
                        .group = "ornament",
                        .step = 0.5});
  w.settings.push_back(
      {.key = "bypass",
       .label = QT_TRANSLATE_NOOP("core", "bypass"),
       .type = type::yesNo,
       .initial = false,
       .meaning = QT_TRANSLATE_NOOP("core", "Plays the row without this ornament. Its settings are kept."),
       .group = "ornament"});
  w.settings.push_back(
      {.key = "hears",
       .label = QT_TRANSLATE_NOOP("core", "input"),
       .type = type::choice,
       .initial = "row",
       .meaning = QT_TRANSLATE_NOOP(
           "core", "Sound that the ornament works on: the row with earlier ornaments, or the dry row."),
       .group = "ornament",
       .choices = {"row", "dry"},
       .shown = {QT_TRANSLATE_NOOP("core", "row with earlier ornaments"), QT_TRANSLATE_NOOP("core", "dry")}});
  SettingSpec tied{.key = "landing",
                   .label = QT_TRANSLATE_NOOP("core", "tied to"),
                   .type = type::choice,
                   .initial = "nothing",
                   .meaning = QT_TRANSLATE_NOOP("core", "Landing that the ornament moves with."),
                   .group = "ornament",
                   .choices = {"nothing"},
                   .shown = {QT_TRANSLATE_NOOP("core", "not tied")},
                   .named = true};
  for (const Landing& l : session_.song().allLandings()) {
    std::string name = l.name;
    if (std::find(tied.choices.begin(), tied.choices.end(), name) != tied.choices.end() || name.empty())
      name += " " + std::to_string(session_.plan()->map().barAt(l.at).bar); // names may be had twice
    tied.choices.push_back(name);
  }
  w.settings.push_back(std::move(tied));
  return w;
}

Value OpenRow::wholeValue(const Ornament& o, const std::string& key) const {
  if (key == "gain_db") return o.gainDb;
  if (key == "bypass") return !o.enabled;
  if (key == "hears") return o.hears == Hears::dry ? "dry" : "row";
  for (std::size_t i = 0; i < landingIds_.size(); ++i)
    if (o.landing == landingIds_[i]) return wholeTable_.find("landing")->choices[i + 1];
  return "nothing";
}

int OpenRow::titleHeight() const {
  return scaled(36);
}
int OpenRow::panelHeight() const {
  // Room for an opened processor, too.
  return patternHeight() + std::max<int>(static_cast<int>(lines_.size()), 3) * scaled(kLine) + scaled(kFinish) +
         scaled(8);
}
int OpenRow::patternHeight() const {
  return hasCells_ ? scaled(kPatterns) : 0;
}

void OpenRow::show() {
  shown_ = true;
  title_->show();
  panel_->show();
}

void OpenRow::hide() {
  shown_ = false;
  title_->hide();
  panel_->hide();
  answers_->hide();
}

void OpenRow::focusNumbers() {
  NumberField* f = field(lastField_);
  if (!f && !fields_.empty()) f = fields_.front();
  if (!f && !whole_.empty()) f = whole_.front();
  if (f) f->setFocus(Qt::ShortcutFocusReason);
}

bool OpenRow::hasFocus() const {
  const QWidget* at = QApplication::focusWidget();
  return at && (panel_->isAncestorOf(at) || title_->isAncestorOf(at));
}

void OpenRow::build(const TableSpec& table) {
  retire(fields_);
  retire(whole_);
  lines_.clear();
  if (tableId_ != table.id) lastField_.clear();
  tableId_ = table.id;
  const Kind* kind = allKinds().find(table.id);
  hasCells_ = kind && kind->cuts();
  learnLandings();
  const auto add = [&](const SettingSpec& spec, const QString& line, bool whole) {
    auto* f = new NumberField(spec, panel_);
    (whole ? whole_ : fields_).push_back(f);
    // The numbers of the whole share the kind's last line where they fit.
    if (whole && lines_.size() >= 3 && lines_.back().label != line && lines_.back().second.isEmpty() &&
        lines_.back().fields.size() <= kShared) {
      lines_.back().second = line;
      lines_.back().secondAt = lines_.back().fields.size();
    }
    if (lines_.empty() || (lines_.back().label != line && lines_.back().second != line)) lines_.push_back({line, {}});
    lines_.back().fields.push_back(f);
    connect(f, &NumberField::changed, this, [this, f, whole](const Value& v, bool merge) {
      whole ? setWhole(f->spec(), v, merge) : set(f->spec(), v, merge);
    });
    connect(f, &NumberField::curveRequested, this, [this, key = spec.key] { emit curveRequested(key, -1); });
    connect(f, &NumberField::choiceRequested, this, [this, f] { offerPicks(f, session_); });
    connect(f, &NumberField::settled, this, [this] { session_.settle(); });
    connect(f, &NumberField::focused, this, [this, key = spec.key] { lastField_ = key; });
    connect(f, &NumberField::typed, parent_, [this] { parent_->setFocus(); });
    connect(f, &NumberField::refused, this, [this](const QString& why) {
      emit session_.notice(capital(tr("%1, %2").arg(kindWord(ornament_.kind), why)), true);
    });
    f->show();
  };
  // Settings of the limits share the last line with what every ornament has.
  for (const SettingSpec& s : table.settings)
    if (s.group != "limits") add(s, asWords(s.group), false);
  for (const SettingSpec& s : table.settings)
    if (s.group == "limits") add(s, tr("ornament"), false);
  for (const SettingSpec& s : wholeTable_.settings) add(s, tr("ornament"), true);
  std::vector<NumberField*> all = fields_;
  all.insert(all.end(), whole_.begin(), whole_.end());
  // The numbers first, then what works on cells, then the finish.
  QWidget* before = panel_;
  for (QWidget* w : std::vector<QWidget*>(all.begin(), all.end())) {
    QWidget::setTabOrder(before, w);
    before = w;
  }
  QWidget::setTabOrder(before, patterns_);
  QWidget::setTabOrder(patterns_, finish_);
  jumpByLetter(all, this, [this](const QString& words) { emit session_.notice(words, false); });
}

/// The choices of "tied to" follow the landings and their names.
void OpenRow::learnLandings() {
  wholeTable_ = wholeTable();
  landingIds_.clear();
  for (const Landing& l : session_.song().allLandings()) landingIds_.push_back(l.id);
}

void OpenRow::setOrnament(const Ornament& o) {
  const Kind* kind = allKinds().find(o.kind);
  if (tableId_ != o.kind) {
    build(kind->table());
  } else {
    const auto was = wholeTable_.find("landing")->choices;
    learnLandings();
    if (wholeTable_.find("landing")->choices != was)
      if (NumberField* tied = field("landing")) tied->setSpec(*wholeTable_.find("landing"));
  }
  ornament_ = o;
  const TempoMap& map = session_.plan()->map();
  const Manners* manners = mannersOf(o.kind);
  for (NumberField* f : fields_) {
    f->setHeard(!manners || manners->isHeard(o.settings, f->spec().key));
    f->setPlace(map, o.start);
    f->setValue(settingOr(kind->table(), o.settings, f->spec().key));
  }
  for (NumberField* f : whole_) f->setValue(wholeValue(o, f->spec().key));
  layFields();
  title_->setOrnament(o);
  patterns_->setOrnament(o);
  finish_->setOrnament(o);
  finishPanel_->show(o, finish_->opened());
  updateSentence();
  renewAnswers();
}

void OpenRow::warm(const Ornament& o, int width) {
  setOrnament(o);
  place(QRect(0, 0, width, titleHeight() + panelHeight()));
  for (QWidget* w : {static_cast<QWidget*>(title_), static_cast<QWidget*>(panel_)}) w->grab();
  hide();
}

void OpenRow::renewAnswers() {
  if (underCurve_ || !shown_) {
    answers_->hide();
    return;
  }
  answers_->renew(ornament_.id);
  placeAnswers();
}

void OpenRow::updateSentence() {
  const Ornament* o = session_.song().ornament(ornament_.id);
  if (!o || !session_.plan()) return;
  sentence_ =
      sentenceOf(*faces_.drawing(o->kind), {axis_, QRectF(), session_, *o, session_.plan()->node(o->id)}, warns_);
  title_->setSentence(sentence_, warns_);
}

void OpenRow::setView(const TimeAxis& axis, const QRect& drawing) {
  axis_ = axis;
  drawing_ = drawing;
  placeAnswers();
}

void OpenRow::placeAnswers() {
  if (answers_->isHidden()) return;
  const QRect& area = drawing_;
  const auto& f = session_.rows().chosen();
  const Collision* what = f ? toAnswer(*f) : nullptr;
  if (!what) return;
  // Beside the phrase it meets; what lies over another row does so mostly from its start on.
  const double end =
      axis_.xOf(session_.plan()->map().beatAt(what->row.empty() ? what->frames.end : what->frames.begin));
  answers_->adjustSize();
  const int x = std::clamp(static_cast<int>(end) + scaled(10), area.left() + scaled(4),
                           std::max(area.left() + scaled(4), area.right() - answers_->width()));
  // Over the drawing's foot where handles and what they are called lie at its head.
  const QRect atHead(QPoint(x, area.top() + scaled(7)), answers_->size());
  const QRect atFoot = atHead.translated(0, area.height() - answers_->height() - scaled(32));
  const Ornament* o = session_.song().ornament(ornament_.id);
  const auto meets = [&, handles = o ? faces_.drawing(o->kind)->handles(
                                           {axis_, QRectF(area), session_, *o, session_.plan()->node(o->id)})
                                     : std::vector<OpenHandle>()](const QRect& place) {
    return std::any_of(handles.begin(), handles.end(), [&](const OpenHandle& h) {
      return h.rect.adjusted(0, 0, scaled(kHandleWords), 0).intersects(QRectF(place));
    });
  };
  answers_->setGeometry(meets(atHead) && !meets(atFoot) ? atFoot : atHead);
  answers_->raise();
}

void OpenRow::openFinish(int index) {
  finish_->setOpened(index);
  const Ornament* o = session_.song().ornament(ornament_.id);
  if (o) finishPanel_->show(*o, index);
}

bool OpenRow::closeFinish() {
  if (finish_->opened() < 0) return false;
  openFinish(-1);
  return true;
}

void OpenRow::setCurveShown(const CurveTarget& target) {
  underCurve_ = !target.key.empty();
  for (NumberField* f : fields_) f->setCurveShown(target.finish < 0 && f->spec().key == target.key);
  finishPanel_->setCurveShown(target.finish >= 0 && target.finish == finishPanel_->index() ? target.key
                                                                                           : std::string());
}

void OpenRow::place(const QRect& row) {
  row_ = row;
  title_->setGeometry(row.left(), row.top(), row.width(), titleHeight());
  panel_->setGeometry(row.left(), row.bottom() + 1 - panelHeight(), row.width(), panelHeight());
  // The brace of its bus goes on past them.
  for (QWidget* w : {static_cast<QWidget*>(title_), static_cast<QWidget*>(panel_)})
    w->setMask(w->rect().adjusted(scaled(kBrace), 0, 0, 0));
  finish_->setGeometry(0, panelHeight() - scaled(kFinish) - scaled(4), row.width(), scaled(kFinish) + scaled(2));
  panel_->setTop(patternHeight());
  patterns_->setVisible(hasCells_);
  patterns_->setGeometry(0, scaled(2), row.width(), patternHeight());
  finishPanel_->setGeometry(0, patternHeight(), row.width(),
                            panelHeight() - scaled(kFinish) - scaled(4) - patternHeight());
  layFields();
}

void OpenRow::layFields() {
  if (row_.isEmpty()) return;
  int y = patternHeight() + scaled(4);
  std::size_t most = 1; // one set of columns for all lines
  for (const Line& line : lines_) most = std::max(most, line.columns());
  const int width = row_.width() - scaled(kLabel) - scaled(14);
  const int each = std::min(scaled(118), width / static_cast<int>(most));
  for (const Line& line : lines_) {
    std::vector<InColumn> fields;
    for (std::size_t i = 0; i < line.fields.size(); ++i)
      fields.push_back(
          {line.fields[i], line.columnOf(i), !line.second.isEmpty() && i == line.secondAt ? scaled(60) : 0});
    layInColumns(fields, QRect(scaled(kLabel), y, width, scaled(kLine - 3)), each);
    y += scaled(kLine);
  }
}

NumberField* OpenRow::field(const std::string& key) const {
  for (const auto* list : {&fields_, &whole_})
    for (NumberField* f : *list)
      if (f->spec().key == key) return f;
  return nullptr;
}

void OpenRow::set(const SettingSpec& spec, const Value& v, bool merge) {
  const Ornament* o = session_.song().ornament(ornament_.id);
  if (!o) return;
  const QString name = kindWord(o->kind);
  session_.edit(tr("%1 of %2").arg(asWords(spec.label), name), withSetting(session_.song(), o->id, spec.key, v),
                merge ? "set-" + o->id + spec.key : std::string());
}

void OpenRow::setWhole(const SettingSpec& spec, const Value& v, bool merge) {
  const Ornament* found = session_.song().ornament(ornament_.id);
  if (!found) return;
  Ornament o = *found;
  if (spec.key == "gain_db") o.gainDb = *v.number();
  if (spec.key == "bypass") o.enabled = !*v.boolean();
  if (spec.key == "hears") o.hears = *v.text() == "dry" ? Hears::dry : Hears::row;
  if (spec.key == "landing") {
    o.landing.reset();
    for (std::size_t i = 0; i < landingIds_.size(); ++i)
      if (spec.choices[i + 1] == *v.text()) o.landing = landingIds_[i];
  }
  const QString name = kindWord(o.kind);
  session_.edit(tr("%1 of %2").arg(asWords(spec.label), name), withOrnamentReplaced(session_.song(), o),
                merge ? "whole-" + o.id + spec.key : std::string());
}

} // namespace ivrin::app
