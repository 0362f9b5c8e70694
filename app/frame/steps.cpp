#include "app/frame/steps.h"

#include "app/frame/main_window.h"
#include "app/openrow/open_row.h"

#include <QAction>

#include <functional>

namespace ivrin::app {
namespace {

struct Step {
  const char* name;
  const char* takes; // its arguments
  const char* does;
  int fewest;
  std::function<QString(MainWindow&, const QStringList&)> take;
};

QString noOrnament(const QString& id) {
  return QObject::tr("there is no ornament %1").arg(id);
}

/// Opens an ornament; why not.
QString open(MainWindow& w, const QString& id) {
  if (!w.session().song().ornament(id.toStdString())) return noOrnament(id);
  w.score().opened().open(id.toStdString());
  return {};
}

QString select(MainWindow& w, const QStringList& a) {
  for (const QString& row : a.mid(2))
    if (!w.session().song().hasRow(row.toStdString())) return QObject::tr("there is no row %1").arg(row);
  Selection s{a[2].toStdString(), Beats::ofQuarters(a[0].toDouble()), Beats::ofQuarters(a[1].toDouble())};
  for (const QString& row : a.mid(3)) s.more.push_back(row.toStdString());
  w.score().select(std::move(s));
  return {};
}

/// As a new song of its stems is.
QString bare(MainWindow& w) {
  Song song = w.session().song();
  song.sections.clear();
  song.landings.clear();
  song.ornaments = {};
  w.session().edit(QObject::tr("bare stems"), std::move(song));
  return {};
}

QString trigger(MainWindow& w, const QString& id) {
  QAction* action = w.action(id);
  if (!action) return QObject::tr("there is no action %1").arg(id);
  if (!action->isEnabled()) return QObject::tr("the action %1 cannot be used now").arg(id);
  action->trigger();
  return {};
}

const std::vector<Step>& steps() {
  static const std::vector<Step> all = {
      {"show", "FROM TO", "these quarters of the song", 2,
       [](MainWindow& w, const QStringList& a) {
         w.score().showRange(a[0].toDouble(), a[1].toDouble(), false);
         return QString();
       }},
      {"select", "FROM TO ROW…", "these quarters, on one row or several", 3, select},
      {"open", "ORNAMENT", "the ornament in its row", 1,
       [](MainWindow& w, const QStringList& a) { return open(w, a[0]); }},
      {"curve", "SETTING", "of the open ornament, over its drawing", 1,
       [](MainWindow& w, const QStringList& a) {
         w.score().opened().openCurve(a[0].toStdString());
         return w.score().opened().lane() ? QString() : QObject::tr("there is no curve of %1").arg(a[0]);
       }},
      {"finish", "N", "a processor of the open ornament's finish, from 0", 1,
       [](MainWindow& w, const QStringList& a) {
         if (!w.score().opened().row()) return QObject::tr("no ornament is open");
         w.score().opened().row()->openFinish(a[0].toInt());
         return QString();
       }},
      {"try", "N", "four ideas of the open ornament, and this one is heard, from 0", 1,
       [](MainWindow& w, const QStringList& a) {
         w.score().opened().tries().begin();
         w.score().opened().tries().hear(a[0].toInt());
         return QString();
       }},
      {"landing", "ID", "makes it the current landing", 1,
       [](MainWindow& w, const QStringList& a) {
         w.score().goToLanding(a[0].toStdString());
         return QString();
       }},
      {"bare", "", "the stems alone, as a new song has them", 0,
       [](MainWindow& w, const QStringList&) { return bare(w); }},
      {"action", "ID", "what the menu entry of this id does (\"recipes\", \"sections\", \"keys\" …)", 1,
       [](MainWindow& w, const QStringList& a) { return trigger(w, a[0]); }}};
  return all;
}

} // namespace

QString stepsInWords() {
  QStringList lines;
  for (const Step& s : steps())
    lines << QStringLiteral("%1 %2: %3").arg(QLatin1String(s.name), QLatin1String(s.takes), QString::fromUtf8(s.does));
  return lines.join(QStringLiteral("; "));
}

QString takeStep(MainWindow& window, const QString& step) {
  QStringList words = step.split(' ', Qt::SkipEmptyParts);
  const QString name = words.value(0);
  words = words.mid(1);
  for (const Step& s : steps()) {
    if (name != QLatin1String(s.name)) continue;
    if (words.size() < s.fewest) return QObject::tr("the step %1 takes %2").arg(name, QString::fromUtf8(s.takes));
    if (!window.session().isOpen() && name != QLatin1String("action")) return QObject::tr("no song is open");
    QString why = s.take(window, words);
    window.session().waitUntilIdle();
    return why;
  }
  return QObject::tr("there is no step %1").arg(name);
}

} // namespace ivrin::app
