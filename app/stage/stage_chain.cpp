// Making a chain of joints: fitted through the piece of mesh under the mouse, or drawn along the mesh.
#include <QMouseEvent>
#include <QWheelEvent>
#include <set>

#include "app/look/theme.h"
#include "app/stage/stage.h"
#include "app/stage/tint.h"
#include "rig/helper.h"
#include "rig/sides.h"
#include "scene/items.h"

namespace nutatio::app {

namespace {

constexpr int kFewest = 2, kMost = 24;
constexpr double kLeastChainReach = 0.01, kMostChainReach = 0.4;  // heights
constexpr double kNotchOfLine = 1.12;
constexpr double kApartOnLine = 0.01;  // heights between places of a drawn line

}  // namespace

void Stage::showChain(const rig::Actor& actor, std::string id, std::vector<Vec3> row, double reach) {
    if (row.size() < 3) return;
    const rig::Surface& surface = surfaceOf(actor);
    const int parent = rig::carrierAt(surface, row.front());
    const auto shares = rig::chainShares(actor, surface, parent, row, reach * actor.height);
    m_tint = tintBy(actor, surface, [&](std::uint32_t point) {
        float sum = 0;
        for (const auto& s : shares) sum += s[point];
        return sum;
    });
    m_chain.proposed = Chain{std::move(id), actor.skeleton.reference(parent), std::move(row), reach};
    update();
}

/// Whether a piece of an actor's surface is its body rather than something that hangs on it: it is large, and carried on both
/// sides of the body.
bool Stage::isBody(const rig::Actor& actor, const rig::Surface& surface, int shell) {
    constexpr double kLarge = 0.25;  // of all points
    std::set<int> joints;
    std::size_t points = 0;
    for (std::uint32_t p = 0; p < surface.places.size(); ++p)
        if (surface.shell[p] == shell) {
            ++points;
            joints.insert(surface.mainJoint(p));
        }
    if (static_cast<double>(points) < kLarge * static_cast<double>(surface.places.size())) return false;
    const rig::Sides sides = rig::sidesOf(actor);
    return std::any_of(joints.begin(), joints.end(), [&](int j) {
        const int fellow = sides.fellow[static_cast<std::size_t>(j)];
        return fellow != j && fellow != rig::kNoJoint && joints.count(fellow) > 0;
    });
}

void Stage::proposeChain(const QPointF& at) {
    m_chain.proposed.reset();
    m_tint.reset();
    m_chain.overBody = false;
    update();
    const std::optional<MeshHit> hit = hitMesh(at);
    const scene::ActorEntry* a = hit ? m_document.scene().actor(hit->actor) : nullptr;
    if (!a || a->isPiece()) return;
    const rig::Actor& actor = *a->actor;
    const rig::Surface& surface = surfaceOf(actor);
    const Vec3 spot = restPlace(actor, surface, *hit);
    const std::uint32_t point = surface.nearest(spot);
    if (const std::pair now{surface.shell[point], m_chain.joints}; now != m_chain.pieceAndJoints) {
        m_chain.pieceIsBody = isBody(actor, surface, surface.shell[point]);
        m_chain.throughPiece = m_chain.pieceIsBody ? std::vector<Vec3>() : rig::rowThrough(surface, point, m_chain.joints);
        m_chain.pieceAndJoints = now;
    }
    m_chain.overBody = m_chain.pieceIsBody;
    if (m_chain.throughPiece.empty()) return;
    // It begins at the end that is nearer to the mouse.
    std::vector<Vec3> row = m_chain.throughPiece;
    if ((spot - row.back()).norm() < (spot - row.front()).norm()) std::reverse(row.begin(), row.end());
    showChain(actor, hit->actor, std::move(row), 0);
}

void Stage::drawChain(const QPointF& at) {
    for (const QPointF& p : m_chain.drawn.empty() ? std::vector<QPointF>{m_mouse.pressed, at} : std::vector<QPointF>{at}) {
        const std::optional<MeshHit> hit = hitMesh(p);
        const scene::ActorEntry* a = hit ? m_document.scene().actor(hit->actor) : nullptr;
        if (!a || a->isPiece() || (m_chain.proposed && !m_chain.drawn.empty() && hit->actor != m_chain.proposed->actor)) return;
        const rig::Actor& actor = *a->actor;
        const Vec3 spot = restPlace(actor, surfaceOf(actor), *hit);
        if (!m_chain.drawn.empty() && (spot - m_chain.drawn.back()).norm() < kApartOnLine * actor.height) return;
        m_chain.drawn.push_back(spot);
        if (m_chain.drawn.size() < 2) continue;
        showChain(actor, hit->actor, rig::rowAlong(surfaceOf(actor), m_chain.drawn, m_chain.joints, m_chain.reach * actor.height),
                  m_chain.reach);
    }
}

bool Stage::wheelChain(QWheelEvent* e) {
    if (m_tool != Tool::Chain || !m_chain.proposed) return false;
    const double notches = e->angleDelta().y() / 120.0;
    if (e->modifiers() & Qt::ControlModifier)
        m_chain.reach = within(m_chain.reach * std::pow(kNotchOfLine, notches), kLeastChainReach, kMostChainReach);
    else
        m_chain.joints = within(m_chain.joints + (notches > 0 ? 1 : -1), kFewest, kMost);
    const scene::ActorEntry* a = m_document.scene().actor(m_chain.proposed->actor);
    if (m_chain.drawn.size() > 1 && a)
        showChain(*a->actor, a->id,
                  rig::rowAlong(surfaceOf(*a->actor), m_chain.drawn, m_chain.joints, m_chain.reach * a->actor->height),
                  m_chain.reach);
    else
        proposeChain(m_mouse.last);
    return true;
}

void Stage::markChain(std::vector<Mark>& marks) const {
    const Shown* s = m_chain.proposed ? shown(m_chain.proposed->actor) : nullptr;
    if (!s) return;
    // The chain's places in the pose on show: they go along with the joint that they hang on.
    const int joint = s->actor->skeleton.find(m_chain.proposed->joint);
    if (joint == rig::kNoJoint) return;
    std::vector<Affine> rest;
    rig::worldTransforms(s->actor->skeleton, s->actor->restPose(), rest);
    std::vector<Vec3> row;
    for (const Vec3& p : m_chain.proposed->row)
        row.push_back(
            s->posed.worlds[static_cast<std::size_t>(joint)].apply(rest[static_cast<std::size_t>(joint)].inverse().apply(p)));
    addPolyline(marks, row, 5, look::theme().sheet);
    addPolyline(marks, row, 2.5, look::theme().lagoon);
    for (std::size_t k = 0; k < row.size(); ++k) {
        const bool end = k + 1 == row.size();
        addLine(marks, row[k], row[k], end ? 8 : 13, look::theme().sheet);
        addLine(marks, row[k], row[k], end ? 4 : 9, look::theme().lagoon);
    }
}

}  // namespace nutatio::app
