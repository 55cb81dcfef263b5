// Keys under the mouse: choosing, dragging, boxing and shaping them, wherever curves are drawn.
#pragma once

#include <QPointF>
#include <optional>

#include "app/document/session.h"
#include "app/tape/key_selection.h"
#include "app/tape/time_view.h"

class QKeyEvent;
class QMouseEvent;
class QPainter;
class QWidget;

namespace nutatio::app {

/// A setting whose keys are drawn.
struct Keyed {
    scene::Owner owner;
    std::string setting;
    bool operator==(const Keyed&) const = default;
};

/// Where curves are drawn: how frames and values lie on it. Pixels are the widget's.
class KeyGround {
  public:
    virtual ~KeyGround() = default;
    virtual FrameScale frames() const = 0;
    /// Where the frames' scale begins.
    virtual double left() const = 0;
    virtual double yOf(const Keyed& of, double value) const = 0;
    virtual double valueAt(const Keyed& of, double y) const = 0;
    /// How many pixels up a value higher by 1 is.
    virtual double pixels(const Keyed& of) const = 0;
    /// What can be edited here.
    virtual std::vector<Keyed> editable() const = 0;
    /// The curve that a double click at a point sets a key on.
    virtual std::optional<Keyed> curveUnder(const QPointF& p) const = 0;
};

/// Click: a key; with Ctrl or Shift one more. Drag a key: all that are selected, along the way that the hand takes first; Shift:
/// finer. Drag beside keys: a box. Double click on a curve: a key there. Drag the ends of a free key's slopes; Alt: one side
/// alone.
class KeyHand {
  public:
    KeyHand(Document& document, Session& session, KeySelection& keys, KeyGround& ground, QWidget& widget);

    /// False: the event is none of keys.
    void press(QMouseEvent* e);
    void move(QMouseEvent* e);
    void release(QMouseEvent* e);
    void doubleClick(QMouseEvent* e);
    bool key(QKeyEvent* e);
    /// Whether keys that the window uses for other things are for what is selected here.
    bool wants(const QKeyEvent* e) const;
    /// While keys are in the hand, the ground is to stand still.
    bool holds() const { return m_drag == Drag::Keys || m_drag == Drag::Slope; }

    std::optional<edit::KeyOf> under(const QPointF& p) const;
    std::vector<edit::KeyOf> in(const QRectF& box) const;
    QPointF point(const edit::KeyOf& key) const;
    QPointF slopePoint(const edit::KeyOf& key, bool after) const;
    /// The keys of a curve, with the slopes of those that are selected and free.
    void paint(QPainter& p, const Keyed& of) const;
    void paintBox(QPainter& p) const;

  private:
    enum class Drag { None, Keys, Box, Slope };
    const scene::KeyAt* find(const edit::KeyOf& key) const;
    std::optional<std::pair<edit::KeyOf, bool>> slopeUnder(const QPointF& p) const;
    void dragKeys(QMouseEvent* e);
    void dragSlope(const QPointF& p, bool alone);

    Document& m_document;
    Session& m_session;
    KeySelection& m_keys;
    KeyGround& m_ground;
    QWidget& m_widget;
    Drag m_drag = Drag::None;
    QPointF m_pressed, m_now;
    QString m_gesture;
    std::vector<edit::KeyOf> m_taken;  // keys of the drag, as they were
    std::optional<edit::KeyOf> m_grabbed;
    std::optional<bool> m_across;  // whether the hand goes sideways
    bool m_after = false, m_adds = false;
};

}  // namespace nutatio::app
