// This dialog asks what to export: which files, in which format, and where.
#pragma once

#include "app/session/session.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QLineEdit>

namespace ivrin::app {

class ExportDialog : public QDialog {
  Q_OBJECT
 public:
  ExportDialog(const QString& folder, int barsBefore, QWidget* parent);
  ExportOptions options() const;
  QString folder() const { return folder_->text(); }

 private:
  QLineEdit* folder_;
  QCheckBox *mix_, *stems_, *ornaments_, *dry_, *wet_;
  QComboBox* format_;
};

} // namespace ivrin::app
