// The window's own time for each event of a test run: what the window's thread computed, whatever else the machine did.
#pragma once

#include <QApplication>

#include <string>
#include <time.h>

namespace ivrin::app::test {

struct SlowestEvent {
  double milliseconds = 0;
  std::string what;
};
inline SlowestEvent& slowestEvent() {
  static SlowestEvent one;
  return one;
}

/// An application that keeps the slowest of its events. What runs within an event (a dialog) counts as events of its
/// own.
class TimedApplication : public QApplication {
 public:
  using QApplication::QApplication;
  bool notify(QObject* to, QEvent* e) override {
    const int type = e->type();
    const char* const name = to->metaObject()->className();
    const double outer = std::exchange(within_, 0.0), begin = now();
    const bool taken = QApplication::notify(to, e);
    const double all = now() - begin, own = all - within_;
    within_ = outer + all;
    if (own > slowestEvent().milliseconds)
      slowestEvent() = {own, std::string(name) + ", event " + std::to_string(type)};
    return taken;
  }

 private:
  static double now() {
    timespec t{};
    ::clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) * 1e3 + static_cast<double>(t.tv_nsec) / 1e6;
  }
  double within_ = 0; // of the events inside the one under way
};

} // namespace ivrin::app::test
