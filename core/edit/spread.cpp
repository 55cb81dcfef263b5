#include "edit/spread.h"

#include <algorithm>
#include <cmath>

#include "edit/edit.h"
#include "edit/gauges.h"
#include "edit/takes.h"
#include "layers/registry.h"

namespace nutatio::edit {

namespace {

const scene::SettingSpec* numberRow(const scene::Scene& s, const scene::Owner& owner, const std::string& setting) {
    const scene::SettingSpec* row = s.tuned(owner) ? scene::findRow(layers::tableOf(s, owner), setting) : nullptr;
    return row && row->type == scene::SettingType::Number ? row : nullptr;
}

/// The actor that lengths of a thing are measured by.
const scene::ActorEntry* sizing(const scene::Scene& s, const scene::Owner& owner) {
    if (const scene::Layer* l = owner.list == scene::List::Layers ? s.layer(owner.id) : nullptr) return s.actor(l->actor);
    return s.actors.empty() ? nullptr : &s.actors.front();
}

Result<Done> hold(scene::Scene& s, const SpreadAxis& axis, int step, int steps) {
    const scene::SettingSpec* row = numberRow(s, axis.owner, axis.setting);
    if (!row) return refused("\"" + axis.owner.id + "\" has no number \"" + axis.setting + "\"");
    if (s.tuned(axis.owner)->feeds.count(axis.setting) > 0) unfeed(s, axis.owner, axis.setting);
    if (s.shot().keysOf(axis.owner, axis.setting)) {
        auto& keys = s.editShot().keys[axis.owner];
        keys.erase(axis.setting);
        if (keys.empty()) s.editShot().keys.erase(axis.owner);
    }
    const double value = scene::clampTo(*row, axis.at(step, steps));
    setPlain(s, axis.owner, axis.setting, row->whole ? std::round(value) : value);
    return Done{};
}

}  // namespace

Result<SpreadAxis> newAxis(const scene::Scene& s, const scene::Owner& owner, const std::string& setting, int frame) {
    const scene::SettingSpec* found = numberRow(s, owner, setting);
    if (!found) return refused("\"" + owner.id + "\" has no number \"" + setting + "\"");
    const scene::ActorEntry* by = sizing(s, owner);
    const scene::SettingSpec row = by ? scene::sizedFor(*found, by->actor->height) : *found;
    const double now = s.numberAt(owner, setting, frame);
    SpreadAxis axis{owner, setting, row.soft.low, row.soft.high};
    if (now != 0) {
        axis.from = scene::clampTo(row, 0.5 * now);
        axis.to = scene::clampTo(row, 2 * now);
    }
    // Where the range ends at what it is now, the slider's says more.
    if (std::abs(axis.to - axis.from) < 0.05 * (row.soft.high - row.soft.low)) {
        axis.from = row.soft.low;
        axis.to = row.soft.high;
    }
    return axis;
}

Result<Done> setCell(scene::Scene& s, const Spread& spread, int cell) {
    if (cell < 0 || cell >= spread.cells()) return refused("there is no such cell");
    scene::Scene next = s;
    if (const auto done = hold(next, spread.across, cell % spread.columns, spread.columns); !done) return done;
    if (spread.down)
        if (const auto done = hold(next, *spread.down, cell / spread.columns, spread.rows); !done) return done;
    s = std::move(next);
    return Done{};
}

std::string cellWords(const scene::Scene& s, const Spread& spread, int cell) {
    const auto words = [&](const SpreadAxis& axis, int step, int steps) -> std::string {
        const scene::SettingSpec* row = numberRow(s, axis.owner, axis.setting);
        return row ? settingWords(*row, axis.setting, axis.at(step, steps)) : "";
    };
    std::string out = words(spread.across, cell % spread.columns, spread.columns);
    if (spread.down) out += ", " + words(*spread.down, cell / spread.columns, spread.rows);
    return out;
}

}  // namespace nutatio::edit
