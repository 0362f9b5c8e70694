// Cells whose pattern stands in lists of settings that go round, counted from the ornament's begin.
#pragma once

#include "ornaments/kind.h"
#include "patterns/step_grid.h"

#include <numeric>

namespace ivrin {

class ListCells : public Cells {
 public:
  ListCells(const Placed& p, StepGrid grid, FrameRange span)
      : grid_(std::move(grid))
      , span_(span)
      , ornament_(p.ornament) {}
  std::int64_t first() const override { return 0; }
  std::int64_t end() const override { return span_.empty() ? 0 : grid_.at(span_.end - Frames(1)) + 1; }
  FrameRange frames(std::int64_t k) const override { return intersect({grid_.begin(k), grid_.begin(k + 1)}, span_); }
  std::int64_t at(Frames f) const override { return grid_.at(f); }
  Beats beat(std::int64_t k) const override { return grid_.beat(k); }
  std::size_t place(std::int64_t k, std::size_t round) const override { return static_cast<std::size_t>(k) % round; }

  /// Steps after which lists of these lengths come round together.
  static std::size_t roundOf(std::initializer_list<std::size_t> lengths) {
    std::size_t all = 1;
    for (const std::size_t n : lengths)
      if (const std::size_t both = std::lcm(all, n); both <= kMostSteps) all = both;
    return all;
  }

 protected:
  const Ornament& ornament() const { return ornament_; }
  const TableSpec& table() const { return allKinds().find(ornament_.kind)->table(); }
  /// One list from a pattern.
  template <class Get> static void setList(Ornament& o, const char* key, const Pattern& p, Get get) {
    List list;
    for (const PatternStep& s : p) list.push_back(get(s));
    setList(o, key, std::move(list));
  }
  /// No longer than it needs.
  static void setList(Ornament& o, const char* key, List list) {
    const auto repeats = [&](std::size_t round) {
      for (std::size_t i = round; i < list.size(); ++i)
        if (!(list[i] == list[i - round])) return false;
      return true;
    };
    for (std::size_t round = 1; round < list.size(); ++round)
      if (list.size() % round == 0 && repeats(round)) {
        list.resize(round);
        break;
      }
    setOrErase(o, key, std::move(list));
  }
  /// What is nothing but the default is not written.
  static void setOrErase(Ornament& o, const char* key, Value v) {
    if (v == allKinds().find(o.kind)->table().find(key)->initial)
      o.settings.erase(key);
    else
      o.settings[key] = std::move(v);
  }

 private:
  StepGrid grid_;
  FrameRange span_;
  Ornament ornament_;
};

} // namespace ivrin
