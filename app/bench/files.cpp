// Opening, saving, and what was not saved.
#include "app/bench/bench.h"
#include "app/look/theme.h"

#include <QApplication>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QSettings>

namespace nutatio::app {

QSettings* Bench::preferences() {
    if (m_keepFolder.isEmpty()) return nullptr;
    if (!m_preferences)
        m_preferences = new QSettings(QDir(m_keepFolder).filePath(QStringLiteral("preferences.ini")), QSettings::IniFormat, this);
    return m_preferences;
}

QStringList Bench::recentFiles() {
    QStringList out;
    if (QSettings* s = preferences())
        for (const QString& f : s->value(QStringLiteral("recent")).toStringList())
            if (QFileInfo::exists(f)) out << f;
    return out;
}

void Bench::remember(const QString& file) {
    QSettings* s = preferences();
    if (!s) return;
    constexpr int kMost = 10;
    QStringList files = recentFiles();
    const QString path = QFileInfo(file).absoluteFilePath();
    files.removeAll(path);
    files.prepend(path);
    s->setValue(QStringLiteral("recent"), QStringList(files.mid(0, kMost)));
}

QString Bench::demoFile() {
    const QDir here(QApplication::applicationDirPath());
    for (const char* place : {"../share/nutatio/demo", "../../../demo", "../../demo"})
        if (const QString f = here.filePath(QLatin1String(place) + QStringLiteral("/lake-landing.nutatio")); QFileInfo::exists(f))
            return QDir::cleanPath(f);
    return {};
}

bool Bench::isDemo(const QString& path) {
    const QString demo = demoFile();
    return !path.isEmpty() && !demo.isEmpty() && QFileInfo(path) == QFileInfo(demo);
}

void Bench::openDemo() {
    if (const QString f = demoFile(); !f.isEmpty()) open(f);
}

void Bench::openRecent() {
    QMenu m;
    for (const QString& f : recentFiles())
        m.addAction(QFileInfo(f).fileName() + QStringLiteral("   ") + QFileInfo(f).path())->setData(f);
    if (m.isEmpty()) return;
    if (const QAction* hit = m.exec(QCursor::pos())) open(hit->data().toString());
}

void Bench::open(const QString& path) {
    m_stage->tug().setRecording(false);  // what is being recorded becomes a clip before it is asked about
    guarded(tr("Open %1").arg(QFileInfo(path).fileName()), [this, path] {
        remember(path);
        m_document.open(path);
    });
}

void Bench::openDialog(bool bringIn) {
    const QString path = QFileDialog::getOpenFileName(
        this, bringIn ? tr("Bring in an actor") : tr("Open"), {},
        bringIn ? tr("Characters (*.glb *.gltf *.bvh)") : tr("Characters and scenes (*.glb *.gltf *.bvh *.nutatio)"));
    if (path.isEmpty()) return;
    if (bringIn)
        m_document.bringIn(path);
    else
        open(path);
}

void Bench::save(bool as, const std::function<void()>& then) {
    QString path = m_document.path();
    // What ships is for everybody to open again as it was: work on it goes elsewhere.
    const bool shipped = isDemo(path);
    if (as || path.isEmpty() || shipped) {
        // Beside the character, where the rest of its work lies.
        const auto& actors = m_document.scene().actors;
        const auto read = std::find_if(actors.begin(), actors.end(), [](const auto& a) { return !a.isPiece(); });
        const QDir beside = shipped                ? QDir::home()
                            : read == actors.end() ? QDir()
                                                   : QFileInfo(QString::fromStdString(read->file)).dir();
        const QString name = m_document.title() + QStringLiteral(".nutatio"),
                      suggested = actors.empty() ? name : beside.filePath(name);
        // The dialog would ask about the name as typed; what is written has the extension added, so that is asked about here.
        path = askForFile ? askForFile(tr("Save the scene"), suggested)
                          : QFileDialog::getSaveFileName(this, tr("Save the scene"), suggested, tr("Nutatio scenes (*.nutatio)"),
                                                         nullptr, QFileDialog::DontConfirmOverwrite);
        if (path.isEmpty()) return;
        if (!path.endsWith(QLatin1String(".nutatio"))) path += QStringLiteral(".nutatio");
    }
    saveTo(path, then);
}

void Bench::saveTo(const QString& path, const std::function<void()>& then) {
    const bool own = QFileInfo(path) == QFileInfo(m_document.path()) && !m_document.path().isEmpty() && !isDemo(path);
    const QString name = QFileInfo(path).fileName();
    const bool changed = own && m_document.changedOnDisk();
    if (!changed && (own || !QFileInfo::exists(path))) {
        write(path, then);
        return;
    }
    m_notice->say(
        changed ? tr("%1 was changed on disk since it was opened here.").arg(name) : tr("%1 is there already.").arg(name),
        {{tr("Replace it"), [this, path, then] { write(path, then); }},
         {tr("Save under another name"), [this, then] { save(true, then); }}},
        false);
}

void Bench::write(const QString& path, const std::function<void()>& then) {
    if (!m_document.save(path)) return;
    say(tr("Saved %1").arg(QFileInfo(path).fileName()));
    if (then) then();
}

void Bench::guarded(const QString& what, const std::function<void()>& then) {
    if (!m_document.isModified()) {
        then();
        return;
    }
    m_notice->say(tr("%1: the scene has changes that are not saved.").arg(what),
                  {{tr("Save first"), [this, then] { save(false, then); }}, {tr("Leave them unsaved"), then}}, false);
}

void Bench::offerRecovery() {
    if (m_left.isEmpty()) return;
    const QString file = m_left.takeFirst();
    const auto next = [this] { offerRecovery(); };
    m_recovery->say(tr("Nutatio ended unexpectedly on %1 with unsaved work on %2.")
                        .arg(QFileInfo(file).lastModified().toString(QStringLiteral("d MMMM, hh:mm")), Keeper::nameIn(file)),
                    {{tr("Bring it back"),
                      [this, file, next] {
                          guarded(tr("Bring it back"), [this, file] { m_document.recover(file); });
                          next();
                      }},
                     {tr("Throw it away"),
                      [file, next] {
                          Keeper::discard(file);
                          next();
                      }}},
                    false);
}

}  // namespace nutatio::app
