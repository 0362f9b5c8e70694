// The window's own time for each event of a test run: what the window's thread computed, whatever else the machine did.
#pragma once

#include <QApplication>

#include <algorithm>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <string>
#include <time.h>
#include <vector>

namespace ivrin::app::test {

inline double threadMilliseconds() {
  timespec t{};
  ::clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
  return static_cast<double>(t.tv_sec) * 1e3 + static_cast<double>(t.tv_nsec) / 1e6;
}

/// How much slower than quietly this machine computes just now, 1 or more: something else shares its memory or its
/// processor, or it is a slower one. By a fixed piece of work that reads and writes half a mebibyte.
inline double paceNow() {
  constexpr double kQuietly = 0.7; // ms, on the machine that the bounds were set on
  static std::vector<std::uint32_t> memory(1 << 17, 1);
  const double begin = threadMilliseconds();
  std::uint32_t x = 1;
  for (int round = 0; round < 4; ++round)
    for (std::uint32_t& m : memory) m = x = x * 1664525u + m;
  return std::max(1.0, (threadMilliseconds() - begin) / kQuietly);
}

struct SlowestEvent {
  double milliseconds = 0; // at a quiet machine's pace
  std::string what, test;  // the event, and the test case that it belongs to
};
inline SlowestEvent& slowestEvent() {
  static SlowestEvent one;
  return one;
}

/// The test case under way.
inline std::string& testUnderWay() {
  static std::string one;
  return one;
}

/// While one lives events are not watched: where a test asks for what no window is asked for.
struct NotWatched {
  NotWatched() { ++count(); }
  ~NotWatched() { --count(); }
  NotWatched(const NotWatched&) = delete;
  NotWatched& operator=(const NotWatched&) = delete;
  static int& count() {
    static int n = 0;
    return n;
  }
};

/// An application that keeps the slowest of its events. What runs within an event (a dialog) counts as events of its
/// own.
class TimedApplication : public QApplication {
 public:
  using QApplication::QApplication;
  bool notify(QObject* to, QEvent* e) override {
    const int type = e->type();
    const char* const name = to->metaObject()->className();
    const double outer = std::exchange(within_, 0.0), begin = threadMilliseconds();
    const bool taken = QApplication::notify(to, e);
    const double all = threadMilliseconds() - begin, own = all - within_;
    within_ = outer + all;
    if (NotWatched::count() == 0 && own > slowestEvent().milliseconds) {
      const double quietly = own / paceNow();
      if (std::getenv("IVRIN_SAY_SLOW") && quietly > 30)
        std::fprintf(stderr, "SLOW %.0f (%.0f) ms: %s, event %d\n", quietly, own, name, type);
      if (quietly > slowestEvent().milliseconds)
        slowestEvent() = {quietly, std::string(name) + ", event " + std::to_string(type), testUnderWay()};
    }
    return taken;
  }

 private:
  double within_ = 0; // of the events inside the one under way
};

} // namespace ivrin::app::test
