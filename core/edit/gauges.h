// Gauges and feeds: what can be done with them.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "scene/scene.h"

namespace nutatio::edit {

/// A gauge on a joint (reference), of what `measure` says (a choice of its table; empty: speed). Returns its id, empty when there
/// is no such joint or measure.
std::string addGauge(scene::Scene& scene, const std::string& actor, const std::string& joint, const std::string& measure = {});
/// What the gauge measures to, or is seen from; an empty actor: nothing.
Result<Done> measureTo(scene::Scene& scene, const std::string& gauge, const std::string& actor, const std::string& joint);
/// The layer whose result the gauge reads; empty: the body. Errors: a ring (see ringIn).
Result<Done> readAfter(scene::Scene& scene, const std::string& gauge, const std::string& layer);

/// Lets a setting follow a gauge. Errors: a setting that cannot have keys, a gauge that is not there, a ring.
Result<Done> feed(scene::Scene& scene, const scene::Owner& owner, const std::string& setting, const scene::Feed& feed);
/// And lets go of it.
void unfeed(scene::Scene& scene, const scene::Owner& owner, const std::string& setting);
/// A feed to begin with: from what the setting is now, at what the gauge reads least, to well above, at what it reads most.
scene::Feed newFeed(const scene::Scene& scene, const scene::Owner& owner, const std::string& setting, const scene::Gauge& gauge,
                    const scene::Curve& readings, int frame);

/// Where things wait for each other, in a sentence that names them: a layer, or what blows on or holds it, is fed by a gauge that
/// reads what that layer is needed for.
std::optional<std::string> ringIn(const scene::Scene& scene);

}  // namespace nutatio::edit
