// Writing the song's audio: mix, rows, planes, prints. All files start at the same instant and have the same length.
#pragma once

#include "audio/audio_writer.h"
#include "render/render_plan.h"

#include <filesystem>

namespace ivrin {

struct ExportOptions {
  bool mix = true, stems = false, dry = false, wet = false, ornaments = false;
  AudioFormat format = AudioFormat::wav24;
  std::optional<Beats> from, to;
  std::vector<std::string> only; // row and ornament ids; empty: all
  int threads = 2;
  bool trim = false; // files of ornaments hold the print alone; where they lie in the song is said in the file (WAV)
};

struct ExportReport {
  std::vector<std::filesystem::path> files;
  std::int64_t frames = 0;
  std::int64_t clipped = 0; // samples
  double limiterReductionDb = 0;
  std::vector<std::string> notes; // worth telling: tails held to the limit, clipping
  bool stopped = false;
};

/// `progress` gets a fraction 0..1 and what is being done. Throws std::runtime_error naming the file on write errors.
using ExportProgress = std::function<void(double fraction, const std::string& what)>;
ExportReport exportSong(const std::shared_ptr<const RenderPlan>& plan, const std::filesystem::path& folder,
                        const ExportOptions& options, std::stop_token stop = {}, const ExportProgress& progress = {});

/// Computes every print of the plan to its end.
void completePrints(const RenderPlan& plan, int threads, std::stop_token stop = {},
                    const ExportProgress& progress = {});

} // namespace ivrin
