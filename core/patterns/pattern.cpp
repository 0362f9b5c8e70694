#include "patterns/pattern.h"

#include <algorithm>

namespace ivrin {
namespace {

/// Which of `steps` sound: pairs of groups are joined until no more than one group is left over (Bjorklund).
std::vector<char> bjorklund(int sounding, int steps) {
  std::vector<std::vector<char>> groups, rest;
  for (int i = 0; i < steps; ++i) (i < sounding ? groups : rest).push_back({static_cast<char>(i < sounding)});
  while (rest.size() > 1 && !groups.empty()) {
    const std::size_t joined = std::min(groups.size(), rest.size());
    std::vector<std::vector<char>> next, left;
    for (std::size_t i = 0; i < joined; ++i) {
      next.push_back(groups[i]);
      next.back().insert(next.back().end(), rest[i].begin(), rest[i].end());
    }
    for (std::size_t i = joined; i < groups.size(); ++i) left.push_back(groups[i]);
    for (std::size_t i = joined; i < rest.size(); ++i) left.push_back(rest[i]);
    groups = std::move(next);
    rest = std::move(left);
  }
  std::vector<char> all;
  for (const auto* part : {&groups, &rest})
    for (const auto& group : *part) all.insert(all.end(), group.begin(), group.end());
  return all;
}

} // namespace

Pattern atLeast(Pattern p, std::size_t steps) {
  if (p.empty()) p.emplace_back();
  const std::size_t round = p.size();
  while (p.size() < steps && p.size() < kMostSteps) p.push_back(p[p.size() - round]);
  return p;
}

Pattern turned(Pattern p, int steps) {
  const int n = static_cast<int>(p.size());
  if (n > 0) std::rotate(p.rbegin(), p.rbegin() + ((steps % n) + n) % n, p.rend());
  return p;
}

Pattern mirrored(Pattern p) {
  if (p.size() > 2) std::reverse(p.begin() + 1, p.end());
  return p;
}

Pattern thinned(Pattern p) {
  if (sounding(p) < 2) return p;
  bool stays = true;
  for (PatternStep& s : p) {
    if (!s.sounds()) continue;
    if (!stays) s.level = 0;
    stays = !stays;
  }
  return p;
}

Pattern filled(Pattern p, double level) {
  double last = 1;
  for (auto it = p.rbegin(); it != p.rend(); ++it) // it goes round: what sounded last before the first step
    if (it->sounds()) {
      last = it->level;
      break;
    }
  for (PatternStep& s : p)
    if (s.sounds())
      last = s.level;
    else
      s.level = level * last;
  return p;
}

Pattern spread(Pattern p, int count) {
  const int n = static_cast<int>(p.size());
  const auto which = bjorklund(std::clamp(count, 0, n), n);
  for (std::size_t i = 0; i < p.size(); ++i) p[i].level = which[i] == 0 ? 0 : p[i].sounds() ? p[i].level : 1;
  return p;
}

Pattern silentEvery(Pattern p, int n) {
  for (std::size_t i = 0; i < p.size(); ++i)
    if ((i + 1) % static_cast<std::size_t>(n) == 0)
      p[i].level = 0;
    else if (!p[i].sounds())
      p[i].level = 1;
  return p;
}

Pattern sidesInTurn(Pattern p, double width) {
  double side = -width;
  for (PatternStep& s : p) {
    if (!s.sounds()) continue;
    s.side = side;
    side = -side;
  }
  return p;
}

Pattern accented(Pattern p, const TempoMap& map, const std::vector<Beats>& at) {
  for (std::size_t i = 0; i < p.size(); ++i) {
    if (!p[i].sounds()) continue;
    switch (accentAt(map, at[i])) {
    case Accent::bar:
      p[i].level = 1;
      break;
    case Accent::halfBar:
      p[i].level = 0.9;
      break;
    case Accent::beat:
      p[i].level = 0.8;
      break;
    case Accent::offbeat:
      p[i].level = 0.55;
      break;
    case Accent::none:
      p[i].level = 0.35;
      break;
    }
  }
  return p;
}

int sounding(const Pattern& p) {
  return static_cast<int>(std::count_if(p.begin(), p.end(), [](const PatternStep& s) { return s.sounds(); }));
}

} // namespace ivrin
