#include "ornaments/delay_throw_settings.h"

#include "finish/shared_settings.h"
#include "time/note_value.h"

#include <algorithm>

namespace ivrin {
namespace {

constexpr double kMostMs =
    60000.0 * 16; // 16 bars at any tempo are bounded by the note-value check; plain numbers by this

void addThrowEcho(TableSpec& t) {
  t.add({.key = "time_left",
         .label = "time L",
         .type = type::time,
         .min = 1,
         .max = kMostMs,
         .initial = "1/4",
         .meaning = "Time between left echoes: longer sounds more spacious, shorter tighter.",
         .group = "delay"});
  t.add({.key = "time_right",
         .label = "time R",
         .type = type::time,
         .min = 1,
         .max = kMostMs,
         .initial = "1/4",
         .meaning = "Time between right echoes: longer sounds more spacious, shorter tighter.",
         .group = "delay"});
  t.add(echoPatternSetting("pattern"));
  t.add({.key = "feedback_percent",
         .label = "feedback",
         .unit = "%",
         .max = 200,
         .initial = 45,
         .meaning =
             "How much of each echo is repeated: higher gives more echoes. Over 100 % they build up to the ceiling.",
         .group = "delay",
         .usual = std::pair(0.0, 120.0),
         .curve = true,
         .role = Role::feedback});
  t.add({.key = "feedback_right_percent",
         .label = "feedback R",
         .unit = "%",
         .max = 200,
         .meaning = "How much of each right echo is repeated.",
         .group = "delay",
         .nullable = true,
         .whenNull = "same as left",
         .sameAs = "feedback_percent",
         .usual = std::pair(0.0, 120.0),
         .curve = true,
         .role = Role::feedback});
  t.add(sendSetting("delay"));
  t.add(wetSetting("Level of the echoes.", "delay"));
  t.add({.key = "level_left_db",
         .label = "level L",
         .unit = "dB",
         .min = -60,
         .max = 12,
         .initial = 0,
         .meaning = "Level of the left echoes.",
         .group = "delay",
         .step = 0.5,
         .role = Role::level});
  t.add({.key = "level_right_db",
         .label = "level R",
         .unit = "dB",
         .min = -60,
         .max = 12,
         .initial = 0,
         .meaning = "Level of the right echoes.",
         .group = "delay",
         .step = 0.5,
         .role = Role::level});
  t.add(widthSetting("Stereo width of the echoes: 0 % is mono, 100 % unchanged, more is wider.", "delay"));
}

void addThrowColour(TableSpec& t) {
  for (const bool low : {true, false})
    t.add(cutSetting(low,
                     low ? "Removes lows below this frequency at every repeat (12 dB/oct): later echoes sound thinner."
                         : "Removes highs above this frequency at every repeat (12 dB/oct): later echoes sound darker.",
                     "colour"))
        .perSide = true;
  t.add({.key = "drive_percent",
         .label = "drive",
         .unit = "%",
         .max = 100,
         .initial = 0,
         .meaning = "Saturates every repeat: higher sounds rougher and denser.",
         .group = "colour"});
  t.add({.key = "wobble_percent",
         .label = "wow & flutter",
         .unit = "%",
         .max = 100,
         .initial = 0,
         .meaning = "Slow and fast pitch drift of the echoes.",
         .group = "colour"});
  t.add({.key = "step_semitones",
         .label = "pitch per echo",
         .unit = "st",
         .min = -12,
         .max = 12,
         .initial = 0,
         .meaning = "Shifts the pitch of every echo by this much more than the one before it.",
         .group = "colour"});
  t.add({.key = "key_follow",
         .label = "snap to key",
         .type = type::yesNo,
         .initial = false,
         .meaning = "Moves every echo to the nearest note of the song’s key.",
         .group = "colour",
         .role = Role::leftAlone,
         .since = 2});
  t.add({.key = "invert_right",
         .label = "invert R",
         .type = type::yesNo,
         .initial = false,
         .meaning = "Inverts the polarity of the right echoes: wider in stereo, softer in mono.",
         .group = "colour",
         .role = Role::leftAlone});
  t.add({.key = "reverse_source",
         .label = "reverse",
         .type = type::yesNo,
         .initial = false,
         .meaning = "Plays the source backwards into the delay.",
         .group = "colour",
         .role = Role::leftAlone});
  t.add(removeDrySetting(false, "colour"));
  t.add(duckSetting("colour"));
  t.add(cutAtSetting("colour"));
}

void addThrowLimits(TableSpec& t) {
  t.add({.key = "loop_ceiling_db",
         .label = "ceiling",
         .unit = "dB",
         .min = -24,
         .max = 12,
         .initial = 0,
         .meaning = "Highest peak in the feedback loop, relative to the peak of the source.",
         .group = "limits",
         .step = 0.5,
         .role = Role::leftAlone});
  t.add(tailFloorSetting(-72, "limits"));
}

TableSpec makeDelayThrowTable() {
  TableSpec t;
  t.id = "delay-throw";
  t.name = "Delay throw";
  t.key = "D";
  t.meaning = "Sends the selected sound into a tempo-synced delay.";
  addThrowEcho(t);
  addThrowColour(t);
  addThrowLimits(t);
  return t;
}

} // namespace

const TableSpec& DelayThrowSettings::table() {
  static const TableSpec t = makeDelayThrowTable();
  return t;
}

DelayThrowSettings DelayThrowSettings::of(const Placed& p) {
  const Settings& set = p.ornament.settings;
  const auto value = [&](const char* key) -> const Value& { return settingOr(table(), set, key); };
  const auto number = [&](const char* key) { return *value(key).number(); };
  const auto frames = [&](const char* key) {
    const Value& v = value(key);
    NoteValue note{.kind = NoteValue::Kind::milliseconds};
    if (const double* d = v.number())
      note.milliseconds = *d;
    else
      note = *NoteValue::parse(*v.text());
    return std::max(1.0, note.seconds(p.map, p.ornament.start).value * p.sampleRate());
  };
  const auto percent = [&](const Value& v) {
    auto points = Curve::from(v)->points();
    for (auto& q : points) q.y /= 100;
    return Curve(points);
  };
  const auto side = [&](const char* key, std::size_t i) -> std::optional<double> {
    const Value& v = value(key);
    const Value& one = v.list() ? (*v.list())[i] : v;
    return one.isNull() ? std::nullopt : std::optional(*one.number());
  };
  DelayThrowSettings s;
  s.timeLeft = frames("time_left");
  s.timeRight = frames("time_right");
  s.pattern = echoPatternOf(value("pattern"));
  s.feedbackLeft = percent(value("feedback_percent"));
  const Value& right = value("feedback_right_percent");
  s.feedbackRight = right.isNull() ? s.feedbackLeft : percent(right);
  s.send = percent(value("send_percent"));
  s.wetDb = number("wet_db");
  s.levelLeftDb = number("level_left_db");
  s.levelRightDb = number("level_right_db");
  s.lowCutLeft = side("low_cut_hz", 0);
  s.lowCutRight = side("low_cut_hz", 1);
  s.highCutLeft = side("high_cut_hz", 0);
  s.highCutRight = side("high_cut_hz", 1);
  s.drive = number("drive_percent") / 100;
  s.wobble = number("wobble_percent") / 100;
  s.stepSemitones = number("step_semitones");
  s.keyFollow = *value("key_follow").boolean();
  s.invertRight = *value("invert_right").boolean();
  s.width = number("width_percent") / 100;
  s.reverseSource = *value("reverse_source").boolean();
  s.removeDry = *value("remove_dry").boolean();
  s.duckDb = number("duck_db");
  if (const double* cut = value("cut_at").number()) s.cutAt = *cut;
  s.loopCeilingDb = number("loop_ceiling_db");
  s.tailFloorDb = number("tail_floor_db");
  return s;
}

std::vector<Echo> echoLadder(const DelayThrowSettings& s, double framesPerBeat, double floorGain, std::size_t most) {
  std::vector<Echo> all;
  const double last = s.cutAt ? *s.cutAt * framesPerBeat : 1e18;
  // One chain of passes; `swaps` where each pass goes to the other side.
  const auto chain = [&](bool right, bool swaps) {
    double at = right ? s.timeRight : s.timeLeft, gain = s.send.at(0);
    for (int pass = 1; all.size() < 2 * most && at < last && gain >= floorGain; ++pass) {
      all.push_back({at, right, gain, pass});
      if (swaps) right = !right;
      const double beat = at / framesPerBeat;
      gain = std::min(gain * (right ? s.feedbackRight : s.feedbackLeft).at(beat), 4.0);
      at += right ? s.timeRight : s.timeLeft;
    }
  };
  switch (s.pattern) {
  case EchoPattern::straight:
    chain(false, false);
    chain(true, false);
    break;
  case EchoPattern::pingPong:
    chain(false, true);
    break;
  case EchoPattern::cross:
    chain(true, true);
    chain(false, true);
    break;
  }
  std::stable_sort(all.begin(), all.end(), [](const Echo& a, const Echo& b) { return a.frames < b.frames; });
  if (all.size() > most) all.resize(most);
  return all;
}

} // namespace ivrin
