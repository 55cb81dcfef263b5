// The hand of Tug: pulls a joint of an actor about while the whole stack reacts, sixty times a second.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <memory>
#include <optional>

#include "app/document/document.h"
#include "app/document/session.h"
#include "physics/oscillator.h"
#include "pipeline/live.h"

namespace nutatio::app {

class Tug : public QObject {
    Q_OBJECT
  public:
    static constexpr double kRate = 60;

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
    bool isLive() const { return m_live != nullptr; }
    const std::string& actor() const { return m_actor; }
    /// The body under the hand, and what the stack makes of it: locals of all joints.
    const std::vector<Xform>& body() const { return m_body; }
    const std::vector<Xform>& result() const { return m_live->result(); }
    /// Where the held joint is without the hand, in the frame on show.
    Vec3 place() const;

    /// What is pulled while recording becomes a clip of its actor. Another actor pulled meanwhile ends the first one's clip and
    /// begins one of its own.
    void setRecording(bool on);
    bool isRecording() const { return m_recording; }

  Q_SIGNALS:
    void moved();
    /// Recording ended: with a clip of so many seconds, or with nothing (an empty name) because nothing was pulled or its actor
    /// is gone.
    void recorded(const QString& clip, double seconds);

  private:
    void tick();
    void stepOnce(const scene::ActorEntry& a);
    void begin();
    void sceneChanged();
    /// The actor that is pulled, when it still is the one that was taken hold of.
    const scene::ActorEntry* held() const;
    std::vector<Xform> clipPose() const;
    void keepRecord();

    Document& m_document;
    Session& m_session;
    QTimer m_clock;
    QElapsedTimer m_since;
    int m_ticks = 0;  // steps made since then
    int m_steps = 0;  // of the live stack since it began
    std::string m_actor;
    int m_joint = -1, m_joints = 0;  // how many joints the actor has: another file may come under its id
    bool m_holding = false, m_recording = false;
    Vec3 m_offset = Vec3::Zero(), m_speed = Vec3::Zero();
    std::optional<Vec3> m_target;
    physics::Oscillator m_back;
    std::unique_ptr<pipeline::Live> m_live;
    std::vector<Xform> m_body;
    std::vector<std::vector<Xform>> m_samples;  // of m_sampled's joints, kRate a second by the clock
    std::string m_sampled;
    int m_calm = 0;
};

}  // namespace nutatio::app
