#include "app/stage/canvas.h"

#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFramebufferObject>
#include <QOpenGLFunctions>
#include <QOpenGLPaintDevice>
#include <QOpenGLWidget>
#include <QPaintEvent>
#include <QPainter>
#include <QResizeEvent>
#include <cstring>
#include <vector>

#include "app/look/theme.h"

namespace nutatio::app {

/// Lies under all that is put on the canvas, and lets the mouse through.
class Canvas::Composed : public QOpenGLWidget {
  public:
    explicit Composed(Canvas& canvas) : QOpenGLWidget(&canvas), m_canvas(canvas) {
        setAttribute(Qt::WA_TransparentForMouseEvents);
        setUpdateBehavior(PartialUpdate);
        setAttribute(Qt::WA_OpaquePaintEvent);  // whatever lies below is not painted first, frame after frame
        // Of the canvas alone: the window it is put into would be four times as dear to compose, without any edge to smooth.
        QSurfaceFormat smooth = QSurfaceFormat::defaultFormat();
        smooth.setSamples(4);
        setFormat(smooth);
        connect(this, &QOpenGLWidget::frameSwapped, &canvas, &Canvas::drawn);
    }

  protected:
    void initializeGL() override {
        m_canvas.prepare();
        m_canvas.resized();
    }
    void resizeGL(int, int) override { m_canvas.resized(); }
    void paintGL() override {
        const QRect part = m_canvas.draw();
        // Onto what is bound, and not onto the widget: while a picture is taken of the window that would be another device, which
        // is painted over.
        const double ratio = devicePixelRatioF();
        QOpenGLPaintDevice device(m_canvas.deviceSize());
        device.setDevicePixelRatio(ratio);
        QPainter p(&device);
        p.setRenderHint(QPainter::TextAntialiasing);
        if (!part.isEmpty()) p.setClipRect(QRectF(QPointF(part.topLeft()) / ratio, QSizeF(part.size()) / ratio));
        m_canvas.write(p);
    }

  private:
    Canvas& m_canvas;
};

class Canvas::ReadBack {
  public:
    explicit ReadBack(Canvas& canvas) : m_canvas(canvas) {}

    ~ReadBack() {
        if (!enter()) return;
        m_target.reset();
        leave();
    }

    bool enter() { return m_context && m_context->makeCurrent(m_surface.get()); }
    void leave() { m_context->doneCurrent(); }
    unsigned target() const { return m_target ? m_target->handle() : 0; }

    /// Fills the picture with what is drawn anew.
    void drawNow() {
        m_stale = false;
        const QSize size = m_canvas.deviceSize();
        if (size.isEmpty()) return;
        const bool first = !m_context;
        if (first) {
            m_surface = std::make_unique<QOffscreenSurface>();
            m_surface->create();
            m_context = std::make_unique<QOpenGLContext>();
            m_context->create();
        }
        if (!enter()) return;
        if (first) m_canvas.prepare();
        if (!m_target || m_target->size() != size) {
            QOpenGLFramebufferObjectFormat format;
            format.setAttachment(QOpenGLFramebufferObject::CombinedDepthStencil);
            format.setInternalTextureFormat(GL_RGBA8);
            m_target = std::make_unique<QOpenGLFramebufferObject>(size, format);
            m_picture = QImage(size, QImage::Format_RGB32);
            m_canvas.resized();
        }
        m_target->bind();
        m_context->functions()->glViewport(0, 0, size.width(), size.height());
        QRect part = m_canvas.draw();
        if (part.isEmpty()) part = QRect(QPoint(), size);
        read(part);
        leave();
        const double ratio = m_canvas.devicePixelRatioF();
        m_picture.setDevicePixelRatio(ratio);
        QPainter p(&m_picture);
        p.setRenderHint(QPainter::TextAntialiasing);
        p.setClipRect(QRectF(QPointF(part.topLeft()) / ratio, QSizeF(part.size()) / ratio));
        m_canvas.write(p);
    }
    void outdate() { m_stale = true; }
    bool isStale() const { return m_stale || m_picture.size() != m_canvas.deviceSize(); }
    const QImage& picture() const { return m_picture; }

  private:
    /// Rows of OpenGL begin at the bottom.
    void read(const QRect& part) {
        constexpr GLenum kBgra = 0x80E1, kLikeRgb32 = 0x8367;  // GL_BGRA, GL_UNSIGNED_INT_8_8_8_8_REV
        m_target->bind();
        const int wide = part.width(), high = part.height(), from = m_picture.height() - part.bottom() - 1;
        m_rows.resize(static_cast<std::size_t>(wide) * static_cast<std::size_t>(high));
        m_context->functions()->glReadPixels(part.left(), from, wide, high, kBgra, kLikeRgb32, m_rows.data());
        for (int y = 0; y < high; ++y)
            std::memcpy(m_picture.scanLine(part.bottom() - y) + 4 * part.left(),
                        m_rows.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(wide),
                        4 * static_cast<std::size_t>(wide));
    }

    Canvas& m_canvas;
    std::unique_ptr<QOffscreenSurface> m_surface;
    std::unique_ptr<QOpenGLContext> m_context;
    std::unique_ptr<QOpenGLFramebufferObject> m_target;
    QImage m_picture;
    std::vector<std::uint32_t> m_rows;
    bool m_stale = true;
};

Canvas::Canvas(QWidget* parent) : QWidget(parent) {
    if (look::drawsCheaply()) {
        setAttribute(Qt::WA_OpaquePaintEvent);
        m_readBack = std::make_unique<ReadBack>(*this);
        return;
    }
    m_composed = new Composed(*this);
}

Canvas::~Canvas() = default;

void Canvas::redraw() {
    if (m_composed) return m_composed->update();
    m_readBack->outdate();
    update();
}

void Canvas::redraw(const QRectF& part) {
    if (m_composed) return m_composed->update();
    m_readBack->outdate();
    update(part.toAlignedRect());
}

QImage Canvas::picture() {
    if (m_composed) return m_composed->grabFramebuffer();
    m_readBack->drawNow();
    return m_readBack->picture();
}

QSize Canvas::deviceSize() const {
    const double ratio = devicePixelRatioF();
    return {static_cast<int>(width() * ratio), static_cast<int>(height() * ratio)};
}

unsigned Canvas::target() const {
    return m_composed ? m_composed->defaultFramebufferObject() : m_readBack->target();
}

bool Canvas::enter() {
    if (m_readBack) return m_readBack->enter();
    m_composed->makeCurrent();
    return m_composed->context() != nullptr;
}

void Canvas::leave() {
    if (m_readBack) return m_readBack->leave();
    m_composed->doneCurrent();
}

void Canvas::paintEvent(QPaintEvent* e) {
    if (!m_readBack) return;
    if (m_readBack->isStale()) m_readBack->drawNow();
    QPainter p(this);
    p.setClipRegion(e->region());
    p.drawImage(QPointF(), m_readBack->picture());
    // Told when the window is on the screen, which follows.
    QMetaObject::invokeMethod(this, &Canvas::drawn, Qt::QueuedConnection);
}

void Canvas::resizeEvent(QResizeEvent* /*e*/) {
    if (m_composed) m_composed->resize(size());
}

}  // namespace nutatio::app
