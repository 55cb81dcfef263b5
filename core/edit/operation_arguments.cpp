#include "edit/operation_arguments.h"

#include <algorithm>
#include <charconv>

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
    if (found.empty()) return refused("the scene has nothing called \"" + name + "\"");
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

Result<int> frameOf(const Arguments& a) {
    const std::string& t = text(a, "frame");
    if (t.empty()) return 0;
    const auto v = number(t);
    if (!v || *v < 1 || *v != std::floor(*v)) return refused("a frame is a whole number, counted from 1");
    return static_cast<int>(*v) - 1;
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
