#include "ornaments/kind.h"

#include "finish/finisher.h"

namespace ivrin {

const Kind* KindSet::find(const std::string& id) const {
  for (const Kind* k : kinds_)
    if (k->table().id == id) return k;
  return nullptr;
}

Registry KindSet::registry() const {
  Registry r;
  for (const Kind* k : kinds_) r.kinds.push_back(k->table());
  for (const Finisher* f : allFinishers()) r.processors.push_back(f->table());
  return r;
}

} // namespace ivrin
