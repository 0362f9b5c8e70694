#include "app/openrow/in_hand_words.h"

#include "app/openrow/curve_lane.h"
#include "app/openrow/finish_line.h"
#include "app/openrow/number_field.h"
#include "app/words/as_text.h"
#include "song/settings/setting_text.h"
#include "song/settings/setting_type.h"

namespace ivrin::app {
namespace {

QString wordsOf(const NumberField& f) {
  const SettingSpec& spec = f.spec();
  const QString name = capital(asWords(spec.label));
  if (spec.shape == Shape::one && spec.type->turns()) {
    const bool two = spec.initial.boolean() != nullptr;
    return two ? QObject::tr("%1: press Return or click to change it.").arg(name)
               : QObject::tr("%1: press Return or click to open the list; the arrow keys step through it.").arg(name);
  }
  return QObject::tr("%1: type a value, such as %2. The wheel and the arrow keys change it.")
      .arg(name, asText(settingExample(spec)));
}

} // namespace

QString inHandWords(const QWidget* focus) {
  if (const auto* field = qobject_cast<const NumberField*>(focus)) return wordsOf(*field);
  if (const auto* field = focus ? qobject_cast<const NumberField*>(focus->parentWidget()) : nullptr)
    return wordsOf(*field); // being typed into
  if (qobject_cast<const FinishLine*>(focus))
    return QObject::tr("Finish: Left and Right choose a processor, Return opens it, Ctrl+Left and Ctrl+Right move it, "
                       "Delete removes it.");
  if (const auto* lane = qobject_cast<const CurveLane*>(focus))
    return QObject::tr("%1: Tab chooses a point, the arrow keys move it, Delete removes it.")
        .arg(lane->accessibleName());
  return {};
}

} // namespace ivrin::app
