#include "app/actions/row_actions.h"

#include "app/dialogs/bus_dialog.h"
#include "app/theme/paper_dialog.h"
#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "app/words/row_words.h"
#include "song/edits.h"
#include "song/row_edits.h"

#include <QMenu>

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kMostNamed = 8; // of the ornaments that go with a row

/// Without space around it; nothing where none was given.
std::optional<QString> askRowName(QWidget* parent, const QString& title, const QString& now = {}) {
  const auto name = askName(parent, title, QObject::tr("Name"), now);
  return name && !name->trimmed().isEmpty() ? std::optional(name->trimmed()) : std::nullopt;
}

} // namespace
RowActions::RowActions(const Desk& desk)
    : ActionGroup(desk) {
  connect(score_, &ScoreView::rowMenuWanted, this, &RowActions::showMenu);
  connect(score_, &ScoreView::rowDropped, this, &RowActions::drop);
}

void RowActions::addActions(const QString& menu) {
  const QString sub = menuTitle();
  const auto add = [this, menu, sub](const char* id, const QString& text, const QString& tip, auto run) {
    actions_->add({QString::fromLatin1(id), menu, text, tip, {}, run, false, false, sub});
  };
  add("emptyRow", tr("New &empty row…"),
      tr("Adds a row without audio, for ornaments that take their source from other rows."), [this] { newEmptyRow(); });
  add("newBus", tr("New &bus…"), tr("Adds a bus and asks which rows go through it."), [this] { newBus(); });
  add("rowName", tr("&Name…"), tr("Renames the cursor's row."), [this] { nameRow(); });
  add("rowRole", tr("&Role…"), tr("Sets what the cursor's row is in the song, such as voice or drums."),
      [this] { chooseRole(); });
  add("rowBus", tr("Assign to &bus…"), tr("Sets the bus that the cursor's row goes through."), [this] { chooseBus(); });
  add("rowUp", tr("Move row &up"),
      tr("Moves the cursor's row, with the rows on its bus. You can also drag it by its name."),
      [this] { moveRow(-1); });
  add("rowDown", tr("Move row &down"),
      tr("Moves the cursor's row, with the rows on its bus. You can also drag it by its name."),
      [this] { moveRow(1); });
  add("removeRow", tr("Re&move…"), tr("Removes the cursor's row with its ornaments."), [this] { removeRow(); });
}

QString RowActions::menuTitle() {
  return tr("Ro&ws");
}

void RowActions::showMenu(const QPoint& at) {
  QMenu m(window_);
  for (const char* id : {"rowName", "rowRole", "rowBus", "rowUp", "rowDown", "stemFile", "removeRow", "addStems",
                         "emptyRow", "newBus"}) {
    if (QLatin1String(id) == QLatin1String("addStems")) m.addSeparator();
    m.addAction(action(id));
  }
  m.exec(at);
}

void RowActions::drop(const std::string& row, const std::string& before, bool onto) {
  const QString name = asText(session_.song().rowName(row));
  if (onto && session_.song().stem(row))
    edit(tr("%1 on %2").arg(name, asText(session_.song().rowName(before))),
         withStemOnBus(session_.song(), row, before));
  else if (!onto)
    edit(tr("move %1").arg(name), withRowBefore(session_.song(), row, before));
}

/// The caret's row where it is a stem or a bus; else it is said that it is none.
std::optional<std::string> RowActions::rowInHand() {
  if (!session_.isOpen()) return std::nullopt;
  const std::string row = score_->caret().row();
  if (row != kMixRow && session_.song().hasRow(row)) return row;
  measure_->say(tr("The mix cannot be removed, renamed or moved."), false);
  return std::nullopt;
}

void RowActions::newEmptyRow() {
  if (!session_.isOpen()) return;
  const auto name = askRowName(window_, tr("New empty row"));
  if (!name) return;
  Stem s;
  s.name = name->toStdString();
  s.id = freshRowId(session_.song(), s.name);
  edit(tr("add row %1").arg(*name), withStem(session_.song(), std::move(s)));
}

void RowActions::newBus() {
  if (!session_.isOpen()) return;
  const auto selection = score_->selection();
  const std::vector<std::string> selected = selection ? selection->rows() : std::vector{score_->caret().row()};
  BusDialog d(session_.song(), {selected.begin(), selected.end()}, window_);
  if (d.exec() != QDialog::Accepted || d.name().isEmpty()) return;
  Bus bus;
  bus.name = d.name().toStdString();
  bus.id = freshRowId(session_.song(), bus.name);
  const std::string id = bus.id;
  Song next = withBus(session_.song(), std::move(bus));
  for (const std::string& row : d.rows())
    if (next.stem(row)) next = withStemOnBus(std::move(next), row, id);
  edit(tr("new bus %1").arg(d.name()), std::move(next));
}

void RowActions::nameRow() {
  const auto row = rowInHand();
  if (!row) return;
  if (const auto name = askRowName(window_, tr("Name of the row"), asText(session_.song().rowName(*row))))
    edit(tr("name of %1").arg(*name), withRowName(session_.song(), *row, name->toStdString()));
}

void RowActions::chooseRole() {
  const auto row = rowInHand();
  if (!row) return;
  const Stem* stem = session_.song().stem(*row);
  const auto now = stem ? stem->role : session_.song().bus(*row)->role;
  QStringList all{roleName(std::nullopt)};
  int place = 0;
  for (const RowRole r : kRowRoles) {
    if (now == r) place = static_cast<int>(all.size());
    all << roleName(r);
  }
  const QString name = asText(session_.song().rowName(*row));
  const auto chosen = askOne(window_, tr("Role"), tr("Role of %1").arg(name), all, place);
  if (!chosen) return;
  const auto role = *chosen == 0 ? std::nullopt : std::optional(kRowRoles[static_cast<std::size_t>(*chosen - 1)]);
  edit(tr("role of %1").arg(name), withRole(session_.song(), *row, role));
}

void RowActions::chooseBus() {
  const auto row = rowInHand();
  if (!row) return;
  const Stem* stem = session_.song().stem(*row);
  if (!stem) {
    measure_->say(tr("A bus always goes to the mix. Choose a row to assign it to a bus."), false);
    return;
  }
  if (session_.song().buses.empty()) {
    newBus();
    return;
  }
  QStringList all{tr("none (to the mix)")};
  int place = 0;
  for (const Bus& b : session_.song().buses) {
    if (stem->bus == b.id) place = static_cast<int>(all.size());
    all << asText(b.name);
  }
  const QString name = asText(stem->name);
  const auto chosen = askOne(window_, tr("Bus"), tr("%1 goes through").arg(name), all, place);
  if (!chosen) return;
  const auto bus =
      *chosen == 0 ? std::nullopt : std::optional(session_.song().buses[static_cast<std::size_t>(*chosen - 1)].id);
  edit(tr("assign %1 to bus").arg(name), withStemOnBus(session_.song(), *row, bus));
}

void RowActions::moveRow(int step) {
  const auto row = rowInHand();
  if (!row) return;
  // Past what stands next to it: within its bus a stem, else a group.
  const std::vector<std::string> rows = session_.song().rowsInScoreOrder();
  const auto own = std::find(rows.begin(), rows.end(), *row) - rows.begin();
  for (auto i = own + step; i >= 0 && i < static_cast<std::ptrdiff_t>(rows.size()); i += step) {
    // Down: before the one after the next.
    const auto before = step < 0 ? i : i + 1;
    if (before >= static_cast<std::ptrdiff_t>(rows.size())) break;
    Song next = withRowBefore(session_.song(), *row, rows[static_cast<std::size_t>(before)]);
    if (next.rowsInScoreOrder() == rows) continue;
    edit(tr("move %1").arg(asText(session_.song().rowName(*row))), std::move(next));
    return;
  }
  measure_->say(step < 0 ? tr("This row is already the first.") : tr("This row is already the last."), false);
}

void RowActions::removeRow() {
  const auto row = rowInHand();
  if (!row) return;
  const QString name = asText(session_.song().rowName(*row));
  const int ornaments = ornamentsOn(session_.song(), *row);
  QStringList going;
  for (const auto& o : session_.song().ornaments)
    if (o->on == *row)
      going << tr("%1 at bar %2").arg(kindWord(o->kind)).arg(session_.plan()->map().barAt(o->start).bar);
  const int named = std::min<int>(static_cast<int>(going.size()), kMostNamed);
  QString text = going.isEmpty() ? tr("It has no ornaments.")
                                 : tr("These ornaments are removed with it: %1")
                                       .arg(QStringList(going.mid(0, named)).join(QStringLiteral(", ")));
  if (going.size() > named) text += tr(" and %1 more").arg(static_cast<int>(going.size()) - named);
  if (ask(window_, tr("Remove %1?").arg(name), text, QMessageBox::Yes | QMessageBox::Cancel, QMessageBox::Yes) !=
      QMessageBox::Yes)
    return;
  edit(tr("remove %1").arg(name), withoutRow(session_.song(), *row, allKinds().registry()));
  measure_->say(ornaments == 0 ? tr("Removed %1.").arg(name)
                               : tr("Removed %1 with %n ornament(s)", nullptr, ornaments).arg(name),
                false);
}

} // namespace ivrin::app
