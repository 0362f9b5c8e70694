#include "app/theme/paint_helper.h"

namespace ivrin::app {

PaintHelper::PaintHelper()
    : thread_([this] {
      for (;;) {
        begun_.acquire();
        if (!work_) return;
        try {
          (*work_)();
        } catch (...) {
          failed_ = std::current_exception();
        }
        done_.release();
      }
    }) {}

PaintHelper::~PaintHelper() {
  work_ = nullptr;
  begun_.release();
}

void PaintHelper::together(const std::function<void()>& ours, const std::function<void()>& theirs) {
  work_ = &theirs;
  failed_ = nullptr;
  begun_.release();
  std::exception_ptr failed;
  try {
    ours();
  } catch (...) {
    failed = std::current_exception();
  }
  done_.acquire();
  if (!failed) failed = failed_;
  if (failed) std::rethrow_exception(failed);
}

} // namespace ivrin::app
