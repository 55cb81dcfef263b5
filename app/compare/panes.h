// Several scenes in motion, side by side or over each other, in step and through one camera.
#pragma once

#include <memory>
#include <vector>

#include "app/document/session.h"
#include "app/stage/canvas.h"
#include "app/stage/posing.h"
#include "app/stage/renderer.h"

namespace nutatio::app {

class Stage;

class Panes : public Canvas {
    Q_OBJECT
  public:
    /// The camera is the stage's.
    Panes(Session& session, Stage& stage, QWidget* parent = nullptr);
    ~Panes() override;

    struct Pane {
        QString title, detail;  // what it is called, and what is otherwise in it
        QString figures;        // at its foot
        QColor colour;          // of its title, and of its ghost
        std::shared_ptr<const scene::Scene> scene;
        std::shared_ptr<const pipeline::Evaluation> evaluation;  // null: not there yet
        bool bareBody = false;
        bool chosen = false;
    };
    void show(std::vector<Pane> panes, int columns, bool over);
    const std::vector<Pane>& panes() const { return m_panes; }
    /// Of a pane, in the widget; of the only one where all lie over each other.
    QRectF cell(std::size_t pane) const;
    /// How many times it was drawn.
    int timesDrawn() const { return m_drawn; }

  Q_SIGNALS:
    void picked(int pane);

  protected:
    void prepare() override;
    QRect draw() override;
    void write(QPainter& p) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    void wheelEvent(QWheelEvent* e) override;
    void leaveEvent(QEvent*) override;

  private:
    int paneAt(const QPointF& at) const;
    void poseAll();
    void drawModels(const QSize& size, double ratio);

    Session& m_session;
    Stage& m_stage;
    std::unique_ptr<Renderer> m_renderer;
    std::vector<Pane> m_panes;
    std::vector<std::vector<Posed>> m_posed;  // by pane
    int m_columns = 1, m_drawn = 0, m_hovered = -1;
    bool m_over = false;
    Follower m_follower;
    QPointF m_pressed, m_last;
    bool m_moved = false;
};

}  // namespace nutatio::app
