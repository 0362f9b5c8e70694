#include "app/dialogs/click_dialog.h"

#include "app/theme/paper_dialog.h"
#include "app/theme/type.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QVBoxLayout>

namespace ivrin::app {

ClickDialog::ClickDialog(const Click& now, int countIn, QWidget* parent)
    : QDialog(parent)
    , sound_(new QComboBox(this))
    , parts_(new QComboBox(this))
    , level_(new QDoubleSpinBox(this))
    , accent_(new QDoubleSpinBox(this))
    , countIn_(new QSpinBox(this)) {
  setWindowTitle(tr("Click"));
  sound_->setObjectName(QStringLiteral("click-sound"));
  for (const ClickSound s : kClickSounds)
    sound_->addItem(s == ClickSound::wood     ? tr("wood")
                    : s == ClickSound::shaker ? tr("shaker")
                                              : tr("tone"),
                    static_cast<int>(s));
  sound_->setCurrentIndex(sound_->findData(static_cast<int>(now.sound)));
  parts_->setObjectName(QStringLiteral("click-parts"));
  parts_->addItems({tr("every beat"), tr("two per beat"), tr("three per beat"), tr("four per beat")});
  parts_->setCurrentIndex(now.parts - 1);
  const auto decibels = [](QDoubleSpinBox* box, const char* name, double least, double most, double value) {
    box->setObjectName(QString::fromLatin1(name));
    box->setRange(least, most);
    box->setSuffix(tr(" dB"));
    box->setDecimals(1);
    box->setValue(value);
  };
  decibels(level_, "click-level", -48, 0, now.levelDb);
  decibels(accent_, "click-accent", 0, 24, now.accentDb);
  countIn_->setObjectName(QStringLiteral("click-count-in"));
  countIn_->setRange(0, kMostCountIn);
  countIn_->setSpecialValueText(tr("none"));
  countIn_->setSuffix(tr(" bars"));
  countIn_->setValue(countIn);

  for (auto* box : {sound_, parts_}) connect(box, &QComboBox::currentIndexChanged, this, &ClickDialog::changed);
  for (auto* box : {level_, accent_}) connect(box, &QDoubleSpinBox::valueChanged, this, &ClickDialog::changed);

  auto* form = new QFormLayout;
  form->addRow(tr("&Sound"), sound_);
  form->addRow(tr("C&licks"), parts_);
  form->addRow(tr("Le&vel"), level_);
  form->addRow(tr("&Accent on beat 1"), accent_);
  form->addRow(tr("Count-&in"), countIn_);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  auto* all = new QVBoxLayout(this);
  all->addLayout(form);
  all->addWidget(buttons);
  setMinimumWidth(scaled(420));
  dress(*this);
}

Click ClickDialog::click() const {
  return {static_cast<ClickSound>(sound_->currentData().toInt()), level_->value(), accent_->value(), true,
          parts_->currentIndex() + 1};
}

} // namespace ivrin::app
