#include "render/export.h"

#include "audio/audio_reader.h"
#include "dsp/mix_limiter.h"
#include "dsp/parallel.h"
#include "render/evaluator.h"
#include "render/open_song.h"
#include "song/safe_file.h"
#include "song/targets.h"
#include "time/song_place.h"
#include "words/words.h"

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <fcntl.h>
#include <future>
#include <stdexcept>
#include <sys/file.h>
#include <unistd.h>
#include <utility>

namespace ivrin {
namespace fs = std::filesystem;
namespace {

constexpr std::int64_t kChunk = 1 << 18; // frames each thread computes at a time

/// A folder while an export writes into it: a second one waits, so that what lies there in the end is one song's.
class FolderLock {
 public:
  /// Returns without the lock when asked to stop. Where the file system knows no locks there is none.
  FolderLock(const fs::path& folder, std::stop_token stop, const std::function<void()>& waiting)
      : fd_(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)) {
    bool told = false;
    while (fd_ >= 0 && ::flock(fd_, LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK && !stop.stop_requested()) {
      if (!std::exchange(told, true)) waiting();
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
  }
  ~FolderLock() {
    if (fd_ >= 0) ::close(fd_);
  }
  FolderLock(const FolderLock&) = delete;
  FolderLock& operator=(const FolderLock&) = delete;

 private:
  int fd_;
};

/// Room for all files as they are without packing (FLAC of noise packs nothing).
void askForSpace(const fs::path& folder, AudioFormat format, std::int64_t frames, std::size_t files) {
  std::error_code unknown;
  const auto space = fs::space(folder, unknown);
  const std::uintmax_t need = static_cast<std::uintmax_t>(frames * bytesPerFrame(format)) * files;
  if (unknown || space.available >= need) return;
  throw std::runtime_error(worded("not enough space in %1: up to %2 MiB are needed, %3 are free", folder.string(),
                                  (need >> 20) + 1, space.available >> 20));
}

/// Frames from midnight to the stems' time 0; where no stem says it one hour, which is where sessions commonly begin.
std::int64_t timeReferenceOf(const Song& song) {
  if (const auto start = statedStart(song)) return std::llround(*start * song.sampleRate);
  return std::int64_t{3600} * song.sampleRate;
}

/// One file to write: its samples for any stretch of the song, computed by a maker that each thread has for itself.
struct Task {
  fs::path file;
  std::uint64_t ditherSeed;
  using Source = std::function<void(Frames, StereoSpan)>;
  std::function<Source()> makeSource;
  std::shared_ptr<const OrnamentNode> trimTo{}; // the file holds this one's print and no more
};

} // namespace

void completePrints(const RenderPlan& plan, int threads, std::stop_token stop, const ExportProgress& progress) {
  std::vector<std::shared_ptr<const OrnamentNode>> open;
  for (const auto& n : plan.nodes())
    if (n->print && !n->print->complete()) open.push_back(n);
  std::atomic<std::size_t> done{0};
  std::mutex mutex;
  inParallel(open.size(), threads, [&](std::size_t i) {
    if (stop.stop_requested()) return;
    open[i]->print->ensure(plan, *open[i], stop);
    const auto fraction = static_cast<double>(++done) / static_cast<double>(open.size());
    if (progress) {
      std::lock_guard lock(mutex);
      progress(fraction, worded("Computing ornaments"));
    }
  });
}

ExportReport exportSong(const std::shared_ptr<const RenderPlan>& plan, const fs::path& folder,
                        const ExportOptions& options, std::stop_token stop, const ExportProgress& progress) {
  ExportReport report;
  const auto wanted = [&](const std::string& id) {
    return options.only.empty() || std::find(options.only.begin(), options.only.end(), id) != options.only.end();
  };
  const Frames begin = options.from ? plan->map().frameAt(*options.from) : plan->song().firstFrame();

  const std::string extension = extensionOf(options.format);
  std::vector<Task> tasks;
  std::atomic<double> reduction{0};
  std::uint64_t seed = 1;
  const auto evaluator = [plan, begin] {
    auto e = std::make_shared<Evaluator>(*plan, Evaluator::Missing::compute);
    if (begin >= plan->song().firstFrame()) e->setBegin(plan->song().firstFrame());
    return e;
  };
  if (options.mix && wanted(kMixRow))
    tasks.push_back({folder / ("mix" + extension), seed, [&, evaluator]() -> Task::Source {
                       auto e = evaluator();
                       if (!plan->song().mix.limiter) return [e](Frames at, StereoSpan out) { e->mix(at, out); };
                       auto limiter =
                           std::make_shared<MixLimiter>(plan->map().sampleRate(), plan->song().mix.ceilingDbtp,
                                                        [e](Frames at, StereoSpan out) { e->mix(at, out); });
                       return [limiter, &reduction](Frames at, StereoSpan out) {
                         limiter->read(at, out);
                         double seen = reduction;
                         while (limiter->lastReductionDb() > seen &&
                                !reduction.compare_exchange_weak(seen, limiter->lastReductionDb())) {
                         }
                       };
                     }});
  for (std::size_t r = 0; r < plan->rows().size(); ++r) {
    const std::string& id = plan->rows()[r].id;
    ++seed;
    if (!wanted(id)) continue;
    if (options.stems)
      tasks.push_back({folder / "stems" / (id + extension), seed, [r, evaluator]() -> Task::Source {
                         auto e = evaluator();
                         return [e, r](Frames at, StereoSpan out) { e->rowOut(r, at, out); };
                       }});
    for (const bool wet : {false, true}) {
      if (wet ? !options.wet : !options.dry) continue;
      tasks.push_back(
          {folder / (wet ? "wet" : "dry") / (id + extension), seed, [r, wet, plan, evaluator]() -> Task::Source {
             auto e = evaluator();
             auto p = std::make_shared<Planes>();
             return [e, p, r, wet, plan](Frames at, StereoSpan out) {
               e->planes(r, at, out.frames, *p);
               out.clear();
               if (wet && !p->wetSounds) return;
               const StereoBuffer& from = wet ? p->wet : p->dry;
               const RowNode& row = plan->rows()[r];
               for (std::int64_t i = 0; i < out.frames; ++i) {
                 out.left[i] = from.left()[i] * row.gainLeft;
                 out.right[i] = from.right()[i] * row.gainRight;
               }
             };
           }});
    }
  }
  if (options.ornaments)
    for (const auto& n : plan->nodes()) {
      ++seed;
      if (!n->print || !wanted(n->ornament->id)) continue;
      tasks.push_back({folder / "ornaments" / (n->ornament->id + extension), seed,
                       [n]() -> Task::Source {
                         return [n](Frames at, StereoSpan out) {
                           out.clear();
                           n->print->addTo(at, out);
                         };
                       },
                       options.trim ? n : nullptr});
    }

  if (options.to && plan->map().frameAt(*options.to) <= begin)
    throw std::runtime_error(worded("the range to export is empty: it ends at %1 and starts at %2. Choose an end after "
                                    "the start",
                                    placeText(plan->map(), *options.to),
                                    placeText(plan->map(), plan->map().beatAt(begin))));
  // Before anything is computed: nothing that the song is made of, and nothing that is not a sound file, is written
  // over.
  const Sources madeOf(plan->song());
  for (const Task& task : tasks)
    if (const std::string why = whyNotWritten(task.file, TargetKind::sound, madeOf); !why.empty())
      throw std::runtime_error(why);
  const auto makeFolder = [](const fs::path& f) {
    std::error_code ec;
    fs::create_directories(f, ec);
    if (ec) throw std::runtime_error(worded("cannot make the folder %1: %2", f.string(), ec.message()));
  };
  makeFolder(folder);
  const FolderLock lock(folder, stop, [&] {
    if (progress) progress(0, worded("Waiting for another export into %1", folder.string()));
  });

  completePrints(*plan, options.threads, stop, [&](double f, const std::string& what) {
    if (progress) progress(0.3 * f, what);
  });
  if (stop.stop_requested()) {
    report.stopped = true;
    return report;
  }
  for (const auto& n : plan->nodes())
    if (const std::string why = n->print ? n->print->failure() : std::string(); !why.empty())
      throw std::runtime_error(worded("ornaments \"%1\" could not be computed: %2", n->ornament->id, why));
  const Frames end = options.to ? plan->map().frameAt(*options.to) : plan->end();
  if (begin >= plan->end())
    throw std::runtime_error(worded("there is nothing from there on: the song ends at %1",
                                    placeText(plan->map(), plan->map().beatAt(plan->end()))));
  report.frames = std::max<std::int64_t>(0, end.count - begin.count);
  askForSpace(folder, options.format, report.frames, tasks.size());
  const std::int64_t timeReference = timeReferenceOf(plan->song());
  std::vector<fs::path> targets;
  for (const Task& task : tasks) targets.push_back(task.file);
  removeLeftovers(targets);
  for (std::size_t t = 0; t < tasks.size(); ++t) {
    const Task& task = tasks[t];
    makeFolder(task.file.parent_path());
    FrameRange range{begin, begin + Frames(report.frames)};
    if (task.trimTo) range = intersect(range, {task.trimTo->print->first(), task.trimTo->print->end()});
    if (range.empty()) { // it sounds elsewhere
      if (task.trimTo)
        report.notes.push_back(worded("%1 does not sound in what is exported", task.trimTo->ornament->id));
      continue;
    }
    AudioWriter writer(task.file, options.format, plan->song().sampleRate, range.length(), task.ditherSeed,
                       timeReference + range.begin.count);
    const int threads = std::max(1, options.threads);
    std::vector<Task::Source> sources;
    for (int i = 0; i < threads; ++i) sources.push_back(task.makeSource());
    // Two sets of buffers: while one is computed, the other is written.
    std::vector<StereoBuffer> sets[2]{std::vector<StereoBuffer>(static_cast<std::size_t>(threads)),
                                      std::vector<StereoBuffer>(static_cast<std::size_t>(threads))};
    std::future<void> writing; // ends before the writer and the buffers do
    std::size_t turn = 0;
    for (std::int64_t at = 0; at < range.length(); at += kChunk * threads) {
      if (stop.stop_requested()) {
        report.stopped = true;
        return report;
      }
      auto& buffers = sets[turn++ % 2];
      // Each thread takes its own stretch; writing goes in order.
      const auto share = [&range, at](std::size_t i) {
        return std::clamp<std::int64_t>(range.length() - at - static_cast<std::int64_t>(i) * kChunk, 0, kChunk);
      };
      inParallel(static_cast<std::size_t>(threads), threads, [&](std::size_t i) {
        buffers[i].resize(share(i));
        if (share(i) > 0)
          sources[i](range.begin + Frames(at + static_cast<std::int64_t>(i) * kChunk), buffers[i].span());
      });
      if (writing.valid()) writing.get();
      writing = std::async(threads > 1 ? std::launch::async : std::launch::deferred,
                           [&buffers, &writer, share, first = range.begin, at] {
                             for (std::size_t i = 0; i < buffers.size(); ++i)
                               if (share(i) > 0)
                                 writer.write(buffers[i].left(), buffers[i].right(), share(i),
                                              first.count + at + static_cast<std::int64_t>(i) * kChunk);
                           });
      if (progress) {
        const double within =
            std::min(1.0, static_cast<double>(at + kChunk * threads) / static_cast<double>(range.length()));
        progress(0.3 + 0.7 * (static_cast<double>(t) + within) / static_cast<double>(tasks.size()),
                 worded("Writing %1", task.file.filename().string()));
      }
    }
    if (writing.valid()) writing.get();
    writer.finish();
    if (writer.clipped() > 0) {
      report.clipped += writer.clipped();
      report.notes.push_back(worded("%1: %2 samples over full scale were clipped",
                                    task.file.lexically_relative(folder).generic_string(), writer.clipped()));
    }
    report.files.push_back(task.file);
  }
  report.limiterReductionDb = reduction;
  for (const auto& n : plan->nodes())
    if (n->print && !n->print->note().empty()) report.notes.push_back(n->ornament->id + ": " + n->print->note());
  return report;
}

} // namespace ivrin
