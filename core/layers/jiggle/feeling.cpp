#include "layers/jiggle/feeling.h"

namespace nutatio::layers::jiggle {

Goal Feeling::at(const PoseView& pose) {
    const FeltSource::Stand s = m_source.at(pose);
    return {s.place, s.turn, Quat::Identity()};
}

Vec3 Feeling::arm(const Bone& bone, const Goal& own, const Goal& felt) const {
    return m_source ? Vec3(felt.turn * m_lever) : Vec3(bone.tip(own) - own.place);
}

void Feeling::start(const Bone& bone, const Goal& now, const Goal& then, const PoseView& pose, const PoseView& next) {
    if (m_source) {
        m_felt = at(pose);
        m_lever = m_felt.turn.conjugate() * (bone.tip(now) - now.place);
    }
    begin(bone, now, then, pose, next);
}

void Feeling::begin(const Bone& bone, const Goal& now, const Goal& then, const PoseView& pose, const PoseView& next) {
    if (m_source) m_felt = at(pose);
    m_went = {};
    const Goal feltThen = m_source ? at(next) : then, &feltNow = m_source ? m_felt : now;
    m_place.start(feltNow.place, feltThen.place);
    m_arm.start(arm(bone, now, feltNow), m_source ? arm(bone, now, feltThen) : Vec3(bone.tip(then) - then.place));
    m_spin = rotationVector(feltThen.turn * feltNow.turn.conjugate());
}

Feeling::Felt Feeling::step(const Bone& bone, const Goal& before, const Goal& now, const Goal& then, const PoseView& pose,
                            const PoseView& next, const Cuts& cuts, double dt) {
    Goal feltBefore = before, feltNow = now, feltThen = then;
    bool jumps = false;
    if (m_source) {
        feltBefore = m_felt;
        feltNow = at(pose);
        feltThen = at(next);
        const Cuts::Step goes = Cuts::between(feltBefore.place, feltBefore.turn, feltNow.place, feltNow.turn),
                         on = Cuts::between(feltNow.place, feltNow.turn, feltThen.place, feltThen.turn);
        jumps = cuts.found(m_went, goes, on, dt);
        if (cuts.looms(goes, on, dt)) feltThen = feltNow;
        m_went = goes;
        m_felt = feltNow;
    }
    Felt out;
    if (jumps) {
        // A jump of the other joint throws nothing.
        m_place.start(feltNow.place, feltThen.place);
        m_arm.start(arm(bone, now, feltNow), arm(bone, now, feltThen));
        m_spin = rotationVector(feltThen.turn * feltNow.turn.conjugate());
        return out;
    }
    m_place.step(feltNow.place, feltThen.place, out.place[0], out.place[1]);
    m_arm.step(arm(bone, now, feltNow), m_source ? arm(bone, now, feltThen) : Vec3(bone.tip(then) - then.place), out.tip[0],
               out.tip[1]);
    const Vec3 turned = rotationVector(feltNow.turn * feltBefore.turn.conjugate());
    const Vec3 spin = 0.5 * (turned + rotationVector(feltThen.turn * feltNow.turn.conjugate()));
    out.turn[0] = 6 * turned - 4 * m_spin - 2 * spin;
    out.turn[1] = -6 * turned + 2 * m_spin + 4 * spin;
    m_spin = spin;
    return out;
}

void Feeling::appendElsewhere(State& out) const {
    if (!m_source) return;
    for (const Vec3* v : {&m_felt.place, &m_lever, &m_place.at}) out.insert(out.end(), v->begin(), v->end());
    for (double v : m_felt.turn.coeffs()) out.push_back(v);
    out.insert(out.end(), {m_went.travel, m_went.turn});
}

void Feeling::takeElsewhere(const double* from) {
    if (!m_source) return;
    for (Vec3* v : {&m_felt.place, &m_lever, &m_place.at}) {
        *v = Vec3::Map(from);
        from += 3;
    }
    for (double& v : m_felt.turn.coeffs()) v = *from++;
    m_felt.turn.normalize();
    m_went = {from[0], from[1]};
}

}  // namespace nutatio::layers::jiggle
