#include "app/openrow/readable_field.h"

#include "app/openrow/number_field.h"
#include "app/words/as_text.h"
#include "song/settings/setting_text.h"
#include "song/settings/setting_type.h"

#include <QAccessibleWidget>

#include <algorithm>

namespace ivrin::app {
namespace {

class FieldObject : public QAccessibleWidget, public QAccessibleValueInterface {
 public:
  explicit FieldObject(NumberField& field)
      : QAccessibleWidget(&field, field.spec().type->turns() ? QAccessible::ComboBox : QAccessible::SpinBox)
      , field_(field) {}
  QString text(QAccessible::Text t) const override {
    return t == QAccessible::Value ? asText(settingText(field_.spec(), field_.value())) : QAccessibleWidget::text(t);
  }
  void* interface_cast(QAccessible::InterfaceType t) override {
    if (t == QAccessible::ValueInterface && field_.spec().type->bounded() && field_.value().number())
      return static_cast<QAccessibleValueInterface*>(this);
    return QAccessibleWidget::interface_cast(t);
  }
  QVariant currentValue() const override {
    const double* number = field_.value().number();
    return number ? QVariant(*number) : QVariant();
  }
  QVariant minimumValue() const override { return field_.spec().min; }
  QVariant maximumValue() const override { return field_.spec().max; }
  QVariant minimumStepSize() const override { return field_.spec().step; }
  void setCurrentValue(const QVariant& v) override {
    const SettingSpec& s = field_.spec();
    field_.enter(Value(std::clamp(v.toDouble(), s.min, s.max)));
  }

 private:
  NumberField& field_;
};

QAccessibleInterface* fieldObject(const QString& className, QObject* object) {
  if (className != QLatin1String(NumberField::staticMetaObject.className())) return nullptr;
  auto* field = qobject_cast<NumberField*>(object);
  return field ? new FieldObject(*field) : nullptr;
}

} // namespace

void makeFieldsReadable() {
  static const bool once = (QAccessible::installFactory(fieldObject), true);
  static_cast<void>(once);
}

} // namespace ivrin::app
