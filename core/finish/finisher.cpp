#include "finish/finisher.h"

namespace ivrin {

const std::vector<const Finisher*>& allFinishers() {
  static const std::vector<const Finisher*> all = {
      &filterFinisher(),     &toneFinisher(),    &dirtFinisher(),   &reverbFinisher(),
      &echoFinisher(),       &widthFinisher(),   &panFinisher(),    &gainFinisher(),
      &compressorFinisher(), &duckFinisher(),    &phaserFinisher(), &chorusFinisher(),
      &tremoloFinisher(),    &limiterFinisher(), &levelFinisher(),  &harmonyFinisher()};
  return all;
}

const Finisher* findFinisher(const std::string& type) {
  for (const Finisher* f : allFinishers())
    if (f->table().id == type) return f;
  return nullptr;
}

} // namespace ivrin
