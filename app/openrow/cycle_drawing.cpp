// The open halftime: every cycle folded open. Above what of the row is played and what is skipped, below where it is
// heard, and where one turn hands over to the next.
#include "app/openrow/drawings.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "app/words/ornament_look.h"
#include "ornaments/halftime.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

class HalftimeDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QString());
    const Frame f(c);
    const TempoMap& map = c.session.plan()->map();
    const QColor hue = inkOf(c.ornament);
    QColor veil = hue;
    veil.setAlphaF(ink.night ? 0.16f : 0.10f);
    for (std::size_t i = 0; i < f.h.cycles.size(); ++i) {
      const double a = c.axis.xOf(map.beatAt(f.h.cycles[i].begin)), b = c.axis.xOf(map.beatAt(f.h.cycles[i].end));
      if (b < c.area.left() || a > c.area.right()) continue;
      const double played = a + (b - a) / f.h.slower;
      // The fold: what is played, opened out over the whole turn.
      p.setPen(Qt::NoPen);
      p.setBrush(veil);
      p.drawPolygon(
          QPolygonF({QPointF(a, f.upper), QPointF(played, f.upper), QPointF(b, f.lower), QPointF(a, f.lower)}));
      p.setPen(QPen(hue, 2.4));
      p.drawLine(QPointF(a, f.upper), QPointF(played, f.upper));
      p.drawLine(QPointF(a, f.lower), QPointF(b, f.lower));
      p.setPen(QPen(hue, 1.1));
      p.drawLine(QPointF(played, f.upper), QPointF(b, f.lower));
      p.drawLine(QPointF(a, f.upper), QPointF(a, f.lower));
      p.setPen(QPen(ink.quiet, 1.4, Qt::DotLine));
      p.drawLine(QPointF(played, f.upper), QPointF(b, f.upper));
      // Each beat of what is played, and where it is heard.
      Beats step(kTicksPerQuarter);
      while (c.axis.pxPerBeat * step.quarters() < scaled(16)) step = step * 2;
      const Beats begin = map.beatAt(f.h.cycles[i].begin);
      for (Beats beat = begin + step; c.axis.xOf(beat) < played - 1; beat = beat + step) {
        const double x = c.axis.xOf(beat), heard = a + (x - a) * f.h.slower;
        p.setPen(QPen(hue, 0.8));
        p.drawLine(QPointF(x, f.upper), QPointF(heard, f.lower));
      }
      if (i == 0 && b - a > scaled(150)) { // the others are alike
        word(p, QPointF(a + scaled(8), f.upper - scaled(6)), QObject::tr("stretched to %1×").arg(f.h.slower), ink.ink);
        word(p, QPointF(played + scaled(52), f.upper - scaled(6)), QObject::tr("skipped"), ink.quiet);
      }
      // The join: the next turn comes in under the end of this one.
      if (i + 1 < f.h.cycles.size()) {
        const double join =
            std::max(3.0, static_cast<double>(f.h.join) / map.sampleRate() * map.bpmAt(begin) / 60 * c.axis.pxPerBeat);
        p.setPen(QPen(ink.ink, 1.2));
        p.drawLine(QPointF(b - join, f.lower - scaled(7)), QPointF(b, f.lower + scaled(7)));
        p.drawLine(QPointF(b - join, f.lower + scaled(7)), QPointF(b, f.lower - scaled(7)));
      }
    }
    paintSeams(p, c, {f.span.begin, f.span.end}, scaled(12), handles(c));
    paintNeighbours(p, c);
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all = sourceHandles(c, QObject::tr("edge"));
    const Frame f(c);
    using Pulled = std::optional<Ornament> (*)(const OpenCanvas&, const Pull&);
    const auto ring = [&](const char* name, const QString& word, QPointF at, const char* key, const QString& label,
                          Pulled pull) {
      const bool upDown = key == std::string_view("mix_percent");
      all.push_back({.name = QString::fromLatin1(name),
                     .word = word,
                     .rect = handleBox(at),
                     .cursor = upDown ? Qt::SizeVerCursor : Qt::SizeHorCursor,
                     .pull = pull,
                     .step = upDown ? stepping(nullptr, key) : stepping(key, nullptr),
                     .label = label,
                     .side = name == std::string_view("out") || at.x() > c.area.right() - scaled(130)
                                 ? OpenHandle::Side::left
                                 : OpenHandle::Side::right});
    };
    ring("cycle", QObject::tr("cycle"), {f.firstEnd, f.lower}, "cycle", QObject::tr("cycle %1").arg(textOf(c, "cycle")),
         [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
           const TempoMap& map = was.session.plan()->map();
           const Beats start = was.ornament.start;
           const double beats = (pull.to().x() - Frame(was).begin) / was.axis.pxPerBeat;
           Ornament o = was.ornament;
           o.settings["cycle"] = timeFor(std::max(0.001, beats * 60 / map.bpmAt(start)), 0.02, pull.free, map, start);
           return o;
         });
    ring("slower", QObject::tr("stretch"), {f.firstPlayed, f.upper}, "slower", textOf(c, "slower"),
         [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
           const Frame at(was);
           const double wanted = (at.firstEnd - at.begin) / std::max(1.0, pull.to().x() - at.begin);
           const SettingSpec& spec = *allKinds().find(was.ornament.kind)->table().find("slower");
           Ornament o = was.ornament;
           o.settings["slower"] =
               pull.free ? std::clamp(std::round(wanted * 100) / 100, spec.min, spec.max)
                         : *std::min_element(spec.stops.begin(), spec.stops.end(), [&](double a, double b) {
                             return std::abs(std::log(a / wanted)) < std::abs(std::log(b / wanted));
                           });
           return o;
         });
    ring("mix", QObject::tr("mix"), {(f.begin + f.end) / 2, f.mixY}, "mix_percent",
         QObject::tr("mix %1").arg(textOf(c, "mix_percent")),
         [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
           const Frame at(was);
           const double share = (at.mixFoot - pull.to().y()) / (at.mixFoot - at.mixTop);
           Ornament o = was.ornament;
           o.settings["mix_percent"] = std::round(std::clamp(share, 0.0, 1.0) * 100);
           return o;
         });
    ring("in", QObject::tr("fade in"), {f.fadeIn, f.fadeY}, "fade_in_beats",
         QObject::tr("in %1").arg(textOf(c, "fade_in_beats")), [](const OpenCanvas& was, const Pull& pull) {
           return withFade(was, "fade_in_beats", beatUnder(pull, was) - was.ornament.start);
         });
    ring("out", QObject::tr("fade out"), {f.fadeOut, f.fadeY}, "fade_out_beats",
         QObject::tr("out %1").arg(textOf(c, "fade_out_beats")), [](const OpenCanvas& was, const Pull& pull) {
           return withFade(was, "fade_out_beats", was.ornament.span().end - beatUnder(pull, was));
         });
    return all;
  }

  QString sentence(const OpenCanvas& c, bool&) const override {
    const double slower = *valueOf(c, "slower").number();
    const bool keep = *valueOf(c, "pitch").text() == "keep";
    const QString pitch =
        keep
            ? QObject::tr("at original pitch")
            : QObject::tr("%1 semitones lower").arg(12 * std::log2(slower), 0, 'f', slower == 2 || slower == 4 ? 0 : 1);
    QString cycle = textOf(c, "cycle");
    if (cycle.startsWith(QLatin1String("1 "))) cycle = cycle.mid(2);
    const QString part = slower == 2     ? QObject::tr("half")
                         : slower == 3   ? QObject::tr("third")
                         : slower == 4   ? QObject::tr("quarter")
                         : slower == 1.5 ? QObject::tr("two thirds")
                                         : QStringLiteral("%L1 %").arg(100 / slower, 0, 'f', 0);
    return QObject::tr("the first %1 of each %2 fills it, %3").arg(part, cycle, pitch);
  }

 private:
  static std::optional<Ornament> withFade(const OpenCanvas& was, const char* key, Beats length) {
    Ornament o = was.ornament;
    o.settings[key] = std::clamp(std::round(length.quarters() * 1000) / 1000, 0.0, std::min(64.0, o.length.quarters()));
    return o;
  }
  static void word(QPainter& p, QPointF at, const QString& text, const QColor& colour) {
    const double w = songTextWidth(text, 14, true);
    QColor ground = paper().card;
    ground.setAlphaF(0.8f);
    p.fillRect(QRectF(at.x() - 2, at.y() - scaled(13), w + 4, scaled(17)), ground);
    drawSongText(p, at, text, 14, true, colour);
  }
  struct Frame {
    explicit Frame(const OpenCanvas& c)
        : h(halftimeCycles(c.placed()))
        , span(c.placed().span()) {
      const TempoMap& map = c.session.plan()->map();
      begin = c.axis.xOf(map.beatAt(span.begin));
      end = c.axis.xOf(map.beatAt(span.end));
      firstEnd = c.axis.xOf(map.beatAt(h.cycles.front().end));
      firstPlayed = begin + (firstEnd - begin) / h.slower;
      upper = c.area.top() + c.area.height() * 0.34;
      lower = c.area.top() + c.area.height() * 0.66;
      mixTop = c.area.top() + scaled(26);
      mixFoot = c.area.bottom() - scaled(24);
      const auto number = [&](const char* key) { return *valueOf(c, key).number(); };
      mixY = mixFoot - number("mix_percent") / 100 * (mixFoot - mixTop);
      fadeY = c.area.bottom() - scaled(14);
      fadeIn = begin + number("fade_in_beats") * c.axis.pxPerBeat;
      fadeOut = end - number("fade_out_beats") * c.axis.pxPerBeat;
    }
    HalftimeCycles h;
    FrameRange span;
    double begin, end, firstEnd, firstPlayed, upper, lower, mixTop, mixFoot, mixY, fadeY, fadeIn, fadeOut;
  };
};

} // namespace

std::unique_ptr<OpenDrawing> halftimeDrawing() {
  return std::make_unique<HalftimeDrawing>();
}

} // namespace ivrin::app
