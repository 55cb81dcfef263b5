#include "edit/takes.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::edit {

namespace {

Error noTake(const std::string& take) {
    return refused("there is no take \"" + take + "\"");
}

/// The take, to be changed; null when there is none.
scene::Take* editTake(scene::Scene& s, const std::string& take) {
    const std::size_t at = s.takes.find([&](const scene::Take& t) { return t.id == take; });
    return at < s.takes.size() ? &s.takes.edit(at) : nullptr;
}

}  // namespace

std::string keepTake(scene::Scene& s, const std::string& name, int frame,
                     std::shared_ptr<const std::vector<std::uint8_t>> picture) {
    scene::Take t;
    t.id = s.freshId("take");
    const auto named = [&](const std::string& n) {
        return std::any_of(s.takes.begin(), s.takes.end(), [&](const scene::Take& each) { return each.name == n; });
    };
    t.name = name;
    for (std::size_t n = s.takes.size() + 1; t.name.empty() || (name.empty() && named(t.name)); ++n)
        t.name = "Take " + std::to_string(n);
    t.frame = frame;
    t.picture = std::move(picture);
    scene::Scene kept = scene::withoutTrials(s);
    kept.takes = {};
    t.scene = std::make_shared<const scene::Scene>(std::move(kept));
    std::string id = t.id;
    s.takes.push_back(std::move(t));
    return id;
}

Result<Done> adoptTake(scene::Scene& s, const std::string& id) {
    const scene::Take* take = std::as_const(s).take(id);
    if (!take) return noTake(id);
    const std::shared_ptr<const scene::Scene> from = take->scene;
    s.layers = from->layers;
    s.colliders = from->colliders;
    s.winds = from->winds;
    s.pins = from->pins;
    s.gauges = from->gauges;
    for (std::size_t i = 0; i < s.shots.size(); ++i) {
        const scene::Shot* was = from->findShot(s.shots[i].id);
        if (!was || was->id != s.shots[i].id) continue;
        scene::Shot& shot = s.shots.edit(i);
        std::erase_if(shot.keys, [](const auto& k) { return k.first.list != scene::List::Actors; });
        for (const auto& [owner, keys] : was->keys)
            if (owner.list != scene::List::Actors) shot.keys[owner] = keys;
        shot.intervals = was->intervals;
        shot.seals = was->seals;
    }
    return Done{};
}

Result<Done> restoreTake(scene::Scene& s, const std::string& id) {
    const scene::Take* take = std::as_const(s).take(id);
    if (!take) return noTake(id);
    scene::Scene back = *take->scene;
    back.takes = s.takes;
    back.unread = s.unread;
    s = std::move(back);
    return Done{};
}

Result<Done> renameTake(scene::Scene& s, const std::string& id, const std::string& name) {
    if (name.empty()) return refused("a take has a name");
    scene::Take* t = editTake(s, id);
    if (!t) return noTake(id);
    t->name = name;
    return Done{};
}

Result<Done> noteTake(scene::Scene& s, const std::string& id, const std::string& note) {
    scene::Take* t = editTake(s, id);
    if (!t) return noTake(id);
    t->note = note;
    return Done{};
}

Result<Done> removeTake(scene::Scene& s, const std::string& id) {
    if (s.takes.eraseIf([&](const scene::Take& t) { return t.id == id; }) == 0) return noTake(id);
    return Done{};
}

namespace {

constexpr const char* kArrow = " \u2192 ";

std::string written(double v) {
    char text[32];
    std::snprintf(text, sizeof text, "%.4g", v);
    return text;
}

std::string lowered(std::string label) {
    // "IK" stays what it is.
    if (label.size() > 1 && std::islower(static_cast<unsigned char>(label[1])))
        label[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(label[0])));
    return label;
}

std::string valueText(const scene::SettingSpec& row, const scene::Value& value) {
    if (const auto* number = std::get_if<double>(&value)) {
        const bool percent = row.unit == scene::Unit::Share;
        return written(percent ? 100 * *number : *number) + (percent ? " %" : "");
    }
    if (const auto* text = std::get_if<std::string>(&value)) return text->empty() ? "none" : *text;
    return std::to_string(std::get<std::vector<std::string>>(value).size());
}

std::string unitAfter(const scene::SettingSpec& row) {
    if (row.type != scene::SettingType::Number || row.unit == scene::Unit::Share) return {};
    const std::string unit(scene::unitText(row.unit));
    return unit.empty() ? unit : " " + unit;
}

}  // namespace

std::string settingWords(const scene::SettingSpec& row, std::string_view setting, const scene::Value& value) {
    return lowered(scene::labelOf(row, setting)) + " " + valueText(row, value) + unitAfter(row);
}

namespace {

class Differences {
  public:
    Differences(const scene::Scene& from, const scene::Scene& to) : m_from(from), m_to(to) {
        list(from.actors, to.actors, scene::List::Actors);
        list(from.layers, to.layers, scene::List::Layers);
        list(from.colliders, to.colliders, scene::List::Colliders);
        list(from.winds, to.winds, scene::List::Winds);
        list(from.pins, to.pins, scene::List::Pins);
        list(from.gauges, to.gauges, scene::List::Gauges);
        order();
        shots();
    }
    std::vector<std::string> take() { return std::move(m_out); }

  private:
    void say(const std::string& of, const std::string& what) { m_out.push_back(of + ": " + what); }

    template <class T>
    void list(const SharedList<T>& from, const SharedList<T>& to, scene::List which) {
        std::map<std::string_view, std::size_t> was;
        for (std::size_t i = 0; i < from.size(); ++i) was.emplace(from[i].id, i);
        for (std::size_t i = 0; i < to.size(); ++i) {
            const auto at = was.find(to[i].id);
            if (at == was.end()) {
                m_out.push_back(to[i].name + " added");
                continue;
            }
            if (from.pointer(at->second) != to.pointer(i)) thing(from[at->second], to[i], which);
            was.erase(at);
        }
        for (std::size_t i = 0; i < from.size(); ++i)
            if (was.count(from[i].id) > 0) m_out.push_back(from[i].name + " gone");
    }

    template <class T>
    void thing(const T& from, const T& to, scene::List which) {
        if (from.name != to.name) say(from.name, "now called " + to.name);
        flags(from, to);
        const scene::Table table = layers::tableOf(m_to, {which, to.id});
        std::set<std::string, std::less<>> ids;
        for (const auto& [id, value] : from.values) ids.insert(id);
        for (const auto& [id, value] : to.values) ids.insert(id);
        for (const std::string& id : ids) {
            const scene::SettingSpec* row = scene::findRow(table, id);
            if (!row) continue;
            const auto a = from.values.find(id), b = to.values.find(id);
            const scene::Value was = a == from.values.end() ? scene::startValue(*row) : a->second,
                               is = b == to.values.end() ? scene::startValue(*row) : b->second;
            if (was == is) continue;
            say(to.name,
                lowered(scene::labelOf(*row, id)) + " " + valueText(*row, was) + kArrow + valueText(*row, is) + unitAfter(*row));
        }
        each(from.profiles, to.profiles, table, to.name, " from root to tip");
        each(from.feeds, to.feeds, table, to.name, " fed");
    }

    /// Members of a map by setting that one has and the other has not, or has otherwise.
    template <class Map>
    void each(const Map& from, const Map& to, scene::Table table, const std::string& of, const std::string& what) {
        std::set<std::string, std::less<>> ids;
        for (const auto& [id, value] : from) ids.insert(id);
        for (const auto& [id, value] : to) ids.insert(id);
        for (const std::string& id : ids) {
            const scene::SettingSpec* row = scene::findRow(table, id);
            const auto a = from.find(id), b = to.find(id);
            if (!row) continue;
            const std::string label = lowered(scene::labelOf(*row, id));
            if (a == from.end())
                say(of, label + what);
            else if (b == to.end())
                say(of, label + " no longer" + what);
            else if (!(a->second == b->second))
                say(of, label + what + " otherwise");
        }
    }

    void flags(const scene::ActorEntry& a, const scene::ActorEntry& b) {
        if (a.hidden != b.hidden) say(b.name, b.hidden ? "hidden" : "shown");
        if (a.preparations != b.preparations)
            say(b.name, std::to_string(a.preparations.size()) + kArrow + std::to_string(b.preparations.size()) + " preparations");
        if (a.parts != b.parts) say(b.name, "parts named otherwise");
        if (a.maps != b.maps) say(b.name, "maps painted otherwise");
    }
    void flags(const scene::Layer& a, const scene::Layer& b) {
        if (a.muted != b.muted) say(b.name, b.muted ? "muted" : "no longer muted");
        if (a.solo != b.solo) say(b.name, b.solo ? "solo" : "no longer solo");
        if (a.shot != b.shot) say(b.name, b.shot.empty() ? "in every shot" : "in one shot alone");
        if (a.apart != b.apart) say(b.name, "chains or joints set apart otherwise");
    }
    void flags(const scene::Wind& a, const scene::Wind& b) {
        on(a, b);
        if (a.layers != b.layers) say(b.name, "blows on other layers");
    }
    void flags(const scene::Pin& a, const scene::Pin& b) {
        on(a, b);
        if (a.to != b.to || a.end != b.end) say(b.name, "holds to another place");
    }
    void flags(const scene::Collider& a, const scene::Collider& b) {
        on(a, b);
        if (a.mount != b.mount) say(b.name, a.mount.spot || b.mount.spot ? "rides elsewhere" : "rides on another joint");
    }
    void flags(const scene::Gauge& a, const scene::Gauge& b) {
        if (a.of != b.of || a.to != b.to || a.after != b.after || a.over != b.over) say(b.name, "measures elsewhere");
    }
    template <class T>
    void on(const T& a, const T& b) {
        if (a.on != b.on) say(b.name, b.on ? "switched on" : "switched off");
    }

    void order() {
        std::vector<std::string_view> was, is;
        for (const scene::Layer& l : m_from.layers)
            if (m_to.layer(l.id)) was.push_back(l.id);
        for (const scene::Layer& l : m_to.layers)
            if (m_from.layer(l.id)) is.push_back(l.id);
        if (was != is) m_out.push_back("layers stand in another order");
    }

    void shots() {
        for (const scene::Shot& s : m_to.shots) {
            const std::size_t at = m_from.shots.find([&](const scene::Shot& each) { return each.id == s.id; });
            if (at == m_from.shots.size())
                m_out.push_back("shot " + s.name + " added");
            else if (&m_from.shots[at] != &s)
                shot(m_from.shots[at], s);
        }
        for (const scene::Shot& s : m_from.shots)
            if (m_to.shots.find([&](const scene::Shot& each) { return each.id == s.id; }) == m_to.shots.size())
                m_out.push_back("shot " + s.name + " gone");
        if (m_from.shown != m_to.shown) m_out.push_back("shows " + m_to.shot().name);
    }

    void shot(const scene::Shot& a, const scene::Shot& b) {
        const std::string of = "shot " + b.name;
        if (a.name != b.name) say("shot " + a.name, "now called " + b.name);
        if (a.fps != b.fps) say(of, written(a.fps) + kArrow + written(b.fps) + " frames a second");
        if (a.clips != b.clips) say(of, "plays other clips");
        if (a.lines != b.lines) say(of, "its clips arranged otherwise");
        if (a.cuts != b.cuts) say(of, std::to_string(a.cuts.size()) + kArrow + std::to_string(b.cuts.size()) + " cuts");
        if (a.marks != b.marks) say(of, "marked otherwise");
        std::set<std::string, std::less<>> acting;
        for (const auto& [layer, all] : a.intervals) acting.insert(layer);
        for (const auto& [layer, all] : b.intervals) acting.insert(layer);
        for (const std::string& layer : acting) {
            const auto was = a.intervals.find(layer), is = b.intervals.find(layer);
            const scene::Layer* l = m_to.layer(layer);
            if (l && (was == a.intervals.end() || is == b.intervals.end() || was->second != is->second))
                say(l->name, "acts in other stretches of " + b.name);
        }
        if (a.seals != b.seals) say(of, "other frames sealed");
        std::set<scene::Owner> keyed;
        for (const auto& [owner, keys] : a.keys) keyed.insert(owner);
        for (const auto& [owner, keys] : b.keys) keyed.insert(owner);
        static const scene::KeysOf kNone;
        for (const scene::Owner& owner : keyed) {
            const scene::Tuned* t = m_to.tuned(owner);
            const scene::KeysOf *was = a.keysOf(owner), *is = b.keysOf(owner);
            if (t) each(was ? *was : kNone, is ? *is : kNone, layers::tableOf(m_to, owner), t->name, " keyed");
        }
    }

    const scene::Scene &m_from, &m_to;
    std::vector<std::string> m_out;
};

}  // namespace

std::vector<std::string> differences(const scene::Scene& from, const scene::Scene& to, std::size_t most) {
    std::vector<std::string> out = Differences(from, to).take();
    if (out.size() > most) {
        const std::size_t more = out.size() - most;
        out.resize(most);
        out.push_back("and " + std::to_string(more) + " more");
    }
    return out;
}

}  // namespace nutatio::edit
