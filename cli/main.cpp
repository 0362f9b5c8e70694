// ivrin-cli: everything the window can compute, without a window.
#include "commands.h"

#include <CLI/CLI.hpp>

#include "song/problem.h"
#include "time/plain_number.h"
#include "words/terminal.h"
#include "words/words.h"

#include <algorithm>
#include <csignal>
#include <exception>
#include <ext/stdio_filebuf.h>
#include <iostream>
#include <optional>
#include <unistd.h>

using namespace ivrin::cli;

namespace {

/// A finite number: CLI11's range lets "nan" through.
const CLI::Validator finite(
    [](const std::string& text) {
      const ivrin::NumberRead n = ivrin::readNumber(text);
      return n.rest.empty() ? std::string() : "\"" + text + "\" is not a number";
    },
    "NUMBER");

void addSong(CLI::App* c, SongOptions& o, bool json) {
  c->add_option("SONG", o.song, "song file")->required();
  c->add_option("--reach", o.reach, "allow the song to read audio from this folder too");
  if (json) c->add_flag("--json", o.json, "print results as JSON");
}
/// The commands, with what each is given.
class Commands {
 public:
  Commands() {
    app.require_subcommand(1);
    app.set_version_flag("--version", "ivrin-cli 0.1.0");
    addSongs();
    addPlaces();
    addEdits();
    addGrid();
    addRecipes();
    addPlain();
  }
  int run(int argc, char** argv);

 private:
  void addSongs();
  void addPlaces();
  void addEdits();
  void addGrid();
  void addRecipes();
  void addPlain();

  CLI::App app{"Ivrin without a window: read, check, change and render songs."};
  int status = 0;
  NewOptions fresh;
  SongOptions checked;
  RenderOptions rendered;
  SongOptions shown;
  PlaceOptions placed;
  SongOptions listed;
  SongOptions opened;
  std::string openingsRow;
  std::string sectionsOut;
  std::vector<std::string> heard;
  bool heardJson = false;
  EditOptions edited;
  LandingOptions landed;
  MapOptions mapped;
  GridOptions gridded;
  std::string recipe;
  bool recipesJson = false;
  ApplyOptions applied;
  double bpm = 120;
  bool json = false;
  std::vector<std::string> files;
  std::string kind;
  bool markdown = false;
};

/// A song: made, checked, rendered, shown.
void Commands::addSongs() {
  auto* cNew = app.add_subcommand("new", "create a song from audio files");
  cNew->add_option("--out", fresh.out, "song file to write")->required();
  cNew->add_option("--bpm", fresh.bpm, "tempo in BPM; default: detected")
      ->check(finite)
      ->check(CLI::Range(20.0, 400.0));
  cNew->add_option("--sample-rate", fresh.sampleRate,
                   "sample rate of the song; default: the most common one of the files")
      ->check(CLI::Range(8000, 192000));
  cNew->add_option("FILE", fresh.files, "audio files, one stem each; a MIDI file gives the tempo map")->required();
  cNew->callback([this] { status = newSong(fresh); });

  auto* cCheck = app.add_subcommand("check", "check a song and its files and list every problem");
  addSong(cCheck, checked, true);
  cCheck->callback([this] { status = check(checked); });

  auto* cRender = app.add_subcommand("render", "render the song to audio files");
  addSong(cRender, rendered.song, false);
  cRender->add_option("--out", rendered.out, "folder to write to")->required();
  cRender->add_option("--what", rendered.what, "list of mix, stems, dry, wet, ornaments")->capture_default_str();
  cRender->add_option("--format", rendered.format, "wav16, wav24, wav32f, flac16, flac24")->capture_default_str();
  cRender->add_option("--from", rendered.from, "start position, in beats or bar:beat");
  cRender->add_option("--to", rendered.to, "end position");
  cRender->add_flag("--trim", rendered.trim, "write each ornament at its own length, with a time stamp");
  cRender->add_option("--only", rendered.only, "list of row and ornament ids");
  cRender->add_option("--threads", rendered.threads, "number of threads")
      ->check(CLI::Range(1, 64))
      ->capture_default_str();
  cRender->callback([this] { status = render(rendered); });

  auto* cShow = app.add_subcommand("show", "list every ornament with its position, levels and overlaps");
  addSong(cShow, shown, true);
  cShow->callback([this] { status = show(shown); });
}

/// What is placed, and where it could be.
void Commands::addPlaces() {
  auto* cPlace = app.add_subcommand("place", "place an ornament with settings that suit the position");
  addSong(cPlace, placed.song, true);
  cPlace->add_option("--kind", placed.kind, "kind of ornament")->required();
  cPlace->add_option("--row", placed.row, "row to place it on: a stem, a bus or mix")->required();
  cPlace->add_option("--start", placed.start, "position in beats (64) or bar:beat (33:1.5)")->required();
  cPlace->add_option("--length", placed.length, "length in beats, a note value, or bars (\"2 bars\")")->required();
  cPlace->add_option("--out", placed.out, "song file to write; without it the ornament is printed");
  cPlace->callback([this] { status = place(placed); });

  auto* cOpenings = app.add_subcommand("openings", "list places that suit an ornament: rests, held notes, hits");
  addSong(cOpenings, opened, true);
  cOpenings->add_option("--row", openingsRow, "only this stem, bus or mix");
  cOpenings->callback([this] { status = openings(opened, openingsRow); });
  auto* cSections = app.add_subcommand("sections", "detect where the sections of the song start");
  addSong(cSections, opened, true);
  cSections->add_option("--out", sectionsOut, "write the song with these sections if it has none");
  cSections->callback([this] { status = sections(opened, sectionsOut); });

  auto* cTempo = app.add_subcommand("tempo", "detect tempo, bar 1 and key of audio files that belong together");
  cTempo->add_option("FILE", heard, "audio files of one song, or a MIDI file")->required();
  cTempo->add_flag("--json", heardJson, "print as JSON");
  cTempo->callback([this] { status = tempo(heard, heardJson); });

  auto* cRows = app.add_subcommand("rows", "list every row and where it plays");
  addSong(cRows, listed, true);
  cRows->callback([this] { status = rows(listed); });
}

/// Ornaments and landings, changed.
void Commands::addEdits() {
  const auto edit = [this](const char* name, const char* what, int (*done)(const EditOptions&)) {
    auto* c = app.add_subcommand(name, what);
    addSong(c, edited.song, false);
    c->add_option("--out", edited.out, "song file to write")->required();
    c->callback([this, done] { status = done(edited); });
    return c;
  };
  auto* cSet = edit("set", "change settings of an ornament", setSettings);
  cSet->add_option("ORNAMENT", edited.id, "id of the ornament")->required();
  cSet->add_option("KEY=VALUE", edited.assignments, "settings; finish.N.KEY of its finish; name, gain_db, seed")
      ->required();
  auto* cBypass = edit("bypass", "bypass ornaments", bypass);
  cBypass->add_option("ORNAMENT", edited.ids, "ids of the ornaments")->required();
  cBypass->add_flag("--off", edited.off, "turn them on again");
  edit("remove", "remove ornaments", removeOrnaments)
      ->add_option("ORNAMENT", edited.ids, "ids of the ornaments")
      ->required();

  auto* cLanding = app.add_subcommand("landing", "add or change a landing or section");
  addSong(cLanding, landed.song, false);
  cLanding->add_option("--out", landed.out, "song file to write")->required();
  auto* landingAt = cLanding->add_option("--at", landed.at, "position in beats or bar:beat");
  cLanding->add_option("--name", landed.name, "name");
  auto* landingId = cLanding->add_option("--id", landed.id, "id of an existing one, to move, rename or remove it");
  cLanding->add_flag("--section", landed.section, "add a section instead of a landing");
  cLanding->add_flag("--remove", landed.remove, "remove it; tied ornaments stay in place")->needs(landingId);
  cLanding->callback([this, landingId, landingAt] {
    if (landingId->count() == 0 && landingAt->count() == 0) throw CLI::RequiredError("--at, or --id");
    status = landing(landed);
  });
}

/// The grid over the stems.
void Commands::addGrid() {
  const auto mapping = [this](const char* name, const char* what, int (*done)(const MapOptions&)) {
    auto* c = app.add_subcommand(name, what);
    addSong(c, mapped.song, false);
    c->add_option("--out", mapped.out, "song file to write")->required();
    c->add_option("--at", mapped.at, "position in beats or bar:beat")->required();
    c->add_flag("--remove", mapped.remove, "remove the entry at this position");
    c->callback([this, done] { status = done(mapped); });
    return c;
  };
  mapping("tempo-entry", "change the tempo from a position on; ornaments keep their beats", tempoEntry)
      ->add_option("--bpm", mapped.bpm, "BPM (quarter notes per minute)")
      ->check(finite)
      ->check(CLI::Range(20.0, 400.0));
  mapping("meter", "change the time signature from a bar on", meter)
      ->add_option("--meter", mapped.meter, "for example 7/8");

  auto* cGrid = app.add_subcommand("grid", "put the song on the detected grid, or on a MIDI file's");
  addSong(cGrid, gridded.song, false);
  cGrid->add_option("--out", gridded.out, "song file to write")->required();
  cGrid->add_option("--midi", gridded.midi, "MIDI file with tempo, time signatures, key and markers");
  cGrid->add_flag("--keep-beats", gridded.keepBeats, "ornaments keep their beats; default: they stay with the audio");
  cGrid->callback([this] { status = grid(gridded); });
}

/// Whole transitions.
void Commands::addRecipes() {
  auto* cRecipes = app.add_subcommand("recipes", "list the recipes: built-in and your own");
  cRecipes->add_option("RECIPE", recipe, "print only this one, as a recipe file");
  cRecipes->add_flag("--json", recipesJson, "print results as JSON");
  cRecipes->callback([this] { status = recipes(recipe, recipesJson); });
  auto* cApply = app.add_subcommand("apply", "place a recipe into a landing");
  addSong(cApply, applied.song, true);
  cApply->add_option("--recipe", applied.recipe, "name of the recipe, or a file")->required();
  cApply->add_option("--landing", applied.landing, "landing or section of the song")->required();
  cApply->add_option("--out", applied.out, "song file to write")->required();
  cApply->add_option("--density", applied.density, "density: -1 sparser, 1 denser")->check(CLI::Range(-1, 1));
  cApply->add_option("--length", applied.length, "length: -1 half, 1 double")->check(CLI::Range(-1, 1));
  cApply->add_flag("--refit", applied.refit, "replace what the same recipe placed at this landing");
  cApply->callback([this] { status = apply(applied); });
}

/// What needs no song.
void Commands::addPlain() {
  auto* cTimes = app.add_subcommand("times", "list every note value in milliseconds");
  cTimes->add_option("--bpm", bpm, "tempo in BPM")->required()->check(finite)->check(CLI::Range(20.0, 400.0));
  cTimes->add_flag("--json", json, "print results as JSON");
  cTimes->callback([this] { status = times(bpm, json); });

  auto* cMeasure = app.add_subcommand("measure", "measure loudness, peaks and low-frequency energy of audio files");
  cMeasure->add_option("FILE", files, "audio files")->required();
  cMeasure->add_flag("--json", json, "print results as JSON");
  cMeasure->callback([this] { status = measure(files, json); });

  auto* cKinds = app.add_subcommand("kinds", "list every kind of ornament with its settings");
  cKinds->add_option("KIND", kind, "only this kind");
  cKinds->add_flag("--json", json, "print results as JSON");
  cKinds->add_flag("--markdown", markdown, "print as Markdown, for the format page");
  cKinds->callback([this] {
    status = kinds(kind, markdown ? KindsAs::markdown : json ? KindsAs::json : KindsAs::text);
  });
}

int Commands::run(int argc, char** argv) {
  // CLI11 would only say that a subcommand is missing.
  if (argc > 1 && argv[1][0] != '-') {
    std::vector<std::string> names;
    for (const auto* s : app.get_subcommands({})) names.push_back(s->get_name());
    if (std::find(names.begin(), names.end(), argv[1]) == names.end()) {
      std::cerr << "ivrin-cli: there is no command \"" << argv[1] << "\"" << ivrin::didYouMean(argv[1], names)
                << "; --help lists them\n";
      return 2;
    }
  }
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    return app.exit(e) == 0 ? 0 : 2;
  } catch (const std::exception& e) {
    std::cerr << "ivrin-cli: " << ivrin::inWords(e) << '\n';
    return 1;
  }
  return status;
}

} // namespace

int main(int argc, char** argv) {
  // Results go out under a number of their own: what a library prints must not get between them.
  const int results = ::dup(STDOUT_FILENO);
  std::optional<__gnu_cxx::stdio_filebuf<char>> out;
  if (results >= 0 && ::dup2(STDERR_FILENO, STDOUT_FILENO) >= 0) {
    out.emplace(results, std::ios::out);
    std::cout.rdbuf(&*out);
  }
  // A limit on the size of files is an error that is told, not an end.
  std::signal(SIGXFSZ, SIG_IGN);
  // What files say never steers the terminal.
  ivrin::PlainStream plainOut(std::cout.rdbuf()), plainErr(std::cerr.rdbuf());
  std::streambuf* const err = std::cerr.rdbuf(&plainErr);
  std::cout.rdbuf(&plainOut);
  const int status = Commands().run(argc, argv);
  std::cout.flush();
  const bool written = static_cast<bool>(std::cout);
  std::cout.rdbuf(nullptr);
  std::cerr.rdbuf(err);
  if (written) return status;
  std::cerr << "ivrin-cli: the output cannot be written\n"; // a full disk behind a redirection, or a closed one
  return 1;
}
