// Several curves over the shot, each filling the height or in panes by unit; keys of settings are edited on them.
#pragma once

#include <QColor>
#include <QString>
#include <QWidget>
#include <vector>

#include "app/tape/key_hand.h"

namespace nutatio::app {

/// One curve: a value a frame, or the keys of a setting.
struct PlotCurve {
    QString name, unit;
    QColor colour;
    Qt::PenStyle style = Qt::SolidLine;
    std::vector<double> values;  // empty where `keyed` says what it is
    std::optional<Keyed> keyed;
    bool peaks = false;  // are marked on it
};

class CurvePlot : public QWidget, private KeyGround {
    Q_OBJECT
  public:
    CurvePlot(Document& document, Session& session, TimeView& view, KeySelection& keys, QWidget* parent = nullptr);
    void setCurves(std::vector<PlotCurve> curves);
    /// Each curve over the whole height, from its least to its most; else in panes by unit.
    void setEach(bool each);
    QPointF keyPoint(const edit::KeyOf& key) const { return m_hand.point(key); }

  Q_SIGNALS:
    void menuWanted(const QPoint& global);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    void mouseDoubleClickEvent(QMouseEvent* e) override;
    void wheelEvent(QWheelEvent* e) override;
    void contextMenuEvent(QContextMenuEvent* e) override;
    void keyPressEvent(QKeyEvent* e) override;
    bool event(QEvent* e) override;

  private:
    struct Pane {
        QString unit;
        QRectF box;
        scene::Range range;
    };
    FrameScale frames() const override { return m_view.scale(width() - left()); }
    double left() const override { return 56; }
    double yOf(const Keyed& of, double value) const override;
    double valueAt(const Keyed& of, double y) const override;
    double pixels(const Keyed& of) const override;
    std::vector<Keyed> editable() const override;
    std::optional<Keyed> curveUnder(const QPointF& p) const override;
    void layOut();
    scene::Range rangeOf(const PlotCurve& curve) const;
    double valueOf(const PlotCurve& curve, double frame) const;
    /// The pane that a curve is drawn in, with its own range where each fills the height.
    Pane paneOf(const PlotCurve& curve) const;
    Pane paneOf(const Keyed& of) const;
    double y(const Pane& pane, double value) const;
    void paintPane(QPainter& p, const Pane& pane) const;
    void paintCurve(QPainter& p, const PlotCurve& curve) const;

    Document& m_document;
    Session& m_session;
    TimeView& m_view;
    std::vector<PlotCurve> m_curves;
    std::vector<Pane> m_panes;
    std::vector<scene::Range> m_own;  // by curve
    bool m_each = false;
    KeyHand m_hand;
};

}  // namespace nutatio::app
