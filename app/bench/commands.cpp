// The bench's commands: each is in Ctrl+K at once.
#include "app/bench/bench.h"
#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/body.h"
#include "edit/edit.h"
#include "edit/seal.h"
#include "layers/registry.h"
#include "scene/set_piece.h"

#include <QApplication>
#include <QSettings>

namespace nutatio::app {

QAction* Bench::add(const QString& id, const QString& text, const QKeySequence& key, const QString& icon,
                    const std::function<void()>& act) {
    auto* a = new QAction(text, this);
    a->setShortcut(key);
    if (!icon.isEmpty()) a->setIcon(look::icon(icon));
    if (!key.isEmpty()) a->setToolTip(QStringLiteral("%1 (%2)").arg(text, key.toString(QKeySequence::NativeText)));
    connect(a, &QAction::triggered, this, act);
    addAction(a);
    m_actions[id] = a;
    m_order << a;
    return a;
}

void Bench::makeFileCommands() {
    add("open", tr("Open a character or a scene"), QKeySequence::Open, "folder-open", [this] { openDialog(false); });
    add("bring-in", tr("Bring in another actor"), {}, "plus", [this] { openDialog(true); });
    add("open-demo", tr("Open the demo scene"), {}, "ship", [this] { openDemo(); });
    add("open-recent", tr("Open a recent file"), {}, "history", [this] { openRecent(); });
    add("save", tr("Save the scene"), QKeySequence::Save, "save", [this] { save(false); })->setAutoRepeat(false);
    add("save-as", tr("Save the scene under another name"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S), {},
        [this] { save(true); });
    add("hand-off", tr("Hand off: bake and write a file"), QKeySequence(Qt::CTRL | Qt::Key_E), "file-output",
        [this] { m_session.setStep(StepId::HandOff); });
    add("quit", tr("Quit"), QKeySequence::Quit, {}, [this] { close(); });
}

void Bench::makeEditCommands() {
    add("undo", tr("Undo"), QKeySequence::Undo, "undo-2", [this] { m_document.undo(); });
    add("redo", tr("Redo"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z), "redo-2", [this] { m_document.redo(); });
    add("remove", tr("Remove what is selected"), QKeySequence(Qt::Key_Delete), "trash-2", [this] { removeSelected(); });
    add("duplicate", tr("Duplicate the layer, collider, wind, pin or set piece"), QKeySequence(Qt::CTRL | Qt::Key_D), "copy",
        [this] { duplicateSelected(); });
    add("mirror", tr("Mirror the layer, collider or pin to the other side"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_D),
        "flip-horizontal", [this] { mirrorSelected(); });
    add("rename", tr("Rename the layer, collider, wind, pin, joint or actor"), QKeySequence(Qt::Key_F2), "pencil",
        [this] { renameSelected(); });
    add("find", tr("Find anything"), QKeySequence(Qt::CTRL | Qt::Key_K), "command",
        [this] { m_palette->open(whatCanBeFound()); });
    add("select-chain", tr("Select the chain below the joint"), QKeySequence(Qt::Key_C), "bone",
        [this] { m_session.selectChain(); });
    add("select-none", tr("End the trial, or select nothing"), QKeySequence(Qt::Key_Escape), {}, [this] {
        if (m_curves->isVisible()) return showCurves(false);
        for (const scene::ActorEntry& a : m_document.scene().actors)
            if (a.onTrial()) return m_document.tryOut(a.id, {});
        if (m_stage->tool() != Stage::Tool::None) return useTool(Stage::Tool::None);
        if (m_session.painting().on) return paintWeights(false);
        if (m_session.spot()) return m_session.setSpot({});
        m_session.select({});
    });
}

void Bench::makeLayerCommands() {
    for (const layers::LayerKind* k : layers::kinds()) {
        QAction* a = add(QStringLiteral("add-") + qs(k->id), tr("Add %1 to the selection").arg(qs(k->label)), {}, {},
                         [this, id = std::string(k->id)] { addLayer(id); });
        a->setIcon(look::glyph(k->glyph, look::theme().ink));
    }
    // One layer on the whole of the chosen actor, by one action.
    using Make = Result<std::string> (*)(scene::Scene&, const std::string&);
    const auto atOnce = [this](const QString& what, Make make, const QString& then) {
        const scene::ActorEntry* a = chosenActor();
        if (!a) return;
        std::string id;
        const bool done = attempt(what, [&, actor = a->id](scene::Scene& s) -> Result<Done> {
            auto made = make(s, actor);
            if (!made) return made.error();
            id = made.value();
            return Done{};
        });
        if (!done) return;
        m_session.selectLayer(id);
        m_session.setStep(StepId::Tune);
        say(then);
    };
    add("hold-feet", tr("Hold the feet where they stand"), {}, "pin", [atOnce] {
        atOnce(tr("Hold the feet"), edit::holdFeet,
               tr("Bars at the foot of its lane say when each foot stands; squares on the stage where."));
    })->setProperty("words", tr("Hold its feet"));
    add("same-side", tr("Set the part of the body on the other side as this one"), {}, "flip-horizontal", [this] {
        const auto part = m_session.partJoint();
        if (!part) return;
        attempt(tr("The same on the other side"), [layer = part->layer->id, joint = part->reference()](scene::Scene& s) {
            return edit::sameOnOtherSide(s, layer, joint);
        });
    });
    add("loosen", tr("Loosen the whole body: light follow-through on its animation"), {}, "waves", [atOnce] {
        atOnce(
            tr("Loosen"), edit::loosen,
            tr("Light follow-through on the whole body; its legs keep their pose. Swing rate and Bounces say how much, Mix how "
               "much of it."));
    })->setProperty("words", tr("Loosen it"));
    add("seal", tr("Seal the simulated layer up to this frame, or the range that plays"), {}, "lock", [this] {
        const scene::Layer* l = m_document.scene().layer(m_session.selection().layer);
        if (!l) return;
        const auto range = m_session.range().value_or(std::pair{0, m_session.frame()});
        if (attempt(tr("Seal %1").arg(qs(l->name)),
                    [&, id = l->id](scene::Scene& s) { return edit::seal(s, id, range.first, range.second); }))
            say(tr("Frames up to %1 stay as they are; what follows goes on from there.").arg(range.second + 1));
    });
    add("break-seal", tr("Break the seal of the layer"), {}, {}, [this] {
        const std::string layer = m_session.selection().layer;
        const auto& seals = m_document.scene().shot().seals;
        const auto at = seals.find(layer);
        if (at == seals.end()) return;
        // First it says what that will change; once more does it.
        if (m_toBreak.lock() != at->second) {
            m_toBreak = at->second;
            const auto what = edit::whatBreaking(m_document.scene(), layer);
            if (what) return say(tr("%1 Once more breaks it.").arg(QString::fromStdString(what.value())));
        }
        attempt(tr("Break the seal"), [&](scene::Scene& s) { return edit::breakSeal(s, layer); });
    });
    for (const scene::Shape s : {scene::Shape::Sphere, scene::Shape::Capsule, scene::Shape::Box, scene::Shape::Plane})
        add(QStringLiteral("add-") + qs(scene::shapeName(s)), tr("Add a %1 collider to the joint").arg(qs(scene::shapeName(s))),
            {}, {}, [this, s] { addCollider(s); });
    // A key that is held says its word once.
    add("mute", tr("Mute the layer"), QKeySequence(Qt::Key_M), "volume-x", [this] { toggleLayer(false); })->setAutoRepeat(false);
    add("solo", tr("Solo the layer"), QKeySequence(Qt::Key_S), "headphones", [this] { toggleLayer(true); })->setAutoRepeat(false);
    add("split-layer", tr("Split the layer into one for each chain or joint"), {}, "layout-grid", [this] {
        const std::string layer = m_session.selection().layer;
        std::vector<std::string> made;
        const bool done = attempt(tr("Split the layer"), [&](scene::Scene& s) -> Result<Done> {
            auto ids = edit::splitLayer(s, layer);
            if (!ids) return ids.error();
            made = ids.value();
            return Done{};
        });
        if (done) say(tr("Made %1 layers of it.").arg(made.size()));
    });
    add("merge-layer", tr("Merge the layer with all of its kind on the actor"), {}, "layers", [this] {
        const scene::Layer* l = m_document.scene().layer(m_session.selection().layer);
        if (!l) return;
        std::vector<std::string> all{l->id};
        for (const scene::Layer& o : m_document.scene().layers)
            if (o.id != l->id && o.kind == l->kind && o.actor == l->actor) all.push_back(o.id);
        attempt(tr("Merge layers"), [&](scene::Scene& s) { return edit::mergeLayers(s, all); });
    });
    add("copy-settings", tr("Copy what it is set to"), QKeySequence(Qt::CTRL | Qt::Key_C), "copy", [this] {
        m_copied = m_session.selection().owner();
        const scene::Tuned* t = m_copied ? m_document.scene().tuned(*m_copied) : nullptr;
        if (t) say(tr("Copied the settings of %1; Ctrl+V gives them to what is selected.").arg(QString::fromStdString(t->name)));
    });
    add("paste-settings", tr("Give it the settings that were copied"), QKeySequence(Qt::CTRL | Qt::Key_V), {}, [this] {
        const auto to = m_session.selection().owner();
        if (!to || !m_copied || !m_document.scene().tuned(*m_copied)) {
            say(tr("Nothing that is there was copied: select a layer or collider and copy its settings first."));
            return;
        }
        attempt(tr("Paste settings"), [&](scene::Scene& s) { return edit::copySettings(s, *m_copied, {*to}); });
    });
    add("layer-down", tr("Move the layer down the stack"), QKeySequence(Qt::CTRL | Qt::Key_Up), "chevron-up",
        [this] { moveLayer(-1); });
    add("layer-up", tr("Move the layer up the stack"), QKeySequence(Qt::CTRL | Qt::Key_Down), "chevron-down",
        [this] { moveLayer(1); });
}

void Bench::makeRosterCommands() {
    add("fit", tr("Fit colliders to the mesh"), {}, "person-standing", [this] { fitColliders(); });
    for (const std::string_view form : scene::pieceForms()) {
        QAction* a = add(QStringLiteral("piece-") + qs(form), tr("Make a set piece: %1").arg(qs(form)), {}, {},
                         [this, id = std::string(form)] { addPiece(id); });
        a->setIcon(look::pieceIcon(form));
    }
    add("add-wind", tr("Add a wind"), {}, "wind", [this] { addWind(); });
    add("add-pin", tr("Pin the joint where it is"), {}, "pin", [this] { addPin(); });
    add("pin-end", tr("Pin: hold the end beyond the joint, or the joint again"), {}, {}, [this] {
        m_document.edit(tr("Pin the end"), [this](scene::Scene& s) {
            if (scene::Pin* p = s.pin(m_session.selection().pin)) p->end = !p->end;
        });
    });
    add("pin-to-selection", tr("Pin: hold to the joint last selected"), {}, {}, [this] {
        const scene::ActorEntry* a = m_document.scene().actor(m_session.lastActor());
        if (!a || m_session.lastJoint() < 0) return;
        m_document.edit(tr("Pin to a joint"), [&](scene::Scene& s) {
            edit::pinTo(s, m_session.selection().pin, a->id, a->actor->skeleton.reference(m_session.lastJoint()));
        });
    });
    add("collider-world", tr("Leave the collider standing in the world"), {}, {}, [this] { standInWorld(); });
    add("item-on", tr("Switch on or off; hide or show"), {}, "eye", [this] { switchSelected(); });
    add("key", tr("Key what is being tuned, here"), QKeySequence(Qt::Key_K), {}, [this] { keyHere(); })->setAutoRepeat(false);
    add("cut", tr("Mark a cut at this frame, or take it away"), {}, "scissors", [this] { markCut(); });
}

void Bench::makeTrialCommands() {
    for (const rig::TrialMove& m : rig::trialMoves())
        add(QStringLiteral("trial-") + qs(m.id), tr("Trial: %1").arg(qs(m.label)), {}, "activity",
            [this, id = qs(m.id)] { m_tape->trials()->choose(id); });
    add("trial-keep", tr("Keep the clip on show as a trial for all scenes"), {}, "bookmark",
        [this] { m_tape->trials()->keep(); });
    QAction* tug = add("tug", tr("Tug: pull the actor about"), QKeySequence(Qt::Key_U), "hand",
                       [this] { m_stage->setTugOn(m_actions["tug"]->isChecked()); });
    tug->setCheckable(true);
    QAction* record = add("record", tr("Record the tug as a clip"), QKeySequence(Qt::SHIFT | Qt::Key_U), "record", [this] {
        const bool on = m_actions["record"]->isChecked();
        // Tug that recording began ends with it.
        if (on && !m_stage->tugOn()) {
            m_actions["tug"]->trigger();
            m_recordingTugs = true;
        }
        m_stage->tug().setRecording(on);
        if (on)
            say(tr("Recording: drag the character on the stage; the same button ends it, and what was pulled becomes a clip."));
        else if (std::exchange(m_recordingTugs, false) && m_stage->tugOn())
            m_actions["tug"]->trigger();
        m_stage->update();
    });
    record->setCheckable(true);
}

void Bench::makePlayCommands() {
    add("play", tr("Play or pause"), QKeySequence(Qt::Key_Space), "play", [this] {
        m_session.setPlaying(!m_session.isPlaying());
    })->setAutoRepeat(false);
    add("frame-back", tr("One frame back"), QKeySequence(Qt::Key_Left), {},
        [this] { m_session.setFrame(m_session.frame() - 1); });
    add("frame-on", tr("One frame on"), QKeySequence(Qt::Key_Right), {}, [this] { m_session.setFrame(m_session.frame() + 1); });
    add("ten-back", tr("Ten frames back"), QKeySequence(Qt::SHIFT | Qt::Key_Left), {},
        [this] { m_session.setFrame(m_session.frame() - 10); });
    add("ten-on", tr("Ten frames on"), QKeySequence(Qt::SHIFT | Qt::Key_Right), {},
        [this] { m_session.setFrame(m_session.frame() + 10); });
    add("first", tr("To the first frame"), QKeySequence(Qt::Key_Home), {}, [this] { m_session.setFrame(0); });
    add("last", tr("To the last frame"), QKeySequence(Qt::Key_End), {}, [this] { m_session.setFrame(m_document.frames() - 1); });
    add("loop", tr("Play round and round, or once"), {}, "repeat", [this] { m_session.setLoops(!m_session.loops()); });
}

void Bench::makeViewCommands() {
    add("frame", tr("Frame the selection"), QKeySequence(Qt::Key_F), {}, [this] { stageInHand()->frameSelection(); });
    const std::tuple<const char*, QString, double, double> sides[] = {{"view-front", tr("Look from the front"), 0, 0},
                                                                      {"view-side", tr("Look from its left side"), 90, 0},
                                                                      {"view-back", tr("Look from behind"), 180, 0},
                                                                      {"view-top", tr("Look from above"), 0, 89.5}};
    for (const auto& [id, text, heading, height] : sides)
        add(QLatin1String(id), text, {}, {}, [this, heading = heading, height = height] {
            Camera c = stageInHand()->camera();
            c.heading = radians(heading);
            c.height = radians(height);
            stageInHand()->setCamera(c);
        });
    const std::tuple<const char*, QString, std::function<void(bool)>> looks[] = {
        {"view-two", tr("Look from two sides at once"), [this](bool on) { showSecond(on); }},
        {"lines-only", tr("Show bones as lines, without meshes"),
         [this](bool on) { eachStage([on](Stage& s) { s.setLinesOnly(on); }); }},
        {"alone", tr("Show the actor of the selection alone"),
         [this](bool on) { eachStage([on](Stage& s) { s.setAlone(on); }); }}};
    for (const auto& [id, text, act] : looks) {
        QAction* a = add(QLatin1String(id), text, {}, {},
                         [this, key = QString::fromLatin1(id), act = act] { act(m_actions[key]->isChecked()); });
        a->setCheckable(true);
    }
    QAction* ghost = add("ghost", tr("Show a ghost: of the other take, or of the body"), QKeySequence(Qt::Key_G), "eye",
                         [this] { m_session.setGhost(m_actions["ghost"]->isChecked()); });
    ghost->setCheckable(true);
    QAction* joints = add("joints", tr("Show joints and colliders"), QKeySequence(Qt::Key_J), "bone", [this] {
        const bool on = m_actions["joints"]->isChecked();
        eachStage([on](Stage& s) { s.setJointsShown(on); });
    });
    joints->setCheckable(true);
    joints->setChecked(true);
    QAction* night = add("night", tr("Night: light on dark"), {}, "moon", [this] {
        look::setLight(*qApp, m_actions["night"]->isChecked() ? look::Light::Night : look::Light::Day);
        if (QSettings* s = preferences()) s->setValue(QStringLiteral("night"), m_actions["night"]->isChecked());
        m_tape->repaintAll();
    });
    night->setCheckable(true);
    const std::tuple<const char*, QString, StepId, Qt::Key> steps[] = {
        {"prepare", tr("Go to Prepare: what is wrong with the rig"), StepId::Prepare, Qt::Key_1},
        {"attach", tr("Go to Attach"), StepId::Attach, Qt::Key_2},
        {"tune", tr("Go to Tune"), StepId::Tune, Qt::Key_3},
        {"check", tr("Go to Check: takes, loops"), StepId::Check, Qt::Key_4}};
    for (const auto& [id, text, step, key] : steps)
        add(QLatin1String(id), text, QKeySequence(Qt::CTRL | key), {}, [this, step = step] { m_session.setStep(step); });
    const std::tuple<const char*, QString, QWidget*> panels[] = {{"fold-roster", tr("Fold or show the roster"), m_roster},
                                                                 {"fold-tuner", tr("Fold or show the tuner"), m_tuner},
                                                                 {"fold-tape", tr("Fold or show the tape"), m_tape}};
    for (const auto& [id, text, panel] : panels)
        add(QLatin1String(id), text, {}, {}, [panel = panel] { panel->setVisible(!panel->isVisible()); });
}

}  // namespace nutatio::app
