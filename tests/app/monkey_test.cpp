// A seeded monkey at the real window: whatever it does, the bench neither crashes nor loses its way back.
#include <unistd.h>
#include <QApplication>
#include <QComboBox>
#include <QMenu>
#include <QMessageBox>
#include <QPointer>
#include <QTest>
#include <QTimer>
#include <QTreeWidget>
#include <catch2/catch.hpp>
#include <cstdlib>
#include <random>

#include "files/scene_file.h"
#include "pipeline/open.h"
#include "tests/app/window.h"
#include "tests/support/zoo.h"

using namespace nutatio;
using namespace nutatio::app;
using test::kDemo;
using test::TempFolder;
using test::waitFor;
using test::Window;

namespace {

/// All of a scene that is saved, as text.
std::string textOf(const scene::Scene& s, const TempFolder& f) {
    REQUIRE(files::writeScene(s, f / "text.nutatio").ok());
    return test::textOf(f / "text.nutatio");
}

class Monkey {
  public:
    Monkey(Window& w, const TempFolder& folder, unsigned seed) : m_w(w), m_folder(folder), m_random(seed) {
        // Files are asked for by dialogs of the system; the monkey names them.
        w.bench.askForFile = [this](const QString&, const QString&) {
            return QString::fromStdString((m_folder / ("m" + std::to_string(below(3)))).string());
        };
        // A key on a button that opens a menu waits in a loop of the menu's own until somebody closes it.
        QObject::connect(&m_waker, &QTimer::timeout, &w.bench, [this] {
            closePopups();
            if (QWidget* modal = QApplication::activeModalWidget()) modal->close();
        });
        m_waker.start(50);
        QObject::connect(&w.bench.document(), &Document::replaced, &m_waker, [this] { m_replaced = true; });
    }

    /// Whether another document was put on the bench since this was asked last: its history begins anew.
    bool replaced() { return std::exchange(m_replaced, false); }

    void act() {
        switch (below(12)) {
            case 0:
            case 1:
                click();
                break;
            case 2:
            case 3:
                drag();
                break;
            case 4:
                key();
                break;
            case 5:
            case 6:
                command();
                break;
            case 7:
                setting();
                break;
            case 8:
                undoing();
                break;
            case 9:
                select();
                break;
            case 10:
                type();
                break;
            default:
                wheel();
        }
        if (below(3) == 0) QApplication::processEvents(QEventLoop::AllEvents, 5);
        closePopups();
    }

    /// Undoes everything and compares with what was there at first; false when history was longer than is kept.
    void backToTheStart(const std::string& first) {
        const Document& d = m_w.bench.document();
        while (d.canUndo()) m_w.bench.document().undo();
        CHECK(textOf(d.scene(), m_folder) == first);
    }
    const QString& last() const { return m_last; }

  private:
    static void closePopups() {
        while (QWidget* popup = QApplication::activePopupWidget()) popup->close();
    }
    int below(int n) { return static_cast<int>(m_random() % static_cast<unsigned>(n)); }
    template <class T>
    T* any(const QList<T*>& of) {
        QList<T*> seen;
        for (T* w : of)
            if (w->isVisible() && w->isEnabled() && w->width() > 2 && w->height() > 2) seen << w;
        return seen.isEmpty() ? nullptr : seen[below(static_cast<int>(seen.size()))];
    }
    QWidget* anyWidget() {
        QWidget* w = any(m_w.bench.findChildren<QWidget*>());
        if (auto* action = qobject_cast<QToolButton*>(w) ? static_cast<QToolButton*>(w)->defaultAction() : nullptr;
            action && endsTheWindow(action))
            return nullptr;
        return w;
    }
    /// It would end the monkey too. All else is done: menus and dialogs that wait for a hand are closed by `m_waker`.
    bool endsTheWindow(const QAction* a) const { return a == m_w.bench.action(QStringLiteral("quit")); }
    QPoint in(QWidget* w) { return {below(w->width()), below(w->height())}; }
    Qt::KeyboardModifiers modifiers() {
        const int k = below(6);
        return k == 0 ? Qt::ShiftModifier : k == 1 ? Qt::ControlModifier : Qt::NoModifier;
    }

    void click() {
        QWidget* w = below(3) == 0 ? m_w.bench.stage() : anyWidget();
        if (!w) return;
        m_last = QStringLiteral("click %1").arg(QLatin1String(w->metaObject()->className()));
        const QPoint at = in(w);
        const int clicks = below(8) == 0 ? 2 : 1;
        const Qt::KeyboardModifiers with = modifiers();
        QPointer<QWidget> still(w);
        for (int k = 0; k < clicks && still; ++k) {
            QTest::mousePress(w, Qt::LeftButton, with, at);
            if (still) QTest::mouseRelease(w, Qt::LeftButton, with, at);
        }
    }
    void drag() {
        QWidget* w = below(2)   ? static_cast<QWidget*>(any(m_w.bench.findChildren<Slider*>()))
                     : below(2) ? m_w.bench.stage()
                                : anyWidget();
        if (!w) return;
        m_last = QStringLiteral("drag %1").arg(QLatin1String(w->metaObject()->className()));
        const Qt::MouseButton button = w == m_w.bench.stage() && below(2) ? Qt::RightButton : Qt::LeftButton;
        QPoint from = in(w);
        const QPoint to = in(w);
        if (w == m_w.bench.stage() && below(2))
            for (const Stage::Handle& h : m_w.bench.stage()->handles())
                if (const auto p = m_w.bench.stage()->handlePixel(h.part)) from = p->toPoint();
        QPointer<QWidget> still(w);
        QTest::mousePress(w, button, Qt::NoModifier, from);
        for (int k = 1; k <= 3 && still; ++k) {
            const QPointF p = from + QPointF(to - from) * k / 3;
            QMouseEvent move(QEvent::MouseMove, p, w->mapToGlobal(p), Qt::NoButton, button, Qt::NoModifier);
            QApplication::sendEvent(w, &move);
        }
        if (still) QTest::mouseRelease(w, button, Qt::NoModifier, to);
    }
    void key() {
        static const Qt::Key kKeys[] = {Qt::Key_Space, Qt::Key_Left, Qt::Key_Right,  Qt::Key_Home,   Qt::Key_End, Qt::Key_K,
                                        Qt::Key_M,     Qt::Key_S,    Qt::Key_T,      Qt::Key_G,      Qt::Key_F,   Qt::Key_C,
                                        Qt::Key_J,     Qt::Key_U,    Qt::Key_Delete, Qt::Key_Escape, Qt::Key_Tab, Qt::Key_Return,
                                        Qt::Key_B,     Qt::Key_Up,   Qt::Key_Down};
        const Qt::Key k = kKeys[below(static_cast<int>(std::size(kKeys)))];
        m_last = QStringLiteral("key %1").arg(k);
        QWidget* w = QApplication::focusWidget() && QApplication::focusWidget()->window() == &m_w.bench
                         ? QApplication::focusWidget()
                         : &m_w.bench;
        const Qt::KeyboardModifiers with = modifiers();
        // What a press brings about may take the widget away before the key is let go.
        QPointer<QWidget> still(w);
        QTest::keyPress(w, k, with);
        if (still) QTest::keyRelease(w, k, with);
    }
    void command() {
        const QList<QAction*> all = m_w.bench.actions();
        QAction* a = all[below(static_cast<int>(all.size()))];
        if (!a->isEnabled() || endsTheWindow(a)) return;
        m_last = QStringLiteral("command ") + a->text();
        a->trigger();
    }
    void setting() {
        auto* row = any(m_w.bench.findChildren<SettingRow*>());
        if (!row) return;
        m_last =
            QStringLiteral("setting %1").arg(QLatin1String(row->spec().id.data(), static_cast<qsizetype>(row->spec().id.size())));
        if (row->choice() && row->choice()->count() > 1) {
            const int k = below(row->choice()->count());
            row->choice()->setCurrentIndex(k);
            Q_EMIT row->choice()->activated(k);
        } else if (row->keyButton() && below(2)) {
            QTest::mouseClick(row->keyButton(), Qt::LeftButton);
        } else if (row->profileButton()) {
            QTest::mouseClick(row->profileButton(), Qt::LeftButton);
        }
    }
    void type() {
        QLineEdit* e = any(m_w.bench.findChildren<QLineEdit*>());
        if (!e || e->isReadOnly()) return;
        static const char* const kTexts[] = {"0", "1e9", "-5", "2*1.5", "99999", "nan", "", "0.001", "tail"};
        m_last = QStringLiteral("type into ") + e->accessibleName();
        QPointer<QLineEdit> still(e);
        e->setFocus();
        e->selectAll();
        for (const char* c = kTexts[below(static_cast<int>(std::size(kTexts)))]; *c && still; ++c) QTest::keyClick(e, *c);
        if (still) QTest::keyClick(e, below(4) ? Qt::Key_Return : Qt::Key_Escape);
    }
    void undoing() {
        m_last = QStringLiteral("undo, redo");
        for (int k = below(4); k >= 0; --k) below(3) ? m_w.bench.document().undo() : m_w.bench.document().redo();
    }
    void select() {
        const scene::Scene& s = m_w.scene();
        m_last = QStringLiteral("select");
        Session& session = m_w.bench.session();
        switch (below(5)) {
            case 0:
                if (!s.layers.empty())
                    session.selectLayer(s.layers[static_cast<std::size_t>(below(static_cast<int>(s.layers.size())))].id);
                break;
            case 1:
                if (!s.colliders.empty())
                    session.selectCollider(s.colliders[static_cast<std::size_t>(below(static_cast<int>(s.colliders.size())))].id);
                break;
            case 2:
                if (!s.winds.empty()) session.selectWind(s.winds.front().id);
                break;
            case 3:
                if (!s.pins.empty()) session.selectPin(s.pins.front().id);
                break;
            default:
                if (!s.actors.empty())
                    session.selectJoint(s.actors[0].id, below(s.actors[0].actor->skeleton.size()), below(3) == 0);
        }
        if (below(2)) session.setStep(below(2) ? StepId::Attach : StepId::Tune);
    }
    void wheel() {
        m_last = QStringLiteral("wheel");
        Stage* stage = m_w.bench.stage();
        const QPointF at = in(stage);
        QWheelEvent e(at, stage->mapToGlobal(at), {}, {0, below(2) ? 120 : -120}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                      false);
        QApplication::sendEvent(stage, &e);
    }

    Window& m_w;
    const TempFolder& m_folder;
    std::mt19937 m_random;
    QString m_last;
    bool m_replaced = false;
    QTimer m_waker;
};

/// What this process holds in memory [bytes], by the system.
std::size_t residentBytes() {
    std::size_t pages = 0, resident = 0;
    if (FILE* f = std::fopen("/proc/self/statm", "r")) {
        if (std::fscanf(f, "%zu %zu", &pages, &resident) != 2) resident = 0;
        std::fclose(f);
    }
    return resident * static_cast<std::size_t>(sysconf(_SC_PAGESIZE));
}

/// Results that are kept, history, what the interface and the drawing need: no session holds more.
constexpr std::size_t kMostResident = std::size_t{900} << 20;

int number(const char* variable, int usual) {
    const char* v = std::getenv(variable);
    return v ? std::atoi(v) : usual;
}

}  // namespace

TEST_CASE("a monkey at the window: nothing breaks, everything undoes to the same bits, memory stays within bounds") {
    // NUTATIO_MONKEY_ACTIONS and NUTATIO_MONKEY_SEED ask for more, and for others. By turns on the demo, on a character that code
    // makes, and on real ones where they are at hand.
    const int actions = number("NUTATIO_MONKEY_ACTIONS", 2100), seed = number("NUTATIO_MONKEY_SEED", 1);
    TempFolder f;
    const QString keep = QString::fromStdString((f / "keep").string());
    // The monkey saves too: it is given copies.
    std::filesystem::copy(test::sourceFolder() + "/demo/assets", f / "assets");
    std::filesystem::copy(kDemo.toStdString(), f / "demo.nutatio");
    const std::string animal = test::writeAnimal(f / "animal.glb", static_cast<unsigned>(seed));
    std::vector<std::filesystem::path> files{f / "demo.nutatio", f / "animal.glb"};
    const std::filesystem::path real = test::sourceFolder() + "/../shared/characters";
    if (std::filesystem::exists(real)) {
        std::vector<std::filesystem::path> of;
        for (const auto& entry : std::filesystem::directory_iterator(real))
            if (entry.path().extension() == ".glb") of.push_back(entry.path());
        std::sort(of.begin(), of.end());
        const auto& chosen = of[static_cast<std::size_t>(seed) % of.size()];
        std::filesystem::copy(chosen, f / chosen.filename().string());
        files.push_back(f / chosen.filename().string());
    }
    for (const std::filesystem::path& file : files) {
        CAPTURE(file.filename().string(), animal);
        Window w(QString::fromStdString(file.string()), keep);
        Monkey monkey(w, f, static_cast<unsigned>(seed));
        std::string first = textOf(w.scene(), f);
        // History keeps a thousand steps; well before that everything is undone and compared, and the monkey goes on.
        constexpr int kRound = 350;
        const int turn = actions / static_cast<int>(files.size());
        for (int k = 1; k <= turn; ++k) {
            INFO("seed " << seed << ", action " << k << ", after: " << monkey.last().toStdString());
            monkey.act();
            if (k % kRound != 0 && k != turn) continue;
            w.bench.stage()->tug().setRecording(false);
            w.bench.stage()->tug().stop();
            const std::string now = textOf(w.scene(), f);
            const auto again = pipeline::open(f / "text.nutatio");
            REQUIRE(again.ok());
            CHECK(textOf(again.value().scene, f) == now);
            if (monkey.replaced())
                while (w.bench.document().canUndo()) w.bench.document().undo();
            else
                monkey.backToTheStart(first);
            first = textOf(w.scene(), f);
            w.settle();
            for (const pipeline::ActorResult& actor : w.bench.document().results()->evaluation.actors)
                for (int j = 0; j < actor.result->joints(); ++j)
                    for (int frame = 0; frame < actor.result->frames(); ++frame) REQUIRE(actor.result->at(j, frame).isFinite());
            const std::size_t most = residentBytes();
            if (actions > 2100) std::printf("%s, action %d: %zu MB\n", file.filename().c_str(), k, most >> 20);
            CHECK(most < kMostResident);
        }
    }
}
