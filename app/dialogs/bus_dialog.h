// This dialog asks for the name of a new bus and for the rows that go through it.
#pragma once

#include "song/song.h"

#include <QCheckBox>
#include <QDialog>
#include <QLineEdit>
#include <QPushButton>

#include <set>
#include <string>
#include <vector>

namespace ivrin::app {

class BusDialog : public QDialog {
  Q_OBJECT
 public:
  /// Of the `selected` rows those are checked that go through no other bus yet.
  BusDialog(const Song& song, const std::set<std::string>& selected, QWidget* parent);
  QString name() const { return name_->text().trimmed(); }
  /// Stems, in the order of the song.
  std::vector<std::string> rows() const;

 private:
  QLineEdit* name_;
  std::vector<std::pair<std::string, QCheckBox*>> rows_;
};

} // namespace ivrin::app
