#include "app/words/time_words.h"

#include "time/song_place.h"

#include <QObject>
#include <QStringList>

#include <algorithm>
#include <cmath>

namespace ivrin::app {

std::optional<QString> fractionText(double rest) {
  static const std::pair<double, const char*> parts[] = {{0, ""},        {1.0 / 8, "⅛"}, {0.25, "¼"},    {1.0 / 3, "⅓"},
                                                         {3.0 / 8, "⅜"}, {0.5, "½"},     {5.0 / 8, "⅝"}, {2.0 / 3, "⅔"},
                                                         {0.75, "¾"},    {7.0 / 8, "⅞"}};
  for (const auto& [value, text] : parts)
    if (std::abs(rest - value) < 1e-4) return QString::fromUtf8(text);
  return std::nullopt;
}

QString barWords(const TempoMap& map, Beats at) {
  return QString::fromStdString(barText(map, at));
}

QString spanWords(const TempoMap& map, Beats from, Beats length) {
  const double bar = map.meterAt(from).barLength().quarters(), beat = map.meterAt(from).beatLength().quarters();
  // Quarters, thirds and eighths of a beat as they are, up to a hundredth, so that four beats less a frame are a bar;
  // what is none of them to the nearest quarter.
  const double total = length.quarters() / beat;
  const auto is = [&](int part) { return std::abs(total * part - std::round(total * part)) < 0.01 * part; };
  const int part = is(4) ? 4 : is(3) ? 3 : is(8) ? 8 : 4;
  const double rounded = std::round(total * part) / part;
  const int bars = static_cast<int>(std::floor(rounded * beat / bar + 1e-6));
  const double beats = std::max(0.0, rounded - bars * bar / beat), whole = std::floor(beats + 1e-6);
  const QString over = fractionText(beats - whole).value_or(QString());
  QStringList words;
  if (bars > 0) words << QObject::tr("%n bar(s)", nullptr, bars);
  if (beats > 1e-6) {
    const QString n = (whole > 0 ? QString::number(whole) : QString()) + over;
    words << (beats > 1 + 1e-6 ? QObject::tr("%1 beats").arg(n) : QObject::tr("%1 beat").arg(n));
  }
  return words.isEmpty() ? QObject::tr("less than ¼ beat") : words.join(' ');
}

} // namespace ivrin::app
