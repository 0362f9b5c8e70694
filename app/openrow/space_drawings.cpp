// The open reverse reverb: the word, its mirror image, and the swell rising to the landing line.
// The open reverb throw: the decay as a shape to pull.
#include "app/openrow/drawings.h"
#include "app/openrow/measures.h"
#include "app/theme/palette.h"
#include "app/theme/type.h"
#include "finish/space.h"
#include "ornaments/source.h"

#include <QPainterPath>

#include <algorithm>
#include <cmath>
#include <vector>

namespace ivrin::app {
namespace {

constexpr double kLeastDb = -60;

QString seconds(double s) {
  return QStringLiteral("%1 s").arg(s, 0, 'f', s < 1 ? 2 : 1);
}

const Kind& kindOf(const OpenCanvas& c) {
  return *allKinds().find(c.ornament.kind);
}

/// Up and down from where it was pressed, as a level about the middle line.
std::optional<Ornament> pullLevel(const OpenCanvas& was, const Pull& pull, const char* key) {
  const double mid = was.area.center().y(), from = std::max(1.0, mid - pull.press().y()),
               up = std::max(1.0, mid - pull.to().y());
  Ornament o = was.ornament;
  o.settings[key] = std::clamp(rounded(*valueOf(was, key).number() + 20 * std::log10(up / from), 0.5), -60.0, 12.0);
  return o;
}

OpenHandle wetHandle(const OpenCanvas& c, QPointF at, OpenHandle::Side side = OpenHandle::Side::right,
                     bool ofTones = false) {
  const char* key = ofTones ? "hold_db" : "wet_db";
  return {.name = QStringLiteral("wet"),
          .word = ofTones ? QObject::tr("freeze") : QObject::tr("wet"),
          .rect = handleBox(at),
          .cursor = Qt::SizeVerCursor,
          .pull = [key](const OpenCanvas& was, const Pull& pull) { return pullLevel(was, pull, key); },
          .step = stepping(nullptr, key),
          .label =
              ofTones ? QObject::tr("freeze level %1").arg(textOf(c, key)) : QObject::tr("wet %1").arg(textOf(c, key)),
          .shown = OpenHandle::Label::active,
          .side = side};
}

constexpr int kMostColumns = 480; // of a wave's outline: with more of them it is no plainer, and slow to fill
constexpr int kMostDots = 3000;   // along one

/// The dry wave between two frames as a closed shape in a box, as it is or mirrored in time.
QPolygonF waveShape(const OpenCanvas& c, const std::string& row, FrameRange range, QRectF box, bool mirrored) {
  const int n = std::clamp(static_cast<int>(box.width()), 2, kMostColumns);
  ColumnFrames frames(static_cast<std::size_t>(n) + 1);
  for (int i = 0; i <= n; ++i) frames[static_cast<std::size_t>(i)] = range.begin.count + range.length() * i / n;
  const WaveColumns wave = c.waves->row(row, frames, box.center().y(), box.height() / 2);
  QPolygonF shape;
  shape.reserve(2 * n + 2);
  const auto x = [&](int i) {
    const double u = (i + 0.5) / n;
    return box.left() + box.width() * (mirrored ? 1 - u : u);
  };
  shape << QPointF(x(0), box.center().y());
  for (int i = 0; i < n; ++i) shape << QPointF(x(i), static_cast<double>(wave.top[static_cast<std::size_t>(i)]));
  for (int i = n; i-- > 0;) shape << QPointF(x(i), static_cast<double>(wave.bottom[static_cast<std::size_t>(i)]));
  shape << shape.front();
  return shape;
}

/// Dots along an outline, so many pixels apart; further where it is so jagged that there would be too many. (A dashed
/// pen strokes each dash as a shape of its own: half a second for a wave across the page.)
void drawDots(QPainter& p, const QPolygonF& outline, double apart, double width, const QColor& ink) {
  double length = 0;
  for (qsizetype i = 1; i < outline.size(); ++i) length += QLineF(outline[i - 1], outline[i]).length();
  apart = std::max(apart, length / kMostDots);
  std::vector<QRectF> dots;
  double next = 0; // from the begin of the line
  for (qsizetype i = 1; i < outline.size(); ++i) {
    const QLineF line(outline[i - 1], outline[i]);
    for (; next < line.length(); next += apart) {
      const QPointF at = line.pointAt(next / line.length());
      dots.emplace_back(at.x() - width / 2, at.y() - width / 2, width, width);
    }
    next -= line.length();
  }
  p.setPen(Qt::NoPen);
  p.setBrush(ink);
  p.drawRects(dots.data(), static_cast<int>(dots.size()));
  p.setBrush(Qt::NoBrush);
}

// ---------------------------------------------------------------- reverse reverb

class SwellDrawing : public OpenDrawing {
 public:
  static constexpr double kRiseAt = 0.36, kDecayAt = 0.66; // where their rings stand, as shares of the lead-in
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QObject::tr("source"));
    const Shape s(c, height_);
    const double mid = c.area.center().y();
    p.setPen(QPen(ink.barRule, 1));
    p.drawLine(QPointF(c.area.left(), mid), QPointF(c.area.right(), mid));
    if (c.waves) paintMirror(p, c, s);
    if (!s.sounds) return paintNeighbours(p, c);

    // How the swell rises: the space's decay read backwards.
    QPolygonF rise;
    for (int i = 0; i <= 80; ++i) rise << s.point(i / 80.0);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(ink.rust, 1.6));
    p.drawPolyline(rise);
    if (s.spill > 0) {
      QPolygonF fall;
      for (int i = 0; i <= 40; ++i)
        fall << QPointF(s.landing + (s.spillEnd - s.landing) * i / 40,
                        mid + s.height * s.spillGain * std::pow(10.0, -60 * i / 40.0 / 20));
      p.setPen(QPen(ink.blue, 1.4));
      p.drawPolyline(fall);
    }
    paintNeighbours(p, c);
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all = sourceHandles(c, QObject::tr("source"));
    const Shape s(c, height_);
    const double mid = c.area.center().y();
    using Label = OpenHandle::Label;
    using Side = OpenHandle::Side;
    all.push_back({.name = QStringLiteral("lead"),
                   .word = QObject::tr("lead-in"),
                   .rect = handleBox({s.begin, s.point(0).y()}),
                   .cursor = Qt::SizeHorCursor,
                   .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                     return kindOf(was).withLeadBegin(was.placed(), beatUnder(pull, was));
                   },
                   .label = QObject::tr("lead-in %1").arg(leadWords(c))});
    all.push_back({.name = QStringLiteral("rise"),
                   .word = QObject::tr("swell"),
                   .rect = handleBox(s.point(kRiseAt)),
                   .cursor = Qt::SizeVerCursor,
                   .pull = [this](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                     const Shape at(was, height_);
                     const double straight = -60 * at.leadSeconds * (1 - kRiseAt) / at.decay;
                     const double off = straight - at.dbUnder(pull.to());
                     Ornament o = was.ornament;
                     o.settings["rise_bend"] = std::clamp(rounded(off / (36 * (1 - kRiseAt)), 0.05), -1.0, 1.0);
                     return o;
                   },
                   .step = stepping(nullptr, "rise_bend"),
                   .label = QObject::tr("swell bend %1").arg(textOf(c, "rise_bend")),
                   .shown = Label::active,
                   .side = Side::left});
    all.push_back({.name = QStringLiteral("decay"),
                   .word = QObject::tr("decay"),
                   .rect = handleBox(s.point(kDecayAt)),
                   .cursor = Qt::SizeVerCursor,
                   .pull = [this](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                     // The level there says how fast it falls; near the fitted one it is fitted.
                     const Shape at(was, height_);
                     const double fall = std::clamp(-at.dbUnder(pull.to()), 0.5, 59.9),
                                  decay = 60 * at.leadSeconds * (1 - kDecayAt) / fall;
                     Ornament o = was.ornament;
                     o.settings["decay_seconds"] = std::abs(decay / at.leadSeconds - 1) < 0.08
                                                       ? Value()
                                                       : Value(std::clamp(rounded(decay, 0.05), 0.1, 30.0));
                     return o;
                   },
                   .step = stepping(nullptr, "decay_seconds"),
                   .label = decayWords(c, s),
                   .side = Side::left});
    all.push_back(wetHandle(c, s.point(0.95), Side::left));
    all.push_back(
        {.name = QStringLiteral("spill"),
         .word = QObject::tr("tail"),
         .rect = handleBox({std::max(s.spillEnd, s.landing + scaled(16)), mid + scaled(s.spill > 0 ? 4 : 40)}),
         .cursor = Qt::SizeHorCursor,
         .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
           const double landing = was.ornament.start.quarters() + *valueOf(was, "land").number();
           Ornament o = was.ornament;
           o.settings["spill_beats"] = std::clamp(rounded(beatUnder(pull, was).quarters() - landing, 1e-3), 0.0, 16.0);
           return o;
         },
         .step = stepping("spill_beats", nullptr),
         .label = QObject::tr("tail %1").arg(textOf(c, "spill_beats")),
         .shown = s.spill > 0 ? Label::always : Label::active});
    all.push_back({.name = QStringLiteral("land"),
                   .word = QObject::tr("landing"),
                   .rect = handleBox({s.landing, c.area.bottom() - scaled(12)}),
                   .cursor = Qt::SizeHorCursor,
                   .mark = OpenHandle::Mark::diamond,
                   .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                     return kindOf(was).withLandingAt(was.placed(), beatUnder(pull, was));
                   }});
    return all;
  }

  QString sentence(const OpenCanvas& c, bool&) const override {
    const QString word = valueOf(c, "word_db").isNull() ? QObject::tr("word level: off")
                                                        : QObject::tr("word at %1").arg(textOf(c, "word_db"));
    const auto rise = riseDb(c);
    if (!rise) return QObject::tr("swells over %1 from … dB; %2").arg(leadWords(c), word);
    return *rise > 90 ? QObject::tr("swells over %1 from silence; %2").arg(leadWords(c), word)
                      : QObject::tr("swells over %1 from %2 dB; %3")
                            .arg(leadWords(c), QStringLiteral("\u2212") + QString::number(*rise, 'f', 0), word);
  }

 private:
  /// Measured on the print: how much louder it is right before the landing than where its lead-in starts (100 ms each,
  /// a quarter of a shorter one). Nothing while the print is not whole.
  static std::optional<double> riseDb(const OpenCanvas& c) {
    if (!c.node || !c.node->print || !c.node->print->complete()) return std::nullopt;
    const TempoMap& map = c.session.plan()->map();
    const Beats land = c.ornament.start + Beats::ofQuarters(*valueOf(c, "land").number());
    const Frames end = map.frameAt(land),
                 begin = map.frameAt(land - Beats::ofQuarters(*valueOf(c, "lead_beats").number()));
    const std::int64_t n = std::max<std::int64_t>(
        16, std::min<std::int64_t>((end - begin).count / 4, std::llround(0.1 * map.sampleRate())));
    const auto power = [&](Frames from) {
      StereoBuffer b(n);
      c.node->print->addTo(from, b.span());
      double sum = 1e-20;
      for (std::int64_t i = 0; i < n; ++i)
        sum += static_cast<double>(b.left()[i]) * b.left()[i] + static_cast<double>(b.right()[i]) * b.right()[i];
      return sum;
    };
    return 10 * std::log10(power(end - Frames(n)) / power(begin));
  }

  struct Shape {
    Shape(const OpenCanvas& c, double& memory) {
      const TempoMap& map = c.session.plan()->map();
      const double land = *valueOf(c, "land").number(), lead = *valueOf(c, "lead_beats").number();
      const Beats at = c.ornament.start + Beats::ofQuarters(land);
      landing = c.axis.xOf(at);
      begin = c.axis.xOf(at - Beats::ofQuarters(lead));
      leadSeconds = map.secondsAt(at).value - map.secondsAt(at - Beats::ofQuarters(lead)).value;
      const double* set = valueOf(c, "decay_seconds").number();
      fitted = !set;
      decay = set ? *set : std::max(0.1, leadSeconds);
      bend = *valueOf(c, "rise_bend").number();
      spill = *valueOf(c, "spill_beats").number();
      spillGain = Decibels(*valueOf(c, "spill_db").number()).gain();
      spillEnd = landing + spill * c.axis.pxPerBeat;
      mid = c.area.center().y();
      // While a print is being made the former one's height stands, so that a handle under the hand does not jump.
      if (const double now = printHeight(c); now > 0) memory = now;
      sounds = memory > 1;
      height = std::max(memory, c.area.height() * 0.05);
      source = map.frames(c.ornament.span());
    }
    double dbAt(double u) const {
      double db = -60 * leadSeconds * (1 - u) / decay;
      if (bend > 0) db -= 36 * bend * (1 - u);
      if (bend < 0) db -= bend * 0.6 * std::min(60 * leadSeconds / decay, 60.0) * (1 - u);
      return std::max(db, kLeastDb);
    }
    QPointF point(double u) const {
      return {begin + (landing - begin) * u, mid - height * std::pow(10.0, dbAt(u) / 20)};
    }
    /// What a height means, against the swell's loudest.
    double dbUnder(QPointF at) const { return 20 * std::log10(std::max(1.0, mid - at.y()) / std::max(height, 1.0)); }
    double landing, begin, spillEnd, leadSeconds, decay, bend, spill, spillGain, mid, height;
    bool fitted, sounds;
    FrameRange source;
  };

  static QString leadWords(const OpenCanvas& c) {
    const Beats lead = Beats::ofQuarters(*valueOf(c, "lead_beats").number());
    return spanWords(c.session.plan()->map(), c.ornament.start, lead);
  }
  static QString decayWords(const OpenCanvas&, const Shape& s) {
    return s.fitted ? QObject::tr("decay %1 (auto)").arg(seconds(s.decay))
                    : QObject::tr("decay %1").arg(seconds(s.decay));
  }

  mutable double height_ = 0;

  /// The word as it lies hatched in its place, and its mirror image before the landing.
  void paintMirror(QPainter& p, const OpenCanvas& c, const Shape& s) const {
    if (!c.ornament.source.empty()) return;
    const Palette& ink = paper();
    const double a = c.axis.xOf(c.ornament.start), b = c.axis.xOf(c.ornament.span().end);
    if (b - a < 3) return;
    const QRectF own(a, c.area.top(), b - a, c.area.height());
    QPainterPath word;
    word.addPolygon(waveShape(c, c.ornament.on, s.source, own, false));
    p.save();
    p.setClipPath(word);
    p.setPen(QPen(ink.card, 1.4));
    for (double x = a - c.area.height(); x < b; x += scaled(6))
      p.drawLine(QPointF(x, c.area.bottom()), QPointF(x + c.area.height() * 0.5, c.area.top()));
    p.restore();
    const QRectF mirror(s.landing - (b - a), c.area.top(), b - a, c.area.height());
    drawDots(p, waveShape(c, c.ornament.on, s.source, mirror, true), 3.6, 1.4, ink.rust);
    if (mirror.left() > c.area.left() && mirror.width() > scaled(40))
      drawSongText(p, QPointF(mirror.left() + scaled(4), c.area.bottom() - scaled(6)), QObject::tr("reversed"), 14,
                   true, ink.rust);
  }
};

// ---------------------------------------------------------------- reverb throw

class ReverbThrowDrawing : public OpenDrawing {
 public:
  void paint(QPainter& p, const OpenCanvas& c) const override {
    const Palette& ink = paper();
    paintSourceEdges(p, c, QObject::tr("source"));
    const Shape s(c, height_);
    p.setPen(QPen(ink.barRule, 1));
    p.drawLine(QPointF(c.area.left(), s.mid), QPointF(c.area.right(), s.mid));
    QPolygonF fall;
    for (int i = 0; i <= 80; ++i) fall << s.point(i / 80.0);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(ink.blue, 1.6));
    p.drawPolyline(fall);
    if (s.cut) {
      p.setPen(QPen(ink.blue, 1.6, Qt::DashLine));
      p.drawLine(QPointF(s.end, c.area.top() + scaled(30)), QPointF(s.end, c.area.bottom() - scaled(10)));
    }
    paintNeighbours(p, c);
  }

  std::vector<OpenHandle> handles(const OpenCanvas& c) const override {
    std::vector<OpenHandle> all = sourceHandles(c, QObject::tr("source"));
    const Shape s(c, height_);
    all.push_back(wetHandle(c, s.point(0.03), OpenHandle::Side::right, s.tones));
    if (!s.held)
      all.push_back({.name = QStringLiteral("decay"),
                     .word = QObject::tr("decay"),
                     .rect = handleBox(s.point(kPulled)),
                     .cursor = Qt::SizeHorCursor,
                     .pull = [this](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                       // The ring stands a third of the way down: sideways it takes the whole shape with it.
                       const Shape at(was, height_);
                       const TempoMap& map = was.session.plan()->map();
                       const Beats rest = was.axis.beatAt(at.begin + (pull.to().x() - at.begin) / kPulled);
                       const double decay = map.secondsAt(rest).value - map.secondsAt(was.axis.beatAt(at.begin)).value;
                       Ornament o = was.ornament;
                       o.settings["decay_seconds"] = std::clamp(rounded(decay, 0.05), 0.1, 30.0);
                       return o;
                     },
                     .step = stepping("decay_seconds", nullptr),
                     .label = QObject::tr("decay %1").arg(textOf(c, "decay_seconds"))});
    all.push_back({.name = QStringLiteral("cut"),
                   .word = QObject::tr("cut"),
                   .rect = handleBox({s.end, s.mid}),
                   .cursor = Qt::SizeHorCursor,
                   .pull = [](const OpenCanvas& was, const Pull& pull) -> std::optional<Ornament> {
                     return kindOf(was).withTailEnd(was.placed(), beatUnder(pull, was));
                   },
                   .label = s.cut ? QObject::tr("cut here") : QObject::tr("cut"),
                   .shown = s.cut ? OpenHandle::Label::always : OpenHandle::Label::active});
    return all;
  }

  QString sentence(const OpenCanvas& c, bool& warn) const override {
    const Shape s(c, height_);
    const TempoMap& map = c.session.plan()->map();
    if (s.held && !s.cut) {
      warn = true;
      return QObject::tr("held until cut; it does not fade on its own");
    }
    if (s.cut)
      return QObject::tr("%1, cut after %2")
          .arg(s.tones  ? QObject::tr("tones held")
               : s.held ? QObject::tr("held")
                        : QObject::tr("rings"),
               spanWords(map, c.ornament.start, Beats::ofQuarters(*valueOf(c, "cut_at").number())));
    const Beats gone = map.beatAt(Seconds(map.secondsAt(c.ornament.span().end).value + s.decay));
    return QObject::tr("fades by 60 dB in %1, silent after %2")
        .arg(seconds(s.decay), spanWords(map, c.ornament.start, gone - c.ornament.start));
  }

 private:
  mutable double height_ = 0;
  static constexpr double kPulled = 0.3; // where the ring stands, as a share of the decay

  struct Shape {
    Shape(const OpenCanvas& c, double& memory) {
      const TempoMap& map = c.session.plan()->map();
      mid = c.area.center().y();
      const Beats last = c.ornament.span().end;
      begin = c.axis.xOf(last);
      decay = decayOf(valueOf(c, "decay_seconds"), map, c.ornament.start);
      held = *valueOf(c, "freeze").boolean();
      tones = held && *valueOf(c, "freeze_of").text() == "tones";
      decayEnd = c.axis.xOf(map.beatAt(Seconds(map.secondsAt(last).value + decay)));
      const double* at = valueOf(c, "cut_at").number();
      cut = at != nullptr;
      end = cut ? c.axis.xOf(c.ornament.start + Beats::ofQuarters(*at)) : decayEnd;
      if (const double now = printHeight(c); now > 0) memory = now;
      height = std::max(memory, c.area.height() * 0.05);
    }
    QPointF point(double u) const {
      return {begin + (decayEnd - begin) * u, mid - height * std::pow(10.0, (held ? 0 : -60 * u) / 20)};
    }
    double mid, begin, decay, decayEnd, end, height;
    bool held, tones, cut;
  };
};

} // namespace

std::unique_ptr<OpenDrawing> swellDrawing() {
  return std::make_unique<SwellDrawing>();
}

std::unique_ptr<OpenDrawing> reverbThrowDrawing() {
  return std::make_unique<ReverbThrowDrawing>();
}

} // namespace ivrin::app
