#include "app/document/newest_wins.h"

#include <QCoreApplication>
#include <QMetaObject>

namespace nutatio::app {

NewestWins::NewestWins(Patience patience, QObject* parent) : QObject(parent), m_patience(patience) {
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
        ++m_asked;
        if (m_patience == Patience::None) m_oldest = m_asked;
        if (m_works && (m_patience == Patience::None || m_sinceDelivered.elapsed() < kPatienceMs)) m_running.ask();
    }
    m_wake.notify_all();
}

void NewestWins::stop() {
    const std::lock_guard guard(m_lock);
    m_waiting.reset();
    m_running.ask();
    m_oldest = m_asked + 1;
}

bool NewestWins::busy() const {
    const std::lock_guard guard(m_lock);
    return m_works || m_waiting.has_value();
}

void NewestWins::finish() {
    {
        std::unique_lock guard(m_lock);
        m_idle.wait(guard, [this] { return !m_owes && !m_waiting; });
    }
    QCoreApplication::sendPostedEvents(this, QEvent::MetaCall);
}

void NewestWins::work() {
    for (;;) {
        Job job;
        Cancel cancel;
        std::uint64_t number = 0;
        {
            std::unique_lock guard(m_lock);
            m_wake.wait(guard, [this] { return m_quit || m_waiting.has_value(); });
            if (m_quit) return;
            job = std::move(*m_waiting);
            m_waiting.reset();
            m_running = cancel;
            m_works = m_owes = true;
            number = m_asked;
        }
        QMetaObject::invokeMethod(
            this, [this] { Q_EMIT busyChanged(true); }, Qt::QueuedConnection);
        Deliver deliver;
        QString sentence;
        try {
            deliver = job(cancel);
        } catch (const Cancelled&) {
        } catch (const std::exception& e) {
            sentence = QString::fromUtf8(e.what());
        } catch (...) {
            sentence = tr("Something went wrong that has no words.");
        }
        {
            const std::lock_guard guard(m_lock);
            m_works = false;
        }
        QMetaObject::invokeMethod(
            this,
            [this, number, sentence, deliver = std::move(deliver)] {
                const bool wanted = [&] {
                    const std::lock_guard guard(m_lock);
                    return number >= m_oldest;
                }();
                if (deliver && wanted) {
                    m_sinceDelivered.restart();
                    deliver();
                }
                if (!sentence.isEmpty() && wanted) Q_EMIT failed(sentence);
                if (!busy()) Q_EMIT busyChanged(false);
            },
            Qt::QueuedConnection);
        {
            const std::lock_guard guard(m_lock);
            m_owes = false;
        }
        m_idle.notify_all();
    }
}

}  // namespace nutatio::app
