#include "app/openrow/finish_shapes.h"

#include "app/openrow/measures.h"
#include "app/words/as_text.h"
#include "dsp/dynamics/drive.h"
#include "finish/curves.h"
#include "finish/finisher.h"
#include "finish/shared_settings.h"
#include "finish/stages.h"
#include "finish/tone.h"
#include "ornaments/delay_throw_settings.h"
#include "song/settings/setting_text.h"

#include <QObject>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ivrin::app {
namespace {

constexpr double kToneDb = 24, kFilterTop = 12, kFilterFoot = -36, kLevelFoot = -60;

struct View : SettingsView {
  View(const Finisher& finisher, const Settings& settings)
      : SettingsView(finisher.table(), settings)
      , table(finisher.table()) {}
  QString words(const char* key) const { return QString::fromStdString(settingText(*table.find(key), value(key))); }
  const TableSpec& table;
};

QPolygonF sampled(int n, const std::function<double(double)>& f) {
  QPolygonF line;
  for (int i = 0; i <= n; ++i) {
    const double u = static_cast<double>(i) / n;
    line << QPointF(u, std::clamp(f(u), -0.02, 1.02));
  }
  return line;
}

double unitOfFilterDb(double db) {
  return (db - kFilterFoot) / (kFilterTop - kFilterFoot);
}

/// The processors that are a curve over the ornament's beats: which setting, its range and steps.
struct Curved {
  const char* key;
  double low, high, step;
  double unit(double y) const { return (y - low) / (high - low); }
  double value(double u) const { return std::round((low + (high - low) * u) / step) * step; }
};
std::optional<Curved> curvedOf(const std::string& type) {
  if (type == "width") return Curved{"percent", 0, 200, 5};
  if (type == "pan") return Curved{"position", -1, 1, 0.05};
  if (type == "gain") return Curved{"db", -60, 12, 0.5};
  return std::nullopt;
}

/// Steady level out for a level in, dBFS.
double transfer(const std::string& type, const View& v, double db) {
  return type == "compressor" ? compressorOutDb(v, db) : std::min(db, v.number("ceiling_dbtp"));
}

Settings with(const Processor& p, const char* key, Value v) {
  Settings s = p.settings;
  s[key] = std::move(v);
  return s;
}

Value frequency(double u) {
  return rounded(hzOfUnit(u), hzOfUnit(u) < 1000 ? 1 : 10);
}

const char* firstOf(const std::vector<const char*>& keys, const View& v) {
  for (const char* k : keys)
    if (!v.value(k).isNull()) return k;
  return keys.front();
}

} // namespace

double unitOfHz(double hz) {
  return std::log(hz / 20) / std::log(1000.0);
}
double hzOfUnit(double u) {
  return 20 * std::pow(1000.0, std::clamp(u, 0.0, 1.0));
}

FinishContext finishContext(const TempoMap& map, const Ornament& o, const OrnamentNode* node) {
  FinishContext c{map, o.start, o.length, 0, map.sampleRate()};
  if (!node || !node->print) return c;
  const FrameRange r = node->print->complete() ? node->print->extent() : node->plan.extent;
  const Beats begin = map.beatAt(r.begin), end = std::min(map.beatAt(r.end), o.span().end + Beats::ofQuarters(32));
  c.from = std::round((begin - o.start).quarters() * 64) / 64;
  c.length = std::max(end - begin, o.length);
  return c;
}

namespace {

QPolygonF flat(double y) {
  return {QPointF(0, y), QPointF(1, y)};
}

FinishShape filterShape(const View& v, const FinishContext& c) {
  FinishShape s;
  s.axis = FinishShape::Axis::frequency;
  s.guides = {flat(unitOfFilterDb(0))};
  const FilterCurve curve(v, 0, c.sampleRate); // its cutoffs as they stand at the ornament's start
  const auto db = [&](double u) { return curve.gainDb(std::min(hzOfUnit(u), 0.49 * c.sampleRate)); };
  s.lines = {sampled(160, [&](double u) { return unitOfFilterDb(db(u)); })};
  for (const bool low : {true, false}) {
    const char* key = low ? "low_cut_hz" : "high_cut_hz";
    const double u = v.value(key).isNull() ? (low ? 0.0 : 1.0) : unitOfHz(v.curve(key).at(0));
    s.handles.push_back({low ? "low" : "high",
                         {u, unitOfFilterDb(std::clamp(db(u), -12.0, 11.0))},
                         v.value(key).list() ? QObject::tr("moving") : v.words(key)});
  }
  return s;
}

FinishShape toneShape(const View& v, const FinishContext& c) {
  FinishShape s;
  s.axis = FinishShape::Axis::frequency;
  s.guides = {flat(0.5)};
  const auto bands = toneBands(v.value("bands"));
  s.lines = {sampled(160, [&](double u) {
    const double hz = std::min(hzOfUnit(u), 0.49 * c.sampleRate);
    double db = toneGainDb(bands, hz, c.sampleRate);
    for (const bool low : {true, false})
      db += shelfGainDb(low, v.number(low ? "low_shelf_hz" : "high_shelf_hz"),
                        v.number(low ? "low_shelf_db" : "high_shelf_db"), hz, c.sampleRate);
    return 0.5 + db / (2 * kToneDb);
  })};
  for (const bool low : {true, false}) // half of the gain at the edge
    s.handles.push_back({low ? QStringLiteral("lows") : QStringLiteral("highs"),
                         {unitOfHz(v.number(low ? "low_shelf_hz" : "high_shelf_hz")),
                          0.5 + v.number(low ? "low_shelf_db" : "high_shelf_db") / (4 * kToneDb)},
                         low ? QObject::tr("lows %1").arg(v.words("low_shelf_db"))
                             : QObject::tr("highs %1").arg(v.words("high_shelf_db"))});
  for (std::size_t i = 0; i < bands.size(); ++i)
    s.handles.push_back({QStringLiteral("band%1").arg(i),
                         {unitOfHz(bands[i].hz), 0.5 + bands[i].gainDb / (2 * kToneDb)},
                         QStringLiteral("%1 Hz, %2 dB").arg(bands[i].hz, 0, 'f', 0).arg(bands[i].gainDb, 0, 'f', 1)});
  return s;
}

FinishShape dynamicsShape(const std::string& t, const View& v, const FinishContext& /*c*/) {
  FinishShape s;
  s.axis = FinishShape::Axis::level;
  const auto unit = [](double db) { return (db - kLevelFoot) / -kLevelFoot; };
  s.guides = {QPolygonF{QPointF(0, 0), QPointF(1, 1)}};
  s.lines = {sampled(120, [&](double u) { return unit(transfer(t, v, kLevelFoot * (1 - u))); })};
  if (t == "compressor") {
    const double at = v.number("threshold_db");
    s.handles = {{"threshold", {unit(at), unit(transfer(t, v, at))}, v.words("threshold_db")},
                 {"ratio", {1, unit(transfer(t, v, 0))}, QObject::tr("%1 : 1").arg(v.number("ratio"))}};
  } else {
    s.handles = {
        {"ceiling", {unit(v.number("ceiling_dbtp")), unit(v.number("ceiling_dbtp"))}, v.words("ceiling_dbtp")}};
  }
  return s;
}

FinishShape dirtShape(const View& v, const FinishContext& /*c*/) {
  FinishShape s;
  s.axis = FinishShape::Axis::level;
  s.guides = {QPolygonF{QPointF(0, 0), QPointF(1, 1)}};
  s.lines = {sampled(480, [&](double u) { return 0.5 + 0.5 * dirtTransfer(v, 2 * u - 1); })};
  s.handles = {{"drive", {1, 0.5 + 0.5 * dirtTransfer(v, 1)}, QObject::tr("drive %1").arg(v.words("drive_percent"))}};
  return s;
}

FinishShape reverbShape(const View& v, const FinishContext& c) {
  FinishShape s;
  s.axis = FinishShape::Axis::time;
  const Value& set = v.value("decay_seconds");
  const double decay = set.number() ? *set.number() : NoteValue::parse(*set.text())->seconds(c.map, c.start).value;
  s.seconds = std::max(2.0, std::exp2(std::ceil(std::log2(decay * 1.1))));
  const double mix = v.share("mix_percent");
  s.lines = {sampled(120, [&](double u) { return mix * std::max(0.0, 1 - u * s.seconds / decay); })};
  s.lines.back() << QPointF(1, 0);
  s.handles = {{"mix", {0, mix}, QObject::tr("mix %1").arg(v.words("mix_percent"))},
               {"decay", {decay / s.seconds, 0.02}, QObject::tr("decay %1").arg(v.words("decay_seconds"))}};
  return s;
}

FinishShape echoShape(const View& v, const FinishContext& c) {
  FinishShape s;
  s.axis = FinishShape::Axis::time;
  const FinishPlace at{c.map, c.start, c.length, c.map.frameAt(c.start)};
  const double left = v.seconds("time_left", at.map, at.start), right = v.seconds("time_right", at.map, at.start),
               mix = v.share("mix_percent"), feedback = v.share("feedback_percent");
  s.seconds = std::max(left, right) * 8;
  s.guides = {flat(0.5)};
  s.lines.push_back({QPointF(0, 0.5), QPointF(0, 0.5 + 0.5 * (1 - mix))});
  // A sound in the middle, up what is heard of it on the left, down on the right.
  DelayThrowSettings ladder;
  ladder.timeLeft = left;
  ladder.timeRight = right;
  ladder.pattern = echoPatternOf(v.value("pattern"));
  ladder.feedbackLeft = ladder.feedbackRight = Curve(feedback);
  ladder.send = Curve(1);
  double second = 2 * left; // the first echo that went round, on the left where one comes
  bool found = false, onLeft = false;
  for (const Echo& e : echoLadder(ladder, 1, 0.008, 64)) {
    if (e.frames > s.seconds) break;
    if (e.pass == 2 && (!found || (!onLeft && !e.right))) {
      second = e.frames;
      found = true;
      onLeft = !e.right;
    }
    const double x = e.frames / s.seconds, g = 0.5 * mix * e.gain;
    s.lines.push_back({QPointF(x, 0.5), QPointF(x, e.right ? 0.5 - g : 0.5 + g)});
  }
  s.handles = {{"mix", {left / s.seconds, 0.5 + 0.5 * mix}, QObject::tr("mix %1").arg(v.words("mix_percent"))},
               {"feedback",
                {second / s.seconds, 0.5 + 0.5 * mix * feedback},
                QObject::tr("feedback %1").arg(v.words("feedback_percent"))}};
  return s;
}

FinishShape curvedShape(const Curved& curved, const std::string& t, const View& v, const FinishContext& c) {
  FinishShape s;
  s.axis = FinishShape::Axis::beats;
  const Curve curve = v.curve(curved.key);
  const double beats = std::max(c.length.quarters(), 1e-6);
  if (t == "pan") s.guides = {flat(0.5)};
  if (t == "gain") s.guides = {flat(curved.unit(0))};
  if (t == "width") s.guides = {flat(curved.unit(100))};
  s.lines = {sampled(120, [&](double u) { return curved.unit(curve.at(c.from + u * beats)); })};
  if (const double* plain = v.value(curved.key).number())
    s.handles = {{"value", {0.5, curved.unit(*plain)}, v.words(curved.key)}};
  return s;
}

FinishShape duckShape(const View& v, const FinishContext& /*c*/) {
  FinishShape s;
  s.axis = FinishShape::Axis::time;
  s.seconds = 1;
  const double depth = v.number("depth_db") / 48, attack = v.number("attack_ms") / 1000,
               release = v.number("release_ms") / 1000;
  s.lines = {QPolygonF{QPointF(0, 1), QPointF(std::max(0.0, 0.25 - attack), 1), QPointF(0.25, 1 - depth),
                       QPointF(0.5, 1 - depth), QPointF(std::min(1.0, 0.5 + release), 1), QPointF(1, 1)}};
  s.guides = {QPolygonF{QPointF(0.25, 0), QPointF(0.25, 1)}, QPolygonF{QPointF(0.5, 0), QPointF(0.5, 1)}};
  s.handles = {{"depth", {0.375, 1 - depth}, QStringLiteral("\u2212%1 dB").arg(v.number("depth_db"), 0, 'f', 1)},
               {"release", {std::min(1.0, 0.5 + release), 1}, v.words("release_ms")}};
  return s;
}

FinishShape movementShape(const std::string& t, const View& v, const FinishContext& c) {
  FinishShape s;
  s.axis = FinishShape::Axis::beats;
  const FinishPlace at{c.map, c.start, c.length, c.map.frameAt(c.start)};
  const double seconds = c.map.secondsAt(c.start + c.length).value - c.map.secondsAt(c.start).value;
  const double turns = std::min(v.hertz("rate", at.map, at.start) * std::max(seconds, 0.01), 24.0),
               depth = v.share("depth_percent");
  const auto phase = [&](double u, double shift) { return 2 * std::numbers::pi * (turns * u + shift); };
  if (t == "tremolo") {
    s.lines = {sampled(240, [&](double u) { return tremoloGain(depth, phase(u, 0)); })};
    if (v.number("spread_percent") > 0)
      s.guides = {sampled(240, [&](double u) { return tremoloGain(depth, phase(u, v.share("spread_percent") / 2)); })};
    s.handles = {{"depth",
                  {std::min(0.98, 0.5 / std::max(turns, 0.51)), 1 - depth},
                  QObject::tr("depth %1").arg(v.words("depth_percent"))}};
  } else {
    for (int k = 0; k < 3; ++k)
      (k == 0 ? s.lines : s.guides).push_back(sampled(240, [&](double u) {
        return 0.5 + 0.45 * depth * std::cos(phase(u, -0.25 + k * 0.17));
      }));
    s.handles = {{"depth",
                  {std::min(0.98, 0.25 / std::max(turns, 0.26)), 0.5 + 0.45 * depth},
                  QObject::tr("depth %1").arg(v.words("depth_percent"))}};
  }
  return s;
}

/// Each voice where it stands on the scale, as strong as it is.
FinishShape harmonyShape(const View& v, const FinishContext& /*c*/) {
  FinishShape s;
  s.axis = FinishShape::Axis::none;
  s.guides = {flat(0.5)};
  const std::vector<double> steps = v.numbers("steps");
  const double wide = 0.35 * v.gain("level_db") + 0.05;
  const auto yOf = [](double step) { return 0.5 + step / 32; };
  for (const double step : steps)
    s.lines.push_back({QPointF(0.5 - std::min(wide, 0.48), yOf(step)), QPointF(0.5 + std::min(wide, 0.48), yOf(step))});
  if (!steps.empty()) s.handles = {{"level", {0.5 + std::min(wide, 0.48), yOf(steps.front())}, v.words("level_db")}};
  return s;
}

FinishShape levelShape(const View& v, const FinishContext& /*c*/) {
  FinishShape s;
  s.axis = FinishShape::Axis::none;
  const bool source = v.value("match").text() != nullptr;
  const double y = source ? (v.number("offset_lu") + 24) / 30 : (v.number("match") + 60) / 60;
  if (source) s.guides = {flat(24.0 / 30)};
  s.lines = {flat(y)};
  s.handles = {{"offset",
                {0.5, y},
                source ? QObject::tr("%1 LU relative to the source").arg(v.number("offset_lu")) : v.words("match")}};
  return s;
}

} // namespace

FinishShape finishShape(const Processor& p, const FinishContext& c) {
  const Finisher* f = findFinisher(p.type);
  if (!f) return {};
  const View v(*f, p.settings);
  const std::string& t = p.type;
  if (t == "filter") return filterShape(v, c);
  if (t == "tone") return toneShape(v, c);
  if (t == "compressor" || t == "limiter") return dynamicsShape(t, v, c);
  if (t == "dirt") return dirtShape(v, c);
  if (t == "reverb") return reverbShape(v, c);
  if (t == "echo") return echoShape(v, c);
  if (const auto curved = curvedOf(t)) return curvedShape(*curved, t, v, c);
  if (t == "duck") return duckShape(v, c);
  if (t == "phaser" || t == "chorus" || t == "tremolo") return movementShape(t, v, c);
  if (t == "harmony") return harmonyShape(v, c);
  if (t == "level") return levelShape(v, c);
  return {};
}

std::optional<Settings> dragFinish(const Processor& p, const QString& handle, QPointF to, const FinishContext& c) {
  const Finisher* f = findFinisher(p.type);
  if (!f) return std::nullopt;
  const View v(*f, p.settings);
  const double x = std::clamp(to.x(), 0.0, 1.0), y = std::clamp(to.y(), 0.0, 1.0);
  const std::string& t = p.type;
  if (t == "filter") {
    const char* key = handle == QLatin1String("low") ? "low_cut_hz" : "high_cut_hz";
    const bool open = handle == QLatin1String("low") ? x < 0.005 : x > 0.995;
    Settings s = with(p, key, open ? Value() : frequency(x));
    if (const List* curve = v.value(key).list(); curve && !open) { // a moving cutoff is moved as a whole
      const double factor = hzOfUnit(x) / v.curve(key).at(0);
      auto points = v.curve(key).points();
      for (auto& q : points) q.y = std::clamp(rounded(q.y * factor, 1), 20.0, 20000.0);
      s[key] = Curve(points).value();
    }
    return s;
  }
  if (t == "tone" && (handle == QLatin1String("lows") || handle == QLatin1String("highs"))) {
    const bool low = handle == QLatin1String("lows");
    Settings s = with(p, low ? "low_shelf_hz" : "high_shelf_hz", frequency(x));
    s[low ? "low_shelf_db" : "high_shelf_db"] = std::clamp(rounded((y - 0.5) * 4 * kToneDb, 0.5), -18.0, 18.0);
    return s;
  }
  if (t == "tone") {
    auto bands = toneBands(v.value("bands"));
    const auto i = static_cast<std::size_t>(handle.mid(4).toUInt());
    if (i >= bands.size()) return std::nullopt;
    bands[i].hz = *frequency(x).number();
    bands[i].gainDb = rounded((y - 0.5) * 2 * kToneDb, 0.5);
    return with(p, "bands", toneValue(bands));
  }
  if (handle == QLatin1String("threshold")) return with(p, "threshold_db", rounded(kLevelFoot * (1 - x), 0.5));
  if (handle == QLatin1String("ratio")) {
    const double at = v.number("threshold_db"), out = kLevelFoot * (1 - y) - v.number("makeup_db") - at;
    if (at > -0.5) return std::nullopt;
    return with(p, "ratio", std::clamp(rounded(-at / std::max(out, 0.1), 0.1), 1.0, 20.0));
  }
  if (handle == QLatin1String("ceiling"))
    return with(p, "ceiling_dbtp", std::clamp(rounded(kLevelFoot * (1 - y), 0.5), -20.0, 0.0));
  if (handle == QLatin1String("drive")) { // the drive whose full scale comes out there
    double best = 0, nearest = 2;
    for (double d = 0; d <= 100; ++d) {
      const double top = d > 0 ? DriveCurve(d / 100, kDirtDriveAgainst).at(1) : 1;
      if (std::abs(0.5 + 0.5 * top - y) < nearest) {
        nearest = std::abs(0.5 + 0.5 * top - y);
        best = d;
      }
    }
    return with(p, "drive_percent", best);
  }
  if (t == "harmony" && handle == QLatin1String("level"))
    return with(p, "level_db", std::clamp(rounded(20 * std::log10(std::max(x - 0.55, 1e-3) / 0.35), 0.5), -60.0, 12.0));
  if (t == "reverb" && handle == QLatin1String("decay"))
    return with(p, "decay_seconds", std::clamp(rounded(x * finishShape(p, c).seconds, 0.05), 0.1, 30.0));
  if (t == "reverb" && handle == QLatin1String("mix")) return with(p, "mix_percent", rounded(100 * y, 1));
  if (t == "echo" && handle == QLatin1String("mix"))
    return with(p, "mix_percent", rounded(std::clamp((y - 0.5) * 200, 0.0, 100.0), 1));
  if (t == "echo" && handle == QLatin1String("feedback")) {
    const double mix = std::max(v.share("mix_percent"), 0.02);
    return with(p, "feedback_percent", rounded(std::clamp((y - 0.5) * 200 / mix, 0.0, 95.0), 1));
  }
  if (const auto curved = curvedOf(t); curved && v.value(curved->key).number())
    return with(p, curved->key, curved->value(y));
  if (handle == QLatin1String("depth"))
    return t == "duck" ? with(p, "depth_db", rounded((1 - y) * 48, 0.5))
                       : with(p, "depth_percent",
                              rounded(100 * std::clamp(t == "tremolo" ? 1 - y : (y - 0.5) / 0.45, 0.0, 1.0), 1));
  if (handle == QLatin1String("release"))
    return with(p, "release_ms", std::clamp(rounded((x - 0.5) * 1000, 5), 5.0, 500.0));
  if (handle == QLatin1String("offset"))
    return v.value("match").text() ? with(p, "offset_lu", rounded(y * 30 - 24, 0.5))
                                   : with(p, "match", rounded(y * 60 - 60, 0.5));
  return std::nullopt;
}

std::optional<Settings> addToFinish(const Processor& p, QPointF at) {
  const Finisher* f = findFinisher(p.type);
  if (!f) return std::nullopt;
  const View v(*f, p.settings);
  if (p.type == "tone") {
    auto bands = toneBands(v.value("bands"));
    if (bands.size() >= 8) return std::nullopt;
    bands.push_back({*frequency(at.x()).number(), rounded((std::clamp(at.y(), 0.0, 1.0) - 0.5) * 2 * kToneDb, 0.5), 1});
    return with(p, "bands", toneValue(bands));
  }
  return std::nullopt;
}

std::string drawnCurve(const Processor& p) {
  const auto curved = curvedOf(p.type);
  return curved ? curved->key : std::string();
}

std::optional<Settings> removeFromFinish(const Processor& p, const QString& handle) {
  const Finisher* f = findFinisher(p.type);
  if (!f) return std::nullopt;
  const View v(*f, p.settings);
  if (p.type == "tone" && handle.startsWith(QLatin1String("band"))) {
    auto bands = toneBands(v.value("bands"));
    const auto i = handle.mid(4).toInt();
    if (i >= static_cast<int>(bands.size())) return std::nullopt;
    bands.erase(bands.begin() + i);
    return with(p, "bands", toneValue(bands));
  }
  return std::nullopt;
}

QString finishWords(const Processor& p, const FinishContext&) {
  const Finisher* f = findFinisher(p.type);
  if (!f) return QString::fromStdString(p.type);
  const View v(*f, p.settings);
  const std::string& t = p.type;
  const QString name = asWordsInside(f->table().name);
  if (t == "filter") {
    const bool low = !v.value("low_cut_hz").isNull(), high = !v.value("high_cut_hz").isNull();
    const auto words = [&](const char* key) { return v.value(key).list() ? QObject::tr("moving") : v.words(key); };
    if (low && high) return QObject::tr("%1 to %2").arg(words("low_cut_hz"), words("high_cut_hz"));
    if (low) return QObject::tr("low cut %1").arg(words("low_cut_hz"));
    if (high) return QObject::tr("high cut %1").arg(words("high_cut_hz"));
    return QObject::tr("filter, off");
  }
  if (t == "tone") {
    const auto n = v.value("bands").list()->size();
    const bool shelves = v.number("low_shelf_db") != 0 || v.number("high_shelf_db") != 0;
    if (n == 0) return shelves ? QObject::tr("EQ, shelves") : QObject::tr("EQ, flat");
    return QObject::tr("EQ, %n band(s)", nullptr, static_cast<int>(n));
  }
  if (t == "dirt") {
    QStringList words;
    if (v.number("bits") < 24) words << QObject::tr("%1 bits").arg(v.number("bits"));
    if (!v.value("rate_hz").isNull()) words << v.words("rate_hz");
    if (v.number("drive_percent") > 0) words << QObject::tr("drive %1").arg(v.words("drive_percent"));
    return words.isEmpty() ? QObject::tr("dirt, clean") : words.join(QStringLiteral(", "));
  }
  if (t == "reverb")
    return QStringLiteral("%1 %2, %3")
        .arg(v.text("character") == "impulse" ? v.words("impulse_file") : v.words("character"),
             v.words("decay_seconds"), v.words("mix_percent"));
  if (t == "echo") return QObject::tr("delay %1, %2").arg(v.words("time_left"), v.words("mix_percent"));
  if (t == "width")
    return v.number("side_delay_ms") > 0
               ? QObject::tr("width %1, right delay %2").arg(v.words("percent"), v.words("side_delay_ms"))
               : QObject::tr("width %1").arg(v.words("percent"));
  if (t == "pan")
    return v.value("position").list() ? QObject::tr("pan, moving") : QObject::tr("pan %1").arg(v.words("position"));
  if (t == "gain")
    return v.value("db").list() ? QObject::tr("gain, moving") : QObject::tr("gain %1").arg(v.words("db"));
  if (t == "compressor") return QObject::tr("%1 : 1 above %2").arg(v.number("ratio")).arg(v.words("threshold_db"));
  if (t == "duck") return QObject::tr("ducks %1 under %2").arg(v.words("depth_db"), v.words("key"));
  if (t == "harmony") {
    const auto n = v.numbers("steps").size();
    return QObject::tr("harmony, %n voice(s)", nullptr, static_cast<int>(n));
  }
  if (t == "limiter") return QObject::tr("limiter %1").arg(v.words("ceiling_dbtp"));
  if (t == "level")
    return v.value("match").text()
               ? QObject::tr("loudness match %1 LU")
                     .arg(QString::number(v.number("offset_lu"), 'f', 1).replace('-', QChar(0x2212)))
               : QObject::tr("loudness match %1").arg(v.words("match"));
  return QStringLiteral("%1 %2").arg(name, v.words(firstOf({"rate"}, v)));
}

} // namespace ivrin::app
