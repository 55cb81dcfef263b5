// The ruler: numbers, ready frames, cuts, marks, the range that plays, and a handle for the play-head.
#pragma once

#include <QLineEdit>
#include <QWidget>

#include "app/document/session.h"
#include "app/tape/time_view.h"

namespace nutatio::app {

/// Drag: the play-head. Shift and drag, or the ends of its band: the range that plays. Wheel: closer; double click: all of it.
class Ruler : public QWidget {
    Q_OBJECT
  public:
    Ruler(Document& document, Session& session, TimeView& view, QWidget* parent = nullptr);
    FrameScale scale() const { return m_view.scale(width()); }
    /// Asks for the name of a mark at a frame, in place.
    void askForMark(int frame);
    QLineEdit* markField() const { return m_name; }

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
    bool event(QEvent* e) override;

  private:
    enum class Drag { None, Head, Range, From, To, Pan };
    Drag under(const QPointF& p) const;
    void finishMark();
    void paintSeals(QPainter& p, const FrameScale& s) const;
    void paintSeam(QPainter& p, const FrameScale& scale) const;
    Document& m_document;
    Session& m_session;
    TimeView& m_view;
    QLineEdit* m_name;
    Drag m_drag = Drag::None;
    double m_pressed = 0, m_last = 0;  // frames
    int m_marked = 0;
};

}  // namespace nutatio::app
