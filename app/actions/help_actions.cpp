#include "app/actions/help_actions.h"

#include "app/actions/keys_page.h"
#include "app/theme/paper_dialog.h"

#include <QApplication>

namespace ivrin::app {

void HelpActions::addActions(const QString& menu) {
  actions_->add({"keys",
                 menu,
                 tr("&Keyboard shortcuts"),
                 tr("Lists all keyboard shortcuts."),
                 {QKeySequence::HelpContents},
                 [this] { showKeys(); }});
  actions_->add({"about", menu, tr("&About Ivrin"), {}, {}, [this] { about(); }});
}

void HelpActions::showKeys() {
  auto* page = window_->findChild<KeysPage*>();
  if (!page) {
    page = new KeysPage(*actions_, window_);
    page->setAttribute(Qt::WA_DeleteOnClose);
  }
  page->show();
  page->raise();
  page->activateWindow();
  page->search().setFocus();
}

void HelpActions::about() {
  tell(window_, tr("About Ivrin"),
       tr("<h3>Ivrin %1</h3><p>Transitions and ear candy from the stems of a song, on the beat grid.</p>"
          "<p>Free software under the GPL, version 3 or later. EB Garamond and Cabin are open fonts under "
          "the SIL Open Font License.</p>")
           .arg(QApplication::applicationVersion()));
}

} // namespace ivrin::app
