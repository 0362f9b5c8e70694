#include "app/dialogs/bus_dialog.h"

#include "app/theme/paper_dialog.h"
#include "app/theme/type.h"
#include "app/words/as_text.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QScrollArea>
#include <QVBoxLayout>

namespace ivrin::app {

BusDialog::BusDialog(const Song& song, const std::set<std::string>& selected, QWidget* parent)
    : QDialog(parent)
    , name_(new QLineEdit(this)) {
  setWindowTitle(tr("New bus"));
  name_->setObjectName(QStringLiteral("bus-name"));
  name_->setAccessibleName(tr("Name"));
  auto* inside = new QWidget;
  auto* list = new QVBoxLayout(inside);
  list->setContentsMargins(0, 0, 0, 0);
  for (const std::string& id : song.rowsInScoreOrder()) {
    const Stem* stem = song.stem(id);
    if (!stem) continue;
    const QString name = asText(stem->name).replace(QLatin1Char('&'), QStringLiteral("&&"));
    auto* box = new QCheckBox(stem->bus ? tr("%1 (now on %2)").arg(name, asText(song.rowName(*stem->bus))) : name);
    box->setObjectName(QStringLiteral("bus-row-") + asText(id));
    box->setChecked(selected.contains(id) && !stem->bus);
    list->addWidget(box);
    rows_.emplace_back(id, box);
  }
  list->addStretch(1);
  auto* area = new QScrollArea(this);
  area->setWidget(inside);
  area->setWidgetResizable(true);
  area->setFrameShape(QFrame::NoFrame);
  area->setMinimumHeight(std::min(scaled(320), inside->sizeHint().height()));
  auto* form = new QFormLayout;
  form->addRow(tr("Name"), name_);
  auto* all = new QVBoxLayout(this);
  all->addLayout(form);
  all->addWidget(new QLabel(tr("Rows on it"), this));
  all->addWidget(area, 1);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
  QPushButton* make = buttons->button(QDialogButtonBox::Ok);
  make->setText(tr("Create bus"));
  make->setEnabled(false);
  connect(name_, &QLineEdit::textChanged, make, [this, make] { make->setEnabled(!name().isEmpty()); });
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  all->addWidget(buttons);
  dress(*this);
}

std::vector<std::string> BusDialog::rows() const {
  std::vector<std::string> checked;
  for (const auto& [id, box] : rows_)
    if (box->isChecked()) checked.push_back(id);
  return checked;
}

} // namespace ivrin::app
