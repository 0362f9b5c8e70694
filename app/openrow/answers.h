// What can be done about a collision, in a row of words beside it.
#pragma once

#include "app/session/session.h"
#include "app/theme/ink_button.h"
#include "manners/collision_answers.h"

namespace ivrin::app {

class Answers : public QWidget {
  Q_OBJECT
 public:
  Answers(Session& session, QWidget* parent);
  /// Shows what the kind has an answer for; hidden where nothing collides.
  void renew(const std::string& ornament);
  void answer(CollisionAnswer a);
  InkButton* button(CollisionAnswer a) const { return buttons_[static_cast<std::size_t>(a)]; }

 private:
  Session& session_;
  std::string ornament_;
  std::vector<InkButton*> buttons_;
};

} // namespace ivrin::app
