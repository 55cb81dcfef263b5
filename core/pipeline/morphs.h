// Moving patches of vertices as morph targets with weights: what a format of keys can carry of them.
#pragma once

#include "files/gltf_writer.h"
#include "rig/track.h"

namespace nutatio::pipeline {

/// The patches of one mesh instance over the frames of all shots that are handed off together.
class MorphFit {
  public:
    explicit MorphFit(const rig::Actor& actor) : m_actor(actor) {}
    /// Takes the patches of one shot; the order of calls is the order of `weights`.
    void add(const rig::Track& track);
    bool empty() const { return m_instances.empty(); }

    /// As few targets as bring every vertex within `share` of the farthest that any goes, for all shots together. Source: the
    /// eigenvectors of the Gram matrix of the offsets, the largest first (the method of snapshots; Sirovich, Quart. Appl. Math.
    /// 45, 1987).
    std::vector<files::NewMorphs> targets(double share = 0.01);
    /// Weights of those targets in the n-th shot, frame by frame, for an instance that has some.
    const std::vector<float>& weights(int instance, std::size_t shot) const;
    int count(int instance) const;

  private:
    struct Instance {
        std::vector<std::vector<std::uint32_t>> vertices;  // by primitive, in order
        std::vector<std::vector<Vec3f>> frames;            // of all shots, one after the other; by primitive and vertex
        std::vector<std::size_t> from;                     // first frame of each shot
        std::vector<std::vector<float>> weights;           // by shot
        int count = 0;
    };
    const rig::Actor& m_actor;
    std::vector<const rig::Track*> m_tracks;
    std::map<int, Instance> m_instances;
};

}  // namespace nutatio::pipeline
