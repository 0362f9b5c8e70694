// This file turns text of the core, which is UTF-8, into Qt's.
#pragma once

#include "words/words.h"

#include <QString>

#include <string>

namespace ivrin::app {

/// What the song or the computer calls itself, and what the core has said in the reader's language already.
inline QString asText(const std::string& s) {
  return QString::fromStdString(s);
}

/// What stands in the core's tables (labels, meanings, names of kinds, tools and patterns), in the reader's language.
inline QString asWords(const std::string& s) {
  return QString::fromStdString(worded(s));
}
/// Decibels as they are read: "−6.0".
inline QString decibels(double db) {
  return QString::number(db, 'f', 1).replace('-', QChar(0x2212));
}

/// As a sentence begins.
inline QString capital(QString s) {
  if (!s.isEmpty()) s[0] = s[0].toUpper();
  return s;
}

/// A name as it stands inside a sentence, where English has it small.
inline std::string insideSentence(std::string name) {
  for (char& c : name) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  return name;
}
/// The same in the reader's language, which has its own entry for that.
inline QString asWordsInside(const std::string& name) {
  return asWords(insideSentence(name));
}

} // namespace ivrin::app
