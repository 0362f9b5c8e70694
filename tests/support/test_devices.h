// Sound devices that tests and benchmarks plug in, choose and take away: simulated outputs, stepped or in real time.
#pragma once

#include "play/simulated_output.h"

#include <atomic>

namespace ivrin::test {

class TestDevices : public OutputSource {
 public:
  explicit TestDevices(SimulatedOutput::Mode mode = SimulatedOutput::Mode::stepped)
      : mode_(mode) {}
  std::vector<OutputDevice> devices() override {
    if (!there) return {};
    return {{"Desk", {44100, 48000, 96000}, true}, {"Phones", {44100, 48000}, false}};
  }
  std::unique_ptr<Output> open(const OutputChoice& choice) override {
    opened.push_back(choice);
    if (!there) return nullptr;
    auto made = std::make_unique<SimulatedOutput>(mode_, choice.bufferFrames);
    out = made.get();
    return made;
  }
  std::atomic<bool> there{true};
  std::vector<OutputChoice> opened;
  SimulatedOutput* out = nullptr; // the one opened last; the session owns it

 private:
  SimulatedOutput::Mode mode_;
};

} // namespace ivrin::test
