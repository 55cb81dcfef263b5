// One layer on the tape: its toggles and mix on the left, its traces and intervals on the right.
#pragma once

#include <QLabel>
#include <QToolButton>
#include <QWidget>

#include "app/document/session.h"
#include "app/tape/time_view.h"
#include "app/widgets/held_frame.h"
#include "app/widgets/slider.h"

namespace nutatio::app {

inline constexpr int kStackWidth = 300;

/// Which of its kind's sorts a layer is, as "limp" of an act; empty where the kind has none.
QString sortOf(const scene::Layer& layer);
/// A layer as it is called on show: its sort before its name.
QString calledOf(const scene::Layer& layer);

/// Drag its head up or down: its place in the stack. Drag its lower edge: its height. Drag an interval's edges, its eases' ends
/// or all of it. Elsewhere: the play-head.
class Lane : public QWidget {
    Q_OBJECT
  public:
    static constexpr int kHeight = 38, kLeast = 30, kMost = 240, kSplit = 96;
    Lane(Document& document, Session& session, TimeView& view, std::string layer, QWidget* parent = nullptr);
    const std::string& layer() const { return m_layer; }
    void refresh();
    void setTall(int height) { setFixedHeight(within(height, kLeast, kMost)); }
    QToolButton* opener() const { return m_open; }
    /// Handles of an interval, from left to right: its beginning, the end of its ease in, the beginning of its ease out, its end.
    QPointF intervalPoint(std::size_t which, int handle) const;

  Q_SIGNALS:
    void menuWanted(const QPoint& global);
    void opened(bool on);
    /// Its head is dragged to a height of the tape's rows, and let go of there.
    void carried(int y, bool done);

  protected:
    void contextMenuEvent(QContextMenuEvent* e) override;
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    void wheelEvent(QWheelEvent* e) override;
    void resizeEvent(QResizeEvent*) override;

  private:
    enum class Drag { None, Head, Frame, Height, Edge };
    struct Grip {
        int interval = -1;
        int handle = -1;  // 0..3 from left to right; 4: all of it
    };
    FrameScale scale() const { return m_view.scale(width() - kStackWidth); }
    const std::vector<scene::Interval>& intervals() const;
    Grip gripUnder(const QPointF& p) const;
    void dragInterval(double frame);
    void paintTraces(QPainter& p, const FrameScale& s);
    void paintSpans(QPainter& p, const FrameScale& s, const std::vector<layers::LaneSpan>& spans);
    void paintTrace(QPainter& p, const FrameScale& s, const std::vector<float>& body, const std::vector<float>& added,
                    double larger, double top, double bottom);
    void paintSort(QPainter& p, const QRectF& room, const QString& sort, double from, double to);
    void paintIntervals(QPainter& p, const FrameScale& s);

    Document& m_document;
    Session& m_session;
    TimeView& m_view;
    std::string m_layer;
    HeldFrame m_held;
    QString m_glyphShown;
    QWidget* m_left;
    QToolButton *m_open, *m_mute, *m_solo;
    QLabel *m_glyph, *m_name;
    Slider* m_mix;
    QLabel* m_mixText;
    Drag m_drag = Drag::None;
    Grip m_grip;
    scene::Interval m_was;
    QString m_gesture;
    QPointF m_pressed;
    double m_pressedFrame = 0;
    int m_tall = kHeight;
};

}  // namespace nutatio::app
