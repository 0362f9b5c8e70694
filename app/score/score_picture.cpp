#include "app/score/score_picture.h"

#include "app/score/score_view.h"

namespace ivrin::app {

ScorePicture pictureOf(const ScoreView& view) {
  Session& session = view.session();
  const OpenedOrnament& opened = view.opened();
  const ScoreMouse& mouse = view.mouse();
  ScorePicture s{view.page(),
                 view.axis(),
                 view.devicePixelRatioF(),
                 session.plan(),
                 view.layoutOfOrnaments().shared(),
                 view.landing() ? std::optional(*view.landing()) : std::nullopt,
                 opened.id()};
  if (const auto& f = session.rows().chosen(); f && f->ornament == opened.id()) {
    s.collisions = f->collisions;
    s.over = f->over;
  }
  s.hot = mouse.hot();
  s.marked = view.hand().marked();
  s.pieces = view.pieceBoxes();
  s.proposed = session.findings().proposedSections();
  s.proposedOrnaments = view.proposed();
  s.pending = session.placing().pending();
  if (view.openings().shown()) s.openings = &view.openings().marks();
  s.hotOpening = view.openings().hot();
  s.selection = view.selection();
  s.strip = view.selected().stripArea();
  if (view.hasFocus() && !opened.isOpen())
    s.caret = {view.caret().row(), view.selection() ? std::nullopt : std::optional(view.caret().at())};
  s.alignments = view.ornamentHand().marks();
  s.rowDrop = view.heads().drop();
  if (mouse.tool()) s.gridDrag = mouse.tool()->gridDrag();
  if (const auto at = mouse.magnified())
    s.lens = {at->first, at->second, mouse.magnifierRect(), session.rows().onsets(at->first)};
  s.playheadX = view.playhead().x();
  return s;
}

} // namespace ivrin::app
