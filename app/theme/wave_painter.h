// The wave painter draws waveforms straight into image scanlines: from the extremes of every device column to ink with
// soft edges, solid or in pencil strokes.
#pragma once

#include <QImage>

#include <vector>

namespace ivrin::app {

/// Upper and lower edge of the wave in every column, in device pixels from the image's top; upper ≤ lower.
struct WaveColumns {
  std::vector<float> top, bottom;
  explicit WaveColumns(int n = 0)
      : top(static_cast<std::size_t>(n))
      , bottom(static_cast<std::size_t>(n)) {}
};

struct Pencil {
  QRgb colour = 0;
  float solid = 1;     // strength between the strokes, 0..1
  float stroke = 0;    // strength added on the strokes
  float period = 5;    // device pixels from stroke to stroke
  float slope = 0.55f; // device pixels sideways per pixel down; negative leans the other way
  float width = 0.45f; // part of the period that a stroke covers
  double origin = 0;   // where the texture is anchored, in device pixels: strokes travel with the song
};

/// Draws columns [0, n) of `wave` at image column `x0`, between rows y0 and y1. RGB32 images.
void drawWave(QImage& image, int x0, int y0, int y1, const WaveColumns& wave, const Pencil& pencil);

} // namespace ivrin::app
