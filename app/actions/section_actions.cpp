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
                 tr("Detect sect&ions"),
                 tr("Marks with dotted lines where sections seem to start. Press again to accept all."),
                 {QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_F)},
                 [this] { proposeOrTake(); },
                 false,
                 true});
}

void SectionActions::proposeOrTake() {
  if (!session_.isOpen()) return;
  if (const int taken = takeProposed(session_); taken > 0) {
    measure_->say(tr("%n section(s) accepted. F2 renames the current one.", nullptr, taken), false);
    return;
  }
  wanted_ = true;
  measure_->say(tr("Detecting sections…"), false);
  session_.findings().lookForSections();
}

void SectionActions::tellSections() {
  const int count = static_cast<int>(session_.findings().proposedSections().size());
  const bool byHand = std::exchange(wanted_, false);
  if (count > 0) {
    const QString text =
        tr("%n section(s) detected, shown dotted. Click one to accept it; %1 accepts all.", nullptr, count)
            .arg(action("sections")->shortcut().toString(QKeySequence::NativeText));
    // Of a new song, after what was found of its grid.
    measure_->say(byHand ? text : QStringLiteral("%1 %2").arg(measure_->said(), text).trimmed(), false);
  } else if (byHand) {
    measure_->say(session_.song().sections.empty()
                      ? tr("Section detection found no clear sections. Set them with Shift+M.")
                      : tr("Section detection found no new sections."),
                  false);
  }
}

bool SectionActions::letProposedGo() {
  if (session_.findings().proposedSections().empty()) return false;
  session_.findings().letSectionsGo();
  return true;
}

} // namespace ivrin::app
