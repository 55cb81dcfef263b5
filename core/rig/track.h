// Motion: local transforms of every joint for every frame of the shot.
#pragma once

#include <algorithm>
#include <map>
#include <memory>
#include <vector>

#include "base/cancel.h"
#include "rig/actor.h"

namespace nutatio::rig {

/// The frame grid of a shot. Frame 0 here is the shot's first frame; people read it as 1.
struct FrameGrid {
    int frames = 1;
    double fps = 24;
    double start = 0;  // [s] time of frame 0 in the clip
    double end = 0;    // [s] end of the clip: the last frame may lie a little beyond it

    double dt() const { return 1.0 / fps; }
    double time(int frame) const { return std::min(start + frame / fps, std::max(start, end)); }
    /// The grid that covers `clip` at `fps`.
    static FrameGrid covering(const Clip& clip, double fps);
};

/// One joint's transforms: one a frame, or a single one that holds throughout.
using Column = std::vector<Xform>;
using ColumnPtr = std::shared_ptr<const Column>;

/// Some vertices of one primitive of a mesh instance, moved out of where skin and morphs are given them: offsets in bind space
/// [units of the mesh], the same vertices in every frame.
struct Patch {
    int instance = 0, primitive = 0;
    std::vector<std::uint32_t> vertices;
    std::vector<Vec3f> offsets;  // frame by frame, as many a frame as there are vertices

    const Vec3f* frame(int f) const { return offsets.data() + static_cast<std::size_t>(f) * vertices.size(); }
};
using PatchPtr = std::shared_ptr<const Patch>;

/// Morph weights of one mesh instance: as many a frame as its mesh has targets.
struct Morph {
    int instance = 0;
    int targets = 0;
    std::vector<float> weights;  // frame by frame

    const float* frame(int f) const { return weights.data() + static_cast<std::size_t>(f) * static_cast<std::size_t>(targets); }
};
using MorphPtr = std::shared_ptr<const Morph>;

/// A morph target of a mesh instance.
struct MorphId {
    int instance = 0, target = 0;
    auto operator<=>(const MorphId&) const = default;
};
/// Its weight: one a frame.
struct MorphColumn {
    MorphId of;
    std::vector<float> weights;
};
using MorphColumnPtr = std::shared_ptr<const MorphColumn>;

/// Columns of three types: transforms of a joint, offsets of vertices, weights of morph targets. Transforms and weights are
/// shared until a layer replaces them; offsets of several layers add up.
class Track {
  public:
    Track() = default;
    Track(FrameGrid grid, std::vector<ColumnPtr> columns) : m_grid(grid), m_columns(std::move(columns)) {}

    /// Patches by instance and primitive, each the sum of what was added; morph weights by instance.
    using PatchId = std::pair<int, int>;
    const std::map<PatchId, PatchPtr>& patches() const { return m_patches; }
    const std::map<int, MorphPtr>& morphs() const { return m_morphs; }
    /// Moves vertices farther. Expects as many frames as the track has.
    void add(const PatchPtr& patch);
    /// Takes the place of all that was added.
    void replace(PatchPtr patch) { m_patches[{patch->instance, patch->primitive}] = std::move(patch); }
    /// What moves vertices here beyond what does below: offsets by frame and vertex of each patch here.
    std::vector<Patch> addedTo(const Track& below) const;
    void replace(MorphPtr morph) { m_morphs[morph->instance] = std::move(morph); }
    void replace(int joint, ColumnPtr column) { m_columns[static_cast<std::size_t>(joint)] = std::move(column); }

    const FrameGrid& grid() const { return m_grid; }
    int frames() const { return m_grid.frames; }
    int joints() const { return static_cast<int>(m_columns.size()); }
    const Xform& at(int joint, int frame) const {
        const Column& c = *m_columns[static_cast<std::size_t>(joint)];
        return c.size() == 1 ? c.front() : c[static_cast<std::size_t>(frame)];
    }
    bool holdsStill(int joint) const { return m_columns[static_cast<std::size_t>(joint)]->size() == 1; }
    bool still() const {
        return std::all_of(m_columns.begin(), m_columns.end(), [](const ColumnPtr& c) { return c->size() == 1; });
    }
    const ColumnPtr& column(int joint) const { return m_columns[static_cast<std::size_t>(joint)]; }
    void replace(int joint, Column column) {
        m_columns[static_cast<std::size_t>(joint)] = std::make_shared<const Column>(std::move(column));
    }
    void pose(int frame, std::vector<Xform>& locals) const;
    /// Bytes held by columns of this track that `below` does not share.
    std::size_t ownBytes(const Track* below) const;
    /// Whether the last frame's pose is the first's again, so that the shot can play as a loop.
    bool closes(const Actor& actor) const;
    /// Frames after which the first pose comes round when the shot plays as a loop: one less than there are where it closes; as
    /// many as there are where the step from the last pose to the first one carries on the step before it and is no longer than
    /// kLongestStep of its quick ones, as most loops of games are kept; 0: it is no loop.
    int lap(const Actor& actor) const;
    static constexpr double kLongestStep = 2.6;
    /// The same with the first pose once more at its end, so that what is as long as its lap closes. With a skeleton its roots go
    /// on there, as far as they went on the way.
    Track comeRound(const Skeleton* goesOn = nullptr) const;

  private:
    FrameGrid m_grid;
    std::vector<ColumnPtr> m_columns;
    std::map<PatchId, PatchPtr> m_patches;
    std::map<int, MorphPtr> m_morphs;
};

/// The body's motion: clip `clip` of the actor on `grid`, or the rest pose when `clip` is -1, with the morph weights that it
/// moves. Frames past the clip's end hold its end. Throws Cancelled when asked to stop.
Track bodyTrack(const Actor& actor, int clip, const FrameGrid& grid, const Cancel& cancel = {});

}  // namespace nutatio::rig
