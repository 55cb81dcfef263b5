#include "app/document/playback.h"

namespace nutatio::app {

Playback::Playback(Document& document) : m_document(document) {
    m_clock.setTimerType(Qt::PreciseTimer);
    m_clock.setInterval(5);
    connect(&m_clock, &QTimer::timeout, this, &Playback::tick);
}

void Playback::setFrame(int frame) {
    frame = within(frame, 0, m_document.frames() - 1);
    m_from = frame;
    m_since.restart();
    if (frame == m_frame) return;
    m_frame = frame;
    Q_EMIT frameChanged(frame);
}

void Playback::setPlaying(bool on) {
    if (on == isPlaying()) return;
    if (on) {
        if (m_range && (m_frame < m_range->first || m_frame >= m_range->second)) setFrame(m_range->first);
        if (!m_loops && m_frame >= m_document.frames() - 1) setFrame(m_range ? m_range->first : 0);
        m_from = m_frame;
        m_since.start();
        m_clock.start();
    } else {
        m_clock.stop();
    }
    Q_EMIT playingChanged(on);
}

void Playback::setLoops(bool on) {
    m_loops = on;
    Q_EMIT changed();
}

void Playback::tick() {
    // The clip's clock decides which frame shows: a slow drawing drops frames, it does not slow the motion.
    const int frames = m_document.frames(), first = m_range ? m_range->first : 0, last = m_range ? m_range->second : frames - 1;
    int frame =
        m_from + static_cast<int>(static_cast<double>(m_since.nsecsElapsed()) * 1e-9 * m_speed * m_document.scene().shot().fps);
    // A loop's last frame is its first one again, so the turn-round skips it.
    const int turns = m_loops && !m_range ? last : last + 1;
    if (frame >= turns) {
        if (!m_loops) {
            setFrame(last);
            setPlaying(false);
            return;
        }
        frame = turns > first ? first + (frame - first) % (turns - first) : first;
    }
    if (frame == m_frame) return;
    m_frame = frame;
    Q_EMIT frameChanged(frame);
}

void Playback::setRange(std::optional<std::pair<int, int>> range) {
    const int last = m_document.frames() - 1;
    if (range) {
        if (range->first > range->second) std::swap(range->first, range->second);
        range->first = within(range->first, 0, last);
        range->second = within(range->second, 0, last);
        if (range->second - range->first < 1 || (range->first == 0 && range->second == last)) range.reset();
    }
    if (range == m_range) return;
    m_range = range;
    if (m_range && isPlaying()) setFrame(within(m_frame, m_range->first, m_range->second));
    Q_EMIT changed();
}

void Playback::setSpeed(double speed) {
    m_speed = speed;
    m_from = m_frame;
    m_since.restart();
    Q_EMIT changed();
}

void Playback::keepWithin() {
    if (m_frame >= m_document.frames()) setFrame(m_document.frames() - 1);
    if (m_range) setRange(m_range);
}

}  // namespace nutatio::app
