// The kernels: throw, mixing, limiter.
#include "bench.h"

#include "dsp/dynamics/mix_limiter.h"
#include "dsp/filter/svf.h"
#include "test_support/signals.h"

#include <cmath>
#include <cstring>

namespace ivrin::bench {
using namespace ivrin::test;
namespace {

/// A bare stereo feedback delay with a high-pass and a low-pass in the loop, sample by sample.
void bareDelay(const StereoBuffer& in, StereoBuffer& out, std::int64_t delay) {
  std::vector<float> l(static_cast<std::size_t>(delay)), r(static_cast<std::size_t>(delay));
  StereoSvf low(StereoSvf::Pass::high, 200, 200, 48000), high(StereoSvf::Pass::low, 7000, 7000, 48000);
  constexpr std::int64_t kBlock = 1024;
  for (std::int64_t at = 0; at < out.frames(); at += kBlock) {
    const std::int64_t n = std::min(kBlock, out.frames() - at);
    float *ol = out.left() + at, *orr = out.right() + at;
    for (std::int64_t i = 0; i < n; ++i) {
      const auto slot = static_cast<std::size_t>((at + i) % delay);
      ol[i] = l[slot];
      orr[i] = r[slot];
    }
    low.process(ol, orr, n);
    high.process(ol, orr, n);
    for (std::int64_t i = 0; i < n; ++i) {
      const auto slot = static_cast<std::size_t>((at + i) % delay);
      const bool inside = at + i < in.frames();
      l[slot] = (inside ? in.left()[at + i] : 0) + 0.9f * ol[i];
      r[slot] = (inside ? in.right()[at + i] : 0) + 0.9f * orr[i];
    }
  }
}

/// Noise of two generators, or three bare table oscillators (one table, cubic interpolation), through a stereo low-pass
/// that sweeps every 32 frames.
void bareRise(StereoBuffer& out, bool tone) {
  StereoSvf filter(StereoSvf::Pass::low, 200, 200, 48000);
  std::uint32_t a = 1, b = 2, phase[3] = {};
  static const std::vector<float> table = [] {
    std::vector<float> t(4096 + 3);
    for (std::size_t i = 0; i < t.size(); ++i) t[i] = static_cast<float>((i + 4095) % 4096) / 2048 - 1;
    return t;
  }();
  const auto oscillator = [&](int k, std::uint32_t step) {
    const std::uint32_t now = phase[k] += step;
    const float* p = table.data() + (now >> 20);
    const float u = static_cast<float>(static_cast<std::int32_t>((now << 12) >> 1)) * 0x1p-31f;
    const float c1 = 0.5f * (p[2] - p[0]), c2 = p[0] - 2.5f * p[1] + 2 * p[2] - 0.5f * p[3],
                c3 = 0.5f * (p[3] - p[0]) + 1.5f * (p[1] - p[2]);
    return ((c3 * u + c2) * u + c1) * u + p[1];
  };
  for (std::int64_t at = 0; at < out.frames(); at += 32) {
    const double u = static_cast<double>(at) / static_cast<double>(out.frames());
    const auto step = static_cast<std::uint32_t>(110 * std::exp2(2 * u) / 48000 * 0x1p32);
    filter.setCutoff(200 * std::pow(60, u));
    const auto gain = static_cast<float>(std::pow(10, -2 + 1.6 * u));
    for (std::int64_t i = at; i < at + 32; ++i) {
      if (tone) {
        const float middle = oscillator(0, step);
        out.left()[i] = middle + oscillator(1, step + step / 200);
        out.right()[i] = middle + oscillator(2, step - step / 200);
      } else {
        out.left()[i] = static_cast<float>(static_cast<std::int32_t>(a = a * 1664525 + 1013904223)) * 4e-10f;
        out.right()[i] = static_cast<float>(static_cast<std::int32_t>(b = b * 22695477 + 1)) * 4e-10f;
      }
    }
    filter.process(out.left() + at, out.right() + at, 32);
    for (std::int64_t i = at; i < at + 32; ++i) {
      out.left()[i] *= gain;
      out.right()[i] *= gain;
    }
  }
}

/// The song's first ornament, from plan to finished print.
void printAnew(const TestSong& t) {
  PrintCache fresh;
  const auto p = RenderPlan::make(t.song, t.audio, allKinds(), fresh);
  const auto node = p->node("o1");
  node->print->ensure(*p, *node);
  keep(node->print.get());
}

} // namespace

namespace {

void benchThrow() {
  TestSong t(48000, 120);
  t.stem("v", 480000, noise(1, 0.4));
  t.ornament("delay-throw", "v", 0, 4,
             {{"time_left", "1/4"},
              {"time_right", "1/4"},
              {"feedback_percent", 90.0},
              {"low_cut_hz", 200.0},
              {"high_cut_hz", 7000.0},
              {"cut_at", 60.0}});
  const auto plan = t.plan();
  const std::int64_t frames = 60 * 24000;
  const StereoBuffer source = fill(4 * 24000, noise(1, 0.4));
  StereoBuffer out(frames);
  const double audio = static_cast<double>(frames) / 48000;
  double ours = 0;
  int runs = 0;
  compare(
      "throw, 30 s of it, against a bare stereo delay with two filters", "<= 2x (aim 1000x real time)", 15,
      [&] {
        const double t0 = now();
        printAnew(t);
        ours += now() - t0;
        ++runs;
      },
      [&] {
        bareDelay(source, out, 24000);
        keep(out.left());
      });
  char text[64];
  std::snprintf(text, sizeof text, "%.0f x real time", audio / (ours / runs));
  line("throw, absolute", text, "1000x");
}

/// Two minutes of source: from plan to the first block of the print, and all of it.
void benchLongSwell() {
  const std::int64_t frames = 125 * 48000;
  TestSong t(48000, 120);
  t.stem("v", frames, noise(1, 0.4));
  t.ornament("reverse-reverb", "v", 8, 240, {{"lead_beats", 8.0}, {"wash_under_percent", 60.0}});
  t.plan();
  std::vector<double> first, whole;
  for (int i = 0; i < 5; ++i) {
    PrintCache fresh;
    const double t0 = now();
    const auto p = RenderPlan::make(t.song, t.audio, allKinds(), fresh);
    const auto node = p->node("o1");
    node->print->ensure(*p, *node, {node->print->first(), node->print->first() + Frames(1)});
    first.push_back(now() - t0);
    node->print->ensure(*p, *node);
    whole.push_back(now() - t0);
  }
  std::sort(first.begin(), first.end());
  std::sort(whole.begin(), whole.end());
  char text[96];
  std::snprintf(text, sizeof text, "%.0f ms; all of it %.0f ms", first[2] * 1e3, whole[2] * 1e3);
  line("reverse reverb of two minutes, first sound", text, "<= 300 ms");
}

void benchPulse() {
  // A pulse of 30 s on a stem that long, from plan to finished print.
  TestSong t(48000, 120);
  const std::int64_t frames = 60 * 24000;
  t.stem("v", frames, noise(1, 0.4));
  t.ornament("pulse", "v", 0, 60,
             {{"length_percent", 60.0},
              {"fade_in", 5.0},
              {"fade_out", 35.0},
              {"fade_out_bend", -0.4},
              {"levels", List{1.0, 1.0, 0.0}},
              {"pans", List{-0.7, 0.7}}});
  const auto plan = t.plan();
  const StereoBuffer source = fill(frames, noise(1, 0.4));
  StereoBuffer out(frames);
  compare(
      "pulse, 30 s of it, against a bare stereo delay with two filters", "<= 2x (aim 1.4x)", 15, [&] { printAnew(t); },
      [&] {
        bareDelay(source, out, 24000);
        keep(out.left());
      });
}

void benchStutter() {
  for (const bool plain : {true, false}) {
    // A stutter of 30 s, from plan to finished print.
    TestSong t(48000, 120);
    const std::int64_t frames = 60 * 24000;
    t.stem("v", frames, noise(1, 0.4));
    Settings s{{"snap_to_onset", true}, {"gains_db", List{0.0, -3.0, Value(), -6.0}}, {"pan_pattern", List{-0.7, 0.7}}};
    if (!plain) s["pitches"] = List{0.0, 3.0, -5.0, 7.0};
    t.ornament("stutter", "v", 0, 60, s);
    const auto plan = t.plan();
    const StereoBuffer source = fill(frames, noise(1, 0.4));
    StereoBuffer out(frames);
    compare(
        plain ? "stutter, 30 s of it, against a bare stereo delay with two filters"
              : "stutter in four pitches, the same",
        plain ? "<= 2x (aim 1.4x)" : "-", 15, [&] { printAnew(t); },
        [&] {
          bareDelay(source, out, 24000);
          keep(out.left());
        });
  }
}

void benchRiser() {
  for (const bool tone : {false, true}) {
    // A riser of 30 s, from plan to finished print, against its bare source and filter.
    TestSong t(48000, 120);
    t.stem("v", 48000, silence());
    t.ornament("riser", "v", 0, 60, {{"of", tone ? "tone" : "noise"}, {"tremolo", List{"1/4", "1/32"}}});
    const auto plan = t.plan();
    StereoBuffer out(60 * 24000);
    compare(
        tone ? "riser of a tone, 30 s, against three bare table oscillators and a swept filter"
             : "riser of noise, 30 s, against bare noise and a swept filter",
        "<= 2x", 15, [&] { printAnew(t); },
        [&] {
          bareRise(out, tone);
          keep(out.left());
        });
  }
}

void benchMixing() {
  // 64 stereo stems of 20 s: mixing for playback against reading the same memory once.
  TestSong t(48000, 120);
  const std::int64_t frames = 20 * 48000;
  const StereoBuffer grain = fill(48000, noise(2, 0.1));
  for (int s = 0; s < 64; ++s)
    t.stem("s" + std::to_string(s), frames,
           [&, s](std::int64_t f, int side) { return (side ? grain.right() : grain.left())[(f + 101 * s) % 48000]; });
  for (auto& s : t.song.stems) s.mix.gainDb = -6;
  const auto plan = t.plan();
  StereoBuffer out(4096);
  Evaluator e(*plan, Evaluator::Missing::takeReady);
  compare(
      "mixing 64 stereo stems of 20 s, against reading the same memory once", "<= 2x", 7,
      [&] {
        for (std::int64_t at = 0; at + 4096 <= frames; at += 4096) e.mix(Frames(at), out.span());
        keep(out.left());
      },
      [&] {
        float sums[64] = {};
        for (int s = 0; s < 64; ++s) {
          const auto& a = t.audio.of("s" + std::to_string(s));
          for (const float* side : {a->left(), a->right()}) {
            float lanes[16] = {};
            for (std::int64_t i = 0; i + 16 <= frames; i += 16)
              for (int k = 0; k < 16; ++k) lanes[k] += side[i + k];
            for (float v : lanes) sums[s] += v;
          }
        }
        keep(sums);
      });
}

void benchLimiter() {
  const StereoBuffer x = fill(30 * 48000, noise(3, 0.2));
  StereoBuffer y(x.frames());
  const MixSource source = [&](Frames from, StereoSpan out) {
    for (std::int64_t i = 0; i < out.frames; ++i) {
      const std::int64_t f = from.count + i;
      const bool inside = f >= 0 && f < x.frames();
      out.left[i] = inside ? x.left()[f] : 0;
      out.right[i] = inside ? x.right()[f] : 0;
    }
  };
  compare(
      "limiter, 30 s where nothing nears the ceiling, against a copy through the same source", "<= 3x", 15,
      [&] {
        MixLimiter l(48000, -1, source);
        for (std::int64_t at = 0; at < x.frames(); at += 4096)
          l.read(Frames(at), y.span().part(at, std::min<std::int64_t>(4096, x.frames() - at)));
        keep(y.left());
      },
      [&] {
        for (std::int64_t at = 0; at < x.frames(); at += 4096)
          source(Frames(at), y.span().part(at, std::min<std::int64_t>(4096, x.frames() - at)));
        keep(y.left());
      });
}

} // namespace

void soundBenchmarks() {
  benchThrow();
  benchLongSwell();
  benchPulse();
  benchStutter();
  benchRiser();
  benchMixing();
  benchLimiter();
}

} // namespace ivrin::bench
