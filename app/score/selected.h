// Selected knows what is selected in the score, and offers the signs of all kinds beside it.
#pragma once

#include "app/axis/selection.h"

#include <QRect>

#include <optional>

namespace ivrin::app {

class ScoreView;
class SignStrip;

class Selected {
 public:
  explicit Selected(ScoreView& view);

  const std::optional<Selection>& now() const { return selection_; }
  void select(std::optional<Selection> s);
  /// Without telling: something else takes its place.
  void drop();
  void showStrip();
  void hideStrip();
  /// Where the signs stand; null while they are not shown.
  QRect stripArea() const;
  /// The page has been laid out anew.
  void placeStrip();

 private:
  ScoreView& view_;
  SignStrip* strip_;
  std::optional<Selection> selection_;
};

} // namespace ivrin::app
