// What reading a file may ask for in memory, bounded by the file's own size.
#pragma once

#include <cstdint>

#include "base/ranges.h"
#include "files/json.h"

namespace nutatio::files {

/// Memory that one document may ask for: `kBase` bytes, and `kFactor` for each byte that was read for it.
class Allowance {
  public:
    static constexpr std::uint64_t kBase = 64ull << 20, kFactor = 64;

    /// `bytes` more of input were read.
    void grant(std::uint64_t bytes) {
        m_input += bytes;
        m_left += kFactor * bytes;
    }
    /// Counts `bytes` that are about to be asked for. Throws Failure when the document asks for more than its size allows.
    void take(const Place& at, std::uint64_t bytes) {
        if (bytes > m_left)
            at.fail("the file asks for more memory than its size allows (" + std::to_string((m_input + 1023) / 1024) + " KB, " +
                    std::to_string(kFactor) + " times that and " + std::to_string(kBase >> 20) + " MB)");
        m_left -= bytes;
    }

  private:
    std::uint64_t m_input = 0, m_left = kBase;
};

}  // namespace nutatio::files
