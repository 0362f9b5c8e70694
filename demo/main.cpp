// Computes the stems of the demo song, or those named. The same bytes every time, alone or beside others.
#include "instruments.h"

#include "audio/audio_writer.h"

#include <atomic>
#include <exception>
#include <filesystem>
#include <iostream>
#include <set>
#include <string>
#include <thread>
#include <vector>

int main(int argc, char** argv) {
  if (argc < 2) {
    std::cerr << "usage: ivrin-demo-composer FOLDER [STEM...]\n";
    return 2;
  }
  const std::set<std::string> wanted(argv + 2, argv + argc);
  using namespace lantern;
  const std::filesystem::path folder = argv[1];
  struct Stem {
    const char* name;
    Track (*make)();
  };
  // Longest first, so that two threads end together.
  const std::vector<Stem> stems = {{"voice", singVoice},     {"keys", playKeys}, {"texture", playTexture},
                                   {"strings", playStrings}, {"bass", playBass}, {"shaker", playShaker},
                                   {"drums", playDrums}};
  std::atomic<std::size_t> next{0};
  std::atomic<bool> failed{false};
  const auto work = [&] {
    for (std::size_t i = next++; i < stems.size(); i = next++) {
      if (!wanted.empty() && wanted.count(stems[i].name) == 0) continue;
      try {
        const Track t = stems[i].make();
        ivrin::AudioWriter writer(folder / (std::string(stems[i].name) + ".flac"), ivrin::AudioFormat::flac24, 48000,
                                  t.sound.frames(), i);
        writer.write(t.sound.left(), t.sound.right(), t.sound.frames(), 0);
        writer.finish();
      } catch (const std::exception& e) {
        std::cerr << "ivrin-demo-composer: " << e.what() << '\n';
        failed = true;
      }
    }
  };
  std::filesystem::create_directories(folder);
  {
    std::jthread other(work);
    work();
  }
  return failed ? 1 : 0;
}
