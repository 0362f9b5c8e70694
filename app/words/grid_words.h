// This file says tempi in words.
#pragma once

#include "time/tempo_map.h"

#include <QObject>
#include <QString>

#include <algorithm>
#include <cmath>
#include <vector>

namespace ivrin::app {

/// "129", "64.5", "103.27".
inline QString bpmText(double bpm) {
  return QString::number(std::round(bpm * 100) / 100);
}

/// "12 tempi from 95.2 to 104.9 BPM"; "120 BPM" where it is one.
inline QString tempiWords(const std::vector<TempoEntry>& tempi) {
  const auto [least, most] =
      std::minmax_element(tempi.begin(), tempi.end(), [](const auto& a, const auto& b) { return a.bpm < b.bpm; });
  const auto text = [](double bpm) { return QString::number(std::round(bpm * 10) / 10); };
  if (tempi.size() == 1) return QObject::tr("%1 BPM").arg(text(least->bpm));
  return QObject::tr("%1 tempo changes from %2 to %3 BPM").arg(tempi.size()).arg(text(least->bpm), text(most->bpm));
}

} // namespace ivrin::app
