#include "pipeline/memory.h"

#include <algorithm>

namespace nutatio::pipeline {

namespace {

constexpr std::size_t kMostBytes = 768u << 20;

}  // namespace

std::size_t Changed::transforms() const {
    std::size_t n = 0;
    for (const auto& [joint, column] : joints) n += column->size();
    for (const auto& patch : patches) n += patch->offsets.size() / 4;
    return n;
}

std::shared_ptr<const Kept> Memory::known(const Key& key) {
    const std::lock_guard guard(m_lock);
    const auto at = m_kept.find(key);
    if (at == m_kept.end()) return nullptr;
    at->second->used = ++m_clock;
    return at->second;
}

void Memory::keep(const Key& key, Kept kept) {
    const std::lock_guard guard(m_lock);
    kept.bytes = kept.body ? kept.body->ownBytes(nullptr) : 0;
    for (const auto& [joint, column] : kept.changed.joints) kept.bytes += column->size() * sizeof(Xform);
    for (const auto& patch : kept.changed.patches) kept.bytes += patch->offsets.size() * sizeof(Vec3f);
    for (const auto& morph : kept.changed.morphs) kept.bytes += morph->weights.size() * sizeof(float);
    kept.used = ++m_clock;
    auto& mine = m_kept[key];
    m_bytes += kept.bytes - (mine ? mine->bytes : 0);
    mine = std::make_shared<Kept>(std::move(kept));
    while (m_bytes > kMostBytes && m_kept.size() > 1) {
        const auto oldest = std::min_element(m_kept.begin(), m_kept.end(),
                                             [](const auto& a, const auto& b) { return a.second->used < b.second->used; });
        m_bytes -= oldest->second->bytes;
        m_kept.erase(oldest);
    }
}

std::size_t Memory::bytes() const {
    const std::lock_guard guard(m_lock);
    return m_bytes;
}

}  // namespace nutatio::pipeline
