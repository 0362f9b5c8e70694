#include "app/theme/menu_letters.h"

#include <QMap>
#include <QSet>

namespace ivrin::app {
namespace {

/// Where a letter may be marked in an entry's words: what they mark themselves, then beginnings of words, then others.
QList<QChar> lettersOf(const QAction* a) {
  const QString text = a->text();
  const auto mark = text.indexOf('&');
  QList<QChar> first, later;
  if (mark >= 0 && mark + 1 < text.size()) first << text[mark + 1].toLower();
  for (qsizetype i = 0; i < text.size(); ++i)
    if (text[i].isLetterOrNumber())
      (i == 0 || text[i - 1].isSpace() || text[i - 1] == '&' ? first : later) << text[i].toLower();
  return first + later;
}

/// Marks a letter of an entry's words: where they mark it, else where a word begins with it, else where it is.
void mark(QAction* a, QChar letter) {
  QString text = a->text();
  const auto marked = text.indexOf('&');
  if (marked >= 0 && marked + 1 < text.size() && text[marked + 1].toLower() == letter) return;
  text.remove('&');
  qsizetype best = -1;
  for (qsizetype i = text.size() - 1; i >= 0; --i) {
    if (text[i].toLower() != letter) continue;
    const bool begins = i == 0 || text[i - 1].isSpace();
    const bool bestBegins = best == 0 || (best > 0 && text[best - 1].isSpace());
    if (best < 0 || begins || !bestBegins) best = i;
  }
  a->setText(best < 0 ? text : text.insert(best, '&'));
}

/// One more entry gets a letter; others give way where they have another choice (Kuhn's matching).
bool giveLetter(const QList<QList<QChar>>& choices, qsizetype entry, QMap<QChar, qsizetype>& owner, QSet<QChar>& seen) {
  for (const QChar c : choices[entry]) {
    if (seen.contains(c)) continue;
    seen.insert(c);
    const auto held = owner.constFind(c);
    if (held == owner.constEnd() || giveLetter(choices, *held, owner, seen)) {
      owner[c] = entry;
      return true;
    }
  }
  return false;
}

} // namespace

void giveMenuLetters(const QList<QAction*>& entries) {
  QList<QAction*> wanting;
  QList<QList<QChar>> choices;
  for (QAction* a : entries)
    if (!a->isSeparator() && !a->text().isEmpty()) {
      wanting << a;
      choices << lettersOf(a);
    }
  QMap<QChar, qsizetype> owner;
  for (qsizetype i = 0; i < wanting.size(); ++i) {
    QSet<QChar> seen;
    giveLetter(choices, i, owner, seen);
  }
  for (auto it = owner.constBegin(); it != owner.constEnd(); ++it) mark(wanting[it.value()], it.key());
}

void retitleEntry(QAction* a, const QString& text) {
  const auto at = a->text().indexOf('&');
  const QChar letter = at >= 0 && at + 1 < a->text().size() ? a->text()[at + 1] : QChar();
  a->setText(text);
  if (!letter.isNull()) mark(a, letter.toLower());
}

} // namespace ivrin::app
