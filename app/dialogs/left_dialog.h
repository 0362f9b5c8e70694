// This dialog lets the user choose between what a song's file holds and states of it that were never saved. It shows
// them side by side in words.
#pragma once

#include "app/session/session.h"

#include <QDialog>
#include <QRadioButton>

namespace ivrin::app {

/// "14 edits up to Fri 27 Nov, 18:20, 36 ornaments".
QString wordsOf(const LeftEdits& one);

class LeftDialog : public QDialog {
  Q_OBJECT
 public:
  LeftDialog(Session& session, QWidget* parent);
  /// The state that was chosen; nothing: the song as its file has it.
  std::optional<LeftEdits> chosen() const;

 private:
  void addChoice(const QString& title, const QString& words, const QString& name);
  void letGo();
  Session& session_;
  std::vector<LeftEdits> left_; // in the order of the choices; the file's own comes before them
  std::vector<QRadioButton*> choices_;
  bool hasFile_ = false;
};

} // namespace ivrin::app
