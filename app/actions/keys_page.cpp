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
  search_->setAccessibleName(tr("Search keyboard shortcuts"));
  search_->setClearButtonEnabled(true);
  page_->setFrameShape(QFrame::NoFrame);
  page_->setAccessibleName(tr("All keyboard shortcuts"));
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
  // Each entry is half a row of one table, title or line: tables within a table take several times as long to lay out.
  std::vector<QStringList> groups;
  qsizetype lines = 0;
  for (const KeyGroup& g : groups_) {
    QStringList halves;
    const bool whole = g.title.contains(wanted, Qt::CaseInsensitive);
    for (const KeyLine& l : g.lines) {
      if (!whole && !l.words.contains(wanted, Qt::CaseInsensitive) && !l.keys.contains(wanted, Qt::CaseInsensitive))
        continue;
      halves << QStringLiteral("<td style='padding-right:14px' width='19%'>%1</td>"
                               "<td style='padding-right:24px' width='31%'>%2</td>")
                    .arg(l.keys.toHtmlEscaped(), l.words.toHtmlEscaped());
    }
    if (halves.isEmpty()) continue;
    halves.prepend(QStringLiteral("<td colspan=2 style='font-family:\"EB Garamond\"; font-size:%2px; padding-top:10px'>"
                                  "<i>%1</i></td>")
                       .arg(g.title.toHtmlEscaped())
                       .arg(scaled(18)));
    lines += halves.size();
    groups.push_back(std::move(halves));
  }
  QStringList left, right;
  for (const QStringList& g : groups) (left.size() * 2 < lines ? left : right) += g;
  QString rows;
  const QString empty = QStringLiteral("<td colspan=2></td>");
  for (qsizetype i = 0; i < std::max(left.size(), right.size()); ++i)
    rows += QStringLiteral("<tr>%1%2</tr>").arg(left.value(i, empty), right.value(i, empty));
  page_->setHtml(
      groups.empty()
          ? QStringLiteral("<p style='color:%2'>%1</p>").arg(tr("No command has this name or key."), c.quiet.name())
          : QStringLiteral(
                "<table width='100%' cellspacing=0 cellpadding=2 style='font-size:%2px; color:%3'>%1</table>")
                .arg(rows)
                .arg(scaled(13))
                .arg(c.ink.name()));
}

} // namespace ivrin::app
