#include "app/session/landing_edits.h"

#include "song/edits.h"
#include "time/note_value.h"

namespace ivrin::app {

std::string addLanding(Session& session, Beats at, bool section, const QString& name) {
  std::string id = freshLandingId(session.song(), section);
  const Landing l{id, at, name.toStdString()};
  session.edit(section ? QObject::tr("new section") : QObject::tr("new landing"),
               section ? withSection(session.song(), l) : withLanding(session.song(), l));
  session.settle();
  return id;
}

void renameLanding(Session& session, const std::string& id, const QString& name) {
  if (!session.song().landingById(id)) return;
  session.edit(QObject::tr("name of %1").arg(name), withLandingNamed(session.song(), id, name.toStdString()));
  session.settle();
}

void moveLanding(Session& session, const std::string& id, Beats at) {
  const auto l = session.song().landingById(id);
  if (!l || l->at == at) return;
  session.edit(QObject::tr("move %1").arg(QString::fromStdString(l->name)), withLandingMoved(session.song(), id, at),
               "landing-" + id);
}

void removeLanding(Session& session, const std::string& id) {
  const auto l = session.song().landingById(id);
  if (!l) return;
  session.edit(QObject::tr("remove %1").arg(QString::fromStdString(l->name)), withoutLanding(session.song(), id));
  session.settle();
}

Beats landingPlace(const Session& session, Beats at, bool free, Beats grid) {
  const TempoMap& map = session.plan()->map();
  if (free) return grid.ticks > 0 ? snapToGrid(at, grid, map) : at;
  return snapToGrid(at, map.meterAt(at).barLength(), map);
}

} // namespace ivrin::app
