// Running a layer over a whole shot.
#pragma once

#include "base/error.h"
#include "layers/filter.h"
#include "layers/layer_kind.h"

namespace nutatio::layers {

/// The most transforms that one layer may ask for.
inline constexpr std::size_t kMostTransforms = std::size_t{1} << 25;

/// What a layer makes of a shot, at full mix and amount: its movers simulated over every frame, or its filter. Same bits for any
/// number of threads. `progress` hears the share that is done, from any thread, one call at a time. Throws Cancelled when asked
/// to stop, and Failure when the motion is not finite or would take more room than kMostTransforms.
Filtered run(const LayerKind& kind, const LayerContext& context, const rig::Track& below, const Cancel& cancel,
             const Progress& progress = {});

/// How much of a layer shows at each frame of a shot and each place of the part: mix times amount, within its intervals.
class Shares {
  public:
    /// `window`: how much it acts at each frame; empty: all through.
    Shares(const LayerKind& kind, ResolvedPtr settings, scene::Curve window = {});
    double at(int frame, double along) const;
    /// The layer is used as it is in every frame and place.
    bool whole() const { return m_whole; }
    /// Nothing of it shows anywhere.
    bool none() const { return m_none; }
    void hash(Hasher& into) const;
    std::string_view mix() const { return m_mix; }
    std::string_view amount() const { return m_amount; }

  private:
    ResolvedPtr m_settings;
    scene::Curve m_window;
    std::string_view m_mix, m_amount;
    bool m_whole = false, m_none = false;
};

/// One joint's transform mixed; a share beyond 1 goes on past `above` along the same turn.
Xform mixed(const Xform& below, const Xform& above, double share);

}  // namespace nutatio::layers
