#include "manners/tail_room.h"

#include "manners/fitting.h"

namespace ivrin {

TailRoom tailRoomAfter(const Ornament& o, const PressedAt& at, Heard& heard) {
  const TempoMap& map = at.context.map;
  const FrameRange span = map.frames(o.span());
  const Beats bar = map.meterAt(o.start).barLength();
  const Frames twoBars = map.frameAt(o.span().end + bar + bar) - span.end;
  const Room room = roomAfter(joinedOver(at.around.phrases, leastRest(map, o.start)), span, map.sampleRate());
  TailRoom reach{room.sounding, room.next, false, false, static_cast<double>(twoBars.count) / map.sampleRate()};
  // A note that is let go within half a beat after the selection is the source's own end.
  const Frames own(std::llround(30 / map.bpmAt(o.start) * map.sampleRate()));
  reach.inside = room.sounding > span.end + own;
  if (room.sounding > span.end + twoBars) {
    reach.runs = true;
    reach.next.reset();
  }
  heard.runs = reach.runs;
  if (reach.next) heard.next = map.beatAt(*reach.next);
  return reach;
}

} // namespace ivrin
