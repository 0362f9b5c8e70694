// Stems of a song nobody has opened yet, and files dropped on the window.
#pragma once

#include "rig.h"
#include "test_support/band.h"

#include <QMimeData>

namespace ivrin::app::test {

/// 120 BPM: eight bars of a held chord, then a kit and a bass too for eight, then the chord again.
inline std::vector<std::filesystem::path> songOfThree(const TempFolder& dir) {
  Part pads(50, 24000, 1), kit(50, 24000, 2), bass(50, 24000, 3);
  for (int bar = 0; bar < 24; ++bar) {
    const double root = bar % 4 == 1 ? 65 : bar % 4 == 2 ? 67 : 60; // C F G C
    pads.pad(bar * 2.0, 1.9, {root, root + 4, root + 7}, -26, 0.02, 0.1);
    if (bar < 8 || bar >= 16) continue;
    for (int beat = 0; beat < 4; ++beat) {
      const double at = bar * 2.0 + beat * 0.5;
      beat % 2 == 0 ? kit.kick(at, -14) : kit.snare(at, -16);
      if (beat == 0) bass.bass(at, 1.8, bar % 4 == 1 ? 41 : bar % 4 == 2 ? 43 : 36, -20);
    }
  }
  const auto write = [&](const char* name, const Part& p) {
    writeWav(dir / name, 24000, 1, p.frames(), [&](std::int64_t f, int) { return p.x[static_cast<std::size_t>(f)]; });
    return dir / name;
  };
  return {write("pads.wav", pads), write("kit.wav", kit), write("bass.wav", bass)};
}

/// 120 BPM: a word, two beats of rest, a long one, a beat and a half of rest, a third.
inline std::filesystem::path spoken(const TempFolder& dir) {
  writeWav(dir / "voice.wav", 48000, 1, 48000 * 12, [](std::int64_t f, int) {
    const double t = static_cast<double>(f) / 48000;
    const bool sounds = (t >= 1 && t < 1.5) || (t >= 2.5 && t < 5) || (t >= 5.75 && t < 6.2);
    return sounds ? static_cast<float>(0.3 * std::sin(2 * M_PI * 330 * t)) : 0.0f;
  });
  return dir / "voice.wav";
}

/// As another program's drag would.
inline void dropFiles(Rig& rig, const std::vector<std::filesystem::path>& files) {
  QMimeData data;
  QList<QUrl> urls;
  for (const auto& f : files) urls << QUrl::fromLocalFile(QString::fromStdString(f.string()));
  data.setUrls(urls);
  QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(rig.window.get(), &enter);
  QDropEvent e(QPointF(300, 300), Qt::CopyAction, &data, Qt::LeftButton, {});
  QApplication::sendEvent(rig.window.get(), &e);
  QCoreApplication::processEvents(); // it is taken up once the drop has ended
  rig.settle();
}

} // namespace ivrin::app::test
