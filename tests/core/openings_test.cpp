#include "analysis/openings.h"
#include "dsp/onsets.h"
#include "test_support/made_openings.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>

using namespace ivrin;
using namespace ivrin::test;

namespace {

struct Heard {
  RowPhrases phrases;
  std::vector<Frames> attacks;
  RowChroma chroma;
};

std::vector<Opening> openingsIn(const StereoBuffer& sound, const TempoMap& map) {
  const FrameRange all{Frames(0), Frames(sound.frames())};
  Heard h;
  h.phrases = findPhrases(readerOf(sound), all, map.sampleRate());
  h.chroma = rowChroma(readerOf(sound), all, map.sampleRate());
  OnsetFinder finder(map.sampleRate());
  finder.add(sound.left(), sound.right(), sound.frames());
  for (const Onset& o : finder.finish()) h.attacks.emplace_back(o.frame);
  const auto joined = joinedOver(h.phrases.phrases, map.frameAt(Beats::ofQuarters(0.8)));
  return findOpenings({"row", &joined, &h.attacks, &h.chroma, &h.phrases.octaves}, map);
}

struct Score {
  int there = 0, found = 0, claimed = 0, wrong = 0;
  double share() const { return static_cast<double>(found) / std::max(there, 1); }
  double falseShare() const { return static_cast<double>(wrong) / std::max(claimed, 1); }
};

} // namespace

// Made rows one after the other, a tenth of a second each; IVRIN_TAKES=4 plays each of them four times.
TEST_CASE("gaps, held notes and lone hits are found on made rows, and few that are not there", "[openings][heavy]") {
  Score gaps, edges, held, hits;
  const int takes = std::getenv("IVRIN_TAKES") ? std::atoi(std::getenv("IVRIN_TAKES")) : 1;
  for (int i = 0; i < takes * madeOpeningsCount(); ++i) {
    const MadeOpenings made = madeOpenings(i % madeOpeningsCount(), i / madeOpeningsCount());
    const TempoMap map({{Beats(0), made.bpm}}, {{Beats(0), 4, 4}}, Seconds(0), made.rate);
    Score own[3];
    const auto openings = openingsIn(made.sound, map);
    const auto span = [&](const Opening& o) {
      return MadeOpenings::Span{map.secondsAt(o.place.begin).value, map.secondsAt(o.place.end).value};
    };
    const auto overlap = [](MadeOpenings::Span a, MadeOpenings::Span b) {
      return std::max(0.0, std::min(a.second, b.second) - std::max(a.first, b.first));
    };
    const double beat = 60 / made.bpm;
    for (const auto& label : made.held) {
      ++own[1].there;
      own[1].found += std::any_of(openings.begin(), openings.end(), [&](const Opening& o) {
        return o.kind == Opening::Kind::held && overlap(span(o), label) > 0.6 * (label.second - label.first);
      });
    }
    for (const auto& label : made.gaps) {
      if (label.second - label.first < 0.95 * beat || label.second - label.first > 15 * beat) continue;
      ++own[0].there;
      for (const Opening& o : openings)
        if (o.kind == Opening::Kind::gap && overlap(span(o), label) > 0.6 * (label.second - label.first)) {
          ++own[0].found;
          ++edges.there;
          edges.found += std::abs(span(o).second - label.second) < 0.03;
          break;
        }
    }
    for (const double label : made.hits) {
      ++own[2].there;
      own[2].found += std::any_of(openings.begin(), openings.end(), [&](const Opening& o) {
        return o.kind == Opening::Kind::hit && std::abs(span(o).first - label) < 0.03;
      });
    }
    for (const Opening& o : openings) {
      Score& s = own[o.kind == Opening::Kind::gap ? 0 : o.kind == Opening::Kind::held ? 1 : 2];
      ++s.claimed;
      if (o.kind == Opening::Kind::hit) {
        s.wrong += std::none_of(made.hits.begin(), made.hits.end(),
                                [&](double t) { return std::abs(span(o).first - t) < 0.05; });
      } else {
        const auto in = [&](const std::vector<MadeOpenings::Span>& labels) {
          return std::any_of(labels.begin(), labels.end(), [&](const MadeOpenings::Span& l) {
            return overlap(span(o), l) > 0.5 * (span(o).second - span(o).first);
          });
        };
        if (o.kind == Opening::Kind::held && in(made.ringing)) {
          --s.claimed;
          continue;
        }
        s.wrong += !in(o.kind == Opening::Kind::gap ? made.gaps : made.held);
      }
      CHECK(o.score > 0);
      CHECK_FALSE(o.suits.empty());
    }
    if (std::getenv("IVRIN_TELL_OPENINGS"))
      std::printf("%-26s gaps %d of %d, %d wrong; held %d of %d, %d wrong; hits %d of %d, %d wrong\n",
                  made.name.c_str(), own[0].found, own[0].there, own[0].wrong, own[1].found, own[1].there, own[1].wrong,
                  own[2].found, own[2].there, own[2].wrong);
    Score* const all[] = {&gaps, &held, &hits};
    for (int k = 0; k < 3; ++k) {
      all[k]->there += own[k].there;
      all[k]->found += own[k].found;
      all[k]->claimed += own[k].claimed;
      all[k]->wrong += own[k].wrong;
    }
  }
  INFO("gaps " << gaps.found << "/" << gaps.there << " wrong " << gaps.wrong << "/" << gaps.claimed << "; edges "
               << edges.found << "/" << edges.there << "; held " << held.found << "/" << held.there << " wrong "
               << held.wrong << "/" << held.claimed << "; hits " << hits.found << "/" << hits.there << " wrong "
               << hits.wrong << "/" << hits.claimed);
  if (std::getenv("IVRIN_TELL_OPENINGS"))
    std::printf(
        "all: gaps %d of %d, %d of %d wrong, next entries within 30 ms %d; held %d of %d, %d of %d wrong; hits %d of "
        "%d, %d of %d wrong\n",
        gaps.found, gaps.there, gaps.wrong, gaps.claimed, edges.found, held.found, held.there, held.wrong, held.claimed,
        hits.found, hits.there, hits.wrong, hits.claimed);
  CHECK(gaps.there > 100);
  CHECK(held.there > 60);
  CHECK(hits.there > 30);
  CHECK(gaps.share() >= 0.95);
  CHECK(gaps.falseShare() <= 0.05);
  CHECK(edges.share() >= 0.95);
  CHECK(held.share() >= 0.85);
  CHECK(held.falseShare() <= 0.1);
  CHECK(hits.share() >= 0.85);
  CHECK(hits.falseShare() <= 0.1);
}

TEST_CASE("two bars before every landing are an opening, and nothing before the song is", "[openings]") {
  Song song;
  song.tempo = {{Beats(0), 120}};
  song.meter = {{Beats(0), 3, 4}};
  song.sections = {{"s1", Beats(0), "A"}, {"s2", Beats::ofQuarters(12), "B"}};
  song.landings = {{"l1", Beats::ofQuarters(16), "in the middle of a bar"}, {"l2", Beats::ofQuarters(3), "too early"}};
  const auto found = openingsBeforeLandings(song);
  REQUIRE(found.size() == 2);
  CHECK(found[0].row == "mix");
  CHECK(found[0].place.begin == Beats::ofQuarters(6));
  CHECK(found[0].place.end == Beats::ofQuarters(12));
  CHECK(found[1].place.begin == Beats::ofQuarters(12)); // from a bar line on
  CHECK(found[1].place.end == Beats::ofQuarters(16));
  CHECK(found[0].suits.front() == "riser");
}
