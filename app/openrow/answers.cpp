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
  const std::pair<QString, QString> words[] = {{tr("duck"), tr("Turn it down while the phrase sounds, far enough")},
                                               {tr("cut here"), tr("End it where the phrase begins")},
                                               {tr("shorten"), tr("Less feedback, so that it is gone by the phrase")}};
  for (const auto& [word, tip] : words) {
    auto* b = new InkButton(word, this);
    b->setSerif(true);
    b->setItalic(true);
    b->setTextPx(15);
    b->setWarns(true);
    b->setToolTip(tip);
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
    const bool can = o && f && f->ornament == ornament && !f->collisions.empty() &&
                     answered(*allKinds().find(o->kind), {*o, session_.plan()->context()},
                              static_cast<CollisionAnswer>(i), f->collisions.front());
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
