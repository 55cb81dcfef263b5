// Which frame is on show, and the clock that moves it on while the shot plays.
#pragma once

#include <QElapsedTimer>
#include <QTimer>
#include <optional>
#include <utility>

#include "app/document/document.h"

namespace nutatio::app {

class Playback : public QObject {
    Q_OBJECT
  public:
    explicit Playback(Document& document);

    int frame() const { return m_frame; }  // from 0
    void setFrame(int frame);
    bool isPlaying() const { return m_clock.isActive(); }
    void setPlaying(bool on);
    bool loops() const { return m_loops; }
    void setLoops(bool on);
    /// The frames that play, both included; nothing: all of them.
    const std::optional<std::pair<int, int>>& range() const { return m_range; }
    void setRange(std::optional<std::pair<int, int>> range);
    /// Of its own speed: 1, or a share to look closely.
    double speed() const { return m_speed; }
    void setSpeed(double speed);
    /// After the shot became shorter.
    void keepWithin();

  Q_SIGNALS:
    void frameChanged(int frame);
    void playingChanged(bool playing);
    void changed();

  private:
    void tick();

    Document& m_document;
    int m_frame = 0, m_from = 0;  // on show; on show when the clock began
    std::optional<std::pair<int, int>> m_range;
    double m_speed = 1;
    bool m_loops = true;
    QTimer m_clock;
    QElapsedTimer m_since;
};

}  // namespace nutatio::app
