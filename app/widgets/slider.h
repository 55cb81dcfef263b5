// A slider with a soft range: what most people want lies on it, more can be typed.
#pragma once

#include <QWidget>

#include "scene/setting.h"

namespace nutatio::app {

class Slider : public QWidget {
    Q_OBJECT
  public:
    explicit Slider(QWidget* parent = nullptr);
    void setRange(const scene::Range& soft, bool curved);
    /// Lower, for a row whose words stand above it.
    void setSlim(bool slim);
    /// Changes the value by so many pixels of the slider's way, as a drag on a number does; the same gesture goes on.
    void nudge(double pixels, const QString& gesture);
    static QString newGesture();
    void setValue(double v);
    double value() const { return m_value; }
    /// Pixel of the knob for a value; for tests.
    QPoint knob(double v) const;

  Q_SIGNALS:
    /// A drag begins.
    void grabbed(const QString& gesture);
    /// `gesture` is the same for all values of one drag.
    void dragged(double value, const QString& gesture);

  protected:
    QSize sizeHint() const override { return {120, m_slim ? 13 : 18}; }
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent* e) override;
    void mouseMoveEvent(QMouseEvent* e) override;
    void mouseReleaseEvent(QMouseEvent* e) override;
    bool event(QEvent* e) override;
    void keyPressEvent(QKeyEvent* e) override;

  private:
    double shareOf(double v) const;
    double valueAt(double share) const;
    void follow(double x, bool fine);

    scene::Range m_soft;
    bool m_curved = false, m_grabbed = false, m_slim = false;
    double m_at = 0, m_last = 0;  // where the drag has come to, and the pointer [px]
    double m_value = 0;
    QString m_gesture;
};

}  // namespace nutatio::app
