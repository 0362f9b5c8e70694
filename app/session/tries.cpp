#include "app/session/tries.h"

#include "app/words/ornament_look.h"
#include "song/edits.h"

namespace ivrin::app {
namespace {

const std::string kMergeKey = "tries-"; // of what was tried; all else was set by hand

} // namespace

Tries::Tries(Session& session)
    : session_(session) {
  // Whatever else changes the ornament, or chooses another, keeps what is heard.
  connect(&session_, &Session::songChanged, this, [this] {
    if (!running() || editing_) return;
    const Ornament* o = session_.song().ornament(before_.id);
    if (!o || session_.chosen() != before_.id || !(*o == tries_[static_cast<std::size_t>(heard_)]))
      end();
    else
      session_.endHearing(); // what else was edited is kept, with the try
  });
}

void Tries::begin() {
  const Ornament* o = session_.song().ornament(session_.chosen());
  if (!o) return;
  if (running() && before_.id == o->id) {
    ++round_;
  } else {
    session_.settle();
    session_.beginHearing();
    before_ = *o;
    round_ = 0;
  }
  tries_ = fourTries(*allKinds().find(before_.kind), before_, session_.plan()->map(), round_,
                     session_.history().settingsChanged(before_.id, kMergeKey));
  hear(0);
}

void Tries::hear(int which) {
  if (!running() || which < 0 || which >= kTries) return;
  heard_ = which;
  editing_ = true;
  session_.edit(tr("idea for %1").arg(kindWord(before_.kind)),
                withOrnamentReplaced(session_.song(), tries_[static_cast<std::size_t>(which)]), kMergeKey + before_.id);
  editing_ = false;
  emit changed();
  emit heardAnother();
}

void Tries::keep() {
  if (!running()) return;
  session_.settle();
  end();
}

void Tries::none() {
  if (!running()) return;
  editing_ = true;
  session_.settle();
  if (const Ornament* o = session_.song().ornament(before_.id); o && !(*o == before_)) session_.undo();
  editing_ = false;
  end();
}

void Tries::end() {
  session_.endHearing();
  before_ = Ornament();
  emit changed();
}

} // namespace ivrin::app
