// Whether the shot on show goes round: its clips, what the layers make of it, and what mends it.
#pragma once

#include "app/document/newest_wins.h"
#include "app/prepare/face.h"
#include "measure/seam.h"

namespace nutatio::app {

class LoopFace : public Face {
    Q_OBJECT
  public:
    LoopFace(Document& document, Session& session, QWidget* parent = nullptr);

  protected:
    void lay() override;

  private:
    void lookAtClips();
    void layActor(const scene::ActorEntry& actor);
    void layRepair(const scene::ActorEntry& actor);
    void layLayers();

    struct Ends {
        std::shared_ptr<const rig::Actor> actor;
        int clip = -1;
        measure::ClipEnds ends;
    };
    std::map<std::string, Ends> m_ends;               // by actor
    NewestWins m_worker{NewestWins::Patience::None};  // last: its thread ends before what it uses
};

}  // namespace nutatio::app
