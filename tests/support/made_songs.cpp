#include "test_support/made_songs.h"

#include "test_support/band.h"

#include <algorithm>
#include <cmath>

namespace ivrin::test {
namespace {

enum class Chords { pad, piano, pluck };
enum class Lead { bells, brass, pluck };

struct Style {
  const char* name;
  double bpm;
  int count = 4, unit = 4; // of a bar
  int rate = 48000;
  bool spoken = false;
  Chords chords = Chords::pad;
  Lead lead = Lead::bells;
  bool kitApart = false;          // kick, snare and hats on rows of their own
  double room = 0;                // seconds, printed on voice and kit
  double hissDb = -200;           // in the voice's microphone, absolute
  double bleedDb = -200;          // of the kit in the voice's microphone
  double verseDb = -6;            // the verse against the chorus
  bool busy = false;              // the voice hardly rests
  std::vector<double> tempi = {}; // further tempi along the song
  bool mixes = false;             // rows that are mixes of all there is
  int doubles = 0;                // further rows of strings and voices
};

const Style kStyles[] = {
    {.name = "ballad", .bpm = 49, .chords = Chords::piano, .room = 2.2},
    {.name = "slow beat", .bpm = 72, .chords = Chords::pad, .lead = Lead::pluck, .kitApart = true},
    {.name = "told over a bed", .bpm = 92, .spoken = true, .hissDb = -52, .verseDb = -3},
    {.name = "four to the floor",
     .bpm = 124,
     .chords = Chords::pluck,
     .lead = Lead::brass,
     .kitApart = true,
     .doubles = 5},
    {.name = "in one room", .bpm = 118, .chords = Chords::pluck, .room = 0.7, .hissDb = -58, .bleedDb = -26},
    {.name = "seven sixteenths", .bpm = 132, .count = 7, .unit = 16, .chords = Chords::pluck, .lead = Lead::pluck},
    {.name = "waltz", .bpm = 96, .count = 3, .chords = Chords::piano, .lead = Lead::brass, .room = 1.4},
    {.name = "broken drums", .bpm = 174, .chords = Chords::pad, .kitApart = true, .busy = true},
    {.name = "fast and loud",
     .bpm = 181,
     .chords = Chords::pluck,
     .lead = Lead::brass,
     .room = 0.5,
     .bleedDb = -30,
     .verseDb = -2},
    {.name = "hurries and slows", .bpm = 80, .chords = Chords::piano, .tempi = {100, 124, 92}},
    {.name = "at 44.1 kHz", .bpm = 104, .rate = 44100, .chords = Chords::pad, .lead = Lead::pluck, .verseDb = -24},
    {.name = "full mixes", .bpm = 110, .chords = Chords::pluck, .mixes = true},
    {.name = "five four, a choir",
     .bpm = 86,
     .count = 5,
     .chords = Chords::pad,
     .room = 3.0,
     .busy = true,
     .doubles = 2},
};

double minorNote(double root, int step) {
  return noteOfScale(root, step, true);
}
constexpr int kRoots[] = {0, 5, 3, 4};

/// A word of the line, in beats.
struct Word {
  double at, length;
  bool last; // of its phrase
  bool first;
};

class Composer {
 public:
  Composer(int which, MadeSong& out)
      : style_(kStyles[which])
      , out_(out)
      , draw_(static_cast<std::uint64_t>(which) * 977 + 5)
      , seed_(static_cast<std::uint64_t>(which) * 31 + 7) {
    out_.name = style_.name;
    out_.song = std::make_unique<TestSong>(style_.rate, style_.bpm);
    Song& song = out_.song->song;
    song.title = style_.name;
    song.meter = {{Beats(0), style_.count, style_.unit}};
    song.key = Key{9, true};
    bar_ = 4.0 * style_.count / style_.unit;
    bars_ = std::clamp(static_cast<int>(std::lround(44 / (bar_ * 60 / style_.bpm) / 4)) * 4, 12, 40);
    for (std::size_t i = 0; i < style_.tempi.size(); ++i)
      song.tempo.push_back({Beats::ofQuarters(bar_ * std::floor(bars_ * (static_cast<double>(i) + 1) /
                                                                (static_cast<double>(style_.tempi.size()) + 1))),
                            style_.tempi[i]});
    chorus_ = bars_ / 2;
    song.sections = {{"s1", Beats(0), "Intro"},
                     {"s2", Beats::ofQuarters(2 * bar_), "Verse"},
                     {"s3", Beats::ofQuarters(chorus_ * bar_), "Chorus"}};
    map_ = song.tempoMap();
    seconds_ = at(bars_ * bar_) + 4;
  }

  void compose() {
    Part kit = part(), kick = part(), snare = part(), hats = part();
    playKit(kick, snare, hats, kit);
    Part bass = part(), chords = part(), lead = part(), texture = part(), voice = part();
    playBass(bass);
    playChords(chords);
    playLead(lead);
    playTexture(texture);
    sing(voice);
    if (style_.bleedDb > -100) voice.bleed(kit, style_.bleedDb);
    if (style_.hissDb > -100) voice.hiss(style_.hissDb);
    if (style_.mixes) {
      Part band = part();
      for (const Part* p : {&kit, &bass, &chords}) band.bleed(*p, 0, 0);
      row("band", stereoOf(band));
    }
    row("voice", style_.room > 0 ? inRoom(voice, -12, style_.room, style_.room > 1.5) : stereoOf(voice));
    if (style_.kitApart) {
      row("kick", stereoOf(kick));
      row("snare", stereoOf(snare));
      row("hats", stereoOf(hats, 0.0002));
    } else {
      row("drums", style_.room > 0 ? inRoom(kit, -8, std::min(style_.room, 1.2)) : stereoOf(kit));
    }
    row("bass", stereoOf(bass));
    row("chords", stereoOf(chords, 0.007));
    row("lead", stereoOf(lead, 0.003));
    row("texture", stereoOf(texture, 0.011));
    for (int i = 0; i < style_.doubles; ++i) {
      Part more = part();
      if (i % 2 == 0)
        sing(more, -30, 7 - 2 * i, false);
      else
        playChords(more, -32);
      row("more" + std::to_string(i + 1), stereoOf(more, 0.009));
    }
    if (!style_.kitApart && !style_.mixes) {
      Part shaker = part();
      for (double b = 0; b < bars_ * bar_; b += 0.25) shaker.hat(at(b), -40 + (std::fmod(b, 0.5) == 0 ? 0 : -4));
      row("shaker", stereoOf(shaker, 0.005));
    }
    choosePlaces();
  }

 private:
  Part part() { return {seconds_, static_cast<double>(style_.rate), ++seed_}; }
  double at(double beat) const { return map_.secondsAt(Beats::ofQuarters(beat)).value; }
  double loudness(double beat) const { return beat >= chorus_ * bar_ ? 0 : style_.verseDb; }
  bool rests(double beat) const { // the last beat before the chorus
    return beat >= chorus_ * bar_ - std::min(2.0, bar_ / 2) - 1e-9 && beat < chorus_ * bar_ - 1e-9;
  }
  void row(const std::string& id, const StereoBuffer& b) {
    out_.song->stem(id, b.frames(), [&b](std::int64_t f, int side) { return side == 0 ? b.left()[f] : b.right()[f]; });
    // A mix is not all faders at nought.
    RowMix& mix = out_.song->song.stems.back().mix;
    mix.gainDb = id == "voice" ? 1.5 : id == "bass" ? -1 : id == "lead" ? -3 : id == "chords" ? -2 : 0;
    mix.pan = id == "lead" ? 0.35 : id == "shaker" ? -0.4 : 0;
  }
  /// Something was played: what is nearer than 0.9 beats to the last belongs to it.
  void note(const std::string& id, double from, double to, double beat) {
    auto& p = out_.played[id];
    const double apart = 0.9 * 60 / map_.bpmAt(Beats::ofQuarters(beat));
    if (!p.empty() && from - p.back().second < apart)
      p.back().second = std::max(p.back().second, to);
    else
      p.push_back({from, to});
  }

  void playKit(Part& kick, Part& snare, Part& hats, Part& kit) {
    const double step = style_.unit == 16 ? 0.25 : 0.5;
    for (int b = 1; b < bars_; ++b)
      for (double s = 0; s < bar_ - 1e-9; s += step) {
        const double beat = b * bar_ + s;
        if (rests(beat)) continue;
        const double t = at(beat) + 0.006 * (draw_.unit() - 0.5), db = loudness(beat) / 2;
        const bool down = s == 0 || (style_.count == 4 && s == 2 && draw_.unit() < 0.5) || draw_.unit() < 0.08;
        const bool back = style_.unit == 16 ? s == 1.0 : style_.count == 3 ? s == 2 : s == 1 || s == 3;
        if (down) {
          kick.kick(t, -15 + db);
          kit.kick(t, -15 + db);
          note("kick", t, t + 0.2, beat);
          kicks_.push_back(beat);
        }
        if (back) {
          snare.snare(t, -18 + db);
          kit.snare(t, -18 + db);
          note("snare", t, t + 0.2, beat);
          snares_.push_back(beat);
        }
        hats.hat(t, -34 + db - (std::fmod(s, 1.0) == 0 ? 0 : 4), draw_.unit() < 0.06);
        kit.hat(t, -34 + db - (std::fmod(s, 1.0) == 0 ? 0 : 4));
        note("hats", t, t + 0.1, beat);
        note("drums", t, t + 0.15, beat);
        note("band", t, t + 0.15, beat);
      }
    kit.crash(at(chorus_ * bar_), -26);
  }
  int rootOf(double beat) const { return kRoots[static_cast<std::size_t>(beat / bar_) % 4]; }
  void playBass(Part& p) {
    const double step = bar_ >= 4 ? 1 : bar_ / 2;
    for (double b = bar_; b < bars_ * bar_ - 1e-9; b += step) {
      if (rests(b) || draw_.unit() < 0.12) continue;
      const double length = at(b + step * 0.85) - at(b);
      p.bass(at(b), length, minorNote(33, rootOf(b)), -21 + loudness(b) / 2);
      note("bass", at(b), at(b) + length, b);
      basses_.push_back(b);
    }
  }
  void playChords(Part& p, double db = -27) {
    for (double b = 0; b < bars_ * bar_ - 1e-9; b += bar_) {
      const int root = rootOf(b);
      const double end = b + bar_ - (rests(b + bar_ - 0.5) ? std::min(2.0, bar_ / 2) : 0.1), to = at(end),
                   level = db + loudness(b);
      const std::vector<double> notes = {minorNote(57, root), minorNote(57, root + 2), minorNote(57, root + 4)};
      switch (style_.chords) {
      case Chords::pad:
        p.pad(at(b), to - at(b) - 0.2, notes, level, 0.12, 0.25);
        break;
      case Chords::piano:
        for (const double n : notes) p.pluck(at(b), to - at(b), n, level - 1);
        break;
      case Chords::pluck:
        for (double s = b; s < end - 0.2; s += 0.5)
          p.pluck(at(s), at(std::min(s + 0.48, end)) - at(s), notes[static_cast<std::size_t>(draw_.below(3))],
                  level + 2);
        break;
      }
      if (db > -28) note("chords", at(b), to, b);
    }
  }
  void playLead(Part& p) {
    for (double b = chorus_ * bar_; b < bars_ * bar_ - bar_; b += 2 * bar_) {
      double t = b + bar_ / 2;
      for (int i = 0; i < 3; ++i, t += bar_ >= 3 ? 1 : 0.5) {
        const double n = minorNote(69, rootOf(b) + draw_.below(5)), length = at(t + 0.8) - at(t);
        switch (style_.lead) {
        case Lead::bells:
          p.bell(at(t), n, -27, 1.2);
          break;
        case Lead::brass:
          p.pad(at(t), length - 0.1, {n - 12, n - 5}, -26, 0.03, 0.08);
          break;
        case Lead::pluck:
          p.pluck(at(t), length, n, -26);
          break;
        }
        note("lead", at(t), at(t) + length, t);
        leads_.push_back(t);
      }
    }
  }
  void playTexture(Part& p) {
    p.hiss(-52, 6000);
    for (double b = 0; b < bars_ * bar_; b += 4 * bar_) p.pad(at(b), at(b + 4 * bar_) - at(b), {45, 52}, -44, 1.0, 1.0);
    note("texture", 0, seconds_, 0);
  }
  void sing(Part& p, double db = -20, int apart = 0, bool kept = true) {
    static constexpr char kVowels[] = {'a', 'e', 'i', 'o', 'u'};
    Chance draw(seed_);
    const double two = 2 * bar_;
    for (double b = 2 * bar_; b < bars_ * bar_ - two + 1e-9; b += two) {
      const double begin = b + (style_.busy ? 0 : draw.below(2) * 0.5),
                   rest = style_.busy ? 0.3 : 1.0 + 0.5 * draw.below(static_cast<std::size_t>(std::max(2.0, bar_))),
                   end = std::max(b + two - rest, begin + 1);
      std::vector<Word> words;
      for (double t = begin; t < end - 0.2;) {
        const double length = std::min(draw.unit() < 0.5 ? 0.5 : 1.0, end - t);
        words.push_back({t, length * 0.93, false, t == begin});
        t += length;
      }
      words.back().last = true;
      for (const Word& w : words) {
        const double from = at(w.at) + 0.02 * (draw.unit() - 0.5), length = at(w.at + w.length) - at(w.at);
        const double level = db + loudness(w.at) - 5 * draw.unit() * (w.first || w.last ? 0.3 : 1);
        if (style_.spoken)
          p.speak(from, length, 48 + apart, level);
        else
          p.sing(from, length, minorNote(57 + apart, draw.below(7)), level, kVowels[draw.below(5)], draw.unit() < 0.3);
        if (kept) {
          note("voice", from, from + length, w.at);
          words_.push_back(w);
        }
      }
    }
  }

  void place(const std::string& kind, const std::string& row, double start, double length) {
    if (!out_.song->song.hasRow(row)) return;
    MadePlace p{kind, row, start, length, {}, at(start + length)};
    const double begin = at(start), until = at(start + length) + 2 * (at(start + bar_) - at(start));
    const auto& played = out_.played[row];
    for (std::size_t i = 0; i < played.size(); ++i) {
      if (played[i].second < begin) continue;
      if (played[i].first <= begin + 0.05) { // in this phrase
        if (played[i].second < until && i + 1 < played.size()) p.nextEntry = played[i + 1].first;
      } else if (played[i].first < until) {
        p.nextEntry = played[i].first;
      }
      break;
    }
    out_.places.push_back(std::move(p));
  }
  template <class List> const auto& pick(const List& all, std::size_t i, std::size_t of) const {
    return all[std::min(all.size() - 1, all.size() * (2 * i + 1) / (2 * of))];
  }

  void choosePlaces() {
    std::vector<Word> lasts, firsts, inner;
    for (const Word& w : words_) (w.last ? lasts : w.first ? firsts : inner).push_back(w);
    if (inner.empty()) inner = firsts;
    const std::string drums = style_.kitApart ? "snare" : style_.mixes ? "band" : "drums";
    const double landing = chorus_ * bar_;
    for (std::size_t i = 0; i < 5; ++i) {
      const Word& w = pick(lasts, i, 5);
      place("delay-throw", "voice", w.at, w.length);
      place("reverb-throw", "voice", w.at, w.length);
    }
    for (std::size_t i = 0; i < 2; ++i) {
      const Word& w = pick(inner, i, 2);
      place("delay-throw", "voice", w.at, w.length);
      place("reverb-throw", "voice", w.at, w.length);
      place("reverse-reverb", "voice", w.at, w.length);
      place("stutter", "voice", w.at, w.length);
      place("treat", "voice", w.at, w.length);
    }
    for (std::size_t i = 0; i < 3; ++i) {
      const Word& w = pick(firsts, i, 3);
      place("reverse-reverb", "voice", w.at, w.length);
    }
    place("reverse-reverb", "voice", pick(firsts, 0, 1).at, 2 * bar_ - 1);
    for (std::size_t i = 0; i < 2; ++i) {
      const double s = pick(snares_, i, 2), k = pick(kicks_, i, 2);
      place("delay-throw", drums, s, 0.25);
      place("reverb-throw", drums, s, 0.25);
      place("treat", drums, s, 0.5);
      place("stutter", drums, s, 1);
      place("delay-throw", style_.kitApart ? "kick" : drums, k, 0.25);
    }
    place("reverse-reverb", drums, landing, 0.5);
    place("reverse", drums, pick(snares_, 0, 1), 0.5);
    const double b = pick(basses_, 1, 2);
    place("delay-throw", "bass", b, 0.5);
    place("reverb-throw", "bass", b, 0.5);
    place("reverse-reverb", "bass", landing, 0.5);
    place("tape", "bass", landing - 1, 1);
    const double l = pick(leads_, 1, 2);
    place("delay-throw", "lead", l, 0.5);
    place("reverb-throw", "lead", l, 0.5);
    place("reverse-reverb", "lead", pick(leads_, 0, 2), 0.5);
    const double chordBar = (chorus_ + 2) * bar_;
    place("delay-throw", "chords", chordBar, 0.5);
    place("reverb-throw", "chords", chordBar, 1);
    place("pulse", "chords", chordBar, 2 * bar_);
    place("halftime", drums, chordBar, bar_);
    place("glitch", drums, chordBar, bar_);
    place("glitch", "lead", l, bar_);
    place("tape", "mix", landing - bar_ / 2, bar_ / 2);
    place("gap", "mix", landing - 0.5, 0.5);
    place("reverse", "chords", landing - 1, 1);
    place("riser", "texture", landing - 2 * bar_, 2 * bar_);
    place("halftime", "voice", pick(firsts, 1, 2).at, bar_);
  }

  const Style& style_;
  MadeSong& out_;
  Chance draw_;
  std::uint64_t seed_;
  TempoMap map_;
  double bar_ = 4, seconds_ = 0;
  int bars_ = 16, chorus_ = 8;
  std::vector<Word> words_;
  std::vector<double> kicks_, snares_, basses_, leads_;
};

} // namespace

int madeSongCount() {
  return static_cast<int>(std::size(kStyles));
}

MadeSong madeSong(int which) {
  MadeSong made;
  Composer(which, made).compose();
  return made;
}

} // namespace ivrin::test
