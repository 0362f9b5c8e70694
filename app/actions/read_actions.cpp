#include "app/actions/read_actions.h"

#include "app/openrow/open_drawing.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"

namespace ivrin::app {
using K = QKeySequence;

/// What is seen at a glance, said on request: it stands in the measure line, and screen readers read it out.
void ReadActions::addActions(const QString& menu, const Says& says) {
  const QString sub = tr("Read aloud");
  const auto add = [&](const char* id, const QString& text, QKeyCombination key, std::function<QString()> words) {
    actions_->add({QString::fromLatin1(id),
                   menu,
                   text,
                   {},
                   {K(key)},
                   [this, words = std::move(words)] {
                     const QString said = words();
                     measure_->tell(said.isEmpty() ? tr("There is nothing to read here.") : said);
                   },
                   false,
                   false,
                   sub});
  };
  add("readPlace", tr("&Position and measurements"), QKeyCombination(Qt::Key_F7), [this, says] {
    const QString place = tr("%1 on %2").arg(says.position(), asText(session_.song().rowName(score_->caret().row())));
    const QString figures = measure_->figures();
    return figures.isEmpty() ? place : QStringLiteral("%1 · %2").arg(place, figures);
  });
  add("readOrnament", tr("The &ornament"), Qt::SHIFT | Qt::Key_F7, [this] {
    const std::string id = score_->hand().atCaret();
    const Ornament* o = session_.song().ornament(id);
    if (!o)
      return tr("There is no ornament at the cursor on %1.")
          .arg(asText(session_.song().rowName(score_->caret().row())));
    const TempoMap& map = session_.plan()->map();
    return tr("%1 at %2, over %3: %4")
        .arg(kindWord(o->kind), barWords(map, o->start), spanWords(map, o->start, o->length),
             o->enabled ? saidOf(*score_, id) : tr("bypassed"));
  });
  add("readMeters", tr("The &meters"), QKeyCombination(Qt::Key_F8), says.meters);
  add("readMessage", tr("The &last message"), Qt::SHIFT | Qt::Key_F8, [this] { return measure_->lastSaid(); });
}

} // namespace ivrin::app
