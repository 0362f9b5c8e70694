// Songs that were damaged, or written by somebody who means harm: read, planned and heard in part, or refused by name.
#include "stress.h"

#include "files/json.h"
#include "files/safe_file.h"
#include "ornaments/kind.h"
#include "render/evaluator.h"
#include "test_support/any_settings.h"
#include "test_support/places.h"
#include "test_support/signals.h"

#include <cmath>
#include <cstdlib>
#include <fstream>

namespace ivrin::test {
namespace {

/// A song of all kinds and processors with settings by chance, short.
Song anySong(Chance& chance, const Registry& registry) {
  Song s;
  s.title = "By chance";
  s.tempo[0].bpm = 60 + 200 * chance.unit();
  s.sections = {{"s1", Beats(0), "One"}, {"s2", Beats::ofQuarters(8), "Two"}};
  s.buses = {{"bus", "Bus", {}}};
  for (const char* id : {"a", "b", "c"}) {
    Stem stem;
    stem.id = stem.name = id;
    if (*id == 'c') stem.bus = "bus";
    s.stems.push_back(std::move(stem));
  }
  const char* rows[] = {"a", "b", "c", "bus", kMixRow};
  for (int i = 0; i < 6; ++i) {
    Ornament o;
    o.id = "o" + std::to_string(i);
    const TableSpec& kind = chance.oneOf(registry.kinds);
    o.kind = kind.id;
    o.on = rows[chance.below(5)];
    o.start = Beats::ofQuarters(std::floor(16 * chance.unit()) / 2);
    o.length = Beats::ofQuarters(0.25 + 4 * chance.unit());
    o.settings = anySettings(kind, chance);
    for (int p = chance.below(3); p > 0; --p) {
      const TableSpec& processor = chance.oneOf(registry.processors);
      Processor one{processor.id, anySettings(processor, chance)};
      one.settings.erase("key"); // names a row
      o.finish.push_back(std::move(one));
    }
    s.ornaments.push_back(std::move(o));
  }
  return s;
}

std::string damagedText(std::string text, Chance& chance) {
  for (int n = 1 + chance.below(8); n > 0 && !text.empty(); --n) {
    const auto at = static_cast<std::size_t>(chance.below(text.size()));
    const auto some = static_cast<std::size_t>(1 + chance.below(200));
    switch (chance.below(6)) {
    case 0:
      text[at] = static_cast<char>(chance.below(256));
      break;
    case 1:
      text.erase(at, some);
      break;
    case 2:
      text.insert(at, text.substr(static_cast<std::size_t>(chance.below(text.size())), some));
      break;
    case 3:
      text.resize(at);
      break;
    case 4:
      text.insert(at, std::string(some, chance.oneOf(std::string("{[\"9-e.\\\xff"))));
      break;
    default:
      text[at] ^= static_cast<char>(1 << chance.below(8));
    }
  }
  return text;
}

/// Any of the values in it, by chance; the deeper the likelier.
Value& anyWithin(Value& root, Chance& chance) {
  Value* v = &root;
  for (;;) {
    if (auto* l = std::get_if<List>(&v->data); l && !l->empty() && chance.unit() < 0.93)
      v = &(*l)[static_cast<std::size_t>(chance.below(l->size()))];
    else if (auto* o = std::get_if<Object>(&v->data); o && !o->empty() && chance.unit() < 0.93)
      v = &(*o)[static_cast<std::size_t>(chance.below(o->size()))].second;
    else
      return *v;
  }
}

Value extreme(Chance& chance) {
  static const std::vector<double> numbers = {
      0,     -0.0, -1,   1,   0.5,   1e308, -1e308, 1e-308,      1e9, -1e9, 1e6, 2147483648.0, 9007199254740993.0,
      65536, 64,   4096, 1e4, 28800, 3600,  -3600,  0.0009765625};
  switch (chance.below(12)) {
  case 0:
    return {};
  case 1:
    return chance.unit() < 0.5;
  case 2:
    return Value("");
  case 3:
    return Value("../../x");
  case 4:
    return Value(std::string(static_cast<std::size_t>(1 + chance.below(5000)), 'x'));
  case 5:
    return Value(List{});
  case 6:
    return Value(Object{});
  case 7:
    return Value(List(static_cast<std::size_t>(1 + chance.below(2000)), Value(chance.oneOf(numbers))));
  case 8:
    return Value(chance.oneOf(std::vector<std::string>{"1/4", "16 bars", "1/64t", "mix", "a", "bus", "o1", "impulse",
                                                       "shipped:x", "extend", "1e9 bars"}));
  default:
    return Value(chance.oneOf(numbers) * (chance.unit() < 0.3 ? chance.unit() : 1));
  }
}

std::string twistedText(const std::string& text, Chance& chance) {
  Problems none;
  Value root = *parseJson(text, none);
  for (int n = 1 + chance.below(5); n > 0; --n) {
    Value& v = anyWithin(root, chance);
    auto* o = std::get_if<Object>(&v.data);
    switch (chance.below(4)) {
    case 0:
      v = Value(anyWithin(root, chance));
      break;
    case 1:
      if (o && !o->empty()) {
        o->erase(o->begin() + chance.below(o->size()));
        break;
      }
      [[fallthrough]];
    default:
      v = extreme(chance);
    }
  }
  return compactJson(root);
}

/// Numbers that are others, as likely as not still legal.
std::string nudgedText(const std::string& text, Chance& chance) {
  Problems none;
  Value root = *parseJson(text, none);
  static const std::vector<double> factors{0, 0.25, 0.5, 0.9, 1.1, 2, 4, 16, -1};
  int left = 1 + chance.below(6);
  for (int tries = 0; tries < 200 && left > 0; ++tries)
    if (Value& v = anyWithin(root, chance); v.number()) {
      v = Value(*v.number() * chance.oneOf(factors));
      --left;
    }
  return compactJson(root);
}

class Songs {
 public:
  Songs() {
    std::string why;
    writeWav(folder_ / "v.wav", 48000, 2, 96000, noise(5, 0.5));
    demo_ = readWholeFile(sourceFolder() / "demo/song/lantern-ferry.ivrin", kMaxSongBytes, why).value_or("{}");
  }

  Tried tryOne(std::int64_t index, Chance& chance) {
    std::string text = index % 3 == 0 ? demo_ : writeSong(anySong(chance, registry_), registry_);
    const double how = chance.unit(); // a third of them are songs still
    text = how < 0.25 ? damagedText(text, chance) : how < 0.6 ? twistedText(text, chance) : nudgedText(text, chance);
    Problems problems;
    const auto song = readSong(text, registry_, problems);
    if (song.has_value() == problems.hasErrors()) return {Verdict::failed, "neither a song nor an error"};
    if (!song) {
      for (const Problem& p : problems.list)
        if (p.isError &&
            (p.message.empty() || (p.place.empty() && p.id != ErrorId::syntax && !p.message.starts_with("and "))))
          return {Verdict::failed, "an error without a place: " + p.text()};
      return {Verdict::refused, {}};
    }
    Problems again;
    const auto back = readSong(writeSong(*song, registry_), registry_, again);
    if (!back || !(*back == *song)) return {Verdict::failed, "written, it is another song"};
    // What a run told of is kept to be looked at: IVRIN_TRY=number IVRIN_KEEP=file.
    if (const char* keep = std::getenv("IVRIN_KEEP")) std::ofstream(keep) << writeSong(*song, registry_);
    return heard(*song);
  }

 private:
  /// Around its first ornaments and at its beginning, as far as that can be heard within the time.
  Tried heard(const Song& song) {
    SongAudio audio;
    for (std::size_t i = 0; i < song.stems.size() && i < 16; ++i) audio.set(song.stems[i].id, stem(song.sampleRate));
    PrintCache cache;
    Problems problems;
    const auto plan = RenderPlan::make(song, audio, allKinds(), cache, nullptr, &problems);
    std::vector<Frames> places{Frames(0)};
    for (std::size_t i = 0; i < plan->nodes().size() && i < 3; ++i) {
      const FrameRange r = plan->nodes()[i]->plan.extent;
      if (r.begin.count < 20 * song.sampleRate) places.push_back(r.begin);
    }
    Evaluator evaluator(*plan, Evaluator::Missing::compute);
    StereoBuffer out(4096);
    for (const Frames at : places) {
      evaluator.mix(at, out.span());
      for (std::int64_t i = 0; i < out.frames(); ++i)
        if (!std::isfinite(out.left()[i]) || !std::isfinite(out.right()[i]))
          return {Verdict::failed, "a sample that is no number"};
    }
    return {};
  }

  std::shared_ptr<const StemAudio> stem(int rate) {
    auto& known = stems_[rate];
    if (known) return known;
    Problems none;
    return known = StemStore(folder_ / "cache").open(folder_ / "v.wav", rate, "", none);
  }

  const Registry registry_ = allKinds().registry();
  std::string demo_;
  TempFolder folder_; // of the process that begins; the others share it
  std::map<int, std::shared_ptr<const StemAudio>> stems_;
};

} // namespace

namespace {

/// Longer with every try, up to four hours.
Tried inSilence(std::int64_t index) {
  TestSong t(48000, 120);
  t.stem("a", 48000, noise(1, 0.3));
  const double beats = std::min(2400.0 * std::pow(1.2, static_cast<double>(index)), 28000.0);
  t.ornament("tape", "a", 0, beats, {{"shape", "custom"}, {"speed", 0.9}});
  t.ornament("tape", "a", 0, beats, {{"shape", "custom"}, {"speed", 0.9}, {"pitch_lock", true}});
  t.ornament("halftime", "a", 0, beats, {{"pitch", "keep"}});
  t.ornament("treat", "a", 0, beats).finish = {{"reverb", {{"character", "spring"}}}, {"chorus", {}}};
  const auto plan = t.plan();
  for (const auto& node : plan->nodes()) {
    if (!node->print->ensure(*plan, *node)) return {Verdict::failed, node->ornament->id + " is not there"};
    if (node->print->peak() == 0) return {Verdict::failed, node->ornament->id + " does not sound"};
    if (node->print->bytes() > 64 << 20) return {Verdict::failed, node->ornament->id + " stores silence"};
  }
  return {Verdict::worked, ""};
}

} // namespace

Tally longSilences(std::int64_t count) {
  return tryInProcesses("prints of up to 4 hours of silence", count, {120, 2048},
                        [](std::int64_t i, Chance&, const std::string&) { return inSilence(i); });
}

Tally songMutations(std::int64_t count) {
  Songs songs;
  return tryInProcesses("songs, mutated", count, {180, 4096},
                        [&](std::int64_t i, Chance& chance, const std::string&) { return songs.tryOne(i, chance); });
}

} // namespace ivrin::test
