// Draws posed actors with OpenGL 3.3 core. Knows nothing of documents: it is given poses.
#pragma once

#include <QColor>
#include <QOpenGLBuffer>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions_3_3_Core>
#include <QOpenGLShaderProgram>
#include <QOpenGLTexture>
#include <QOpenGLVertexArrayObject>
#include <map>
#include <memory>
#include <set>
#include <vector>

#include "app/stage/camera.h"
#include "rig/track.h"

namespace nutatio::app {

/// Lines and dots laid over the scene, in pixels.
struct Mark {
    QPointF a, b;  // b == a: a dot
    double width;  // or a dot's diameter
    QColor colour;
};

/// How strongly each vertex is tinted, 0 to 1, by piece: instances in the actor's order, and their primitives.
using Tint = std::vector<std::vector<float>>;

/// One actor to draw: its pose's world transforms, and the track whose morphs and patches it shows.
struct Posed {
    std::string id;  // of its entry: two entries of one file have vertices of their own
    const rig::Actor* actor = nullptr;
    std::vector<Affine> worlds;
    std::shared_ptr<const rig::Track> track;
    int frame = 0;
    std::shared_ptr<const rig::Track> live;  // whose patches are shown in place of the track's, of its first frame; null: none
    std::shared_ptr<const Tint> tint;        // none: as its materials have it
    QColor ghost{};                          // of a ghost; none: plum

    /// Of the instance of that place in the actor's list; empty: the rest weights.
    std::vector<float> weights(std::size_t instance) const;
    rig::MovedVertices moved(std::size_t instance, std::size_t primitive) const;
};

class Renderer : protected QOpenGLFunctions_3_3_Core {
  public:
    Renderer();
    /// With the context it was initialised in.
    ~Renderer();
    /// With a current context.
    void initialise();

    struct Frame {
        const Camera* camera = nullptr;
        QSize size;  // in device pixels
        std::vector<const Posed*> actors;
        std::vector<const Posed*> ghosts;  // the body without layers, another take
        double floor = 0;                  // where the ground is drawn
        double shadowFloor = 0;
        double sceneSize = 1;  // sets the grid's step and the shadow's reach
        unsigned target = 0;   // framebuffer to draw to
        QRect only;            // the rest stays as it is drawn there; empty: everything
        bool coarse = false;   // drawn small: by fewer triangles
        QRect pane;            // of the target, that is drawn into [device px from the top left]; empty: all of it
    };
    void draw(const Frame& frame);
    /// Before the first of several panes: lets go of what none of them shows.
    void keepOnly(const std::set<std::string>& ids);
    void drawMarks(const std::vector<Mark>& marks, const Frame& frame, double pixelRatio);

  private:
    /// What stays the same of a primitive, for all actors that are drawn from it.
    struct Still {
        QOpenGLBuffer vertices{QOpenGLBuffer::VertexBuffer}, indices{QOpenGLBuffer::IndexBuffer};
        QOpenGLBuffer rest{QOpenGLBuffer::VertexBuffer}, influences{QOpenGLBuffer::VertexBuffer};
        int count = 0, size = 0;
        int coarse = 0;  // indices of the coarse triangles, which stand behind the others; 0: there are none
        bool textured = false;
    };
    struct Picture {
        std::vector<std::unique_ptr<Still>> pieces;  // in order of instances and their primitives
        std::vector<std::unique_ptr<QOpenGLTexture>> images;
    };
    /// The vertices of one entry's primitive, as they are posed: written by the skinning program, read by all that draw.
    struct Piece {
        std::unique_ptr<QOpenGLVertexArrayObject> array, skinned;
        QOpenGLBuffer moving{QOpenGLBuffer::VertexBuffer};
        QOpenGLBuffer bent{QOpenGLBuffer::VertexBuffer};  // made once morphs or patches move it
        QOpenGLBuffer tint{QOpenGLBuffer::VertexBuffer};  // made once it is tinted
    };
    struct Loaded {
        std::shared_ptr<Picture> picture;
        Key key;
        std::vector<std::unique_ptr<Piece>> pieces;
        std::shared_ptr<const Tint> tint;
        // What its vertices were posed by last, and the number of that posing: while somebody paints, nothing of it changes.
        std::vector<Affine> worlds;
        std::shared_ptr<const rig::Track> track, live;
        int frame = -1;
        std::uint64_t posed = 0;
        std::uint64_t drawn = 0;   // the posing that was drawn last
        std::uint64_t tinted = 0;  // the number of its tint: of two tints one may lie where the other one lay
        bool still = false;        // it was drawn so before: set dressing, for as long as that lasts
    };

    std::shared_ptr<Picture> pictureOf(const rig::Actor& actor);
    Loaded& loaded(const Posed& posed);
    void tint(const Posed& posed, Loaded& l);
    /// Poses the actor's vertices by its bones, with transform feedback.
    void skin(const Posed& posed, Loaded& l);
    void drawActor(const Posed& posed, QOpenGLShaderProgram& program, bool tinted, bool coarse);
    void drawShadowMap(const Frame& frame);
    void drawGround(const Frame& frame, const Mat4& clip);
    /// The empty stage.
    void drawBackdrop(const Frame& frame, const Mat4& clip);
    void bindClay(const Frame& frame, const Mat4& clip);
    /// Lays the stage with all that stands still on it, as a picture with depth, where that is the same as before; false: it is
    /// to be drawn.
    bool dress(const Frame& frame, const Mat4& clip);
    void drawQuad();
    /// Nothing is drawn outside, until it is given nothing.
    void confine(const QRect& only, int height);

    std::map<Key, std::weak_ptr<Picture>> m_pictures;
    std::map<std::string, Loaded> m_loaded;  // by entry
    std::unique_ptr<QOpenGLShaderProgram> m_skin, m_clay, m_ghost, m_cast, m_blur, m_ground, m_shadow, m_marks;
    std::unique_ptr<QOpenGLShaderProgram> m_plain;  // clay without a picture, where a processor draws; null: m_clay does
    /// Where shadows are cast to, and a second one to blur them over.
    struct ShadowMap {
        int size = 0;
        std::unique_ptr<QOpenGLFramebufferObject> still, cast, blur;
        std::vector<double> stillOf;  // what `still` was cast of: poses, camera, floor
    };
    ShadowMap& shadowMap(const Frame& frame);
    /// Lays the shadow of all that stands still.
    void castStill(const Frame& frame, ShadowMap& map);
    ShadowMap m_fine, m_coarse;
    std::unique_ptr<QOpenGLVertexArrayObject> m_quad, m_markArray;
    QOpenGLBuffer m_markBuffer{QOpenGLBuffer::VertexBuffer};
    unsigned m_bones = 0, m_boneTexture = 0;  // a buffer, and the texture that reads it
    rig::PosedVertices m_bent;
    std::vector<float> m_scratch;
    std::uint64_t m_poses = 0;
    struct Dressing {
        std::unique_ptr<QOpenGLFramebufferObject> picture;
        std::vector<double> of, wanted;  // what it shows; what the frame before would have wanted
    } m_dressing;
    std::vector<double> m_castOf;  // what the shadow was cast of last: poses, camera, floor
};

}  // namespace nutatio::app
