// What the score looks like: staves, waves, ruler and margin. The marks on them are in score_marks.cpp.
#include "app/score/score_picture.h"
#include "app/theme/engraving.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/ornament_look.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr int kSharedFromColumns = 500;

QRgb mixed(const QColor& a, const QColor& b, double u) {
  const auto m = [&](int x, int y) { return static_cast<int>(std::lround(x + (y - x) * u)); };
  return qRgb(m(a.red(), b.red()), m(a.green(), b.green()), m(a.blue(), b.blue()));
}

/// One scanline of paper with the grid on it: bar lines, beats where there is room, sixteenths when near. Every row is
/// laid on copies of it.
std::vector<QRgb> gridLine(const ScorePicture& s, const QRect& dirty, int w, const QColor& ground) {
  const Palette& c = paper();
  std::vector<QRgb> line(static_cast<std::size_t>(w), ground.rgb());
  const int hair = std::max(1, static_cast<int>(std::lround(s.ratio)));
  const auto rule = [&](Beats b, QRgb colour) {
    // The bias keeps a line that lies between two pixels on one of them, however far the page was scrolled.
    const int left = static_cast<int>(std::floor((s.axis.xOf(b) - dirty.left()) * s.ratio + 0.5 + 1e-4));
    for (int k = std::max(0, left); k < std::min(w, left + hair); ++k) line[static_cast<std::size_t>(k)] = colour;
  };
  const TempoMap& map = s.map();
  const std::int64_t firstBar = map.barAt(s.axis.beatAt(dirty.left() - 2)).bar,
                     lastBar = map.barAt(s.axis.beatAt(dirty.right() + 2)).bar;
  if (lastBar - firstBar > 4000) return line;
  for (std::int64_t bar = firstBar; bar <= lastBar; ++bar) {
    const Beats start = map.barStart(bar);
    const MeterEntry& meter = map.meterAt(start);
    if (meter.barLength().quarters() * s.axis.pxPerBeat < 6 && bar % 8 != 1) continue;
    const double perBeat = meter.beatLength().quarters() * s.axis.pxPerBeat;
    for (int beat = 0; beat < meter.count && perBeat >= 14; ++beat) {
      const Beats b = start + meter.beatLength() * beat;
      if (beat > 0) rule(b, c.beatRule.rgb());
      for (int k = 1; k < 4 && perBeat >= 90; ++k)
        rule(b + Beats(meter.beatLength().ticks * k / 4), mixed(ground, c.beatRule, 0.6));
    }
    rule(start, c.barRule.rgb());
  }
  return line;
}

/// The waves of one row into its image; `top` and `height` of the staff in device pixels from the image's top.
void paintRow(const ScorePicture& s, const RowWaves& waves, QImage& image, const RowBox& r, const ColumnFrames& frames,
              double top, double height, double origin) {
  const Palette& c = paper();
  const int y0 = static_cast<int>(std::floor(top)), y1 = static_cast<int>(std::ceil(top + height));
  if (y1 <= 0 || y0 >= image.height()) return;
  const double half = height / 2, mid = top + half;
  const FrameRange seen{Frames(frames.front()), Frames(frames.back())};
  const RowMix mix = s.song().rowMix(r.id);
  // Strokes lie on the staff, whichever part of it is painted.
  const auto anchored = [&](float slope) { return origin + top * static_cast<double>(slope); };
  // Graphite hatching; in an open row what other ornaments take away is only hinted at.
  const auto hatch = [&](const RowWaves::Which& which, float strength) {
    if (const auto gone = waves.turnedDown(r.id, frames, mid, half, which))
      drawWave(image, 0, y0, y1, *gone,
               {c.quiet.rgb(), 0.04f * strength, 0.62f * strength, static_cast<float>(4 * s.ratio), 0.30f, 0.30f,
                anchored(0.30f)});
  };
  const auto opened = [&](const OrnamentNode& node) { return r.open && node.ornament->id == s.open; };
  hatch([&](const OrnamentNode& node) { return !opened(node); }, r.open ? 0.25f : 1.0f);
  hatch(opened, 1.0f);
  const Pencil ink = r.open ? Pencil{mixed(c.card, c.wave, c.night ? 0.36 : 0.26)}
                            : Pencil{mix.mute ? mixed(c.paper, c.wave, 0.25) : c.wave.rgb()};
  const WaveColumns wave = waves.row(r.id, frames, mid, half);
  drawWave(image, 0, y0, y1, wave, ink);
  if (r.open) { // the source itself in full ink
    const Ornament* o = s.song().ornament(s.open);
    const FrameRange span = s.map().frames(o->span());
    WaveColumns source = wave;
    for (std::size_t x = 0; x + 1 < frames.size(); ++x)
      if (frames[x] < span.begin.count || frames[x] >= span.end.count)
        source.top[x] = source.bottom[x] = static_cast<float>(mid);
    if (o->source.empty()) drawWave(image, 0, y0, y1, source, Pencil{c.wave.rgb()});
  }
  // Where a bus or the mix has no dry sound of its own, what is heard is what ornaments add.
  if (const auto goesOn = waves.goesOn(r.id, frames, mid, half)) {
    if (r.open) drawWave(image, 0, y0, y1, *goesOn, Pencil{c.card.rgb()});
    drawWave(image, 0, y0, y1, *goesOn, Pencil{mixed(r.open ? c.card : c.paper, c.blue, mix.mute ? 0.25 : 0.55)});
  }
  const auto index = s.plan->rowIndex(r.id);
  if (!index || mix.mute) return;
  for (const auto& node : s.plan->rows()[*index].ornaments) {
    if (!node->print || intersect(node->print->extent(), seen).empty()) continue;
    const bool chosen = node->ornament->id == s.open;
    if (r.open && !chosen) continue;
    int first = 0;
    // Where several overlap each has a lane of the staff.
    const OrnamentBox* lane = r.open ? nullptr : s.ornaments->box(node->ornament->id);
    const double share = lane ? 1.0 / lane->lanes : 1, ownHalf = half * share,
                 ownMid = lane ? top + height * share * (lane->lane + 0.5) : mid;
    const WaveColumns print = waves.print(*node, frames, ownMid, ownHalf, r.open && chosen, first);
    const auto soft = static_cast<float>(r.open ? 0.30 : c.night ? 0.42 : 0.34);
    // Before its landing or source in rust, after it in blue.
    const auto turn = std::lower_bound(frames.begin(), frames.end() - 1, turnOf(*node, s.plan->context()).count);
    const int split =
        std::clamp(static_cast<int>(turn - frames.begin()) - first, 0, static_cast<int>(print.top.size()));
    const int n = static_cast<int>(print.top.size());
    const auto draw = [&](int from, int to, const QColor& hue) {
      if (from >= to) return;
      const Pencil pencil{hue.rgb(), soft,  0.95f - soft,   static_cast<float>((r.open ? 5.0 : 4.2) * s.ratio),
                          0.62f,     0.46f, anchored(0.62f)};
      if (from == 0 && to == n) {
        drawWave(image, first, y0, y1, print, pencil);
        return;
      }
      WaveColumns part(to - from);
      std::copy(print.top.begin() + from, print.top.begin() + to, part.top.begin());
      std::copy(print.bottom.begin() + from, print.bottom.begin() + to, part.bottom.begin());
      drawWave(image, first + from, y0, y1, part, pencil);
    };
    draw(0, split, c.rust);
    // Where the open one meets the next phrase, in the colour of collisions.
    int at = split;
    if (r.open)
      for (const Collision& hit : s.collisions) {
        const auto column = [&](Frames frame) {
          const auto it = std::lower_bound(frames.begin(), frames.end() - 1, frame.count);
          return std::clamp(static_cast<int>(it - frames.begin()) - first, at, n);
        };
        const int from = column(hit.frames.begin), to = column(hit.frames.end);
        draw(at, from, c.blue);
        draw(from, to, c.warning);
        at = to;
      }
    draw(at, n, c.blue);
  }
}

} // namespace

bool paintStaves(QPainter& p, const ScorePicture& s, RowWaves& waves, StaffPaint& own, const QRect& dirty) {
  if (dirty.isEmpty()) return true;
  const Palette& c = paper();
  const double ratio = s.ratio;
  const int w = static_cast<int>(std::lround(dirty.width() * ratio));
  const std::vector<QRgb> onPaper = gridLine(s, dirty, w, c.paper), onCard = gridLine(s, dirty, w, c.card);
  const ColumnFrames frames = columnFrames(s.map(), s.axis, dirty.left(), w, ratio);
  const double origin = (s.axis.xOf(Beats(0)) - dirty.left()) * ratio;
  const FrameRange seen{Frames(frames.front()), Frames(frames.back())};
  const bool all = waves.prepare(seen);
  std::vector<const RowBox*> rows;
  const auto boxOf = [&](const RowBox& r) {
    return QRect(dirty.left(), r.y, dirty.width(), r.height).intersected(dirty);
  };
  for (const RowBox& r : s.page.rows)
    if (!boxOf(r).isEmpty()) rows.push_back(&r);
  const auto sizeOf = [&](const RowBox& r) {
    return static_cast<std::size_t>(w) * static_cast<std::size_t>(std::lround(boxOf(r).height() * ratio));
  };
  const auto paint = [&](const RowBox& r, QRgb* memory) {
    const QRect box = boxOf(r);
    const int h = static_cast<int>(std::lround(box.height() * ratio));
    for (int y = 0; y < h; ++y)
      std::copy_n((r.open ? onCard : onPaper).data(), w, memory + static_cast<std::ptrdiff_t>(y) * w);
    QImage image(reinterpret_cast<uchar*>(memory), w, h, w * 4, QImage::Format_RGB32);
    paintRow(s, waves, image, r, frames, (r.staffTop - box.top()) * ratio, r.staffHeight * ratio, origin);
    image.setDevicePixelRatio(ratio);
    return image;
  };
  // This thread paints a row at a time in the same memory, small enough for the cache, and puts it on the screen; of a
  // large picture a helper paints the lower half meanwhile, to be put there afterwards.
  const std::size_t ours = w > kSharedFromColumns ? rows.size() - rows.size() / 2 : rows.size();
  std::vector<QImage> theirs(rows.size() - ours);
  std::size_t theirSize = 0, ourSize = 0;
  for (std::size_t i = 0; i < rows.size(); ++i)
    i < ours ? static_cast<void>(ourSize = std::max(ourSize, sizeOf(*rows[i])))
             : static_cast<void>(theirSize += sizeOf(*rows[i]));
  if (own.memory[0].size() < ourSize) own.memory[0].resize(ourSize);
  if (own.memory[1].size() < theirSize) own.memory[1].resize(theirSize);
  const auto upper = [&] {
    for (std::size_t i = 0; i < ours; ++i)
      p.drawImage(boxOf(*rows[i]).topLeft(), paint(*rows[i], own.memory[0].data()));
  };
  const auto lower = [&] {
    QRgb* memory = own.memory[1].data();
    for (std::size_t i = ours; i < rows.size(); ++i) {
      theirs[i - ours] = paint(*rows[i], memory);
      memory += sizeOf(*rows[i]);
    }
  };
  if (theirs.empty())
    upper();
  else
    own.helper.together(upper, lower);
  for (std::size_t i = ours; i < rows.size(); ++i) p.drawImage(boxOf(*rows[i]).topLeft(), theirs[i - ours]);
  const int below = s.page.rows.back().y + s.page.rows.back().height;
  if (below <= dirty.bottom())
    p.fillRect(QRect(dirty.left(), below, dirty.width(), dirty.bottom() + 1 - below), c.paper);
  // Rules between rows: stronger about the open one.
  for (const RowBox& r : s.page.rows) {
    const QColor colour = r.open ? c.ink : c.barRule;
    const double thick = r.open ? 1.6 : 1;
    p.fillRect(QRectF(dirty.left(), r.y + r.height - thick, dirty.width(), thick), colour);
    if (r.open) p.fillRect(QRectF(dirty.left(), r.y - thick / 2, dirty.width(), thick), colour);
  }
  return all;
}

void paintMargin(QPainter& p, const ScorePicture& s, const QRect& dirty) {
  const Palette& c = paper();
  const QRect margin(0, 0, Page::marginWidth(), s.page.height());
  if (!dirty.intersects(margin)) return;
  p.save();
  p.setClipRect(margin.intersected(dirty));
  p.fillRect(margin, c.paper);
  for (const RowBox& r : s.page.rows) {
    if (r.open) p.fillRect(QRect(0, r.y, margin.width(), r.height), c.card);
    p.setPen(QPen(r.open ? c.ink : c.barRule, r.open ? 1.6 : 1));
    p.drawLine(QPointF(r.open ? 0 : scaled(24), r.y + r.height - 0.5),
               QPointF(margin.right() + 1, r.y + r.height - 0.5));
    if (r.open) p.drawLine(QPointF(0, r.y - 0.5), QPointF(margin.right() + 1, r.y - 0.5));
  }
  // Braces join the rows of a bus with the bus itself.
  for (const Bus& bus : s.song().buses) {
    int top = 1 << 30, bottom = -1;
    for (const RowBox& r : s.page.rows) {
      const Stem* stem = s.song().stem(r.id);
      if (r.id != bus.id && !(stem && stem->bus == bus.id)) continue;
      top = std::min(top, r.y + 4);
      bottom = std::max(bottom, r.y + r.height - 4);
    }
    if (bottom > 0) drawBrace(p, scaled(22), top, bottom, scaled(7), c.ink);
  }
  p.fillRect(QRect(0, 0, margin.width(), Page::rulerHeight() - 1), c.paper);
  p.restore();
  if (s.rowDrop) { // where a dragged row goes
    p.setPen(QPen(c.ink, 2.4));
    if (s.rowDrop->ontoBus)
      p.drawRect(QRectF(scaled(8), s.rowDrop->y + 3, margin.width() - scaled(10), s.rowDrop->height - 6));
    else
      p.drawLine(QPointF(scaled(8), s.rowDrop->y), QPointF(s.page.width(), s.rowDrop->y));
  }
}

} // namespace ivrin::app
