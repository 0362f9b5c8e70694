// The Answers offer what can be done about a collision, in a row of words beside it.
#pragma once

#include "app/session/session.h"
#include "app/theme/ink_button.h"
#include "manners/collision_answers.h"

#include <QLabel>

namespace ivrin::app {

/// What is answered first: a phrase of its own row that it meets, then the row that it covers most, if it does. None
/// where there is nothing to answer.
const Collision* toAnswer(const ChosenFacts& facts);

class Answers : public QWidget {
  Q_OBJECT
 public:
  Answers(Session& session, QWidget* parent);
  /// Shows what the kind has an answer for; hidden where nothing collides.
  void renew(const std::string& ornament);
  void answer(CollisionAnswer a);
  /// "over Strings"; empty where it is its own row.
  QString what() const { return what_->text(); }
  InkButton* button(CollisionAnswer a) const { return buttons_[static_cast<std::size_t>(a)]; }

 protected:
  /// On a ground of paper: they stand on whatever is drawn there.
  void paintEvent(QPaintEvent*) override;

 private:
  Session& session_;
  std::string ornament_;
  QLabel* what_; // "over Strings"
  std::vector<InkButton*> buttons_;
};

} // namespace ivrin::app
