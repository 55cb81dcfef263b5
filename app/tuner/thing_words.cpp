#include "app/tuner/thing_words.h"

#include <QObject>
#include <QStringList>

#include "app/look/text.h"
#include "app/tuner/apart_panel.h"
#include "app/tuner/gauge_panel.h"
#include "app/tuner/meets_table.h"
#include "layers/mover.h"
#include "layers/registry.h"
#include "scene/items.h"
#include "scene/seal.h"

namespace nutatio::app {

double heightOf(const scene::Scene& s, const scene::Owner& owner) {
    std::string actor;
    if (const scene::Collider* c = asCollider(s, owner)) actor = c->mount.actor;
    if (const scene::Pin* p = asPin(s, owner)) actor = p->to.actor;
    if (const scene::ActorEntry* a = s.actor(actor)) return a->actor->height;
    // In the world lengths are metres; what stands there is about as large as the first actor.
    return s.actors.empty() ? 1 : s.actors.front().actor->height * s.actors.front().actor->metresPerUnit;
}

namespace {

QString placeWords(const scene::Mount& mount) {
    const QString joint = QString::fromStdString(mount.joint);
    return mount.spot ? QObject::tr("a spot of the surface by %1").arg(joint) : joint;
}

}  // namespace

QString aboutOf(const scene::Scene& s, const scene::Owner& owner) {
    if (const scene::Collider* c = asCollider(s, owner))
        return c->mount.world() ? QObject::tr("It stands in the world.")
                                : QObject::tr("It rides on %1; drag its handles on the stage.").arg(placeWords(c->mount));
    if (owner.list == scene::List::Winds)
        return QObject::tr("Drag the tip of its arrow on the stage to turn it, its ring to move it.");
    if (const scene::Pin* p = asPin(s, owner)) {
        const QString joint = QString::fromStdString(p->joint);
        return QObject::tr("It holds %1 to %2.")
            .arg(p->end ? QObject::tr("the end beyond %1").arg(joint) : joint,
                 p->to.world() ? QObject::tr("a place in the world") : placeWords(p->to));
    }
    if (const scene::Gauge* g = asGauge(s, owner)) {
        return g->to ? QObject::tr("On %1, to or seen from %2.").arg(placeWords(g->of), placeWords(*g->to))
                     : QObject::tr("On %1.").arg(placeWords(g->of));
    }
    if (const scene::ActorEntry* a = asActor(s, owner); a && a->isPiece())
        return QObject::tr("Drag its handles on the stage; keyed places make it move, keyed sizes make it grow.");
    if (owner.list == scene::List::Actors) return QObject::tr("Where the actor stands in the world, in metres and degrees.");
    return {};
}

QString nounOf(const scene::Scene& s, const scene::Owner& owner) {
    const scene::ActorEntry* a = asActor(s, owner);
    if (a && a->isPiece()) return QObject::tr("set piece");
    QString list = qs(scene::listName(owner.list));
    list.chop(1);
    return list;
}

QString titleOf(const scene::Scene& s, const scene::Owner& owner) {
    const scene::Tuned* t = s.tuned(owner);
    if (!t) return {};
    QString kind;
    if (const scene::Layer* l = asLayer(s, owner)) {
        const layers::LayerKind* k = layers::findKind(l->kind);
        kind = k ? qs(k->label) : QString::fromStdString(l->kind);
    } else if (owner.list == scene::List::Colliders) {
        kind = QString::fromStdString(t->text("shape"));
    } else {
        kind = nounOf(s, owner);
    }
    return QString::fromStdString(t->name) + QStringLiteral("  ·  ") + kind;
}

QString fellowsOf(const scene::Scene& s, const scene::Owner& owner) {
    const scene::Layer* l = asLayer(s, owner);
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    const auto joins = [&](const scene::Layer& each) {
        return each.kind == l->kind && s.acts(each) && kind->simulated->joins(scene::Resolved(each, kind->settings));
    };
    QStringList out;
    if (kind && kind->simulated && kind->simulated->joins && joins(*l))
        for (const scene::Layer& other : s.layers)
            if (const scene::ActorEntry* a = other.actor == l->actor || !joins(other) ? nullptr : s.actor(other.actor))
                out << QString::fromStdString(a->name);
    return out.join(QStringLiteral(", "));
}

QString shapeOf(const scene::Scene& s, const scene::Owner& owner, const Session& session) {
    const scene::Tuned* t = s.tuned(owner);
    if (!t) return {};
    QString out = qs(scene::listName(owner.list)) + u':' + QString::fromStdString(owner.id) + u'\n' + titleOf(s, owner) + u'\n' +
                  aboutOf(s, owner);
    for (const scene::SettingSpec& spec : layers::tableOf(s, owner)) out += counts(spec, *t) ? u'1' : u'0';
    if (ApartPanel::suits(s, owner)) {
        const scene::Layer& l = *s.layer(owner.id);
        for (const std::string& j : l.list(layers::findKind(l.kind)->target())) out += QString::fromStdString(j) + u',';
    }
    if (MeetsTable::suits(s, owner)) out += u'm';
    out += fellowsOf(s, owner);
    if (const auto hand = session.handJoint(); hand && hand->layer->id == owner.id)
        out += u'h' + QString::number(hand->joint) + QString::fromStdString(session.handPoint());
    if (const auto part = session.partJoint(); part && part->layer->id == owner.id) out += u'p' + QString::number(part->joint);
    if (t->lock) out += u'l';
    if (const auto seal = s.shot().seals.find(owner.id); owner.list == scene::List::Layers && seal != s.shot().seals.end())
        out += u's' + QString::number(seal->second->from) + u'-' + QString::number(seal->second->to);
    if (const scene::Layer* l = asLayer(s, owner); l && !l->shot.empty()) out += QString::fromStdString(l->shot) + u'@';
    // What a region may be.
    if (const scene::ActorEntry* a = owner.list == scene::List::Layers ? s.actor(s.layer(owner.id)->actor) : nullptr) {
        for (const scene::Part& p : a->parts) out += QString::fromStdString(p.name) + u',';
        for (const rig::Map& m : a->maps) out += QString::fromStdString(m.name) + u',';
    }
    if (const scene::Gauge* g = asGauge(s, owner)) out += GaugePanel::shape(s, *g);
    if (owner.list == scene::List::Winds)
        for (const scene::Layer& l : s.layers) out += QString::fromStdString(l.id + '\n' + l.name + '\n');
    return out;
}

}  // namespace nutatio::app
