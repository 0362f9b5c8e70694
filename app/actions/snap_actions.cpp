#include "app/actions/snap_actions.h"

#include "time/note_value.h"

#include <algorithm>

namespace ivrin::app {
namespace {

using K = QKeySequence;
constexpr int kGridValues[] = {1, 2, 4, 8, 16, 32, 64};

} // namespace

void SnapActions::addActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  const QString grid = menuTitle();
  int key = Qt::Key_1;
  for (const int value : kGridValues)
    add({QStringLiteral("grid-%1").arg(value),
         menu,
         QStringLiteral("1/%1").arg(value),
         tr("Selections, edges and moves snap to this. Hold Shift while dragging to ignore it."),
         {K(Qt::CTRL | static_cast<Qt::Key>(key++))},
         [this, value] {
           value_ = value;
           apply();
         },
         true,
         value == 1,
         grid});
  const auto form = [this](const QString& f) {
    return [this, f] {
      form_ = form_ == f ? QString() : f;
      apply();
    };
  };
  add({"grid-dotted",
       menu,
       tr("&Dotted"),
       {},
       {K(Qt::SHIFT | Qt::Key_D)},
       form(QStringLiteral(".")),
       true,
       true,
       grid});
  add({"grid-triplet",
       menu,
       tr("&Triplet"),
       {},
       {K(Qt::SHIFT | Qt::Key_T)},
       form(QStringLiteral("t")),
       true,
       false,
       grid});
  add({"grid-free",
       menu,
       tr("&Off"),
       {},
       {K(Qt::CTRL | Qt::Key_8)},
       [this] {
         value_ = 0;
         apply();
       },
       true,
       false,
       grid});
  add({"grid-coarser", menu, tr("Coarser"), {}, {K(Qt::Key_Minus)}, [this] { walk(-1); }, false, true, grid});
  add({"grid-finer", menu, tr("Finer"), {}, {K(Qt::Key_Plus)}, [this] { walk(1); }, false, false, grid});
}

void SnapActions::walk(int by) {
  const auto* at = std::find(std::begin(kGridValues), std::end(kGridValues), value_);
  const auto i = at == std::end(kGridValues) ? 4 : at - std::begin(kGridValues) + by;
  value_ = kGridValues[std::clamp<std::ptrdiff_t>(i, 0, std::size(kGridValues) - 1)];
  apply();
}

QString SnapActions::text() const {
  return value_ == 0 ? QStringLiteral("free") : QStringLiteral("1/%1%2").arg(value_).arg(form_);
}

void SnapActions::setText(const QString& text) {
  const auto value = NoteValue::parse(text.toStdString());
  value_ = value && value->kind == NoteValue::Kind::fraction && value->upper == 1 ? value->number : 0;
  form_ = value && value->dotted ? QStringLiteral(".") : value && value->triplet ? QStringLiteral("t") : QString();
  apply();
}

void SnapActions::apply() {
  const auto value = NoteValue::parse(text().toStdString());
  score_->setGrid(value ? *value->beats(TempoMap(), Beats(0)) : Beats(0), text());
  for (const int v : kGridValues) actions_->action(QStringLiteral("grid-%1").arg(v))->setChecked(value_ == v);
  action("grid-free")->setChecked(value_ == 0);
  action("grid-dotted")->setChecked(form_ == QLatin1String("."));
  action("grid-triplet")->setChecked(form_ == QLatin1String("t"));
}

} // namespace ivrin::app
