// The spaces against a bare network.
#include "bench.h"

#include "audio/simd.h"
#include "dsp/denormals.h"
#include "dsp/space/reverb.h"
#include "test_support/signals.h"

#include <cstdio>
#include <vector>

namespace ivrin::bench {
using namespace ivrin::test;
namespace {

/// A bare feedback delay network: sixteen lines side by side, a gain each, Householder mixing, nothing else.
IVRIN_CLONES void bareNetwork(const float* l, const float* r, float* outL, float* outR, std::int64_t n) {
  static const int lengths[16] = {347, 401, 461, 509, 577, 631, 709, 773, 839, 907, 971, 1049, 1117, 1201, 1297, 1399};
  std::vector<float> memory(2048 * 16);
  for (std::int64_t t = 0; t < n; ++t) {
    float x[16], q[8];
    for (int k = 0; k < 16; ++k) x[k] = 0.97f * memory[static_cast<std::size_t>(((t - lengths[k]) & 2047) * 16 + k)];
    for (int k = 0; k < 8; ++k) q[k] = x[k] + x[k + 8];
    for (int k = 0; k < 4; ++k) q[k] += q[k + 4];
    const float share = 0.125f * ((q[0] + q[1]) + (q[2] + q[3]));
    float* w = memory.data() + (t & 2047) * 16;
    for (int k = 0; k < 16; ++k) w[k] = x[k] - share + 0.25f * (k % 2 != 0 ? r[t] : l[t]);
    outL[t] = q[0] + q[1];
    outR[t] = q[2] - q[3];
  }
}

} // namespace

void spaceBenchmarks() {
  const FlushDenormals guard;
  const std::int64_t frames = 10 * 48000;
  const StereoBuffer in = fill(frames, noise(4, 0.2));
  StereoBuffer out(frames), bare(frames);
  const struct {
    const char* name;
    ReverbCharacter character;
  } spaces[] = {{"plate", ReverbCharacter::plate},
                {"room", ReverbCharacter::room},
                {"hall", ReverbCharacter::hall},
                {"spring", ReverbCharacter::spring}};
  for (const auto& space : spaces) {
    double ours = 0;
    int runs = 0;
    compare(
        std::string(space.name) + ", damped and modulated, against a bare 16-line network",
        space.character == ReverbCharacter::spring ? "(another thing than a network)" : "<= 4x", 15,
        [&] {
          const double t0 = now();
          Reverb reverb(ReverbSettings{space.character, 2.5, 0.5, 0.3, 0.2, false, 1}, 48000);
          out = in;
          for (std::int64_t at = 0; at < frames; at += 1024)
            reverb.process(out.span().part(at, std::min<std::int64_t>(1024, frames - at)));
          keep(out.left());
          ours += now() - t0;
          ++runs;
        },
        [&] {
          bareNetwork(in.left(), in.right(), bare.left(), bare.right(), frames);
          keep(bare.left());
        });
    char text[64];
    std::snprintf(text, sizeof text, "%.0f x real time", 10 / (ours / runs));
    line(std::string(space.name) + ", absolute", text, ">= 150x");
  }
}

} // namespace ivrin::bench
