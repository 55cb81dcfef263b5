// Rings and arrows about a joint, by which it is turned and moved by hand.
#pragma once

#include <QPointF>
#include <optional>
#include <vector>

#include "app/document/session.h"
#include "app/stage/camera.h"
#include "layers/layer_kind.h"

namespace nutatio::app {

class PoseHand {
  public:
    PoseHand(Document& document, Session& session) : m_document(document), m_session(session) {}

    /// What can be taken hold of: a turn about an axis, a way along one, or the joint itself across the view.
    struct Grip {
        enum Kind { Turn, Along, Free };
        Kind kind;
        int axis;  // of Turn and Along
        bool operator==(const Grip&) const = default;
    };
    /// Lays the handles about a joint that stands at `world` under `parent` [m] for a view.
    void lay(const Affine& world, const Affine& parent, const Camera& camera, const QSize& view);
    void hide() { m_laid = false; }
    /// Lines and dots to draw: places in the world [m]; a single one is a dot. `faint`: they are turned away.
    struct Stroke {
        std::vector<Vec3> points;
        Grip grip;
        bool faint;
    };
    std::vector<Stroke> strokes() const;
    std::optional<Grip> under(const QPointF& at) const;
    /// A pixel where a grip can be taken hold of; for tests.
    std::optional<QPointF> pixel(const Grip& grip) const;

    bool take(const QPointF& at);
    const std::optional<Grip>& held() const { return m_held; }
    /// Turns or moves the joint as far as the mouse went since it was taken.
    void drag(const QPointF& to, Qt::KeyboardModifiers modifiers);
    void letGo() { m_held.reset(); }
    /// How far it has been turned or moved; empty while nothing is held.
    QString words() const { return m_held ? m_words : QString(); }

  private:
    Vec3 ringPoint(int axis, double angle) const;
    /// Where a pixel's ray meets the plane of a ring, as an angle on it; nothing where it is seen edge on.
    std::optional<double> angleAt(int axis, const QPointF& at) const;
    void put(const Quat& turn, const Vec3& way);

    Document& m_document;
    Session& m_session;
    bool m_laid = false;
    Affine m_world;
    Quat m_axes = Quat::Identity();
    Camera m_camera;
    QSize m_view;
    double m_size = 1;  // of a ring [m]
    std::optional<Grip> m_held;
    // From the moment that it was taken.
    QPointF m_from;
    QString m_gesture, m_words;
    double m_fromAngle = 0, m_angle = 0;
    Affine m_worldThen;
    Quat m_axesThen = Quat::Identity();
    std::shared_ptr<const scene::Layer> m_layerThen;
    layers::ResolvedPtr m_settingsThen;
    Affine m_aboveThen;  // [units of the actor]
    Xform m_localThen;
    int m_jointThen = -1, m_frameThen = 0;
};

}  // namespace nutatio::app
