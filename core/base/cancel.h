// Asking long work to stop, and hearing how far it is.
#pragma once

#include <atomic>
#include <functional>
#include <memory>

namespace nutatio {

/// Shared between the one who asks and the work that answers. Copies speak of the same request.
class Cancel {
  public:
    Cancel() : m_flag(std::make_shared<std::atomic<bool>>(false)) {}
    void ask() const { m_flag->store(true, std::memory_order_relaxed); }
    bool asked() const { return m_flag->load(std::memory_order_relaxed); }

  private:
    std::shared_ptr<std::atomic<bool>> m_flag;
};

/// Thrown by work that was asked to stop; caught where the work was started.
struct Cancelled {};

/// Told now and then: how much is done (0..1).
using Progress = std::function<void(double)>;

}  // namespace nutatio
