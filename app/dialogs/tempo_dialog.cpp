#include "app/dialogs/tempo_dialog.h"

#include "app/theme/paper_dialog.h"
#include "app/theme/type.h"
#include "app/words/grid_words.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace ivrin::app {
namespace {

constexpr double kForgottenSeconds = 3; // a tap after that begins anew
constexpr double kOffBeat = 1.0 / 3;    // a tap so far beside its beat is none

/// Without the noughts at the end.
class BpmBox : public QDoubleSpinBox {
 public:
  using QDoubleSpinBox::QDoubleSpinBox;
  QString textFromValue(double v) const override { return locale().toString(v, 'g', QLocale::FloatingPointShortest); }
};

} // namespace

std::optional<double> tappedTempo(const std::vector<double>& seconds) {
  if (seconds.size() < 4) return std::nullopt;
  std::vector<double> steps;
  for (std::size_t i = 1; i < seconds.size(); ++i) steps.push_back(seconds[i] - seconds[i - 1]);
  std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
  const double beat = steps[steps.size() / 2];
  if (beat <= 0) return std::nullopt;
  // Each tap to the beat it is nearest to, counted from the last one that was on its beat; then a line through them.
  double n = 0, x = 0, y = 0, xx = 0, xy = 0, at = 0, last = seconds.front();
  for (std::size_t i = 0; i < seconds.size(); ++i) {
    if (i > 0) {
      const double step = (seconds[i] - last) / beat, whole = std::round(step);
      if (whole < 1 || std::abs(step - whole) > kOffBeat) continue;
      at += whole;
      last = seconds[i];
    }
    n += 1;
    x += at;
    y += seconds[i];
    xx += at * at;
    xy += at * seconds[i];
  }
  const double spread = n * xx - x * x;
  if (n < 3 || spread <= 0) return std::nullopt;
  return 60 * spread / (n * xy - x * y);
}

TempoDialog::TempoDialog(double bpm, const QString& where, bool hasOrnaments, bool everywhere, QWidget* parent)
    : QDialog(parent)
    , bpm_(new BpmBox(this))
    , corrects_(new QRadioButton(tr("Correct &grid (ornaments stay with the audio)"), this))
    , changes_(new QRadioButton(tr("&Change tempo (ornaments keep their beats)"), this))
    , listen_(new QPushButton(tr("D&etect tempo"), this))
    , follows_(new QCheckBox(tr("Detect tempo chan&ges"), this))
    , likely_(new QHBoxLayout)
    , said_(new QLabel(this))
    , everywhere_(everywhere) {
  setWindowTitle(tr("Tempo"));
  bpm_->setObjectName(QStringLiteral("tempo-bpm"));
  bpm_->setRange(20, 400);
  bpm_->setDecimals(3);
  bpm_->setValue(bpm);
  bpm_->selectAll();
  said_->setObjectName(QStringLiteral("tempo-said"));
  said_->setWordWrap(true);
  said_->setText(where);

  auto* form = new QFormLayout;
  form->addRow(tr("&BPM"), bpm_);
  auto* ways = new QHBoxLayout;
  const auto way = [&](const QString& text, const char* name, auto act) {
    auto* b = new QPushButton(text, this);
    b->setObjectName(QString::fromLatin1(name));
    b->setAutoDefault(false);
    connect(b, &QPushButton::clicked, this, act);
    ways->addWidget(b);
  };
  const auto times = [this](double ratio) {
    return [this, ratio] {
      const double next = bpm_->value() * ratio;
      if (next >= bpm_->minimum() && next <= bpm_->maximum()) bpm_->setValue(next);
    };
  };
  way(tr("&Half"), "tempo-half", times(0.5));
  way(tr("&Double"), "tempo-double", times(2));
  way(tr("&Two thirds"), "tempo-two-thirds", times(2.0 / 3));
  way(tr("Ta&p"), "tempo-tap", [this] { tap(); });
  listen_->setObjectName(QStringLiteral("tempo-listen"));
  listen_->setAutoDefault(false);
  connect(listen_, &QPushButton::clicked, this, [this] {
    listen_->setEnabled(false);
    said_->setText(tr("Analysing all stems…"));
    emit listens();
  });
  ways->addWidget(listen_);

  follows_->setObjectName(QStringLiteral("tempo-follows"));
  follows_->setVisible(false); // until there is something to follow
  connect(follows_, &QCheckBox::toggled, bpm_, &QWidget::setDisabled);

  corrects_->setObjectName(QStringLiteral("tempo-corrects"));
  changes_->setObjectName(QStringLiteral("tempo-changes"));
  corrects_->setChecked(true);
  corrects_->setVisible(hasOrnaments);
  changes_->setVisible(hasOrnaments);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  auto* all = new QVBoxLayout(this);
  all->addLayout(form);
  all->addLayout(ways);
  all->addWidget(said_);
  all->addLayout(likely_);
  all->addWidget(follows_);
  all->addWidget(corrects_);
  all->addWidget(changes_);
  all->addWidget(buttons);
  setMinimumWidth(scaled(520));
  dress(*this);
}

void TempoDialog::tap() {
  const double now = clock_.isValid() ? static_cast<double>(clock_.elapsed()) / 1000 : 0;
  if (!clock_.isValid()) clock_.start();
  if (!taps_.empty() && now - taps_.back() > kForgottenSeconds) taps_.clear();
  taps_.push_back(now);
  if (const auto bpm = tappedTempo(taps_)) {
    bpm_->setValue(std::round(*bpm * 10) / 10);
    said_->setText(tr("Tapped %n time(s)", nullptr, static_cast<int>(taps_.size())));
  } else {
    said_->setText(tr("Tap along. The tempo is measured from the fourth tap on."));
  }
}

void TempoDialog::setFound(const FoundGrid& found) {
  listen_->setEnabled(true);
  found_ = found;
  const bool wanders = everywhere_ && found.curve;
  follows_->setVisible(wanders);
  follows_->setChecked(wanders);
  if (wanders) {
    said_->setText(tr("Played without a click: %1 (confidence %2).")
                       .arg(tempiWords(tempiOf(*found.curve)), QString::number(found.curve->confidence, 'f', 2)));
    return;
  }
  if (!found.tempo) {
    said_->setText(tr("Tempo detection failed: no steady beat found. Type the tempo or tap it."));
    return;
  }
  bpm_->setValue(found.tempo->bpm);
  said_->setText(found.tempo->confidence < kLeastConfidence
                     ? tr("The tempo is uncertain. Each button plays one choice with the click:")
                     : tr("Detected %1 BPM (confidence %2). Each button plays one choice with the click:")
                           .arg(bpmText(found.tempo->bpm), QString::number(found.tempo->confidence, 'f', 2)));
  offerLikely(likelyTempi(found));
}

void TempoDialog::offerLikely(const std::vector<double>& tempi) {
  while (QLayoutItem* item = likely_->takeAt(0)) {
    if (item->widget()) item->widget()->deleteLater();
    delete item;
  }
  for (const double bpm : tempi) {
    auto* b = new QPushButton(bpmText(bpm), this);
    b->setObjectName(QStringLiteral("tempo-likely"));
    b->setAutoDefault(false);
    connect(b, &QPushButton::clicked, this, [this, bpm] {
      bpm_->setValue(bpm);
      emit tries(bpm);
    });
    likely_->addWidget(b);
    if (likely_->count() == 1) b->setFocus();
  }
  likely_->addStretch(1);
}

} // namespace ivrin::app
