#include "app/openrow/note_values_page.h"

#include "app/theme/palette.h"
#include "app/theme/paper_dialog.h"
#include "app/theme/type.h"
#include "time/plain_number.h"

#include <QApplication>
#include <QClipboard>
#include <QDialogButtonBox>
#include <QHeaderView>
#include <QKeyEvent>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr int kColumns = 3; // plain, dotted, triplet

int columnOf(const NoteValue& v) {
  return v.dotted ? 1 : v.triplet ? 2 : 0;
}

NoteValue plain(NoteValue v) {
  v.dotted = v.triplet = false;
  return v;
}

} // namespace

NoteValuesPage::NoteValuesPage(const TempoMap& map, Beats at, const QString& forWhat, QWidget* parent)
    : QDialog(parent)
    , map_(map)
    , at_(at)
    , picks_(!forWhat.isEmpty())
    , values_(allNoteValues(map, at))
    , table_(new QTableWidget(this))
    , said_(new QLabel(this)) {
  setWindowTitle(picks_ ? tr("Note value for %1").arg(forWhat) : tr("Note times and rates"));
  setObjectName(QStringLiteral("noteValues"));
  // One row for each note, bars and then the longest first.
  std::stable_sort(values_.begin(), values_.end(), [&](const NoteValue& a, const NoteValue& b) {
    const bool bars = a.kind == NoteValue::Kind::bars;
    if (bars != (b.kind == NoteValue::Kind::bars)) return bars;
    return a.seconds(map, at).value > b.seconds(map, at).value;
  });
  for (const NoteValue& v : values_)
    if (rowOf(v) == static_cast<int>(rows_.size())) rows_.push_back(plain(v));
  table_->setRowCount(static_cast<int>(rows_.size()));
  table_->setColumnCount(kColumns);
  table_->setHorizontalHeaderLabels({tr("plain"), tr("dotted"), tr("triplet")});
  QStringList names;
  for (const NoteValue& r : rows_)
    names << (r.kind != NoteValue::Kind::bars ? QString::fromStdString(r.text())
              : r.number == 1                 ? tr("1 bar")
                                              : tr("%1 bars").arg(r.number));
  table_->setVerticalHeaderLabels(names);
  for (const NoteValue& v : values_) {
    const double seconds = v.seconds(map, at).value;
    auto* item = new QTableWidgetItem(tr("%1 ms   %2 Hz")
                                          .arg(QString::fromStdString(fixedNumber(seconds * 1e3, 1)),
                                               QString::fromStdString(roundNumber(1 / seconds, 3))));
    item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    item->setData(Qt::AccessibleTextRole, QStringLiteral("%1: %2").arg(QString::fromStdString(v.text()), item->text()));
    table_->setItem(rowOf(v), columnOf(v), item);
  }
  for (int r = 0; r < table_->rowCount(); ++r)
    for (int c = 0; c < kColumns; ++c)
      if (!table_->item(r, c)) {
        auto* none = new QTableWidgetItem;
        none->setFlags(Qt::NoItemFlags);
        table_->setItem(r, c, none);
      }
  table_->setAccessibleName(tr("Note times and rates"));
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->setShowGrid(false);
  table_->setFrameShape(QFrame::NoFrame);
  table_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  table_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  table_->installEventFilter(this);
  connect(table_, &QTableWidget::cellClicked, this,
          [this](int r, int c) { act(r, c, QApplication::keyboardModifiers() & Qt::ShiftModifier); });

  auto* head = new QLabel(
      tr("%1 BPM at bar %2").arg(QString::fromStdString(roundNumber(map.bpmAt(at), 6))).arg(map.barAt(at).bar), this);
  said_->setObjectName(QStringLiteral("noteValues-said"));
  said_->setText(picks_ ? tr("Click a value or press Return to use it.")
                        : tr("Click a value or press Return to copy milliseconds; with Shift, hertz."));
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  buttons->button(QDialogButtonBox::Close)->setAutoDefault(false);
  buttons->button(QDialogButtonBox::Close)->setIcon({});
  auto* all = new QVBoxLayout(this);
  all->addWidget(head);
  all->addWidget(table_);
  all->addWidget(said_);
  all->addWidget(buttons);
  dress(*this);
  const Palette& c = paper();
  table_->setStyleSheet(
      QStringLiteral("QTableWidget { background: transparent; color: %1; }"
                     "QTableWidget::item { padding: 0 %4px; border-bottom: 1px solid %3; }"
                     "QTableWidget { outline: 0; }"
                     "QTableWidget::item:selected { background: %2; color: %1; border: 1px solid %1; }"
                     "QHeaderView, QHeaderView::section, QTableCornerButton::section { background: "
                     "transparent; color: %5; border: none; padding: 0 %4px; }")
          .arg(c.ink.name(), c.margin.name(), c.beatRule.name())
          .arg(scaled(8))
          .arg(c.quiet.name()));
  table_->verticalHeader()->setDefaultSectionSize(scaled(30));
  table_->verticalHeader()->setFont(serif(16));
  table_->verticalHeader()->setFixedWidth(scaled(76));
  table_->verticalHeader()->setHighlightSections(false);
  table_->horizontalHeader()->setHighlightSections(false);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignRight | Qt::AlignVCenter);
  table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
  table_->horizontalHeader()->setFixedHeight(scaled(26));
  table_->setMinimumSize(scaled(620), scaled(26) + table_->rowCount() * scaled(30) + 2);
  table_->setCurrentCell(rowOf(NoteValue()), 0); // a quarter
  table_->setFocus();
}

int NoteValuesPage::rowOf(const NoteValue& v) const {
  return static_cast<int>(std::find(rows_.begin(), rows_.end(), plain(v)) - rows_.begin());
}

const NoteValue* NoteValuesPage::valueAt(int row, int column) const {
  for (const NoteValue& v : values_)
    if (rowOf(v) == row && columnOf(v) == column) return &v;
  return nullptr;
}

void NoteValuesPage::act(int row, int column, bool hertz) {
  const NoteValue* v = valueAt(row, column);
  if (!v) return;
  if (picks_) {
    picked_ = *v;
    accept();
    return;
  }
  const double seconds = v->seconds(map_, at_).value;
  const QString text = QString::fromStdString(hertz ? fixedNumber(1 / seconds, 4) : fixedNumber(seconds * 1e3, 3));
  QApplication::clipboard()->setText(text);
  said_->setText((hertz ? tr("Copied %1 (%2 in hertz).") : tr("Copied %1 (%2 in milliseconds)."))
                     .arg(text, QString::fromStdString(v->text())));
}

bool NoteValuesPage::eventFilter(QObject* o, QEvent* e) {
  if (o == table_ && e->type() == QEvent::KeyPress) {
    const auto* k = static_cast<QKeyEvent*>(e);
    if (k->key() == Qt::Key_Return || k->key() == Qt::Key_Enter || k->matches(QKeySequence::Copy)) {
      act(table_->currentRow(), table_->currentColumn(), k->modifiers() & Qt::ShiftModifier);
      return true;
    }
  }
  return QDialog::eventFilter(o, e);
}

} // namespace ivrin::app
