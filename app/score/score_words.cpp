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
  if (!node.print || !node.print->complete()) return QObject::tr("Dotted: still rendering.");
  const BeatRange span = node.ornament->span();
  const Beats from = map.beatAt(node.extent().begin), to = map.beatAt(node.extent().end);
  QStringList words;
  if (from < span.begin && map.frameAt(span.begin).count - node.extent().begin.count > 64)
    words << QObject::tr("Lead-in: %1 before its source.").arg(spanWords(map, from, span.begin - from));
  if (to > span.end && node.extent().end.count - map.frameAt(span.end).count > 64)
    words << QObject::tr("Tail: %1 after its source.").arg(spanWords(map, span.end, to - span.end));
  return words.join(' ');
}

} // namespace

QString ScoreView::explained(QPointF at) const {
  if (!session_.isOpen() || !session_.plan()) return {};
  const TempoMap& map = session_.plan()->map();
  for (const OrnamentBox& b : marks_.boxes()) {
    const Ornament* o = session_.plan()->ornament(b.id);
    if (!o) continue;
    const QString name = capital(kindWord(o->kind));
    if (!b.number.isEmpty() && b.number.contains(at))
      return tr("%1 is number %2 on %3: it processes what earlier ornaments left. Drag the number to change the order.")
          .arg(name)
          .arg(b.order + 1)
          .arg(asText(session_.song().rowName(o->on)));
    if (!b.sign.contains(at)) {
      constexpr double kNear = 5;
      if (const auto l = o->landing ? session_.song().landingById(*o->landing) : std::nullopt)
        if (const auto slur = tieSlur(b, axis().xOf(l->at));
            slur && onSlur(at, slur->from, slur->to, slur->bulge, scaled(kNear)))
          return tr("%1 is tied to %2 and moves with it.").arg(name, asText(l->name));
      // The dashed lines of its bracket, where that is shown.
      if ((b.id != mouse_.hot() && !inHand_.marked().contains(b.id)) || std::abs(at.y() - b.bracketY) > scaled(kNear))
        continue;
      if (at.x() > b.end && at.x() <= b.tailX)
        return tr("Dashed line: its tail, as long as it is heard after its source.");
      if (at.x() < b.begin && at.x() >= b.leadX)
        return tr("Dashed line: its lead-in, as long as it is heard before its source.");
      continue;
    }
    QStringList words{tr("%1 over %2.").arg(name, spanWords(map, o->start, o->length))};
    if (const auto node = session_.plan()->node(b.id)) words << soundWords(*node, map);
    if (const auto l = o->landing ? session_.song().landingById(*o->landing) : std::nullopt)
      words << tr("Tied to %1: moves with it.").arg(asText(l->name));
    words.removeAll(QString());
    return words.join(' ');
  }
  if (const Opening* o = openings_.under(at)) {
    QStringList suits;
    for (const std::string& kind : o->suits) suits << kindWord(kind);
    return tr("%1: click to place %2. Suits: %3.")
        .arg(openingWords(*o, map), suits.value(0), suits.join(QStringLiteral(", ")));
  }
  if (const auto mark = mouse_.gridMarkUnder(at))
    return mark->kind == GridMark::Kind::barOne
               ? tr("Bar 1: drag it onto the first beat. It snaps to transients; hold Shift to place it anywhere.")
               : tr("%1 from here on. Click to change it, drag to move it, right-click to remove it.").arg(mark->text);
  if (at.y() < Page::rulerHeight() && at.x() >= axis().x0 && landing())
    return tr("Above: bars relative to %1. Below: bars of the song.").arg(asText(landing()->name));
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
