#include "app/dialogs/left_dialog.h"

#include "app/theme/paper_dialog.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"

#include <QDateTime>
#include <QDialogButtonBox>
#include <QLabel>
#include <QLocale>
#include <QPushButton>
#include <QVBoxLayout>

#include <chrono>

namespace ivrin::app {
namespace {

QString clockText(std::filesystem::file_time_type when) {
  const auto since = std::chrono::file_clock::to_sys(when).time_since_epoch();
  const auto ms = std::chrono::duration_cast<std::chrono::milliseconds>(since).count();
  return QLocale().toString(QDateTime::fromMSecsSinceEpoch(ms), QStringLiteral("ddd d MMM, HH:mm"));
}

QString ornamentsOf(std::size_t n) {
  return LeftDialog::tr("%n ornament(s)", nullptr, static_cast<int>(n));
}

} // namespace

QString wordsOf(const LeftEdits& l) {
  const QString ornaments = ornamentsOf(l.ornaments);
  if (l.edits == 0) return LeftDialog::tr("%1, last changed %2").arg(ornaments, clockText(l.when));
  return LeftDialog::tr("%1 up to %2, %3")
      .arg(LeftDialog::tr("%n edit(s)", nullptr, l.edits), clockText(l.when), ornaments);
}

LeftDialog::LeftDialog(Session& session, QWidget* parent)
    : QDialog(parent)
    , session_(session) {
  setWindowTitle(tr("Recover unsaved edits"));
  auto* all = new QVBoxLayout(this);
  all->setSpacing(scaled(14));
  all->setContentsMargins(scaled(20), scaled(18), scaled(20), scaled(16));
  auto* say =
      new QLabel(tr("These edits were not saved because Ivrin ended unexpectedly. Choose what to open. The others are "
                    "kept until you discard them; opening a song as saved discards its unsaved edits."),
                 this);
  say->setWordWrap(true);
  all->addWidget(say);
  for (const LeftEdits& l : session.files().left())
    if (!session.file().empty() && l.file == session.file()) hasFile_ = true;
  if (hasFile_) {
    std::error_code gone;
    const auto when = std::filesystem::last_write_time(session.file(), gone);
    addChoice(tr("“%1” as saved").arg(shortened(asText(session.song().title), 60)),
              tr("%1, %2").arg(gone ? tr("saved") : tr("saved %1").arg(clockText(when)),
                               ornamentsOf(session.song().ornaments.size())),
              QStringLiteral("left-file"));
  }
  for (const LeftEdits& l : session.files().left()) {
    left_.push_back(l);
    const QString title = shortened(asText(l.title), 60);
    addChoice(l.file.empty() ? tr("“%1”, never saved").arg(title) : tr("“%1” with unsaved edits").arg(title),
              l.file.empty() || l.onThisFile ? wordsOf(l) : tr("%1; older than the saved file").arg(wordsOf(l)),
              QStringLiteral("left-%1").arg(left_.size()));
  }
  choices_.front()->setChecked(true);
  auto* buttons = new QDialogButtonBox(this);
  auto* take = buttons->addButton(tr("Open"), QDialogButtonBox::AcceptRole);
  take->setObjectName(QStringLiteral("left-open"));
  auto* drop = buttons->addButton(tr("Discard"), QDialogButtonBox::DestructiveRole);
  drop->setObjectName(QStringLiteral("left-drop"));
  buttons->addButton(tr("Close"), QDialogButtonBox::RejectRole);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  connect(drop, &QPushButton::clicked, this, &LeftDialog::letGo);
  if (hasFile_) {
    drop->setEnabled(false);
    connect(choices_.front(), &QRadioButton::toggled, drop, &QWidget::setDisabled);
  }
  all->addStretch(1);
  all->addWidget(buttons);
  setMinimumWidth(scaled(480));
  dress(*this);
}

void LeftDialog::addChoice(const QString& title, const QString& words, const QString& name) {
  auto* choice = new QRadioButton(title + QLatin1Char('\n') + words, this);
  choice->setObjectName(name);
  choices_.push_back(choice);
  layout()->addWidget(choice);
}

std::optional<LeftEdits> LeftDialog::chosen() const {
  const std::size_t before = hasFile_ ? 1 : 0;
  for (std::size_t i = before; i < choices_.size(); ++i)
    if (choices_[i]->isChecked()) return left_[i - before];
  return std::nullopt;
}

void LeftDialog::letGo() {
  if (const auto one = chosen()) session_.files().letGo(*one);
  reject();
}

} // namespace ivrin::app
