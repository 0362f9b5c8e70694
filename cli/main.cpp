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
  c->add_option("SONG", o.song, "the song file")->required();
  c->add_option("--reach", o.reach, "a further folder that the song may read audio from");
  if (json) c->add_flag("--json", o.json, "results as JSON");
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

  CLI::App app{"Ivrin's workbench without a window: stems, ornaments on the beat grid, prints."};
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
  auto* cNew = app.add_subcommand("new", "a song from audio files");
  cNew->add_option("--out", fresh.out, "the song file to write")->required();
  cNew->add_option("--bpm", fresh.bpm, "tempo in quarter notes per minute; found from the files by default")
      ->check(finite)
      ->check(CLI::Range(20.0, 400.0));
  cNew->add_option("--sample-rate", fresh.sampleRate, "of the song; the commonest of the files by default")
      ->check(CLI::Range(8000, 192000));
  cNew->add_option("FILE", fresh.files, "audio files, one stem each; a MIDI file among them gives the grid")
      ->required();
  cNew->callback([this] { status = newSong(fresh); });

  auto* cCheck = app.add_subcommand("check", "reads everything and lists every problem");
  addSong(cCheck, checked, true);
  cCheck->callback([this] { status = check(checked); });

  auto* cRender = app.add_subcommand("render", "writes the song's audio");
  addSong(cRender, rendered.song, false);
  cRender->add_option("--out", rendered.out, "the folder to write to")->required();
  cRender->add_option("--what", rendered.what, "a list of mix, stems, dry, wet, ornaments")->capture_default_str();
  cRender->add_option("--format", rendered.format, "wav16, wav24, wav32f, flac16, flac24")->capture_default_str();
  cRender->add_option("--from", rendered.from, "start there: beats, or bar:beat");
  cRender->add_option("--to", rendered.to, "end there");
  cRender->add_flag("--trim", rendered.trim, "files of ornaments hold the print alone, and say where it lies");
  cRender->add_option("--only", rendered.only, "a list of row and ornament ids");
  cRender->add_option("--threads", rendered.threads, "threads to compute with")
      ->check(CLI::Range(1, 64))
      ->capture_default_str();
  cRender->callback([this] { status = render(rendered); });

  auto* cShow = app.add_subcommand("show", "every ornament with its place, levels and what it meets");
  addSong(cShow, shown, true);
  cShow->callback([this] { status = show(shown); });
}

/// What is placed, and where it could be.
void Commands::addPlaces() {
  auto* cPlace = app.add_subcommand("place", "places an ornament with settings that fit");
  addSong(cPlace, placed.song, true);
  cPlace->add_option("--kind", placed.kind, "the kind of ornament")->required();
  cPlace->add_option("--row", placed.row, "a stem, a bus, or mix")->required();
  cPlace->add_option("--start", placed.start, "in beats, or bar:beat as in 33:1.5")->required();
  cPlace->add_option("--length", placed.length, "in beats, a note value, or bars as in \"2 bars\"")->required();
  cPlace->add_option("--out", placed.out, "the song to write; without it the ornament is printed");
  cPlace->callback([this] { status = place(placed); });

  auto* cOpenings = app.add_subcommand("openings", "places where an ornament wants to be: gaps, held notes, hits");
  addSong(cOpenings, opened, true);
  cOpenings->add_option("--row", openingsRow, "only this stem, bus or mix");
  cOpenings->callback([this] { status = openings(opened, openingsRow); });
  auto* cSections = app.add_subcommand("sections", "where the parts of the song begin, as they are heard");
  addSong(cSections, opened, true);
  cSections->add_option("--out", sectionsOut, "writes the song with them, where it has none of its own");
  cSections->callback([this] { status = sections(opened, sectionsOut); });

  auto* cTempo = app.add_subcommand("tempo", "tempo, bar 1 and key of audio files that belong together");
  cTempo->add_option("FILE", heard, "audio files of one song, or a MIDI file")->required();
  cTempo->add_flag("--json", heardJson, "as JSON");
  cTempo->callback([this] { status = tempo(heard, heardJson); });

  auto* cRows = app.add_subcommand("rows", "every row with where it sounds");
  addSong(cRows, listed, true);
  cRows->callback([this] { status = rows(listed); });
}

/// Ornaments and landings, changed.
void Commands::addEdits() {
  const auto edit = [this](const char* name, const char* what, int (*done)(const EditOptions&)) {
    auto* c = app.add_subcommand(name, what);
    addSong(c, edited.song, false);
    c->add_option("--out", edited.out, "the song to write")->required();
    c->callback([this, done] { status = done(edited); });
    return c;
  };
  auto* cSet = edit("set", "changes settings of an ornament", setSettings);
  cSet->add_option("ORNAMENT", edited.id, "its id")->required();
  cSet->add_option("KEY=VALUE", edited.assignments, "settings; finish.N.KEY of its finish; name, gain_db, seed")
      ->required();
  auto* cBypass = edit("bypass", "bypasses ornaments", bypass);
  cBypass->add_option("ORNAMENT", edited.ids, "their ids")->required();
  cBypass->add_flag("--off", edited.off, "lets them sound again");
  edit("remove", "removes ornaments", removeOrnaments)->add_option("ORNAMENT", edited.ids, "their ids")->required();

  auto* cLanding = app.add_subcommand("landing", "adds a landing or a section, or changes one");
  addSong(cLanding, landed.song, false);
  cLanding->add_option("--out", landed.out, "the song to write")->required();
  auto* landingAt = cLanding->add_option("--at", landed.at, "in beats, or bar:beat");
  cLanding->add_option("--name", landed.name, "its name");
  auto* landingId = cLanding->add_option("--id", landed.id, "of one that is there: it is moved, named or removed");
  cLanding->add_flag("--section", landed.section, "a section is added");
  cLanding->add_flag("--remove", landed.remove, "it goes; what was tied to it stays")->needs(landingId);
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
    c->add_option("--out", mapped.out, "the song to write")->required();
    c->add_option("--at", mapped.at, "in beats, or bar:beat")->required();
    c->add_flag("--remove", mapped.remove, "the entry there goes");
    c->callback([this, done] { status = done(mapped); });
    return c;
  };
  mapping("tempo-entry", "a tempo from a place on; ornaments keep their beats", tempoEntry)
      ->add_option("--bpm", mapped.bpm, "quarter notes per minute")
      ->check(finite)
      ->check(CLI::Range(20.0, 400.0));
  mapping("meter", "a meter from a bar line on", meter)->add_option("--meter", mapped.meter, "as in 7/8");

  auto* cGrid = app.add_subcommand("grid", "the song on the grid that is heard, or a MIDI file's");
  addSong(cGrid, gridded.song, false);
  cGrid->add_option("--out", gridded.out, "the song to write")->required();
  cGrid->add_option("--midi", gridded.midi, "a Standard MIDI File: its tempi, meters, key and markers");
  cGrid->add_flag("--keep-beats", gridded.keepBeats, "what is placed keeps its beats; else it stays on the sound");
  cGrid->callback([this] { status = grid(gridded); });
}

/// Whole transitions.
void Commands::addRecipes() {
  auto* cRecipes = app.add_subcommand("recipes", "whole transitions that ship, and your own");
  cRecipes->add_option("RECIPE", recipe, "only this one, as its file is");
  cRecipes->add_flag("--json", recipesJson, "results as JSON");
  cRecipes->callback([this] { status = recipes(recipe, recipesJson); });
  auto* cApply = app.add_subcommand("apply", "places a whole transition into a landing");
  addSong(cApply, applied.song, true);
  cApply->add_option("--recipe", applied.recipe, "its name, or a file")->required();
  cApply->add_option("--landing", applied.landing, "a section or landing of the song")->required();
  cApply->add_option("--out", applied.out, "the song to write")->required();
  cApply->add_option("--density", applied.density, "-1 sparser, 1 denser")->check(CLI::Range(-1, 1));
  cApply->add_option("--length", applied.length, "-1 half as long, 1 twice")->check(CLI::Range(-1, 1));
  cApply->add_flag("--refit", applied.refit, "in the place of what the same recipe left at the landing");
  cApply->callback([this] { status = apply(applied); });
}

/// What needs no song.
void Commands::addPlain() {
  auto* cTimes = app.add_subcommand("times", "every note value in milliseconds");
  cTimes->add_option("--bpm", bpm, "tempo in quarter notes per minute")
      ->required()
      ->check(finite)
      ->check(CLI::Range(20.0, 400.0));
  cTimes->add_flag("--json", json, "results as JSON");
  cTimes->callback([this] { status = times(bpm, json); });

  auto* cMeasure = app.add_subcommand("measure", "loudness, peaks and energy in the lows of audio files");
  cMeasure->add_option("FILE", files, "audio files")->required();
  cMeasure->add_flag("--json", json, "results as JSON");
  cMeasure->callback([this] { status = measure(files, json); });

  auto* cKinds = app.add_subcommand("kinds", "every kind of ornament with its settings");
  cKinds->add_option("KIND", kind, "only this one");
  cKinds->add_flag("--json", json, "results as JSON");
  cKinds->add_flag("--markdown", markdown, "as the format page of the docs");
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
