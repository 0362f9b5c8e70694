// The PaintHelper is a second pair of hands for painting: one thread does half of the work while the window's thread
// does the other.
#pragma once

#include <exception>
#include <functional>

#include <QSemaphore>
#include <thread>

namespace ivrin::app {

class PaintHelper {
 public:
  PaintHelper();
  ~PaintHelper();
  PaintHelper(const PaintHelper&) = delete;
  PaintHelper& operator=(const PaintHelper&) = delete;
  /// Runs both, `theirs` on the helper's thread, and returns when both are done. What either throws is thrown then.
  void together(const std::function<void()>& ours, const std::function<void()>& theirs);

 private:
  const std::function<void()>* work_ = nullptr;
  std::exception_ptr failed_;
  QSemaphore begun_, done_;
  std::jthread thread_;
};

} // namespace ivrin::app
