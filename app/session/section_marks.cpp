#include "app/session/section_marks.h"

#include "app/words/as_text.h"

#include <QRegularExpression>
#include <QSet>

#include <algorithm>

namespace ivrin::app {
namespace {

QString letterOf(int n) {
  return n < 26 ? QString(QChar('A' + n)) : letterOf(n / 26 - 1) + letterOf(n % 26);
}

} // namespace

std::vector<SectionMark> sectionMarks(const std::vector<Landing>& sections) {
  static const QRegularExpression asProposed(QStringLiteral("^[A-Z]{1,2}′*$"));
  std::vector<SectionMark> marks;
  QSet<QString> taken;
  for (const Landing& s : sections) {
    const QString name = asText(s.name);
    const bool plain = asProposed.match(name).hasMatch();
    marks.push_back({plain ? name : QString(), plain ? QString() : name});
    if (plain) taken.insert(QString(name).remove(QStringLiteral("′")));
  }
  int next = 0;
  for (SectionMark& m : marks) {
    if (!m.mark.isEmpty()) continue;
    while (taken.contains(letterOf(next))) ++next;
    m.mark = letterOf(next++);
  }
  return marks;
}

int takeProposed(Session& session, std::optional<Beats> at) {
  std::vector<FoundSection> some = session.findings().proposedSections();
  if (at) std::erase_if(some, [&](const FoundSection& f) { return f.at != *at; });
  if (some.empty()) return 0;
  const int count = static_cast<int>(some.size());
  session.edit(count == 1 ? QObject::tr("section %1").arg(asText(some.front().name))
                          : QObject::tr("accept detected sections"),
               withSections(session.song(), some));
  session.settle();
  return count;
}

} // namespace ivrin::app
