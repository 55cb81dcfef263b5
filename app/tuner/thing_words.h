// What is said of a thing with settings: its noun, its title, what it is about.
#pragma once

#include <QString>

#include "app/document/session.h"
#include "scene/scene.h"

namespace nutatio::app {

/// Null where the owner is none of that sort, or not there.
inline const scene::Layer* asLayer(const scene::Scene& s, const scene::Owner& o) {
    return o.list == scene::List::Layers ? s.layer(o.id) : nullptr;
}
inline const scene::Collider* asCollider(const scene::Scene& s, const scene::Owner& o) {
    return o.list == scene::List::Colliders ? s.collider(o.id) : nullptr;
}
inline const scene::Pin* asPin(const scene::Scene& s, const scene::Owner& o) {
    return o.list == scene::List::Pins ? s.pin(o.id) : nullptr;
}
inline const scene::Wind* asWind(const scene::Scene& s, const scene::Owner& o) {
    return o.list == scene::List::Winds ? s.wind(o.id) : nullptr;
}
inline const scene::Gauge* asGauge(const scene::Scene& s, const scene::Owner& o) {
    return o.list == scene::List::Gauges ? s.gauge(o.id) : nullptr;
}
inline const scene::ActorEntry* asActor(const scene::Scene& s, const scene::Owner& o) {
    return o.list == scene::List::Actors ? s.actor(o.id) : nullptr;
}

/// What a thing of no kind is: "collider", "set piece" ...
QString nounOf(const scene::Scene& scene, const scene::Owner& owner);
QString titleOf(const scene::Scene& scene, const scene::Owner& owner);
/// One sentence of what the thing is about, where a table does not say it.
QString aboutOf(const scene::Scene& scene, const scene::Owner& owner);
/// Actors whose bodies a layer moves where they meet, and is moved by.
QString fellowsOf(const scene::Scene& scene, const scene::Owner& owner);
/// How tall what the thing stands on is [its units, or m in the world].
double heightOf(const scene::Scene& scene, const scene::Owner& owner);
/// Whether a page for the same thing would look otherwise now.
QString shapeOf(const scene::Scene& scene, const scene::Owner& owner, const Session& session);

}  // namespace nutatio::app
