#include "app/openrow/answers.h"

#include "app/theme/type.h"
#include "app/words/ornament_look.h"
#include "song/edits.h"

#include <QHBoxLayout>
#include <QPainter>

namespace ivrin::app {

const Collision* toAnswer(const ChosenFacts& facts) {
  if (!facts.collisions.empty()) return &facts.collisions.front();
  return !facts.over.empty() && facts.over.front().db > kAnsweredOverDb ? &facts.over.front() : nullptr;
}

Answers::Answers(Session& session, QWidget* parent)
    : QWidget(parent)
    , session_(session)
    , what_(new QLabel(this)) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(scaled(6), 0, scaled(6), 0);
  row->setSpacing(scaled(4));
  row->addWidget(what_);
  for (int i = 0; i < kCollisionAnswers; ++i) {
    auto* b = new InkButton(QString(), this);
    b->setSerif(true);
    b->setItalic(true);
    b->setTextPx(15);
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
  const auto& f = session_.rows().chosen();
  const Ornament* o = session_.song().ornament(ornament);
  const Collision* what = o && f && f->ornament == ornament ? toAnswer(*f) : nullptr;
  const bool ofRow = what && !what->row.empty();
  what_->setVisible(ofRow);
  if (ofRow) {
    what_->setFont(serif(15, true));
    what_->setText(tr("Masks %1:").arg(QString::fromStdString(session_.song().rowName(what->row))));
    QPalette colours = what_->palette();
    colours.setColor(QPalette::WindowText, paper().quiet);
    what_->setPalette(colours);
  }
  bool any = false;
  for (std::size_t i = 0; i < buttons_.size(); ++i) {
    const auto answer = static_cast<CollisionAnswer>(i);
    bool can = what;
    if (what) {
      const Kind& kind = *allKinds().find(o->kind);
      const Placed placed{*o, session_.plan()->context()};
      can = answered(kind, placed, answer, *what).has_value();
      const AnswerWords words = answerWords(kind, placed, answer, *what);
      buttons_[i]->setText(asText(words.word));
      buttons_[i]->setToolTip(asText(words.meaning));
      buttons_[i]->setWarns(!ofRow);
    }
    buttons_[i]->setVisible(can);
    any = any || can;
  }
  setVisible(any);
  adjustSize();
}

void Answers::paintEvent(QPaintEvent*) {
  QColor ground = paper().card;
  ground.setAlphaF(0.92f);
  QPainter(this).fillRect(rect(), ground);
}

void Answers::answer(CollisionAnswer a) {
  const auto& f = session_.rows().chosen();
  const Ornament* o = session_.song().ornament(ornament_);
  const Collision* what = o && f && f->ornament == ornament_ ? toAnswer(*f) : nullptr;
  if (!what) return;
  const auto next = answered(*allKinds().find(o->kind), {*o, session_.plan()->context()}, a, *what);
  if (!next) return;
  const QString name = kindWord(o->kind);
  session_.edit(tr("%1 of %2").arg(buttons_[static_cast<std::size_t>(a)]->text(), name),
                withOrnamentReplaced(session_.song(), *next));
  session_.settle();
}

} // namespace ivrin::app
