#include "analysis/phrases.h"
#include "test_support/made_rows.h"
#include "test_support/signals.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <cstdlib>
#include <map>

using namespace ivrin;
using namespace ivrin::test;

namespace {

struct Score {
  int entries = 0, found = 0, claimed = 0, wrong = 0;
};

/// Entries after a rest of 0.9 beats or more, against what is known.
Score scoreOf(const MadeRow& row, const RowPhrases& heard, std::string& what) {
  Score s;
  const double tolerance = row.type == MadeRow::Class::dry ? 0.035 : row.type == MadeRow::Class::noisy ? 0.06 : 0.08;
  const auto joined = joinedOver(heard.phrases, Frames(std::llround(0.8 * row.beatSeconds() * row.rate)));
  std::vector<double> starts;
  for (const FrameRange& p : joined) starts.push_back(static_cast<double>(p.begin.count) / row.rate);
  const auto near = [&](double t, double of) { return std::abs(t - of) <= tolerance; };
  for (const auto& p : row.played) {
    s.entries += 1;
    if (std::any_of(starts.begin(), starts.end(), [&](double t) { return near(t, p.first); }))
      s.found += 1;
    else
      what += " missed " + std::to_string(p.first);
  }
  for (const double t : starts) {
    s.claimed += 1;
    if (std::none_of(row.played.begin(), row.played.end(), [&](const auto& p) { return near(t, p.first); })) {
      s.wrong += 1;
      what += " wrong " + std::to_string(t);
    }
  }
  return s;
}

/// 49 rows of all classes, each played so many times.
std::map<MadeRow::Class, Score> scoresOf(int firstTake, int takes) {
  std::map<MadeRow::Class, Score> all;
  for (int take = firstTake; take < firstTake + takes; ++take)
    for (int i = 0; i < madeRowCount(); ++i) {
      const MadeRow row = madeRow(i, take);
      const RowPhrases heard = findPhrases(readerOf(row.sound), {Frames(0), Frames(row.sound.frames())}, row.rate);
      std::string what;
      const Score s = scoreOf(row, heard, what);
      UNSCOPED_INFO(row.name << ", take " << take << ":" << what);
      Score& sum = all[row.type];
      sum.entries += s.entries;
      sum.found += s.found;
      sum.claimed += s.claimed;
      sum.wrong += s.wrong;
    }
  return all;
}

void holds(std::map<MadeRow::Class, Score>& all) {
  const auto share = [](int part, int of) { return static_cast<double>(part) / std::max(of, 1); };
  int claimed = 0, wrong = 0;
  for (const auto& [type, s] : all) {
    const double least = type == MadeRow::Class::dry     ? 0.95
                         : type == MadeRow::Class::noisy ? 0.90
                         : type == MadeRow::Class::roomy ? 0.85
                                                         : 1;
    INFO("class " << static_cast<int>(type) << ": " << s.found << " of " << s.entries << " found, " << s.wrong << " of "
                  << s.claimed << " wrong");
    CHECK(s.entries >= 7);
    CHECK(share(s.found, s.entries) >= least);
    CHECK(share(s.wrong, s.claimed) <= 0.05);
    claimed += s.claimed;
    wrong += s.wrong;
  }
  CHECK(share(wrong, claimed) <= 0.05);
}

} // namespace

// Each row is half a minute that must be made before it is heard: eight seconds for all of them.
TEST_CASE("the next entry after a rest is found in dry, noisy and roomy rows; rows that never rest have none",
          "[phrases][slow][heavy]") {
  CHECK(madeRowCount() >= 40);
  // IVRIN_TAKES=N in the environment: played N times.
  const char* takes = std::getenv("IVRIN_TAKES");
  auto all = scoresOf(0, takes ? std::max(1, std::atoi(takes)) : 1);
  holds(all);
}

TEST_CASE("a row's room and floor are told", "[phrases]") {
  const auto hear = [](const char* name) {
    for (int i = 0; i < madeRowCount(); ++i)
      if (madeRowName(i) == name) {
        const MadeRow row = madeRow(i);
        return findPhrases(readerOf(row.sound), {Frames(0), Frames(row.sound.frames())}, row.rate);
      }
    FAIL("there is no row " << name);
    return RowPhrases{};
  };
  CHECK(hear("singer in hiss").floorDb == Approx(-45.2).margin(1.5)); // 25 dB under a voice at −20
  CHECK(hear("bass slow").floorDb < -100);
  // Of a hall of 2.5 s the first fall, from a voice into it, is steeper than its end.
  const double hall = hear("pad in a hall").decaySeconds, room = hear("kit in a room").decaySeconds;
  CHECK(hall > 1.5);
  CHECK(hall < 3);
  CHECK(room > 0.5);
  CHECK(room < 1.0);
}

TEST_CASE("a soft entry over a long decay, and a word 30 dB under the chorus, are entries where they start",
          "[phrases]") {
  constexpr double kRate = 48000;
  // A tone that dies away by 60 dB in 3 s, and at 1.2 s a softer one above it.
  const auto made = [](double softDb) {
    StereoBuffer b(static_cast<std::int64_t>(6 * kRate));
    for (std::int64_t i = 0; i < b.frames(); ++i) {
      const double t = static_cast<double>(i) / kRate;
      double v = 0;
      if (t > 0.5)
        v += 0.3 * std::pow(10.0, -(t - 0.5)) * std::min(1.0, (t - 0.5) / 0.01) * std::sin(2 * M_PI * 300 * t);
      if (t > 1.7 && t < 3)
        v += 0.3 * std::pow(10.0, softDb / 20) * std::min({1.0, (t - 1.7) / 0.01, (3 - t) / 0.05}) *
             std::sin(2 * M_PI * 1500 * t);
      b.left()[i] = b.right()[i] = static_cast<float>(v);
    }
    return b;
  };
  for (const double softDb : {-10.0, -16.0}) { // the tail is at −24 dB there
    const StereoBuffer b = made(softDb);
    const auto found = findPhrases(readerOf(b), {Frames(0), Frames(b.frames())}, kRate).phrases;
    INFO(softDb);
    const auto at = std::find_if(found.begin(), found.end(), [](const FrameRange& p) {
      return std::abs(static_cast<double>(p.begin.count) / kRate - 1.7) < 0.03;
    });
    CHECK(at != found.end());
  }
}
