#include "bench.h"

#include "dsp/denormals.h"

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <ctime>

#ifdef IVRIN_BENCH_WINDOW
#include "app/theme/type.h"
#include "app/words/words.h"

#include <QApplication>
#endif

namespace ivrin::bench {

double now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

double ownTime() {
  timespec t{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
  return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

void keep(const void* p) {
  asm volatile("" : : "g"(p) : "memory");
}

void line(const std::string& what, const std::string& figure, const std::string& goal) {
  std::printf("%-64s %-44s goal %s\n", what.c_str(), figure.c_str(), goal.c_str());
  std::fflush(stdout);
}

namespace {

double median(std::vector<double> v) {
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

} // namespace

void compare(const std::string& what, const std::string& goal, int rounds, const std::function<void()>& ours,
             const std::function<void()>& reference) {
  std::vector<double> a, b;
  ours();
  reference();
  for (int i = 0; i < rounds; ++i) {
    double t = now();
    ours();
    a.push_back(now() - t);
    t = now();
    reference();
    b.push_back(now() - t);
  }
  char text[120];
  std::snprintf(text, sizeof text, "%.2f ms / %.2f ms = %.2f x", median(a) * 1e3, median(b) * 1e3,
                median(a) / median(b));
  line(what, text, goal);
}

void spread(const std::string& what, const std::string& goal, std::vector<double> ms) {
  std::sort(ms.begin(), ms.end());
  char text[120];
  std::snprintf(text, sizeof text, "median %.2f ms, p99 %.2f ms (n = %zu)", ms[ms.size() / 2], ms[ms.size() * 99 / 100],
                ms.size());
  line(what, text, goal);
}

} // namespace ivrin::bench

#ifdef IVRIN_BENCH_WINDOW
std::vector<double>& ivrin::bench::eventTimes() {
  static std::vector<double> all;
  return all;
}
std::vector<double>& ivrin::bench::eventOwnTimes() {
  static std::vector<double> all;
  return all;
}
namespace {
/// Times what comes from the event loop, one by one.
class Timed : public QApplication {
 public:
  using QApplication::QApplication;
  bool notify(QObject* to, QEvent* e) override {
    if (depth_ > 0) return QApplication::notify(to, e);
    ++depth_;
    const double start = ivrin::bench::now(), ownStart = ivrin::bench::ownTime();
    const bool taken = QApplication::notify(to, e);
    ivrin::bench::eventTimes().push_back(1e3 * (ivrin::bench::now() - start));
    ivrin::bench::eventOwnTimes().push_back(1e3 * (ivrin::bench::ownTime() - ownStart));
    --depth_;
    return taken;
  }

 private:
  int depth_ = 0;
};
} // namespace
#endif

int main(int argc, char** argv) {
  const auto wanted = [&](const char* part) { return argc < 2 || std::strcmp(argv[1], part) == 0; };
  const ivrin::FlushDenormals guard;
  // ivrin-bench first-press [--json | --before FILE]
  if (argc > 1 && std::strcmp(argv[1], "first-press") == 0) {
    ivrin::bench::firstPresses(argc > 3 && std::strcmp(argv[2], "--before") == 0 ? argv[3] : "",
                               argc > 2 && std::strcmp(argv[2], "--json") == 0);
    return 0;
  }
  if (argc > 1 && std::strcmp(argv[1], "finding") == 0) {
    ivrin::bench::findings();
    return 0;
  }
  if (argc > 1 && std::strcmp(argv[1], "recipes") == 0) {
    ivrin::bench::recipesPage();
    return 0;
  }
  if (wanted("sound")) ivrin::bench::soundBenchmarks();
  if (wanted("space")) ivrin::bench::spaceBenchmarks();
  if (wanted("speed")) ivrin::bench::speedBenchmarks();
  if (wanted("planning")) ivrin::bench::planningBenchmarks();
  if (wanted("work")) ivrin::bench::workBenchmarks();
  if (wanted("show")) ivrin::bench::showBenchmarks();
#ifdef IVRIN_BENCH_WINDOW
  if (wanted("window")) {
    int one = 1;
    Timed app(one, argv);
    QApplication::setStyle(QStringLiteral("Fusion"));
    ivrin::app::loadFonts();
    ivrin::app::loadWords();
    ivrin::bench::windowBenchmarks();
  }
#endif
}
