// What ornaments take in, how loud it is, how it is taken away, and how sounds are joined.
#include "dsp/dynamics/edges.h"
#include "finish/shared_settings.h"
#include "ornaments/source.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>

using namespace ivrin;
using namespace ivrin::test;

namespace {

SourceLevel levelOf(const StereoBuffer& b) {
  return measureSource(b.frames(), [&](std::int64_t at, StereoSpan out) {
    std::copy_n(b.left() + at, out.frames, out.left);
    std::copy_n(b.right() + at, out.frames, out.right);
  });
}

} // namespace

TEST_CASE("a source is as loud as what sounds of it", "[source]") {
  const StereoBuffer tone = fill(48000, sine(997, 48000, 0.5));
  CHECK(levelOf(tone).peak == Approx(0.5).epsilon(1e-4));
  CHECK(levelOf(tone).rmsDb == Approx(Decibels::ofGain(0.5 / std::sqrt(2)).value).margin(0.02));
  // Rests do not make it softer: half a second of it in ten.
  const StereoBuffer word = fill(480000, only(240000, 264000, sine(997, 48000, 0.5)));
  CHECK(levelOf(word).rmsDb == Approx(levelOf(tone).rmsDb).margin(0.02));
  // One side alone is 3 dB softer in power than both.
  const StereoBuffer left =
      fill(48000, [s = sine(997, 48000, 0.5)](std::int64_t f, int side) { return side == 0 ? s(f, side) : 0.0f; });
  CHECK(levelOf(left).rmsDb == Approx(levelOf(tone).rmsDb - 3.0103).margin(0.02));
  const StereoBuffer silence = fill(48000, [](std::int64_t, int) { return 0.0f; });
  CHECK(levelOf(silence).peak == 0);
  CHECK(levelOf(silence).rmsDb == -120);
  // Noise of a quiet recording (−90 dBFS) is not sound.
  CHECK(levelOf(fill(48000, noise(1, 3e-5))).rmsDb == -120);
  CHECK(levelOf(StereoBuffer(0)).peak == 0);
}

TEST_CASE("a source that is taken away is gone between its edges, and all of it is back at its end", "[source]") {
  Ornament o;
  o.start = Beats::ofQuarters(2);
  o.length = Beats::ofQuarters(2);
  SongContext context;
  context.map = TempoMap({{Beats(0), 120.0}}, {{Beats(0), 4, 4}}, Seconds(0), 48000);
  for (const double to : {0.0, 0.3}) {
    const GainSegments g = sourceRemoved({o, context}, to);
    CHECK(g.span().begin == Frames(48000));
    CHECK(g.span().end == Frames(96000));
    CHECK(g.at(Frames(47999)) == 1);
    CHECK(g.at(Frames(48000)) == 1);
    CHECK(g.at(Frames(48000 + 48)) == Approx(0.5 * (1 + to))); // the middle of its 2 ms
    for (const std::int64_t f : {48096, 70000, 96000 - 384}) CHECK(g.at(Frames(f)) == Approx(to).margin(1e-9));
    CHECK(g.at(Frames(96000 - 192)) == Approx(0.5 * (1 + to))); // of its 8 ms
    CHECK(g.at(Frames(96000)) == 1);
    double before = 1; // down, then up, without a jump
    for (std::int64_t f = 48000; f <= 96000; ++f) {
      CHECK(std::abs(g.at(Frames(f)) - before) < 0.017);
      before = g.at(Frames(f));
    }
  }
}

TEST_CASE("sounds that are not alike are joined at equal power", "[source]") {
  for (double u = 0; u <= 1; u += 1.0 / 128) {
    const JoinGains g = equalPower(u);
    CHECK(g.leaving * g.leaving + g.coming * g.coming == Approx(1).epsilon(1e-12));
    CHECK(g.leaving >= -1e-12);
    CHECK(equalPower(1 - u).leaving == Approx(g.coming).margin(1e-12));
  }
  CHECK(equalPower(0).coming == 0);
  CHECK(equalPower(0.5).leaving == Approx(std::sqrt(0.5)));
}

TEST_CASE("settings that kinds share are the same settings", "[source][settings]") {
  // The same key has the same unit, range, type and role wherever it stands: hands and tries may rely on it.
  for (const char* key :
       {"wet_db", "width_percent", "send_percent", "duck_db", "cut_at", "remove_dry", "tail_floor_db"}) {
    const SettingSpec* first = nullptr;
    int found = 0;
    for (const Kind* k : allKinds().all())
      if (const SettingSpec* s = k->table().find(key)) {
        INFO(k->table().id << " " << key);
        ++found;
        if (!first) first = s;
        CHECK(s->label == first->label);
        CHECK(s->unit == first->unit);
        CHECK(s->min == first->min);
        CHECK(s->max == first->max);
        CHECK(s->step == first->step);
        CHECK(s->type == first->type);
        CHECK(s->role == first->role);
        CHECK(s->nullable == first->nullable);
        CHECK(s->curve == first->curve);
      }
    CHECK(found >= 2);
  }
}
