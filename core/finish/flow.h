// A finite sound that is pulled block by block.
#pragma once

#include "audio/buffer.h"

#include <cstdint>
#include <optional>
#include <string>

namespace ivrin {

inline constexpr std::int64_t kPrintBlock = 1024;

class Flow {
 public:
  virtual ~Flow() = default;
  /// Writes up to out.frames (always kPrintBlock) and returns how many; fewer means that the sound has ended. What lies
  /// behind is unspecified.
  virtual std::int64_t render(StereoSpan out) = 0;
  /// The next render() gives what lies `frame` frames after the first, a multiple of kPrintBlock: the same samples as
  /// if all before had been rendered. False where that cannot be had without rendering it.
  virtual bool seek(std::int64_t /*frame*/) { return false; }
  /// Something worth telling the user when all is there ("held to 120 s and faded"); may be empty.
  virtual std::string note() const { return {}; }
  /// What a `level` has turned it up by, once known.
  virtual std::optional<double> levelDb() const { return std::nullopt; }
};

} // namespace ivrin
