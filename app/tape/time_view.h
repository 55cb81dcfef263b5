// Which stretch of the shot the tape shows, and in what it is counted.
#pragma once

#include <QObject>
#include <algorithm>
#include <cmath>

#include "app/document/document.h"

class QWheelEvent;

namespace nutatio::app {

/// Where frames stand across a lane. Frame 0 of the shot is drawn as 1.
struct FrameScale {
    int frames = 1;
    double width = 1;
    double from = 0, to = 0;  // frames at the two ends; alike: all of them

    double x(double frame) const {
        const auto [a, b] = span();
        return b > a ? 10 + (frame - a) / (b - a) * (width - 20) : 0.5 * width;
    }
    /// Between frames.
    double at(double x) const {
        const auto [a, b] = span();
        return b > a ? a + (x - 10) / (width - 20) * (b - a) : 0;
    }
    int frame(double x) const { return within(static_cast<int>(std::lround(at(x))), 0, std::max(0, frames - 1)); }
    std::pair<double, double> span() const { return to > from ? std::pair(from, to) : std::pair(0.0, frames - 1.0); }
};

/// One for the ruler and all lanes: they zoom and pan together.
class TimeView : public QObject {
    Q_OBJECT
  public:
    explicit TimeView(Document& document, QObject* parent = nullptr);

    FrameScale scale(double width) const { return {m_document.frames(), width, m_from, m_to}; }
    /// Times closer about a frame, which stays where it is.
    void zoom(double frame, double times);
    void pan(double frames);
    void show(double from, double to);
    void showAll();
    bool showsAll() const { return !(m_to > m_from); }
    bool seconds() const { return m_seconds; }
    void setSeconds(bool on);
    /// Ctrl and the wheel zoom about the pointer, Shift and the wheel pan; `plain`: without Ctrl too. False: not taken.
    bool wheel(QWheelEvent* e, double x, double width, bool plain);

  Q_SIGNALS:
    void changed();

  private:
    Document& m_document;
    double m_from = 0, m_to = 0;
    bool m_seconds = false;
};

}  // namespace nutatio::app
