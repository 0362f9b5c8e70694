#include "app/dialogs/export_dialog.h"

#include "app/theme/paper_dialog.h"
#include "app/theme/type.h"

#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace ivrin::app {

ExportDialog::ExportDialog(const QString& folder, int barsBefore, QWidget* parent)
    : QDialog(parent)
    , folder_(new QLineEdit(folder, this))
    , mix_(new QCheckBox(tr("&Mix (limited)"), this))
    , stems_(new QCheckBox(tr("&Rows with ornaments"), this))
    , ornaments_(new QCheckBox(tr("&Ornaments, one file each"), this))
    , dry_(new QCheckBox(tr("Rows: &dry only"), this))
    , wet_(new QCheckBox(tr("Rows: &wet only"), this))
    , format_(new QComboBox(this)) {
  setWindowTitle(tr("Export"));
  mix_->setChecked(true);
  stems_->setChecked(true);
  ornaments_->setChecked(true);
  mix_->setObjectName(QStringLiteral("export-mix"));
  stems_->setObjectName(QStringLiteral("export-stems"));
  ornaments_->setObjectName(QStringLiteral("export-ornaments"));
  for (const auto& [text, name] : {std::pair{tr("WAV, 24 bit"), "wav24"},
                                   {tr("WAV, 16 bit with dither"), "wav16"},
                                   {tr("WAV, 32 bit float"), "wav32f"},
                                   {tr("FLAC, 24 bit"), "flac24"},
                                   {tr("FLAC, 16 bit with dither"), "flac16"}})
    format_->addItem(text, QString::fromLatin1(name));
  folder_->setAccessibleName(tr("Folder"));
  format_->setAccessibleName(tr("Format"));
  auto* choose = new QPushButton(tr("Choose…"), this);
  connect(choose, &QPushButton::clicked, this, [this] {
    const QString f = QFileDialog::getExistingDirectory(this, tr("Export to"), folder_->text());
    if (!f.isEmpty()) folder_->setText(f);
  });
  auto* where = new QHBoxLayout;
  where->addWidget(folder_, 1);
  where->addWidget(choose);
  auto* form = new QFormLayout;
  form->addRow(tr("Format"), format_);
  form->addRow(tr("Folder"), where);
  auto* all = new QVBoxLayout(this);
  mix_->setToolTip(tr("The whole song with its ornaments, through the limiter."));
  stems_->setToolTip(tr("Each row with its ornaments: use these in place of your stems."));
  ornaments_->setToolTip(tr("Only what each ornament adds: put these beside your own stems."));
  dry_->setToolTip(tr("What is left of each row's own sound, without what ornaments add."));
  wet_->setToolTip(tr("What all ornaments of a row add, in one file."));
  QString words = tr("All files start at the same time and have the same length, including tails. Drag them into your "
                     "project at one position.");
  if (barsBefore > 0)
    words += QStringLiteral("\n") +
             tr("They start %n bar(s) before your stems: place them that much earlier.", nullptr, barsBefore);
  auto* say = new QLabel(words, this);
  say->setObjectName(QStringLiteral("export-where"));
  say->setWordWrap(true);
  all->addWidget(say);
  for (QCheckBox* b : {mix_, stems_, ornaments_, dry_, wet_}) all->addWidget(b);
  all->addLayout(form);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Export"));
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  all->addWidget(buttons);
  setMinimumWidth(scaled(480));
  dress(*this);
}

ExportOptions ExportDialog::options() const {
  ExportOptions o;
  o.mix = mix_->isChecked();
  o.stems = stems_->isChecked();
  o.ornaments = ornaments_->isChecked();
  o.dry = dry_->isChecked();
  o.wet = wet_->isChecked();
  o.format = *audioFormat(format_->currentData().toString().toStdString());
  return o;
}

} // namespace ivrin::app
