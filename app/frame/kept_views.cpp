#include "app/frame/kept_views.h"

#include <QCryptographicHash>
#include <QSettings>

namespace ivrin::app {
namespace {

/// Where the view of a song is kept, by its path.
QString viewGroup(const std::filesystem::path& file) {
  const QByteArray digest =
      QCryptographicHash::hash(QByteArray::fromStdString(file.string()), QCryptographicHash::Sha1);
  return QStringLiteral("views/") + QString::fromLatin1(digest.toHex().left(16));
}

} // namespace

void storeView(Session& session, const ScoreView& score) {
  if (!session.isOpen() || session.file().empty()) return;
  const ViewState v = score.viewState();
  QSettings set;
  set.beginGroup(viewGroup(session.file()));
  set.setValue(QStringLiteral("left"), v.left);
  set.setValue(QStringLiteral("pixels_per_beat"), v.pxPerBeat);
  set.setValue(QStringLiteral("landing"), QString::fromStdString(v.landing));
  set.setValue(QStringLiteral("open"), QString::fromStdString(v.open));
  set.setValue(QStringLiteral("folds_quiet"), v.foldsQuiet);
  set.setValue(QStringLiteral("position"), static_cast<qlonglong>(session.player().position().count));
  QStringList folded;
  for (const std::string& r : v.folded) folded << QString::fromStdString(r);
  set.setValue(QStringLiteral("folded"), folded);
}

bool restoreView(Session& session, ScoreView& score) {
  if (session.file().empty()) return false;
  QSettings set;
  set.beginGroup(viewGroup(session.file()));
  if (!set.contains(QStringLiteral("left"))) return false;
  ViewState v;
  v.left = set.value(QStringLiteral("left")).toDouble();
  v.pxPerBeat = set.value(QStringLiteral("pixels_per_beat")).toDouble();
  v.landing = set.value(QStringLiteral("landing")).toString().toStdString();
  v.open = set.value(QStringLiteral("open")).toString().toStdString();
  v.foldsQuiet = set.value(QStringLiteral("folds_quiet")).toBool();
  for (const QString& r : set.value(QStringLiteral("folded")).toStringList()) v.folded.insert(r.toStdString());
  score.restore(v);
  session.player().setPosition(Frames(set.value(QStringLiteral("position")).toLongLong()));
  return true;
}

void storeListening(const Listening& listening, const ActionRegistry& actions) {
  QSettings set;
  set.beginGroup(QStringLiteral("listening"));
  set.setValue(QStringLiteral("click_db"), listening.clickDb());
  set.setValue(QStringLiteral("click_sound"), static_cast<int>(listening.click().sound));
  set.setValue(QStringLiteral("click_accent_db"), listening.click().accentDb);
  set.setValue(QStringLiteral("click_parts"), listening.click().parts);
  set.setValue(QStringLiteral("count_in"), listening.countIn());
  set.setValue(QStringLiteral("monitor_db"), listening.monitorDb());
  set.setValue(QStringLiteral("click"), actions.action(QStringLiteral("click"))->isChecked());
  set.setValue(QStringLiteral("equal"), actions.action(QStringLiteral("equal"))->isChecked());
}

void restoreListening(Listening& listening, const ActionRegistry& actions) {
  QSettings set;
  set.beginGroup(QStringLiteral("listening"));
  Click click;
  const int sound = set.value(QStringLiteral("click_sound")).toInt();
  if (sound >= 0 && sound < static_cast<int>(kClickSounds.size())) click.sound = static_cast<ClickSound>(sound);
  click.accentDb = set.value(QStringLiteral("click_accent_db"), click.accentDb).toDouble();
  click.parts = set.value(QStringLiteral("click_parts"), click.parts).toInt();
  listening.setClick(click);
  listening.setCountIn(set.value(QStringLiteral("count_in")).toInt());
  listening.setClickDb(set.value(QStringLiteral("click_db"), Click().levelDb).toDouble());
  listening.setMonitorDb(set.value(QStringLiteral("monitor_db"), 0).toDouble());
  actions.action(QStringLiteral("click"))->setChecked(set.value(QStringLiteral("click")).toBool());
  actions.action(QStringLiteral("equal"))->setChecked(set.value(QStringLiteral("equal")).toBool());
}

} // namespace ivrin::app
