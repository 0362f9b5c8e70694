#include "app/actions/place_actions.h"

#include "app/lines/form_line.h"
#include "app/session/landing_edits.h"
#include "app/words/as_text.h"

namespace ivrin::app {
PlaceActions::PlaceActions(const Desk& desk, FormLine& form)
    : ActionGroup(desk)
    , form_(&form) {}

void PlaceActions::addActions(const QString& menu) {
  const auto add = [this](const ActionSpec& s) { return actions_->add(s); };
  for (const Kind* k : allKinds().all()) {
    const QString id = QString::fromStdString(k->table().id), key = QString::fromStdString(k->table().key);
    QString name = asWords(k->table().name);
    const auto letter = name.indexOf(key, 0, Qt::CaseInsensitive); // in the menu too, where the name has it
    add({"place-" + id,
         menu,
         letter < 0 ? name : name.insert(letter, '&'),
         asWords(k->table().meaning),
         {K(key)},
         [this, id] { score_->placeOnSelection(id); }});
  }
  add({"newLanding",
       menu,
       tr("New &landing here"),
       tr("Sets a landing at the playhead while playing, otherwise at the cursor."),
       {K(Qt::Key_M)},
       [this] { form_->rename(addLanding(session_, here(), false, tr("landing"))); },
       false,
       true});
  add({"newSection",
       menu,
       tr("New &section here"),
       tr("Starts a section at the playhead's bar while playing, otherwise at the cursor's bar."),
       {K(Qt::SHIFT | Qt::Key_M)},
       [this] {
         form_->rename(addLanding(session_, landingPlace(session_, here(), false, {}), true, tr("Section")));
       }});
  add({"rename", menu, tr("Re&name landing…"), tr("Renames the current landing."), {K(Qt::Key_F2)}, [this] {
         if (score_->landing()) form_->rename(score_->landing()->id);
       }});
  add({"landingEarlier",
       menu,
       tr("Move landing a bar earlier"),
       tr("Moves the landing and everything tied to it."),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_PageUp)},
       [this] { form_->nudge(-1); }});
  add({"landingLater",
       menu,
       tr("Move landing a bar later"),
       tr("Moves the landing and everything tied to it."),
       {K(Qt::CTRL | Qt::SHIFT | Qt::Key_PageDown)},
       [this] { form_->nudge(1); }});
  add({"removeLanding",
       menu,
       tr("&Remove landing"),
       tr("Ornaments tied to it stay where they are."),
       {K(Qt::CTRL | Qt::Key_Delete)},
       [this] {
         if (score_->landing()) removeLanding(session_, std::string(score_->landing()->id));
       }});
}

} // namespace ivrin::app
