// What layers made, remembered by the key of all that it was made of.
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "base/hash.h"
#include "layers/told.h"
#include "rig/track.h"

namespace nutatio::pipeline {

using TrackPtr = std::shared_ptr<const rig::Track>;

/// What a layer made: the columns that it replaced, shared with the track they went into.
struct Changed {
    std::vector<std::pair<int, rig::ColumnPtr>> joints;
    std::vector<rig::PatchPtr> patches;
    std::vector<rig::MorphColumnPtr> morphs;
    bool empty() const { return joints.empty() && patches.empty() && morphs.empty(); }
    std::size_t transforms() const;
};

/// What is remembered: a body's motion, or what a layer made of a shot.
struct Kept : layers::Told {
    TrackPtr body;
    Changed changed;
    std::string problem;
    std::size_t bytes = 0;
    std::uint64_t used = 0;
};

/// May be shared by evaluators in several threads. What was not used for longest is forgotten first.
class Memory {
  public:
    /// Null: it is not known.
    std::shared_ptr<const Kept> known(const Key& key);
    void keep(const Key& key, Kept kept);
    std::size_t bytes() const;

  private:
    mutable std::mutex m_lock;
    std::map<Key, std::shared_ptr<Kept>> m_kept;
    std::size_t m_bytes = 0;
    std::uint64_t m_clock = 0;
};

}  // namespace nutatio::pipeline
