#include "files/audio_folders.h"
#include "files/json.h"
#include "files/safe_file.h"
#include "files/song_file.h"
#include "files/song_parts.h"
#include "song/each_settings.h"
#include "song/edits.h"
#include "song/legal_ids.h"
#include "song/limits.h"
#include "song/settings/setting_type.h"
#include "words/words.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <set>
#include <unordered_set>

namespace ivrin {
namespace {

/// Reads one object field by field; remembers which names were asked for, so that the rest can be refused.
class Fields {
 public:
  Fields(const Value& v, std::string place, Problems& problems)
      : place_(std::move(place))
      , problems_(problems) {
    object_ = v.object();
    if (!object_) problems_.error(ErrorId::wrong_type, place_, worded("must be an object, not %1", v.typeName()));
  }
  ~Fields() {
    if (!object_) return;
    for (const auto& [name, value] : *object_)
      if (std::find(asked_.begin(), asked_.end(), name) == asked_.end())
        problems_.error(ErrorId::unknown_field, at(name), worded("is not a known field%1", didYouMean(name, asked_)));
  }
  Fields(const Fields&) = delete;
  Fields& operator=(const Fields&) = delete;

  std::string at(const std::string& key) const { return place_.empty() ? key : place_ + "." + key; }

  const Value* find(const std::string& key, bool required = false) {
    asked_.push_back(key);
    if (!object_) return nullptr;
    for (const auto& [name, value] : *object_)
      if (name == key) return &value;
    if (required) problems_.error(ErrorId::missing_field, at(key), worded("is missing"));
    return nullptr;
  }
  void wrongType(const std::string& key, const Value& v, const std::string& wanted) {
    problems_.error(ErrorId::wrong_type, at(key), worded("must be %2, not %1", v.typeName(), wanted));
  }
  double number(const std::string& key, double fallback, double min, double max, bool required = false) {
    const Value* v = find(key, required);
    if (!v) return fallback;
    const double* d = v->number();
    if (!d) {
      wrongType(key, *v, worded("a number"));
      return fallback;
    }
    if (!(*d >= min && *d <= max)) {
      problems_.error(ErrorId::out_of_range, at(key),
                      worded("%1 is out of range, allowed is %2..%3", shortestNumber(*d), shortestNumber(min),
                             shortestNumber(max)));
      return fallback;
    }
    return *d;
  }
  std::int64_t integer(const std::string& key, std::int64_t fallback, double min, double max, bool required = false) {
    const double d = number(key, static_cast<double>(fallback), min, max, required);
    if (d != std::floor(d)) {
      problems_.error(ErrorId::wrong_type, at(key), worded("%1 is not a whole number", shortestNumber(d)));
      return fallback;
    }
    return static_cast<std::int64_t>(d);
  }
  bool boolean(const std::string& key, bool fallback) {
    const Value* v = find(key);
    if (!v) return fallback;
    if (!v->boolean()) {
      wrongType(key, *v, worded("true or false"));
      return fallback;
    }
    return *v->boolean();
  }
  std::string text(const std::string& key, bool required = false) {
    const Value* v = find(key, required);
    if (!v) return {};
    if (!v->text()) {
      wrongType(key, *v, "text");
      return {};
    }
    return *v->text();
  }
  std::optional<std::string> textOrNull(const std::string& key) {
    const Value* v = find(key);
    if (!v || v->isNull()) return std::nullopt;
    if (!v->text()) {
      wrongType(key, *v, worded("text or null"));
      return std::nullopt;
    }
    return *v->text();
  }
  std::string id(bool required = true) {
    std::string s = text("id", required);
    if (object_ && s.empty() && required && find("id"))
      problems_.error(ErrorId::out_of_range, at("id"), worded("must not be empty"));
    return s;
  }
  Beats beats(const std::string& key, double min, double max, bool required) {
    return Beats::ofQuarters(number(key, 0, min, max, required));
  }
  /// Calls `each` for every item of a list.
  void items(const std::string& key, const std::function<void(const Value&, const std::string&)>& each,
             bool required = false) {
    const Value* v = find(key, required);
    if (!v) return;
    if (!v->list()) {
      wrongType(key, *v, worded("a list"));
      return;
    }
    for (std::size_t i = 0; i < v->list()->size(); ++i) each((*v->list())[i], at(key) + "[" + std::to_string(i) + "]");
  }
  Settings settings(const std::string& key) {
    Settings s;
    const Value* v = find(key);
    if (!v) return s;
    if (!v->object()) {
      wrongType(key, *v, worded("an object"));
      return s;
    }
    for (const auto& [name, value] : *v->object()) s[name] = value;
    return s;
  }
  Problems& problems() { return problems_; }

 private:
  const Object* object_ = nullptr;
  std::string place_;
  Problems& problems_;
  std::vector<std::string> asked_;
};

constexpr double kFarBeats = 1e6; // 20 days at 35 BPM; keeps tick arithmetic far from overflow

RowMix readRowMix(Fields& f) {
  RowMix m;
  m.gainDb = f.number("gain_db", 0, -60, 12);
  m.pan = f.number("pan", 0, -1, 1);
  m.mute = f.boolean("mute", false);
  m.solo = f.boolean("solo", false);
  return m;
}

Landing readLanding(const Value& v, const std::string& place, Problems& p) {
  Fields f(v, place, p);
  Landing l;
  l.id = f.id();
  l.at = f.beats("at", -kFarBeats, kFarBeats, true);
  l.name = f.text("name");
  return l;
}

class SongReader {
 public:
  SongReader(const Registry& r, int version, Problems& p)
      : registry_(r)
      , version_(version)
      , problems_(p) {}

  Song read(const Value& root) {
    Song song;
    Fields f(root, "", problems_);
    f.find("format");
    f.find("version");
    song.title = f.text("title");
    song.sampleRate = static_cast<int>(f.integer("sample_rate", 48000, 8000, 192000, true));
    song.startSeconds = f.number("start_seconds", 0, -3600, kLongestSongSeconds);
    song.leadBars = static_cast<int>(f.integer("lead_bars", 0, 0, kMostLeadBars));
    sinceVersion2(f, "lead_bars");
    song.hzLaw = readHzLaw(f);
    if (const Value* k = f.find("key"); k && !k->isNull()) song.key = readKey(*k);
    readTempo(f, song);
    f.items("sections",
            [&](const Value& v, const std::string& at) { song.sections.push_back(readLanding(v, at, problems_)); });
    f.items("landings",
            [&](const Value& v, const std::string& at) { song.landings.push_back(readLanding(v, at, problems_)); });
    f.items("buses", [&](const Value& v, const std::string& at) {
      Fields b(v, at, problems_);
      Bus bus;
      bus.id = b.id();
      bus.name = b.text("name");
      bus.mix = readRowMix(b);
      bus.role = readRole(b, at);
      song.buses.push_back(std::move(bus));
    });
    f.items("stems", [&](const Value& v, const std::string& at) { song.stems.push_back(readStem(v, at)); });
    if (const Value* m = f.find("mix")) {
      Fields x(*m, "mix", problems_);
      song.mix.gainDb = x.number("gain_db", 0, -60, 12);
      song.mix.ceilingDbtp = x.number("ceiling_dbtp", -1, -20, 0);
      song.mix.limiter = x.boolean("limiter", true);
    }
    std::vector<Shared<Ornament>> ornaments;
    f.items("ornaments", [&](const Value& v, const std::string& at) { ornaments.emplace_back(readOrnament(v, at)); });
    song.ornaments = Chunked(ornaments);
    checkIds(song);
    return song;
  }

  Ornament readOrnament(const Value& v, const std::string& place) {
    Fields f(v, place, problems_);
    Ornament o;
    o.id = f.id();
    o.kind = f.text("kind", true);
    o.on = f.text("on", true);
    o.start = f.beats("start", -kFarBeats, kFarBeats, true);
    o.length = f.beats("length", 1.0 / 1024, 65536, true);
    o.name = f.text("name");
    o.enabled = f.boolean("enabled", true);
    o.gainDb = f.number("gain_db", 0, -60, 12);
    o.seed = f.integer("seed", 1, 0, 9007199254740992.0);
    o.landing = f.textOrNull("landing");
    o.recipe = readRecipe(f, place);
    const std::string hears = f.text("hears");
    if (!hears.empty() && hears != "row" && hears != "dry")
      problems_.error(ErrorId::unknown_choice, place + ".hears",
                      worded("“%1” is not one of “row”, “dry”%2", hears, didYouMean(hears, {"row", "dry"})));
    o.hears = hears == "dry" ? Hears::dry : Hears::row;
    if (const Value* s = f.find("source"); s && !s->isNull()) {
      if (const auto* list = s->list()) {
        if (list->empty() || list->size() > 1024)
          problems_.error(ErrorId::out_of_range, place + ".source", worded("must be a list of 1 to 1024 pieces"));
        for (std::size_t i = 0; i < list->size(); ++i)
          o.source.push_back(readPiece((*list)[i], place + ".source[" + std::to_string(i) + "]"));
      } else {
        o.source.push_back(readPiece(*s, place + ".source"));
      }
    }
    if (const Value* slot = f.find("variant")) o.variant = readSlot(*slot, place + ".variant");
    o.settings = f.settings("settings");
    o.finish = readFinish(f, place);
    const TableSpec* table = registry_.kind(o.kind);
    if (!table) {
      std::vector<std::string> names;
      for (const auto& t : registry_.kinds) names.push_back(t.id);
      problems_.error(ErrorId::unknown_kind, place + ".kind",
                      worded("“%1” is not an ornament that this version knows%2", o.kind, didYouMean(o.kind, names)));
    } else {
      if (table->since > version_)
        problems_.error(ErrorId::unknown_kind, place + ".kind", newerThan(table->since, version_));
      checkSettings(*table, o.settings, place + ".settings", problems_, version_);
    }
    std::set<std::string> slots{o.variant};
    f.items("variants", [&](const Value& item, const std::string& at) {
      Fields vf(item, at, problems_);
      Variant variant;
      if (const Value* slot = vf.find("slot", true)) variant.slot = readSlot(*slot, at + ".slot");
      variant.settings = vf.settings("settings");
      variant.finish = readFinish(vf, at);
      variant.gainDb = vf.number("gain_db", 0, -60, 12);
      if (table) checkSettings(*table, variant.settings, at + ".settings", problems_, version_);
      if (!slots.insert(variant.slot).second)
        problems_.error(ErrorId::duplicate_id, at + ".slot", worded("variant “%1” occurs twice", variant.slot));
      o.variants.push_back(std::move(variant));
    });
    return o;
  }

  void checkIds(const Song& song) {
    // What stands in one space of names: in order for suggestions, and to be found.
    struct Names {
      std::vector<std::string> order{};
      std::unordered_set<std::string> all{};
      bool add(const std::string& id) {
        order.push_back(id);
        return all.insert(id).second;
      }
      bool has(const std::string& id) const { return all.contains(id); }
    };
    Names rows, lands, ornaments, busIds;
    rows.add(kMixRow);
    const auto unique = [&](Names& space, const std::string& id, const std::string& place) {
      if (id.empty()) return;
      if (!space.add(id)) problems_.error(ErrorId::duplicate_id, place, worded("the id “%1” is already in use", id));
      if (version_ >= 2 && !isId(id))
        problems_.error(
            ErrorId::out_of_range, place,
            worded("“%1” is not an id: 1 to 64 of A-Z, a-z, 0-9, \".\", \"_\" and \"-\"", id.substr(0, 80)));
    };
    const auto indexed = [](const char* list, std::size_t i) {
      return std::string(list) + "[" + std::to_string(i) + "]";
    };
    for (std::size_t i = 0; i < song.buses.size(); ++i) {
      unique(rows, song.buses[i].id, indexed("buses", i) + ".id");
      busIds.add(song.buses[i].id);
    }
    for (std::size_t i = 0; i < song.stems.size(); ++i) {
      unique(rows, song.stems[i].id, indexed("stems", i) + ".id");
      const auto& bus = song.stems[i].bus;
      if (bus && !busIds.has(*bus))
        problems_.error(ErrorId::dangling_id, indexed("stems", i) + ".bus",
                        worded("there is no bus “%1”%2", *bus, didYouMean(*bus, busIds.order)));
    }
    for (std::size_t i = 0; i < song.sections.size(); ++i)
      unique(lands, song.sections[i].id, indexed("sections", i) + ".id");
    for (std::size_t i = 0; i < song.landings.size(); ++i)
      unique(lands, song.landings[i].id, indexed("landings", i) + ".id");
    const auto knownRow = [&](const std::string& id, const std::string& place) {
      if (!id.empty() && !rows.has(id))
        problems_.error(ErrorId::dangling_id, place, worded("there is no row “%1”%2", id, didYouMean(id, rows.order)));
    };
    for (std::size_t i = 0; i < song.ornaments.size(); ++i) {
      const Ornament& o = *song.ornaments[i];
      const std::string place = indexed("ornaments", i);
      unique(ornaments, o.id, place + ".id");
      knownRow(o.on, place + ".on");
      for (const auto& piece : o.source)
        if (piece.row) knownRow(*piece.row, place + ".source");
      eachSettings(o, [&](const std::string& type, const Settings& settings, const std::string& at) {
        const TableSpec* table = type.empty() ? nullptr : registry_.processor(type);
        for (const auto& [key, value] : settings)
          if (const SettingSpec* spec = table ? table->find(key) : nullptr;
              spec && spec->type->namesRow() && value.text())
            knownRow(*value.text(), place + at + "." + key);
      });
      if (o.recipe && !lands.has(o.recipe->landing))
        problems_.error(ErrorId::dangling_id, place + ".recipe.landing",
                        worded("there is no section or landing “%1”%2", o.recipe->landing,
                               didYouMean(o.recipe->landing, lands.order)));
      if (o.landing && !lands.has(*o.landing))
        problems_.error(
            ErrorId::dangling_id, place + ".landing",
            worded("there is no section or landing “%1”%2", *o.landing, didYouMean(*o.landing, lands.order)));
    }
  }

 private:
  std::optional<Key> readKey(const Value& v) {
    Fields f(v, "key", problems_);
    Key k;
    k.note = static_cast<int>(f.integer("note", 0, 0, 11, true));
    const std::string mode = f.text("mode", true);
    if (!mode.empty() && mode != "minor" && mode != "major")
      problems_.error(ErrorId::unknown_choice, "key.mode",
                      worded("“%1” is not one of \"major\", \"minor\"%2", mode, didYouMean(mode, {"major", "minor"})));
    k.minor = mode == "minor";
    return k;
  }

  void readTempo(Fields& f, Song& song) {
    song.tempo.clear();
    song.meter.clear();
    f.items(
        "tempo",
        [&](const Value& v, const std::string& at) {
          Fields t(v, at, problems_);
          song.tempo.push_back({t.beats("at", 0, kFarBeats, true), t.number("bpm", 120, 20, 400, true)});
          checkAscending(song.tempo, at);
        },
        true);
    f.items(
        "meter",
        [&](const Value& v, const std::string& at) {
          Fields m(v, at, problems_);
          MeterEntry e;
          e.at = m.beats("at", 0, kFarBeats, true);
          e.count = static_cast<int>(m.integer("count", 4, 1, 64, true));
          e.unit = static_cast<int>(m.integer("unit", 4, 1, 64, true));
          if ((e.unit & (e.unit - 1)) != 0) {
            problems_.error(ErrorId::out_of_range, at + ".unit", worded("must be a power of two (1, 2, 4, … 64)"));
            e.unit = 4;
          }
          if (!song.meter.empty() && (e.at - song.meter.back().at).ticks % song.meter.back().barLength().ticks != 0)
            problems_.error(ErrorId::bad_order, at + ".at", worded("a time signature change must be on a bar line"));
          song.meter.push_back(e);
          checkAscending(song.meter, at);
        },
        true);
    if (song.tempo.empty() || song.tempo.front().at.ticks != 0) {
      problems_.error(ErrorId::bad_order, "tempo", worded("must have an entry at 0"));
      song.tempo = {{}};
    }
    if (song.meter.empty() || song.meter.front().at.ticks != 0) {
      problems_.error(ErrorId::bad_order, "meter", worded("must have an entry at 0"));
      song.meter = {{}};
    }
  }

  template <class Entry> void checkAscending(const std::vector<Entry>& list, const std::string& place) {
    if (list.size() > 1 && !(list[list.size() - 2].at < list.back().at))
      problems_.error(ErrorId::bad_order, place + ".at", worded("positions must strictly ascend"));
  }

  void sinceVersion2(Fields& f, const char* key, const std::string& before = {}) {
    if (version_ < 2 && f.find(key)) problems_.error(ErrorId::unknown_field, before + key, newerThan(2, version_));
  }

  CurveLaw readHzLaw(Fields& f) {
    sinceVersion2(f, "hz_law");
    const auto word = f.textOrNull("hz_law");
    if (!word || *word == "linear") return CurveLaw::linear;
    if (*word != "log")
      problems_.error(ErrorId::out_of_range, "hz_law", worded("“%1” is neither \"linear\" nor \"log\"", *word));
    return CurveLaw::log;
  }

  std::optional<RowRole> readRole(Fields& f, const std::string& place) {
    sinceVersion2(f, "role", place + ".");
    const auto word = f.textOrNull("role");
    if (!word) return std::nullopt;
    const auto role = roleOfWord(*word);
    if (!role) {
      std::vector<std::string> names;
      for (const RowRole r : kRowRoles) names.emplace_back(roleWord(r));
      problems_.error(ErrorId::out_of_range, place + ".role",
                      worded("“%1” is not a role%2", *word, didYouMean(*word, names)));
    }
    return role;
  }

  Stem readStem(const Value& v, const std::string& place) {
    Fields f(v, place, problems_);
    Stem s;
    s.id = f.id();
    s.name = f.text("name");
    s.file = f.textOrNull("file");
    if (s.file && s.file->empty())
      problems_.error(ErrorId::out_of_range, place + ".file", worded("must not be empty (null: no file)"));
    s.offsetSeconds = f.number("offset_seconds", 0, -kFarthestOffsetSeconds, kFarthestOffsetSeconds);
    s.mix = readRowMix(f);
    s.bus = f.textOrNull("bus");
    s.role = readRole(f, place);
    s.digest = f.text("digest");
    if (const Value* n = f.find("frames"); n && !n->isNull()) s.frames = f.integer("frames", 0, 0, 9e15);
    return s;
  }

  std::vector<Processor> readFinish(Fields& f, const std::string& place) {
    std::vector<Processor> chain;
    f.items("finish", [&](const Value& v, const std::string& at) {
      Processor p;
      if (!v.object()) {
        problems_.error(ErrorId::wrong_type, at, worded("must be an object, not %1", v.typeName()));
        return;
      }
      for (const auto& [name, value] : *v.object()) {
        if (name == "type" && value.text())
          p.type = *value.text();
        else
          p.settings[name] = value;
      }
      const TableSpec* table = registry_.processor(p.type);
      if (!table) {
        std::vector<std::string> names;
        for (const auto& t : registry_.processors) names.push_back(t.id);
        problems_.error(
            ErrorId::unknown_kind, at + ".type",
            worded("“%1” is not a finish processor that this version knows%2", p.type, didYouMean(p.type, names)));
      } else {
        if (table->since > version_)
          problems_.error(ErrorId::unknown_kind, at + ".type", newerThan(table->since, version_));
        checkSettings(*table, p.settings, at, problems_, version_);
      }
      chain.push_back(std::move(p));
    });
    if (chain.size() > 64)
      problems_.error(ErrorId::out_of_range, place + ".finish", worded("has more than 64 processors"));
    return chain;
  }

  SourcePiece readPiece(const Value& v, const std::string& place) {
    Fields f(v, place, problems_);
    SourcePiece p;
    p.row = f.textOrNull("row");
    p.start = f.beats("start", -kFarBeats, kFarBeats, true);
    p.length = f.beats("length", 1.0 / 1024, kFarBeats, true);
    p.sendDb = f.number("send_db", 0, -60, 12);
    return p;
  }

  std::optional<RecipeOrigin> readRecipe(Fields& f, const std::string& place) {
    const Value* v = f.find("recipe");
    if (!v) return std::nullopt;
    sinceVersion2(f, "recipe", place + ".");
    if (v->isNull()) return std::nullopt;
    Fields r(*v, place + ".recipe", problems_);
    RecipeOrigin origin;
    origin.name = r.text("name", true);
    origin.landing = r.text("landing", true);
    if (const Value* options = r.find("options")) {
      Fields o(*options, place + ".recipe.options", problems_);
      origin.density = static_cast<int>(o.integer("density", 0, -1, 1));
      origin.length = static_cast<int>(o.integer("length", 0, -1, 1));
    }
    return origin;
  }

  std::string readSlot(const Value& v, const std::string& place) {
    const std::string* s = v.text();
    if (s && s->size() == 1 && (*s)[0] >= 'A' && (*s)[0] <= 'D') return *s;
    problems_.error(ErrorId::unknown_choice, place, worded("is not one of “A”, “B”, “C”, “D”"));
    return "A";
  }

  const Registry& registry_;
  const int version_;
  Problems& problems_;
};

std::optional<Song> readWhole(std::string_view text, const Registry& registry, Problems& problems) {
  const auto root = parseJson(text, problems);
  if (!root) return std::nullopt;
  const Value* format = nullptr;
  const Value* version = nullptr;
  if (const auto* o = root->object())
    for (const auto& [name, value] : *o) {
      if (name == "format") format = &value;
      if (name == "version") version = &value;
    }
  if (!format || !format->text() || *format->text() != "ivrin-song") {
    problems.error(ErrorId::not_a_song, "format",
                   worded("this is not an Ivrin song (\"format\" must be \"ivrin-song\")"));
    return std::nullopt;
  }
  if (!version || !version->number()) {
    problems.error(ErrorId::missing_field, "version", worded("is missing or not a number"));
    return std::nullopt;
  }
  if (*version->number() > kSongVersion) {
    problems.error(ErrorId::newer_version, "version",
                   worded("was written by a newer version of Ivrin (song version %1; this one reads up to %2)",
                          shortestNumber(*version->number()), kSongVersion));
    return std::nullopt;
  }
  if (*version->number() < 1 || *version->number() != std::floor(*version->number())) {
    problems.error(ErrorId::out_of_range, "version", worded("must be 1 to %1", kSongVersion));
    return std::nullopt;
  }
  Song song = SongReader(registry, static_cast<int>(*version->number()), problems).read(*root);
  if (problems.hasErrors()) return std::nullopt;
  checkLimits(song, problems); // the tempo is known to be in order by now
  if (problems.hasErrors()) return std::nullopt;
  // Before version 2 an id could be anything; files are named by ids.
  return withLegalIds(std::move(song), registry,
                      [&](const std::string& place, const std::string& was, const std::string& is) {
                        problems.note(ErrorId::out_of_range, place,
                                      worded("“%1” cannot be an id and was changed to “%2”", was.substr(0, 80), is));
                      });
}

} // namespace

Ornament readOrnament(const Value& v, const Registry& registry, const std::string& place, Problems& problems) {
  return SongReader(registry, kSongVersion, problems).readOrnament(v, place);
}

void checkIds(const Song& song, const Registry& registry, Problems& problems) {
  SongReader(registry, kSongVersion, problems).checkIds(song);
}

std::optional<Song> readSong(std::string_view text, const Registry& registry, Problems& problems) {
  Problems own;
  auto song = readWhole(text, registry, own);
  problems.append(std::move(own));
  return song;
}

std::optional<Song> readSongFile(const std::filesystem::path& file, const Registry& registry, Problems& problems,
                                 std::string* itsText) {
  std::string why;
  const auto text = readWholeFile(file, kMaxSongBytes, why);
  if (!text) {
    problems.error(ErrorId::unreadable, "", why);
    return std::nullopt;
  }
  if (itsText) *itsText = *text;
  auto song = readSong(*text, registry, problems);
  if (!song) return std::nullopt;
  const std::filesystem::path folder = plainPath(file).parent_path();
  return withPaths(std::move(*song), [&](const std::string& path) { return absolutePath(path, folder); });
}

} // namespace ivrin
