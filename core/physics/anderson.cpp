#include "physics/anderson.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

namespace nutatio::physics {

// f = W (Phi(y) - y)                                   residual, weighted
// dF, dG = columns of differences of f and of Phi      over the last turns
// c = (dF' dF + 1e-10 tr(dF' dF) I)^-1 dF' f           least squares, regularised
// y := Phi(y) - dG c
// A step that leads farther from the plain one than kFarthest residuals is shortened: the fit is only good near by.

namespace {
constexpr double kFarthest = 20, kRidge = 1e-10;
}

void Anderson::forget() {
    m_residuals.clear();
    m_mapped.clear();
    m_lastResidual.clear();
    m_lastMapped.clear();
}

std::vector<double> Anderson::next(const std::vector<double>& y, const std::vector<double>& mapped) {
    const std::size_t n = y.size();
    std::vector<double> f(n);
    for (std::size_t i = 0; i < n; ++i) f[i] = m_weights[i] * (mapped[i] - y[i]);
    if (!m_lastResidual.empty()) {
        std::vector<double> df(n), dg(n);
        for (std::size_t i = 0; i < n; ++i) {
            df[i] = f[i] - m_lastResidual[i];
            dg[i] = mapped[i] - m_lastMapped[i];
        }
        m_residuals.push_back(std::move(df));
        m_mapped.push_back(std::move(dg));
        if (static_cast<int>(m_residuals.size()) > m_memory) {
            m_residuals.erase(m_residuals.begin());
            m_mapped.erase(m_mapped.begin());
        }
    }
    m_lastResidual = f;
    m_lastMapped = mapped;
    std::vector<double> out = mapped;
    const auto k = static_cast<Eigen::Index>(m_residuals.size());
    if (k == 0) return out;
    const Eigen::Map<const Eigen::VectorXd> residual(f.data(), static_cast<Eigen::Index>(n));
    Eigen::MatrixXd normal(k, k);
    Eigen::VectorXd right(k);
    const auto column = [&](Eigen::Index i) {
        return Eigen::Map<const Eigen::VectorXd>(m_residuals[static_cast<std::size_t>(i)].data(), static_cast<Eigen::Index>(n));
    };
    for (Eigen::Index i = 0; i < k; ++i) {
        for (Eigen::Index j = 0; j <= i; ++j) normal(i, j) = normal(j, i) = column(i).dot(column(j));
        right[i] = column(i).dot(residual);
    }
    const double trace = normal.trace();
    if (!(trace > 0)) return out;
    normal.diagonal().array() += kRidge * trace;
    const Eigen::VectorXd c = normal.ldlt().solve(right);
    if (!c.allFinite()) return out;
    std::vector<double> step(n, 0.0);
    double length = 0;
    for (std::size_t i = 0; i < n; ++i) {
        for (Eigen::Index j = 0; j < k; ++j) step[i] -= c[j] * m_mapped[static_cast<std::size_t>(j)][i];
        length += std::pow(m_weights[i] * step[i], 2);
    }
    const double most = kFarthest * residual.norm(), times = length > most * most ? most / std::sqrt(length) : 1;
    for (std::size_t i = 0; i < n; ++i) out[i] += times * step[i];
    return out;
}

}  // namespace nutatio::physics
