#include "app/document/newest_wins.h"

#include <QMetaObject>

namespace nutatio::app {

NewestWins::NewestWins(QObject* parent) : QObject(parent) {
    m_sinceDelivered.start();
    m_thread = std::thread([this] { work(); });
}

NewestWins::~NewestWins() {
    {
        const std::lock_guard guard(m_lock);
        m_quit = true;
        m_waiting.reset();
        m_running.ask();
    }
    m_wake.notify_all();
    m_thread.join();
}

void NewestWins::ask(Job job) {
    constexpr int kPatienceMs = 150;
    {
        const std::lock_guard guard(m_lock);
        m_waiting = std::move(job);
        if (m_works && m_sinceDelivered.elapsed() < kPatienceMs) m_running.ask();
    }
    m_wake.notify_all();
}

void NewestWins::stop() {
    const std::lock_guard guard(m_lock);
    m_waiting.reset();
    m_running.ask();
}

bool NewestWins::busy() const {
    const std::lock_guard guard(m_lock);
    return m_works || m_waiting.has_value();
}

void NewestWins::work() {
    for (;;) {
        Job job;
        Cancel cancel;
        {
            std::unique_lock guard(m_lock);
            m_wake.wait(guard, [this] { return m_quit || m_waiting.has_value(); });
            if (m_quit) return;
            job = std::move(*m_waiting);
            m_waiting.reset();
            m_running = cancel;
            m_works = true;
        }
        QMetaObject::invokeMethod(
            this, [this] { Q_EMIT busyChanged(true); }, Qt::QueuedConnection);
        Deliver deliver;
        try {
            deliver = job(cancel);
        } catch (const Cancelled&) {
        }
        {
            const std::lock_guard guard(m_lock);
            m_works = false;
        }
        QMetaObject::invokeMethod(
            this,
            [this, deliver = std::move(deliver)] {
                if (deliver) {
                    m_sinceDelivered.restart();
                    deliver();
                }
                if (!busy()) Q_EMIT busyChanged(false);
            },
            Qt::QueuedConnection);
    }
}

}  // namespace nutatio::app
