// The Stage: the actors in motion, their joints over them, and picking.
#pragma once

#include <QElapsedTimer>
#include <QTimer>
#include <map>
#include <memory>
#include <optional>

#include "app/document/aside.h"
#include "app/document/document.h"
#include "app/document/session.h"
#include "app/stage/camera.h"
#include "app/stage/canvas.h"
#include "app/stage/grid_hand.h"
#include "app/stage/pose_hand.h"
#include "app/stage/posing.h"
#include "app/stage/renderer.h"
#include "app/stage/tug.h"
#include "app/stage/ways.h"
#include "layers/showing.h"
#include "scene/items.h"

namespace nutatio::rig {
struct Surface;
}

namespace nutatio::app {

class Stage : public Canvas {
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
        bool operator==(const Hit&) const = default;
    };
    std::optional<Hit> pick(const QPointF& at) const;
    /// Pixel of a joint in the frame on show; for tests and for labels.
    std::optional<QPointF> jointPixel(const std::string& actor, int joint) const;
    const Camera& camera() const { return m_camera; }
    /// How large what stands here is, and where the ground is drawn [m].
    struct Ground {
        double size = 1, floor = 0, shadow = 0;
    };
    Ground ground() const { return {m_size, m_floor, m_shadowFloor}; }
    void setCamera(const Camera& c);
    /// Looks at what another stage looks at, from farther round [rad]: what is open is not framed anew.
    void lookBeside(const Stage& other, double turn);
    void setJointsShown(bool on);
    bool jointsShown() const { return m_jointsShown; }
    /// Bones as lines, in place of meshes.
    void setLinesOnly(bool on);
    /// The actor of the selection alone.
    void setAlone(bool on);
    /// With Tug on, the left button pulls instead of selecting.
    void setTugOn(bool on);
    bool tugOn() const { return m_tugOn; }
    Tug& tug() { return m_tug; }

    /// What the left button does on the mesh. Helper: a click places a joint; the wheel says how far its skin reaches. Chain: a
    /// click fits a chain through the piece under the mouse, a drag draws one along it; the wheel says how many joints, with Ctrl
    /// how far the skin of a drawn one reaches. Pivot: the selected joint is dragged out of its mesh.
    /// Path: a drag draws a way on the ground.
    enum class Tool { None, Helper, Chain, Pivot, Path };
    void setTool(Tool tool);
    Tool tool() const { return m_tool; }
    /// What the mouse would make or draws: places of the rest pose [units], the last one the end; reach 0: the whole piece.
    struct Chain {
        std::string actor, joint;
        std::vector<Vec3> row;
        double reach;
    };
    const std::optional<Chain>& chain() const { return m_chain.proposed; }
    /// What a click would make: a place of the rest pose [units], and its reach [heights].
    struct Helper {
        std::string actor, joint;
        Vec3 place;
        double reach;
    };
    const std::optional<Helper>& helper() const { return m_helper.proposed; }

    /// Something on the stage that can be dragged: a part of the selected collider, wind or pin, or what a layer shows.
    struct Handle {
        enum Part { Move, EndA, EndB, RadiusA, RadiusB, SizeX, SizeY, SizeZ, Tip, Pivot, OfLayer };
        Part part;
        Vec3 world;
        layers::Handle ofLayer{};
    };
    std::vector<Handle> handles() const;
    std::optional<QPointF> handlePixel(Handle::Part part, std::string_view ofLayer = {}) const;
    /// The ways that are drawn.
    const Ways& ways() const { return m_ways; }
    /// The spot of a mesh under the mouse; nothing beside all meshes.
    std::optional<scene::Mount> spotUnderMouse();
    /// What joints are posed with, while a layer that is posed by hand is selected.
    const PoseHand& poseHand() const { return m_poseHand; }
    const GridHand& gridHand() const { return m_gridHand; }

    /// Draws everything anew. Hides QWidget's, so that what is drawn in part knows that it must not be.
    void update();

  Q_SIGNALS:
    void said(const QString& sentence);
    void helperWanted(const Helper& helper, bool both);
    void chainWanted(const Chain& chain);
    /// A place of the rest pose [units].
    /// A way on the ground [m, in the world].
    void pathWanted(const std::vector<Vec3>& points);
    void pivotWanted(const std::string& actor, int joint, const Vec3& place, const QString& gesture);
    void strokeMade(const std::string& actor, const std::string& joint, const rig::Stroke& stroke);
    void mapStrokeMade(const std::string& actor, const std::string& map, const rig::Stroke& stroke);

  protected:
    void prepare() override;
    QRect draw() override;
    void write(QPainter& p) override;
    void resized() override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    void wheelEvent(QWheelEvent* e) override;
    void leaveEvent(QEvent*) override;

  private:
    struct Shown {
        std::string id;
        Posed posed, body;
        std::optional<Posed> other;               // of the other take
        std::vector<Posed> ghosts;                // of other frames
        bool piece = false;                       // it is one thing: its joint is not shown
        std::shared_ptr<const rig::Actor> actor;  // what is on show lives, whatever has become of the scene since
    };
    /// Draws that much of it anew [px], where nothing else has changed.
    void updateOnly(const QRectF& rect);
    void pose();
    /// Asks for the other take's motion, while its ghost is shown.
    void wantOther();
    void layOut();
    /// What the session points out: the camera goes there, and what it is about is tinted.
    void showSpot();
    void swingOn();
    void swingSpot(const std::string& actor, std::vector<Xform>& locals) const;
    void markJoints(std::vector<Mark>& marks) const;
    void markTrail(std::vector<Mark>& marks) const;
    void markWays(std::vector<Mark>& marks) const;
    /// A way over the ground that is being drawn.
    void markPath(std::vector<Mark>& marks) const;
    /// Where a pixel's ray meets the ground; nothing above the horizon.
    std::optional<Vec3> onGround(const QPointF& at) const;
    /// About the joints of the first actor that carry its mesh, in the frame on show [m]; empty where none is shown.
    Eigen::AlignedBox3d boxNow() const;
    /// Takes the camera along with the actor.
    void follow();
    Renderer::Frame frameToDraw(double ratio);
    std::vector<Mark> allMarks();
    class Labels;
    void writeNames(Labels& labels) const;
    /// What the tool in hand says.
    std::pair<QString, QColor> toolWords() const;
    void markColliders(std::vector<Mark>& marks) const;
    /// Tells what the selected layer shows of itself, while it is on show.
    void withLayer(const std::function<void(const layers::Showing&, const layers::OnShow&)>& show) const;
    void markLayer(std::vector<Mark>& marks) const;
    void drawRing(std::vector<Mark>& marks, const layers::Mark& ring, const QColor& colour) const;
    void drawLine(std::vector<Mark>& marks, const layers::Mark& line, const QColor& colour) const;
    void layerHandles(std::vector<Handle>& out) const;
    void markWinds(std::vector<Mark>& marks) const;
    void markPins(std::vector<Mark>& marks) const;
    void markGauges(std::vector<Mark>& marks) const;
    /// What a gauge reads here and now; empty where it reads nothing.
    QString gaugeWords(const scene::Gauge& gauge) const;
    void markHandles(std::vector<Mark>& marks) const;
    void layPoseHand();
    void markPoseHand(std::vector<Mark>& marks) const;
    /// World of what a collider rides on, in the frame on show; nothing when there is no such joint.
    std::optional<Affine> carrier(const scene::Mount& mount) const;
    /// Metres a unit of the actor; 1 for the world.
    double unitOf(const std::string& actor) const;
    /// What a thing is set to in the frame on show.
    scene::Resolved resolvedHere(const scene::Tuned& tuned, const scene::Owner& owner) const;
    scene::ColliderNumbers numbersHere(const scene::Collider& collider) const;  // [m]
    struct WindHere {
        Vec3 place, direction;
        double speed, reach, swirlShare;
    };
    WindHere windHere(const scene::Wind& wind) const;
    double windLength(double speed) const;
    /// Where its arrow begins: clear of the body.
    Vec3 windRoot(const WindHere& wind) const;
    Vec3 pinPlace(const scene::Pin& pin, const Affine& to) const;
    Vec3 tugPlace() const;
    void pullTo(const Vec3& to);
    void dragHandle(const Vec3& to);
    void dragLayer(scene::Scene& scene, const scene::Layer& layer, Vec3 to) const;
    void dragCollider(scene::Scene& scene, const scene::Collider& c, const Vec3& to) const;
    void pieceHandles(const scene::ActorEntry& piece, std::vector<Handle>& out) const;
    void dragPiece(scene::Scene& scene, const scene::ActorEntry& piece, const Vec3& to) const;
    /// The point under a pixel, as far from the eye as `like`.
    Vec3 unproject(const QPointF& at, const Vec3& like) const;
    void addLine(std::vector<Mark>& marks, const Vec3& a, const Vec3& b, double width, const QColor& c) const;
    void addPolyline(std::vector<Mark>& marks, const std::vector<Vec3>& points, double width, const QColor& c) const;
    std::vector<int> marked(const std::string& actor) const;
    std::vector<int> findMarked() const;
    /// A place on a drawn triangle, the first one of which is that corner of its primitive's list.
    struct MeshHit {
        std::string actor;
        std::size_t instance, primitive, triangle;
        double weight[3];  // of its corners
        double distance;   // from the eye [m]
    };
    std::optional<MeshHit> hitMesh(const QPointF& at) const;
    /// The same place in the rest pose [units].
    static Vec3 restPlace(const rig::Actor& actor, const rig::Surface& surface, const MeshHit& hit);
    /// The surface of an actor, kept while a tool needs it.
    const rig::Surface& surfaceOf(const rig::Actor& actor);
    std::optional<Hit> pickMesh(const QPointF& at) const;
    /// Painting was begun, ended or changed.
    void setPainting();
    /// A painter for the selected joint of the actor as it is now.
    void preparePaint();
    void tintPaint();
    /// Where the tint of the painted actor differs from another [px].
    QRectF differs(const Tint& tint, const Tint& other) const;
    /// Of the brush, in the world; empty off the painted actor.
    std::vector<Vec3> brushRing() const;
    QRectF brushRect() const;
    /// Finds where the brush is; false off the painted actor.
    bool aimBrush(const QPointF& at);
    bool beginStroke(QMouseEvent* e);
    void dabBrush();
    void goOnWithStroke(const QPointF& at);
    void endStroke();
    bool wheelBrush(QWheelEvent* e);
    void markBrush(std::vector<Mark>& marks) const;
    void proposeHelper(const QPointF& at);
    void widenHelper(double notches);
    static bool isBody(const rig::Actor& actor, const rig::Surface& surface, int shell);
    void proposeChain(const QPointF& at);
    void drawChain(const QPointF& at);
    void showChain(const rig::Actor& actor, std::string id, std::vector<Vec3> row, double reach);
    bool wheelChain(QWheelEvent* e);
    void markChain(std::vector<Mark>& marks) const;
    void dragPivot(const Vec3& to);
    /// Joints whose dots are near a pixel, the nearest first.
    std::vector<Hit> jointsNear(const QPointF& at) const;
    /// What a click means: another click at the same place picks the next joint beneath.
    std::optional<Hit> pickBeneath(const QPointF& at);
    /// On the nearest point of a grid of round lengths.
    Vec3 snapped(const Vec3& p) const;
    const Shown* shown(const std::string& actor) const;

    Document& m_document;
    Session& m_session;
    std::unique_ptr<Renderer> m_renderer;
    Camera m_camera;
    std::vector<Shown> m_shown;
    bool m_whole = true;                               // is to be drawn anew
    std::optional<QRectF> m_changed;                   // where it is not
    mutable std::optional<std::vector<int>> m_marked;  // until scene or selection change
    std::vector<std::string> m_framed;                 // what the camera was last laid out for
    Eigen::AlignedBox3d m_box;                         // of the first actor, where its clip begins
    double m_size = 1, m_floor = 0, m_shadowFloor = 0;
    bool m_jointsShown = true, m_tugOn = false, m_linesOnly = false, m_alone = false;
    Tug m_tug;
    Aside m_aside;
    Ways m_ways;
    PoseHand m_poseHand;
    GridHand m_gridHand;
    Follower m_follower;
    /// What the mouse is at.
    struct Mouse {
        QPointF pressed, last, clicked;
        bool moved = false, orbits = false;  // the left button turns the view, as it began on empty ground
        int clicks = 0;                      // one after the other at that place
        std::optional<Handle> grabbed;
        Vec3 grabOffset = Vec3::Zero();
        QString gesture;
    } m_mouse;
    std::optional<Hit> m_hover;
    std::shared_ptr<const Tint> m_tint;  // of the spot's actor
    struct Paint;
    std::unique_ptr<Paint> m_paint;  // while weights are painted and a joint is selected
    struct Brush {
        std::optional<Vec3> at;    // in the world [m]
        Vec3 spot = Vec3::Zero();  // and in the rest pose [units]
        bool strokes = false;      // the button is down
    } m_brush;
    Tool m_tool = Tool::None;
    struct HelperTool {
        double reach = 0.12;  // heights
        QString mesh;         // whose skin follows the helper, where an actor has several meshes
        std::optional<Helper> proposed;
    } m_helper;
    struct ChainTool {
        int joints = 4;
        double reach = 0.06;  // heights, of one that is drawn
        std::optional<Chain> proposed;
        std::vector<Vec3> drawn;                     // a line on the rest pose, while it is drawn
        std::vector<Vec3> throughPiece;              // the row through the piece that was under the mouse last
        std::pair<int, int> pieceAndJoints{-1, 0};   // which it is
        bool pieceIsBody = false, overBody = false;  // that piece is no chain but the body; the pointer is over it
    } m_chain;
    struct PivotDrag {
        Affine toRest;  // from where the dragged pivot is to the rest pose
        QString gesture;
    } m_pivot;
    struct SurfaceOf {
        std::unique_ptr<rig::Surface> surface;
        Key key;  // of the actor's picture
    } m_surface;
    /// Vertices as they were hit last: posed anew where the pose is another.
    struct Hittable {
        std::shared_ptr<const rig::Actor> actor;
        std::vector<Affine> worlds;
        pipeline::TrackPtr track;
        int frame = 0;
        std::vector<std::vector<rig::PosedVertices>> vertices;  // by instance and primitive
    };
    mutable std::map<std::string, Hittable> m_hittable;
    struct FindingSwing {
        QTimer timer;
        QElapsedTimer clock;
    } m_swing;
};

}  // namespace nutatio::app
