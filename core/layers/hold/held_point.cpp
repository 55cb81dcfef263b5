#include "layers/hold/held_point.h"

#include <algorithm>
#include <cmath>

namespace nutatio::layers::hold {

Vec3 middleOf(const std::vector<Vec3>& points) {
    Vec3 out;
    for (Eigen::Index k = 0; k < 3; ++k) {
        std::vector<double> v;
        for (const Vec3& p : points) v.push_back(p[k]);
        std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
        out[k] = v[v.size() / 2];
    }
    return out;
}

std::vector<rig::Standing> PointFinder::spans(int joint, const std::vector<Vec3>& on, double limb, const HeldGround& ground,
                                              double& near) const {
    const int n = static_cast<int>(on.size());
    std::vector<rig::Standing> spans;
    if (m_c.settings->text("contacts") == "intervals") {
        for (const scene::Interval& i : m_c.spans)
            spans.push_back({within(static_cast<int>(std::lround(i.from * m_fps)), 0, n - 1),
                             within(static_cast<int>(std::lround(i.to * m_fps)), 0, n - 1)});
    } else {
        const scene::Resolved& own = *m_c.settingsOf(m_c.actor.skeleton.reference(joint));
        rig::StandingRule rule;
        rule.near = own.at("near");
        rule.far = rule.near * 0.06 / 0.035;
        rule.still = own.at("still");
        near = rule.near * limb;
        rule.quick = 2 * rule.still;
        rule = rule.over(ground.runs() / limb);
        std::vector<Vec3> seen = on;
        // Near a thing that carries it: nearer than at any other time.
        if (ground.carried()) {
            const Vec3 nearest = middleOf(on);
            for (Vec3& q : seen) q = Vec3(q.x(), (q - nearest).norm(), q.z());
        }
        // Near a surface by how far it is, still by how far it goes.
        const double touching = 0;
        double way = 0;
        for (int f = 0; f < n && ground.isSurface(); ++f) {
            const auto at = static_cast<std::size_t>(f);
            if (f > 0) way += (on[at] - on[at - 1]).norm();
            seen[at] = Vec3(way, ground.toSurface(f, on[at]).norm(), 0);
        }
        const double* floor = ground.isSurface() ? &touching : nullptr;
        if (m_c.period > 0 && n > 1) {
            const Vec3 lap = ground.isSurface() ? Vec3(way, 0, 0) : ground.lapWay();
            spans = standingRound(seen, lap, limb, rule, floor);
        } else {
            spans = rig::standingOf(seen, m_fps, limb, rule, floor);
        }
    }
    return cut(std::move(spans));
}

/// Of a lap between two others: what stands over the seam is too short, to either side of it, to be found by itself.
std::vector<rig::Standing> PointFinder::standingRound(const std::vector<Vec3>& places, const Vec3& lap, double limb,
                                                      const rig::StandingRule& rule, const double* floor) const {
    const int last = static_cast<int>(places.size()) - 1;
    std::vector<Vec3> laps;
    for (int f = 0; f <= 3 * last; ++f) {
        const int number = std::min(f / last, 2);
        laps.push_back(places[static_cast<std::size_t>(f - number * last)] + (number - 1) * lap);
    }
    std::vector<rig::Standing> out;
    for (const rig::Standing& s : rig::standingOf(laps, m_fps, limb, rule, floor)) {
        const rig::Standing here{std::max(s.from - last, 0), std::min(s.to - last, last)};
        if (here.from <= here.to) out.push_back(here);
    }
    return out;
}

std::vector<rig::Standing> PointFinder::cut(std::vector<rig::Standing> spans) const {
    // A cut ends what stands.
    for (int cut : m_c.cuts) {
        std::vector<rig::Standing> parts;
        for (const rig::Standing& s : spans) {
            if (cut > s.from && cut <= s.to) {
                parts.push_back({s.from, cut - 1});
                parts.push_back({cut, s.to});
            } else {
                parts.push_back(s);
            }
        }
        spans = std::move(parts);
    }
    return spans;
}

bool PointFinder::joins(const std::vector<rig::Standing>& spans, int frames) const {
    return m_c.period > 0 && spans.size() > 1 && spans.front().from <= 1 && spans.back().to >= frames - 2;
}

std::vector<Vec3> PointFinder::middles(const std::vector<rig::Standing>& spans, const std::vector<Vec3>& on) const {
    std::vector<Vec3> middles;
    for (const rig::Standing& s : spans) middles.push_back(middleOf({on.begin() + s.from, on.begin() + s.to + 1}));
    if (joins(spans, static_cast<int>(on.size()))) {
        // It stands on one place in both laps.
        std::vector<Vec3> stood(on.begin() + spans.front().from, on.begin() + spans.front().to + 1);
        for (int f = spans.back().from; f <= spans.back().to; ++f)
            stood.push_back(on[static_cast<std::size_t>(f)] - m_ground.lapWay());
        middles.front() = middleOf(stood);
        middles.back() = middles.front() + m_ground.lapWay();
    }
    // On the surface, in the middle of its contact.
    for (std::size_t k = 0; k < spans.size() && m_ground.isSurface(); ++k)
        middles[k] += m_ground.toSurface((spans[k].from + spans[k].to) / 2, middles[k]);
    if (m_ground.carried() && m_c.settings->text("at") == "right at it") std::fill(middles.begin(), middles.end(), Vec3::Zero());
    return middles;
}

void PointFinder::ease(Point& p, const std::vector<rig::Standing>& spans, std::size_t k) const {
    // Eases share the gap to the next contact, over the seam of what goes round; none goes on beyond a cut.
    const int n = static_cast<int>(p.world.size()), last = n - 1;
    const bool round = m_c.period > 0, joined = joins(spans, n);
    const auto most = static_cast<int>(std::lround(m_c.settings->at("ease")));
    const rig::Standing& s = spans[k];
    const std::size_t previous = k > 0 ? k - 1 : spans.size() - 1, next = k + 1 < spans.size() ? k + 1 : 0;
    const int before = k > 0   ? s.from - spans[k - 1].to
                       : round ? s.from + last - spans[previous].to
                               : s.from,
              after = k + 1 < spans.size() ? spans[k + 1].from - s.to
                      : round              ? spans[next].from + last - s.to
                                           : last - s.to;
    const auto fade = [&](int gap, int from, int way) {
        const int frames = std::min(most, (joined && (from == 0 || from == last)) ? 0 : gap / 2);
        // What it is off at the edge dies away: the swing itself stays.
        const Vec3 edge = p.offset[static_cast<std::size_t>(from)];
        for (int j = 1; j <= frames; ++j) {
            int f = from + way * j;
            if (round && last > 0) f = (f % last + last) % last;
            if (f < 0 || f > last || std::binary_search(m_c.cuts.begin(), m_c.cuts.end(), way > 0 ? f : f + 1)) break;
            const auto at = static_cast<std::size_t>(f);
            const double w = eased(1 - static_cast<double>(j) / (frames + 1));
            if (w <= p.weight[at]) break;
            p.weight[at] = w;
            p.offset[at] = edge;
        }
    };
    fade(before, s.from, -1);
    fade(after, s.to, 1);
}

Point PointFinder::find(int joint, const Vec3& local, std::vector<Vec3> world, double limb, const std::vector<Vec3>& clip,
                        const HeldGround* clipGround) const {
    const std::size_t n = world.size();
    Point p{joint, local, std::move(world), std::vector<Vec3>(n, Vec3::Zero()), std::vector<double>(n, 0.0), {}};
    std::vector<Vec3> on;
    for (std::size_t f = 0; f < n; ++f) on.push_back(m_ground.at(static_cast<int>(f)).inverse().apply(p.world[f]));
    double near = 0;
    std::vector<rig::Standing> stands;
    if (clipGround) {
        std::vector<Vec3> there;
        for (std::size_t f = 0; f < clip.size(); ++f)
            there.push_back(clipGround->at(static_cast<int>(f)).inverse().apply(clip[f]));
        stands = spans(joint, there, limb, *clipGround, near);
    }
    if (stands.empty()) stands = spans(joint, on, limb, m_ground, near);
    const std::vector<Vec3> middle = middles(stands, on);
    const bool set = m_c.settings->text("contacts") == "intervals";
    for (std::size_t k = 0; k < stands.size(); ++k) {
        const rig::Standing& s = stands[k];
        Held held{joint, s.from, s.to, m_ground.at(s.from).apply(middle[k]), 0, 0, set, local, false, near};
        for (int f = s.from; f <= s.to; ++f) {
            const auto at = static_cast<std::size_t>(f);
            p.weight[at] = 1;
            const Vec3 off = m_ground.off(f, on[at], middle[k]);
            p.offset[at] = m_ground.at(f).m * off;
            held.before = std::max(held.before, off.norm());
        }
        ease(p, stands, k);
        held.goesOn = k > 0 && k + 1 == stands.size() && joins(stands, static_cast<int>(n));
        p.held.push_back(held);
    }
    if (m_c.period > 0 && n > 1) {
        p.weight.back() = p.weight.front();
        p.offset.back() = p.offset.front();
    }
    return p;
}

}  // namespace nutatio::layers::hold
