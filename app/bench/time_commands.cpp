// The bench's commands on what changes within a shot: gauges, intervals, marks.
#include "app/bench/bench.h"
#include "app/look/parts.h"
#include "app/look/text.h"
#include "edit/edit.h"
#include "edit/gauges.h"
#include "edit/keys.h"
#include "files/bytes.h"
#include "files/csv.h"
#include "measure/gauge.h"

#include <QFileDialog>

namespace nutatio::app {

void Bench::makeTimeCommands() {
    add("add-gauge", tr("Put a gauge on the joint: its speed, travel, turn ..."), {}, "gauge", [this] {
        addGauge();
    })->setProperty("words", tr("Gauge"));
    add("gauge-to-selection", tr("Gauge: measure to the joint last selected"), {}, {}, [this] {
        const scene::ActorEntry* a = m_document.scene().actor(m_session.lastActor());
        if (!a || m_session.lastJoint() < 0) {
            say(tr("Select the other joint on the stage first, then come back to the gauge."));
            return;
        }
        attempt(tr("Measure to a joint"), [&](scene::Scene& s) {
            return edit::measureTo(s, m_session.selection().gauge, a->id, a->actor->skeleton.reference(m_session.lastJoint()));
        });
    });
    add("peak-next", tr("To the gauge's next peak"), QKeySequence(Qt::Key_Period), {}, [this] { toPeak(1); });
    add("peak-back", tr("To the gauge's peak before"), QKeySequence(Qt::Key_Comma), {}, [this] { toPeak(-1); });
    add("interval", tr("Let the layer act in an interval"), {}, {}, [this] { addInterval(); });
    add("no-intervals", tr("Let the layer act all through"), {}, {}, [this] {
        const std::string layer = m_session.selection().layer;
        m_document.edit(tr("Act all through"), [&](scene::Scene& s) {
            if (std::as_const(s).shot().intervals.count(layer) > 0) s.editShot().intervals.erase(layer);
        });
    });
    add("interval-remove", tr("Take away the interval at the play-head"), {}, {}, [this] { removeInterval(); });
    add("mark", tr("Mark this frame with a name"), QKeySequence(Qt::Key_N), "flag",
        [this] { m_tape->ruler()->askForMark(m_session.frame()); });
    add("mark-next", tr("To the next mark"), {}, {}, [this] { toMark(1); });
    add("mark-back", tr("To the mark before"), {}, {}, [this] { toMark(-1); });
    add("range-from", tr("Play from this frame on"), {}, {}, [this] {
        const auto& range = m_session.range();
        m_session.setRange(
            std::pair(m_session.frame(), range ? std::max(range->second, m_session.frame() + 1) : m_document.frames() - 1));
    });
    add("range-to", tr("Play up to this frame"), {}, {}, [this] {
        const auto& range = m_session.range();
        m_session.setRange(std::pair(range ? std::min(range->first, m_session.frame() - 1) : 0, m_session.frame()));
    });
    add("range-none", tr("Play the whole shot"), {}, {}, [this] { m_session.setRange({}); });
    add("hold-over", tr("Hold the value of this row over the range that plays"), {}, {}, [this] { holdOver(); });
    add("curves", tr("Open or close the curves below the layer"), QKeySequence(Qt::Key_E), "chart-spline", [this] {
        const std::string& layer = m_session.selection().layer;
        if (Lane* l = m_tape->lane(layer)) l->opener()->click();
    });
    add("split-traces", tr("Traces split by axis"), {}, {}, [this] {
        m_session.setSplitsTraces(m_actions["split-traces"]->isChecked());
    })->setCheckable(true);
    QAction* view = add("curve-view", tr("Curves over the whole bench"), QKeySequence(Qt::SHIFT | Qt::Key_E), "chart-spline",
                        [this] { showCurves(m_actions["curve-view"]->isChecked()); });
    view->setCheckable(true);
    add("group", tr("Put the layer into a group"), {}, {}, [this] { groupLayer(); });
    add("ungroup", tr("Take the layer out of its group"), {}, {}, [this] {
        m_document.edit(tr("Take a layer out of its group"), [this](scene::Scene& s) {
            if (scene::Layer* l = s.layer(m_session.selection().layer)) l->group.clear();
        });
    });
    for (int k = -1; k < 8; ++k) {
        QAction* a = add(QStringLiteral("colour-%1").arg(k + 1),
                         k < 0 ? tr("Layer without a colour") : tr("Layer colour %1").arg(k + 1), {}, {}, [this, k] {
                             m_document.edit(tr("Colour a layer"), [&](scene::Scene& s) {
                                 if (scene::Layer* l = s.layer(m_session.selection().layer)) l->colour = k;
                             });
                         });
        if (k < 0) continue;
        QPixmap swatch(14, 14);
        swatch.fill(look::partColour(k));
        a->setIcon(QIcon(swatch));
    }
    for (const auto& [id, ease] : {std::pair{"smooth", scene::Ease::Smooth},
                                   {"linear", scene::Ease::Linear},
                                   {"hold", scene::Ease::Hold},
                                   {"free", scene::Ease::Free}})
        add(QStringLiteral("keys-") + QLatin1String(id), tr("Selected keys: %1").arg(QLatin1String(id)), {}, {},
            [this, ease = ease] { m_tape->keys().ease(ease); });
    add("keys-copy", tr("Selected keys: copy"), {}, "copy", [this] { m_tape->keys().copy(); });
    add("keys-paste", tr("Put copied keys down at the play-head"), {}, {}, [this] {
        if (const QString why = m_tape->keys().paste(m_session.frame()); !why.isEmpty()) say(why);
    });
    add("keys-close", tr("Selected keys: same value at the first and the last frame"), {}, "repeat",
        [this] { m_tape->keys().close(); });
    add("keys-remove", tr("Selected keys: remove"), {}, "trash-2", [this] { m_tape->keys().remove(); });
    add("gauge-csv", tr("Write what all gauges read as CSV"), {}, "file-output", [this] { writeGauges(); });
}

void Bench::addGauge() {
    const Selection s = m_session.selection();
    const std::string joint = jointName(s);
    if (joint.empty()) return;
    std::string id;
    m_document.edit(tr("Put a gauge on %1").arg(QString::fromStdString(joint)),
                    [&](scene::Scene& scene) { id = edit::addGauge(scene, s.actor, joint); });
    m_session.selectGauge(id);
}

void Bench::addInterval() {
    const std::string layer = m_session.selection().layer;
    if (!m_document.scene().layer(layer)) return;
    // Over the range that plays, or a quarter of the shot from here on, with a few frames of ease.
    const auto& range = m_session.range();
    const int last = m_document.frames() - 1, from = range ? range->first : std::min(m_session.frame(), std::max(0, last - 4)),
              to = range ? range->second : std::min(last, from + std::max(4, last / 4));
    const double ease = std::min(4, (to - from) / 4) / m_document.scene().shot().fps;
    m_document.edit(tr("Add an interval"), [&](scene::Scene& s) { edit::addInterval(s, layer, from, to, ease, ease); });
    say(tr("It acts from frame %1 to %2: drag the ends and the eases at the top of its lane.").arg(from + 1).arg(to + 1));
}

void Bench::removeInterval() {
    const std::string layer = m_session.selection().layer;
    const scene::Shot& shot = m_document.scene().shot();
    const auto all = shot.intervals.find(layer);
    const double now = shot.timeOf(m_session.frame());
    for (std::size_t k = 0; all != shot.intervals.end() && k < all->second.size(); ++k)
        if (now >= all->second[k].from - scene::kSameMoment && now <= all->second[k].to + scene::kSameMoment) {
            m_document.edit(tr("Remove an interval"),
                            [&](scene::Scene& s) { edit::removeInterval(s, layer, static_cast<int>(k)); });
            return;
        }
    say(tr("No interval of the layer holds this frame."));
}

void Bench::toMark(int way) {
    const scene::Shot& shot = m_document.scene().shot();
    std::optional<int> to;
    for (const scene::Mark& m : shot.marks) {
        const int f = shot.frameOf(m.at);
        if (way > 0 && f > m_session.frame() && !to) to = f;
        if (way < 0 && f < m_session.frame()) to = f;
    }
    if (to)
        m_session.setFrame(*to);
    else
        say(tr("There is no mark on that side."));
}

void Bench::holdOver() {
    SettingRow* row = rowInHand();
    const auto owner = m_session.selection().owner();
    if (!row || !owner || !row->spec().keyable) {
        say(tr("Point at a row of the Tuner that can have keys first."));
        return;
    }
    const int last = m_document.frames() - 1, from = m_session.range() ? m_session.range()->first : 0,
              to = m_session.range() ? m_session.range()->second : last;
    const double value = m_document.scene().numberAt(*owner, row->spec().id, m_session.frame());
    m_document.edit(tr("Hold %1 over frames %2 to %3").arg(qs(row->spec().label)).arg(from + 1).arg(to + 1),
                    [&](scene::Scene& s) { edit::holdOver(s, *owner, std::string(row->spec().id), from, to, value); });
}

void Bench::groupLayer() {
    const std::string layer = m_session.selection().layer;
    const scene::Layer* l = m_document.scene().layer(layer);
    if (!l) return;
    say(tr("Name the group: layers beside each other with one name stand under one head."));
    m_tuner->askForName(QString::fromStdString(l->group), [this, layer](const QString& name) {
        m_document.edit(tr("Group: %1").arg(name), [&](scene::Scene& s) {
            if (scene::Layer* mine = s.layer(layer)) mine->group = name.toStdString();
        });
    });
}

void Bench::showKeyMenu(const QPoint& at) {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (const char* id : {"keys-smooth", "keys-linear", "keys-hold", "keys-free", "", "keys-copy", "keys-paste", "keys-close",
                           "keys-half", "keys-remove"})
        if (*id == 0)
            menu->addSeparator();
        else
            menu->addAction(m_actions.value(QLatin1String(id)));
    menu->popup(at);
}

void Bench::showRulerMenu(const QPoint& at) {
    auto* menu = new QMenu(this);
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (const char* id : {"mark", "cut", "", "range-from", "range-to", "range-none", "", "mark-back", "mark-next"})
        if (*id == 0)
            menu->addSeparator();
        else
            menu->addAction(m_actions.value(QLatin1String(id)));
    menu->popup(at);
}

void Bench::toPeak(int way) {
    if (m_curves->isVisible()) {
        if (const QString why = m_curves->toPeak(way); !why.isEmpty()) say(why);
        return;
    }
    const ResultsPtr& r = m_document.results();
    const scene::Scene& s = m_document.scene();
    if (!r || s.gauges.empty()) {
        say(tr("There is no gauge whose peaks could be stepped through."));
        return;
    }
    const std::string& chosen = m_session.selection().gauge;
    const pipeline::GaugeReading* reading = r->evaluation.gauge(chosen.empty() ? s.gauges.front().id : chosen);
    const std::vector<int> peaks = reading ? measure::peaksOf(reading->values) : std::vector<int>{};
    if (peaks.empty())
        say(tr("Nothing stands out of what the gauge reads."));
    else
        m_session.setFrame(measure::nextOf(peaks, m_session.frame(), way));
}

void Bench::showCurves(bool on) {
    m_middle->setCurrentIndex(on ? 1 : 0);
    QVBoxLayout* told = on ? m_toldAbove : m_told;
    told->insertWidget(0, m_notice);
    told->insertWidget(0, m_recovery);
    m_actions["curve-view"]->setChecked(on);
    (on ? static_cast<QWidget*>(m_curves->plot()) : m_stage)->setFocus();
}

void Bench::writeGauges() {
    const ResultsPtr& r = m_document.results();
    const scene::Scene& s = m_document.scene();
    if (!r || s.gauges.empty()) return;
    const QString suggested = m_document.title() + QStringLiteral("-gauges.csv"), title = tr("Write what the gauges read");
    const QString path =
        askForFile ? askForFile(title, suggested) : QFileDialog::getSaveFileName(this, title, suggested, tr("Tables (*.csv)"));
    if (path.isEmpty()) return;
    const std::string csv = files::csvOf(pipeline::tableOf(s, r->evaluation.gauges));
    try {
        files::writeAtomically(path.toStdString(), csv.data(), csv.size());
        say(tr("Wrote %1.").arg(path));
    } catch (const Failure& f) {
        say(QString::fromStdString(f.error().text()));
    }
}

}  // namespace nutatio::app
