#include "app/theme/paper_dialog.h"

#include "app/theme/palette.h"
#include "app/theme/type.h"

#include <QAbstractSpinBox>
#include <QInputDialog>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace ivrin::app {
namespace {

QString sheet() {
  const Palette& c = paper();
  return QStringLiteral(
             "QPushButton { background: transparent; color: %1; border: 1px solid %4; border-radius: 2px; "
             "padding: %5px %6px; min-width: %7px; }"
             "QPushButton:hover { background: %3; }"
             "QPushButton:focus { border: 1px solid %1; }"
             "QPushButton:default { border: 1px solid %1; }"
             "QPushButton:disabled { color: %4; }"
             "QLineEdit { background: %8; color: %1; border: 1px solid %4; padding: %5px; }"
             "QLineEdit:focus { border: 1px solid %1; }"
             "QComboBox, QAbstractSpinBox { background: %8; color: %1; border: 1px solid %4; padding: %5px; }"
             "QComboBox::drop-down { border: none; background: transparent; width: %6px; }"
             "QComboBox::down-arrow { image: url(:/marks/down-%10.png); width: %11px; height: %12px; }"
             "QComboBox:focus, QAbstractSpinBox:focus { border: 1px solid %1; }"
             "QComboBox:disabled, QAbstractSpinBox:disabled { background: transparent; color: %4; }"
             "QComboBox QAbstractItemView { background: %8; color: %1; }"
             "QCheckBox::indicator { width: %2px; height: %2px; border: 1px solid %4; background: %8; }"
             "QCheckBox::indicator:checked { image: url(:/marks/tick-%10.png); }"
             "QRadioButton { color: %1; spacing: %9px; padding: %5px 0; }"
             "QRadioButton::indicator { width: %2px; height: %2px; border: 1px solid %4; border-radius: %12px; "
             "background: %8; }"
             "QRadioButton::indicator:checked { background: %1; }"
             "QCheckBox { color: %1; spacing: %9px; }")
      .arg(c.ink.name(), QString::number(scaled(11)), c.margin.name(), c.quiet.name())
      .arg(scaled(5))
      .arg(scaled(16))
      .arg(scaled(64))
      .arg(c.card.name())
      .arg(scaled(8))
      .arg(c.night ? QStringLiteral("night") : QStringLiteral("day"))
      .arg(scaled(10))
      .arg(scaled(6));
}

std::optional<QString> given(QInputDialog& d) {
  dress(d);
  return d.exec() == QDialog::Accepted ? std::optional(d.textValue()) : std::nullopt;
}

} // namespace

void dress(QDialog& dialog) {
  dialog.setFont(sans(14));
  for (QWidget* w : dialog.findChildren<QWidget*>()) w->setFont(sans(14));
  for (QPushButton* button : dialog.findChildren<QPushButton*>()) button->setIcon({}); // words are enough
  for (QAbstractSpinBox* box : dialog.findChildren<QAbstractSpinBox*>())
    box->setButtonSymbols(QAbstractSpinBox::NoButtons); // keys and the wheel step it
  dialog.setStyleSheet(sheet());
  auto* column = qobject_cast<QVBoxLayout*>(dialog.layout());
  if (!column || qobject_cast<QInputDialog*>(&dialog)) return;
  auto* head = new QLabel(dialog.windowTitle(), &dialog);
  head->setObjectName(QStringLiteral("heading"));
  head->setFont(serif(24, true));
  column->insertWidget(0, head);
  column->setContentsMargins(scaled(22), scaled(16), scaled(22), scaled(18));
  column->setSpacing(scaled(10));
}

QMessageBox::StandardButton ask(QWidget* parent, const QString& title, const QString& text,
                                QMessageBox::StandardButtons answers, QMessageBox::StandardButton first) {
  QMessageBox box(QMessageBox::NoIcon, title, text, answers, parent);
  box.setDefaultButton(first);
  dress(box);
  return static_cast<QMessageBox::StandardButton>(box.exec());
}

void tell(QWidget* parent, const QString& title, const QString& html) {
  QMessageBox box(QMessageBox::NoIcon, title, html, QMessageBox::Close, parent);
  box.setTextFormat(Qt::RichText);
  dress(box);
  box.exec();
}

std::optional<double> askNumber(QWidget* parent, const QString& title, const QString& label, double now, double least,
                                double most, int decimals) {
  QInputDialog d(parent);
  d.setWindowTitle(title);
  d.setLabelText(label);
  if (decimals == 0) {
    d.setInputMode(QInputDialog::IntInput);
    d.setIntRange(static_cast<int>(least), static_cast<int>(most));
    d.setIntValue(static_cast<int>(now));
    return given(d) ? std::optional<double>(d.intValue()) : std::nullopt;
  }
  d.setInputMode(QInputDialog::DoubleInput);
  d.setDoubleDecimals(decimals);
  d.setDoubleRange(least, most);
  d.setDoubleValue(now);
  return given(d) ? std::optional<double>(d.doubleValue()) : std::nullopt;
}

std::optional<int> askOne(QWidget* parent, const QString& title, const QString& label, const QStringList& all,
                          int now) {
  QInputDialog d(parent);
  d.setWindowTitle(title);
  d.setLabelText(label);
  d.setComboBoxItems(all);
  d.setTextValue(all.value(now));
  const auto chosen = given(d);
  return chosen ? std::optional(static_cast<int>(all.indexOf(*chosen))) : std::nullopt;
}

std::optional<QString> askName(QWidget* parent, const QString& title, const QString& label, const QString& now) {
  QInputDialog d(parent);
  d.setWindowTitle(title);
  d.setLabelText(label);
  d.setInputMode(QInputDialog::TextInput);
  d.setTextValue(now);
  return given(d);
}

} // namespace ivrin::app
