#include "app/openrow/answers.h"

#include "app/theme/ornament_look.h"
#include "app/theme/type.h"
#include "song/edits.h"

#include <QHBoxLayout>

namespace ivrin::app {

Answers::Answers(Session& session, QWidget* parent)
    : QWidget(parent)
    , session_(session) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(scaled(4));
  for (int i = 0; i < 3; ++i) {
    auto* b = new InkButton(QString(), this);
    b->setSerif(true);
    b->setItalic(true);
    b->setTextPx(15);
    b->setWarns(true);
    b->setFocusPolicy(Qt::TabFocus);
    row->addWidget(b);
    connect(b, &QAbstractButton::clicked, this,
            [this, a = static_cast<CollisionAnswer>(buttons_.size())] { answer(a); });
    buttons_.push_back(b);
  }
  hide();
}

void Answers::renew(const std::string& ornament) {
  ornament_ = ornament;
  const auto& f = session_.facts();
  const Ornament* o = session_.song().ornament(ornament);
  bool any = false;
  for (std::size_t i = 0; i < buttons_.size(); ++i) {
    const auto answer = static_cast<CollisionAnswer>(i);
    bool can = o && f && f->ornament == ornament && !f->collisions.empty();
    if (can) {
      const Kind& kind = *allKinds().find(o->kind);
      const Placed placed{*o, session_.plan()->context()};
      can = answered(kind, placed, answer, f->collisions.front()).has_value();
      const AnswerWords words = answerWords(kind, placed, answer, f->collisions.front());
      buttons_[i]->setText(asText(words.word));
      buttons_[i]->setToolTip(asText(words.meaning));
    }
    buttons_[i]->setVisible(can);
    any = any || can;
  }
  setVisible(any);
  adjustSize();
}

void Answers::answer(CollisionAnswer a) {
  const auto& f = session_.facts();
  const Ornament* o = session_.song().ornament(ornament_);
  if (!o || !f || f->ornament != ornament_ || f->collisions.empty()) return;
  const auto next = answered(*allKinds().find(o->kind), {*o, session_.plan()->context()}, a, f->collisions.front());
  if (!next) return;
  const QString name = kindWord(o->kind);
  session_.edit(tr("%1 of %2").arg(buttons_[static_cast<std::size_t>(a)]->text(), name),
                withOrnamentReplaced(session_.song(), *next));
  session_.settle();
}

} // namespace ivrin::app
