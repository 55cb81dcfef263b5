// Reading glTF accessors with every bound checked.
// Source: glTF 2.0 specification, 3.6 (buffers, views, accessors, sparse) and KHR_mesh_quantization.
#pragma once

#include <memory>
#include <vector>

#include "files/allowance.h"
#include "rig/actor.h"

namespace nutatio::files {

/// Accessors of one document. Borrows what it is made from for its life.
class AccessorReader {
  public:
    /// All that is read is taken from `allowance`.
    AccessorReader(const Json& document, const std::vector<std::shared_ptr<const rig::Bytes>>& buffers, Allowance& allowance);

    struct Floats {
        std::size_t count = 0;
        std::size_t width = 0;
        std::vector<float> values;  // count x width
    };

    /// Any component type as floats; normalised ones are scaled. Refuses what is not finite. Throws Failure.
    Floats floats(const Place& reference) const;
    /// The same, refusing any width but `width`.
    Floats floats(const Place& reference, std::size_t width) const;
    /// Unsigned integers of width 1 (indices) or more (joint numbers).
    std::vector<std::uint32_t> integers(const Place& reference, std::size_t width) const;
    /// Bytes of buffer view `reference`.
    std::pair<const std::uint8_t*, std::size_t> view(const Place& reference) const;

  private:
    struct Layout;
    Layout layout(const Place& reference) const;
    template <class Put>
    void eachComponent(const Place& accessor, const Layout& l, Put put) const;

    const Json& m_document;
    const std::vector<std::shared_ptr<const rig::Bytes>>& m_buffers;
    Allowance& m_allowance;
};

}  // namespace nutatio::files
