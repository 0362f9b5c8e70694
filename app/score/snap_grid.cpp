#include "app/score/snap_grid.h"

#include "app/score/score_view.h"
#include "app/theme/ink_button.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "time/note_value.h"

#include <algorithm>

namespace ivrin::app {

SnapGrid::SnapGrid(ScoreView& view)
    : view_(view)
    , mark_(new InkButton(tr("grid 1/16"), &view))
    , step_(kTicksPerQuarter / 4) {
  mark_->setTextPx(12);
  mark_->setFocusPolicy(Qt::TabFocus);
  mark_->setObjectName(QStringLiteral("grid"));
  mark_->setToolTip(tr("Grid that selections, edges and moves snap to; coarser when zoomed out. Hold Shift to ignore "
                       "it, Ctrl+Shift to snap to transients."));
}

void SnapGrid::set(Beats step, const QString& name) {
  step_ = step;
  name_ = name;
  show();
}

Beats SnapGrid::ofHand() const {
  constexpr double kFinest = 6; // pixels between two places that a hand tells apart
  const auto plan = view_.session().plan();
  if (step_.ticks == 0 || !plan) return step_;
  const TimeAxis& axis = view_.axis();
  const MeterEntry& meter = plan->map().meterAt(axis.beatAt(axis.x0));
  Beats step = step_;
  while (step.quarters() * axis.pxPerBeat < kFinest && step < meter.barLength())
    step = step * 2 <= meter.beatLength() ? step * 2
           : step < meter.beatLength()    ? meter.beatLength()
                                          : meter.barLength();
  return step;
}

void SnapGrid::place() {
  mark_->setGeometry(scaled(30), Page::rulerHeight() - scaled(24), mark_->sizeHint().width(), scaled(20));
}

void SnapGrid::show() {
  const Beats step = ofHand();
  QString name = name_;
  if (step != step_) {
    const TimeAxis& axis = view_.axis();
    const MeterEntry& meter = view_.session().plan()->map().meterAt(axis.beatAt(axis.x0));
    // A coarser one of the same form: 1/16t, 1/8t.
    const auto value = NoteValue::parse(name_.toStdString());
    NoteValue coarser = value.value_or(NoteValue{});
    coarser.number = std::max(1, static_cast<int>(coarser.number * step_.ticks / step.ticks));
    name = step == meter.barLength() ? tr("1 bar") : step == meter.beatLength() ? tr("1 beat") : asText(coarser.text());
  }
  if (mark_->text() == tr("grid %1").arg(name)) return;
  mark_->setText(tr("grid %1").arg(name));
  mark_->setAccessibleName(tr("Grid of %1").arg(name));
  mark_->resize(mark_->sizeHint().width(), mark_->height());
}

} // namespace ivrin::app
