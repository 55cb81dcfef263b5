#include <algorithm>
#include <array>
#include <map>
#include <optional>

#include "measure/check_rules.h"
#include "rig/parts.h"
#include "rig/roles.h"
#include "rig/tall.h"

namespace nutatio::measure {

namespace {

constexpr double kUneven = 1e-3;      // of a joint's own scale
constexpr double kSheared = 2e-3;     // cosine between two of its axes in the world
constexpr double kNoLength = 1e-4;    // heights
constexpr double kLengthOff = 0.05;   // between fellows
constexpr double kPlaceOff = 0.02;    // heights, between fellows
constexpr double kTurnedOff = 12;     // [deg] between fellows
constexpr double kWayToSkin = 0.015;  // heights
constexpr double kLongLink = 5;       // times its chain's median, or a fifth of it
constexpr double kStrayLink = 2.5;    // times, for a last link that carries nothing
constexpr double kLying = 45;         // [deg] of the hips over the feet, off the upright

bool says(std::string name, std::initializer_list<const char*> words) {
    for (char& c : name) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return std::any_of(words.begin(), words.end(), [&](const char* w) { return name.find(w) != std::string::npos; });
}

void names(const Checked& on, std::vector<Finding>& out) {
    std::map<std::string, std::vector<int>> by;
    for (int j = 0; j < on.skeleton.size(); ++j) by[on.skeleton.joint(j).name].push_back(j);
    int again = 0, kinds = 0, first = rig::kNoJoint;
    for (const auto& [name, joints] : by) {
        if (name.empty() || joints.size() < 2) continue;
        ++kinds;
        again += static_cast<int>(joints.size());
        if (first == rig::kNoJoint) first = joints[1];
    }
    const std::vector<std::string> repair{"name-joints:actor=" + on.entry.id};
    if (const auto none = by.find(""); none != by.end()) {
        Finding f = on.about("names", Severity::Note, none->second.front());
        f.size = static_cast<double>(none->second.size());
        f.unit = "joints";
        f.sentence =
            none->second.size() == 1 ? "A joint has no name." : std::to_string(none->second.size()) + " joints have no name.";
        f.repair = repair;
        out.push_back(std::move(f));
    }
    if (kinds > 0) {
        Finding f = on.about("names", Severity::Note, first);
        f.size = again;
        f.unit = "joints";
        f.sentence = std::to_string(again) + " joints share " + (kinds == 1 ? "a name" : std::to_string(kinds) + " names") +
                     ", such as \"" + on.skeleton.joint(first).name + "\".";
        f.repair = repair;
        out.push_back(std::move(f));
    }
}

void unit(const Checked& on, std::vector<Finding>& out) {
    const double metres = on.h * on.millimetres / 1000;
    if (const auto likelier = rig::likelierHeight(on.actor, metres)) {
        Finding f = on.about("unit", Severity::Look, rig::kNoJoint);
        f.size = metres;
        f.unit = "m";
        const bool animal = rig::rolesOf(on.actor).fourLegged;
        f.sentence = "It goes on " + std::string(animal ? "four" : "two") + " legs and stands " + shortNumber(metres) +
                     " m tall: it falls, swings and weighs as a " + (metres > *likelier ? "giant" : "toy") +
                     " of that size does. " + shortNumber(*likelier) +
                     (animal ? " m is likelier." : " m would be a person's height.");
        f.repair.push_back("stand-tall:actor=" + on.entry.id + ",metres=" + shortNumber(*likelier));
        out.push_back(std::move(f));
        return;
    }
    const bool far = metres > 30 || metres<0.03, odd = metres> 5 || metres < 0.1;
    if (!far && !odd) return;
    Finding f = on.about("unit", far ? Severity::Look : Severity::Note, rig::kNoJoint);
    f.size = metres;
    f.unit = "m";
    f.sentence = "It stands " + shortNumber(metres) + " m tall: gravity, wind and drag are felt as by something of that size.";
    out.push_back(std::move(f));
}

/// Hips over feet, as names tell them: from the middle of the feet to what carries both legs [units].
std::optional<Vec3> upOf(const Checked& on) {
    std::map<int, int> feet;  // by fellow
    for (int j = 0; j < on.skeleton.size(); ++j) {
        const std::string& name = on.skeleton.joint(j).name;
        if (!says(name, {"foot", "ankle"}) || says(name, {"ik", "target", "goal", "pole", "null", "fore", "front", "ctrl"}))
            continue;
        const int o = on.sides.fellow[static_cast<std::size_t>(j)];
        if (o == rig::kNoJoint || o == j || feet.count(o) > 0) continue;
        // The one nearest to the root, where heel and toes say foot too.
        bool below = false;
        for (const auto& [known, unused] : feet) below = below || on.skeleton.isBelow(j, known);
        if (!below) feet[j] = o;
    }
    if (feet.empty()) return std::nullopt;
    const auto [left, right] = *feet.begin();
    int hips = on.skeleton.joint(left).parent;
    while (hips != rig::kNoJoint && !on.skeleton.isBelow(right, hips)) hips = on.skeleton.joint(hips).parent;
    if (hips == rig::kNoJoint) return std::nullopt;
    const auto at = [&](int j) { return on.worlds[static_cast<std::size_t>(j)].t; };
    const Vec3 up = at(hips) - 0.5 * (at(left) + at(right));
    if (up.norm() < 0.1 * on.h) return std::nullopt;
    return up;
}

/// Which way is up, told by what it stands on: pairs of limbs that go down from the body and end near its lowest side, in the
/// mesh and the rest pose. Nothing where y serves as well as any, or no other side has a pair.
std::optional<Vec3> upByFeet(const Checked& on) {
    constexpr double kNear = 0.08, kDown = 0.15;  // of what the figure measures along the way
    const Vec3 ways[] = {{0, 1, 0}, {0, 0, 1}, {0, 0, -1}, {0, -1, 0}, {1, 0, 0}, {-1, 0, 0}};
    std::array<int, std::size(ways)> pairs{};
    Vec3 low = Vec3::Constant(1e300), high = -low;
    const auto reach = [&](const Vec3& p) {
        low = low.cwiseMin(p);
        high = high.cwiseMax(p);
    };
    for (const Vec3f& p : on.surface.places) reach(p.cast<double>());
    for (const Affine& w : on.worlds)
        if (on.surface.places.empty()) reach(w.t);
    for (int j = 0; j < on.skeleton.size(); ++j) {
        const int fellow = on.sides.fellow[static_cast<std::size_t>(j)];
        if (fellow <= j || !on.skeleton.joint(j).children.empty()) continue;
        // From the end of a limb up to where both sides meet.
        int top = j;
        for (int up = on.skeleton.joint(top).parent; up != rig::kNoJoint; up = on.skeleton.joint(top).parent) {
            const int other = on.sides.fellow[static_cast<std::size_t>(up)];
            if (other == up || other == rig::kNoJoint) break;
            top = up;
        }
        for (std::size_t k = 0; k < std::size(ways); ++k) {
            const Vec3& way = ways[k];
            const double least = std::min(way.dot(low), way.dot(high)), size = std::abs(way.dot(Vec3(high - low)));
            const auto over = [&](int joint) { return way.dot(on.worlds[static_cast<std::size_t>(joint)].t) - least; };
            pairs[k] += over(j) < kNear * size && over(fellow) < kNear * size && over(top) - over(j) > kDown * size;
        }
    }
    const auto most = std::max_element(pairs.begin(), pairs.end());
    if (pairs[0] > 0 || *most == 0 || std::count(pairs.begin(), pairs.end(), *most) > 1) return std::nullopt;
    return ways[most - pairs.begin()];
}

void upAxis(const Checked& on, std::vector<Finding>& out) {
    auto up = upOf(on);
    const bool byNames = up.has_value();
    if (!up) up = upByFeet(on);
    if (!up) return;
    const Vec3 now = (scene::turnOf(on.entry.vector("turn")) * *up).normalized();
    const double off = degrees(std::acos(std::clamp(now.y(), -1.0, 1.0)));
    if (off <= kLying) return;
    Vec3 best = Vec3::Zero();
    double most = -2;
    for (const Vec3& turn : {Vec3(0, 0, 0), Vec3(-90, 0, 0), Vec3(90, 0, 0), Vec3(0, 0, 90), Vec3(0, 0, -90), Vec3(180, 0, 0)})
        if (const double upright = (scene::turnOf(turn) * *up).normalized().y(); upright > most + 1e-6) {
            most = upright;
            best = turn;
        }
    Finding f = on.about("up-axis", Severity::Broken, rig::kNoJoint);
    f.size = off;
    f.unit = "deg";
    f.sentence = byNames ? "It does not stand upright: its hips lie " + shortNumber(off) +
                               " deg off from over its feet. Gravity pulls down."
                         : "It does not stand upright: its legs, by their shape, end " + shortNumber(off) +
                               " deg off from below it. Gravity pulls down.";
    const char* const axes[] = {"turn_x", "turn_y", "turn_z"};
    for (int k = 0; k < 3; ++k)
        f.repair.push_back("set:thing=actors:" + on.entry.id + ",setting=" + axes[k] +
                           ",value=" + std::to_string(static_cast<int>(best[k])));
    out.push_back(std::move(f));
}

void scales(const Checked& on, std::vector<Finding>& out) {
    std::vector<char> told(static_cast<std::size_t>(on.skeleton.size()), false);
    for (int j : on.skeleton.order()) {
        const auto at = static_cast<std::size_t>(j);
        const int up = on.skeleton.joint(j).parent;
        if (up != rig::kNoJoint && told[static_cast<std::size_t>(up)]) told[at] = true;
        const Vec3 s = on.skeleton.joint(j).rest.s;
        const double least = s.cwiseAbs().minCoeff(), most = s.cwiseAbs().maxCoeff();
        const auto tell = [&](Severity severity, double size, const std::string& what) {
            Finding f = on.about("scale", severity, j);
            f.size = size;
            f.unit = "%";
            f.sentence = on.name(j) + what;
            out.push_back(std::move(f));
        };
        if (!(least > 1e-9)) {
            tell(Severity::Broken, 100, " is scaled to nothing: what hangs below it cannot be reached.");
            told[at] = true;
            continue;
        }
        if (most / least - 1 > kUneven && (on.carried[at] > 0 || !on.skeleton.joint(j).children.empty()))
            tell(Severity::Look, 100 * (most / least - 1), " is scaled unevenly: what turns below it is sheared.");
        if (s.x() * s.y() * s.z() < 0)
            tell(Severity::Look, 100, " is mirrored by a scale below zero: tools turn it the wrong way round.");
        // Shear is told where it begins.
        if (told[at]) continue;
        const Mat3& m = on.worlds[at].m;
        double sheared = 0;
        for (int k = 0; k < 3; ++k) {
            const Vec3 a = m.col(k), b = m.col((k + 1) % 3);
            if (a.norm() > 0 && b.norm() > 0) sheared = std::max(sheared, std::abs(a.dot(b)) / (a.norm() * b.norm()));
        }
        if (sheared > kSheared) {
            tell(Severity::Look, 100 * sheared, " is sheared by an uneven scale above it: most formats cannot hold that.");
            told[at] = true;
        }
    }
}

/// Whether anything is drawn by the joint or by what hangs below it, by joint.
std::vector<char> carriesSomething(const Checked& on) {
    std::vector<char> out(static_cast<std::size_t>(on.skeleton.size()), false);
    for (std::size_t j = 0; j < out.size(); ++j) out[j] = on.carried[j] > 0;
    const std::vector<int>& order = on.skeleton.order();
    for (std::size_t k = order.size(); k-- > 0;)
        if (const int up = on.skeleton.joint(order[k]).parent; up != rig::kNoJoint && out[static_cast<std::size_t>(order[k])])
            out[static_cast<std::size_t>(up)] = true;
    return out;
}

void movesNothing(const Checked& on, std::vector<Finding>& out) {
    if (on.surface.places.empty()) return;
    const std::vector<char> something = carriesSomething(on);
    for (int j : on.skeleton.order()) {
        const auto at = static_cast<std::size_t>(j);
        const int up = on.skeleton.joint(j).parent;
        if (something[at] || (up != rig::kNoJoint && !something[static_cast<std::size_t>(up)])) continue;
        const std::vector<int> all = on.skeleton.subtree(j);
        const bool used = std::any_of(all.begin(), all.end(), [&](int k) {
            return on.keyed[static_cast<std::size_t>(k)] || on.actor.isSkinJoint[static_cast<std::size_t>(k)];
        });
        // A plain end only says where the joint above it ends.
        const bool end = all.size() == 1 && up != rig::kNoJoint && on.carried[static_cast<std::size_t>(up)] > 0;
        if (!used || end) continue;
        Finding f = on.about("moves-nothing", Severity::Note, j);
        f.size = static_cast<double>(all.size());
        f.unit = "joints";
        f.sentence = all.size() == 1
                         ? on.name(j) + " moves nothing that is drawn."
                         : on.name(j) + " and the " + std::to_string(all.size() - 1) + " below it move nothing that is drawn.";
        out.push_back(std::move(f));
    }
}

double lengthOf(const Checked& on, const std::vector<Affine>& worlds, int j) {
    const int up = on.skeleton.joint(j).parent;
    return up == rig::kNoJoint ? 0 : (worlds[static_cast<std::size_t>(j)].t - worlds[static_cast<std::size_t>(up)].t).norm();
}

void zeroLength(const Checked& on, std::vector<Finding>& out) {
    const auto inUse = [&](int j) {
        return on.keyed[static_cast<std::size_t>(j)] || on.actor.isSkinJoint[static_cast<std::size_t>(j)];
    };
    for (int j = 0; j < on.skeleton.size(); ++j) {
        const int up = on.skeleton.joint(j).parent;
        if (up == rig::kNoJoint || !inUse(j) || !inUse(up) || lengthOf(on, on.worlds, j) >= kNoLength * on.h) continue;
        Finding f = on.about("zero-length", Severity::Note, j);
        f.unit = "mm";
        f.sentence = on.name(j) + " stands in the same place as " + on.name(up) + ": between them nothing can swing.";
        out.push_back(std::move(f));
    }
}

double strayed(const Checked& on, int j, int fellow) {
    return (on.sides.mirroredPlace(on.sides.worlds[static_cast<std::size_t>(j)].t) -
            on.sides.worlds[static_cast<std::size_t>(fellow)].t)
        .norm();
}

/// The way from a joint to the middle of what follows it most [units]; nothing where that is next to nothing.
std::vector<Vec3> waysToSkin(const Checked& on) {
    std::vector<Vec3> sum(on.worlds.size(), Vec3::Zero());
    std::vector<int> points(on.worlds.size(), 0);
    for (std::uint32_t p = 0; p < on.surface.places.size(); ++p) {
        const auto joint = static_cast<std::size_t>(on.surface.mainJoint(p));
        sum[joint] += on.surface.places[p].cast<double>();
        ++points[joint];
    }
    for (std::size_t j = 0; j < sum.size(); ++j)
        sum[j] = points[j] > 2 ? Vec3(sum[j] / points[j] - on.worlds[j].t) : Vec3(Vec3::Zero());
    return sum;
}

/// How much two fellows are turned otherwise than each other's picture [deg], by the way to what they carry in the rest pose; 0
/// where that says nothing: each way is to be long enough, and both alike.
double turnedApart(const Checked& on, const std::vector<Vec3>& skins, int j, int fellow) {
    const Vec3 a = on.sides.mirrored(skins[static_cast<std::size_t>(j)]), &b = skins[static_cast<std::size_t>(fellow)];
    const double shorter = std::min(a.norm(), b.norm()), longer = std::max(a.norm(), b.norm());
    if (shorter < kWayToSkin * on.h || shorter < 0.6 * longer) return 0;
    return degrees(std::acos(std::clamp(a.dot(b) / (a.norm() * b.norm()), -1.0, 1.0)));
}

void leftRight(const Checked& on, std::vector<Finding>& out) {
    const std::vector<Vec3> skins = waysToSkin(on);
    for (int j = 0; j < on.skeleton.size(); ++j) {
        const std::string& name = on.skeleton.joint(j).name;
        const std::string other = rig::otherSideOf(name);
        if (name.empty() || other == name) continue;
        const int o = on.sides.fellow[static_cast<std::size_t>(j)];
        if (o == rig::kNoJoint) {
            if (on.skeleton.find(other) != rig::kNoJoint) continue;  // shared names: told of there
            Finding f = on.about("left-right", Severity::Note, j);
            f.sentence = on.name(j) + " has no fellow on the other side.";
            out.push_back(std::move(f));
            continue;
        }
        if (o <= j) continue;
        const double a = lengthOf(on, on.sides.worlds, j), b = lengthOf(on, on.sides.worlds, o);
        const double off = std::max(a, b) > 0.01 * on.h ? std::abs(a - b) / std::max(a, b) : 0;
        // Children of an uneven pair of joints are uneven too: one finding stands for all of them.
        const int up = on.skeleton.joint(j).parent,
                  upFellow = up == rig::kNoJoint ? rig::kNoJoint : on.sides.fellow[static_cast<std::size_t>(up)];
        const bool told = upFellow != rig::kNoJoint && upFellow != up && strayed(on, up, upFellow) > kPlaceOff * on.h;
        const double away = told ? 0 : strayed(on, j, o);
        if (off > kLengthOff) {
            Finding f = on.about("left-right", Severity::Look, j);
            f.size = 100 * off;
            f.unit = "%";
            f.sentence = on.name(j) + " and " + on.name(o) + " differ in length by " + shortNumber(100 * off) + " %.";
            out.push_back(std::move(f));
        } else if (away > kPlaceOff * on.h) {
            Finding f = on.about("left-right", Severity::Note, j);
            f.size = away * on.millimetres;
            f.unit = "mm";
            f.sentence = on.name(o) + " stands " + shortNumber(away * on.millimetres) + " mm from where " + on.name(j) +
                         " is mirrored to.";
            out.push_back(std::move(f));
        } else if (const double turned = turnedApart(on, skins, j, o); !told && turned > kTurnedOff) {
            Finding f = on.about("left-right", Severity::Note, j);
            f.size = turned;
            f.unit = "deg";
            f.sentence = on.name(o) + " is turned " + shortNumber(turned) + " deg from how " + on.name(j) + " is mirrored to.";
            out.push_back(std::move(f));
        }
    }
}

/// Chains of three links and more without branches; each joint's link is the way to it from its parent.
std::vector<std::vector<int>> chains(const rig::Skeleton& s) {
    std::vector<std::vector<int>> out;
    for (int j : s.order()) {
        const int up = s.joint(j).parent;
        if (up == rig::kNoJoint || (s.joint(up).children.size() == 1 && s.joint(up).parent != rig::kNoJoint)) continue;
        std::vector<int> chain{j};
        while (s.joint(chain.back()).children.size() == 1) chain.push_back(s.joint(chain.back()).children.front());
        chain.erase(chain.begin());  // the way to its first joint is not one of its links
        if (chain.size() >= 3) out.push_back(std::move(chain));
    }
    return out;
}

void unevenChains(const Checked& on, std::vector<Finding>& out) {
    for (const std::vector<int>& chain : chains(on.skeleton)) {
        std::vector<double> lengths;
        for (int j : chain)
            if (const double l = lengthOf(on, on.worlds, j); l >= kNoLength * on.h) lengths.push_back(l);
        if (lengths.size() < 3) continue;
        const double usual = median(lengths);
        for (int j : chain) {
            const double l = lengthOf(on, on.worlds, j);
            if (l < kNoLength * on.h) continue;
            const bool last = j == chain.back(), bare = last && on.carried[static_cast<std::size_t>(j)] == 0;
            const Vec3 way =
                on.worlds[static_cast<std::size_t>(j)].t - on.worlds[static_cast<std::size_t>(on.skeleton.joint(j).parent)].t;
            const int up = on.skeleton.joint(j).parent, over = on.skeleton.joint(up).parent;
            const Vec3 before =
                over == rig::kNoJoint
                    ? way
                    : Vec3(on.worlds[static_cast<std::size_t>(up)].t - on.worlds[static_cast<std::size_t>(over)].t);
            if (bare && (l > kStrayLink * usual || way.dot(before) < 0)) {
                Finding f = on.about("stray-end", Severity::Look, j);
                f.size = l / usual;
                f.unit = "x";
                f.sentence = on.name(j) +
                             (l > kStrayLink * usual
                                  ? " ends its chain " + shortNumber(l / usual) + " times as far away as its links are long"
                                  : std::string(" turns its chain back at its end")) +
                             " and carries nothing: leave it out of a strand with Ctrl+click.";
                out.push_back(std::move(f));
            } else if (l > kLongLink * usual || l < usual / kLongLink) {
                Finding f = on.about("uneven-chain", Severity::Note, j);
                f.size = l / usual;
                f.unit = "x";
                f.sentence = "The link to " + on.name(j) + " is " + shortNumber(l / usual) +
                             " times as long as its chain's others: it swings as one stiff piece.";
                out.push_back(std::move(f));
            }
        }
    }
}

void unreached(const Checked& on, std::vector<Finding>& out) {
    if (on.actor.clips.empty()) return;
    const std::vector<char> something = carriesSomething(on);
    int count = 0, first = rig::kNoJoint;
    for (int j : on.skeleton.order()) {
        const auto at = static_cast<std::size_t>(j);
        const int up = on.skeleton.joint(j).parent;
        if (on.keyed[at] || !something[at] || up == rig::kNoJoint || on.carried[at] == 0) continue;
        // Whole tails count once, at their root.
        if (on.carried[static_cast<std::size_t>(up)] == 0 && !on.keyed[static_cast<std::size_t>(up)]) continue;
        ++count;
        if (first == rig::kNoJoint) first = j;
    }
    if (count == 0) return;
    Finding f = on.about("unreached", Severity::Note, first);
    f.size = count;
    f.unit = "joints";
    f.sentence =
        (count == 1 ? on.name(first) + " carries skin and no clip moves it"
                    : std::to_string(count) + " joints carry skin and no clip moves them, " + on.name(first) + " first") +
        ": stiff against what they hang on until a layer moves them.";
    out.push_back(std::move(f));
}

}  // namespace

void checkSkeleton(const Checked& on, std::vector<Finding>& out, const Cancel&) {
    upAxis(on, out);
    scales(on, out);
    unit(on, out);
    leftRight(on, out);
    unevenChains(on, out);
    zeroLength(on, out);
    movesNothing(on, out);
    names(on, out);
    unreached(on, out);
}

}  // namespace nutatio::measure
