#include "pipeline/morphs.h"

#include <Eigen/Eigenvalues>
#include <algorithm>

namespace nutatio::pipeline {

// With the offsets of all vertices as the columns of U, a frame each: G = U^T U = W L W^T. The target of eigenvector w is U w,
// its weight at frame t is w_t, and U is the sum of all U w w^T: the first few hold nearly all of it.

void MorphFit::add(const rig::Track& track) {
    m_tracks.push_back(&track);
    for (const auto& [id, patch] : track.patches()) m_instances[id.first];
}

std::vector<files::NewMorphs> MorphFit::targets(double share) {
    std::vector<files::NewMorphs> out;
    for (auto& [instance, in] : m_instances) {
        const auto primitives =
            m_actor.meshes[static_cast<std::size_t>(m_actor.instances[static_cast<std::size_t>(instance)].mesh)]
                .primitives.size();
        in.vertices.assign(primitives, {});
        for (const rig::Track* t : m_tracks)
            for (std::size_t p = 0; p < primitives; ++p)
                if (const auto at = t->patches().find({instance, static_cast<int>(p)}); at != t->patches().end())
                    in.vertices[p].insert(in.vertices[p].end(), at->second->vertices.begin(), at->second->vertices.end());
        Eigen::Index rows = 0;
        for (auto& v : in.vertices) {
            std::sort(v.begin(), v.end());
            v.erase(std::unique(v.begin(), v.end()), v.end());
            rows += 3 * static_cast<Eigen::Index>(v.size());
        }
        Eigen::Index columns = 0;
        in.from.clear();
        for (const rig::Track* t : m_tracks) {
            in.from.push_back(static_cast<std::size_t>(columns));
            columns += t->frames();
        }
        Eigen::MatrixXd U = Eigen::MatrixXd::Zero(rows, columns);
        for (std::size_t s = 0; s < m_tracks.size(); ++s) {
            Eigen::Index row = 0;
            for (std::size_t p = 0; p < primitives; ++p) {
                const auto at = m_tracks[s]->patches().find({instance, static_cast<int>(p)});
                if (at != m_tracks[s]->patches().end())
                    for (std::size_t k = 0; k < at->second->vertices.size(); ++k) {
                        const auto place =
                            std::lower_bound(in.vertices[p].begin(), in.vertices[p].end(), at->second->vertices[k]) -
                            in.vertices[p].begin();
                        for (int f = 0; f < m_tracks[s]->frames(); ++f)
                            U.block<3, 1>(row + 3 * place, static_cast<Eigen::Index>(in.from[s]) + f) =
                                at->second->frame(f)[k].cast<double>();
                    }
                row += 3 * static_cast<Eigen::Index>(in.vertices[p].size());
            }
        }
        double farthest = 0;
        for (Eigen::Index c = 0; c < columns; ++c)
            for (Eigen::Index r = 0; r + 2 < rows; r += 3) farthest = std::max(farthest, U.block<3, 1>(r, c).norm());
        in.weights.assign(m_tracks.size(), {});
        in.count = 0;
        if (farthest == 0) continue;
        const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> solved(U.transpose() * U);
        files::NewMorphs made;
        made.instance = instance;
        Eigen::MatrixXd left = U;
        std::vector<Eigen::VectorXd> used;
        for (Eigen::Index k = columns; k-- > 0;) {
            double worst = 0;
            for (Eigen::Index c = 0; c < columns; ++c)
                for (Eigen::Index r = 0; r + 2 < rows; r += 3) worst = std::max(worst, left.block<3, 1>(r, c).norm());
            if (worst <= share * farthest) break;
            Eigen::VectorXd w = solved.eigenvectors().col(k);
            // A weight of 1 is the farthest that the target is ever used.
            const double most = w.cwiseAbs().maxCoeff();
            const Eigen::VectorXd target = U * w;
            left -= target * w.transpose();
            w /= most;
            std::vector<std::vector<Vec3f>> offsets(primitives);
            Eigen::Index row = 0;
            for (std::size_t p = 0; p < primitives; ++p) {
                const auto all =
                    m_actor.meshes[static_cast<std::size_t>(m_actor.instances[static_cast<std::size_t>(instance)].mesh)]
                        .primitives[p]
                        .positions.size();
                offsets[p].assign(all, Vec3f::Zero());
                for (std::uint32_t v : in.vertices[p]) {
                    if (v < all) offsets[p][v] = (most * target.segment<3>(row)).cast<float>();
                    row += 3;
                }
            }
            made.targets.push_back(std::move(offsets));
            used.push_back(std::move(w));
        }
        in.count = static_cast<int>(used.size());
        for (std::size_t s = 0; s < m_tracks.size(); ++s)
            for (int f = 0; f < m_tracks[s]->frames(); ++f)
                for (const Eigen::VectorXd& w : used)
                    in.weights[s].push_back(static_cast<float>(w[static_cast<Eigen::Index>(in.from[s]) + f]));
        out.push_back(std::move(made));
    }
    return out;
}

const std::vector<float>& MorphFit::weights(int instance, std::size_t shot) const {
    static const std::vector<float> kNone;
    const auto at = m_instances.find(instance);
    return at == m_instances.end() || shot >= at->second.weights.size() ? kNone : at->second.weights[shot];
}

int MorphFit::count(int instance) const {
    const auto at = m_instances.find(instance);
    return at == m_instances.end() ? 0 : at->second.count;
}

}  // namespace nutatio::pipeline
