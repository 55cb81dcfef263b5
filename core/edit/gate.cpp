#include "edit/gate.h"

#include "edit/rings.h"
#include "scene/lock.h"
#include "scene/ranges.h"
#include "scene/seal.h"

namespace nutatio::edit {

std::optional<std::string> whyNot(const scene::Scene& before, const scene::Scene& after) {
    if (const auto locked = scene::lockedChange(before, after)) return "\"" + *locked + "\" is locked: unlock it first";
    if (const auto sealed = scene::sealedChange(before, after)) return *sealed + ": break the seal first";
    if (auto ring = madeRing(before, after)) return ring;
    return scene::outOfRange(before, after);
}

}  // namespace nutatio::edit
