// The work around the kernels: edits to sound, whole renders, import, growth.
#include "bench.h"

#include "play/player.h"
#include "play/simulated_output.h"
#include "render/export.h"
#include "render/render_pool.h"
#include "song/edits.h"
#include "test_support/any_settings.h"
#include "test_support/bench_song.h"

#include "audio/audio_writer.h"

#include <sndfile.h>
#include <unistd.h>

#include <cmath>
#include <thread>

#include <functional>

namespace ivrin::bench {
using namespace ivrin::test;
namespace {

/// An edit of one ornament in a playing song until its first 250 ms from the playhead are in the player's hands.
void editToSound(const char* what, const char* goal, const char* kind, Beats start, double length, Beats loop,
                 Settings settings, const char* key, const std::function<Value(int)>& value, int edits,
                 std::int64_t loopFrames = 96000, int seconds = 60) {
  const auto t = bigSong(16, seconds, 60);
  t->ornament(kind, "stem0", start.quarters(), length, std::move(settings));
  Player player({48000, 256, true});
  SimulatedOutput out(SimulatedOutput::Mode::realTime, 256);
  RenderPool pool(2);
  out.start(player, 48000);
  player.setPlan(t->plan());
  pool.setPlan(t->plan());
  pool.waitUntilIdle();
  const std::int64_t from = t->plan()->map().frameAt(loop).count;
  player.setLoop(FrameRange{Frames(from), Frames(from + loopFrames)});
  player.play(Frames(from));
  std::vector<double> plain;
  Song song = t->song;
  auto former = t->plan();
  for (int i = 0; i < edits; ++i) {
    const std::string id = t->ornaments.back().id;
    const double begun = now();
    song = withSetting(song, id, key, value(i));
    auto plan = RenderPlan::make(song, t->audio, allKinds(), t->cache, former.get());
    player.setPlan(plan);
    pool.setPlayhead(player.position());
    pool.setPlan(plan);
    while (!player.newestPlanHeard()) std::this_thread::yield();
    plain.push_back((now() - begun) * 1e3);
    former = plan;
  }
  player.stop();
  spread(what, goal, plain);
}

} // namespace

namespace {

void benchEdits() {
  const auto from = [](double least, double step) { return [=](int i) { return Value(least + step * i); }; };
  editToSound(
      "edit of a 2-bar throw while playing, until the player mixes it", "<= 20 ms, p99 <= 50 ms", "delay-throw",
      Beats::ofQuarters(20), 8, Beats::ofQuarters(22),
      {{"time_left", "1/8."}, {"time_right", "1/4"}, {"low_cut_hz", 200.0}, {"high_cut_hz", 7000.0}, {"duck_db", 6.0}},
      "feedback_percent", from(30, 0.03), 1000);
  const Settings steps{{"time_left", "1/8."}, {"time_right", "1/4"}, {"low_cut_hz", 200.0}, {"step_semitones", 5.0}};
  editToSound("the same with a pitch step", "median <= 40 ms", "delay-throw", Beats::ofQuarters(20), 8,
              Beats::ofQuarters(22), steps, "feedback_percent", from(30, 0.03), 200);
  editToSound("the same, heard in its tail, three bars on", "median <= 100 ms", "delay-throw", Beats::ofQuarters(20), 8,
              Beats::ofQuarters(32), steps, "feedback_percent", from(50, 0.03), 30);
  // 16 beats are 8 s here.
  editToSound("edit of a reverse reverb of 8 s while playing, the same", "median <= 30 ms", "reverse-reverb",
              Beats::ofQuarters(40), 1, Beats::ofQuarters(36),
              {{"character", "hall"}, {"lead_beats", 16.0}, {"low_cut_hz", 250.0}}, "decay_seconds", from(8, 0.001),
              300);
  editToSound("edit of a 4-bar tape stop while playing, the same", "<= 20 ms, p99 <= 50 ms", "tape",
              Beats::ofQuarters(40), 16, Beats::ofQuarters(42), {}, "bend", from(0.1, 0.0007), 1000);
  // One cell in bar 60: its level goes up and down.
  List levels(1024, Value(1.0));
  editToSound(
      "edit of a cell in bar 60 of a 64-bar pulse while playing, the same", "<= 10 ms, p99 <= 20 ms", "pulse", Beats(0),
      256, Beats::ofQuarters(236), {{"length_percent", 60.0}}, "levels",
      [&](int i) {
        levels[59 * 16 + 3] = 0.1 + 0.0008 * i;
        return Value(levels);
      },
      1000, 96000, 130);
  List chances(128, Value(35.0));
  editToSound(
      "edit of a cell in bar 7 of an 8-bar glitch while playing, the same", "<= 10 ms, p99 <= 20 ms", "glitch",
      Beats::ofQuarters(20), 32, Beats::ofQuarters(44), {{"bars", 8.0}, {"resonance_percent", 40.0}}, "chance_percent",
      [&](int i) {
        chances[100] = 0.09 * i;
        return Value(chances);
      },
      1000);
  editToSound("edit of a 2-bar stutter while playing, the same", "<= 10 ms, p99 <= 20 ms", "stutter",
              Beats::ofQuarters(20), 8, Beats::ofQuarters(22), {{"snap_to_onset", true}}, "gate_percent",
              from(30, 0.06), 1000);
  editToSound("edit of an 8-bar riser while playing, heard before its end", "median <= 20 ms", "riser",
              Beats::ofQuarters(20), 32, Beats::ofQuarters(48), {{"tremolo", List{"1/4", "1/32"}}}, "bend",
              from(0.1, 0.0007), 1000);
  const Settings ofStem{{"of", "stem"}, {"stem_plays", "stretched"}};
  editToSound("edit of an 8-bar riser of the stem, stretched, heard from its begin", "median <= 40 ms", "riser",
              Beats::ofQuarters(20), 32, Beats::ofQuarters(19.75), ofStem, "resonance_percent", from(10, 0.1), 200,
              6000);
  editToSound("the same, heard before its end", "median <= 100 ms", "riser", Beats::ofQuarters(20), 32,
              Beats::ofQuarters(48), ofStem, "resonance_percent", from(10, 0.1), 100);
  const Settings kept{{"pitch", "keep"}};
  editToSound("edit of a halftime stretched at its pitch, heard from its begin", "median <= 40 ms", "halftime",
              Beats::ofQuarters(40), 8, Beats::ofQuarters(39.75), kept, "join_ms", from(12, 0.1), 200, 6000);
  editToSound("the same, the playhead anywhere in its first bar (2 s)", "<= 100 ms", "halftime", Beats::ofQuarters(40),
              8, Beats::ofQuarters(40), kept, "join_ms", from(12, 0.1), 100);
}

void benchRender() {
  const auto t = bigSong(16, 240, 60);
  t->song.mix.gainDb = -9; // a mix as it is left: the ceiling is met now and then, not all the time
  t->song.mix.limiter = true;
  t->plan();
  const TempFolder dir;
  ExportOptions o;
  const auto render = [&](int threads) {
    PrintCache fresh;
    o.threads = threads;
    const double start = now();
    exportSong(RenderPlan::make(t->song, t->audio, allKinds(), fresh), dir.path(), o);
    return now() - start;
  };
  render(2);
  const double one = render(1), two = render(2), one2 = render(1), two2 = render(2);
  char text[120];
  const double a = std::min(one, one2), b = std::min(two, two2);
  std::snprintf(text, sizeof text, "%.2f s = %.0f x real time; 1 thread %.2f s, gain %.2f x", b, 240 / b, a, a / b);
  line("render of 4 min, 16 stems, 60 ornaments, to a 24-bit mix, 2 threads", text, ">= 100x, second thread >= 1.7x");
}

void benchImport() {
  // Import of 16 stereo FLAC files against decoding them with the library and writing the floats, both on two
  // threads.
  const TempFolder dir;
  constexpr int kFiles = 16;
  constexpr std::int64_t kFrames = 60 * 48000;
  const StereoBuffer grain = fill(96000, noise(4, 0.3));
  for (int i = 0; i < kFiles; ++i) {
    AudioWriter w(dir / (std::to_string(i) + ".flac"), AudioFormat::flac24, 48000, kFrames, 1);
    StereoBuffer b(96000);
    for (std::int64_t at = 0; at < kFrames; at += 96000) {
      for (std::int64_t k = 0; k < 96000; ++k) {
        const float envelope = 0.5f + 0.5f * static_cast<float>(std::sin(0.0001 * static_cast<double>(at + k + 7 * i)));
        b.left()[k] = envelope * grain.left()[(k + i * 331) % 96000];
        b.right()[k] = envelope * grain.right()[(k + i * 577) % 96000];
      }
      w.write(b.left(), b.right(), 96000, at);
    }
    w.finish();
  }
  Song song;
  for (int i = 0; i < kFiles; ++i) {
    Stem s;
    s.id = std::to_string(i);
    s.file = std::to_string(i) + ".flac";
    song.stems.push_back(s);
  }
  int serial = 0;
  compare(
      "import of 16 stereo 1-minute FLAC files, against decoding them and writing the floats", "<= 1.25x", 3,
      [&] {
        const StemStore store(dir / ("cache" + std::to_string(serial++)));
        Problems p;
        SongAudio::open(song, {dir.path(), {}}, store, p, 2);
        std::filesystem::remove_all(dir / ("cache" + std::to_string(serial - 1)));
      },
      [&] {
        std::atomic<int> next{0};
        const auto work = [&] {
          std::vector<float> block(2 * 8192);
          for (int i = next++; i < kFiles; i = next++) {
            SF_INFO info{};
            SNDFILE* in = sf_open((dir / (std::to_string(i) + ".flac")).c_str(), SFM_READ, &info);
            std::FILE* out = std::fopen((dir / ("raw" + std::to_string(i))).c_str(), "wb");
            for (sf_count_t n; (n = sf_readf_float(in, block.data(), 8192)) > 0;)
              std::fwrite(block.data(), 8, static_cast<std::size_t>(n), out);
            sf_close(in);
            std::fflush(out);
            ::fdatasync(::fileno(out));
            std::fclose(out);
          }
        };
        std::jthread other(work);
        work();
      });
}

} // namespace

void workBenchmarks() {
  benchEdits();
  benchRender();
  benchImport();
}

namespace {

/// Milliseconds of the thread's own time that the slowest plan of a kind takes: settings by chance, at their limits as
/// often as not, over 4 or 400 beats or 3.9 hours, at 20, 120 and 400 BPM.
double slowestPlan(const TableSpec& kind) {
  Chance chance(7);
  double slowest = 0;
  for (int i = 0; i < 1500; ++i) {
    Song song;
    song.tempo[0].bpm = i % 3 == 0 ? 400 : i % 3 == 1 ? 20 : 120;
    Ornament o;
    o.id = "o";
    o.kind = kind.id;
    o.on = "a";
    o.length = Beats::ofQuarters(i % 4 == 0 ? 4.0 : i % 4 == 1 ? 400.0 : 3.9 * 60 * song.tempo[0].bpm);
    o.settings = test::anySettings(kind, chance);
    const SongContext context = contextOf(song);
    double least = 1e9; // of three: what else the machine does is not meant
    for (int k = 0; k < 3; ++k) {
      const double start = ownTime();
      const PrintPlan plan = allKinds().find(kind.id)->plan({o, context});
      keep(&plan);
      least = std::min(least, (ownTime() - start) * 1e3);
    }
    slowest = std::max(slowest, least);
  }
  return slowest;
}

} // namespace

void planningBenchmarks() {
  for (const TableSpec& kind : allKinds().registry().kinds) {
    char text[40];
    std::snprintf(text, sizeof text, "%.3f ms", slowestPlan(kind));
    line("the slowest plan of 1500 at the limits: " + kind.id, text, "<= 2 ms");
  }
  // The same edit in songs of 10 and 1000 ornaments.
  const auto cost = [](int ornaments) {
    const auto t = bigSong(4, 120, ornaments + 1); // the last one is a throw near the end
    auto former = t->plan();
    Song song = t->song;
    for (const auto& n : former->nodes()) // short tails do not matter here: planning is measured, not rendering
      keep(n.get());
    std::vector<double> ms;
    for (int i = 0; i < 400; ++i) {
      const double start = now();
      song = withSetting(song, song.ornaments.back()->id, "wet_db", -1.0 - 0.01 * i);
      auto plan = RenderPlan::make(song, t->audio, allKinds(), t->cache, former.get());
      former = plan;
      ms.push_back((now() - start) * 1e3);
    }
    std::sort(ms.begin(), ms.end());
    return ms[ms.size() / 2];
  };
  const double few = cost(10), many = cost(1000);
  char text[100];
  std::snprintf(text, sizeof text, "%.3f ms / %.3f ms = %.1f x", many, few, many / few);
  line("planning an edit with 1000 ornaments, against 10", text, "<= 1.5x");
}

} // namespace ivrin::bench
