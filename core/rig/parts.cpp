#include "rig/parts.h"

#include <algorithm>
#include <cctype>
#include <limits>
#include <map>

namespace nutatio::rig {

std::string partName(const std::string& joint) {
    std::size_t end = joint.size();
    while (end > 0 && std::isdigit(static_cast<unsigned char>(joint[end - 1]))) --end;
    while (end > 0 && (joint[end - 1] == '_' || joint[end - 1] == '.' || joint[end - 1] == '-' || joint[end - 1] == ' ')) --end;
    return end == 0 || joint.front() == '#' ? joint : joint.substr(0, end);
}

std::vector<Part> partsOf(const Skeleton& s) {
    std::vector<Part> all;
    std::vector<int> of(static_cast<std::size_t>(s.size()), -1);
    for (int j : s.order()) {
        const std::string& name = s.joint(j).name;
        if (name.empty()) continue;
        const std::string part = partName(name);
        const int up = s.joint(j).parent, mine = up == kNoJoint ? -1 : of[static_cast<std::size_t>(up)];
        if (mine >= 0 && all[static_cast<std::size_t>(mine)].name == part) {
            of[static_cast<std::size_t>(j)] = mine;
            all[static_cast<std::size_t>(mine)].joints.push_back(j);
        } else {
            of[static_cast<std::size_t>(j)] = static_cast<int>(all.size());
            all.push_back({part, {j}});
        }
    }
    std::erase_if(all, [](const Part& p) { return p.joints.size() < 2; });
    return all;
}

std::string sharedPrefix(const Skeleton& s) {
    constexpr double kNearlyAll = 0.8;
    constexpr int kFewest = 4;
    std::map<std::string, int> begins;
    int named = 0;
    for (const Joint& j : s.joints()) {
        if (j.name.empty()) continue;
        ++named;
        for (std::size_t k = 1; k + 1 < j.name.size(); ++k)
            if ((j.name[k] == ':' || j.name[k] == '|' || j.name[k] == '_') &&
                std::isalpha(static_cast<unsigned char>(j.name[k + 1])))
                ++begins[j.name.substr(0, k + 1)];
    }
    std::string longest;
    if (named < kFewest) return longest;
    for (const auto& [prefix, count] : begins)
        if (count >= kNearlyAll * named && prefix.size() > longest.size()) longest = prefix;
    return longest;
}

int stepsApart(const Skeleton& s, int a, int b) {
    std::vector<int> up;
    for (int j = a; j != kNoJoint; j = s.joint(j).parent) up.push_back(j);
    int steps = 0;
    for (int j = b; j != kNoJoint; j = s.joint(j).parent, ++steps)
        if (const auto at = std::find(up.begin(), up.end(), j); at != up.end()) return steps + static_cast<int>(at - up.begin());
    return std::numeric_limits<int>::max();
}

std::string plainName(const Skeleton& s, int joint) {
    const std::string label = s.label(joint), prefix = sharedPrefix(s);
    return label.rfind(prefix, 0) == 0 ? label.substr(prefix.size()) : label;
}

}  // namespace nutatio::rig
