#include "edit/operation_arguments.h"

#include <algorithm>
#include <cctype>
#include <charconv>

#include "base/ranges.h"

namespace nutatio::edit {

const std::string& text(const Arguments& a, std::string_view key) {
    static const std::string kNone;
    const auto at = a.find(key);
    return at == a.end() ? kNone : at->second;
}

std::optional<double> number(const std::string& s) {
    double v = 0;
    const auto [end, bad] = std::from_chars(s.data(), s.data() + s.size(), v);
    if (bad != std::errc() || end != s.data() + s.size() || !std::isfinite(v)) return std::nullopt;
    return v;
}

void eachThing(const scene::Scene& s, const std::function<void(const scene::Owner& owner, const std::string& name)>& look) {
    const auto all = [&](scene::List list, const auto& of) {
        for (const auto& t : of) look(scene::Owner{list, t.id}, t.name);
    };
    all(scene::List::Actors, s.actors);
    all(scene::List::Layers, s.layers);
    all(scene::List::Colliders, s.colliders);
    all(scene::List::Winds, s.winds);
    all(scene::List::Pins, s.pins);
    all(scene::List::Gauges, s.gauges);
}

namespace {

/// The fewest letters put in, taken out or changed that make one word of another (Levenshtein 1966); small letters count as
/// large.
std::size_t apart(const std::string& a, const std::string& b) {
    std::vector<std::size_t> row(b.size() + 1);
    for (std::size_t k = 0; k < row.size(); ++k) row[k] = k;
    const auto small = [](char c) { return std::tolower(static_cast<unsigned char>(c)); };
    for (std::size_t i = 1; i <= a.size(); ++i) {
        std::size_t before = row[0];
        row[0] = i;
        for (std::size_t k = 1; k <= b.size(); ++k) {
            const std::size_t kept = before + (small(a[i - 1]) == small(b[k - 1]) ? 0 : 1);
            before = row[k];
            row[k] = std::min({kept, row[k] + 1, row[k - 1] + 1});
        }
    }
    return row[b.size()];
}

/// ": is it ... or ...?", of ids that nearly are, or begin with, what was said; empty where there is none.
std::string nearTo(const scene::Scene& s, const std::string& said) {
    constexpr std::size_t kMost = 3;
    std::vector<std::pair<std::size_t, std::string>> near;
    eachThing(s, [&](const scene::Owner& owner, const std::string& name) {
        const std::size_t off = std::min(apart(said, owner.id), apart(said, name));
        const bool within = said.size() > 2 && (owner.id.find(said) != std::string::npos || name.find(said) != std::string::npos);
        if (within || off <= std::max<std::size_t>(1, said.size() / 3)) near.emplace_back(within ? 0 : off, owner.id);
    });
    std::stable_sort(near.begin(), near.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::string out;
    for (std::size_t k = 0; k < std::min(kMost, near.size()); ++k)
        out += (k == 0 ? "; is it " : k + 1 < std::min(kMost, near.size()) ? ", " : " or ") + near[k].second;
    return out.empty() ? out : out + "?";
}

}  // namespace

Result<scene::Owner> thing(const scene::Scene& s, const std::string& name) {
    std::vector<scene::Owner> found;
    for (const scene::List list : scene::kLists) {
        const std::string prefix = std::string(scene::listName(list)) + ":";
        if (name.rfind(prefix, 0) == 0) {
            const scene::Owner owner{list, name.substr(prefix.size())};
            if (s.tuned(owner)) return owner;
            return refused("there is nothing called \"" + owner.id + "\" among the " + std::string(scene::listName(list)));
        }
        if (s.tuned({list, name})) found.push_back({list, name});
    }
    if (found.empty()) {
        eachThing(s, [&](const scene::Owner& owner, const std::string& its) {
            if (its == name) found.push_back(owner);
        });
        if (found.size() > 1) {
            std::string ids;
            for (const scene::Owner& f : found) ids += (ids.empty() ? "" : ", ") + f.id;
            return refused("more than one thing is called \"" + name + "\"; say which by its id: " + ids);
        }
    }
    if (found.empty()) return refused("the scene has nothing called \"" + name + "\"" + nearTo(s, name));
    if (found.size() > 1)
        return refused("\"" + name + "\" stands in more than one list; say which, as in " +
                       std::string(scene::listName(found[0].list)) + ":" + name);
    return found.front();
}

Result<std::string> actorOf(const scene::Scene& s, const Arguments& a) {
    const std::string& id = text(a, "actor");
    if (id.empty() && s.actors.size() == 1) return s.actors.front().id;
    if (id.empty())
        return refused(s.actors.empty() ? "the scene has no actor" : "the scene has several actors; say which one with actor=");
    if (!s.actor(id)) return refused("there is no actor \"" + id + "\"");
    return id;
}

Result<int> frameOf(const Arguments& a, std::string_view key) {
    const std::string& t = text(a, key);
    const auto v = number(t);
    const auto frame = v ? whole(*v, 1, kLastFrame) : std::nullopt;
    if (!frame) return refused(std::string(key) + "=" + t + " is no frame: a whole number, counted from 1");
    return *frame - 1;
}

Result<int> frameOf(const Arguments& a) {
    return text(a, "frame").empty() ? Result<int>(0) : frameOf(a, "frame");
}

Result<int> wholeOr(const Arguments& a, std::string_view key, int other, int least, int most) {
    const auto v = numberOr(a, key, other);
    if (!v) return v.error();
    const auto n = whole(v.value(), least, most);
    return n ? Result<int>(*n)
             : refused(std::string(key) + " is a whole number from " + std::to_string(least) + " to " + std::to_string(most));
}

std::vector<std::string> joined(const std::string& all) {
    std::vector<std::string> out;
    for (std::size_t from = 0; from <= all.size();) {
        const std::size_t to = std::min(all.find('+', from), all.size());
        if (to > from) out.push_back(all.substr(from, to - from));
        from = to + 1;
    }
    return out;
}

Result<std::vector<Vec3>> places(const std::string& all) {
    std::vector<Vec3> out;
    for (const std::string& p : joined(all)) {
        Vec3 v = Vec3::Zero();
        std::size_t from = 0;
        for (int k = 0; k < 3; ++k) {
            const std::size_t to = std::min(p.find(' ', from), p.size());
            const auto n = from < p.size() ? number(p.substr(from, to - from)) : std::nullopt;
            if (!n || (k == 2) != (to == p.size()))
                return refused("\"" + p + "\" is not a place: three numbers with spaces between");
            v[k] = *n;
            from = to + 1;
        }
        out.push_back(v);
    }
    return out;
}

Result<bool> yesOr(const Arguments& a, std::string_view key, bool other) {
    const std::string& t = text(a, key);
    if (t.empty()) return other;
    if (t != "yes" && t != "no") return refused(std::string(key) + " is yes or no");
    return t == "yes";
}

Result<double> numberOr(const Arguments& a, std::string_view key, double other) {
    const std::string& t = text(a, key);
    if (t.empty()) return other;
    const auto v = number(t);
    return v ? Result<double>(*v) : refused("\"" + t + "\" is not a number");
}

}  // namespace nutatio::edit
