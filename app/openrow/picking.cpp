#include "app/openrow/picking.h"

#include "app/openrow/number_field.h"
#include "app/session/session.h"
#include "app/theme/letters.h"
#include "app/words/as_text.h"
#include "song/settings/setting_text.h"
#include "song/settings/setting_type.h"

#include <QFileDialog>
#include <QMenu>

namespace ivrin::app {
namespace {

void offerRows(QMenu& menu, NumberField* field, const Session& session) {
  const SettingSpec& spec = field->spec();
  const auto add = [&](const QString& name, const Value& v) {
    QAction* a = menu.addAction(name, field, [field, v] { field->enter(v); });
    a->setCheckable(true);
    a->setChecked(field->value() == v);
  };
  if (spec.nullable) add(asText(settingText(spec, Value())), Value());
  for (const auto& bus : session.song().buses) add(QString::fromStdString(bus.name), Value(bus.id));
  for (const auto& stem : session.song().stems) add(QString::fromStdString(stem.name), Value(stem.id));
}

void offerFiles(QMenu& menu, NumberField* field, Session& session) {
  const SettingSpec& spec = field->spec();
  for (const std::string& name : spec.choices)
    menu.addAction(asText(settingText(spec, name)), field, [field, name] { field->enter(Value(name)); });
  menu.addSeparator();
  menu.addAction(QObject::tr("A file…"), field, [field, &session] {
    const QString file =
        QFileDialog::getOpenFileName(field, QObject::tr("An impulse response"), {},
                                     QObject::tr("Sound files (*.wav *.flac *.aif *.aiff);;All files (*)"));
    if (!file.isEmpty()) field->enter(Value(session.files().pathFor(file.toStdString())));
  });
}

} // namespace

void offerPicks(NumberField* field, Session& session) {
  auto* menu = new QMenu(field);
  menu->setObjectName(QStringLiteral("choices"));
  menu->setAttribute(Qt::WA_DeleteOnClose);
  if (field->spec().type->namesRow())
    offerRows(*menu, field, session);
  else
    offerFiles(*menu, field, session);
  lettersChoose(*menu);
  menu->popup(field->mapToGlobal(QPoint(0, field->height())));
}

} // namespace ivrin::app
