#include "app/actions/keys_page.h"

#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <QScreen>
#include <QVBoxLayout>

#include <algorithm>

namespace ivrin::app {

KeysPage::KeysPage(const ActionRegistry& actions, QWidget* parent)
    : QDialog(parent)
    , groups_(keyList(actions, true))
    , search_(new QLineEdit(this))
    , page_(new QTextBrowser(this)) {
  setWindowTitle(tr("Keys"));
  setObjectName(QStringLiteral("keysPage"));
  search_->setPlaceholderText(tr("Search"));
  search_->setAccessibleName(tr("Search keys"));
  search_->setClearButtonEnabled(true);
  page_->setFrameShape(QFrame::NoFrame);
  page_->setAccessibleName(tr("All keys"));
  auto* all = new QVBoxLayout(this);
  all->addWidget(search_);
  all->addWidget(page_);
  const Palette& c = paper();
  setStyleSheet(
      QStringLiteral("QDialog, QTextBrowser { background: %1; color: %2 } QLineEdit { background: %3; color: %2; "
                     "border: 1px solid %4; padding: 4px }")
          .arg(c.paper.name(), c.ink.name(), c.card.name(), c.barRule.name()));
  search_->setFont(sans(14));
  connect(search_, &QLineEdit::textChanged, this, &KeysPage::fill);
  const QSize room = screen()->availableSize();
  resize(std::min(scaled(880), room.width() - 80), std::min(scaled(640), room.height() - 120));
}

/// Laid out once, when it is known how wide it is: that takes as long as all else together.
void KeysPage::showEvent(QShowEvent* e) {
  if (page_->document()->isEmpty()) fill();
  QDialog::showEvent(e);
}

void KeysPage::fill() {
  const QString wanted = search_->text().trimmed();
  const Palette& c = paper();
  std::vector<std::pair<std::size_t, QString>> blocks; // lines, and how they read
  std::size_t lines = 0;
  for (const KeyGroup& g : groups_) {
    QString rows;
    std::size_t n = 0;
    const bool whole = g.title.contains(wanted, Qt::CaseInsensitive);
    for (const KeyLine& l : g.lines) {
      if (!whole && !l.words.contains(wanted, Qt::CaseInsensitive) && !l.keys.contains(wanted, Qt::CaseInsensitive))
        continue;
      rows += QStringLiteral("<tr><td style='padding-right:14px; color:%3' width='38%'>%1</td><td>%2</td></tr>")
                  .arg(l.keys.toHtmlEscaped(), l.words.toHtmlEscaped(), c.ink.name());
      ++n;
    }
    if (n == 0) continue;
    blocks.emplace_back(n + 2,
                        QStringLiteral("<p style='font-family:\"EB Garamond\"; font-size:%3px; margin:10px 0 3px 0'>"
                                       "<i>%1</i></p><table width='100%' cellspacing=0 cellpadding=2>%2</table>")
                            .arg(g.title.toHtmlEscaped(), rows)
                            .arg(scaled(18)));
    lines += n + 2;
  }
  QString left, right;
  std::size_t done = 0;
  for (const auto& [n, block] : blocks) {
    (done * 2 < lines ? left : right) += block;
    done += n;
  }
  page_->setHtml(
      blocks.empty()
          ? QStringLiteral("<p style='color:%2'>%1</p>").arg(tr("Nothing has that name or key."), c.quiet.name())
          : QStringLiteral("<table width='100%' style='font-size:%3px; color:%4'><tr><td width='50%' "
                           "style='padding-right:24px'>%1</td><td width='50%'>%2</td></tr></table>")
                .arg(left, right)
                .arg(scaled(13))
                .arg(c.ink.name()));
}

} // namespace ivrin::app
