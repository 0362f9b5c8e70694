#include "app/theme/paint_helper.h"

namespace ivrin::app {

PaintHelper::PaintHelper()
    : thread_([this] {
      for (;;) {
        begun_.acquire();
        if (!work_) return;
        (*work_)();
        done_.release();
      }
    }) {}

PaintHelper::~PaintHelper() {
  work_ = nullptr;
  begun_.release();
}

void PaintHelper::together(const std::function<void()>& ours, const std::function<void()>& theirs) {
  work_ = &theirs;
  begun_.release();
  ours();
  done_.acquire();
}

} // namespace ivrin::app
