#include "app/openrow/open_row.h"
#include "app/theme/ornament_look.h"

#include "app/openrow/open_drawing.h"
#include "app/score/score_view.h"
#include "app/theme/palette.h"
#include "app/theme/signs.h"
#include "app/theme/type.h"
#include "song/edits.h"

#include <QPainter>

namespace ivrin::app {
namespace {

constexpr int kLine = 40, kLabel = 112;

/// What every ornament has besides the settings of its kind.
const TableSpec& wholeTable() {
  static const TableSpec t = [] {
    TableSpec w;
    w.id = "whole";
    w.settings.push_back(
        {"gain_db", "level", "dB", SettingType::number, -60, 12, 0.0, "The ornament's own level.", "whole", 0.5});
    w.settings.push_back(
        {"enabled", "sounds", "", SettingType::boolean, 0, 0, true, "Whether it sounds at all.", "whole"});
    w.settings.push_back({"hears",
                          "hears",
                          "",
                          SettingType::choice,
                          0,
                          0,
                          "row",
                          "The row as earlier ornaments left it, or dry.",
                          "whole",
                          1,
                          {"row", "dry"}});
    return w;
  }();
  return t;
}

Value wholeValue(const Ornament& o, const std::string& key) {
  if (key == "gain_db") return o.gainDb;
  if (key == "enabled") return o.enabled;
  return o.hears == Hears::dry ? "dry" : "row";
}

class TitleStrip : public QWidget {
 public:
  TitleStrip(const OpenRow& row, const Session& session, QWidget* parent)
      : QWidget(parent)
      , row_(row)
      , session_(session) {}

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Palette& c = paper();
    p.fillRect(rect(), c.card);
    p.setPen(QPen(c.ink, 1.6));
    p.drawLine(0, 0, width(), 0);
    const Ornament& o = row_.ornament();
    const Kind* kind = allKinds().find(o.kind);
    if (!kind || !session_.plan()) return;
    const QColor colour = inkOf(o);
    drawSign(p, QString::fromStdString(o.kind), QRectF(scaled(116), height() / 2.0 - scaled(9), scaled(24), scaled(18)),
             colour);
    double x = scaled(146);
    const double y = height() / 2.0 + scaled(6);
    x += drawSongText(p, QPointF(x, y), QString::fromStdString(kind->table().name), 19, false, c.ink) + scaled(14);
    const TempoMap& map = session_.plan()->map();
    const auto place = [&](Beats b) {
      const BarPosition at = map.barAt(b);
      return QStringLiteral("%1.%2.%3")
          .arg(at.bar)
          .arg(at.beat)
          .arg(at.tick * 4 / map.meterAt(b).beatLength().ticks + 1);
    };
    QString of =
        o.name.empty()
            ? QObject::tr("%1 to %2").arg(place(o.start), place(o.span().end))
            : QObject::tr("of “%1”, %2 to %3").arg(QString::fromStdString(o.name), place(o.start), place(o.span().end));
    drawSongText(p, QPointF(x, y), of, 15, true, c.quiet);
    const double w = songTextWidth(row_.sentence(), 16, true);
    drawSongText(p, QPointF(width() - scaled(20) - w, y), row_.sentence(), 16, true,
                 row_.sentenceWarns() ? c.warning
                 : o.kind == "gap"    ? c.rust
                                      : c.blue);
  }

 private:
  const OpenRow& row_;
  const Session& session_;
};

class Panel : public QWidget {
 public:
  Panel(const std::vector<std::pair<QString, std::vector<NumberField*>>>& lines, QWidget* parent)
      : QWidget(parent)
      , lines_(lines) {}

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    const Palette& c = paper();
    p.fillRect(rect(), c.card);
    p.setPen(QPen(c.barRule, 1));
    p.drawLine(scaled(24), 0, width(), 0);
    int y = scaled(4);
    for (const auto& [label, fields] : lines_) {
      if (label == QObject::tr("whole")) {
        p.setPen(QPen(c.beatRule, 1));
        p.drawLine(scaled(24), y + 1, width(), y + 1);
      }
      drawSongText(p, QPointF(scaled(34), y + scaled(19)), label, 15, true, c.quiet);
      y += scaled(kLine);
    }
    p.setPen(QPen(c.ink, 1.6));
    p.drawLine(0, height() - 1, width(), height() - 1);
  }

 private:
  const std::vector<std::pair<QString, std::vector<NumberField*>>>& lines_;
};

} // namespace

OpenRow::OpenRow(Session& session, ScoreView* score)
    : session_(session)
    , score_(score)
    , title_(new TitleStrip(*this, session, score))
    , panel_(new Panel(lines_, score))
    , audition_(new InkButton(tr("audition"), title_))
    , close_(new InkButton(tr("close"), title_)) {
  audition_->setSerif(true);
  audition_->setTextPx(16);
  audition_->setToolTip(tr("Loop from a bar before the ornament to the end of its tail"));
  close_->setSerif(true);
  close_->setTextPx(16);
  close_->setToolTip(tr("Fold the row again (Esc)"));
  connect(audition_, &QAbstractButton::clicked, this, &OpenRow::auditionRequested);
  connect(close_, &QAbstractButton::clicked, this, &OpenRow::closeRequested);
  connect(&session_, &Session::planChanged, this, [this] { updateSentence(); });
  connect(&session_, &Session::factsChanged, this, [this] { updateSentence(); });
}

OpenRow::~OpenRow() {
  title_->hide();
  title_->deleteLater();
  panel_->hide();
  panel_->deleteLater();
}

int OpenRow::titleHeight() const {
  return scaled(36);
}
int OpenRow::panelHeight() const {
  return static_cast<int>(lines_.size()) * scaled(kLine) + scaled(8);
}

void OpenRow::show() {
  title_->show();
  panel_->show();
}

void OpenRow::build(const TableSpec& table) {
  qDeleteAll(fields_);
  qDeleteAll(whole_);
  fields_.clear();
  whole_.clear();
  lines_.clear();
  tableId_ = table.id;
  const auto add = [&](const SettingSpec& spec, const QString& line, bool whole) {
    auto* f = new NumberField(spec, panel_);
    (whole ? whole_ : fields_).push_back(f);
    if (lines_.empty() || lines_.back().first != line) lines_.push_back({line, {}});
    lines_.back().second.push_back(f);
    connect(f, &NumberField::changed, this, [this, &spec, whole](const Value& v, bool merge) {
      whole ? setWhole(spec, v, merge) : set(spec, v, merge);
    });
    connect(f, &NumberField::settled, this, [this] { session_.settle(); });
    connect(f, &NumberField::refused, this, [this](const QString& why) { emit session_.notice(why, true); });
    f->show();
  };
  // Settings of the limits share the last line with what every ornament has.
  for (const SettingSpec& s : table.settings)
    if (s.group != "limits") add(s, QString::fromStdString(s.group), false);
  for (const SettingSpec& s : table.settings)
    if (s.group == "limits") add(s, tr("whole"), false);
  for (const SettingSpec& s : wholeTable().settings) add(s, tr("whole"), true);
}

void OpenRow::setOrnament(const Ornament& o) {
  const Kind* kind = allKinds().find(o.kind);
  if (tableId_ != o.kind) build(kind->table());
  ornament_ = o;
  const TempoMap& map = session_.plan()->map();
  for (NumberField* f : fields_) {
    f->setPlace(map, o.start);
    f->setValue(settingOr(kind->table(), o.settings, f->spec().key));
  }
  for (NumberField* f : whole_) f->setValue(wholeValue(o, f->spec().key));
  updateSentence();
  title_->update();
}

void OpenRow::updateSentence() {
  const Ornament* o = session_.song().ornament(ornament_.id);
  if (!o || !session_.plan()) return;
  const TimeAxis& axis = score_->axis();
  sentence_ = openDrawing(o->kind)->sentence({axis, QRectF(), session_, *o, session_.plan()->node(o->id)}, warns_);
  title_->update();
}

void OpenRow::place(const QRect& row) {
  title_->setGeometry(row.left(), row.top(), row.width(), titleHeight());
  panel_->setGeometry(row.left(), row.bottom() + 1 - panelHeight(), row.width(), panelHeight());
  const int middle = titleHeight() / 2 - scaled(12);
  audition_->setGeometry(scaled(560), middle, audition_->sizeHint().width(), scaled(24));
  close_->setGeometry(audition_->geometry().right() + scaled(16), middle, close_->sizeHint().width(), scaled(24));
  int y = scaled(4);
  for (const auto& [label, fields] : lines_) {
    const int n = static_cast<int>(fields.size());
    const int each = std::min(scaled(118), (row.width() - scaled(kLabel) - scaled(14)) / std::max(1, n));
    for (int i = 0; i < n; ++i)
      fields[static_cast<std::size_t>(i)]->setGeometry(scaled(kLabel) + i * each, y, each - scaled(4),
                                                       scaled(kLine - 3));
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
  session_.edit(tr("%1 of %2").arg(QString::fromStdString(spec.label), name),
                withSetting(session_.song(), o->id, spec.key, v), merge ? "set-" + o->id + spec.key : std::string());
}

void OpenRow::setWhole(const SettingSpec& spec, const Value& v, bool merge) {
  const Ornament* found = session_.song().ornament(ornament_.id);
  if (!found) return;
  Ornament o = *found;
  if (spec.key == "gain_db") o.gainDb = *v.number();
  if (spec.key == "enabled") o.enabled = *v.boolean();
  if (spec.key == "hears") o.hears = *v.text() == "dry" ? Hears::dry : Hears::row;
  const QString name = kindWord(o.kind);
  session_.edit(tr("%1 of %2").arg(QString::fromStdString(spec.label), name), withOrnamentReplaced(session_.song(), o),
                merge ? "whole-" + o.id + spec.key : std::string());
}

} // namespace ivrin::app
