// These dialogs stand on the page's own paper, in its type and with its buttons. File choosers stay the desktop's.
#pragma once

#include <QDialog>
#include <QMessageBox>

#include <optional>

namespace ivrin::app {

/// Type, buttons and a heading; once everything is in the dialog.
void dress(QDialog& dialog);

/// A question with its answers; Escape is Cancel where there is one.
QMessageBox::StandardButton ask(QWidget* parent, const QString& title, const QString& text,
                                QMessageBox::StandardButtons answers, QMessageBox::StandardButton first);
/// Something to read.
void tell(QWidget* parent, const QString& title, const QString& html);
/// A number or a name; nothing where it was not given.
std::optional<double> askNumber(QWidget* parent, const QString& title, const QString& label, double now, double least,
                                double most, int decimals);
/// One of several, by its place in the list.
std::optional<int> askOne(QWidget* parent, const QString& title, const QString& label, const QStringList& all, int now);
std::optional<QString> askName(QWidget* parent, const QString& title, const QString& label, const QString& now = {});

} // namespace ivrin::app
