#include "finish/space.h"

#include "dsp/space/shipped_impulses.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

void SpaceSettings::addTo(TableSpec& t, const std::string& group) {
  t.settings.push_back({.key = "character",
                        .label = "type",
                        .type = type::choice,
                        .initial = "plate",
                        .meaning = "Plate is dense at once, room has audible walls, hall builds up slowly, spring "
                                   "drips, impulse is a recorded space.",
                        .group = group,
                        .choices = {"plate", "room", "hall", "spring", "impulse"},
                        .notByChance = {"impulse"}});
  SettingSpec file{.key = "impulse_file",
                   .label = "impulse",
                   .type = type::file,
                   .meaning = "Impulse response used when the type is impulse: a built-in one or an audio file.",
                   .group = group};
  file.nullable = true;
  file.whenNull = "stairwell";
  for (const ShippedImpulse& s : shippedImpulses()) file.choices.push_back(s.name);
  t.settings.push_back(std::move(file));
  t.settings.push_back({.key = "size_percent",
                        .label = "size",
                        .unit = "%",
                        .max = 100,
                        .initial = 50,
                        .meaning = "Size of the space: larger spreads the reflections out.",
                        .group = group});
  t.settings.push_back({.key = "damping_percent",
                        .label = "damping",
                        .unit = "%",
                        .max = 100,
                        .initial = 30,
                        .meaning = "How much faster the highs fade: higher sounds darker.",
                        .group = group});
  SettingSpec lows{
      .key = "low_decay_percent",
      .label = "low decay",
      .unit = "%",
      .min = 25,
      .max = 400,
      .meaning =
          "Decay of the lows, relative to the middle: below 100 % is cleaner, above boomier (plate, room and hall).",
      .group = group,
      .since = 2};
  lows.nullable = true;
  lows.whenNull = "by type";
  t.settings.push_back(std::move(lows));
  t.settings.push_back({.key = "modulation_percent",
                        .label = "modulation",
                        .unit = "%",
                        .max = 100,
                        .initial = 20,
                        .meaning = "Slow movement inside the reverb: higher is livelier, 0 % is off.",
                        .group = group});
}

SpaceSettings SpaceSettings::of(const TableSpec& table, const Settings& set) {
  const auto value = [&](const char* key) -> const Value& { return settingOr(table, set, key); };
  SpaceSettings s;
  const std::string& c = *value("character").text();
  s.isImpulse = c == "impulse";
  s.reverb.character = c == "room"     ? ReverbCharacter::room
                       : c == "hall"   ? ReverbCharacter::hall
                       : c == "spring" ? ReverbCharacter::spring
                                       : ReverbCharacter::plate;
  const std::string* file = value("impulse_file").text();
  s.impulseFile = file ? *file : shippedImpulses().front().name;
  s.reverb.size = *value("size_percent").number() / 100;
  s.reverb.damping = *value("damping_percent").number() / 100;
  if (const double* low = value("low_decay_percent").number()) s.reverb.low = *low / 100;
  s.reverb.modulation = *value("modulation_percent").number() / 100;
  return s;
}

double decayOf(const Value& v, const TempoMap& map, Beats at) {
  if (const double* d = v.number()) return *d;
  return NoteValue::parse(*v.text())->seconds(map, at).value;
}

struct Space::Body {
  std::optional<Reverb> reverb;
  std::unique_ptr<Convolver> convolver;
  Convolver::Feed feed;
  float floor = 0;
  std::int64_t clock = 0, fed = 0, until = 0;
};

Space::Space(const SpaceSettings& s, double rate, const Impulses* impulses, float floor, Convolver::Feed feed)
    : body_(std::make_unique<Body>()) {
  body_->floor = floor;
  body_->feed = std::move(feed);
  if (!s.isImpulse) {
    body_->reverb.emplace(s.reverb, rate);
    return;
  }
  const auto impulse = impulses ? impulses->find(s.impulseFile, rate) : Impulses::shipped(s.impulseFile, rate);
  if (!impulse || impulse->audio.frames() == 0) return;
  const ImpulseResponse h = windowed(*impulse, s.reverb.decaySeconds, rate);
  Body* b = body_.get();
  body_->convolver = std::make_unique<Convolver>(spectrumOf(h), [b, length = h.frames()](StereoSpan out) {
    b->feed(out);
    for (std::int64_t i = out.frames; i-- > 0;)
      if (std::max(std::abs(out.left[i]), std::abs(out.right[i])) >= b->floor) {
        b->until = b->fed + i + length;
        break;
      }
    b->fed += out.frames;
  });
}

Space::~Space() = default;

void Space::read(StereoSpan out) {
  Body& b = *body_;
  if (b.convolver) {
    b.convolver->read(out);
  } else if (b.reverb) {
    b.feed(out);
    b.reverb->process(out);
    if (b.reverb->stored() >= b.floor) b.until = b.clock + out.frames + b.reverb->memoryFrames();
  } else {
    out.clear();
  }
  b.clock += out.frames;
}

std::int64_t Space::lastsUntil() const {
  return body_->until;
}

double decayForFall(const SpaceSettings& s, double seconds) {
  if (s.isImpulse) return seconds;
  ReverbSettings r = s.reverb;
  r.decaySeconds = seconds;
  return std::max(0.8 * seconds, seconds - Reverb::buildUpSeconds(r));
}

} // namespace ivrin
