#include "app/prepare/maps_face.h"

#include <QComboBox>
#include <algorithm>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/edit.h"
#include "rig/parts.h"

namespace nutatio::app {

namespace {

using From = rig::MapStep::From;
using Join = rig::MapStep::Join;

const rig::Map* mapNamed(const scene::ActorEntry& a, const std::string& name) {
    for (const rig::Map& m : a.maps)
        if (m.name == name) return &m;
    return nullptr;
}

QString joinWord(Join j) {
    const QString words[] = {QObject::tr("set to"), QObject::tr("add"),      QObject::tr("take away"),
                             QObject::tr("times"),  QObject::tr("at least"), QObject::tr("at most")};
    return words[static_cast<std::size_t>(j)];
}

QString saidOf(const rig::MapStep& s) {
    const QString joints =
        s.joints.empty()
            ? QString()
            : qs(s.joints.front()) + (s.joints.size() > 1 ? QObject::tr(" and %1 more").arg(s.joints.size() - 1) : QString());
    QString what;
    switch (s.from) {
        case From::Invert:
            return QObject::tr("inverted");
        case From::Blur:
            return QObject::tr("blurred over %1 % of the height").arg(100 * s.reach, 0, 'g', 3);
        case From::Paint:
            return QObject::tr("painted: %1")
                .arg(QString::fromUtf8(rig::brushName(s.stroke.brush).data(),
                                       static_cast<qsizetype>(rig::brushName(s.stroke.brush).size())));
        case From::Weights:
            what = QObject::tr("weights of %1").arg(joints);
            break;
        case From::Height:
            what = QObject::tr("height, %1 to %2 %").arg(100 * s.low, 0, 'g', 3).arg(100 * s.high, 0, 'g', 3);
            break;
        case From::Distance:
            what = QObject::tr("distance to %1").arg(joints);
            break;
        case From::Curvature:
            what = QObject::tr("curvature");
            break;
        case From::Colour:
            what = QObject::tr("vertex colour");
            break;
        case From::Piece:
            what = QObject::tr("a piece of mesh");
            break;
        case From::Map:
            what = QObject::tr("map %1").arg(qs(s.map));
            break;
    }
    return joinWord(s.join) + u' ' + what;
}

}  // namespace

MapsFace::MapsFace(Document& document, Session& session, QWidget* parent)
    : Face(document, session, parent), m_brush(new BrushPanel(document, session)) {
    top()->addWidget(m_brush);
    connect(&session, &Session::paintingChanged, this, &MapsFace::showBrush);
}

void MapsFace::showBrush() {
    const bool on = m_session.painting().on && !m_session.painting().map.empty();
    m_brush->setVisible(on);
    if (on) m_brush->refresh();
}

void MapsFace::show() {
    const scene::ActorEntry* a = actor();
    if (!a || m_chosen.empty() || m_session.painting().on) return;
    Spot spot;
    spot.actor = a->id;
    spot.map = m_chosen;
    spot.follows = true;
    m_session.setSpot(std::move(spot));
}

void MapsFace::addMap(const std::string& stem, const rig::MapStep& step) {
    const scene::ActorEntry* a = actor();
    std::string name = stem;
    for (int n = 2; mapNamed(*a, name); ++n) name = stem + " " + std::to_string(n);
    if (!attempt(tr("Map %1").arg(qs(name)), [&](scene::Scene& s) { return edit::addMap(s, a->id, name, {step}); })) return;
    m_chosen = name;
    refresh();
    show();
}

void MapsFace::addStep(const rig::MapStep& step) {
    const scene::ActorEntry* a = actor();
    attempt(tr("Change map %1").arg(qs(m_chosen)), [&](scene::Scene& s) { return edit::addMapStep(s, a->id, m_chosen, step); });
    show();
}

void MapsFace::layNew(const scene::ActorEntry& a) {
    const std::vector<std::string> joints = selectedJoints();
    const auto ofJoints = [&](From from) {
        rig::MapStep s;
        s.from = from;
        s.joints = joints;
        return s;
    };
    rig::MapStep weights = ofJoints(From::Weights), near = ofJoints(From::Distance), height, curve, colour, piece;
    near.low = 0.15;
    near.high = 0;
    height.from = From::Height;
    curve.from = From::Curvature;
    colour.from = From::Colour;
    piece.from = From::Piece;
    if (!joints.empty()) {
        std::vector<Affine> worlds;
        rig::worldTransforms(a.actor->skeleton, a.actor->restPose(), worlds);
        piece.place = worlds[static_cast<std::size_t>(a.actor->skeleton.find(joints.front()))].t;
    }
    const bool has = !joints.empty();
    const std::string who = has ? rig::plainName(a.actor->skeleton, a.actor->skeleton.find(joints.front())) : std::string();
    addText(has ? tr("A new map, or one more step of the one that is chosen:")
                : tr("A new map (select joints for the first three), or one more step:"));
    const auto button = [&](const char* id, const QString& words, const QString& help, const std::string& stem,
                            const rig::MapStep& step, bool can) {
        return Button{QStringLiteral("map-") + QLatin1String(id), words, help,
                      [this, stem, step] {
                          const scene::ActorEntry* now = actor();
                          if (m_chosen.empty() || !now || !mapNamed(*now, m_chosen)) return addMap(stem, step);
                          rig::MapStep more = step;
                          more.join = static_cast<Join>(findChild<QComboBox*>(QStringLiteral("map-join"))->currentIndex());
                          addStep(more);
                      },
                      can};
    };
    addButtons(rows(),
               {button("weights", tr("Weights"), tr("The share of the skin that follows the selected joints"), who, weights, has),
                button("distance", tr("Nearness"), tr("1 at the selected joints' bones, 0 at 15 % of the height from them"),
                       "near " + who, near, has),
                button("piece", tr("Piece"), tr("The piece of mesh next to the selected joint"), "piece at " + who, piece, has),
                button("height", tr("Height"), tr("0 at the floor, 1 at the top"), "height", height, true),
                button("curvature", tr("Curvature"), tr("Above a half where the surface stands out"), "curvature", curve, true),
                button("colour", tr("Colour"), tr("The red of the file's vertex colours"), "colour", colour, true)});
}

void MapsFace::layChosen(const scene::ActorEntry& a, const rig::Map& map) {
    const std::string id = a.id, name = map.name;
    addHeading(tr("Steps of %1").arg(qs(name)));
    for (std::size_t k = 0; k < map.steps.size(); ++k) {
        ListRow* row = addRow(tr("%1. %2").arg(k + 1).arg(saidOf(map.steps[k])));
        row->setObjectName(QStringLiteral("map-step"));
        row->addButton(QStringLiteral("drop-step"), tr("Take away"), tr("Takes this step away"), [this, id, name, k] {
            attempt(tr("Change map %1").arg(qs(name)), [&](scene::Scene& s) { return edit::removeMapStep(s, id, name, k); });
            show();
        });
    }
    auto* joins = new QComboBox;
    joins->setObjectName(QStringLiteral("map-join"));
    joins->setAccessibleName(tr("How the next step joins"));
    for (int j = 0; j < 6; ++j) joins->addItem(tr("Next step: %1").arg(joinWord(static_cast<Join>(j))));
    joins->setCurrentIndex(1);
    rows()->addWidget(joins);
    rig::MapStep invert, blur;
    invert.from = From::Invert;
    blur.from = From::Blur;
    const bool paints = m_session.painting().on;
    addButtons(rows(),
               {{QStringLiteral("map-paint"), paints ? tr("Enough painted") : tr("Paint"), tr("The brush on this map"),
                 [this, name, paints] {
                     Painting tool = m_session.painting();
                     tool.on = !paints;
                     tool.map = paints ? std::string() : name;
                     if (tool.on) m_session.setSpot({});
                     if (const scene::ActorEntry* now = actor(); tool.on && now && m_session.selection().actor != now->id)
                         m_session.selectActor(now->id);
                     m_session.setPainting(tool);
                     refresh();
                     show();
                 },
                 true},
                {QStringLiteral("map-invert"), tr("Invert"), tr("1 becomes 0"), [this, invert] { addStep(invert); }, true},
                {QStringLiteral("map-blur"), tr("Blur"), tr("Softens its edges over 2 % of the height"),
                 [this, blur] { addStep(blur); }, true},
                {QStringLiteral("map-rigid"), map.rigid ? tr("Not rigid") : tr("Rigid"),
                 tr("Where it is above a half nothing is to be deformed: the check tells where it is"),
                 [this, id, name, rigid = !map.rigid] {
                     attempt(tr("Rigid"), [&](scene::Scene& s) { return edit::markRigid(s, id, name, rigid); });
                 },
                 true},
                {QStringLiteral("map-rename"), tr("Rename"), tr("Another name for the map"),
                 [this, id, name] {
                     for (ListRow* row : findChildren<ListRow*>(QStringLiteral("map")))
                         if (row->text().toStdString() == name)
                             askForName(row, [this, id, name](const QString& now) {
                                 if (attempt(tr("Rename to %1").arg(now),
                                             [&](scene::Scene& s) { return edit::renameMap(s, id, name, now.toStdString()); }))
                                     m_chosen = now.toStdString();
                                 refresh();
                             });
                 },
                 true},
                {QStringLiteral("map-remove"), tr("Remove"), tr("Takes the map away"),
                 [this, id, name] {
                     m_session.setSpot({});
                     attempt(tr("Remove map %1").arg(qs(name)), [&](scene::Scene& s) { return edit::removeMap(s, id, name); });
                 },
                 true}});
}

void MapsFace::lay() {
    showBrush();
    const scene::ActorEntry* a = actor();
    Q_EMIT titleChanged(!a                    ? tr("Nothing is open")
                        : a->maps.empty()     ? tr("No map yet")
                        : a->maps.size() == 1 ? tr("1 map")
                                              : tr("%1 maps").arg(a->maps.size()));
    if (!a) return;
    if (!m_chosen.empty() && !mapNamed(*a, m_chosen)) {
        // It was undone: what the stage shows of it goes too.
        m_chosen.clear();
        m_session.setSpot({});
    }
    layNew(*a);
    for (const rig::Map& m : a->maps) {
        ListRow* row = addRow(qs(m.name), m.rigid ? tr("rigid") : QString());
        row->setObjectName(QStringLiteral("map"));
        row->setChosen(m.name == m_chosen);
        connect(row, &ListRow::chosen, this, [this, name = m.name] {
            m_chosen = m_chosen == name ? std::string() : name;
            if (m_chosen.empty()) m_session.setSpot({});
            refresh();
            show();
        });
    }
    if (const rig::Map* m = mapNamed(*a, m_chosen)) layChosen(*a, *m);
}

}  // namespace nutatio::app
