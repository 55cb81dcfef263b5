#include "measure/tune.h"

#include <algorithm>

#include "physics/oscillator.h"

namespace nutatio::measure {

namespace {

using scene::Role;

class Tuning {
  public:
    Tuning(const layers::LayerKind& kind, const layers::LayerContext& context, const std::vector<Xform>& pose,
           const Cancel& cancel, int joint)
        : m_kind(kind),
          m_context(context),
          m_settings(*context.settingsAt(joint)),
          m_pose(pose),
          m_cancel(cancel),
          m_joint(joint) {}

    double number(scene::Role role) const { return m_settings.at(m_kind.setting(role)->id); }
    void set(scene::Role role, double value) {
        const scene::SettingSpec* spec = m_kind.setting(role);
        const double kept = m_found[std::string(spec->id)] = scene::clampTo(*spec, value);
        m_settings = m_settings.with(spec->id, kept);
    }
    std::optional<Response> measured() const {
        const layers::LayerContext c{m_context.actor, m_context.layer, std::make_shared<const scene::Resolved>(m_settings),
                                     m_context.placement};
        return response(m_kind, c, m_pose, m_cancel, m_joint);
    }
    const std::map<std::string, double>& found() const { return m_found; }

  private:
    const layers::LayerKind& m_kind;
    const layers::LayerContext& m_context;
    scene::Resolved m_settings;
    const std::vector<Xform>& m_pose;
    const Cancel& m_cancel;
    int m_joint;
    std::map<std::string, double> m_found;
};

void tunePeak(Tuning& t, const Wanted& wanted) {
    // Overshoot falls as damping grows, whatever the strand: the damping ratio is found between one that overshoots too much and
    // one that does too little, on a scale of logarithms. The peak's time scales with the swing rate at given damping.
    constexpr int kTries = 9;
    double low = std::log(0.008), high = 0, overLow = -1, overHigh = 0;
    for (int k = 0; k < kTries; ++k) {
        const auto r = t.measured();
        if (!r) return;
        const double zeta = std::clamp(physics::dampingRatio(t.number(Role::Damping)), 0.008, 1.0);
        double next = zeta;
        if (wanted.overshoot >= 0) {
            if (r->overshoot > wanted.overshoot) {
                low = std::log(zeta);
                overLow = r->overshoot;
            } else {
                high = std::log(zeta);
                overHigh = r->overshoot;
            }
            // Between the two by the share of the overshoot, or half way while one end has not been seen.
            const double u = overLow > overHigh ? std::clamp((overLow - wanted.overshoot) / (overLow - overHigh), 0.1, 0.9) : 0.5;
            next = wanted.overshoot < 0.004 ? 1 : std::exp(low + u * (high - low));
            if (std::abs(r->overshoot - wanted.overshoot) < 0.006) next = zeta;
        }
        double ratio = 1;
        if (wanted.peakTime > 0 && r->peakTime > 0 && next < 0.98)
            ratio = within(r->peakTime / wanted.peakTime * std::sqrt((1 - std::min(0.96, zeta * zeta)) / (1 - next * next)), 0.25,
                           4.0);
        const bool near = next == zeta && std::abs(ratio - 1) < 8e-3;
        if (wanted.overshoot >= 0) t.set(Role::Damping, physics::bouncesOf(next));
        if (wanted.peakTime > 0) t.set(Role::Rate, std::max(0.05, t.number(Role::Rate) * ratio));
        if (near) return;
    }
}

void tuneSag(Tuning& t, double wanted) {
    constexpr Role pull = Role::Pull;
    if (wanted <= 0) {
        t.set(pull, 0);
        return;
    }
    // The pull is found between one that sags too little and one that sags too much.
    double low = 0, high = std::max(0.5, t.number(pull));
    t.set(pull, high);
    auto r = t.measured();
    for (int k = 0; k < 5 && r && r->sag < wanted; ++k) {
        low = high;
        high = std::min(20.0, 2.5 * high);
        t.set(pull, high);
        r = t.measured();
    }
    double sagHigh = r ? r->sag : 0, sagLow = 0;
    for (int k = 0; k < 7 && r && std::abs(r->sag - wanted) > 0.004 * wanted; ++k) {
        const double u = sagHigh > sagLow ? std::clamp((wanted - sagLow) / (sagHigh - sagLow), 0.08, 0.92) : 0.5;
        const double middle = low + u * (high - low);
        t.set(pull, middle);
        r = t.measured();
        if (!r) return;
        if (r->sag < wanted) {
            low = middle;
            sagLow = r->sag;
        } else {
            high = middle;
            sagHigh = r->sag;
        }
    }
}

}  // namespace

std::map<std::string, double> settingsFor(const layers::LayerKind& kind, const layers::LayerContext& context,
                                          const std::vector<Xform>& pose, const Wanted& wanted, const Cancel& cancel, int joint) {
    if (!kind.simulated || kind.problem(context.actor, context.layer)) return {};
    Tuning t(kind, context, pose, cancel, joint);
    if (wanted.overshoot >= 0 || wanted.peakTime > 0) tunePeak(t, wanted);
    if (wanted.sag >= 0 && kind.setting(Role::Pull)) tuneSag(t, wanted.sag);
    return t.found();
}

}  // namespace nutatio::measure
