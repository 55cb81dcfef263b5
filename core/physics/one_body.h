// One of the bodies that are moved together, as who drives it sees it: its segments count from 0.
#pragma once

#include "physics/articulated.h"

namespace nutatio::physics {

class OneBody {
  public:
    OneBody(Articulated& all, std::size_t body)
        : m_all(&all), m_body(body), m_first(all.range(body).first), m_size(all.range(body).second) {}

    std::size_t body() const { return m_body; }
    std::size_t size() const { return m_size; }
    /// A segment's number among those of all bodies.
    int number(std::size_t i) const { return static_cast<int>(m_first + i); }

    const SegmentDef& segment(std::size_t i) const { return m_all->segment(m_first + i); }
    double mass() const { return m_all->mass(m_body); }
    const Vec3& gravity() const { return m_all->gravity(m_body); }
    const Vec3& place(std::size_t i) const { return m_all->place(m_first + i); }
    const Quat& turn(std::size_t i) const { return m_all->turn(m_first + i); }
    const Vec3& velocity(std::size_t i) const { return m_all->velocity(m_first + i); }
    const Vec3& spin(std::size_t i) const { return m_all->spin(m_first + i); }
    Vec3 joint(std::size_t i) const { return at(i, segment(i).joint - segment(i).centre); }
    Vec3 at(std::size_t i, const Vec3& own) const { return m_all->at(m_first + i, own); }
    Vec3 centreOfMass() const { return m_all->centreOfMass(m_body); }
    Vec3 meanVelocity() const { return m_all->meanVelocity(m_body); }
    Vec3 spinOfWhole() const { return m_all->spinOfWhole(m_body); }
    bool touches(std::size_t i) const { return m_all->touches(m_first + i); }

    void setGravity(const Vec3& g) { m_all->setGravity(g, m_body); }
    void setAir(const Vec3& velocity) { m_all->setAir(velocity, m_body); }
    JointAim& aim(std::size_t i) { return m_all->aim(m_first + i); }
    Following& following(std::size_t i) { return m_all->following(m_first + i); }
    RootAim& root(std::size_t i) { return m_all->root(m_first + i); }
    void setCorners(std::size_t i, const std::vector<Vec3>& fromCentre) { m_all->setCorners(m_first + i, fromCentre); }
    void setOffset(std::size_t i, const Vec3& offset) { m_all->setOffset(m_first + i, offset); }
    void start(std::span<const Vec3> rootPlaces, std::span<const Quat> turns, std::span<const Vec3> velocities,
               std::span<const Vec3> spins, double h) {
        m_all->start(rootPlaces, turns, velocities, spins, h, m_body);
    }
    bool sleeps() const { return m_all->sleeps(); }
    void wake() { m_all->wake(); }
    void hurl(const Vec3& velocity, const Vec3& spin) { m_all->hurl(velocity, spin, m_body); }
    void push(std::size_t i, const Vec3& at, const Vec3& impulse) { m_all->push(m_first + i, at, impulse); }

  private:
    Articulated* m_all;
    std::size_t m_body, m_first, m_size;
};

}  // namespace nutatio::physics
