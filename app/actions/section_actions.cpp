#include "app/actions/section_actions.h"

#include "app/session/section_marks.h"

namespace ivrin::app {
SectionActions::SectionActions(const Desk& desk)
    : ActionGroup(desk) {
  connect(&session_.findings(), &SongFindings::sectionsProposed, this, [this] {
    score_->update();
    tellSections();
  });
}

void SectionActions::addActions(const QString& menu) {
  actions_->add({"sections",
                 menu,
                 tr("Propose sect&ions"),
                 tr("Where the parts of the song are heard to start, dotted; again: takes them all"),
                 {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_F)},
                 [this] { proposeOrTake(); },
                 false,
                 true});
}

void SectionActions::proposeOrTake() {
  if (!session_.isOpen()) return;
  if (const int taken = takeProposed(session_); taken > 0) {
    measure_->say(tr("%n section(s) taken; F2 names the one that bars are counted to.", nullptr, taken), false);
    return;
  }
  wanted_ = true;
  measure_->say(tr("Listening for sections …"), false);
  session_.findings().lookForSections();
}

void SectionActions::tellSections() {
  const int count = static_cast<int>(session_.findings().proposedSections().size());
  const bool byHand = std::exchange(wanted_, false);
  if (count > 0) {
    const QString text = tr("%n section(s) proposed, dotted: a click takes one, %1 all of them.", nullptr, count)
                             .arg(action("sections")->shortcut().toString(QKeySequence::NativeText));
    // Of a new song, after what was found of its grid.
    measure_->say(byHand ? text : QStringLiteral("%1 %2").arg(measure_->said(), text).trimmed(), false);
  } else if (byHand) {
    measure_->say(session_.song().sections.empty() ? tr("No parts of the song can be told apart.")
                                                   : tr("No section is heard that is not there already."),
                  false);
  }
}

bool SectionActions::letProposedGo() {
  if (session_.findings().proposedSections().empty()) return false;
  session_.findings().letSectionsGo();
  return true;
}

} // namespace ivrin::app
