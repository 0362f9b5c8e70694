#include "app/openrow/curve_tabs.h"

#include "app/theme/type.h"
#include "app/words/as_text.h"

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kTab = 20, kTextPx = 13;

} // namespace

CurveTabs::CurveTabs(QWidget* parent)
    : QWidget(parent) {
  setObjectName(QStringLiteral("curve-tabs"));
  hide();
}

void CurveTabs::show(const Ornament& o, const std::vector<CurveTarget>& curves, const CurveTarget* drawn) {
  if (curves != curves_ || tabs_.empty()) {
    curves_ = curves;
    for (InkButton* b : tabs_) {
      b->hide();
      b->deleteLater(); // one of them may just have been pressed
    }
    tabs_.clear();
    const auto add = [&](const QString& text, const QString& tip, const CurveTarget& target) {
      auto* b = new InkButton(text, this);
      b->setTextPx(kTextPx);
      b->setCheckable(true);
      b->setToolTip(tip);
      b->setAccessibleName(tip);
      connect(b, &QAbstractButton::clicked, this, [this, target] { emit wanted(target.key, target.finish); });
      b->show();
      tabs_.push_back(b);
    };
    add(tr("sound"), tr("The drawing of the ornament's sound."), {});
    for (const CurveTarget& c : curves)
      if (const SettingSpec* spec = c.spec(o))
        add(asWords(spec->label), tr("Curve of %1").arg(asWords(spec->label)), c);
    layOut();
  }
  for (std::size_t i = 0; i < tabs_.size(); ++i)
    tabs_[i]->setChecked(i == 0 ? drawn == nullptr : drawn && i <= curves_.size() && curves_[i - 1] == *drawn);
  setVisible(!curves.empty());
}

void CurveTabs::layOut() {
  int y = 0;
  for (InkButton* b : tabs_) { // those that have no room are reached by C
    b->setGeometry(0, y, std::min(width(), b->sizeHint().width()), scaled(kTab));
    b->setVisible(y + scaled(kTab) <= height());
    y += scaled(kTab);
  }
}

} // namespace ivrin::app
