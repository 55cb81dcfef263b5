#include <Eigen/LU>

#include "physics/articulated.h"

namespace nutatio::physics {

namespace {

/// The largest sigma of M y = sigma K y, K the diagonal 3x3 blocks of M: power iteration, read by Rayleigh's quotient, which is
/// off by the square of what the vector is off by.
double largestRatio(const Eigen::MatrixXd& M) {
    const Eigen::Index n = M.rows();
    Eigen::MatrixXd inverse = Eigen::MatrixXd::Zero(n, n), K = inverse;
    for (Eigen::Index b = 0; b < n; b += 3) {
        K.block<3, 3>(b, b) = M.block<3, 3>(b, b);
        inverse.block<3, 3>(b, b) = Mat3(M.block<3, 3>(b, b)).inverse();
    }
    Eigen::VectorXd y(n);
    for (Eigen::Index i = 0; i < n; ++i) y[i] = 1 + 0.37 * static_cast<double>(i % 7) - 0.23 * static_cast<double>(i % 5);
    double sigma = 1;
    for (int turn = 0; turn < 500; ++turn) {
        y = inverse * (M * y);
        y /= y.norm();
        const double next = y.dot(M * y) / y.dot(K * y);
        if (turn > 20 && std::abs(next - sigma) < 1e-9 * next) return next;
        sigma = next;
    }
    return sigma;
}

}  // namespace

void Articulated::coupleParts(std::span<const int> part) {
    const std::size_t n = m_s.size();
    std::vector<Vec3> x(n), joint(n);
    std::vector<Quat> q(n);
    for (std::size_t i = 0; i < n; ++i) {
        const Segment& s = m_s[i];
        const auto p = static_cast<std::size_t>(s.parent);
        q[i] = s.parent < 0 ? Quat::Identity() : q[p] * m_aims[i].turn;
        joint[i] = s.parent < 0 ? m_defs[i].centre : Vec3(x[p] + q[p] * s.offset);
        x[i] = s.parent < 0 ? joint[i] : Vec3(joint[i] + q[i] * s.lever);
    }
    std::vector<char> done(n, false);
    for (std::size_t first = 0; first < n; ++first) {
        if (done[first] || m_s[first].parent < 0) continue;
        std::vector<int> slot(n, -1);
        std::vector<std::size_t> joints;
        for (std::size_t i = first; i < n; ++i)
            if (part[i] == part[first] && m_s[i].parent >= 0) {
                slot[i] = static_cast<int>(joints.size());
                joints.push_back(i);
                done[i] = true;
            }
        // M_ij = sum over segments k below both joints of I_k - m_k [x_k - joint_i][x_k - joint_j], K its diagonal blocks.
        const auto size = static_cast<Eigen::Index>(3 * joints.size());
        Eigen::MatrixXd M = Eigen::MatrixXd::Zero(size, size);
        for (std::size_t k = 0; k < n; ++k) {
            const Mat3 R = q[k].toRotationMatrix(), I = R * m_s[k].inertia * R.transpose();
            for (int i = static_cast<int>(k); i >= 0; i = m_s[static_cast<std::size_t>(i)].parent) {
                if (slot[static_cast<std::size_t>(i)] < 0) continue;
                for (int j = static_cast<int>(k); j >= 0; j = m_s[static_cast<std::size_t>(j)].parent) {
                    if (slot[static_cast<std::size_t>(j)] < 0) continue;
                    M.block<3, 3>(3 * slot[static_cast<std::size_t>(i)], 3 * slot[static_cast<std::size_t>(j)]) +=
                        I - m_s[k].mass * skew(x[k] - joint[static_cast<std::size_t>(i)]) *
                                skew(x[k] - joint[static_cast<std::size_t>(j)]);
                }
            }
        }
        const double sigma = joints.size() > 1 ? largestRatio(M) : 1;
        for (std::size_t i : joints) m_sigma[i] = sigma;
    }
}

}  // namespace nutatio::physics
