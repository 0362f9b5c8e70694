// Stems and their copies in the cache that change, vanish or shrink while the song plays and while it is exported.
#include "rig.h"

#include <catch2/catch.hpp>

#include <QSignalSpy>

#include <fstream>

using namespace ivrin;
using namespace ivrin::app;
using namespace ivrin::app::test;
namespace fs = std::filesystem;

namespace {

struct Open {
  TempFolder dir, cache;
  std::shared_ptr<TestDevices> devices = std::make_shared<TestDevices>();
  std::unique_ptr<Session> session;
  Open() {
    Session::Options o;
    o.cacheFolder = cache.path();
    o.playback.stepped = true;
    o.playback.outputs = devices;
    session = std::make_unique<Session>(std::move(o));
    const fs::path song = writeSmallSong(dir);
    for (const char* stem : {"voice.wav", "keys.wav", "drums.wav"}) { // files of its own, not shared ones
      fs::copy_file(dir / stem, dir / "own");
      fs::rename(dir / "own", dir / stem);
    }
    session->files().open(song);
    session->waitUntilIdle();
  }
  StereoBuffer hear(std::int64_t frames) {
    devices->out->forgetRecording();
    devices->out->step(frames);
    return devices->out->recorded();
  }
  /// The copies of the stems, as the song has them mapped.
  std::vector<fs::path> copies() const {
    std::vector<fs::path> all;
    for (const auto& e : fs::directory_iterator(cache / "stems")) all.push_back(e.path());
    return all;
  }
  void harm(const std::string& how) {
    if (how == "files are written anew")
      for (const char* stem : {"voice.wav", "keys.wav", "drums.wav"})
        writeWav(dir / stem, 48000, 1, 90000, noise(9, 0.9));
    if (how == "files vanish")
      for (const char* stem : {"voice.wav", "keys.wav", "drums.wav"}) fs::remove(dir / stem);
    if (how == "files shrink")
      for (const char* stem : {"voice.wav", "keys.wav", "drums.wav"}) fs::resize_file(dir / stem, 100);
    for (const fs::path& copy : copies()) {
      if (how == "copies vanish") fs::remove(copy);
      if (how == "copies shrink") fs::resize_file(copy, 4096);
    }
  }
};

const std::vector<std::string> kHarms = {"files are written anew", "files vanish", "files shrink", "copies vanish",
                                         "copies shrink"};

std::string bytesOf(const fs::path& file) {
  std::ifstream in(file, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

} // namespace

TEST_CASE("while the song plays its files change: what is heard goes on, or is silent and told",
          "[changing][heavy]") { // stems of its own are brought in for each
  Open untouched;
  untouched.session->player().play(Frames(0));
  untouched.hear(24000);
  const StereoBuffer want = untouched.hear(96000);
  for (const std::string& how : kHarms) {
    INFO(how);
    Open open;
    QSignalSpy told(open.session.get(), &Session::notice);
    open.session->player().play(Frames(0));
    open.hear(24000);
    open.harm(how);
    const StereoBuffer got = open.hear(96000);
    const bool same = std::equal(want.left(), want.left() + 96000, got.left());
    CHECK(same == (how != "copies shrink")); // a page that has gone is silence
    CHECK(largest(got) <= 1);
    open.session->tick();
    open.session->stems().lookForReexports();
    open.session->waitUntilIdle();
    bool damaged = false;
    for (const auto& n : told) damaged = damaged || n[0].toString().contains("was damaged");
    CHECK(damaged == (how == "copies shrink"));
    for (const char* row : {"voice", "keys", "drums"}) CHECK(open.session->audio().of(row)); // brought in anew
    open.session->player().stop();
  }
}

TEST_CASE("while the song is exported its files change: the export is whole, or says that it is not",
          "[changing][slow][heavy]") { // stems of its own are brought in for each
  Open untouched;
  const TempFolder out;
  ExportOptions options;
  options.stems = true;
  untouched.session->exports().exportTo(out / "want", options);
  untouched.session->waitUntilIdle();
  const std::string want = bytesOf(out / "want/mix.wav");
  REQUIRE(want.size() > 100000);
  for (const std::string& how : kHarms)
    for (int i = 0; i < (how == "copies shrink" ? 3 : 1); ++i) {
      INFO(how << " " << i);
      Open open;
      QSignalSpy exported(&open.session->exports(), &Exports::exported);
      open.session->exports().exportTo(out / "got", options);
      if (i > 0) QCoreApplication::processEvents(); // sooner, later
      open.harm(how);
      open.session->waitUntilIdle();
      REQUIRE(exported.count() == 1);
      const bool ok = exported[0][1].toBool();
      if (how != "copies shrink") CHECK(ok);
      if (ok)
        CHECK(bytesOf(out / "got/mix.wav") == want);
      else
        CHECK(exported[0][0].toString().contains("export once more"));
      for (const auto& e : fs::recursive_directory_iterator(out / "got"))
        CHECK(e.path().filename().string().find(".new-") == std::string::npos);
    }
}
