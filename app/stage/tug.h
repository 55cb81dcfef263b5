// The hand of Tug: pulls a joint of an actor about while the whole stack reacts, sixty times a second.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <memory>
#include <optional>

#include "app/document/document.h"
#include "app/document/newest_wins.h"
#include "app/document/session.h"
#include "app/stage/hand.h"
#include "edit/pass.h"
#include "rig/walk.h"

namespace nutatio::app {

/// Keeps the clock and what is recorded; the steps themselves are a Hand's, made on a thread of their own. What it shows is what
/// that thread made last.
class Tug : public QObject {
    Q_OBJECT
  public:
    Tug(Document& document, Session& session, QObject* parent = nullptr);

    /// Takes hold of a joint; `whole`: of the actor by its root.
    void grab(const std::string& actor, int joint, bool whole);
    /// Pulls it to a place in the world.
    void pull(const Vec3& to);
    void letGo();
    /// Stops at once, without springing back.
    void stop();
    bool isHolding() const { return m_holding; }
    /// The hand holds, or what it moved is still coming to rest.
    bool isLive() const { return m_hand != nullptr; }
    const std::string& actor() const { return m_actor; }
    /// The body under the hand, and what the stack makes of it: locals of all joints; empty until the first steps are made.
    const std::vector<Xform>& body() const { return m_made.body; }
    const std::vector<Xform>& result() const { return m_made.result; }
    /// What the stack does to the surface beside the pose, as a motion of one frame; null: nothing.
    const pipeline::TrackPtr& surface() const { return m_made.surface; }
    /// Where the held joint is without the hand, in the frame on show.
    Vec3 place() const;

    /// What is pulled while recording becomes a clip of its actor. Another actor pulled meanwhile ends the first one's clip and
    /// begins one of its own.
    void setRecording(bool on);
    bool isRecording() const { return m_recording; }

    /// Walks an actor about in place of pulling it, `blend` [s] from one clip to another. False, and a sentence through `failed`,
    /// where it has no clips to go about with.
    bool walk(const std::string& actor, double blend);
    bool isWalking() const { return m_walk != nullptr; }
    const rig::Walk* walking() const { return m_walk.get(); }
    /// A gait faster (1) or slower (-1); to the left (1), to the right (-1) or straight on (0).
    void goFaster(int by);
    void turn(int way);
    /// Ends the walk; `keep`: as a shot of its own.
    void endWalk(bool keep);

  Q_SIGNALS:
    void moved();
    /// What was performed became a layer of this name.
    void performed(const QString& layer);
    /// A walk has begun, or ended: as the shot of that name, or as nothing.
    void walkChanged(const QString& shot);
    void said(const QString& sentence);
    /// Recording ended: with a clip of so many seconds, or with nothing (an empty name) because nothing was pulled or its actor
    /// is gone.
    void recorded(const QString& clip, double seconds);
    /// It could not go on: why.
    void failed(const QString& sentence);

  private:
    void tick();
    void ask(int steps);
    void take(Hand::Made made);
    void begin();
    void sceneChanged();
    /// The actor that is pulled, when it still is the one that was taken hold of.
    const scene::ActorEntry* held() const;
    pipeline::TrackPtr bodyTrack() const;
    void keepRecord();
    /// What the hand does becomes a layer of the shot.
    bool performs() const { return m_holding && m_session.performing().on; }
    void perform();
    void keepPass();
    /// The scene under the hand: what is made of the hand's way anew does not act in it.
    scene::Scene sceneUnder() const;

    Document& m_document;
    Session& m_session;
    QTimer m_clock;
    QElapsedTimer m_since;
    int m_ticks = 0;  // steps asked for since then
    std::string m_actor;
    int m_joint = -1, m_joints = 0;  // how many joints the actor has: another file may come under its id
    bool m_holding = false, m_recording = false;
    std::optional<Vec3> m_target;
    std::shared_ptr<Hand> m_hand;
    bool m_anew = false, m_asked = false;  // the stack is to be made anew; steps are being made
    Hand::Made m_made;
    std::vector<std::vector<Xform>> m_samples;  // of m_sampled's joints, Hand::kRate a second by the clock
    std::string m_sampled;
    edit::Pass m_pass;
    pipeline::TrackPtr m_base;  // that it is performed on
    int m_askedFrame = 0;
    std::unique_ptr<rig::Walk> m_walk;
    int m_late = 0;                                   // steps that were left out: the hand stood still
    NewestWins m_worker{NewestWins::Patience::None};  // last: its thread ends before what it uses
};

}  // namespace nutatio::app
