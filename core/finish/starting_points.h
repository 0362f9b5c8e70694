// Chains to begin from: the ones that ship, and the user's own as open JSON files, one each:
//   {"format": "ivrin-starting-point", "version": 1, "name": "thin and narrow", "kinds": ["delay-throw"],
//    "finish": [{"type": "filter", "low_cut_hz": 400}]}
// `kinds` empty: it suits every kind.
#pragma once

#include "song/settings/setting_spec.h"
#include "song/song.h"

#include <filesystem>
#include <string>
#include <vector>

namespace ivrin {

struct StartingPoint {
  std::string name;
  std::vector<std::string> kinds;
  std::vector<Processor> finish;
  bool suits(const std::string& kind) const;
  friend bool operator==(const StartingPoint&, const StartingPoint&) = default;
};

/// A list of up to 64 processors, each an object of its type and settings; what is wrong is named from `place` on.
std::vector<Processor> readChain(const Value& list, const std::string& place, const Registry& registry,
                                 Problems& problems);
List chainList(const std::vector<Processor>& chain);

/// The files in core/finish/starting_points, in the order of their names.
std::vector<StartingPoint> shippedStartingPoints(const Registry& registry);
/// The text of a file. Nothing, with problems that name the field, if it is not one.
std::optional<StartingPoint> readStartingPoint(std::string_view text, const Registry& registry, Problems& problems);
std::string writeStartingPoint(const StartingPoint& point);
/// All files of a folder in the order of their names; what cannot be read is an error that names the file.
std::vector<StartingPoint> startingPointsIn(const std::filesystem::path& folder, const Registry& registry,
                                            Problems& problems);
/// Writes FOLDER/NAME.json, made if need be; a point of the same name is replaced. False, with `why`.
bool keepStartingPoint(const std::filesystem::path& folder, const StartingPoint& point, std::string& why);

} // namespace ivrin
