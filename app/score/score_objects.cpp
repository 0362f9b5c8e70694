#include "app/score/score_objects.h"

#include "app/openrow/open_drawing.h"
#include "app/score/score_view.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "song/edits.h"

#include <QAccessibleWidget>
#include <QPointer>

#include <algorithm>
#include <map>

namespace ivrin::app {
namespace {

class ScoreObject;
ScoreObject* objectOf(ScoreView& view);

/// What all parts have in common: they belong to a view that may go before they do.
class Part : public QAccessibleInterface, public QAccessibleActionInterface, public QAccessibleValueInterface {
 public:
  explicit Part(ScoreView& view)
      : view_(&view) {}
  QObject* object() const override { return nullptr; }
  QWindow* window() const override { return view_ ? view_->window()->windowHandle() : nullptr; }
  QRect rect() const override {
    const QRect r = place().toAlignedRect() & view_->rect();
    return {view_->mapToGlobal(r.topLeft()), r.size()};
  }
  void setText(QAccessible::Text, const QString&) override {}
  QAccessible::State state() const override {
    QAccessible::State s;
    s.focusable = true;
    s.offscreen = !place().intersects(QRectF(view_->rect()));
    s.focused = view_->hasFocus() && hasKeys();
    s.selected = hasKeys();
    return s;
  }
  QAccessibleInterface* childAt(int x, int y) const override {
    for (int i = 0; i < childCount(); ++i)
      if (child(i)->rect().contains(x, y)) return child(i);
    return nullptr;
  }
  int childCount() const override { return static_cast<int>(inside().size()); }
  QAccessibleInterface* child(int i) const override {
    const auto all = inside();
    return i >= 0 && i < static_cast<int>(all.size()) ? all[static_cast<std::size_t>(i)] : nullptr;
  }
  int indexOfChild(const QAccessibleInterface* c) const override {
    const auto all = inside();
    const auto it = std::find(all.begin(), all.end(), c);
    return it == all.end() ? -1 : static_cast<int>(it - all.begin());
  }
  void* interface_cast(QAccessible::InterfaceType t) override {
    if (t == QAccessible::ActionInterface) return static_cast<QAccessibleActionInterface*>(this);
    if (t == QAccessible::ValueInterface && currentValue().isValid())
      return static_cast<QAccessibleValueInterface*>(this);
    return nullptr;
  }
  QStringList keyBindingsForAction(const QString&) const override { return {}; }
  QStringList actionNames() const override { return {}; }
  void doAction(const QString&) override {}
  QVariant currentValue() const override { return {}; }
  QVariant minimumValue() const override { return {}; }
  QVariant maximumValue() const override { return {}; }
  QVariant minimumStepSize() const override { return {}; }
  void setCurrentValue(const QVariant&) override {}

 protected:
  virtual QRectF place() const = 0;
  virtual bool hasKeys() const = 0;
  virtual std::vector<QAccessibleInterface*> inside() const { return {}; }
  ScoreView& view() const { return *view_; }
  bool there() const { return view_ && view_->session().isOpen() && view_->session().plan(); }
  Session& session() const { return view_->session(); }
  const Song& song() const { return session().song(); }
  const TempoMap& map() const { return session().plan()->map(); }

 private:
  QPointer<ScoreView> view_;
};

/// A staff: its gain is its value, and the ornaments on it are inside.
class RowPart : public Part {
 public:
  RowPart(ScoreView& view, std::string id)
      : Part(view)
      , id_(std::move(id)) {}
  bool isValid() const override { return there() && song().hasRow(id_); }
  QAccessible::Role role() const override { return QAccessible::Row; }
  QAccessibleInterface* parent() const override;
  QString text(QAccessible::Text t) const override {
    if (!isValid()) return {};
    if (t == QAccessible::Name) return asText(song().rowName(id_));
    if (t == QAccessible::Description)
      return QObject::tr("%n ornament(s) on this row", nullptr, static_cast<int>(ornaments().size()));
    if (t != QAccessible::Value) return {};
    const RowMix m = song().rowMix(id_);
    const QString gain = QObject::tr("gain %1 dB").arg(m.gainDb, 0, 'f', 1);
    return m.mute ? QObject::tr("%1, muted").arg(gain) : m.solo ? QObject::tr("%1, solo").arg(gain) : gain;
  }
  QVariant currentValue() const override { return isValid() ? QVariant(song().rowMix(id_).gainDb) : QVariant(); }
  QVariant minimumValue() const override { return -60.0; }
  QVariant maximumValue() const override { return 12.0; }
  QVariant minimumStepSize() const override { return 0.5; }
  void setCurrentValue(const QVariant& v) override {
    if (!isValid()) return;
    RowMix m = song().rowMix(id_);
    m.gainDb = std::clamp(v.toDouble(), -60.0, 12.0);
    session().edit(QObject::tr("gain of %1").arg(asText(song().rowName(id_))), withRowMix(song(), id_, m));
  }
  QStringList actionNames() const override { return {toggleAction()}; }
  void doAction(const QString& name) override {
    if (isValid() && name == toggleAction()) view().folds().toggle(id_);
  }

 protected:
  QRectF place() const override { return view().staffOf(id_); }
  bool hasKeys() const override { return view().caret().row() == id_ && !view().opened().isOpen(); }
  std::vector<QAccessibleInterface*> inside() const override;

 private:
  std::vector<std::string> ornaments() const {
    std::vector<std::string> all;
    for (const auto& o : song().ornaments)
      if (o->on == id_) all.push_back(o->id);
    return all;
  }
  std::string id_;
};

/// An ornament: where it stands is its value, in beats; pressed, it opens, and its handles are inside.
class OrnamentPart : public Part {
 public:
  OrnamentPart(ScoreView& view, std::string id)
      : Part(view)
      , id_(std::move(id)) {}
  bool isValid() const override { return there() && ornament(); }
  QAccessible::Role role() const override { return QAccessible::ListItem; }
  QAccessibleInterface* parent() const override;
  QString text(QAccessible::Text t) const override {
    if (!isValid()) return {};
    const Ornament& o = *ornament();
    if (t == QAccessible::Name)
      return o.name.empty() ? kindWord(o.kind) : QObject::tr("%1 “%2”").arg(kindWord(o.kind), asText(o.name));
    if (t == QAccessible::Value)
      return QObject::tr("%1, over %2").arg(barWords(map(), o.start), spanWords(map(), o.start, o.length));
    if (t == QAccessible::Description) return o.enabled ? saidOf(view(), id_) : QObject::tr("bypassed");
    return {};
  }
  QVariant currentValue() const override { return isValid() ? QVariant(ornament()->start.quarters()) : QVariant(); }
  QVariant minimumStepSize() const override { return view().grid().quarters(); }
  void setCurrentValue(const QVariant& v) override {
    if (!isValid()) return;
    session().edit(QObject::tr("move %1").arg(kindWord(ornament()->kind)),
                   withOrnamentsShifted(song(), {id_}, Beats::ofQuarters(v.toDouble()) - ornament()->start));
  }
  QStringList actionNames() const override { return {pressAction()}; }
  void doAction(const QString& name) override {
    if (isValid() && name == pressAction()) view().opened().open(id_);
  }

 protected:
  QRectF place() const override { return isOpen() ? QRectF(view().openArea()) : view().signOf(id_); }
  bool hasKeys() const override { return isOpen() || (!view().opened().isOpen() && view().hand().atCaret() == id_); }
  std::vector<QAccessibleInterface*> inside() const override;

 private:
  bool isOpen() const { return view().opened().isOpen() && view().hand().atCaret() == id_; }
  const Ornament* ornament() const { return song().ornament(id_); }
  std::string id_;
};

/// A handle of the open ornament: what it says is its value, and it goes up and down.
class HandlePart : public Part {
 public:
  HandlePart(ScoreView& view, QString name)
      : Part(view)
      , name_(std::move(name)) {}
  bool isValid() const override { return there() && handle(); }
  QAccessible::Role role() const override { return QAccessible::Slider; }
  QAccessibleInterface* parent() const override;
  QString text(QAccessible::Text t) const override {
    const auto h = handle();
    return !h ? QString() : t == QAccessible::Name ? h->word : t == QAccessible::Value ? h->label : QString();
  }
  QStringList actionNames() const override { return {increaseAction(), decreaseAction()}; }
  void doAction(const QString& name) override {
    if (isValid() && actionNames().contains(name)) view().opened().stepHandle(name_, name == increaseAction() ? 1 : -1);
  }

 protected:
  QRectF place() const override { return view().opened().handleRect(name_); }
  bool hasKeys() const override { return view().opened().activeHandle() == name_; }

 private:
  std::optional<OpenHandle> handle() const {
    if (!there()) return std::nullopt;
    for (OpenHandle& h : view().opened().handles())
      if (h.name == name_) return h;
    return std::nullopt;
  }
  QString name_;
};

/// The score itself: the widgets on it, then its rows.
class ScoreObject : public QAccessibleWidget {
 public:
  explicit ScoreObject(ScoreView& view)
      : QAccessibleWidget(&view, QAccessible::Document)
      , view_(view) {}
  ~ScoreObject() override {
    for (const auto& [key, id] : parts_) QAccessible::deleteAccessibleInterface(id);
  }
  int childCount() const override { return QAccessibleWidget::childCount() + static_cast<int>(rows().size()); }
  QAccessibleInterface* child(int i) const override {
    const int widgets = QAccessibleWidget::childCount();
    const auto all = rows();
    if (i < widgets) return QAccessibleWidget::child(i);
    return i - widgets < static_cast<int>(all.size()) ? row(all[static_cast<std::size_t>(i - widgets)]) : nullptr;
  }
  int indexOfChild(const QAccessibleInterface* c) const override {
    for (int i = QAccessibleWidget::childCount(); i < childCount(); ++i)
      if (child(i) == c) return i;
    return QAccessibleWidget::indexOfChild(c);
  }
  QAccessibleInterface* childAt(int x, int y) const override {
    if (auto* widget = QAccessibleWidget::childAt(x, y)) return widget;
    for (const std::string& id : rows())
      if (row(id)->rect().contains(x, y)) return row(id);
    return nullptr;
  }

  QAccessibleInterface* row(const std::string& id) const { return part<RowPart>("row " + id, id); }
  QAccessibleInterface* ornament(const std::string& id) const { return part<OrnamentPart>("ornament " + id, id); }
  QAccessibleInterface* handle(const QString& name) const {
    return part<HandlePart>("handle " + name.toStdString(), name);
  }

 private:
  std::vector<std::string> rows() const {
    return view_.session().isOpen() ? view_.session().song().rowsInScoreOrder() : std::vector<std::string>();
  }
  /// The same object for the same thing, as long as the score is there.
  template <class P, class Name> QAccessibleInterface* part(const std::string& key, const Name& name) const {
    const auto it = parts_.find(key);
    if (it != parts_.end()) return QAccessible::accessibleInterface(it->second);
    auto* made = new P(view_, name);
    parts_[key] = QAccessible::registerAccessibleInterface(made);
    return made;
  }
  ScoreView& view_;
  mutable std::map<std::string, QAccessible::Id> parts_;
};

ScoreObject* objectOf(ScoreView& view) {
  return static_cast<ScoreObject*>(QAccessible::queryAccessibleInterface(&view));
}

QAccessibleInterface* RowPart::parent() const {
  return objectOf(view());
}
std::vector<QAccessibleInterface*> RowPart::inside() const {
  std::vector<QAccessibleInterface*> all;
  if (isValid())
    for (const std::string& id : ornaments()) all.push_back(objectOf(view())->ornament(id));
  return all;
}
QAccessibleInterface* OrnamentPart::parent() const {
  return isValid() ? objectOf(view())->row(ornament()->on) : nullptr;
}
std::vector<QAccessibleInterface*> OrnamentPart::inside() const {
  std::vector<QAccessibleInterface*> all;
  if (isValid() && isOpen())
    for (const OpenHandle& h : view().opened().handles()) all.push_back(objectOf(view())->handle(h.name));
  return all;
}
QAccessibleInterface* HandlePart::parent() const {
  return isValid() ? objectOf(view())->ornament(view().hand().atCaret()) : nullptr;
}

QAccessibleInterface* scoreObject(const QString& className, QObject* object) {
  if (className != QLatin1String(ScoreView::staticMetaObject.className())) return nullptr;
  auto* view = qobject_cast<ScoreView*>(object);
  return view ? new ScoreObject(*view) : nullptr;
}

void readOut(QAccessibleInterface* part) {
  QAccessibleEvent e(part, QAccessible::Focus);
  QAccessible::updateAccessibility(&e);
}

} // namespace

void makeScoreReadable() {
  static const bool once = (QAccessible::installFactory(scoreObject), true);
  static_cast<void>(once);
}

void readRow(ScoreView& score, const std::string& row) {
  if (QAccessible::isActive()) readOut(objectOf(score)->row(row));
}
void readOrnament(ScoreView& score, const std::string& id) {
  if (QAccessible::isActive()) readOut(objectOf(score)->ornament(id));
}
void readHandle(ScoreView& score, const QString& name) {
  if (QAccessible::isActive()) readOut(objectOf(score)->handle(name));
}

} // namespace ivrin::app
