#include "render/export.h"

#include "audio/audio_reader.h"
#include "dsp/dynamics/mix_limiter.h"
#include "dsp/parallel.h"
#include "files/safe_file.h"
#include "files/targets.h"
#include "render/evaluator.h"
#include "render/open_song.h"
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
  throw std::runtime_error(worded("not enough space in %1: up to %2 MiB needed, %3 MiB free", folder.string(),
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

/// What is exported, and what is told of it while it is.
struct Export {
  std::shared_ptr<const RenderPlan> plan;
  fs::path folder;
  const ExportOptions& options;
  std::stop_token stop;
  const ExportProgress& progress;
  Frames begin;
  std::atomic<double> reduction{0}; // of the limiter, the most
  ExportReport report{};

  bool wanted(const std::string& id) const {
    return options.only.empty() || std::find(options.only.begin(), options.only.end(), id) != options.only.end();
  }
  fs::path file(const char* sub, const std::string& id) const {
    return folder / sub / (id + extensionOf(options.format));
  }
  std::shared_ptr<Evaluator> evaluator() const {
    auto e = std::make_shared<Evaluator>(*plan, Evaluator::Missing::compute);
    if (begin >= plan->song().firstFrame()) e->setBegin(plan->song().firstFrame());
    return e;
  }
  void tell(double fraction, const std::string& what) const {
    if (progress) progress(fraction, what);
  }
};

Task::Source mixSource(Export& x) {
  auto e = x.evaluator();
  const Song& song = x.plan->song();
  if (!song.mix.limiter) return [e](Frames at, StereoSpan out) { e->mix(at, out); };
  auto limiter = std::make_shared<MixLimiter>(x.plan->map().sampleRate(), song.mix.ceilingDbtp,
                                              [e](Frames at, StereoSpan out) { e->mix(at, out); });
  return [limiter, &reduction = x.reduction](Frames at, StereoSpan out) {
    limiter->read(at, out);
    double seen = reduction;
    while (limiter->lastReductionDb() > seen && !reduction.compare_exchange_weak(seen, limiter->lastReductionDb())) {
    }
  };
}

/// A row's dry or wet plane, at the row's gain.
Task::Source planeSource(const Export& x, std::size_t row, bool wet) {
  return [e = x.evaluator(), p = std::make_shared<Planes>(), row, wet, plan = x.plan](Frames at, StereoSpan out) {
    e->planes(row, at, out.frames, *p);
    out.clear();
    if (wet && !p->wetSounds) return;
    const StereoBuffer& from = wet ? p->wet : p->dry;
    const RowNode& r = plan->rows()[row];
    for (std::int64_t i = 0; i < out.frames; ++i) {
      out.left[i] = from.left()[i] * r.gainLeft;
      out.right[i] = from.right()[i] * r.gainRight;
    }
  };
}

/// Every file that is wanted. Its dither depends on what it is, not on what else is written.
std::vector<Task> tasksOf(Export& x) {
  const ExportOptions& options = x.options;
  std::vector<Task> tasks;
  std::uint64_t seed = 1;
  if (options.mix && x.wanted(kMixRow))
    tasks.push_back({x.folder / ("mix" + extensionOf(options.format)), seed, [&x] { return mixSource(x); }});
  for (std::size_t r = 0; r < x.plan->rows().size(); ++r) {
    const std::string& id = x.plan->rows()[r].id;
    ++seed;
    if (!x.wanted(id)) continue;
    if (options.stems)
      tasks.push_back({x.file("stems", id), seed, [&x, r]() -> Task::Source {
                         return [e = x.evaluator(), r](Frames at, StereoSpan out) { e->rowOut(r, at, out); };
                       }});
    for (const bool wet : {false, true})
      if (wet ? options.wet : options.dry)
        tasks.push_back({x.file(wet ? "wet" : "dry", id), seed, [&x, r, wet] { return planeSource(x, r, wet); }});
  }
  for (const auto& n : x.plan->nodes()) {
    ++seed;
    if (!options.ornaments || !n->print || !x.wanted(n->ornament->id)) continue;
    tasks.push_back({x.file("ornaments", n->ornament->id), seed,
                     [n]() -> Task::Source {
                       return [n](Frames at, StereoSpan out) {
                         out.clear();
                         n->print->addTo(at, out);
                       };
                     },
                     options.trim ? n : nullptr});
  }
  return tasks;
}

void makeFolder(const fs::path& f) {
  std::error_code ec;
  fs::create_directories(f, ec);
  if (ec) throw std::runtime_error(worded("cannot make the folder %1: %2", f.string(), ec.message()));
}

/// Before anything is computed: nothing that the song is made of, and nothing that is not a sound file, is written
/// over.
void checkTargets(const Export& x, const std::vector<Task>& tasks) {
  const TempoMap& map = x.plan->map();
  if (x.options.to && map.frameAt(*x.options.to) <= x.begin)
    throw std::runtime_error(worded("the range is empty: it ends at %1 and starts at %2. Choose an end after the start",
                                    placeText(map, *x.options.to), placeText(map, map.beatAt(x.begin))));
  const Sources madeOf(x.plan->song());
  for (const Task& task : tasks)
    if (const std::string why = whyNotWritten(task.file, TargetKind::sound, madeOf); !why.empty())
      throw std::runtime_error(why);
}

/// Computes a stretch on several threads while the former one is written. False when asked to stop.
bool writeSamples(const Export& x, const Task& task, FrameRange range, AudioWriter& writer,
                  const std::function<void(double)>& tell) {
  const int threads = std::max(1, x.options.threads);
  std::vector<Task::Source> sources;
  for (int i = 0; i < threads; ++i) sources.push_back(task.makeSource());
  // Two sets of buffers: while one is computed, the other is written.
  std::vector<StereoBuffer> sets[2]{std::vector<StereoBuffer>(static_cast<std::size_t>(threads)),
                                    std::vector<StereoBuffer>(static_cast<std::size_t>(threads))};
  std::future<void> writing; // ends before the writer and the buffers do
  std::size_t turn = 0;
  for (std::int64_t at = 0; at < range.length(); at += kChunk * threads) {
    if (x.stop.stop_requested()) return false;
    auto& buffers = sets[turn++ % 2];
    // Each thread takes its own stretch; writing goes in order.
    const auto share = [&range, at](std::size_t i) {
      return std::clamp<std::int64_t>(range.length() - at - static_cast<std::int64_t>(i) * kChunk, 0, kChunk);
    };
    inParallel(static_cast<std::size_t>(threads), threads, [&](std::size_t i) {
      buffers[i].resize(share(i));
      if (share(i) > 0) sources[i](range.begin + Frames(at + static_cast<std::int64_t>(i) * kChunk), buffers[i].span());
    });
    if (writing.valid()) writing.get();
    writing = std::async(threads > 1 ? std::launch::async : std::launch::deferred,
                         [&buffers, &writer, share, first = range.begin, at] {
                           for (std::size_t i = 0; i < buffers.size(); ++i)
                             if (share(i) > 0)
                               writer.write(buffers[i].left(), buffers[i].right(), share(i),
                                            first.count + at + static_cast<std::int64_t>(i) * kChunk);
                         });
    tell(std::min(1.0, static_cast<double>(at + kChunk * threads) / static_cast<double>(range.length())));
  }
  if (writing.valid()) writing.get();
  return true;
}

/// One file. False when asked to stop.
bool writeFile(Export& x, const Task& task, std::int64_t timeReference, const std::function<void(double)>& tell) {
  makeFolder(task.file.parent_path());
  FrameRange range{x.begin, x.begin + Frames(x.report.frames)};
  if (task.trimTo) range = intersect(range, {task.trimTo->print->first(), task.trimTo->print->end()});
  if (range.empty()) { // it sounds elsewhere
    if (task.trimTo) x.report.notes.push_back(worded("%1 is silent in the exported range", task.trimTo->ornament->id));
    return true;
  }
  AudioWriter writer(task.file, x.options.format, x.plan->song().sampleRate, range.length(), task.ditherSeed,
                     timeReference + range.begin.count);
  if (!writeSamples(x, task, range, writer, tell)) return false;
  writer.finish();
  if (writer.clipped() > 0) {
    x.report.clipped += writer.clipped();
    x.report.notes.push_back(worded("%1: %2 samples above full scale were clipped",
                                    task.file.lexically_relative(x.folder).generic_string(), writer.clipped()));
  }
  x.report.files.push_back(task.file);
  return true;
}

/// All of them, once every print is there. False when asked to stop.
bool writeAll(Export& x, const std::vector<Task>& tasks) {
  const RenderPlan& plan = *x.plan;
  completePrints(plan, x.options.threads, x.stop, [&](double f, const std::string& what) { x.tell(0.3 * f, what); });
  if (x.stop.stop_requested()) return false;
  for (const auto& n : plan.nodes())
    if (const std::string why = n->print ? n->print->failure() : std::string(); !why.empty())
      throw std::runtime_error(worded("ornament “%1” could not be rendered: %2", n->ornament->id, why));
  if (x.begin >= plan.end())
    throw std::runtime_error(worded("nothing plays from there on: the song ends at %1",
                                    placeText(plan.map(), plan.map().beatAt(plan.end()))));
  const Frames end = x.options.to ? plan.map().frameAt(*x.options.to) : plan.end();
  x.report.frames = std::max<std::int64_t>(0, end.count - x.begin.count);
  askForSpace(x.folder, x.options.format, x.report.frames, tasks.size());
  std::vector<fs::path> targets;
  for (const Task& task : tasks) targets.push_back(task.file);
  removeLeftovers(targets);
  const std::int64_t timeReference = timeReferenceOf(plan.song());
  for (std::size_t t = 0; t < tasks.size(); ++t) {
    const auto tell = [&](double within) {
      x.tell(0.3 + 0.7 * (static_cast<double>(t) + within) / static_cast<double>(tasks.size()),
             worded("Writing %1…", tasks[t].file.filename().string()));
    };
    if (!writeFile(x, tasks[t], timeReference, tell)) return false;
  }
  return true;
}

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
      progress(fraction, worded("Rendering ornaments…"));
    }
  });
}

ExportReport exportSong(const std::shared_ptr<const RenderPlan>& plan, const fs::path& folder,
                        const ExportOptions& options, std::stop_token stop, const ExportProgress& progress) {
  Export x{plan, folder,   options,
           stop, progress, options.from ? plan->map().frameAt(*options.from) : plan->song().firstFrame()};
  const std::vector<Task> tasks = tasksOf(x);
  checkTargets(x, tasks);
  makeFolder(folder);
  const FolderLock lock(folder, stop,
                        [&] { x.tell(0, worded("Waiting for another export into %1…", folder.string())); });
  if (!writeAll(x, tasks)) {
    x.report.stopped = true;
    return std::move(x.report);
  }
  x.report.limiterReductionDb = x.reduction;
  for (const auto& n : plan->nodes())
    if (n->print && !n->print->note().empty()) x.report.notes.push_back(n->ornament->id + ": " + n->print->note());
  return std::move(x.report);
}

} // namespace ivrin
