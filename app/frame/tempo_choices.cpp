#include "app/frame/tempo_choices.h"

#include "app/theme/type.h"
#include "app/words/grid_words.h"

#include <QHBoxLayout>

#include <cmath>

namespace ivrin::app {

TempoChoices::TempoChoices(QWidget* parent)
    : QWidget(parent) {
  setObjectName(QStringLiteral("tempo-choices"));
  setAccessibleName(tr("Uncertain tempo"));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(scaled(4));
  setVisible(false);
}

void TempoChoices::show(const std::vector<double>& bpm, double taken) {
  if (bpm != bpm_) {
    bpm_ = bpm;
    for (InkButton* b : buttons_) b->deleteLater();
    buttons_.clear();
    for (const double one : bpm) {
      auto* b = new InkButton(bpmText(one), this);
      b->setTextPx(14);
      b->setCheckable(true);
      b->setToolTip(tr("Plays the song with a click at %1 BPM. Click again to accept it.").arg(bpmText(one)));
      b->setAccessibleName(tr("%1 BPM").arg(bpmText(one)));
      connect(b, &QAbstractButton::clicked, this, [this, one] { emit chosen(one); });
      layout()->addWidget(b);
      buttons_.push_back(b);
    }
  }
  for (std::size_t i = 0; i < buttons_.size(); ++i) buttons_[i]->setChecked(std::abs(bpm_[i] - taken) < 1e-6);
  setVisible(!bpm.empty());
}

void TempoChoices::focusBest() {
  if (!buttons_.empty()) buttons_.front()->setFocus(Qt::OtherFocusReason);
}

} // namespace ivrin::app
