// Keeps unsaved work against a crash, and finds what crashed processes have left.
#pragma once

#include <QObject>
#include <QString>
#include <QStringList>
#include <QTimer>
#include <optional>

#include "app/document/newest_wins.h"
#include "scene/scene.h"

namespace nutatio::app {

/// Writes the scene within kDelayMs of its first change, off the interface's thread, and again for as long as changes go on: no
/// more than that and the time of writing is ever lost. The file has a name of its own and a lock that the system drops when the
/// process ends, however it ends.
class Keeper : public QObject {
    Q_OBJECT
  public:
    static constexpr int kDelayMs = 1500;

    explicit Keeper(QObject* parent = nullptr);
    /// Removes its own file: the process ends in order.
    ~Keeper() override;

    /// Begins to keep in `folder`; clears away what was left half written there. Without it nothing is kept.
    void start(const QString& folder);
    /// There is newer work.
    void keep(const scene::Scene& scene);
    /// Writes it at once; false when it could not be written.
    bool keepNow();
    /// Which scene file the work belongs to; empty: none yet. Stands in the lock, which outlives a crash.
    void belongsTo(const QString& path);
    /// Nothing is unsaved any more.
    void forget();
    const QString& file() const { return m_file; }

    /// Work in `folder` that a process left behind when it ended without closing, newest first.
    static QStringList leftBehind(const QString& folder);
    /// The scene file that such work belongs to, or words for one that was never saved.
    static QString nameIn(const QString& file);
    /// Removes such a file and its lock.
    static void discard(const QString& file);

  private:
    QString m_file;
    int m_lock = -1;
    std::optional<scene::Scene> m_scene;
    QTimer m_timer;
    NewestWins m_writer{NewestWins::Patience::None};
};

}  // namespace nutatio::app
