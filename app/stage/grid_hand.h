// Handles in a grid over part of the surface, dragged by hand.
#pragma once

#include <QPointF>
#include <optional>
#include <vector>

#include "app/document/session.h"
#include "app/stage/camera.h"
#include "layers/by_hand.h"

namespace nutatio::app {

class GridHand {
  public:
    GridHand(Document& document, Session& session) : m_document(document), m_session(session) {}

    /// Lays the handles of the layer in the hand on its actor, whose joints stand at `worlds` [m].
    void lay(const std::vector<Affine>& worlds, const Camera& camera, const QSize& view);
    void hide() { m_points.clear(); }
    /// A handle in the world [m].
    struct Point {
        layers::HandPoint at;
        Vec3 world;
        Mat3 toWorld;  // from its way in the rest pose [units] to the world's
    };
    const std::vector<Point>& points() const { return m_points; }
    std::optional<QPointF> pixel(const std::string& of) const;

    bool take(const QPointF& at);
    bool holds() const { return m_held.has_value(); }
    void drag(const QPointF& to, Qt::KeyboardModifiers modifiers);
    void letGo() { m_held.reset(); }

  private:
    Document& m_document;
    Session& m_session;
    std::vector<Point> m_points;
    Camera m_camera;
    QSize m_view;
    std::optional<Point> m_held;  // as it was taken
    QPointF m_from;
    int m_frame = 0;
    QString m_gesture;
};

}  // namespace nutatio::app
