// The Stage: the actors in motion, their joints over them, and picking.
#pragma once

#include <QOpenGLWidget>
#include <memory>
#include <optional>

#include "app/document/document.h"
#include "app/document/session.h"
#include "app/stage/camera.h"
#include "app/stage/renderer.h"

namespace nutatio::app {

class Stage : public QOpenGLWidget {
    Q_OBJECT
  public:
    Stage(Document& document, Session& session, QWidget* parent = nullptr);
    ~Stage() override;

    /// Frames the selection, or everything without one.
    void frameSelection();
    /// The joint under a pixel: a joint's dot near it, else the one that moves the skin there most. {actor id, joint}; nothing on
    /// empty ground.
    struct Hit {
        std::string actor;
        int joint;
    };
    std::optional<Hit> pick(const QPointF& at) const;
    /// Pixel of a joint in the frame on show; for tests and for labels.
    std::optional<QPointF> jointPixel(const std::string& actor, int joint) const;
    const Camera& camera() const { return m_camera; }
    void setCamera(const Camera& c);
    void setJointsShown(bool on);
    bool jointsShown() const { return m_jointsShown; }

  protected:
    void initializeGL() override;
    void paintGL() override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    void wheelEvent(QWheelEvent* e) override;

  private:
    struct Shown {
        std::string id;
        Posed posed, body;
    };
    void pose();
    void layOut();
    void markJoints(std::vector<Mark>& marks) const;
    void markBones(const Shown& s, std::vector<Mark>& marks) const;
    void markTrail(std::vector<Mark>& marks) const;
    void markColliders(std::vector<Mark>& marks) const;
    void addLine(std::vector<Mark>& marks, const Vec3& a, const Vec3& b, double width, const QColor& c) const;
    void addPolyline(std::vector<Mark>& marks, const std::vector<Vec3>& points, double width, const QColor& c) const;
    std::vector<int> marked(const std::string& actor) const;
    std::optional<Hit> pickMesh(const QPointF& at) const;
    const Shown* shown(const std::string& actor) const;

    Document& m_document;
    Session& m_session;
    std::unique_ptr<Renderer> m_renderer;
    Camera m_camera;
    std::vector<Shown> m_shown;
    std::vector<const rig::Actor*> m_framed;  // what the camera was last laid out for
    Eigen::AlignedBox3d m_box;                // of the first actor, where its clip begins
    double m_size = 1, m_floor = 0, m_shadowFloor = 0;
    bool m_jointsShown = true;
    QPointF m_pressed, m_last;
    bool m_moved = false;
};

}  // namespace nutatio::app
