// A face of Prepare: body motion that is made here. Clips in place go over the ground, a hand performs, keys steer.
#pragma once

#include "app/prepare/face.h"
#include "rig/walk.h"

namespace nutatio::app {

class PerformFace : public Face {
    Q_OBJECT
  public:
    PerformFace(Document& document, Session& session, QWidget* parent = nullptr);

  protected:
    void lay() override;

  private:
    void layGround(const scene::ActorEntry& a);
    void layPasses(const scene::ActorEntry& a);
    void layWalk(const scene::ActorEntry& a);

    Key m_gaitsOf{};  // what they are of, and how it stands
    Quat m_gaitsLevel = Quat::Identity();
    std::vector<rig::Gait> m_gaits;
};

}  // namespace nutatio::app
