// What the marks of the score mean, told where the mouse rests on them.
#include "app/score/score_view.h"

#include "app/openrow/open_drawing.h"
#include "app/theme/engraving.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"

#include <QHelpEvent>
#include <QToolTip>

namespace ivrin::app {
namespace {

/// How far an ornament is heard beyond its source, where it is known.
QString soundWords(const OrnamentNode& node, const TempoMap& map) {
  if (!node.print || !node.print->complete()) return QObject::tr("Dotted: it is still being computed.");
  const BeatRange span = node.ornament->span();
  const Beats from = map.beatAt(node.extent().begin), to = map.beatAt(node.extent().end);
  QStringList words;
  if (from < span.begin && map.frameAt(span.begin).count - node.extent().begin.count > 64)
    words << QObject::tr("Sounds from %1 before its source.").arg(spanWords(map, from, span.begin - from));
  if (to > span.end && node.extent().end.count - map.frameAt(span.end).count > 64)
    words << QObject::tr("Goes on for %1 after its source.").arg(spanWords(map, span.end, to - span.end));
  return words.join(' ');
}

} // namespace

QString ScoreView::explained(QPointF at) const {
  if (!session_.isOpen() || !session_.plan()) return {};
  const TempoMap& map = session_.plan()->map();
  for (const OrnamentBox& b : marks_.boxes()) {
    const Ornament* o = session_.plan()->ornament(b.id);
    if (!o) continue;
    const QString name = kindWord(o->kind);
    if (!b.number.isEmpty() && b.number.contains(at))
      return tr("The %1 is number %2 on %3: it takes in what the ones before it have left. Drag the number to change "
                "the order.")
          .arg(name)
          .arg(b.order + 1)
          .arg(asText(session_.song().rowName(o->on)));
    if (!b.sign.contains(at)) {
      constexpr double kNear = 5;
      if (const auto l = o->landing ? session_.song().landingById(*o->landing) : std::nullopt)
        if (const auto slur = tieSlur(b, axis().xOf(l->at));
            slur && onSlur(at, slur->from, slur->to, slur->bulge, scaled(kNear)))
          return tr("The slur ties the %1 to %2: it moves with it.").arg(name, asText(l->name));
      // The dashed lines of its bracket, where that is shown.
      if ((b.id != mouse_.hot() && !inHand_.marked().contains(b.id)) || std::abs(at.y() - b.bracketY) > scaled(kNear))
        continue;
      if (at.x() > b.end && at.x() <= b.tailX)
        return tr("The dashed line is its tail: as far as it is heard after its source.");
      if (at.x() < b.begin && at.x() >= b.leadX)
        return tr("The dashed line is its lead-in: as far back as it is heard before its source.");
      continue;
    }
    QStringList words{capital(tr("%1 over %2.").arg(name, spanWords(map, o->start, o->length)))};
    if (const auto node = session_.plan()->node(b.id)) words << soundWords(*node, map);
    if (const auto l = o->landing ? session_.song().landingById(*o->landing) : std::nullopt)
      words << tr("The slur ties it to %1: it moves with it.").arg(asText(l->name));
    words.removeAll(QString());
    return words.join(' ');
  }
  if (const Opening* o = openings_.under(at)) {
    QStringList suits;
    for (const std::string& kind : o->suits) suits << kindWord(kind);
    return tr("%1: a click makes a %2. Suits: %3.")
        .arg(openingWords(*o, map), suits.value(0), suits.join(QStringLiteral(", ")));
  }
  if (const auto mark = mouse_.gridMarkUnder(at))
    return mark->kind == GridMark::Kind::barOne
               ? tr("Bar 1: drag it onto the first beat; near an attack it lands there, with Shift anywhere.")
               : tr("%1 from here on: click to change it, drag to move it; the right button removes it.")
                     .arg(mark->text);
  if (at.y() < Page::rulerHeight() && at.x() >= axis().x0 && landing())
    return tr("Above, bars counted to %1 and on from it; below, the song's own.").arg(asText(landing()->name));
  return {};
}

bool ScoreView::event(QEvent* e) {
  if (e->type() != QEvent::ToolTip) return QWidget::event(e);
  const auto* help = static_cast<QHelpEvent*>(e);
  const QString words = explained(help->pos());
  if (words.isEmpty())
    QToolTip::hideText();
  else
    QToolTip::showText(help->globalPos(), words, this);
  return true;
}

} // namespace ivrin::app
