#include "app/actions/help_actions.h"

#include "app/actions/keys_page.h"
#include "app/lines/measure_line.h"
#include "app/theme/palette.h"
#include "app/theme/paper_dialog.h"

#include <QApplication>
#include <QLocale>

namespace ivrin::app {

void HelpActions::addActions(const QString& menu) {
  actions_->add({"keys",
                 menu,
                 tr("&Keyboard shortcuts"),
                 tr("Lists all keyboard shortcuts."),
                 {QKeySequence::HelpContents},
                 [this] { showKeys(); }});
  actions_->add({"messages",
                 menu,
                 tr("&Messages"),
                 tr("Lists the last messages."),
                 {QKeySequence(Qt::CTRL | Qt::Key_F8)},
                 [this] { showMessages(); }});
  QObject::connect(measure_, &MeasureLine::messagesRequested, window_, [this] { showMessages(); });
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

void HelpActions::showMessages() {
  QString rows;
  for (const MeasureLine::Message& m : measure_->messages())
    rows += QStringLiteral("<tr><td style='padding-right:14px; color:%3'>%1</td><td style='color:%4'>%2</td></tr>")
                .arg(QLocale().toString(m.at, QLocale::ShortFormat), m.text.toHtmlEscaped(), paper().quiet.name(),
                     (m.isError ? paper().warning : paper().ink).name());
  tell(window_, tr("Messages"),
       rows.isEmpty() ? tr("There are no messages yet.") : QStringLiteral("<table cellpadding=3>%1</table>").arg(rows));
}

void HelpActions::about() {
  tell(window_, tr("About Ivrin"),
       tr("<h3>Ivrin %1</h3><p>Transitions and ear candy from the stems of a song, on the beat grid.</p>"
          "<p>Free software under the GPL, version 3 or later. EB Garamond and Cabin are open fonts under "
          "the SIL Open Font License.</p>")
           .arg(QApplication::applicationVersion()));
}

} // namespace ivrin::app
