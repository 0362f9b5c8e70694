#include "app/openrow/curve_target.h"

#include "finish/finisher.h"

#include <algorithm>

namespace ivrin::app {

const TableSpec* CurveTarget::table(const Ornament& o) const {
  if (finish < 0) {
    const Kind* kind = allKinds().find(o.kind);
    return kind ? &kind->table() : nullptr;
  }
  if (finish >= static_cast<int>(o.finish.size())) return nullptr;
  const std::string& type = o.finish[static_cast<std::size_t>(finish)].type;
  const Finisher* f = type == processor ? findFinisher(type) : nullptr;
  return f ? &f->table() : nullptr;
}

const Settings& CurveTarget::settings(const Ornament& o) const {
  return finish < 0 ? o.settings : o.finish[static_cast<std::size_t>(finish)].settings;
}

const SettingSpec* CurveTarget::spec(const Ornament& o) const {
  const TableSpec* t = table(o);
  const SettingSpec* s = t ? t->find(key) : nullptr;
  return s && s->curve ? s : nullptr;
}

Curve CurveTarget::curve(const Ornament& o) const {
  const TableSpec& t = *table(o);
  const SettingSpec& s = *spec(o);
  Value v = settingOr(t, settings(o), key);
  if (v.isNull() && !s.sameAs.empty()) v = settingOr(t, settings(o), s.sameAs);
  if (v.isNull() && s.fromNull) // an open cut: the limit that it stands at
    v = s.fromNull->second >= s.max ? s.fromNull->second : s.fromNull->first;
  return Curve::from(v).value_or(Curve(std::clamp(0.0, s.min, s.max)));
}

Ornament CurveTarget::with(Ornament o, Value v) const {
  (finish < 0 ? o.settings : o.finish[static_cast<std::size_t>(finish)].settings)[key] = std::move(v);
  return o;
}

} // namespace ivrin::app
