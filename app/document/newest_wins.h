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
/// takes the place of a waiting one and cancels a running one, except that a steady stream of jobs still lets a result through
/// now and then, so that a slow scene shows something while a slider moves.
class NewestWins : public QObject {
    Q_OBJECT
  public:
    using Deliver = std::function<void()>;
    using Job = std::function<Deliver(const Cancel&)>;

    explicit NewestWins(QObject* parent = nullptr);
    ~NewestWins() override;

    void ask(Job job);
    /// Cancels what runs and forgets what waits.
    void stop();
    bool busy() const;

  Q_SIGNALS:
    void busyChanged(bool busy);

  private:
    void work();

    mutable std::mutex m_lock;
    std::condition_variable m_wake;
    std::optional<Job> m_waiting;
    Cancel m_running;
    bool m_works = false, m_quit = false;
    QElapsedTimer m_sinceDelivered;  // interface's thread only
    std::thread m_thread;
};

}  // namespace nutatio::app
