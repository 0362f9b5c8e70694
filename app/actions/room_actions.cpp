#include "app/actions/room_actions.h"

#include "app/words/as_text.h"
#include "app/words/ornament_look.h"
#include "manners/room.h"
#include "song/edits.h"

#include <algorithm>

namespace ivrin::app {
namespace {

constexpr std::int64_t kFirstBars = 2, kMostBars = 8; // of what narrows without a selection

} // namespace
RoomActions::RoomActions(const Desk& desk)
    : ActionGroup(desk) {
  connect(&session_.rows(), &RowFacts::chosenChanged, this, [this] {
    const auto& f = session_.rows().chosen();
    if (f && !wanted_.empty() && f->ornament == std::exchange(wanted_, {})) makeRoom();
  });
}

void RoomActions::addActions(const QString& menu) {
  actions_->add({"makeRoom",
                 menu,
                 tr("Duck rows under lead-i&n"),
                 tr("Turns down the rows that a lead-in covers until the landing. Press again to cut only the band "
                    "they share, then once more for neither. With several rows selected, only those."),
                 {QKeySequence(Qt::CTRL | Qt::Key_B)},
                 [this] { makeRoom(); },
                 false,
                 true});
  actions_->add({"openWide",
                 menu,
                 tr("Narro&w before landing"),
                 tr("Narrows the mix, or the selected rows, before the landing, so that it opens up there. Press again "
                    "for more bars."),
                 {QKeySequence(Qt::CTRL | Qt::Key_I)},
                 [this] { openWide(); }});
}

void RoomActions::makeRoom() {
  if (!session_.isOpen() || !session_.plan()) return;
  const SongContext& context = session_.plan()->context();
  const auto leads = [&](const Ornament& o) {
    const Kind* kind = allKinds().find(o.kind);
    return o.enabled && kind->leadsIn(o) && kind->landingFrame({o, context});
  };
  // The one in hand, else one that leads to the landing.
  std::string id;
  for (const Ornament& o : ornamentsInHand())
    if (id.empty() && leads(o)) id = o.id;
  if (id.empty() && score_->landing())
    for (const auto& o : session_.song().ornaments)
      if (id.empty() && o->landing == score_->landing()->id && leads(*o)) id = o->id;
  if (id.empty()) {
    measure_->say(tr("No ornament here leads to a landing, so there is nothing to make room for."), false);
    return;
  }
  const auto& f = session_.rows().chosen();
  const auto node = session_.plan()->node(id);
  if (!f || f->ornament != id || !node) { // what it covers is still being measured
    wanted_ = id;
    score_->opened().open(id);
    return;
  }
  const Ornament o = *session_.song().ornament(id);
  const Kind& kind = *allKinds().find(o.kind);
  std::vector<std::string> rows;
  if (const auto& s = score_->selection(); s && !s->more.empty()) rows = s->rows();
  const auto made = [&](RoomWay way) { return roomFor(kind, {o, context}, node->extent().begin, f->over, rows, way); };
  const std::vector<Ornament> dips = made(RoomWay::dip), bands = made(RoomWay::band);
  if (dips.empty()) {
    measure_->say(tr("%1 masks no other row.").arg(capital(kindWord(o.kind))), false);
    return;
  }
  QStringList names;
  for (const Ornament& d : dips) names << QString::fromStdString(session_.song().rowName(d.on));
  const QString label = tr("duck rows under %1").arg(kindWord(o.kind));
  const auto dipped = standingAs(session_.song(), dips), cut = standingAs(session_.song(), bands);
  if (!dipped.empty()) {
    session_.edit(label, withOrnaments(withOrnamentsRemoved(session_.song(), dipped), bands).song);
    measure_->say(tr("Rows lose the shared band until the landing: %1").arg(names.join(QStringLiteral(", "))), false);
  } else if (!cut.empty()) {
    session_.edit(label, withOrnamentsRemoved(session_.song(), cut));
    measure_->say(tr("Rows are no longer ducked."), false);
  } else {
    session_.edit(label, withOrnaments(session_.song(), dips).song);
    measure_->say(tr("Rows are turned down until the landing: %1").arg(names.join(QStringLiteral(", "))), false);
  }
  session_.settle();
}

void RoomActions::openWide() {
  if (!session_.isOpen() || !session_.plan()) return;
  std::vector<std::string> rows{kMixRow};
  std::vector<BeatRange> stretches;
  std::optional<std::string> landing;
  if (const auto& s = score_->selection(); s && s->end > s->begin) {
    rows = s->rows();
    stretches.push_back(s->range());
    for (const Landing& l : session_.song().allLandings())
      if (l.at == s->end) landing = l.id;
  } else if (const Landing* l = score_->landing(); l && l->at > Beats(0)) {
    landing = l->id;
    const Beats bar = session_.plan()->map().meterAt(l->at - Beats(1)).barLength();
    for (std::int64_t bars = kFirstBars; bars <= kMostBars; bars *= 2) {
      const BeatRange stretch{std::max(l->at - bar * bars, Beats(0)), l->at};
      if (stretches.empty() || stretches.back() != stretch) stretches.push_back(stretch);
    }
  } else {
    measure_->say(tr("There is no landing here to open on. Press M to set one at the cursor."), false);
    return;
  }
  if (!session_.soundsWide(rows)) {
    measure_->say(tr("This is mono already, so narrowing would not be heard."), false);
    return;
  }
  const auto made = [&](BeatRange stretch) {
    std::vector<Ornament> all;
    for (const std::string& row : rows) all.push_back(narrowing(row, stretch, landing));
    return all;
  };
  // What stands is longer the next time, and gone after the longest.
  for (std::size_t i = 0; i < stretches.size(); ++i) {
    const auto standing = standingAs(session_.song(), made(stretches[i]));
    if (standing.empty()) continue;
    Song next = withOrnamentsRemoved(session_.song(), standing);
    const bool more = i + 1 < stretches.size();
    if (more) next = withOrnaments(std::move(next), made(stretches[i + 1])).song;
    session_.edit(tr("narrow before landing"), std::move(next));
    session_.settle();
    measure_->say(
        more ? tr("Narrows over %n bar(s) and opens on the landing.", nullptr, static_cast<int>(kFirstBars << (i + 1)))
             : tr("No longer narrowed before the landing."),
        false);
    return;
  }
  session_.edit(tr("narrow before landing"), withOrnaments(session_.song(), made(stretches.front())).song);
  session_.settle();
  measure_->say(tr("Narrows and opens on the landing."), false);
}

} // namespace ivrin::app
