#include "app/tuner/tuned_page.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <utility>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/tuner/apart_panel.h"
#include "app/tuner/feed_panel.h"
#include "app/tuner/gauge_panel.h"
#include "app/tuner/hand_panel.h"
#include "app/tuner/meets_table.h"
#include "app/tuner/thing_words.h"
#include "edit/body.h"
#include "edit/channels.h"
#include "edit/edit.h"
#include "layers/mover.h"
#include "layers/registry.h"
#include "rig/morph_targets.h"
#include "rig/parts.h"
#include "rig/roles.h"
#include "rig/sides.h"
#include "scene/items.h"
#include "scene/seal.h"

namespace nutatio::app {

TunedPage::TunedPage(Document& document, Session& session, scene::Owner owner, QMap<QString, bool>& folds, FeelsShelf* feels,
                     QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_owner(std::move(owner)),
      m_folds(folds),
      m_all(new QVBoxLayout(this)),
      m_rows(m_all),
      m_feels(feels) {
    m_all->setContentsMargins(0, 0, 6, 0);
    m_all->setSpacing(0);
    const scene::Scene& scene = m_document.scene();
    if (const QString text = aboutOf(scene, m_owner); !text.isEmpty()) addText(text);
    if (scene.tuned(m_owner)->lock) {
        addText(tr("It is locked against accidents."));
        addButtons({{QStringLiteral("lock"), tr("Unlock")}});
    }
    const scene::Layer* layer = asLayer(scene, m_owner);
    if (layer) addLayerHead(*layer);
    if (asGauge(scene, m_owner)) {
        m_gauge = new GaugePanel(m_document, m_session, m_owner.id);
        m_rows->addWidget(m_gauge);
        connect(m_gauge, &GaugePanel::commandWanted, this, &TunedPage::commandWanted);
        connect(m_gauge, &GaugePanel::said, this, &TunedPage::said);
    }
    addRows(layer);
    addPanels(layer);
    m_rows = m_all;
    addFoot();
    m_all->addStretch(1);
}

void TunedPage::addLayerHead(const scene::Layer& layer) {
    const scene::Scene& scene = m_document.scene();
    if (!layer.shot.empty()) {
        const scene::Shot* shot = scene.findShot(layer.shot);
        addText(shot ? tr("It acts in %1 alone.").arg(QString::fromStdString(shot->name))
                     : tr("The shot that it acts in is gone."));
        addButtons({{QStringLiteral("act-here"), tr("In every shot")}});
    }
    const layers::LayerKind* kind = layers::findKind(layer.kind);
    if (!kind) addText(tr("This version has no such layer kind. The layer is kept as it is and does nothing."));
    if (!kind || !kind->feels) return;
    beginGroup(tr("Feels"), true);
    m_feels->show(layer.kind);
    m_rows->addWidget(m_feels);
    m_feels->setVisible(true);
}

/// Row by row from the table; `layer`: null for a thing of no kind.
void TunedPage::addRows(const scene::Layer* layer) {
    const scene::Scene& scene = m_document.scene();
    const scene::Tuned& tuned = *scene.tuned(m_owner);
    const scene::Table table = layers::tableOf(scene, m_owner);
    const double height = heightOf(scene, m_owner);
    // The joints a layer is put on are chosen once: their rows, which head its table, stand last.
    const auto first =
        layer ? std::find_if(table.begin(), table.end(), [](const auto& spec) { return !spec.group.empty(); }) : table.begin();
    if (const auto hand = layer ? m_session.handJoint() : std::nullopt) addChannels(*hand);
    const scene::SettingSpec* heading = nullptr;  // that waits for its first row
    for (auto spec = first; spec != table.end(); ++spec) {
        if (spec->each != scene::Each::None) continue;
        if (!spec->group.empty() && layer) heading = &*spec;
        // Bodies that it passes through are told by the table of all that meet.
        if (!counts(*spec, tuned) || (layer && edit::passesOf(*layer) == &*spec)) continue;
        if (heading) beginGroup(qs(heading->group), heading->folded);
        heading = nullptr;
        addRow(sizedFor(*spec, height));
    }
    if (const auto part = layer ? m_session.partJoint() : std::nullopt; part && part->layer->id == m_owner.id) addPart(*part);
    if (first != table.begin()) beginGroup(tr("Joints"), true);
    for (auto spec = table.begin(); spec != first; ++spec)
        if (counts(*spec, tuned)) addRow(sizedFor(*spec, height));
}

/// What is set of single joints, of whom it meets, and of its frames.
void TunedPage::addPanels(const scene::Layer* layer) {
    const scene::Scene& scene = m_document.scene();
    if (ApartPanel::suits(scene, m_owner)) {
        beginGroup(tr("One by one"));
        m_apart = new ApartPanel(m_document, m_owner.id);
        m_rows->addWidget(m_apart);
        connect(m_apart, &ApartPanel::commandWanted, this, &TunedPage::commandWanted);
        connect(m_apart, &ApartPanel::hovered, this, &TunedPage::hovered);
    }
    if (MeetsTable::suits(scene, m_owner)) {
        if (layer)
            beginGroup(tr("Who meets what"), true);
        else
            addText(tr("Who keeps clear of it:"));
        m_meets = new MeetsTable(m_document, m_owner);
        m_rows->addWidget(m_meets);
        connect(m_meets, &MeetsTable::hovered, this, &TunedPage::hovered);
    }
    if (const QString with = fellowsOf(scene, m_owner); !with.isEmpty())
        addText(tr("Moves, where they meet, and is moved by: %1.").arg(with));
    if (const layers::LayerKind* kind = layer ? layers::findKind(layer->kind) : nullptr) {
        if (kind->simulated) addSeal(scene.shot());
        offerHold(*kind, *layer);
    }
}

void TunedPage::addFoot() {
    switch (m_owner.list) {
        case scene::List::Winds:
            return addChips();
        case scene::List::Colliders:
            if (!m_document.scene().collider(m_owner.id)->mount.world())
                addButtons({{QStringLiteral("collider-world"), tr("Leave it standing in the world")}});
            return;
        case scene::List::Gauges:
            return addButtons({{QStringLiteral("gauge-to-selection"), tr("Measure to the joint last selected")}});
        case scene::List::Pins:
            return addButtons({{QStringLiteral("pin-to-selection"), tr("Hold to the joint last selected")},
                               {QStringLiteral("pin-end"), tr("Hold the end")}});
        case scene::List::Actors:
        case scene::List::Layers:
            return;
    }
}

/// What is set for the joint in the hand, and for morph targets.
void TunedPage::addChannels(const HandJoint& hand) {
    const scene::Table table = layers::tableOf(m_document.scene(), m_owner);
    beginGroup(tr("By hand"));
    m_hand = new HandPanel(m_document, m_session);
    m_rows->addWidget(m_hand);
    connect(m_hand, &HandPanel::commandWanted, this, &TunedPage::commandWanted);
    connect(m_hand, &HandPanel::hovered, this, &TunedPage::hovered);
    const auto add = [&](scene::SettingSpec row, const std::string& of, std::string_view label) {
        m_channels.push_back(scene::channelId(row.id, of));
        row.id = m_channels.back();
        if (!label.empty()) row.label = label;
        addRow(row);
    };
    for (const scene::SettingSpec& row : table) {
        if (row.each != scene::Each::Joint) continue;
        if (!row.group.empty()) beginGroup(qs(row.group), row.folded);
        add(row, hand.reference(), {});
    }
    const bool handles =
        std::any_of(table.begin(), table.end(), [](const auto& row) { return row.each == scene::Each::Handle; }) &&
        !m_session.handPoint().empty();
    if (handles) {
        beginGroup(tr("Handle %1").arg(QString::fromStdString(m_session.handPoint())));
        for (const scene::SettingSpec& row : table)
            if (row.each == scene::Each::Handle) add(row, m_session.handPoint(), {});
    }
    const auto targets = rig::morphTargets(*hand.actor->actor);
    if (targets.empty()) return;
    beginGroup(tr("Morph weights"), true);
    for (const auto& [name, target] : targets)
        for (const scene::SettingSpec& row : table) {
            if (row.each != scene::Each::Morph) continue;
            m_channels.push_back(name.substr(name.rfind('/') + 1) + ", " + std::string(row.label));
            const std::string& label = m_channels.back();
            add(row, name, label);
        }
}

/// What one part of a body is set to apart from the rest.
void TunedPage::addPart(const HandJoint& part) {
    const layers::LayerKind& kind = *layers::findKind(part.layer->kind);
    beginGroup(qs(kind.part.heading));
    const rig::Skeleton& k = part.actor->actor->skeleton;
    auto* box = new QComboBox;
    box->setObjectName(QStringLiteral("part-joint"));
    box->setAccessibleName(qs(kind.part.name));
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    const std::vector<layers::JointRows> joints = layers::rowsByJoint(kind, *part.actor->actor, *part.layer);
    for (const layers::JointRows& r : joints) box->addItem(QString::fromStdString(rig::plainName(k, r.joint)), r.joint);
    box->setCurrentIndex(box->findData(part.joint));
    m_rows->addWidget(box);
    connect(box, &QComboBox::activated, this,
            [this, box, actor = part.actor->id](int at) { m_session.pointAt(actor, box->itemData(at).toInt()); });
    addText(qs(kind.part.how));
    const rig::Sides sides = rig::sidesOf(*part.actor->actor);
    const int fellow = sides.fellow[static_cast<std::size_t>(part.joint)];
    if (fellow != rig::kNoJoint && fellow != part.joint)
        addButtons({{QStringLiteral("same-side"), tr("The same on the other side")}});
    const auto mine =
        std::find_if(joints.begin(), joints.end(), [&](const layers::JointRows& r) { return r.joint == part.joint; });
    if (mine == joints.end()) return;
    for (const scene::SettingSpec* each : mine->rows) {
        scene::SettingSpec row = *each;
        m_channels.push_back(scene::channelId(row.id, part.reference()));
        row.id = m_channels.back();
        addRow(row);
    }
}

/// What moves legs may move feet that stand: where nothing holds them yet, that is offered.
void TunedPage::offerHold(const layers::LayerKind& kind, const scene::Layer& layer) {
    const scene::ActorEntry* actor = m_document.scene().actor(layer.actor);
    const ResultsPtr& results = m_document.results();
    const pipeline::ActorResult* r = results && actor ? results->evaluation.actor(actor->id) : nullptr;
    if (!r || kind.act || kind.problem(*actor->actor, layer)) return;
    if (std::any_of(r->layers.begin(), r->layers.end(), [&](const auto& l) {
            const scene::Layer* at = m_document.scene().layer(l.id);
            return at && edit::holdsSomething(*at, l);
        }))
        return;
    const std::vector<layers::Moved> moved = kind.moves(*actor->actor, layer);
    bool legs = false;
    for (const rig::Limb& leg : rig::rolesOf(*actor->actor).legs)
        for (const layers::Moved& m : moved)
            legs = legs || (leg.found() && std::find(leg.chain.begin(), leg.chain.end(), m.joint) != leg.chain.end());
    if (!legs) return;
    beginGroup(tr("Feet"));
    addText(tr("It moves the legs, and nothing above it holds the feet where they stand."));
    addButtons({{QStringLiteral("hold-feet"), tr("Hold its feet")}});
}

/// Frames that are kept as they are.
void TunedPage::addSeal(const scene::Shot& shot) {
    beginGroup(tr("Sealed frames"));
    const auto at = shot.seals.find(m_owner.id);
    if (at == shot.seals.end()) {
        addText(tr("What is simulated up to here can be kept as it is, whatever is changed; what follows goes on from there."));
        return addButtons({{QStringLiteral("seal"), tr("Seal up to this frame")}});
    }
    addText(tr("Frames %1 to %2 are sealed: they stay as they are, and their keys are locked.")
                .arg(at->second->from + 1)
                .arg(at->second->to + 1));
    addButtons({{QStringLiteral("seal"), tr("Seal on to this frame")}, {QStringLiteral("break-seal"), tr("Break the seal")}});
}

void TunedPage::addText(const QString& text) {
    auto* label = new QLabel(text);
    label->setWordWrap(true);
    label->setObjectName(QStringLiteral("soft"));
    label->setContentsMargins(0, 2, 0, 4);
    m_rows->addWidget(label);
}

void TunedPage::addButtons(std::initializer_list<std::pair<QString, QString>> commands) {
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    row->setContentsMargins(0, 6, 0, 0);
    for (const auto& [id, text] : commands) {
        auto* b = new QPushButton(text);
        b->setObjectName(QStringLiteral("do-") + id);
        b->setStyleSheet(QStringLiteral("padding: 5px 6px;"));
        row->addWidget(b);
        connect(b, &QPushButton::clicked, this, [this, id = id] { Q_EMIT commandWanted(id); });
    }
    m_rows->addLayout(row);
}

void TunedPage::addChips() {
    addText(tr("Blows on:"));
    for (const scene::Layer& l : m_document.scene().layers) {
        auto* b = new QToolButton;
        b->setObjectName(QStringLiteral("chip"));
        b->setText(QString::fromStdString(l.name));
        b->setCheckable(true);
        m_chips[l.id] = b;
        b->setAccessibleName(tr("Blows on %1").arg(b->text()));
        m_rows->addWidget(b, 0, Qt::AlignLeft);
        connect(b, &QToolButton::clicked, this, [this, layer = l.id](bool on) {
            change(tr("Whom the wind blows on"), [&](scene::Scene& s) { edit::blowOn(s, m_owner.id, layer, on); });
        });
    }
}

void TunedPage::beginGroup(const QString& name, bool folded) {
    const bool open = m_folds.value(name, !folded);
    auto* heading = new QToolButton;
    heading->setObjectName(QStringLiteral("group"));
    heading->setText(name);
    heading->setCheckable(true);
    heading->setChecked(open);
    heading->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    heading->setAccessibleName(tr("Group: %1").arg(name));
    auto* body = new QWidget;
    m_rows = new QVBoxLayout(body);
    m_rows->setContentsMargins(0, 0, 0, 0);
    m_rows->setSpacing(0);
    m_all->addWidget(heading);
    m_all->addWidget(body);
    heading->setProperty("body", QVariant::fromValue(body));
    m_groups[name] = heading;
    const auto show = [this, heading, body, name](bool on) {
        m_folds[name] = on;
        heading->setIcon(look::icon(on ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right")));
        body->setVisible(on);
    };
    heading->setIcon(look::icon(open ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right")));
    body->setVisible(open);
    connect(heading, &QToolButton::toggled, this, show);
}

void TunedPage::setOpen(const QString& group, bool open) {
    if (QToolButton* b = m_groups.value(group)) b->setChecked(open);
}

void TunedPage::unfold(const std::string& setting) {
    SettingRow* r = row(setting);
    for (auto g = m_groups.begin(); r && g != m_groups.end(); ++g)
        if (r->parentWidget() == g.value()->property("body").value<QWidget*>()) g.value()->setChecked(true);
}

void TunedPage::change(const QString& name, const std::function<void(scene::Scene&)>& how, const QString& gesture) {
    m_document.edit(name, how, gesture);
}

QString TunedPage::what() const {
    if (m_owner.list == scene::List::Layers) return {};
    QString noun = nounOf(m_document.scene(), m_owner);
    noun[0] = noun[0].toUpper();
    return noun + u' ';
}

void TunedPage::addRow(const scene::SettingSpec& spec) {
    auto* row = new SettingRow(spec);
    m_rows->addWidget(row);
    const scene::Layer* layer = asLayer(m_document.scene(), m_owner);
    if (const scene::ActorEntry* a = layer ? m_document.scene().actor(layer->actor) : nullptr;
        a && (spec.type == scene::SettingType::Region || spec.type == scene::SettingType::Clip ||
              spec.type == scene::SettingType::Colliders)) {
        QStringList names;
        if (spec.type == scene::SettingType::Colliders) {
            for (const scene::Collider& c : m_document.scene().colliders) names << QString::fromStdString(c.id);
            for (const scene::ActorEntry& each : m_document.scene().actors)
                if (each.isPiece()) names << QString::fromStdString(each.id);
        } else if (spec.type == scene::SettingType::Clip)
            for (std::size_t c = 0; c < a->actor->clips.size(); ++c)
                names << QString::fromStdString(scene::clipReference(*a->actor, static_cast<int>(c)));
        else {
            for (const scene::Part& p : a->parts) names << QString::fromStdString(p.name);
            for (const rig::Map& m : a->maps) names << QString::fromStdString(m.name);
        }
        row->setNames(names);
    }
    m_byId[std::string(spec.id)] = row;
    m_order.push_back(row);
    connect(row, &SettingRow::hovered, this, &TunedPage::hovered);
    const QString name = what() + (what().isEmpty() ? qs(spec.label) : qs(spec.label).toLower());
    const auto set = [this, spec, name](const scene::Value& v, const QString& gesture) {
        const int frame = m_held.frame(gesture, m_session.frame());
        change(
            name, [&](scene::Scene& s) { edit::set(s, m_owner, spec.id, v, frame); }, gesture);
    };
    connect(row, &SettingRow::grabbed, this, [this](const QString& gesture) { m_held.frame(gesture, m_session.frame()); });
    connect(row, &SettingRow::changed, this, set);
    connect(row, &SettingRow::keyWanted, this, [this, spec, name] {
        change(tr("Key %1").arg(name), [&](scene::Scene& s) { edit::toggleKey(s, m_owner, spec.id, m_session.frame()); });
    });
    connect(row, &SettingRow::feedWanted, this, [this, row] { toggleFeed(row); });
    connect(row, &SettingRow::profileChanged, this, [this, spec, name](const scene::Profile& profile, const QString& gesture) {
        change(
            tr("Profile of %1").arg(name),
            [&](scene::Scene& s) {
                scene::Tuned* t = s.tuned(m_owner);
                if (!t) return;
                if (profile.empty())
                    t->profiles.erase(std::string(spec.id));
                else
                    t->profiles[std::string(spec.id)] = profile;
            },
            gesture);
    });
    connect(row, &SettingRow::selectionWanted, this, [this, set, spec] {
        if (m_lastJoints.empty()) {
            Q_EMIT hovered(tr("Select joints on the stage first, then come back to the layer."));
            return;
        }
        const scene::Layer* l = m_document.scene().layer(m_owner.id);
        const bool mounts = spec.type == scene::SettingType::Mount;
        if (l && l->actor != m_lastActor && !mounts)
            Q_EMIT hovered(tr("Those are joints of another actor: select some of its own."));
        else if (mounts && l)
            set(scene::mountText({m_lastActor, m_lastJoints.front()}, l->actor), {});
        else if (spec.type == scene::SettingType::Joint)
            set(m_lastJoints.front(), {});
        else
            set(m_lastJoints, {});
    });
}

void TunedPage::toggleFeed(SettingRow* row) {
    const std::string id(row->spec().id);
    FeedPanel*& panel = m_feedPanels[id];
    if (panel) {
        panel->setVisible(panel->isHidden());
        return;
    }
    panel = new FeedPanel(m_document, m_session, m_owner, row->spec());
    row->layout()->addWidget(panel);
    panel->show();
    connect(panel, &FeedPanel::said, this, &TunedPage::said);
}

FeedPanel* TunedPage::feedPanel(const std::string& setting) const {
    const auto at = m_feedPanels.find(setting);
    return at == m_feedPanels.end() || at->second->isHidden() ? nullptr : at->second;
}

SettingRow* TunedPage::row(const std::string& setting) const {
    const auto at = m_byId.find(setting);
    return at == m_byId.end() ? nullptr : at->second;
}

SettingRow* TunedPage::firstKeyable() const {
    for (SettingRow* r : m_order)
        if (r->keyButton() && r->isVisible()) return r;
    return nullptr;
}

void TunedPage::refresh() {
    if (m_apart) m_apart->refresh();
    if (m_hand) m_hand->refresh();
    if (m_meets) m_meets->refresh();
    const scene::Scene& s = m_document.scene();
    const scene::Tuned* t = s.tuned(m_owner);
    if (!t) return;
    const int frame = m_session.frame();
    if (m_gauge) m_gauge->refresh();
    for (const auto& [id, panel] : m_feedPanels) panel->refresh();
    // Fed values are read from the newest evaluation.
    const ResultsPtr& r = m_document.results();
    const layers::ResolvedPtr held = r && !t->feeds.empty() ? r->evaluation.settingsOf(m_owner) : nullptr;
    for (const auto& [id, row] : m_byId) {
        const bool fed = t->feeds.count(id) > 0;
        if (row->feedButton()) row->showFed(fed);
        if (fed && held)
            row->show(held->at(id, frame));
        else if (row->spec().type == scene::SettingType::Number)
            row->show(s.numberAt(m_owner, id, frame));
        else if (const auto at = t->values.find(id); at != t->values.end())
            row->show(at->second);
        const scene::Keys* keys = s.shot().keysOf(m_owner, id);
        const bool here = keys && scene::keyAt(*keys, s.shot().timeOf(frame)) != keys->end();
        row->showKeys(here                             ? SettingRow::Keyed::Here
                      : keys                           ? SettingRow::Keyed::Between
                      : edit::keysRest(s, m_owner, id) ? SettingRow::Keyed::Rest
                                                       : SettingRow::Keyed::No);
        const auto profile = t->profiles.find(id);
        row->showProfile(profile == t->profiles.end() ? scene::Profile{} : profile->second);
    }
    if (m_owner.list == scene::List::Layers) m_feels->refresh();
    if (const scene::Wind* w = asWind(s, m_owner))
        for (const auto& [layer, chip] : m_chips)
            chip->setChecked(w->layers.empty() || std::find(w->layers.begin(), w->layers.end(), layer) != w->layers.end());
}

}  // namespace nutatio::app
