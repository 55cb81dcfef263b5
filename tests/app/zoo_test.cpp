// Characters that nobody here made, in the window: opened, every page shown, every kind put on at its defaults, saved, opened
// again.
#include <QPushButton>
#include <QTest>
#include <QToolButton>
#include <catch2/catch.hpp>
#include <cstdlib>

#include "files/scene_file.h"
#include "layers/registry.h"
#include "pipeline/open.h"
#include "tests/app/window.h"
#include "tests/support/zoo.h"

using namespace nutatio;
using namespace nutatio::app;
using test::TempFolder;
using test::Window;

namespace {

int number(const char* variable, int usual) {
    const char* v = std::getenv(variable);
    return v ? std::atoi(v) : usual;
}

void press(Window& w, const QString& name) {
    for (QPushButton* b : w.bench.findChildren<QPushButton*>(name))
        if (b->isVisible() && b->isEnabled()) {
            QTest::mouseClick(b, Qt::LeftButton);
            QApplication::processEvents();
            return;
        }
}

/// The joint that most is put on: one in the middle of those that carry skin, or of all.
int middleJoint(const rig::Actor& a) {
    std::vector<int> of;
    for (int j = 0; j < a.skeleton.size(); ++j)
        if (a.isSkinJoint[static_cast<std::size_t>(j)]) of.push_back(j);
    for (int j = 0; of.empty() && j < a.skeleton.size(); ++j) of.push_back(j);
    return of.empty() ? rig::kNoJoint : of[of.size() / 2];
}

void everyPage(Window& w) {
    for (const Qt::Key step : {Qt::Key_1, Qt::Key_2, Qt::Key_3, Qt::Key_4, Qt::Key_5}) {
        w.key(step, Qt::ControlModifier);
        QApplication::processEvents();
        if (step == Qt::Key_1)
            for (const char* face :
                 {"face-check", "face-joints", "face-parts", "face-maps", "face-motion", "face-perform", "face-kits"})
                press(w, QLatin1String(face));
        if (step == Qt::Key_4)
            for (const char* face : {"face-takes", "face-spread", "face-loop", "face-trails"}) press(w, QLatin1String(face));
    }
    w.settle();
}

void goThrough(const std::string& file) {
    TempFolder f;
    Window w;
    w.bench.open(QString::fromStdString(file));
    // What cannot be read says so and leaves open what was.
    QString refusal;
    QObject::connect(&w.bench.document(), &Document::failed, &w.bench, [&](const QString& sentence) { refusal = sentence; });
    const auto opened = [&] { return !w.scene().actors.empty() && w.scene().actors[0].file == file; };
    REQUIRE(test::waitFor([&] { return !refusal.isEmpty() || opened(); }));
    if (!refusal.isEmpty()) return;
    w.settle();
    everyPage(w);
    const std::string id = w.scene().actors[0].id;
    const int joint = middleJoint(*w.scene().actors[0].actor);
    for (const layers::LayerKind* kind : layers::kinds()) {
        INFO(kind->id);
        if (joint != rig::kNoJoint) w.bench.session().selectJoint(id, joint);
        w.bench.action(QStringLiteral("add-") + QString::fromUtf8(kind->id.data(), static_cast<qsizetype>(kind->id.size())))
            ->trigger();
        w.settle();
        for (const QToolButton* heading : w.bench.tuner()->findChildren<QToolButton*>(QStringLiteral("group")))
            if (const auto* body = heading->property("body").value<QWidget*>(); body && heading->isVisible()) {
                INFO("the group " << heading->text().toStdString());
                CHECK_FALSE(body->findChildren<QWidget*>().isEmpty());
            }
    }
    for (const rig::TrialRole& role : rig::trialRoles(*w.scene().actors[0].actor)) {
        rig::Trial trial;
        trial.move = "shake";
        trial.role = std::string(role.id);
        w.bench.document().tryOut(id, trial);
        w.settle();
    }
    w.bench.document().tryOut(id, {});
    w.bench.action(QStringLiteral("follow"))->trigger();
    everyPage(w);
    const pipeline::ActorResult& result = w.bench.document().results()->evaluation.actors[0];
    for (int j = 0; j < result.result->joints(); ++j)
        for (int frame = 0; frame < result.result->frames(); ++frame) REQUIRE(result.result->at(j, frame).isFinite());
    const std::string scene = (f / "s.nutatio").string();
    REQUIRE(w.bench.document().save(QString::fromStdString(scene)));
    const std::size_t layers = w.scene().layers.size();
    if (joint != rig::kNoJoint) CHECK(layers == layers::kinds().size());
    w.bench.open(QString::fromStdString(scene));
    REQUIRE(test::waitFor([&] { return w.bench.document().path().toStdString() == scene && w.bench.document().upToDate(); }));
    w.settle();
    CHECK(w.scene().layers.size() == layers);
}

}  // namespace

TEST_CASE("any character opens in the window: pages, kinds at their defaults, saved and opened again") {
    // NUTATIO_ZOO asks for more of them, NUTATIO_ZOO_FROM for others.
    const int many = number("NUTATIO_ZOO", 8), from = number("NUTATIO_ZOO_FROM", 0);
    TempFolder f;
    for (int k = from; k < from + many; ++k) {
        const std::string file = (f / ("animal" + std::to_string(k) + ".glb")).string();
        const std::string said = test::writeAnimal(file, static_cast<unsigned>(k));
        if (many > 8) UNSCOPED_INFO(said);
        CAPTURE(said);
        goThrough(file);
    }
}

TEST_CASE("real characters open in the window: pages, kinds at their defaults, saved and opened again") {
    // The folder is not ours to ship. NUTATIO_MODELS names another one.
    const char* other = std::getenv("NUTATIO_MODELS");
    const std::filesystem::path folder = other ? std::string(other) : test::sourceFolder() + "/../shared/characters";
    if (!std::filesystem::exists(folder)) {
        WARN("no characters are here to try: skipped");
        return;
    }
    std::vector<std::filesystem::path> files;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(folder)) {
        const std::string type = entry.path().extension().string();
        if (type == ".glb" || type == ".gltf" || type == ".bvh") files.push_back(entry.path());
    }
    std::sort(files.begin(), files.end());
    CHECK_FALSE(files.empty());
    for (const auto& file : files) {
        CAPTURE(file.string());
        if (other) std::printf("%s\n", file.c_str());
        goThrough(file.string());
    }
}
