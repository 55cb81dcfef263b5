// Anderson's acceleration of a fixed-point iteration.
#pragma once

#include <vector>

namespace nutatio::physics {

/// Finds y = Phi(y) in fewer turns than y := Phi(y) takes. Source: Anderson, J. ACM 12 (1965); Walker and Ni, SIAM J. Numer.
/// Anal. 49 (2011), type II with a memory of so many turns.
class Anderson {
  public:
    /// `weights`: by component, one over how much it usually varies; 0: it takes no part in the fit.
    explicit Anderson(std::vector<double> weights, int memory = 5) : m_weights(std::move(weights)), m_memory(memory) {}
    /// What to try after y, which was mapped to Phi(y).
    std::vector<double> next(const std::vector<double>& y, const std::vector<double>& mapped);
    void forget();

  private:
    std::vector<double> m_weights;
    int m_memory;
    std::vector<std::vector<double>> m_residuals, m_mapped;  // differences from one turn to the next, the oldest first
    std::vector<double> m_lastResidual, m_lastMapped;
};

}  // namespace nutatio::physics
