#include "stress.h"

#include "test_support/signals.h"

#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <deque>
#include <exception>
#include <fcntl.h>
#include <poll.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

namespace ivrin::test {
namespace {

constexpr std::int64_t kOfOneProcess = 200;
constexpr std::uint64_t kSeed = 20261128;

struct Report {
  std::int64_t index = 0;
  double seconds = 0;
  Verdict verdict = Verdict::worked;
  std::int64_t mib = 0;
  std::uint32_t words = 0; // bytes of `why` that follow
};

std::int64_t memoryMiB() {
  struct rusage r {};
  ::getrusage(RUSAGE_SELF, &r);
  return r.ru_maxrss / 1024;
}

[[noreturn]] void child(std::int64_t from, std::int64_t to, const Bounds& bounds, const Try& work, int told) {
  const auto memory = static_cast<rlim_t>(bounds.memoryMiB) << 20;
  const rlimit most{memory, memory};
  ::setrlimit(RLIMIT_AS, &most);
  const rlimit noCore{0, 0};
  ::setrlimit(RLIMIT_CORE, &noCore);
  {
    const TempFolder folder;
    const std::int64_t before = memoryMiB();
    for (std::int64_t i = from; i < to; ++i) {
      Report start{i};
      start.seconds = -1; // begun
      if (::write(told, &start, sizeof start) != sizeof start) ::_exit(3);
      ::alarm(static_cast<unsigned>(bounds.seconds));
      const auto begun = std::chrono::steady_clock::now();
      Chance chance(kSeed + static_cast<std::uint64_t>(i) * 1000003);
      Tried t;
      try {
        t = work(i, chance, folder.path().string());
      } catch (const std::exception& e) {
        t = {Verdict::failed, std::string("an exception left it: ") + e.what()};
      }
      ::alarm(0);
      Report r{i};
      r.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
      r.verdict = t.verdict;
      r.mib = memoryMiB() - before;
      r.words = static_cast<std::uint32_t>(t.why.size());
      if (::write(told, &r, sizeof r) != sizeof r || ::write(told, t.why.data(), t.why.size()) < 0) ::_exit(3);
    }
  }
  ::_exit(0);
}

bool readAll(int fd, void* to, std::size_t bytes) {
  auto* p = static_cast<char*>(to);
  while (bytes > 0) {
    const ssize_t n = ::read(fd, p, bytes);
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return false;
    p += n;
    bytes -= static_cast<std::size_t>(n);
  }
  return true;
}

} // namespace

namespace {

/// A process at work on a stretch of the tries.
struct Running {
  pid_t pid = -1;
  int told = -1;
  std::int64_t from = 0, to = 0;
  std::int64_t at = -1; // begun last
  bool ended = true;    // and has reported
};

Running start(std::int64_t from, std::int64_t to, const Bounds& bounds, const Try& work) {
  int told[2];
  if (::pipe2(told, O_CLOEXEC) != 0) std::abort();
  Running r{::fork(), told[0], from, to, from - 1};
  if (r.pid == 0) {
    ::close(told[0]);
    child(from, to, bounds, work, told[1]);
  }
  ::close(told[1]);
  return r;
}

/// One report; false when there are no more.
bool hear(Running& p, Tally& all) {
  Report r;
  if (!readAll(p.told, &r, sizeof r)) return false;
  if (r.seconds < 0) {
    p.at = r.index;
    p.ended = false;
    return true;
  }
  std::string why(r.words, '\0');
  if (!readAll(p.told, why.data(), why.size())) return false;
  p.ended = true;
  ++all.tried;
  all.slowest = std::max(all.slowest, r.seconds);
  all.mostMiB = std::max(all.mostMiB, r.mib);
  if (r.verdict == Verdict::failed)
    all.failures.push_back("try " + std::to_string(r.index) + ": " + why);
  else
    ++(r.verdict == Verdict::worked ? all.worked : all.refused);
  return true;
}

} // namespace

Tally tryInProcesses(const std::string& what, std::int64_t count, const Bounds& bounds, const Try& work) {
  constexpr std::size_t kAtOnce = 2;
  Tally all;
  all.what = what;
  const auto begun = std::chrono::steady_clock::now();
  std::deque<std::pair<std::int64_t, std::int64_t>> toDo;
  if (const char* one = std::getenv("IVRIN_TRY")) // that one alone, to look at what a run told of
    toDo.emplace_back(std::atoll(one), std::atoll(one) + 1);
  else
    for (std::int64_t from = 0; from < count; from += kOfOneProcess)
      toDo.emplace_back(from, std::min(from + kOfOneProcess, count));
  std::vector<Running> running;
  while (!toDo.empty() || !running.empty()) {
    for (; running.size() < kAtOnce && !toDo.empty(); toDo.pop_front())
      running.push_back(start(toDo.front().first, toDo.front().second, bounds, work));
    std::vector<struct pollfd> ears;
    for (const Running& r : running) ears.push_back({r.told, POLLIN, 0});
    ::poll(ears.data(), ears.size(), -1);
    for (std::size_t i = running.size(); i-- > 0;) {
      Running& r = running[i];
      if (ears[i].revents == 0 || hear(r, all)) continue;
      ::close(r.told);
      int status = 0;
      ::waitpid(r.pid, &status, 0);
      if (!r.ended || status != 0) {
        ++all.tried;
        const std::string how = !WIFSIGNALED(status) ? "ended with " + std::to_string(WEXITSTATUS(status))
                                : WTERMSIG(status) == SIGALRM
                                    ? "took longer than " + std::to_string(bounds.seconds) + " s"
                                    : std::string("was ended by ") + ::strsignal(WTERMSIG(status));
        all.failures.push_back("try " + std::to_string(r.at) + ": the process " + how);
        if (r.at + 1 < r.to) toDo.emplace_front(r.at + 1, r.to);
      }
      running.erase(running.begin() + static_cast<std::ptrdiff_t>(i));
    }
  }
  all.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
  return all;
}

} // namespace ivrin::test
