#include "benchmarks/bullet_shot.h"

#include <BulletDynamics/Featherstone/btMultiBody.h>
#include <BulletDynamics/Featherstone/btMultiBodyConstraintSolver.h>
#include <BulletDynamics/Featherstone/btMultiBodyDynamicsWorld.h>
#include <BulletDynamics/Featherstone/btMultiBodyLinkCollider.h>
#include <BulletDynamics/Featherstone/btMultiBodySphericalJointMotor.h>
#include <btBulletDynamicsCommon.h>

#include <memory>

namespace nutatio::benchmarks {

double runBulletShot(const ShotSize& size) {
    btDefaultCollisionConfiguration configuration;
    btCollisionDispatcher dispatcher(&configuration);
    btDbvtBroadphase broadphase;
    btMultiBodyConstraintSolver solver;
    btMultiBodyDynamicsWorld world(&dispatcher, &broadphase, &solver, &configuration);
    world.setGravity(btVector3(0, -9.8, 0));
    const double length = 1.0 / size.joints, mass = 1.0 / size.joints;
    btCapsuleShapeZ bone(0.005f, static_cast<btScalar>(length));
    btCapsuleShape upright(0.1f, 0.4f);
    std::vector<std::unique_ptr<btMultiBody>> chains;
    std::vector<std::unique_ptr<btMultiBodyLinkCollider>> colliders;
    std::vector<std::unique_ptr<btMultiBodyConstraint>> motors;
    std::vector<std::unique_ptr<btRigidBody>> statics;
    std::vector<std::unique_ptr<btMotionState>> states;
    for (int c = 0; c < size.chains; ++c) {
        auto chain = std::make_unique<btMultiBody>(size.joints, 0, btVector3(0, 0, 0), true, false);
        for (int i = 0; i < size.joints; ++i) {
            btVector3 inertia;
            bone.calculateLocalInertia(mass, inertia);
            chain->setupSpherical(i, mass, inertia, i - 1, btQuaternion::getIdentity(), btVector3(0, 0, i == 0 ? 0 : length / 2),
                                  btVector3(0, 0, length / 2), true);
        }
        chain->finalizeMultiDof();
        chain->setBasePos(btVector3(0, 0, 0));
        world.addMultiBody(chain.get());
        for (int i = 0; i < size.joints; ++i) {
            auto motor = std::make_unique<btMultiBodySphericalJointMotor>(chain.get(), i, 1000.0);
            motor->setPositionTarget(btQuaternion::getIdentity(), 0.1);
            motor->setVelocityTarget(btVector3(0, 0, 0), 0.2);
            world.addMultiBodyConstraint(motor.get());
            motor->finalizeMultiDof();
            motors.push_back(std::move(motor));
            if (size.bodies == 0) continue;
            auto collider = std::make_unique<btMultiBodyLinkCollider>(chain.get(), i);
            collider->setCollisionShape(&bone);
            // Bones meet the capsules, not one another: as in the standard shot.
            world.addCollisionObject(collider.get(), 2, 1);
            chain->getLink(i).m_collider = collider.get();
            colliders.push_back(std::move(collider));
        }
        chains.push_back(std::move(chain));
    }
    for (int i = 0; i < size.bodies; ++i) {
        const physics::Body b = standardBody(i);
        const Vec3 middle = 0.5 * (b.a + b.b);
        states.push_back(std::make_unique<btDefaultMotionState>(
            btTransform(btQuaternion::getIdentity(), btVector3(middle.x(), middle.y(), middle.z()))));
        statics.push_back(
            std::make_unique<btRigidBody>(btRigidBody::btRigidBodyConstructionInfo(0, states.back().get(), &upright)));
        world.addRigidBody(statics.back().get(), 1, 2);
    }
    for (int k = 0; k < size.frames * 5; ++k) {
        for (int c = 0; c < size.chains; ++c) chains[static_cast<std::size_t>(c)]->setBasePos(btVector3(swayAt(k, c), 0, 0));
        world.stepSimulation(1.0 / 120, 0);
    }
    double sum = 0;
    for (auto& chain : chains) {
        sum += chain->getLink(size.joints - 1).m_cachedWorldTransform.getOrigin().y();
        world.removeMultiBody(chain.get());
    }
    for (auto& m : motors) world.removeMultiBodyConstraint(m.get());
    for (auto& c : colliders) world.removeCollisionObject(c.get());
    for (auto& s : statics) world.removeRigidBody(s.get());
    return sum;
}

}  // namespace nutatio::benchmarks
