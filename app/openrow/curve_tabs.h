// The CurveTabs stand beside the drawing of an open ornament: its sound, and every curve that can be drawn over it.
#pragma once

#include "app/openrow/curve_target.h"
#include "app/theme/ink_button.h"

#include <QWidget>

#include <vector>

namespace ivrin::app {

class CurveTabs : public QWidget {
  Q_OBJECT
 public:
  explicit CurveTabs(QWidget* parent);
  /// The curves of `o` that there are, and which of them is drawn now; none: its sound.
  void show(const Ornament& o, const std::vector<CurveTarget>& curves, const CurveTarget* drawn);
  /// The first is the sound's.
  const std::vector<InkButton*>& tabs() const { return tabs_; }

 signals:
  /// Its sound where the key is empty.
  void wanted(const std::string& key, int finish);

 protected:
  void resizeEvent(QResizeEvent*) override { layOut(); }

 private:
  void layOut();
  std::vector<CurveTarget> curves_;
  std::vector<InkButton*> tabs_;
};

} // namespace ivrin::app
