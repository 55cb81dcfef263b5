#include "app/document/keeper.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <QDir>
#include <QFileInfo>
#include <QThread>
#include <QUuid>

#include "files/scene_file.h"

namespace nutatio::app {

namespace {

QString lockOf(const QString& file) {
    return file + QStringLiteral(".lock");
}

/// A locked file that ends with this process; -1 when somebody holds it.
int lock(const QString& path) {
    const int fd = ::open(path.toLocal8Bit().constData(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
    if (fd >= 0 && flock(fd, LOCK_EX | LOCK_NB) == 0) return fd;
    if (fd >= 0) ::close(fd);
    return -1;
}

}  // namespace

Keeper::Keeper(QObject* parent) : QObject(parent) {
    m_timer.setSingleShot(true);
    m_timer.setInterval(kDelayMs);
    connect(&m_timer, &QTimer::timeout, this, [this] {
        if (!m_scene || m_file.isEmpty()) return;
        m_writer.ask([scene = *m_scene, file = m_file.toStdString()](const Cancel&) -> NewestWins::Deliver {
            // The kept file lies elsewhere than the actors: writeScene's relative references still lead to them.
            (void)files::writeScene(scene, file);
            return {};
        });
    });
}

Keeper::~Keeper() {
    forget();
    if (m_lock < 0) return;
    QFile::remove(lockOf(m_file));
    ::close(m_lock);
}

void Keeper::start(const QString& folder) {
    QDir().mkpath(folder);
    // Locks of processes that ended with nothing unsaved.
    for (const QFileInfo& f : QDir(folder).entryInfoList({QStringLiteral("unsaved-*.lock")}, QDir::Files))
        if (const int fd = QFileInfo::exists(f.filePath().chopped(5)) ? -1 : lock(f.filePath()); fd >= 0) {
            QFile::remove(f.filePath());
            ::close(fd);
        }
    m_file = folder + QStringLiteral("/unsaved-%1.nutatio").arg(QUuid::createUuid().toString(QUuid::WithoutBraces));
    m_lock = lock(lockOf(m_file));
}

void Keeper::keep(const scene::Scene& scene) {
    if (m_file.isEmpty()) return;
    m_scene = scene;
    // Not started anew by each change: a stream of edits must not put the keeping off for ever.
    if (!m_timer.isActive()) m_timer.start();
}

bool Keeper::keepNow() {
    if (!m_scene || m_file.isEmpty()) return false;
    return files::writeScene(*m_scene, m_file.toStdString()).ok();
}

void Keeper::forget() {
    m_timer.stop();
    m_scene.reset();
    if (m_file.isEmpty()) return;
    // After a write that may be under way.
    m_writer.stop();
    while (m_writer.busy()) QThread::msleep(1);
    QFile::remove(m_file);
}

QStringList Keeper::leftBehind(const QString& folder) {
    QStringList out;
    for (const QFileInfo& f : QDir(folder).entryInfoList({QStringLiteral("unsaved-*.nutatio")}, QDir::Files, QDir::Time)) {
        const int fd = lock(lockOf(f.filePath()));
        if (fd < 0) continue;  // its process lives
        ::close(fd);
        out << f.filePath();
    }
    return out;
}

void Keeper::belongsTo(const QString& path) {
    if (m_lock < 0) return;
    const QByteArray bytes = path.toUtf8();
    if (::ftruncate(m_lock, 0) == 0) (void)!::pwrite(m_lock, bytes.constData(), static_cast<std::size_t>(bytes.size()), 0);
}

QString Keeper::nameIn(const QString& file) {
    QFile lock(lockOf(file));
    const QString path = lock.open(QIODevice::ReadOnly) ? QString::fromUtf8(lock.readAll()) : QString();
    return path.isEmpty() ? tr("a scene that was never saved") : QFileInfo(path).fileName();
}

void Keeper::discard(const QString& file) {
    QFile::remove(file);
    QFile::remove(lockOf(file));
}

}  // namespace nutatio::app
