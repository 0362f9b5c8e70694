// What is drawn of a sound is the sound: columns against the samples under them, far and near.
#include "rig.h"

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;

TEST_CASE("each column of a wave reaches from its lowest sample to its highest", "[score][waves]") {
  SmallSongRig rig;
  RowWaves waves;
  waves.show({rig.session->plan(), rig.session->audio(), rig.session->rows().peaks()});
  for (const char* row : {"voice", "drums"}) {
    const auto audio = rig.session->audio().of(row);
    REQUIRE(audio);
    const double scale = 1 / waves.fullScale(row), mid = 200, half = 150;
    for (const std::int64_t each : {1, 3, 15, 16, 17, 50, 100, 127, 128, 200, 1000}) {
      INFO(row << ", " << each << " frames for each column");
      ColumnFrames frames;
      for (int i = 0; i <= 300; ++i) frames.push_back(47000 + i * each);
      const WaveColumns w = waves.row(row, frames, mid, half);
      REQUIRE(w.top.size() == 300);
      double worst = 0;
      for (std::size_t x = 0; x < 300; ++x) {
        // From twice the base of the peaks on they are asked, in bins of at most a column: what is drawn may reach
        // that much farther. Near, one sample more, so that neighbours touch.
        const std::int64_t more = each >= 128 ? each : 1;
        float low = audio->left()[frames[x]], high = low, lowest = low, highest = low;
        for (std::int64_t f = std::max<std::int64_t>(0, frames[x] - (each >= 128 ? each : 0));
             f < std::min(audio->frames(), frames[x + 1] + more); ++f)
          for (const float v : {audio->left()[f], audio->right()[f]}) {
            lowest = std::min(lowest, v);
            highest = std::max(highest, v);
            if (f < frames[x] || f >= frames[x + 1]) continue;
            low = std::min(low, v);
            high = std::max(high, v);
          }
        const auto y = [&](float v) {
          return std::clamp(mid - static_cast<double>(v) * scale * half, mid - half, mid + half);
        };
        const double top = static_cast<double>(w.top[x]), bottom = static_cast<double>(w.bottom[x]);
        worst = std::max({worst, top - std::min(y(high), mid - 0.5), std::max(y(low), mid + 0.5) - bottom});
        worst = std::max({worst, std::min(y(highest), mid - 0.5) - top, bottom - std::max(y(lowest), mid + 0.5)});
      }
      CHECK(worst < 0.02); // hundredths of a pixel
    }
  }
}

namespace {
bool every(const OrnamentNode&) {
  return true;
}
} // namespace

TEST_CASE("what an ornament takes away is drawn where it was, and what it leaves where it is", "[score][waves]") {
  SmallSongRig rig;
  rig.place("gap", "keys", 8, 12);
  RowWaves waves;
  waves.show({rig.session->plan(), rig.session->audio(), rig.session->rows().peaks()});
  ColumnFrames frames;
  for (int i = 0; i <= 400; ++i) frames.push_back(i * 960); // 16 beats
  const WaveColumns is = waves.row("keys", frames, 100, 80);
  const auto gone = waves.turnedDown("keys", frames, 100, 80, every);
  REQUIRE(gone);
  const Ornament& gap = *rig.session->song().ornaments.front();
  const FrameRange span = rig.session->plan()->map().frames(gap.span());
  int silent = 0, whole = 0;
  for (std::size_t x = 0; x < 400; ++x) {
    const bool inside = frames[x] > span.begin.count + 480 && frames[x + 1] < span.end.count - 480,
               outside = frames[x + 1] < span.begin.count || frames[x] > span.end.count;
    if (inside) { // a line where it is silent, the hatched wave where it was
      CHECK(is.bottom[x] - is.top[x] == Approx(1).margin(0.01));
      CHECK(gone->bottom[x] - gone->top[x] > 40);
      ++silent;
    }
    if (outside) {
      CHECK(is.bottom[x] - is.top[x] > 40);
      CHECK(gone->bottom[x] - gone->top[x] == 0);
      ++whole;
    }
  }
  CHECK(silent >= 80);
  CHECK(whole >= 250);
  CHECK_FALSE(waves.turnedDown("voice", frames, 100, 80, every));
}

TEST_CASE("in a gap over a bus what goes on is told from its dry sound, and each ornament's own hatching from others'",
          "[score][waves]") {
  SmallSongRig rig;
  const std::string gap = rig.place("gap", "music", 8, 12), later = rig.place("gap", "music", 13, 15);
  RowWaves waves;
  waves.show({rig.session->plan(), rig.session->audio(), rig.session->rows().peaks()});
  ColumnFrames frames;
  for (int i = 0; i <= 400; ++i) frames.push_back(i * 960); // 16 beats of 24000 frames
  const WaveColumns row = waves.row("music", frames, 100, 80);
  const auto on = waves.goesOn("music", frames, 100, 80);
  REQUIRE(on);
  for (std::size_t x = 0; x < 400; ++x) {
    const double beat = static_cast<double>(frames[x]) / 24000;
    if ((beat > 8.1 && beat < 11.9) || (beat > 13.1 && beat < 14.9)) {
      CHECK(on->top[x] == row.top[x]);
      CHECK(on->bottom[x] == row.bottom[x]);
    }
    if (beat < 7.9 || (beat > 12.1 && beat < 12.9)) CHECK(on->top[x] == on->bottom[x]);
  }
  CHECK_FALSE(waves.goesOn("keys", frames, 100, 80)); // a stem's own wave leaves it out
  CHECK_FALSE(waves.goesOn("mix", frames, 100, 80));
  const auto own =
      waves.turnedDown("music", frames, 100, 80, [&](const OrnamentNode& n) { return n.ornament->id == later; });
  REQUIRE(own);
  CHECK(own->bottom[250] - own->top[250] == 0); // beat 10: the other's
  CHECK(own->bottom[350] - own->top[350] > 40); // beat 14
}
