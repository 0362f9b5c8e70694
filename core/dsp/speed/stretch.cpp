#include "dsp/speed/stretch.h"

#include "dsp/measure/attack_scan.h"
#include "dsp/parallel.h"
#include "dsp/speed/speed_reader.h"
#include "dsp/speed/turned_windows.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <vector>

namespace ivrin {
namespace {

constexpr std::int64_t kFed = 256;               // source frames asked for at once
constexpr std::int64_t kCell = 64;               // output frames in which the pitch goes in a straight line
constexpr std::int64_t kSourceKept = 1 << 15;    // source frames that may lie about
constexpr std::int64_t kAhead = 1 << 15;         // output frames skipped at once
constexpr std::int64_t kRead = 1024;             // output frames read at once ...
constexpr std::int64_t kReadOnThreads = 1 << 17; // ... and on several threads
constexpr double kLowest = 1.0 / 16, kHighest = 16;
static_assert(kHighest <= SpeedReader::kMost);

} // namespace

struct Stretch::Body {
  Body(double sampleRate, double ratio, double pitchRatio, Feed f, std::int64_t keptBack)
      : rate(sampleRate)
      , timeRatio(ratio)
      , pitch(std::clamp(pitchRatio, kLowest, kHighest))
      , feed(std::move(f))
      , back(keptBack)
      , attacks(sampleRate)
      , reader([this](std::int64_t from, StereoSpan out) { readDrawn(from, out); }) {}

  void begin(std::int64_t at) {
    origin = at;
    next = 0;
    keptFrom = std::numeric_limits<std::int64_t>::min() / 2;
    places.assign(1, 0.0);
    pitches.assign(1, pitchAt(0));
    // Downwards windows are shorter, as what they smear is read slower; half way, for partials lie closer too.
    const double now = std::clamp(std::sqrt(follows ? 0.5 : pitch), 0.5, 1.0);
    if (layers.empty() || now != width) layers = stretchLayers(rate, now);
    width = now;
    std::int64_t before = attacks.runUp();
    for (TurnedWindows& l : layers) {
      l.begin(origin);
      before = std::max(before, l.window() / 2 + l.hop());
    }
    source = {{}, origin - before - 1};
    sounding.clear();
    attacks.begin(source.from);
  }

  double pitchAt(std::int64_t frame) const { return follows ? std::clamp(follows(frame), kLowest, kHighest) : pitch; }

  /// Where an output frame lies in the drawn sound, and how fast that is read there.
  struct Read {
    double place, speed;
  };
  Read readAt(double frame) {
    if (!follows || frame < 0) return {frame * pitches.front(), pitches.front()};
    const auto cell = static_cast<std::size_t>(frame / kCell);
    while (pitches.size() <= cell + 1) {
      const double then = pitchAt(std::ssize(pitches) * kCell);
      places.push_back(places.back() + kCell * 0.5 * (pitches.back() + then));
      pitches.push_back(then);
    }
    const double x = frame - static_cast<double>(cell) * kCell, slope = (pitches[cell + 1] - pitches[cell]) / kCell;
    return {places[cell] + x * (pitches[cell] + 0.5 * slope * x), pitches[cell] + slope * x};
  }

  WindowPlace placeOf(std::int64_t frame) {
    return {frame, std::llround(readAt(timeRatio * static_cast<double>(frame - origin)).place)};
  }
  /// It is heard a little after its frame, undrawn: its frame lies as much before its place.
  WindowPlace placeOf(const AttackScan::Attack& a) {
    if (a.frame == AttackScan::kNone) return {a.frame, a.frame};
    return {a.frame, placeOf(a.frame + attacks.margin()).out - attacks.margin()};
  }

  void sourceTo(std::int64_t end) {
    while (source.end() < end) {
      const std::int64_t n = source.sound.frames();
      source.sound.resize(n + kFed);
      const StereoSpan block = source.sound.span().part(n, kFed);
      feed(source.from + n, block);
      attacks.add(block);
      if (!block.isSilent()) sounding.push_back(source.end());
    }
  }

  bool soundsBetween(std::int64_t from, std::int64_t to) const {
    const auto block = std::upper_bound(sounding.begin(), sounding.end(), from);
    return block != sounding.end() && *block - kFed < to;
  }

  /// Source that the layer's next window needs: for itself, and for every attack that it reaches in the output.
  std::int64_t neededFor(const TurnedWindows& l, double faster) const {
    const double half = static_cast<double>(l.window() / 2) / std::min(1.0, faster);
    return l.last() + l.hop() + static_cast<std::int64_t>(half) + attacks.margin() + attacks.behind() + kFed;
  }
  /// Around a window's middle: no other window that sounds overlaps it where all this is silent.
  static std::int64_t about(const TurnedWindows& l, double faster) {
    return static_cast<std::int64_t>(static_cast<double>(l.window()) * (1 + 1 / std::min(1.0, faster)));
  }

  /// The layer's next window; at an attack the last one before it and the first one after.
  void step(TurnedWindows& l) {
    const double faster = timeRatio * readAt(timeRatio * static_cast<double>(l.last() - origin)).speed;
    sourceTo(neededFor(l, faster));
    const std::int64_t at = l.next(faster);
    if (at == origin) {
      const AttackScan::Attack here = attacks.next(origin - 2 * attacks.margin());
      if (here.frame < origin + l.least()) l.roseBy(here.rise);
    }
    // In a long silence nothing is computed.
    const std::int64_t far = about(l, faster);
    if (!soundsBetween(at - far, at + far)) {
      sourceTo(at + far);
      if (!soundsBetween(at - far, at + far)) return l.pass(placeOf(at));
    }
    const AttackScan::Attack attack = attacks.next(l.segment() + l.least());
    if (attack.frame > at) return l.add(source, placeOf(at), placeOf(attack));
    l.add(source, placeOf(attack), placeOf(attack));
    l.beginAnew(source, attack.rise, placeOf(attacks.next(attack.frame + l.least())));
  }

  void readDrawn(std::int64_t from, StereoSpan out) {
    out.clear();
    for (TurnedWindows& l : layers) {
      while (l.doneTo() < from + out.frames) step(l);
      l.read(from, out);
    }
  }

  /// The drawn sound that the reader may look at for an output frame begins here: its speed does not double in a block.
  std::int64_t neededFrom(std::int64_t frame) {
    const Read r = readAt(static_cast<double>(frame));
    return static_cast<std::int64_t>(std::floor(r.place - readerReach(r.speed)));
  }
  static double readerReach(double speed) {
    return 2 * SpeedReader::kHalf * std::max(1.0, speed) + SpeedReader::kReach;
  }

  void goTo(std::int64_t frame) {
    if (frame < next && neededFrom(frame) < keptFrom) begin(origin);
    // What lies between is looked at, piece by piece, but not laid.
    while (next < frame) {
      next = std::min(frame, next + kAhead);
      letGo();
      for (TurnedWindows& l : layers)
        while (l.doneTo() < keptFrom) step(l);
    }
    next = frame;
  }

  void read(std::int64_t from, StereoSpan out) {
    const bool asItIs = !follows && pitch == 1;
    if (asItIs && timeRatio == 1) return feed(origin + from, out);
    if (from != next) goTo(from);
    for (std::int64_t done = 0; done < out.frames;) {
      const std::int64_t n = std::min(std::ssize(place), out.frames - done);
      const StereoSpan part = out.part(done, n);
      if (asItIs) {
        readDrawn(next, part);
      } else {
        for (std::int64_t i = 0; i < n; ++i) {
          const Read r = readAt(static_cast<double>(next + i));
          place[static_cast<std::size_t>(i)] = r.place;
          speed[static_cast<std::size_t>(i)] = r.speed;
        }
        reader.read(place.data(), speed.data(), part);
      }
      next += n;
      done += n;
      letGo();
    }
  }

  /// The layers up to drawn frame `end`, each on its own, as far as the source that is there carries them.
  void layOn(int threads, std::int64_t end) {
    const double faster = timeRatio * pitch;
    std::int64_t most = 0;
    for (const TurnedWindows& l : layers) most = std::max(most, l.window() + l.hop() + about(l, faster));
    sourceTo(origin + static_cast<std::int64_t>(static_cast<double>(end) / faster) + 2 * most + attacks.behind() +
             2 * kFed);
    inParallel(layers.size(), threads, [&](std::size_t i) {
      TurnedWindows& l = layers[i];
      while (l.doneTo() < end && source.end() >= std::max(neededFor(l, faster), l.next(faster) + about(l, faster)))
        step(l);
    });
  }

  void readOn(int threads, std::int64_t from, StereoSpan out) {
    if (threads < 2 || follows || pitch == 1) return read(from, out);
    if (from != next) goTo(from);
    StereoBuffer drawn;
    for (std::int64_t done = 0; done < out.frames;) {
      const StereoSpan part = out.part(done, std::min(kReadOnThreads, out.frames - done));
      const auto placeIn = [&](std::int64_t i) { return static_cast<double>(next + i) * pitch; };
      const std::int64_t first = neededFrom(next),
                         last = static_cast<std::int64_t>(std::ceil(placeIn(part.frames) + readerReach(pitch)));
      layOn(threads, last);
      drawn.resize(last - first);
      readDrawn(first, drawn.span());
      // Blocks that read() reads too: so a place is the same number.
      const std::int64_t blocks = (part.frames + kRead - 1) / kRead;
      inParallel(static_cast<std::size_t>(threads), threads, [&](std::size_t t) {
        SpeedReader one([&](std::int64_t begins, StereoSpan to) { drawn.read(begins - first, to); });
        std::array<double, kRead> at, speeds;
        speeds.fill(pitch);
        for (auto b = static_cast<std::int64_t>(t); b < blocks; b += threads) {
          const StereoSpan block = part.part(b * kRead, std::min(kRead, part.frames - b * kRead));
          for (std::int64_t i = 0; i < block.frames; ++i) at[static_cast<std::size_t>(i)] = placeIn(b * kRead + i);
          one.read(at.data(), speeds.data(), block);
        }
      });
      next += part.frames;
      done += part.frames;
      letGo();
    }
  }

  void letGo() {
    keptFrom = std::max(keptFrom, neededFrom(std::max<std::int64_t>(0, next - back)));
    std::int64_t seen = source.end(), segment = seen;
    for (TurnedWindows& l : layers) {
      l.letGo(keptFrom);
      seen = std::min(seen, l.last() - l.window() / 2 - l.hop() - 1);
      segment = std::min(segment, l.segment());
    }
    attacks.letGo(segment);
    if (seen - source.from > kSourceKept) source.letGo(seen);
    if (std::ssize(sounding) > kSourceKept / kFed) {
      for (const TurnedWindows& l : layers) seen = std::min(seen, l.last() - about(l, kLowest));
      sounding.erase(sounding.begin(), std::upper_bound(sounding.begin(), sounding.end(), seen));
    }
  }

  double rate, timeRatio, pitch;
  Feed feed;
  std::int64_t back;
  std::function<double(std::int64_t)> follows;
  double width = 0;
  WindowSource source;
  std::vector<std::int64_t> sounding; // ends of the fed blocks that are not silent, ascending
  AttackScan attacks;
  std::vector<TurnedWindows> layers;
  std::int64_t origin = 0, next = 0;   // the next output frame
  std::int64_t keptFrom = 0;           // of the drawn sound
  std::vector<double> places, pitches; // at output frames kCell·i: place in the drawn sound; pitch
  SpeedReader reader;
  std::array<double, kRead> place{}, speed{};
};

Stretch::Stretch(double sampleRate, double timeRatio, double pitchRatio, Feed feed, std::int64_t back)
    : body_(std::make_unique<Body>(sampleRate, timeRatio, pitchRatio, std::move(feed), back)) {
  begin(0);
}
Stretch::~Stretch() = default;
Stretch::Stretch(Stretch&&) noexcept = default;
Stretch& Stretch::operator=(Stretch&&) noexcept = default;

void Stretch::begin(std::int64_t origin) {
  body_->begin(origin);
}

void Stretch::read(std::int64_t from, StereoSpan out) {
  body_->read(from, out);
}

void Stretch::readOn(int threads, std::int64_t from, StereoSpan out) {
  body_->readOn(threads, from, out);
}

void Stretch::follow(std::function<double(std::int64_t)> pitchRatio) {
  body_->follows = std::move(pitchRatio);
  body_->begin(body_->origin);
}

std::int64_t Stretch::around(double sampleRate, double lowestPitch) {
  // Two windows of 0.128 s and what is read ahead for the attacks; the longer, the slower they are read.
  return std::llround(sampleRate * (0.2 + 0.13 / std::clamp(lowestPitch, kLowest, 1.0)));
}

} // namespace ivrin
