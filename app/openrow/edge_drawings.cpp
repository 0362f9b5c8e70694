// The open gap and the open reverse: their edges, and what stays.
#include "app/openrow/drawings.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <cmath>

namespace ivrin::app {
namespace {

/// The open gap: its edges, and the hatching that the score draws for what is taken away.
class GapDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    paintSourceEdges(p, c, cutsTails(c) ? QObject::tr("removed") : QObject::tr("dry sound removed, tails continue"));
  }
  std::vector<OpenHandle> handles(const OpenCanvas& c) const override { return sourceHandles(c, QObject::tr("edge")); }
  QString sentence(const OpenCanvas& c, bool&) const override {
    return (cutsTails(c) ? QObject::tr("silent for %1; tails are cut") : QObject::tr("silent for %1; tails continue"))
        .arg(spanWords(c.session.plan()->map(), c.ornament.start, c.ornament.length));
  }

 private:
  static bool cutsTails(const OpenCanvas& c) { return *valueOf(c, "tails").text() == "cut"; }
};

/// The open treat: what goes through the finish, how much of it, and how long it goes on.
class TreatDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QObject::tr("processed"));
    const Place at(c);
    p.setPen(QPen(ink.barRule, 1));
    p.drawLine(QPointF(c.area.left(), c.area.center().y()), QPointF(c.area.right(), c.area.center().y()));
    // How much of it: a line across the stretch at the height of the mix.
    p.setPen(QPen(ink.blue, 1.4, Qt::DashLine));
    p.drawLine(QPointF(at.begin, at.mixY), QPointF(at.end, at.mixY));
    if (at.tail > at.end + 2) { // where what it adds ends
      p.setPen(QPen(ink.blue, 1.4));
      const double y = c.area.bottom() - scaled(32);
      p.drawLine(QPointF(at.end, y), QPointF(at.tail, y));
      p.drawLine(QPointF(at.tail, y - scaled(5)), QPointF(at.tail, y + scaled(5)));
      drawSongText(p, QPointF(std::min(at.tail, c.area.right() - scaled(60)) + scaled(8), y + scaled(4)),
                   QObject::tr("tail"), 14, true, ink.blue);
    }
    paintNeighbours(p, c);
  }
  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all = sourceHandles(c, QObject::tr("edge"));
    const Place at(c);
    all.push_back({.name = QStringLiteral("mix"),
                   .word = QObject::tr("mix"),
                   .rect = handleBox({(at.begin + at.end) / 2, at.mixY}),
                   .cursor = Qt::SizeVerCursor,
                   .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                     const double foot = was.area.bottom() - scaled(24), whole = was.area.height() - scaled(64);
                     Ornament o = was.ornament;
                     o.settings["mix_percent"] = std::round(std::clamp((foot - pull.to().y()) / whole, 0.0, 1.0) * 100);
                     return o;
                   },
                   .step = stepping(nullptr, "mix_percent"),
                   .label = QObject::tr("mix %1 %").arg(*valueOf(c, "mix_percent").number())});
    if (at.tail > at.end + 2)
      all.push_back({.name = QStringLiteral("tail"),
                     .word = QObject::tr("tail"),
                     .rect = handleBox({at.tail, c.area.bottom() - scaled(32)}),
                     .cursor = Qt::SizeHorCursor,
                     .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                       // From then on it is as long as it says.
                       const TempoMap& map = was.session.plan()->map();
                       const double seconds =
                           map.secondsAt(beatUnder(pull, was)).value - map.secondsAt(was.ornament.span().end).value;
                       Ornament o = was.ornament;
                       o.settings["tail_seconds"] = std::clamp(std::round(seconds * 1000) / 1000, 0.0, 120.0);
                       return o;
                     },
                     .step = stepping("tail_seconds", nullptr)});
    return all;
  }
  QString sentence(const OpenCanvas& c, bool&) const override {
    if (c.ornament.finish.empty()) return QObject::tr("no processing yet: add a processor in the finish below");
    const bool keep = *valueOf(c, "dry").text() == "keep";
    return keep ? QObject::tr("with the dry sound") : QObject::tr("replaces the dry sound");
  }

 private:
  struct Place {
    explicit Place(const OpenCanvas& c) {
      const TempoMap& map = c.session.plan()->map();
      begin = c.axis.xOf(c.ornament.start);
      end = c.axis.xOf(c.ornament.span().end);
      const double share = *valueOf(c, "mix_percent").number() / 100;
      mixY = c.area.bottom() - scaled(24) - share * (c.area.height() - scaled(64));
      tail = c.node && c.node->print ? c.axis.xOf(map.beatAt(c.node->print->end())) : end;
    }
    double begin, end, mixY, tail;
  };
};

/// The open reverse: the source's edges, where it ends, and how long it takes to come up.
class ReverseDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QObject::tr("source"));
    const Place at(c);
    const double mid = c.area.center().y(), y = c.area.bottom() - scaled(20);
    p.setPen(QPen(ink.barRule, 1));
    p.drawLine(QPointF(c.area.left(), mid), QPointF(c.area.right(), mid));
    // An arrow back over what is played backwards.
    const QColor hue = at.moved ? ink.rust : ink.blue;
    p.setPen(QPen(hue, 1.6));
    p.drawLine(QPointF(at.begin + scaled(8), y), QPointF(at.end - scaled(8), y));
    p.drawPolyline(QPolygonF({QPointF(at.begin + scaled(16), y - scaled(5)), QPointF(at.begin + scaled(8), y),
                              QPointF(at.begin + scaled(16), y + scaled(5))}));
    // The rise of its fade.
    const double top = c.area.top() + scaled(34);
    p.setPen(QPen(hue, 1.4));
    p.drawLine(QPointF(at.begin, mid), QPointF(at.fade, top));
  }
  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all = sourceHandles(c, QObject::tr("source"));
    const Place at(c);
    all.push_back({.name = QStringLiteral("fade"),
                   .word = QObject::tr("fade in"),
                   .rect = handleBox({at.fade, c.area.top() + scaled(34)}),
                   .cursor = Qt::SizeHorCursor,
                   .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                     const double begin = was.axis.beatAt(Place(was).begin).quarters();
                     Ornament o = was.ornament;
                     o.settings["fade_in_beats"] =
                         std::clamp(std::round((beatUnder(pull, was).quarters() - begin) * 1000) / 1000, 0.0, 64.0);
                     return o;
                   },
                   .step = stepping("fade_in_beats", nullptr),
                   .label = QObject::tr("fade in %1").arg(textOf(c, "fade_in_beats"))});
    all.push_back({.name = QStringLiteral("land"),
                   .word = QObject::tr("end"),
                   .rect = handleBox({at.end, c.area.bottom() - scaled(20)}),
                   .cursor = Qt::SizeHorCursor,
                   .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                     return allKinds().find(was.ornament.kind)->withLandingAt(was.placed(), beatUnder(pull, was));
                   },
                   .label = at.moved ? QObject::tr("ends here") : QObject::tr("in place")});
    return all;
  }
  QString sentence(const OpenCanvas& c, bool&) const override {
    const bool gone = *valueOf(c, "remove_dry").boolean();
    const QString what =
        valueOf(c, "land").isNull() ? QObject::tr("reversed in place") : QObject::tr("reversed up to its landing");
    return gone ? QObject::tr("%1; the source is removed").arg(what) : QObject::tr("%1; the source stays").arg(what);
  }

 private:
  struct Place {
    explicit Place(const OpenCanvas& c) {
      const TempoMap& map = c.session.plan()->map();
      const Kind* kind = allKinds().find(c.ornament.kind);
      const Placed placed = c.placed();
      const Frames last = kind->landingFrame(placed).value_or(placed.span().end);
      const Frames first = last - Frames(placed.span().length());
      const double beats = *valueOf(c, "fade_in_beats").number();
      moved = !valueOf(c, "land").isNull();
      begin = c.axis.xOf(map.beatAt(first));
      end = c.axis.xOf(map.beatAt(last));
      fade = std::min(end, begin + beats * c.axis.pxPerBeat);
    }
    double begin, end, fade;
    bool moved;
  };
};

} // namespace

std::unique_ptr<OpenDrawing> gapDrawing() {
  return std::make_unique<GapDrawing>();
}

std::unique_ptr<OpenDrawing> treatDrawing() {
  return std::make_unique<TreatDrawing>();
}

std::unique_ptr<OpenDrawing> reverseDrawing() {
  return std::make_unique<ReverseDrawing>();
}

} // namespace ivrin::app
