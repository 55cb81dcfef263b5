#include "edit/keys.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <tuple>

#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::edit {

namespace {

/// The keys of a setting in the shot on show, to be changed; null where it has none.
scene::Keys* editKeys(scene::Scene& s, const scene::Owner& owner, const std::string& setting) {
    if (!std::as_const(s).shot().keysOf(owner, setting)) return nullptr;
    return &s.editShot().keys[owner][setting];
}

/// A setting whose last key is gone has no list of keys.
void tidy(scene::Scene& s, const scene::Owner& owner, const std::string& setting) {
    auto& all = s.editShot().keys;
    const auto mine = all.find(owner);
    if (mine == all.end()) return;
    if (const auto at = mine->second.find(setting); at != mine->second.end() && at->second.empty()) mine->second.erase(at);
    if (mine->second.empty()) all.erase(mine);
}

using BySetting = std::map<std::pair<scene::Owner, std::string>, std::vector<double>>;
BySetting bySetting(const std::vector<KeyOf>& keys) {
    BySetting out;
    for (const KeyOf& k : keys) out[{k.owner, k.setting}].push_back(k.at);
    return out;
}

double clamped(const scene::Scene& s, const scene::Owner& owner, const std::string& setting, double value) {
    const scene::SettingSpec* row = findRow(layers::tableOf(s, owner), setting);
    return row ? scene::clampTo(*row, value) : value;
}

}  // namespace

std::vector<KeyOf> moveKeys(scene::Scene& s, const std::vector<KeyOf>& keys, const KeyMove& m) {
    std::map<KeyOf, KeyOf> moved;
    for (const auto& [of, times] : bySetting(keys)) {
        const auto& [owner, setting] = of;
        scene::Keys* all = editKeys(s, owner, setting);
        if (!all) continue;
        std::vector<std::pair<double, scene::KeyAt>> taken;
        for (double t : times)
            if (const auto at = scene::keyAt(*all, t); at != all->end()) {
                taken.emplace_back(t, *at);
                all->erase(at);
            }
        for (auto& [was, k] : taken) {
            k.at = std::max(0.0, m.about + m.times * (k.at - m.about) + m.by);
            k.value = clamped(s, owner, setting, m.aboutValue + m.timesValue * (k.value - m.aboutValue) + m.byValue);
            const double slope = m.times != 0 ? m.timesValue / m.times : 0;
            k.before *= slope;
            k.after *= slope;
            if (m.times < 0) std::swap(k.before, k.after);
            if (const auto there = scene::keyAt(*all, k.at); there != all->end()) all->erase(there);
            all->insert(std::find_if(all->begin(), all->end(), [at = k.at](const scene::KeyAt& o) { return o.at > at; }), k);
            moved[{owner, setting, was}] = {owner, setting, k.at};
        }
    }
    std::vector<KeyOf> out;
    for (const KeyOf& k : keys)
        if (const auto at = moved.find(k); at != moved.end() && std::find(out.begin(), out.end(), at->second) == out.end())
            out.push_back(at->second);
    return out;
}

void easeKeys(scene::Scene& s, const std::vector<KeyOf>& keys, scene::Ease ease) {
    for (const auto& [of, times] : bySetting(keys)) {
        scene::Keys* all = editKeys(s, of.first, of.second);
        if (!all) continue;
        const scene::Keys before = *all;
        for (double t : times) {
            const auto at = scene::keyAt(*all, t);
            if (at == all->end()) continue;
            std::tie(at->before, at->after) = scene::slopesAt(before, static_cast<std::size_t>(at - all->begin()));
            at->ease = ease;
            if (ease != scene::Ease::Free) at->before = at->after = 0;
        }
    }
}

void slopeKey(scene::Scene& s, const KeyOf& key, double before, double after) {
    scene::Keys* all = editKeys(s, key.owner, key.setting);
    if (!all || !std::isfinite(before) || !std::isfinite(after)) return;
    if (const auto at = scene::keyAt(*all, key.at); at != all->end()) {
        at->ease = scene::Ease::Free;
        at->before = before;
        at->after = after;
    }
}

void removeKeys(scene::Scene& s, const std::vector<KeyOf>& keys) {
    for (const auto& [of, times] : bySetting(keys)) {
        const auto& [owner, setting] = of;
        scene::Keys* all = editKeys(s, owner, setting);
        if (!all) continue;
        double last = all->front().value;
        for (double t : times)
            if (const auto at = scene::keyAt(*all, t); at != all->end()) {
                last = at->value;
                all->erase(at);
            }
        if (!all->empty()) continue;
        tidy(s, owner, setting);
        setPlain(s, owner, setting, last);
    }
}

CopiedKeys copyKeys(const scene::Scene& s, const std::vector<KeyOf>& keys) {
    CopiedKeys out;
    double first = std::numeric_limits<double>::infinity();
    for (const KeyOf& k : keys) first = std::min(first, k.at);
    for (const KeyOf& k : keys)
        if (const scene::Keys* all = s.shot().keysOf(k.owner, k.setting))
            if (const auto at = scene::keyAt(*all, k.at); at != all->end()) {
                out.keys.push_back({k.owner, k.setting, *at});
                out.keys.back().key.at -= first;
            }
    return out;
}

Result<std::vector<KeyOf>> pasteKeys(scene::Scene& s, const CopiedKeys& copied, double at) {
    if (copied.keys.empty()) return refused("no keys were copied");
    std::vector<KeyOf> out;
    for (const CopiedKeys::One& one : copied.keys) {
        const scene::Tuned* t = std::as_const(s).tuned(one.owner);
        if (!t) return refused("what the keys were copied from is gone");
        const scene::SettingSpec* row = findRow(layers::tableOf(s, one.owner), one.setting);
        if (!row || !row->keyable) return refused("\"" + one.setting + "\" of \"" + t->name + "\" cannot have keys");
        scene::KeyAt k = one.key;
        k.at += at;
        scene::Keys& all = s.editShot().keys[one.owner][one.setting];
        if (const auto there = scene::keyAt(all, k.at); there != all.end()) all.erase(there);
        all.insert(std::find_if(all.begin(), all.end(), [&](const scene::KeyAt& o) { return o.at > k.at; }), k);
        out.push_back({one.owner, one.setting, k.at});
    }
    return out;
}

void closeKeys(scene::Scene& s, const scene::Owner& owner, const std::string& setting) {
    const double end = s.shot().timeOf(s.frames(s.shot()) - 1);
    scene::Keys* all = editKeys(s, owner, setting);
    if (!all || !(end > 0)) return;
    // Keys beyond the last frame hold nothing that is seen.
    std::erase_if(*all, [&](const scene::KeyAt& k) { return k.at > end - scene::kSameMoment; });
    scene::KeyAt first{.at = 0, .value = all->empty() ? 0 : scene::keyedAt(*all, 0)};
    if (const auto there = scene::keyAt(*all, 0); there != all->end())
        first = *there;
    else
        all->insert(all->begin(), first);
    first.at = end;
    all->push_back(first);
}

void holdOver(scene::Scene& s, const scene::Owner& owner, const std::string& setting, int from, int to, double value) {
    if (!std::as_const(s).tuned(owner)) return;
    if (from > to) std::swap(from, to);
    from = std::max(from, 0);
    const int last = s.frames(s.shot()) - 1;
    to = std::min(to, last);
    if (to < from) return;
    value = clamped(s, owner, setting, value);
    const double before = s.numberAt(owner, setting, from - 1), after = s.numberAt(owner, setting, to + 1);
    scene::Shot& shot = s.editShot();
    scene::Keys& all = shot.keys[owner][setting];
    std::erase_if(all, [&](const scene::KeyAt& k) {
        return k.at > shot.timeOf(from) - scene::kSameMoment && k.at < shot.timeOf(to) + scene::kSameMoment;
    });
    if (from > 0) scene::putKey(all, shot.timeOf(from - 1), before);
    scene::putKey(all, shot.timeOf(from), value);
    scene::putKey(all, shot.timeOf(to), value);
    if (to < last) scene::putKey(all, shot.timeOf(to + 1), after);
}

int addInterval(scene::Scene& s, const std::string& layer, int from, int to, double easeIn, double easeOut) {
    if (!std::as_const(s).layer(layer)) return -1;
    scene::Shot& shot = s.editShot();
    auto& all = shot.intervals[layer];
    all.emplace_back();
    const int which = static_cast<int>(all.size()) - 1;
    setInterval(s, layer, which, {shot.timeOf(std::min(from, to)), shot.timeOf(std::max(from, to)), easeIn, easeOut});
    return which;
}

void setInterval(scene::Scene& s, const std::string& layer, int which, scene::Interval i) {
    const auto has = s.shot().intervals.find(layer);
    if (has == s.shot().intervals.end() || which < 0 || which >= static_cast<int>(has->second.size())) return;
    const double end = s.shot().timeOf(s.frames(s.shot()) - 1);
    if (i.to < i.from) std::swap(i.from, i.to);
    i.from = within(i.from, 0.0, end);
    i.to = within(i.to, i.from, end);
    i.easeIn = within(i.easeIn, 0.0, i.to - i.from);
    i.easeOut = within(i.easeOut, 0.0, i.to - i.from);
    s.editShot().intervals.find(layer)->second[static_cast<std::size_t>(which)] = i;
}

void removeInterval(scene::Scene& s, const std::string& layer, int which) {
    const auto has = s.shot().intervals.find(layer);
    if (has == s.shot().intervals.end() || which < 0 || which >= static_cast<int>(has->second.size())) return;
    auto& all = s.editShot().intervals;
    all[layer].erase(all[layer].begin() + which);
    if (all[layer].empty()) all.erase(layer);
}

void mark(scene::Scene& s, int frame, const std::string& name) {
    if (frame < 0) return;
    scene::Shot& shot = s.editShot();
    std::erase_if(shot.marks, [&](const scene::Mark& m) { return shot.frameOf(m.at) == frame; });
    if (name.empty()) return;
    shot.marks.push_back({shot.timeOf(frame), name});
    std::sort(shot.marks.begin(), shot.marks.end(), [](const auto& a, const auto& b) { return a.at < b.at; });
}

}  // namespace nutatio::edit
