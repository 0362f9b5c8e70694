// Audio files that were damaged, and copies in the cache that were.
#include "stress.h"

#include "audio/stem_store.h"
#include "files/safe_file.h"
#include "import/midi_map.h"
#include "test_support/midi_bytes.h"
#include "test_support/signals.h"

#include <sndfile.h>

#include <cmath>
#include <fstream>

namespace ivrin::test {
namespace {
namespace fs = std::filesystem;

struct Format {
  const char* name;
  int format;
};
constexpr Format kFormats[] = {
    {"wav16", SF_FORMAT_WAV | SF_FORMAT_PCM_16},       {"wav24", SF_FORMAT_WAV | SF_FORMAT_PCM_24},
    {"wav32f", SF_FORMAT_WAV | SF_FORMAT_FLOAT},       {"wav-adpcm", SF_FORMAT_WAV | SF_FORMAT_MS_ADPCM},
    {"rf64", SF_FORMAT_RF64 | SF_FORMAT_PCM_24},       {"w64", SF_FORMAT_W64 | SF_FORMAT_PCM_16},
    {"aiff", SF_FORMAT_AIFF | SF_FORMAT_PCM_24},       {"flac16", SF_FORMAT_FLAC | SF_FORMAT_PCM_16},
    {"flac24", SF_FORMAT_FLAC | SF_FORMAT_PCM_24},     {"ogg", SF_FORMAT_OGG | SF_FORMAT_VORBIS},
    {"mp3", SF_FORMAT_MPEG | SF_FORMAT_MPEG_LAYER_III}};

/// One short file of each format, as bytes.
std::vector<std::string> wholeFiles() {
  const TempFolder dir;
  std::vector<std::string> all;
  for (const Format& f : kFormats)
    for (const int channels : {1, 2}) {
      SF_INFO info{};
      info.samplerate = 44100;
      info.channels = channels;
      info.format = f.format;
      const fs::path file = dir / f.name;
      SNDFILE* out = sf_open(file.c_str(), SFM_WRITE, &info);
      if (!out) continue;
      const Signal s = noise(7, 0.3);
      std::vector<float> x;
      for (std::int64_t i = 0; i < 6000; ++i)
        for (int c = 0; c < channels; ++c) x.push_back(s(i, c));
      sf_writef_float(out, x.data(), 6000);
      sf_close(out);
      all.push_back(fileBytes(file));
    }
  return all;
}

std::string damaged(std::string bytes, const std::vector<std::string>& others, Chance& chance) {
  // Headers are where the harm is: half of it goes there.
  const auto place = [&] {
    const std::size_t most = chance.unit() < 0.6 ? std::min<std::size_t>(bytes.size(), 120) : bytes.size();
    return static_cast<std::size_t>(chance.below(std::max<std::size_t>(most, 1)));
  };
  for (int n = 1 + chance.below(6); n > 0 && bytes.size() > 4; --n) {
    const std::size_t at = place();
    const auto some = static_cast<std::size_t>(1 + chance.below(64));
    switch (chance.below(7)) {
    case 0:
      bytes[at] = static_cast<char>(chance.below(256));
      break;
    case 1:
      bytes[at] ^= static_cast<char>(1 << chance.below(8));
      break;
    case 2:
      bytes.resize(static_cast<std::size_t>(chance.below(bytes.size())));
      break;
    case 3:
      bytes.erase(at, some);
      break;
    case 4:
      bytes.insert(at, chance.oneOf(others).substr(0, some));
      break;
    case 5: // a size that is none
      for (std::size_t k = 0; k < 4 && at + k < bytes.size(); ++k)
        bytes[at + k] = chance.unit() < 0.5 ? '\xff' : '\x7f';
      break;
    default:
      for (std::size_t k = 0; k < some && at + k < bytes.size(); ++k) bytes[at + k] = 0;
    }
  }
  return bytes;
}

Tried openDamaged(const std::string& bytes, const fs::path& folder) {
  const fs::path file = folder / "damaged.wav", cache = folder / "cache";
  std::ofstream(file, std::ios::binary) << bytes;
  fs::remove_all(cache);
  const StemStore store(cache);
  Problems p;
  const auto a = store.open(file, 48000, "stems[0].file", p);
  if (!a) {
    if (p.list.size() != 1) return {Verdict::failed, "refused without one error"};
    if (p.list[0].place != "stems[0].file" || p.list[0].message.find("damaged.wav") == std::string::npos)
      return {Verdict::failed, "the error does not name file and place: " + p.list[0].text()};
    return {Verdict::refused, {}};
  }
  // It can be no longer than what lies in the file: of all formats silence in FLAC is packed most.
  if (a->frames() > 48000 * 60)
    return {Verdict::failed, "more sound than there can be: " + std::to_string(a->frames())};
  for (const float* side : {a->left(), a->right()})
    for (std::int64_t i = 0; i < a->frames(); ++i)
      if (!(std::abs(side[i]) <= kLargestSample)) return {Verdict::failed, "a sample that is no sound"};
  if (!a->verify()) return {Verdict::failed, "its copy is not what was written"};
  for (const auto& e : fs::directory_iterator(cache / "stems"))
    if (e.file_size() > 64u << 20) return {Verdict::failed, "a copy of " + std::to_string(e.file_size()) + " bytes"};
  return {};
}

} // namespace

Tally audioMutations(std::int64_t count) {
  const auto whole = wholeFiles();
  return tryInProcesses("audio files, mutated", count, {20, 2048},
                        [&](std::int64_t, Chance& chance, const std::string& folder) {
                          return openDamaged(damaged(chance.oneOf(whole), whole, chance), folder);
                        });
}

Tally midiMutations(std::int64_t count) {
  MidiTrack time, notes;
  time.name("Lantern").tempo(0, 120).meter(0, 4, 2).meta(0, 0x59, std::string("\xff\x01", 2)).meta(0, 0x06, "Intro");
  for (int i = 0; i < 40; ++i) time.tempo(1920, 80 + i).meter(0, 3 + i % 4, 2 + i % 2);
  for (int i = 0; i < 200; ++i) notes.bytes(60, {'\x90', static_cast<char>(40 + i % 40), 100}).bytes(60, "\x3c\x01");
  const std::vector<std::string> whole{midiFile({time, notes}), midiFile({time})};
  return tryInProcesses("MIDI files, mutated", count, {20, 2048},
                        [&](std::int64_t, Chance& chance, const std::string& folder) -> Tried {
                          const fs::path file = fs::path(folder) / "damaged.mid";
                          std::ofstream(file, std::ios::binary) << damaged(chance.oneOf(whole), whole, chance);
                          Problems p;
                          if (readMidiFile(file, p)) return {};
                          if (p.list.empty() || p.list.back().place != "damaged.mid")
                            return {Verdict::failed, "the error does not name the file"};
                          return {Verdict::refused, {}};
                        });
}

Tally damagedCaches(std::int64_t count) {
  return tryInProcesses(
      "copies in the cache, damaged", count, {20, 2048},
      [](std::int64_t, Chance& chance, const std::string& folder) -> Tried {
        const fs::path file = fs::path(folder) / "v.wav", cache = fs::path(folder) / "cache";
        if (!fs::exists(file)) writeWav(file, 48000, 2, 150000, noise(7, 0.4));
        static const StereoBuffer wanted = fill(150000, noise(7, 0.4));
        const StemStore store(cache);
        const auto open = [&] {
          Problems p;
          return store.open(file, 48000, "", p);
        };
        const auto sounds = [&](const std::shared_ptr<const StemAudio>& a) {
          return a && a->frames() == 150000 && std::equal(wanted.left(), wanted.left() + 150000, a->left()) &&
                 std::equal(wanted.right(), wanted.right() + 150000, a->right());
        };
        if (!sounds(open())) return {Verdict::failed, "it does not sound before any harm"};
        fs::path stored;
        for (const auto& e : fs::directory_iterator(cache / "stems")) stored = e.path();
        std::string bytes = fileBytes(stored);
        const auto at = static_cast<std::size_t>(chance.unit() < 0.4 ? chance.below(140) : chance.below(bytes.size()));
        switch (chance.below(5)) {
        case 0:
          bytes[at] ^= static_cast<char>(1 << chance.below(8));
          break;
        case 1:
          bytes.resize(at);
          break;
        case 2:
          bytes.insert(at, std::string(static_cast<std::size_t>(1 + chance.below(9000)), 'x'));
          break;
        case 3:
          bytes.replace(at, 64, std::string(64, '\0'));
          break;
        default:
          bytes.erase(at, static_cast<std::size_t>(1 + chance.below(9000)));
        }
        // In place, as a disk does it: under the name, and under whoever has it mapped.
        const bool mapped = chance.unit() < 0.5;
        const auto holder = mapped ? open() : nullptr;
        std::ofstream(stored, std::ios::binary | std::ios::trunc) << bytes;
        if (holder) { // reading it is no end of the process, and what is missing is silence or known to be damaged
          float most = 0;
          for (std::int64_t i = 0; i < 150000; ++i) most = std::max(most, std::abs(holder->left()[i]));
          if (!sounds(holder) && holder->verify()) return {Verdict::failed, "damaged under a reader, and not seen"};
        }
        auto a = open();
        if (sounds(a)) return {};
        if (!a) return {Verdict::failed, "it cannot be opened again"};
        if (a->verify()) return {Verdict::failed, "another sound, and not seen"};
        store.forget(*a);
        return sounds(open()) ? Tried{} : Tried{Verdict::failed, "not brought in anew"};
      });
}

} // namespace ivrin::test
