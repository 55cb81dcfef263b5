// What is selected, which frame shows, whether it plays: never saved, never undone.
#pragma once

#include <QObject>
#include <optional>
#include <string>
#include <vector>

#include "app/document/document.h"
#include "app/document/playback.h"
#include "edit/spread.h"
#include "measure/trail.h"
#include "rig/paint.h"

namespace nutatio::app {

/// One thing is selected at a time: joints of one actor, a layer, a collider, a wind, a pin, a gauge, a clip of an actor, or an
/// actor.
struct Selection {
    std::string actor;
    std::vector<int> joints;
    std::string layer;
    std::string collider;
    std::string wind{};
    std::string pin{};
    std::string gauge{};
    std::string clip{};  // reference
    bool operator==(const Selection&) const = default;
    /// The one thing with settings that is selected, if it is no joint.
    std::optional<scene::Owner> owner() const;
    /// The selection of that thing alone, with the actor it belongs to.
    static Selection of(const scene::Scene& scene, const scene::Owner& owner);
};

enum class StepId { Prepare, Attach, Tune, Check, HandOff };

/// What the stage is asked to point out: joints of an actor, and what follows them or certain points of its surface.
struct Spot {
    std::string actor;
    std::vector<int> joints;
    std::vector<std::uint32_t> points;  // of rig::Surface; empty: what follows the joints, by how much
    bool swings = false;                // the joints swing, so that it is seen
    bool follows = false;               // it goes along with the selection: a bend test
    std::string map;                    // a map of the actor's that is shown instead
    bool operator==(const Spot&) const = default;
};

/// The brush for skin weights, while weights are painted.
struct Painting {
    bool on = false;
    rig::Brush brush = rig::Brush::Add;
    double radius = 0.06;   // [heights]
    double strength = 0.3;  // of a dab; with Set the weight that it goes to
    bool mirrored = false;
    std::string map;  // which map of the selected actor's is painted; empty: the weights of the selected joint
    bool operator==(const Painting&) const = default;
};

/// How joints are posed by hand, while a layer that is posed is selected.
struct HandPosing {
    enum class Along { Own, Parent, World };
    Along along = Along::World;  // whose axes the handles show
    bool low = false;            // the layer's low pose is in the hand
    bool keys = false;           // every pose is keyed at the play-head
    bool operator==(const HandPosing&) const = default;
};

/// The joint that is in the hand then.
struct HandJoint {
    const scene::Layer* layer;
    const scene::ActorEntry* actor;
    int joint;
    std::string reference() const { return actor->actor->skeleton.reference(joint); }
};

/// How a hand performs on a body while the shot plays: each pass becomes a layer.
struct Performing {
    enum class Mirrored { No, AtOnce, HalfLater };
    bool on = false;
    bool turns = true;  // the joint itself is turned; else it is pulled, and what it hangs on turns
    Mirrored mirrored = Mirrored::No;
    std::vector<std::string> still;  // joints (references) that stay where they are
    bool operator==(const Performing&) const = default;
};

/// What Prepare is about, and what Check is.
enum class FaceId { Check, Joints, Parts, Maps, Motion, Perform, Kits };
enum class CheckFaceId { Takes, Spread, Loop, Trails };

/// In place of a take: the body without layers.
inline constexpr const char* kBareBody = "body";

/// What stands beside what in the comparison, while it is shown.
struct Comparing {
    bool on = false;
    bool over = false;              // over each other, not side by side
    std::vector<std::string> with;  // ids of takes; "" is the scene as it is, or kBareBody
    std::string watch = "swing";    // what of the joint is plotted
    bool operator==(const Comparing&) const = default;
};
struct Sheets;

/// Ways that are drawn on the stage, and poses of other frames.
struct Trails {
    enum class From { World, Actor, Joint };
    std::vector<scene::Mount> of;
    From from = From::World;
    std::string joint;   // reference, in each trail's own actor, that they are seen from
    bool ticks = true;   // one a frame
    int ghostEvery = 0;  // frames from one ghost to the next, before and after the frame on show; 0: none
    bool operator==(const Trails&) const = default;
};

/// A spread that is laid out, and whether it is on show.
struct Spreading {
    bool on = false;
    std::optional<edit::Spread> spread;
    bool operator==(const Spreading&) const = default;
};

class Session : public QObject {
    Q_OBJECT
  public:
    explicit Session(Document& document, QObject* parent = nullptr);
    ~Session() override;

    const Selection& selection() const { return m_selection; }
    void select(Selection s);
    void selectJoint(const std::string& actor, int joint, bool add = false);
    void selectLayer(const std::string& layer);
    void selectCollider(const std::string& collider);
    void selectWind(const std::string& wind);
    void selectPin(const std::string& pin);
    void selectGauge(const std::string& gauge);
    /// The actor itself: where it stands, and what a set piece is like.
    void selectActor(const std::string& actor);
    /// The joint last selected, which stays known while a layer is tuned; -1 before any was.
    const std::string& lastActor() const { return m_lastActor; }
    int lastJoint() const { return m_lastJoint; }
    /// Makes a joint the last one without selecting it: a layer that is posed stays in the hand.
    void pointAt(const std::string& actor, int joint);
    /// Nothing unless a layer that is posed by hand is selected; its first joint until one of its actor was selected.
    std::optional<HandJoint> handJoint() const;
    /// The joint that was pointed at last, of a body whose parts are set apart one by one; nothing unless its layer is selected.
    std::optional<HandJoint> partJoint() const;
    /// The same while a joint is one of what may be set apart, or rides on it, or the whole body is simulated.
    std::optional<HandJoint> partNear(int joint) const;
    /// The handle of its grid that was taken last; empty: none.
    const std::string& handPoint() const { return m_handPoint; }
    void setHandPoint(const std::string& of);
    /// Whether a joint was taken last, and no handle of a grid.
    bool handOnJoint() const { return m_handOnJoint; }
    const HandPosing& posing() const { return m_posing; }
    void setPosing(const HandPosing& posing);
    /// Grows the joint selection by everything below it.
    void selectChain();

    int frame() const { return m_playback.frame(); }  // from 0
    void setFrame(int frame) { m_playback.setFrame(frame); }
    bool isPlaying() const { return m_playback.isPlaying(); }
    void setPlaying(bool on) { m_playback.setPlaying(on); }
    bool loops() const { return m_playback.loops(); }
    void setLoops(bool on) { m_playback.setLoops(on); }
    const std::optional<std::pair<int, int>>& range() const { return m_playback.range(); }
    void setRange(std::optional<std::pair<int, int>> range) { m_playback.setRange(range); }
    double speed() const { return m_playback.speed(); }
    void setSpeed(double speed) { m_playback.setSpeed(speed); }

    bool bodyHeld() const { return m_bodyHeld; }
    void setBodyHeld(bool on);
    /// The take that the scene is compared with; null when there is none.
    const scene::Take* other() const;
    void setOther(const std::string& take);

    const Comparing& comparing() const { return m_comparing; }
    void setComparing(const Comparing& comparing);
    const Trails& trails() const { return m_trails; }
    void setTrails(const Trails& trails);
    const Spreading& spreading() const { return m_spreading; }
    void setSpreading(const Spreading& spreading);

    const Performing& performing() const { return m_performing; }
    void setPerforming(const Performing& performing);
    /// The camera goes along with the actor.
    bool follows() const { return m_follows; }
    void setFollows(bool on);

    /// Lanes draw their traces along each axis.
    bool splitsTraces() const { return m_splitsTraces; }
    void setSplitsTraces(bool on);

    bool ghost() const { return m_ghost; }
    void setGhost(bool on);

    const std::optional<Spot>& spot() const { return m_spot; }
    void setSpot(std::optional<Spot> spot);

    const Painting& painting() const { return m_painting; }
    void setPainting(const Painting& painting);

    /// Kits and motions that were read and are not put on yet.
    Sheets& sheets() { return *m_sheets; }

    FaceId face() const { return m_face; }
    void setFace(FaceId face);
    CheckFaceId checkFace() const { return m_checkFace; }
    void setCheckFace(CheckFaceId face);

    StepId step() const { return m_step; }
    void setStep(StepId step);

  Q_SIGNALS:
    void selectionChanged();
    void frameChanged(int frame);
    void playingChanged(bool playing);
    void viewChanged();
    void stepChanged();
    void takeChanged();
    void comparingChanged();
    void spreadingChanged();
    void spotChanged();
    void paintingChanged();
    void faceChanged();
    void performingChanged();

  private:
    void choose(const scene::Owner& owner);
    void forgetWhatIsGone();

    Document& m_document;
    Selection m_selection;
    std::string m_lastActor;
    int m_lastJoint = -1;
    Playback m_playback;
    bool m_bodyHeld = false, m_ghost = false, m_splitsTraces = false;
    StepId m_step = StepId::Attach;
    FaceId m_face = FaceId::Check;
    CheckFaceId m_checkFace = CheckFaceId::Takes;
    std::optional<Spot> m_spot;
    Painting m_painting;
    HandPosing m_posing;
    std::string m_handPoint;
    bool m_handOnJoint = false;
    std::string m_other;
    Comparing m_comparing;
    Spreading m_spreading;
    Trails m_trails;
    Performing m_performing;
    bool m_follows = false;
    std::unique_ptr<Sheets> m_sheets;
};

}  // namespace nutatio::app
