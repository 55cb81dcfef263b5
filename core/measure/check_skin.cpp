#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "base/arguments.h"
#include "measure/check_rules.h"
#include "rig/parts.h"

namespace nutatio::measure {

namespace {

// Thresholds in heights of the actor, where not said otherwise; they were found on rigs whose faults were known.
constexpr double kPivotOff = 0.04;    // of a pivot from the ring of its piece
constexpr double kFarOff = 0.08;      // and then it is broken
constexpr double kRings = 2;          // and in radii of the ring
constexpr double kPieces = 0.5;       // and in radii of the piece
constexpr float kStray = 0.02f;       // the least weight that is looked at
constexpr double kStrayTold = 0.004;  // how far a stray weight drags at a turn of 30 degrees
constexpr double kDragged = 3 * kStrayTold;
constexpr double kSpeck = 0.02, kIsland = 0.1;  // of a joint's weight, that hang apart from the rest
constexpr double kTurned = 0.5;                 // what a turn of 30 degrees is taken for [rad]
constexpr int kInfluences = 4;                  // what most engines take
constexpr double kCarries = 4;                  // times what the joints around it carry
constexpr double kCarriesLeast = 0.2;           // of all that is drawn

void weightSums(const Checked& on, std::vector<Finding>& out) {
    int off = 0, none = 0, many = 0, most = 0;
    float worst = 1;
    for (const rig::Mesh& m : on.actor.meshes)
        for (const rig::Primitive& p : m.primitives) {
            off += p.weightsRead.off;
            none += p.weightsRead.none;
            if (std::abs(p.weightsRead.worst - 1) > std::abs(worst - 1)) worst = p.weightsRead.worst;
            for (const rig::Influence& f : p.influences) {
                const int n = static_cast<int>(std::count_if(f.weight.begin(), f.weight.end(), [](float w) { return w > 0; }));
                many += n > kInfluences;
                most = std::max(most, n);
            }
        }
    if (none > 0) {
        Finding f = on.about("weights-sum", Severity::Broken, rig::kNoJoint);
        f.size = none;
        f.unit = "vertices";
        f.sentence = std::to_string(none) + (none == 1 ? " vertex follows" : " vertices follow") +
                     " no joint at all: they stay behind or hang on the skin's first joint.";
        out.push_back(std::move(f));
    }
    if (off > 0) {
        Finding f = on.about("weights-sum", std::abs(worst - 1) > 0.05f ? Severity::Look : Severity::Note, rig::kNoJoint);
        f.size = off;
        f.unit = "vertices";
        f.sentence = "The weights of " + std::to_string(off) + (off == 1 ? " vertex do" : " vertices do") +
                     " not sum to 1, but to " + shortNumber(worst) + " at worst; here they are taken as shares of their sum.";
        out.push_back(std::move(f));
    }
    if (many > 0) {
        Finding f = on.about("influences", Severity::Note, rig::kNoJoint);
        f.size = most;
        f.unit = "joints";
        f.sentence = std::to_string(many) + (many == 1 ? " vertex follows" : " vertices follow") + " more than " +
                     std::to_string(kInfluences) + " joints, " + std::to_string(most) + " at most: many engines drop the rest.";
        out.push_back(std::move(f));
    }
}

/// Which joints have how much of each point, their subtrees counted.
struct Pieces {
    std::vector<std::vector<int>> of;                             // by point: joints that have more than half of it
    std::vector<std::vector<std::uint32_t>> points;               // by joint: its piece
    std::vector<std::vector<std::array<std::uint32_t, 2>>> ring;  // by joint: edges that leave its piece

    explicit Pieces(const Checked& on)
        : of(on.surface.places.size()), points(static_cast<std::size_t>(on.skeleton.size())), ring(points.size()) {
        std::vector<float> share(points.size(), 0.0f);
        std::vector<int> touched;
        for (std::uint32_t v = 0; v < of.size(); ++v) {
            touched.clear();
            for (const rig::Surface::Pull& p : on.surface.pulls(v))
                for (int j = p.joint; j != rig::kNoJoint; j = on.skeleton.joint(j).parent) {
                    if (share[static_cast<std::size_t>(j)] == 0) touched.push_back(j);
                    share[static_cast<std::size_t>(j)] += p.weight;
                }
            for (int j : touched) {
                if (share[static_cast<std::size_t>(j)] > 0.5f) {
                    of[v].push_back(j);
                    points[static_cast<std::size_t>(j)].push_back(v);
                }
                share[static_cast<std::size_t>(j)] = 0;
            }
            std::sort(of[v].begin(), of[v].end());
        }
        std::vector<int> apart;
        for (const auto& e : on.surface.edges) {
            apart.clear();
            std::set_symmetric_difference(of[e[0]].begin(), of[e[0]].end(), of[e[1]].begin(), of[e[1]].end(),
                                          std::back_inserter(apart));
            for (int j : apart) ring[static_cast<std::size_t>(j)].push_back(e);
        }
    }
};

double outsideBox(const Eigen::AlignedBox3d& box, const Vec3& p) {
    return box.isEmpty() ? 0 : std::sqrt(box.squaredExteriorDistance(p));
}

/// How far a place is from the box that holds the points along their own axes.
double outsideOwnBox(const std::vector<Vec3>& points, const Vec3& p) {
    Vec3 mean = Vec3::Zero();
    for (const Vec3& q : points) mean += q;
    mean /= static_cast<double>(points.size());
    Mat3 spread = Mat3::Zero();
    for (const Vec3& q : points) spread += (q - mean) * (q - mean).transpose();
    // Three rounds of Jacobi's rotations square the axes of a symmetric 3 x 3 matrix well enough for a box.
    Mat3 axes = Mat3::Identity();
    for (int round = 0; round < 3; ++round)
        for (int i = 0; i < 2; ++i)
            for (int j = i + 1; j < 3; ++j) {
                Eigen::JacobiRotation<double> r;
                r.makeJacobi(spread, i, j);
                spread.applyOnTheLeft(i, j, r.adjoint());
                spread.applyOnTheRight(i, j, r);
                axes.applyOnTheRight(i, j, r);
            }
    Eigen::AlignedBox3d box;
    for (const Vec3& q : points) box.extend(axes.transpose() * q);
    return outsideBox(box, axes.transpose() * p);
}

double radiusOf(const std::vector<Vec3>& points) {
    Vec3 mean = Vec3::Zero();
    for (const Vec3& q : points) mean += q;
    mean /= static_cast<double>(points.size());
    double sum = 0;
    for (const Vec3& q : points) sum += (q - mean).squaredNorm();
    return std::sqrt(sum / static_cast<double>(points.size()));
}

/// Edges that hang together by their ends, each as the middles of its edges.
std::vector<std::vector<Vec3>> loopsOf(const rig::Surface& s, const std::vector<std::array<std::uint32_t, 2>>& edges,
                                       const std::vector<char>& inside) {
    // Edges of one ring share the points inside or outside of it.
    std::vector<std::uint32_t> ends;
    for (const auto& e : edges) ends.push_back(inside[e[0]] ? e[0] : e[1]);
    std::vector<std::uint32_t> outer;
    for (const auto& e : edges) outer.push_back(inside[e[0]] ? e[1] : e[0]);
    std::vector<int> parent(edges.size());
    std::iota(parent.begin(), parent.end(), 0);
    const auto root = [&](int i) {
        while (parent[static_cast<std::size_t>(i)] != i)
            i = parent[static_cast<std::size_t>(i)] = parent[static_cast<std::size_t>(parent[static_cast<std::size_t>(i)])];
        return i;
    };
    for (const std::vector<std::uint32_t>* by : {&ends, &outer}) {
        std::vector<int> order(edges.size());
        std::iota(order.begin(), order.end(), 0);
        std::sort(order.begin(), order.end(),
                  [&](int a, int b) { return (*by)[static_cast<std::size_t>(a)] < (*by)[static_cast<std::size_t>(b)]; });
        for (std::size_t k = 1; k < order.size(); ++k)
            if ((*by)[static_cast<std::size_t>(order[k])] == (*by)[static_cast<std::size_t>(order[k - 1])])
                parent[static_cast<std::size_t>(root(order[k]))] = root(order[k - 1]);
    }
    std::vector<std::vector<Vec3>> loops;
    std::vector<int> number(edges.size(), -1);
    for (std::size_t k = 0; k < edges.size(); ++k) {
        const auto r = static_cast<std::size_t>(root(static_cast<int>(k)));
        if (number[r] < 0) {
            number[r] = static_cast<int>(loops.size());
            loops.emplace_back();
        }
        loops[static_cast<std::size_t>(number[r])].push_back(0.5 *
                                                             (s.places[edges[k][0]] + s.places[edges[k][1]]).cast<double>());
    }
    return loops;
}

void pivots(const Checked& on, const Pieces& pieces, std::vector<Finding>& out, const Cancel& cancel) {
    std::vector<char> inside(on.surface.places.size(), false);
    for (int j = 0; j < on.skeleton.size(); ++j) {
        if (cancel.asked()) throw Cancelled{};
        const auto at = static_cast<std::size_t>(j);
        // What is the whole body turns about wherever it likes.
        if (pieces.points[at].size() < 4 || pieces.points[at].size() > 0.9 * static_cast<double>(on.surface.places.size()))
            continue;
        // A joint that no skin uses and no clip turns is set dressing: it stands where it was put.
        if (!on.actor.isSkinJoint[at] && !on.keyed[at]) continue;
        const Vec3 pivot = on.worlds[at].t;
        std::vector<Vec3> piece;
        for (std::uint32_t v : pieces.points[at]) {
            piece.push_back(on.surface.places[v].cast<double>());
            inside[v] = true;
        }
        double d, ring = 0;
        Vec3 better = Vec3::Zero();  // where it would turn its piece from
        if (pieces.ring[at].empty()) {
            d = outsideOwnBox(piece, pivot);
            for (const Vec3& p : piece) better += p / static_cast<double>(piece.size());
        } else {
            d = std::numeric_limits<double>::max();
            for (const std::vector<Vec3>& loop : loopsOf(on.surface, pieces.ring[at], inside)) {
                if (loop.size() < 3) continue;
                Vec3 middle = Vec3::Zero();
                Eigen::AlignedBox3d box;
                for (const Vec3& p : loop) {
                    middle += p;
                    box.extend(p);
                }
                middle /= static_cast<double>(loop.size());
                double radius = 0;
                for (const Vec3& p : loop) radius += (p - middle).norm();
                radius /= static_cast<double>(loop.size());
                const double here = std::min(std::max(0.0, (pivot - middle).norm() - radius), outsideBox(box, pivot));
                if (here < d) {
                    d = here;
                    ring = radius;
                    better = middle;
                }
            }
            if (d == std::numeric_limits<double>::max()) d = 0;
        }
        for (std::uint32_t v : pieces.points[at]) inside[v] = false;
        const double radius = radiusOf(piece);
        Eigen::AlignedBox3d box;
        for (const Vec3& p : piece) box.extend(p);
        if (d <= kPivotOff * on.h || d <= kRings * ring || d <= kPieces * radius || outsideBox(box, pivot) <= kPieces * radius)
            continue;
        Finding f = on.about("pivot", d > kFarOff * on.h ? Severity::Broken : Severity::Look, j);
        f.size = d * on.millimetres;
        f.unit = "mm";
        f.sentence = on.name(j) + " turns about a place " + shortNumber(d * on.millimetres) + " mm away from what it carries.";
        f.points = pieces.points[at];
        f.repair.push_back("move-pivot:actor=" + on.entry.id + ",joint=" + asArgument(f.joint) + ",to=" + written(better));
        out.push_back(std::move(f));
    }
}

/// A quantile of values by weight.
double quantile(std::vector<std::pair<double, double>>& valueAndWeight, double q) {
    std::sort(valueAndWeight.begin(), valueAndWeight.end());
    double sum = 0, so = 0;
    for (const auto& [v, w] : valueAndWeight) sum += w;
    for (const auto& [v, w] : valueAndWeight)
        if ((so += w) >= q * sum) return v;
    return valueAndWeight.empty() ? 0 : valueAndWeight.back().first;
}

void strayWeights(const Checked& on, std::vector<Finding>& out, const Cancel& cancel) {
    const rig::Surface& s = on.surface;
    const auto n = static_cast<std::size_t>(on.skeleton.size());
    std::vector<std::vector<std::pair<std::uint32_t, float>>> region(n);
    for (std::uint32_t v = 0; v < s.places.size(); ++v)
        for (const rig::Surface::Pull& p : s.pulls(v)) region[static_cast<std::size_t>(p.joint)].emplace_back(v, p.weight);
    const auto distance = [&](int j, std::uint32_t v) {
        return rig::distanceToBone(on.skeleton, on.worlds, j, s.places[v].cast<double>());
    };
    // How far a point is from the nearest joint that carries anything; asked of few.
    std::vector<double> nearest(s.places.size(), -1);
    const auto near = [&](std::uint32_t v) {
        if (nearest[v] < 0) {
            nearest[v] = std::numeric_limits<double>::max();
            for (std::size_t k = 0; k < n; ++k)
                if (on.carried[k] > 0) nearest[v] = std::min(nearest[v], distance(static_cast<int>(k), v));
        }
        return nearest[v];
    };
    std::vector<int> parent(s.places.size());
    std::vector<char> in(s.places.size(), false);
    const auto root = [&](int i) {
        while (parent[static_cast<std::size_t>(i)] != i)
            i = parent[static_cast<std::size_t>(i)] = parent[static_cast<std::size_t>(parent[static_cast<std::size_t>(i)])];
        return i;
    };
    std::vector<std::vector<std::uint32_t>> neighbours(s.places.size());
    for (const auto& e : s.edges) {
        neighbours[e[0]].push_back(e[1]);
        neighbours[e[1]].push_back(e[0]);
    }
    for (std::size_t j = 0; j < n; ++j) {
        if (cancel.asked()) throw Cancelled{};
        if (region[j].empty()) continue;
        std::vector<std::pair<double, double>> distances;
        for (const auto& [v, w] : region[j]) distances.emplace_back(distance(static_cast<int>(j), v), w);
        const std::vector<std::pair<double, double>> byPoint = distances;
        const double usual = quantile(distances, 0.75);
        // Islands of the region.
        for (const auto& [v, w] : region[j]) {
            parent[v] = static_cast<int>(v);
            in[v] = true;
        }
        for (const auto& [v, w] : region[j])
            for (std::uint32_t o : neighbours[v])
                if (in[o]) parent[static_cast<std::size_t>(root(static_cast<int>(v)))] = root(static_cast<int>(o));
        double whole = 0;
        std::vector<std::pair<int, double>> islands;
        for (const auto& [v, w] : region[j]) {
            whole += w;
            islands.emplace_back(root(static_cast<int>(v)), w);
        }
        std::sort(islands.begin(), islands.end());
        const auto weightOf = [&](int island) {
            double sum = 0;
            for (auto at = std::lower_bound(islands.begin(), islands.end(), std::pair(island, 0.0));
                 at != islands.end() && at->first == island; ++at)
                sum += at->second;
            return sum;
        };
        std::vector<std::pair<int, double>> known;
        double worst = 0;
        int where = rig::kNoJoint;
        std::vector<std::uint32_t> points;
        double closest = std::numeric_limits<double>::max();  // of the strays
        for (std::size_t k = 0; k < region[j].size(); ++k) {
            const auto [v, w] = region[j][k];
            const int main = s.mainJoint(v);
            if (w <= kStray || main == static_cast<int>(j)) continue;
            const double d = byPoint[k].first, size = w * d * kTurned / on.h;
            if (size <= kStrayTold) continue;
            double own = d;  // of the joints that have a say in it
            for (const rig::Surface::Pull& p : s.pulls(v)) own = std::min(own, distance(p.joint, v));
            bool stray = d > 3 * usual + 0.02 * on.h && d > 3 * own + 0.03 * on.h;
            if (!stray && d > 2 * near(v) + 0.02 * on.h && rig::stepsApart(on.skeleton, static_cast<int>(j), main) >= 3) {
                const int island = root(static_cast<int>(v));
                auto at = std::find_if(known.begin(), known.end(), [&](const auto& i) { return i.first == island; });
                if (at == known.end()) at = known.insert(known.end(), {island, weightOf(island)});
                // A speck that is dragged far counts where any joint is nearer; else only where one that has a say in it is.
                stray = (at->second < kSpeck * whole && size > kDragged) ||
                        (at->second < kIsland * whole && d > 2 * own + 0.02 * on.h);
            }
            if (!stray) continue;
            points.push_back(v);
            closest = std::min(closest, d);
            if (size > worst) {
                worst = size;
                where = main;
            }
        }
        for (const auto& [v, w] : region[j]) in[v] = false;
        if (points.empty()) continue;
        Finding f = on.about("stray-weights", worst > 4 * kStrayTold ? Severity::Broken : Severity::Look, static_cast<int>(j));
        f.size = worst * on.h * on.millimetres;
        f.unit = "mm";
        f.sentence = on.name(static_cast<int>(j)) + " drags " + std::to_string(points.size()) +
                     (points.size() == 1 ? " vertex" : " vertices") + " far from it, on " + on.name(where) + ": by " +
                     shortNumber(f.size) + " mm at a turn of 30 deg.";
        f.points = std::move(points);
        // Where hardly any of the joint's weight lies beyond the outliers, the repair may take all of the outliers.
        double beyond = 0;
        for (std::size_t k = 0; k < region[j].size(); ++k)
            if (byPoint[k].first >= closest && s.mainJoint(region[j][k].first) == static_cast<int>(j))
                beyond += region[j][k].second;
        if (beyond < kSpeck * whole)
            f.repair.push_back("let-go:actor=" + on.entry.id + ",joint=" + asArgument(f.joint) +
                               ",beyond=" + shortNumber(0.98 * closest / on.h));
        out.push_back(std::move(f));
    }
}

void carriesMuch(const Checked& on, std::vector<Finding>& out) {
    std::vector<double> area(static_cast<std::size_t>(on.skeleton.size()), 0.0);
    double whole = 0;
    for (const auto& t : on.surface.triangles) {
        const Vec3f a = on.surface.places[t[0]];
        const double third = (on.surface.places[t[1]] - a).cross(on.surface.places[t[2]] - a).norm() / 6.0;
        whole += 3 * third;
        for (std::uint32_t v : t)
            for (const rig::Surface::Pull& p : on.surface.pulls(v)) area[static_cast<std::size_t>(p.joint)] += third * p.weight;
    }
    for (int j = 0; j < on.skeleton.size(); ++j) {
        const auto at = static_cast<std::size_t>(j);
        if (!on.actor.isSkinJoint[at] || area[at] < kCarriesLeast * whole) continue;
        std::vector<int> around = on.skeleton.joint(j).children;
        if (const int up = on.skeleton.joint(j).parent; up != rig::kNoJoint) around.push_back(up);
        double sum = 0;
        int count = 0;
        for (int o : around)
            if (on.carried[static_cast<std::size_t>(o)] > 0) {
                sum += area[static_cast<std::size_t>(o)];
                ++count;
            }
        if (count < 2 || area[at] < kCarries * sum / count) continue;
        Finding f = on.about("carries-much", Severity::Note, j);
        f.size = 100 * area[at] / whole;
        f.unit = "%";
        f.sentence = on.name(j) + " carries " + shortNumber(f.size) + " % of the skin, " + shortNumber(area[at] * count / sum) +
                     " times what the joints around it do: a soft part may want a joint of its own.";
        out.push_back(std::move(f));
    }
}

}  // namespace

void checkSkin(const Checked& on, std::vector<Finding>& out, const Cancel& cancel) {
    if (on.surface.places.empty()) return;
    weightSums(on, out);
    pivots(on, Pieces(on), out, cancel);
    strayWeights(on, out, cancel);
    carriesMuch(on, out);
}

}  // namespace nutatio::measure
