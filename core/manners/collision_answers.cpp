#include "manners/collision_answers.h"

#include "finish/finisher.h"
#include "finish/space.h"
#include "finish/tone.h"
#include "manners/manners.h"
#include "song/curve.h"
#include "time/note_value.h"
#include "time/plain_number.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kUnderDb = 26;          // a little more than where a collision ends
constexpr double kUnderRowDb = 13;       // and than where a row is covered
constexpr double kBeforePhrase = 0.03;   // beats that a cut keeps clear of the phrase
constexpr double kMostShortenDb = -60.0; // of one round
constexpr double kMostThinnedDb = 18, kLeastThinnedDb = 3, kOctaveQ = 1.41;
constexpr double kOfPrintDb = 12;        // an octave holds the print that is within so much of its strongest
constexpr double kAside = 0.7;           // the other side is turned down by 10 dB
constexpr double kLeastFromSource = 0.5; // beats after the source at which what lies over a row may be ended

double octaveHz(int b) { // its middle
  return RowOctaves::beginsAtHz(b + 0.5);
}

/// Octaves that are thinned, and by how much, dB; none where nothing would be left of the print.
std::vector<std::pair<int, double>> thinnedOctaves(const Collision& c) {
  std::vector<std::pair<int, double>> all;
  const float strongest = *std::max_element(c.printDb.begin(), c.printDb.end());
  bool someLeft = false;
  for (int b = 0; b < RowOctaves::kBands; ++b) {
    const auto i = static_cast<std::size_t>(b);
    const double by = c.octavesDb[i] > Collision::kNone ? c.octavesDb[i] + kUnderRowDb : 0;
    if (by >= kLeastThinnedDb)
      all.emplace_back(b, std::min(by, kMostThinnedDb));
    else
      someLeft = someLeft || c.printDb[i] > strongest - kOfPrintDb;
  }
  if (!someLeft) all.clear();
  return all;
}

/// "400 Hz", "1.6 kHz".
std::string hertz(double hz) {
  return hz < 1000 ? worded("%1 Hz", std::lround(hz)) : worded("%1 kHz", fixedNumber(hz / 1000, 1));
}

using Chain = std::vector<Processor>;
Chain::iterator firstOf(Chain& finish, const char* type) {
  return std::find_if(finish.begin(), finish.end(), [&](const Processor& f) { return f.type == type; });
}
/// The first of its type; where there is none, a new one before `at`.
Chain::iterator ofType(Chain& finish, const char* type, Chain::iterator at) {
  const auto there = firstOf(finish, type);
  return there != finish.end() ? there : finish.insert(at, Processor{type, {}});
}

std::optional<Ornament> thinned(Ornament o, const Collision& collision) {
  const auto octaves = thinnedOctaves(collision);
  if (octaves.empty()) return std::nullopt;
  // In front of what sets the level: then it stays as loud as it was, but elsewhere.
  Processor& tone = *ofType(o.finish, "tone", firstOf(o.finish, "level"));
  auto bands = toneBands(settingOr(findFinisher("tone")->table(), tone.settings, "bands"));
  for (const auto& [b, by] : octaves) {
    const double hz = std::round(octaveHz(b));
    auto band = std::find_if(bands.begin(), bands.end(), [&](const ToneBand& t) { return std::abs(t.hz - hz) < 1; });
    if (band == bands.end()) {
      if (bands.size() >= 8) continue;
      band = bands.insert(bands.end(), {hz, 0, kOctaveQ});
    }
    band->gainDb = std::max(-24.0, std::round((band->gainDb - by) * 2) / 2);
  }
  tone.settings["bands"] = toneValue(bands);
  return o;
}

/// Where it goes aside: away from the ear at which the row is heard better already.
bool goesRight(const Collision& collision) {
  return collision.leftDb < collision.rightDb + 1;
}

std::optional<Ornament> panned(Ornament o, const Collision& collision) {
  Processor& pan = *ofType(o.finish, "pan", o.finish.end());
  const double* now = settingOr(findFinisher("pan")->table(), pan.settings, "position").number();
  if (!now || std::abs(*now) > kAside - 0.01) return std::nullopt; // drawn, or aside already
  pan.settings["position"] = goesRight(collision) ? kAside : -kAside;
  return o;
}

/// What meets the phrase is a lead-in.
bool liesBefore(const Kind& kind, const Placed& p, const Collision& collision) {
  const auto landing = kind.leadsIn(p.ornament) ? kind.landingFrame(p) : std::nullopt;
  return landing && collision.frames.end <= *landing;
}

} // namespace

AnswerWords answerWords(const Kind& kind, const Placed& p, CollisionAnswer answer, const Collision& collision) {
  const bool before = liesBefore(kind, p, collision), over = !collision.row.empty();
  switch (answer) {
  case CollisionAnswer::duck:
    return over ? AnswerWords{worded("duck under it"), worded("Turns the effect down while that row plays.")}
                : AnswerWords{worded("duck"), worded("Turns the effect down while the phrase plays.")};
  case CollisionAnswer::cut:
    if (over) return {worded("cut on beat"), worded("Ends the tail on the beat where that row enters.")};
    return before
               ? AnswerWords{worded("start later"), worded("Moves the start of the lead-in to where the phrase ends.")}
               : AnswerWords{worded("cut before phrase"), worded("Ends the tail where the phrase starts.")};
  case CollisionAnswer::thin: {
    const auto octaves = thinnedOctaves(collision);
    if (octaves.empty()) return {};
    return {worded("dip EQ"), worded("Lowers the band between %1 and %2 that masks that row.",
                                     hertz(RowOctaves::beginsAtHz(octaves.front().first)),
                                     hertz(RowOctaves::beginsAtHz(octaves.back().first + 1)))};
  }
  case CollisionAnswer::pan:
    return goesRight(collision) ? AnswerWords{worded("pan right"),
                                              worded("Pans the effect right, so that the row is heard on the left.")}
                                : AnswerWords{worded("pan left"),
                                              worded("Pans the effect left, so that the row is heard on the right.")};
  case CollisionAnswer::move:
    return {worded("earlier word"),
            worded("Takes an earlier word, so that the effect has faded when the phrase starts.")};
  case CollisionAnswer::shorten:
    if (kind.table().withRole(Role::decay))
      return before ? AnswerWords{worded("shorten decay"),
                                  worded("Shortens the decay, so that the swell rises after the phrase.")}
                    : AnswerWords{worded("shorter decay"),
                                  worded("Shortens the decay, so that the tail has faded when the phrase starts.")};
    return {worded("less feedback"),
            worded("Lowers the feedback, so that the echoes have faded when the phrase starts.")};
  }
  return {};
}

std::optional<Ornament> answered(const Kind& kind, const Placed& p, CollisionAnswer answer,
                                 const Collision& collision) {
  const TableSpec& table = kind.table();
  Ornament o = p.ornament;
  if (!kind.plan(p).sounds) return std::nullopt;
  const bool ofRow = !collision.row.empty(); // another one
  const double over = std::max(collision.db + (ofRow ? kUnderRowDb : kUnderDb), 3.0);
  const double until = p.map.quartersAt(collision.frames.begin) - o.start.quarters(); // beats
  const auto landing = kind.leadsIn(o) ? kind.landingFrame(p) : std::nullopt;
  const bool before = liesBefore(kind, p, collision);
  switch (answer) {
  case CollisionAnswer::duck: {
    const SettingSpec* spec = ofRow ? nullptr : table.withRole(Role::duck); // a kind's own hears its own row
    if (!spec) { // by the finish, at its end: what has been levelled is turned down, not levelled again
      const auto ours = [&](const Processor& f) {
        if (f.type != "duck") return false;
        const std::string* key = settingOr(findFinisher("duck")->table(), f.settings, "key").text();
        return ofRow ? key && *key == collision.row : !key;
      };
      const auto it = std::find_if(o.finish.begin(), o.finish.end(), ours);
      Processor& duck = it != o.finish.end() ? *it : o.finish.emplace_back(Processor{"duck", {{"depth_db", 0.0}}});
      if (ofRow) duck.settings["key"] = collision.row;
      const double now = *settingOr(findFinisher("duck")->table(), duck.settings, "depth_db").number();
      duck.settings["depth_db"] = std::clamp(std::ceil(now + over), 0.0, 48.0);
      break;
    }
    const double now = *settingOr(table, o.settings, spec->key).number();
    o.settings[spec->key] = std::clamp(std::ceil(now + over), spec->min, spec->max);
    break;
  }
  case CollisionAnswer::thin:
    return ofRow ? thinned(std::move(o), collision) : std::nullopt;
  case CollisionAnswer::pan:
    return ofRow ? panned(std::move(o), collision) : std::nullopt;
  case CollisionAnswer::move:
    if (!collision.earlier) return std::nullopt;
    o.start = collision.earlier->begin;
    o.length = collision.earlier->length();
    break;
  case CollisionAnswer::cut: {
    if (ofRow && (before || until < o.length.quarters() + kLeastFromSource))
      return std::nullopt; // nothing would be left
    if (before) {          // a swell begins after the phrase that it would lie over
      const auto later = kind.withLeadBegin(p, p.map.beatAt(collision.frames.end));
      if (later) o = *later;
      break;
    }
    const SettingSpec* spec = table.withRole(Role::tailCut);
    if (!spec) return std::nullopt;
    // Never into the source itself.
    const Beats enters = p.map.beatAt(collision.frames.begin);
    const double at = ofRow ? (snapToGrid(enters, p.map.meterAt(enters).beatLength(), p.map) - o.start).quarters()
                            : std::max(until - kBeforePhrase, std::min(o.length.quarters(), until));
    o.settings[spec->key] = std::round(std::max(at, spec->min) * 1000) / 1000;
    break;
  }
  case CollisionAnswer::shorten: {
    if (ofRow) return std::nullopt; // it goes on under it
    // What is held does not decay.
    const Manners* manners = mannersOf(o.kind);
    const auto heardOf = [&](Role role) {
      const SettingSpec* spec = table.withRole(role);
      return spec && (!manners || manners->isHeard(o.settings, spec->key)) ? spec : nullptr;
    };
    if (const SettingSpec* decaySpec =
            heardOf(Role::decay)) { // steeper by what is over, spread over the way to the phrase
      const double from = p.map.secondsAt(before ? p.map.beatAt(collision.frames.end) : o.span().end).value;
      const double to = p.map.secondsAt(before ? p.map.beatAt(*landing) : p.map.beatAt(collision.frames.begin)).value;
      const Value& set = settingOr(table, o.settings, decaySpec->key);
      const double lead = table.withRole(Role::lead)
                              ? p.map.secondsAt(p.map.beatAt(*landing)).value -
                                    p.map.secondsAt(p.map.beatAt(kind.plan(p).extent.begin)).value
                              : 1;
      const double decay = set.isNull() ? lead : decayOf(set, p.map, o.start);
      const double shorter = 60 / (60 / decay + over / std::max(0.1, to - from));
      o.settings[decaySpec->key] = std::max(decaySpec->min, std::floor(shorter * 100) / 100);
      break;
    }
    const SettingSpec* spec = table.withRole(Role::feedback);
    const auto loop = kind.loopFigures(p);
    if (!spec || !loop) return std::nullopt;
    const double seconds = p.map.secondsAt(p.map.beatAt(collision.frames.begin)).value - p.map.secondsAt(o.start).value;
    // What sounds at the phrase has been round this often since its first pass.
    const double rounds = std::max(1.0, std::floor(seconds / loop->passSeconds - 0.5));
    const double factor = std::pow(10.0, std::max(-over / rounds, kMostShortenDb) / 20);
    const auto lowered = [&](const Value& v) -> Value {
      const auto curve = Curve::from(v);
      if (!curve) return v;
      auto points = curve->points();
      for (CurvePoint& q : points) q.y = std::floor(q.y * factor);
      return Curve(std::move(points)).value();
    };
    for (const SettingSpec& one : table.settings)
      if (one.role == Role::feedback) o.settings[one.key] = lowered(settingOr(table, o.settings, one.key));
    break;
  }
  }
  if (o == p.ornament) return std::nullopt;
  return o;
}

} // namespace ivrin
