#include "app/score/press_on_score.h"

#include "app/score/score_view.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "manners/manners.h"

namespace ivrin::app {
namespace {

/// False where the kind does not follow another one, or none is open.
bool placeAfterOpen(ScoreView& view, const Manners& m) {
  Session& session = view.session();
  const Ornament* open = view.opened().ornament();
  if (!open || !session.plan()) return false;
  const auto after = m.stretchAfter(*open, session.plan()->context(), session.song());
  if (!after) return false;
  if (after->length().ticks > 0)
    session.placing().placeAfter(std::string(m.kind()), *open, *after);
  else
    emit session.notice(QObject::tr("%1 ends where it lands, so nothing is left to mute until then.")
                            .arg(capital(kindWord(open->kind))),
                        false);
  return true;
}

} // namespace

std::optional<BeatRange> stretchAtLanding(const ScoreView& view, const std::string& kind) {
  const Manners* m = mannersOf(kind);
  const Landing* landing = view.landing();
  return m && landing && view.session().plan() ? m->stretchAt(view.session().plan()->map(), landing->at) : std::nullopt;
}

const Ornament* openOfKind(const ScoreView& view, const std::string& kind) {
  const Ornament* o = view.opened().ornament();
  return o && o->kind == kind ? o : nullptr;
}

void pressOnScore(ScoreView& view, const std::string& kind) {
  Session& session = view.session();
  if (const auto& s = view.selection(); s && s->end > s->begin) {
    session.placing().place(kind, s->rows(), s->range());
    return;
  }
  if (const Ornament* o = openOfKind(view, kind)) {
    session.placing().place(o->kind, {o->on}, o->span());
    return;
  }
  if (const Manners* m = mannersOf(kind); m && placeAfterOpen(view, *m)) return;
  if (const auto stretch = stretchAtLanding(view, kind))
    session.placing().place(kind, {view.caret().row()}, *stretch);
  else
    emit session.notice(
        QObject::tr(
            "Nothing is selected. Drag over a row, or hold Shift with the arrow keys, then press the key again."),
        false);
}

} // namespace ivrin::app
