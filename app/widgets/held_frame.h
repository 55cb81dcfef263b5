// The frame that a drag began at.
#pragma once

#include <QString>

namespace nutatio::app {

/// While the shot plays on, a drag still sets the key that it began with: one gesture, one frame.
class HeldFrame {
  public:
    int frame(const QString& gesture, int now) {
        if (gesture.isEmpty() || gesture != m_gesture) {
            m_gesture = gesture;
            m_frame = now;
        }
        return m_frame;
    }

  private:
    QString m_gesture;
    int m_frame = 0;
};

}  // namespace nutatio::app
