#include "ornaments/delay_throw_settings.h"

#include "finish/shared_settings.h"
#include "time/note_value.h"

#include <algorithm>

namespace ivrin {
namespace {

using T = SettingType;

TableSpec makeDelayThrowTable() {
  TableSpec t;
  t.id = "delay-throw";
  t.name = "Delay throw";
  t.key = "D";
  t.meaning = "The source goes into a tempo-synced feedback delay.";
  const double ms = 60000.0 * 16; // 16 bars at any tempo are bounded by the note-value check; plain numbers by this
  auto add = [&](SettingSpec s) -> SettingSpec& {
    t.settings.push_back(std::move(s));
    return t.settings.back();
  };
  add({"time_left", "left", "", T::time, 1, ms, "1/4", "Time of the left echo: a note value, or milliseconds.",
       "echo"});
  add({"time_right", "right", "", T::time, 1, ms, "1/4", "Time of the right echo: a note value, or milliseconds.",
       "echo"});
  add(echoPatternSetting("pattern"));
  add({"feedback_percent", "feedback", "%", T::number, 0, 200, 45,
       "What goes round again; over 100 builds up to the ceiling.", "echo", 1})
      .curve = true;
  auto& right = add({"feedback_right_percent", "right fb", "%", T::number, 0, 200, Value(),
                     "The right side's own feedback.", "echo", 1});
  right.curve = right.nullable = true;
  right.whenNull = "as left";
  add({"send_percent", "send", "%", T::number, 0, 100, 100, "How much of the source is sent.", "echo", 1}).curve = true;
  add({"wet_db", "wet", "dB", T::number, -60, 12, 0, "Level of the echoes.", "echo", 0.5});
  add({"level_left_db", "level L", "dB", T::number, -60, 12, 0, "Level of the left echoes.", "echo", 0.5});
  add({"level_right_db", "level R", "dB", T::number, -60, 12, 0, "Level of the right echoes.", "echo", 0.5});
  add({"width_percent", "width", "%", T::number, 0, 200, 100, "Side against middle of the echoes.", "echo", 5});
  for (const bool low : {true, false}) add(cutSetting(low, "in the loop, 12 dB per octave.", "colour")).perSide = true;
  add({"drive_percent", "drive", "%", T::number, 0, 100, 0, "Saturation in the loop.", "colour", 1});
  add({"wobble_percent", "wobble", "%", T::number, 0, 100, 0, "Slow drift of the time.", "colour", 1});
  add({"step_semitones", "pitch step", "st", T::number, -12, 12, 0, "Each pass is shifted by this.", "colour", 1});
  add({"invert_right", "flip right", "", T::boolean, 0, 0, false, "The right side upside down.", "colour"});
  add({"reverse_source", "reverse", "", T::boolean, 0, 0, false, "The source goes in backwards.", "colour"});
  add({"remove_dry", "remove dry", "", T::boolean, 0, 0, false, "Takes the source out of the row.", "colour"});
  add({"duck_db", "duck", "dB", T::number, 0, 48, 0, "Turned down while the dry row sounds.", "colour", 0.5});
  auto& cut = add({"cut_at", "cut at", "beats", T::number, 1.0 / 64, 4096, Value(),
                   "Ended there, beats from the start.", "colour", 0.25});
  cut.nullable = true;
  cut.whenNull = "–";
  add({"loop_ceiling_db", "ceiling", "dB", T::number, -24, 12, 0,
       "No sample leaving the loop is above this, against the peak of what was sent.", "limits", 0.5});
  add({"tail_floor_db", "tail floor", "dB", T::number, -120, -30, -72, "The tail ends when it has fallen to this.",
       "limits", 1});
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
    NoteValue note{NoteValue::Kind::milliseconds, 0, false, false, 0};
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
