// What was made of the last few actors, for whoever asks again.
#pragma once

#include <algorithm>
#include <deque>
#include <memory>
#include <mutex>
#include <vector>

#include "rig/actor.h"

namespace nutatio::rig {

/// By the actor's content and picture and a list of its joints. Any thread; two that ask at once may both make it.
template <class T>
class LastFew {
  public:
    template <class Make>
    std::shared_ptr<const T> of(const Actor& actor, const std::vector<int>& joints, const Make& make) {
        {
            const std::lock_guard guard(m_lock);
            if (auto found = find(actor, joints)) return found;
        }
        auto made = std::make_shared<const T>(make());
        const std::lock_guard guard(m_lock);
        if (auto found = find(actor, joints)) return found;
        m_known.push_back({actor.content, actor.picture, joints, made});
        if (m_known.size() > kKept) m_known.pop_front();
        return made;
    }

  private:
    static constexpr std::size_t kKept = 12;
    struct Known {
        Key content, picture;
        std::vector<int> joints;
        std::shared_ptr<const T> made;
    };
    std::shared_ptr<const T> find(const Actor& actor, const std::vector<int>& joints) const {
        const auto at = std::find_if(m_known.begin(), m_known.end(), [&](const Known& k) {
            return k.content == actor.content && k.picture == actor.picture && k.joints == joints;
        });
        return at == m_known.end() ? nullptr : at->made;
    }
    std::mutex m_lock;
    std::deque<Known> m_known;
};

}  // namespace nutatio::rig
