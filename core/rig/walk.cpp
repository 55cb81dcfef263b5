#include "rig/walk.h"

#include <algorithm>
#include <cmath>

#include "rig/mapping.h"
#include "rig/stride.h"

namespace nutatio::rig {

namespace {

constexpr double kTurnTime = 0.15;  // [s] over which a turn sets in
constexpr double kHeld = 3600;      // [s] that a pose can be held

double secondsOf(const std::vector<Gait>& gaits, const std::string& clip) {
    return std::find_if(gaits.begin(), gaits.end(), [&](const Gait& g) { return g.clip == clip; })->seconds;
}

}  // namespace

std::vector<Gait> gaitsOf(const Actor& actor, const Quat& level) {
    std::vector<Gait> out;
    for (std::size_t c = 0; c < actor.clips.size(); ++c) {
        const Clip& clip = actor.clips[c];
        if (!(clip.seconds() > 0)) continue;
        const auto number = static_cast<int>(c);
        Track track = bodyTrack(actor, number, FrameGrid::covering(clip, ownRate(clip)));
        const int lap = track.lap(actor);
        if (track.frames() < 3 || lap == 0) continue;
        if (lap == track.frames()) track = track.comeRound();
        const Stride stride = strideOf(actor, track, level);
        std::string name = clip.name.empty() || actor.findClip(clip.name) != number ? "#" + std::to_string(c) : clip.name;
        out.push_back({std::move(name), stride.speed, stride.way, lap * track.grid().dt()});
    }
    std::stable_sort(out.begin(), out.end(), [](const Gait& a, const Gait& b) { return a.speed < b.speed; });
    if (out.empty() || !(out.back().speed > 0)) return {};
    // One stand is enough to start and stop in.
    while (out.size() > 1 && out[1].speed == 0) out.erase(out.begin() + 1);
    if (out.front().speed > 0) out.insert(out.begin(), {out.front().clip, 0, out.front().way, out.front().seconds});
    return out;
}

Walk::Walk(std::shared_ptr<const Actor> actor, std::vector<Gait> gaits, double blend, const Quat& level)
    : m_actor(std::move(actor)), m_gaits(std::move(gaits)), m_blend(blend), m_level(level), m_forward(m_gaits.back().way) {
    // A round is longer than what comes in over it.
    for (const Gait& g : m_gaits) m_blend = std::min(m_blend, 0.45 * g.seconds);
    Stretch first{m_gaits[0].clip, 0, m_gaits[0].seconds, 0, 0};
    // A stand that is no clip of its own is a pose.
    if (m_gaits.size() > 1 && m_gaits[1].clip == first.clip) first.hold = kHeld;
    m_line.stretches.push_back(first);
    m_player = std::make_unique<LinePlayer>(*m_actor, m_line);
    m_start = standOf(*m_actor, level);
    m_samples.push_back({0, 0, 0});
}

Walk::~Walk() = default;

void Walk::change(int by) {
    const int to = within(static_cast<int>(m_wanted) + by, 0, static_cast<int>(m_gaits.size()) - 1);
    m_wanted = static_cast<std::size_t>(to);
}

double Walk::speed() const {
    const double u = m_blend > 0 ? eased((m_time - m_changed) / m_blend) : 1;
    return m_speedThen + u * (m_gaits[m_gait].speed - m_speedThen);
}

/// Another round of the clip, or another clip, where it is time for that.
void Walk::goOn() {
    Stretch& last = m_line.stretches.back();
    const std::size_t at = m_line.stretches.size() - 1;
    const double in = m_time - m_line.startOf(at), left = last.seconds() - in;
    const bool settled = m_time - m_changed >= m_blend;
    if (m_wanted != m_gait && settled && left > m_blend + 1e-6 && in >= last.blend) {
        const std::size_t to = m_wanted > m_gait ? m_gait + 1 : m_gait - 1;
        const double seconds = m_gaits[to].seconds;
        // What goes on stepping does so on the same foot.
        double from = 0;
        if (m_gaits[m_gait].speed > 0 && m_gaits[to].speed > 0)
            from = std::fmod((last.from + in) / secondsOf(m_gaits, last.clip), 1.0) * seconds;
        if (last.hold > 0)
            last.hold = in + m_blend;
        else
            last.to = last.from + in + m_blend;
        Stretch next{m_gaits[to].clip, from, seconds, 0, m_blend};
        if (m_gaits[to].speed == 0 && m_gaits.size() > 1 && m_gaits[1].clip == next.clip) {
            next.from = 0;
            next.hold = kHeld;
        }
        // A round that is shorter than the blend is played on into the next.
        if (next.hold == 0 && next.seconds() < 2 * m_blend) next.from = 0;
        m_line.stretches.push_back(next);
        m_speedThen = m_gaits[m_gait].speed;
        m_gait = to;
        m_changed = m_time;
        m_player = std::make_unique<LinePlayer>(*m_actor, m_line);
        return;
    }
    if (left <= 1e-9) {
        m_line.stretches.push_back({last.clip, 0, secondsOf(m_gaits, last.clip), 0, 0});
        m_player = std::make_unique<LinePlayer>(*m_actor, m_line);
    }
}

void Walk::step(double dt) {
    const double before = speed(), headed = m_heading;
    m_turning += (m_turnWanted - m_turning) * (1 - std::exp(-dt / kTurnTime));
    m_heading += radians(kTurnRate) * m_turning * dt;
    m_time += dt;
    goOn();
    const double v = 0.5 * (before + speed()), heading = 0.5 * (headed + m_heading);
    m_place += m_level.conjugate() * Vec3(v * dt * (fromRotationVector(heading * Vec3(Vec3::UnitY())) * m_forward));
    m_samples.push_back({m_time, speed(), m_heading});
}

void Walk::pose(std::vector<Xform>& out) const {
    m_player->pose(m_time, out);
    const Quat turn = fromRotationVector(m_heading * (m_level.conjugate() * Vec3(Vec3::UnitY())));
    for (int root : m_actor->skeleton.roots()) {
        Xform& x = out[static_cast<std::size_t>(root)];
        x.t = m_start + m_place + turn * (x.t - m_start);
        x.r = (turn * x.r).normalized();
    }
}

Line Walk::line() const {
    Line out = m_line;
    Stretch& last = out.stretches.back();
    const double in = std::max(m_time - m_line.startOf(out.stretches.size() - 1), last.blend);
    if (last.hold > 0)
        last.hold = std::max(in, 1e-3);
    else
        last.to = last.from + std::max(in, 1e-3);
    return out;
}

}  // namespace nutatio::rig
