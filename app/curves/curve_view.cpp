#include "app/curves/curve_view.h"

#include <QHBoxLayout>
#include <algorithm>

#include "app/look/parts.h"
#include "app/look/text.h"
#include "app/look/theme.h"
#include "layers/joint_worlds.h"
#include "layers/registry.h"
#include "measure/gauge.h"
#include "rig/parts.h"
#include "scene/items.h"

namespace nutatio::app {

namespace {

/// What can be seen of a joint's motion.
struct BodyCurve {
    const char* id;
    const char* words;
    const char* measure;  // of a gauge; empty: its place or its turn
    int axis;             // -1: none
    const char* unit;
};
constexpr BodyCurve kBody[] = {
    {"x", QT_TRANSLATE_NOOP("nutatio::app::CurveView", "Place x"), "", 0, "m"},
    {"y", QT_TRANSLATE_NOOP("nutatio::app::CurveView", "Place y"), "", 1, "m"},
    {"z", QT_TRANSLATE_NOOP("nutatio::app::CurveView", "Place z"), "", 2, "m"},
    {"turn-x", QT_TRANSLATE_NOOP("nutatio::app::CurveView", "Turn x"), "", 0, "deg"},
    {"turn-y", QT_TRANSLATE_NOOP("nutatio::app::CurveView", "Turn y"), "", 1, "deg"},
    {"turn-z", QT_TRANSLATE_NOOP("nutatio::app::CurveView", "Turn z"), "", 2, "deg"},
    {"speed", QT_TRANSLATE_NOOP("nutatio::app::CurveView", "Speed"), "speed", -1, "m/s"},
    {"turning", QT_TRANSLATE_NOOP("nutatio::app::CurveView", "Turn rate"), "turning", -1, "deg/s"},
    {"acceleration", QT_TRANSLATE_NOOP("nutatio::app::CurveView", "Acceleration"), "acceleration", -1, "m/s2"}};

QString unitOf(scene::Unit unit) {
    return unit == scene::Unit::Share ? QStringLiteral("%") : qs(scene::unitText(unit));
}

}  // namespace

CurveView::CurveView(Document& document, Session& session, TimeView& view, KeySelection& keys, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_plot(new CurvePlot(document, session, view, keys)),
      m_scroll(new QScrollArea),
      m_each(new QToolButton) {
    setObjectName(QStringLiteral("sheet"));
    setAttribute(Qt::WA_StyledBackground);
    m_on = {QStringLiteral("body:speed")};
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    auto* left = new QWidget;
    left->setFixedWidth(244);
    auto* column = new QVBoxLayout(left);
    column->setContentsMargins(10, 8, 6, 6);
    column->setSpacing(6);
    auto* heading = new QLabel(tr("CURVES"));
    heading->setObjectName(QStringLiteral("heading"));
    column->addWidget(heading);
    m_each->setObjectName(QStringLiteral("face"));
    m_each->setText(tr("Each over the whole height"));
    m_each->setToolTip(tr("On: every curve from its least to its most. Off: in panes by unit."));
    m_each->setCheckable(true);
    column->addWidget(m_each);
    connect(m_each, &QToolButton::toggled, m_plot, &CurvePlot::setEach);
    m_scroll->setObjectName(QStringLiteral("sheet"));
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setWidgetResizable(true);
    m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    column->addWidget(m_scroll, 1);
    row->addWidget(left);
    row->addWidget(m_plot, 1);
    connect(m_plot, &CurvePlot::menuWanted, this, &CurveView::menuWanted);
    const auto again = [this] {
        if (isVisible()) rebuild();
    };
    connect(&document, &Document::sceneChanged, this, again);
    connect(&document, &Document::resultsChanged, this, again);
    connect(&session, &Session::selectionChanged, this, again);
}

void CurveView::showEvent(QShowEvent*) {
    rebuild();
}

void CurveView::addHeading(const QString& text) {
    auto* l = new QLabel(text);
    l->setObjectName(QStringLiteral("soft"));
    l->setFont(look::textFont(9, QFont::Bold));
    l->setContentsMargins(0, 6, 0, 0);
    m_list->addWidget(l);
}

void CurveView::addChip(const QString& id, const QString& text, const QColor& colour) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setCheckable(true);
    b->setChecked(m_on.count(id) > 0);
    b->setAccessibleName(tr("Curve: %1").arg(text));
    b->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    QPixmap swatch(14, 4);
    swatch.fill(colour);
    b->setIcon(QIcon(swatch));
    m_chips[id] = b;
    m_list->addWidget(b, 0, Qt::AlignLeft);
    connect(b, &QToolButton::clicked, this, [this, id](bool on) {
        if (on)
            m_on.insert(id);
        else
            m_on.erase(id);
        m_last = id;
        refresh();
    });
}

void CurveView::rebuild() {
    const scene::Scene& s = m_document.scene();
    const scene::ActorEntry* a = s.actor(m_session.lastActor());
    const int joint = m_session.lastJoint();
    // The curves that can be chosen; an unchanged list keeps its widgets.
    QStringList ids;
    QString built = a && joint >= 0 ? QString::fromStdString(a->id) + QString::number(joint) : QString();
    for (const scene::Gauge& g : s.gauges) built += u'\n' + QString::fromStdString(g.id + g.name);
    struct Set {
        scene::Owner owner;
        std::string setting;
        QString text;
    };
    std::vector<Set> sets;
    const auto add = [&](scene::List list, const auto& all) {
        for (const auto& each : all)
            for (const scene::MovingSetting& m :
                 movingSettings(each, layers::tableOf(s, {list, each.id}), s.shot().keysOf({list, each.id})))
                sets.push_back({{list, each.id}, m.id, QString::fromStdString(each.name + ": " + labelOf(*m.row, m.id))});
    };
    add(scene::List::Layers, s.layers);
    add(scene::List::Winds, s.winds);
    add(scene::List::Colliders, s.colliders);
    add(scene::List::Pins, s.pins);
    add(scene::List::Actors, s.actors);
    for (const Set& each : sets) built += u'\n' + each.text;
    if (built != m_built || !m_list) {
        m_built = built;
        m_chips.clear();
        auto* body = new QWidget;
        m_list = new QVBoxLayout(body);
        m_list->setContentsMargins(0, 0, 0, 0);
        m_list->setSpacing(1);
        if (a && joint >= 0) {
            addHeading(tr("Motion of %1").arg(QString::fromStdString(rig::plainName(a->actor->skeleton, joint))));
            for (const BodyCurve& c : kBody)
                addChip(QStringLiteral("body:") + QLatin1String(c.id), tr(c.words), look::axisColour(c.axis));
            auto* note = new QLabel(tr("Dotted: the body. Whole: with its layers."));
            note->setObjectName(QStringLiteral("soft"));
            note->setFont(look::textFont(8.5));
            note->setWordWrap(true);
            m_list->addWidget(note);
        } else {
            addHeading(tr("Select a joint to see how it moves."));
        }
        if (!s.gauges.empty()) addHeading(tr("Gauges"));
        int place = 0;
        for (const scene::Gauge& g : s.gauges)
            addChip(QStringLiteral("gauge:") + QString::fromStdString(g.id), QString::fromStdString(g.name),
                    look::partColour(place++));
        addHeading(sets.empty() ? tr("Nothing is keyed or fed in this shot.") : tr("Settings"));
        for (const Set& each : sets)
            addChip(qs(scene::listName(each.owner.list)) + u':' + QString::fromStdString(each.owner.id) + u':' +
                        QString::fromStdString(each.setting),
                    each.text, look::partColour(place++));
        m_list->addStretch(1);
        m_scroll->setWidget(body);
    }
    refresh();
}

std::vector<PlotCurve> CurveView::bodyCurves(const QString& id) {
    std::vector<PlotCurve> out;
    const scene::ActorEntry* a = m_document.scene().actor(m_session.lastActor());
    const ResultsPtr& r = m_document.results();
    const pipeline::ActorResult* motion = r && a ? r->evaluation.actor(a->id) : nullptr;
    const auto at = std::find_if(std::begin(kBody), std::end(kBody),
                                 [&](const BodyCurve& c) { return id == QStringLiteral("body:") + QLatin1String(c.id); });
    const int joint = m_session.lastJoint();
    if (!motion || at == std::end(kBody) || joint < 0 || joint >= a->actor->skeleton.size()) return out;
    // The motion on show has no columns yet for joints that were just made.
    if (motion->result->joints() != a->actor->skeleton.size()) return out;
    const auto& actors = m_document.scene().actors;
    const auto entry = actors.pointer(actors.find([&](const scene::ActorEntry& e) { return e.id == a->id; }));
    Read& read = m_read[id];
    const std::vector<double>& cuts = m_document.scene().shot().cuts;
    if (read.body == motion->body && read.result == motion->result && read.actor == entry && read.joint == joint &&
        read.cuts == cuts) {
        for (PlotCurve& c : read.curves) c.colour = look::axisColour(at->axis);  // the theme may be another
        return read.curves;
    }
    for (const auto& [track, style] : {std::pair{motion->body, Qt::DotLine}, {motion->result, Qt::SolidLine}}) {
        PlotCurve c;
        c.name = tr(at->words);
        c.unit = QLatin1String(at->unit);
        c.colour = look::axisColour(at->axis);
        c.style = style;
        c.peaks = style == Qt::SolidLine && at->axis < 0;
        if (*at->measure) {
            scene::Gauge g = scene::newGauge(m_document.scene(), *a, joint);
            g.set("measure", std::string(at->measure));
            measure::Sight sight;
            sight.of = measure::Seen{a->actor.get(), track.get(), scene::placementOf(*a)}.at(joint);
            sight.round = motion->body->closes(*a->actor);
            for (double t : m_document.scene().shot().cuts) sight.cuts.push_back(m_document.scene().shot().frameOf(t));
            if (const auto values = measure::readGauge(g, sight)) c.values = values.value();
        } else {
            const scene::Placement stands = scene::placementOf(*a);
            layers::JointWorlds worlds(a->actor->skeleton, {joint});
            std::optional<Quat> first;
            Vec3 last = Vec3::Zero();
            for (int f = 0; f < track->frames(); ++f) {
                worlds.update(layers::PoseView(*track, f));
                if (at->unit[0] == 'm') {
                    c.values.push_back(stands.toWorld(worlds.world(joint).t)[at->axis]);
                    continue;
                }
                // From the first frame on, without a jump where a turn goes beyond half round.
                const Quat now = worlds.turn(joint);
                if (!first) first = now;
                Vec3 v = rotationVector(first->conjugate() * now);
                if (v.norm() > 1e-9 && (v - last).norm() > (v - 2 * kPi * v.normalized() - last).norm())
                    v -= 2 * kPi * v.normalized();
                last = v;
                c.values.push_back(degrees(v[at->axis]));
            }
        }
        out.push_back(std::move(c));
        if (motion->body == motion->result) break;
    }
    if (out.size() == 1) out.front().style = Qt::SolidLine;
    read = {motion->body, motion->result, entry, cuts, joint, out};
    return out;
}

std::vector<PlotCurve> CurveView::curvesOf(const QString& id) {
    if (id.startsWith(QLatin1String("body:"))) return bodyCurves(id);
    const scene::Scene& s = m_document.scene();
    const ResultsPtr& r = m_document.results();
    PlotCurve c;
    // The chip's own colour.
    const QToolButton* b = m_chips.value(id);
    c.name = b->text();
    c.colour = b->icon().pixmap(14, 4).toImage().pixelColor(2, 2);
    // A channel's name may have colons of its own.
    QStringList parts{id.section(u':', 0, 0), id.section(u':', 1, 1)};
    if (const QString setting = id.section(u':', 2); !setting.isEmpty()) parts << setting;
    if (parts.front() == QLatin1String("gauge")) {
        const scene::Gauge* g = s.gauge(parts[1].toStdString());
        const pipeline::GaugeReading* reading = r ? r->evaluation.gauge(parts[1].toStdString()) : nullptr;
        if (!g || !reading || reading->values.empty()) return {};
        c.unit = unitOf(scene::unitOf(*g));
        c.values = reading->values;
        c.peaks = true;
        return {c};
    }
    for (const scene::List list : scene::kLists)
        if (parts.size() == 3 && qs(scene::listName(list)) == parts[0]) {
            const Keyed of{{list, parts[1].toStdString()}, parts[2].toStdString()};
            const scene::Tuned* t = s.tuned(of.owner);
            const scene::SettingSpec* spec = findRow(layers::tableOf(s, of.owner), of.setting);
            if (!t || !spec) return {};
            c.unit = unitOf(spec->unit);
            if (t->feeds.count(of.setting) == 0) {
                c.keyed = of;
                return {c};
            }
            const layers::ResolvedPtr settings = r ? r->evaluation.settingsOf(of.owner) : nullptr;
            for (int f = 0; settings && f < r->frames; ++f) c.values.push_back(settings->at(of.setting, f));
            c.style = Qt::DashLine;
            if (!c.values.empty()) return {c};
        }
    return {};
}

void CurveView::refresh() {
    m_shown.clear();
    for (auto chip = m_chips.begin(); chip != m_chips.end(); ++chip)
        if (m_on.count(chip.key()) > 0)
            for (PlotCurve& c : curvesOf(chip.key())) m_shown.push_back(std::move(c));
    m_plot->setCurves(m_shown);
}

QString CurveView::toPeak(int way) {
    std::vector<PlotCurve> of = m_on.count(m_last) > 0 && m_chips.contains(m_last) ? curvesOf(m_last) : std::vector<PlotCurve>{};
    std::erase_if(of, [](const PlotCurve& c) { return !c.peaks; });
    if (of.empty())
        std::copy_if(m_shown.begin(), m_shown.end(), std::back_inserter(of), [](const PlotCurve& c) { return c.peaks; });
    const std::vector<int> peaks = of.empty() ? std::vector<int>{} : measure::peaksOf(of.front().values);
    if (peaks.empty()) return tr("Nothing stands out of these curves.");
    m_session.setFrame(measure::nextOf(peaks, m_session.frame(), way));
    return {};
}

}  // namespace nutatio::app
