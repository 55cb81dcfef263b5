// The Scope: how the selected layer answers a push, measured by running it; and how it moves in the shot. The answer can be
// dragged: the settings follow.
#pragma once

#include <QToolButton>
#include <QWidget>
#include <optional>

#include "app/document/document.h"
#include "app/document/session.h"
#include "measure/in_shot.h"
#include "measure/response.h"
#include "measure/tune.h"

namespace nutatio::app {

class Scope : public QWidget {
    Q_OBJECT
  public:
    Scope(Document& document, Session& session, QWidget* parent = nullptr);
    const std::optional<measure::Response>& response() const { return m_response; }
    const std::optional<measure::Response>& takeResponse() const { return m_take; }
    const measure::InShot& inShot() const { return m_inShot; }
    /// The figures in words, as shown under the plot.
    QString words() const;
    /// What the last drag changed, in words.
    const QString& changedWords() const { return m_changed; }
    enum class Face { Push, Shot };
    Face face() const { return m_face; }
    void setFace(Face face);
    /// Where the handles stand; for tests and pictures.
    std::optional<QPointF> peakHandle() const;
    std::optional<QPointF> restHandle() const;
    bool dragging() const { return m_drag != Drag::None; }

  Q_SIGNALS:
    void measured();

  protected:
    QSize sizeHint() const override { return {280, 168}; }
    void paintNote(QPainter& p, const QString& text) const;
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    void leaveEvent(QEvent*) override;

  private:
    enum class Drag { None, Peak, Rest };
    /// What the plot shows: frames across, degrees or millimetres up.
    struct Axes {
        QRectF plot;
        double frames = 24, low = -1, high = 1;
        double x(double frame) const { return plot.left() + frame / frames * plot.width(); }
        double y(double v) const { return plot.bottom() - (v - low) / (high - low) * plot.height(); }
        double frameAt(double px) const { return (px - plot.left()) / plot.width() * frames; }
        double valueAt(double py) const { return low + (plot.bottom() - py) / plot.height() * (high - low); }
    };
    Drag handleAt(const QPointF& at) const;
    QRectF plotRect() const;
    Axes pushAxes() const;
    /// The joint last selected, when it is this actor's: the one whose answer is wanted, if the layer moves it.
    /// The layer as its keys have it at the frame on show.
    int watched(const scene::ActorEntry& entry) const;
    double push() const;
    double sagShown(const measure::Response& r) const;
    void measure();
    void measureTake();
    void lookAtShot();
    void show(Face face);
    void follow(const QPointF& at);
    void paintGrid(QPainter& p, const Axes& a) const;
    void paintPush(QPainter& p) const;
    void paintAnswer(QPainter& p, const Axes& a, const measure::Response& r, const QColor& c, double width) const;
    void paintShot(QPainter& p) const;
    void paintFigures(QPainter& p) const;
    QString pushWords() const;
    QString shotWords() const;

    Document& m_document;
    Session& m_session;
    QToolButton *m_pushFace, *m_shotFace;
    Face m_face = Face::Push;
    Face m_chosen = Face::Push;  // by a person; what has no springs shows the other one
    std::optional<measure::Response> m_response, m_take;
    measure::InShot m_inShot;
    std::vector<layers::Figure> m_figures;  // that the layer tells of itself
    QString m_figuresTell;
    QString m_asked;  // what a kind says of what was asked and what came of it
    double m_fps = 24, m_mmPerUnit = 1000, m_height = 1;
    std::string m_layer;
    Drag m_drag = Drag::None, m_near = Drag::None;
    Axes m_held;  // the plot keeps its scale while it is dragged
    QString m_gesture, m_changed, m_watched;
    QPointF m_pressed;
    bool m_upDown = false, m_sideways = false;  // which ways the peak has been pulled so far
    bool m_ownEdit = false;                     // the change that is heard of is the drag's own
    measure::Wanted m_wanted;
    NewestWins m_runner, m_takeRunner, m_tuning;
};

}  // namespace nutatio::app
