// One thread that does the newest piece of work asked of it.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <condition_variable>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

#include "base/cancel.h"

namespace nutatio::app {

/// Runs jobs off the interface's thread. A job returns what is to be done on the interface's thread with its result. A newer job
/// takes the place of a waiting one and cancels a running one; nothing is delivered after that or after `stop`, except that with
/// `Patience::LetsThrough` a steady stream of jobs still lets a result through now and then, so that a slow scene shows something
/// while a slider moves. Whatever else a job throws is said by `failed`; the thread goes on.
class NewestWins : public QObject {
    Q_OBJECT
  public:
    using Deliver = std::function<void()>;
    using Job = std::function<Deliver(const Cancel&)>;
    enum class Patience { None, LetsThrough };

    explicit NewestWins(Patience patience = Patience::LetsThrough, QObject* parent = nullptr);
    ~NewestWins() override;

    void ask(Job job);
    /// Cancels what runs and forgets what waits.
    void stop();
    bool busy() const;
    /// Waits for what was asked last and delivers it at once.
    void finish();

  Q_SIGNALS:
    void busyChanged(bool busy);
    /// A job ended in an exception: its words.
    void failed(const QString& sentence);

  private:
    void work();

    const Patience m_patience;
    mutable std::mutex m_lock;
    std::condition_variable m_wake, m_idle;
    std::optional<Job> m_waiting;
    Cancel m_running;
    bool m_works = false, m_quit = false, m_owes = false;  // owes: its result is not yet on its way
    std::uint64_t m_asked = 0, m_oldest = 0;               // number of the newest job; the oldest one that may still be delivered
    QElapsedTimer m_sinceDelivered;                        // interface's thread only
    std::thread m_thread;
};

}  // namespace nutatio::app
