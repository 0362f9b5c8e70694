#include "manners/collision_answers.h"

#include "finish/finisher.h"
#include "finish/space.h"
#include "song/curve.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>

namespace ivrin {
namespace {

constexpr double kUnderDb = 26;          // a little more than where a collision ends
constexpr double kBeforePhrase = 0.03;   // beats that a cut keeps clear of the phrase
constexpr double kMostShortenDb = -60.0; // of one round

/// What meets the phrase is a lead-in.
bool liesBefore(const Kind& kind, const Placed& p, const Collision& collision) {
  const auto landing = kind.leadsIn(p.ornament) ? kind.landingFrame(p) : std::nullopt;
  return landing && collision.frames.end <= *landing;
}

} // namespace

AnswerWords answerWords(const Kind& kind, const Placed& p, CollisionAnswer answer, const Collision& collision) {
  const bool before = liesBefore(kind, p, collision);
  switch (answer) {
  case CollisionAnswer::duck:
    return {worded("duck"), worded("Turns it down while the phrase sounds, far enough.")};
  case CollisionAnswer::cut:
    return before ? AnswerWords{worded("start later"), worded("Starts it where the phrase is over.")}
                  : AnswerWords{worded("cut on the phrase"), worded("Ends it where the phrase starts.")};
  case CollisionAnswer::shorten:
    if (kind.table().withRole(Role::decay))
      return before ? AnswerWords{worded("steeper"), worded("Gives it less decay, so that it rises after the phrase.")}
                    : AnswerWords{worded("shorter decay"),
                                  worded("Gives it less decay, so that it has died by the phrase.")};
    return {worded("less feedback"), worded("Gives it less feedback, so that it has died by the phrase.")};
  }
  return {};
}

std::optional<Ornament> answered(const Kind& kind, const Placed& p, CollisionAnswer answer,
                                 const Collision& collision) {
  const TableSpec& table = kind.table();
  Ornament o = p.ornament;
  if (!kind.plan(p).sounds) return std::nullopt;
  const double over = std::max(collision.db + kUnderDb, 3.0);
  const double until = p.map.quartersAt(collision.frames.begin) - o.start.quarters(); // beats
  const auto landing = kind.leadsIn(o) ? kind.landingFrame(p) : std::nullopt;
  const bool before = liesBefore(kind, p, collision);
  switch (answer) {
  case CollisionAnswer::duck: {
    const SettingSpec* spec = table.withRole(Role::duck);
    if (!spec) { // by the finish, at its end: what has been levelled is turned down, not levelled again
      const auto ours = [](const Processor& f) { return f.type == "duck" && !f.settings.contains("key"); };
      const auto it = std::find_if(o.finish.begin(), o.finish.end(), ours);
      Processor& duck = it != o.finish.end() ? *it : o.finish.emplace_back(Processor{"duck", {{"depth_db", 0.0}}});
      const double now = *settingOr(findFinisher("duck")->table(), duck.settings, "depth_db").number();
      duck.settings["depth_db"] = std::clamp(std::ceil(now + over), 0.0, 48.0);
      break;
    }
    const double now = *settingOr(table, o.settings, spec->key).number();
    o.settings[spec->key] = std::clamp(std::ceil(now + over), spec->min, spec->max);
    break;
  }
  case CollisionAnswer::cut: {
    if (before) { // a swell begins after the phrase that it would lie over
      const auto later = kind.withLeadBegin(p, p.map.beatAt(collision.frames.end));
      if (later) o = *later;
      break;
    }
    const SettingSpec* spec = table.withRole(Role::tailCut);
    if (!spec) return std::nullopt;
    // Never into the source itself.
    const double at = std::max(until - kBeforePhrase, std::min(o.length.quarters(), until));
    o.settings[spec->key] = std::round(std::max(at, spec->min) * 1000) / 1000;
    break;
  }
  case CollisionAnswer::shorten: {
    if (const SettingSpec* decaySpec =
            table.withRole(Role::decay)) { // steeper by what is over, spread over the way to the phrase
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
