#include "app/bench/bench.h"

#include <QAbstractButton>
#include <QApplication>
#include <QCloseEvent>
#include <QCursor>
#include <QDir>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QMimeData>
#include <QSettings>
#include <QVBoxLayout>

#include "app/look/theme.h"
#include "edit/edit.h"
#include "layers/registry.h"

namespace nutatio::app {

namespace {
QString qs(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}
}  // namespace

Bench::Bench(const QString& keepFolder)
    : m_session(m_document),
      m_keepFolder(keepFolder),
      m_stage(new Stage(m_document, m_session)),
      m_roster(new Roster(m_document, m_session)),
      m_handoff(new HandOff(m_document)),
      m_tuner(new Tuner(m_document, m_session, m_handoff)),
      m_tape(new Tape(m_document, m_session)),
      m_notice(new Notice),
      m_recovery(new Notice),
      m_palette(nullptr) {
    setWindowTitle(QStringLiteral("Nutatio"));
    setAcceptDrops(true);
    makeFileCommands();
    makeEditCommands();
    makeLayerCommands();
    makeRosterCommands();
    makePlayCommands();
    makeTrialCommands();
    makeViewCommands();
    layOut();
    m_palette = new Palette(this);
    connect(m_tuner, &Tuner::layerWanted, this, &Bench::addLayer);
    connect(m_tuner, &Tuner::colliderWanted, this, &Bench::addCollider);
    connect(m_tuner, &Tuner::commandWanted, this, [this](const QString& id) { m_actions.value(id)->trigger(); });
    connect(m_tuner, &Tuner::said, this, &Bench::say);
    connect(&m_stage->tug(), &Tug::recorded, this, [this](const QString& clip, double seconds) {
        m_actions["record"]->setChecked(m_stage->tug().isRecording());
        say(clip.isEmpty()
                ? tr("Nothing was pulled, so nothing was recorded.")
                : tr("Recorded %1, %2 s: it is the actor's clip now; Space plays it.").arg(clip).arg(seconds, 0, 'f', 1));
    });
    m_document.beforeReplacing = [this] { m_stage->tug().setRecording(false); };
    m_document.meanwhile = [this](const QString& file, const std::function<void()>& replace) {
        m_opening = false;
        m_busy->hide();
        m_stop->hide();
        m_hint->clear();
        guarded(tr("%1 is ready, but the scene was changed while it was read").arg(file), replace);
    };
    connect(m_roster, &Roster::menuWanted, this, [this](const QPoint& at) {
        QMenu m;
        for (const char* id : {"add-strand", "add-jiggle", "add-sphere", "add-capsule", "add-box", "add-plane", "fit", "add-pin",
                               "add-wind", "select-chain", "frame", "item-on", "remove"})
            m.addAction(m_actions.value(QLatin1String(id)));
        m.exec(at);
    });
    connect(&m_document, &Document::historyChanged, this, &Bench::refresh);
    connect(&m_document, &Document::resultsChanged, this, &Bench::showEvaluation);
    connect(&m_document, &Document::simulating, this, &Bench::showProgress);
    // What was said of one action does not stay through the next.
    for (auto signal : {&Document::sceneChanged, &Document::replaced})
        connect(&m_document, signal, this, [this] {
            if (!m_opening && !m_simulates) m_hint->clear();
        });
    connect(&m_session, &Session::selectionChanged, this, [this] {
        if (!m_opening && !m_simulates) m_hint->clear();
    });
    connect(&m_document, &Document::failed, this, [this](const QString& sentence) {
        m_opening = false;
        m_busy->hide();
        m_stop->hide();
        m_hint->clear();
        m_notice->say(sentence, {}, true);
    });
    connect(&m_document, &Document::opening, this, [this](const QString& file) {
        m_hint->setText(tr("Opening %1").arg(file));
        m_opening = true;
        m_busy->setRange(0, 0);
        m_busy->show();
        m_stop->show();
    });
    connect(&m_document, &Document::opened, this, [this](const QStringList& warnings) {
        m_opening = false;
        m_busy->hide();
        m_stop->hide();
        m_hint->clear();
        m_notice->clear();
        if (!warnings.isEmpty())
            m_notice->say(
                warnings.mid(0, 4).join(u'\n') + (warnings.size() > 4 ? tr("\nand %1 more").arg(warnings.size() - 4) : QString()),
                {}, false);
        m_session.setPlaying(false);
        m_session.setFrame(0);
        m_session.setStep(m_document.scene().layers.empty() ? StepId::Attach : StepId::Tune);
    });
    connect(&m_session, &Session::selectionChanged, this, &Bench::refresh);
    connect(&m_session, &Session::stepChanged, this, &Bench::refresh);
    qApp->installEventFilter(this);
    if (!keepFolder.isEmpty()) {
        m_document.keepAgainstCrash(keepFolder);
        m_left = Keeper::leftBehind(keepFolder);
        offerRecovery();
    }
    if (QSettings* s = preferences(); s && s->value(QStringLiteral("night"), false).toBool()) m_actions["night"]->trigger();
    m_stage->setFocus();
    refresh();
}

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
    add("remove", tr("Remove the selected layer, collider, wind or pin"), QKeySequence(Qt::Key_Delete), "trash-2",
        [this] { removeSelected(); });
    add("find", tr("Find a command"), QKeySequence(Qt::CTRL | Qt::Key_K), "command", [this] { m_palette->open(m_order); });
    add("select-chain", tr("Select the chain below the joint"), QKeySequence(Qt::Key_C), "bone",
        [this] { m_session.selectChain(); });
    add("select-none", tr("Select nothing"), QKeySequence(Qt::Key_Escape), {}, [this] { m_session.select({}); });
}

void Bench::makeLayerCommands() {
    for (const layers::LayerKind* k : layers::kinds()) {
        QAction* a = add(QStringLiteral("add-") + qs(k->id), tr("Add %1 to the selection").arg(qs(k->label)), {}, {},
                         [this, id = std::string(k->id)] { addLayer(id); });
        a->setIcon(look::glyph(k->glyph, look::theme().ink));
    }
    for (const scene::Shape s : {scene::Shape::Sphere, scene::Shape::Capsule, scene::Shape::Box, scene::Shape::Plane})
        add(QStringLiteral("add-") + qs(scene::shapeName(s)), tr("Add a %1 collider to the joint").arg(qs(scene::shapeName(s))),
            {}, {}, [this, s] { addCollider(s); });
    // A key that is held says its word once.
    add("mute", tr("Mute the layer"), QKeySequence(Qt::Key_M), "volume-x", [this] { toggleLayer(false); })->setAutoRepeat(false);
    add("solo", tr("Solo the layer"), QKeySequence(Qt::Key_S), "headphones", [this] { toggleLayer(true); })->setAutoRepeat(false);
    add("layer-down", tr("Move the layer down the stack"), QKeySequence(Qt::CTRL | Qt::Key_Up), "chevron-up",
        [this] { moveLayer(-1); });
    add("layer-up", tr("Move the layer up the stack"), QKeySequence(Qt::CTRL | Qt::Key_Down), "chevron-down",
        [this] { moveLayer(1); });
}

void Bench::makeRosterCommands() {
    add("fit", tr("Fit colliders to the mesh"), {}, "person-standing", [this] { fitColliders(); });
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
    add("item-on", tr("Switch the collider, wind or pin on or off"), {}, "eye", [this] { switchSelected(); });
    add("key", tr("Key what is being tuned, here"), QKeySequence(Qt::Key_K), {}, [this] { keyHere(); })->setAutoRepeat(false);
    add("cut", tr("Mark a cut at this frame, or take it away"), {}, "scissors", [this] { markCut(); });
    add("take", tr("Keep a take to compare with"), QKeySequence(Qt::Key_T), "bookmark", [this] {
        m_session.keepTake();
        say(tr("Kept this take; the Scope shows it in plum."));
    });
}

void Bench::makeTrialCommands() {
    for (const rig::TrialMove& m : rig::trialMoves())
        add(QStringLiteral("trial-") + qs(m.id), tr("Trial: %1").arg(qs(m.label)), {}, "activity",
            [this, id = qs(m.id)] { m_tape->trials()->choose(id); });
    QAction* tug = add("tug", tr("Tug: pull the actor about"), QKeySequence(Qt::Key_U), "hand",
                       [this] { m_stage->setTugOn(m_actions["tug"]->isChecked()); });
    tug->setCheckable(true);
    QAction* record = add("record", tr("Record the tug as a clip"), QKeySequence(Qt::SHIFT | Qt::Key_U), "film", [this] {
        const bool on = m_actions["record"]->isChecked();
        if (on && !m_stage->tugOn()) m_actions["tug"]->trigger();
        m_stage->tug().setRecording(on);
        m_stage->update();
    });
    record->setCheckable(true);
}

void Bench::fitColliders() {
    const scene::Scene& now = m_document.scene();
    const scene::ActorEntry* a = now.actor(m_session.selection().actor);
    if (!a && !now.actors.empty()) a = &now.actors.front();
    if (!a) return;
    scene::Scene fitted = now;
    const int count = edit::fitColliders(fitted, a->id);
    if (count == 0) {
        const bool some =
            std::any_of(now.colliders.begin(), now.colliders.end(), [&](const auto& c) { return c.actor == a->id; });
        say((some ? tr("Every joint of %1 that carries enough skin has a collider already.")
                  : tr("No joint of %1 carries enough skin for a collider."))
                .arg(QString::fromStdString(a->name)));
        return;
    }
    m_document.edit(tr("Fit colliders"), [&](scene::Scene& s) { s = fitted; });
    say(tr("Fitted %n collider(s) to the mesh.", nullptr, count));
}

void Bench::addWind() {
    if (m_document.scene().actors.empty()) return;
    std::string id;
    m_document.edit(tr("Add a wind"), [&](scene::Scene& s) {
        const std::string& actor = m_session.selection().actor;
        id = edit::addWind(s, std::as_const(s).actor(actor) ? actor : s.actors.front().id);
    });
    m_session.selectWind(id);
}

void Bench::addPin() {
    const Selection sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(sel.actor);
    if (!a || sel.joints.empty()) return;
    std::vector<Xform> pose = a->actor->restPose();
    const ResultsPtr& r = m_document.results();
    if (const pipeline::ActorResult* result = r ? r->evaluation.actor(sel.actor) : nullptr)
        result->result->pose(std::min(m_session.frame(), result->result->frames() - 1), pose);
    std::vector<Affine> worlds;
    rig::worldTransforms(a->actor->skeleton, pose, worlds);
    std::string id;
    m_document.edit(tr("Pin %1").arg(QString::fromStdString(a->actor->skeleton.label(sel.joints.front()))),
                    [&](scene::Scene& s) { id = edit::addPin(s, sel.actor, sel.joints.front(), worlds); });
    m_session.selectPin(id);
}

void Bench::standInWorld() {
    const scene::Collider* c = m_document.scene().collider(m_session.selection().collider);
    const scene::ActorEntry* a = c ? m_document.scene().actor(c->actor) : nullptr;
    const ResultsPtr& r = m_document.results();
    const pipeline::ActorResult* result = r && a ? r->evaluation.actor(a->id) : nullptr;
    const int joint = a ? a->actor->skeleton.find(c->joint) : rig::kNoJoint;
    if (!result || joint == rig::kNoJoint) return;
    std::vector<Xform> pose;
    std::vector<Affine> worlds;
    result->body->pose(std::min(m_session.frame(), result->body->frames() - 1), pose);
    rig::worldTransforms(a->actor->skeleton, pose, worlds);
    m_document.edit(tr("Leave the collider in the world"),
                    [&, id = c->id](scene::Scene& s) { edit::standInWorld(s, id, worlds[static_cast<std::size_t>(joint)]); });
}

void Bench::switchSelected() {
    if (const auto owner = m_session.selection().owner())
        m_document.edit(tr("Switch on or off"), [&](scene::Scene& s) { edit::turnOn(s, *owner, !edit::isOn(s, *owner)); });
}

void Bench::keyHere() {
    // The row under the mouse or with the focus; the swing rate when a layer is merely selected.
    SettingRow* row = nullptr;
    for (QWidget* w : {QApplication::focusWidget(), QApplication::widgetAt(QCursor::pos())})
        for (; w && !row; w = w->parentWidget()) row = qobject_cast<SettingRow*>(w);
    if (!row) row = m_tuner->firstKeyable();
    if (row && row->keyButton() && row->isVisible()) row->keyButton()->click();
}

void Bench::markCut() {
    const int frame = m_session.frame();
    if (frame == 0) {
        say(tr("The first frame begins the shot; a cut is marked at a later one."));
        return;
    }
    m_document.edit(tr("Cut at frame %1").arg(frame + 1), [frame](scene::Scene& s) { edit::markCut(s, frame); });
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
    add("frame", tr("Frame the selection"), QKeySequence(Qt::Key_F), {}, [this] { m_stage->frameSelection(); });
    QAction* ghost = add("ghost", tr("Show the body's ghost"), QKeySequence(Qt::Key_G), "eye",
                         [this] { m_session.setGhost(m_actions["ghost"]->isChecked()); });
    ghost->setCheckable(true);
    QAction* joints = add("joints", tr("Show joints and colliders"), QKeySequence(Qt::Key_J), "bone",
                          [this] { m_stage->setJointsShown(m_actions["joints"]->isChecked()); });
    joints->setCheckable(true);
    joints->setChecked(true);
    QAction* night = add("night", tr("Night: light on dark"), {}, "moon", [this] {
        look::setLight(*qApp, m_actions["night"]->isChecked() ? look::Light::Night : look::Light::Day);
        if (QSettings* s = preferences()) s->setValue(QStringLiteral("night"), m_actions["night"]->isChecked());
        m_document.sceneChanged();
    });
    night->setCheckable(true);
    const std::pair<const char*, StepId> steps[] = {{"attach", StepId::Attach}, {"tune", StepId::Tune}};
    for (const auto& [id, step] : steps)
        add(QLatin1String(id), step == StepId::Attach ? tr("Go to Attach") : tr("Go to Tune"),
            QKeySequence(Qt::CTRL | (step == StepId::Attach ? Qt::Key_1 : Qt::Key_2)), {},
            [this, step = step] { m_session.setStep(step); });
    const std::tuple<const char*, QString, QWidget*> panels[] = {{"fold-roster", tr("Fold or show the roster"), m_roster},
                                                                 {"fold-tuner", tr("Fold or show the tuner"), m_tuner},
                                                                 {"fold-tape", tr("Fold or show the tape"), m_tape}};
    for (const auto& [id, text, panel] : panels)
        add(QLatin1String(id), text, {}, {}, [panel = panel] { panel->setVisible(!panel->isVisible()); });
}

QMenu* Bench::menu() {
    auto* m = new QMenu(this);
    const auto group = [&](std::initializer_list<const char*> ids) {
        for (const char* id : ids) m->addAction(m_actions.value(QLatin1String(id)));
        m->addSeparator();
    };
    group({"open", "open-demo", "open-recent", "bring-in", "save", "save-as", "hand-off"});
    group({"undo", "redo", "remove", "select-chain"});
    QMenu* layer = m->addMenu(tr("Layer"));
    for (const char* id : {"add-strand", "add-jiggle", "mute", "solo", "layer-down", "layer-up"})
        layer->addAction(m_actions.value(QLatin1String(id)));
    QMenu* collider = m->addMenu(tr("Collider"));
    for (const char* id : {"add-sphere", "add-capsule", "add-box", "add-plane", "fit", "collider-world"})
        collider->addAction(m_actions.value(QLatin1String(id)));
    QMenu* air = m->addMenu(tr("Winds, pins and cuts"));
    for (const char* id : {"add-wind", "add-pin", "pin-end", "pin-to-selection", "item-on", "key", "cut"})
        air->addAction(m_actions.value(QLatin1String(id)));
    QMenu* trial = m->addMenu(tr("Trials and tug"));
    for (const rig::TrialMove& move : rig::trialMoves())
        trial->addAction(m_actions.value(QStringLiteral("trial-") + qs(move.id)));
    trial->addSeparator();
    for (const char* id : {"tug", "record", "take"}) trial->addAction(m_actions.value(QLatin1String(id)));
    QMenu* view = m->addMenu(tr("View"));
    for (const char* id : {"frame", "ghost", "joints", "night", "fold-roster", "fold-tuner", "fold-tape"})
        view->addAction(m_actions.value(QLatin1String(id)));
    m->addSeparator();
    group({"find", "quit"});
    return m;
}

QWidget* Bench::header() {
    auto* w = new QWidget;
    w->setObjectName(QStringLiteral("paper"));
    w->setFixedHeight(40);
    auto* row = new QHBoxLayout(w);
    row->setContentsMargins(8, 0, 8, 0);
    row->setSpacing(4);
    auto* left = new QWidget;
    auto* leftRow = new QHBoxLayout(left);
    leftRow->setContentsMargins(0, 0, 0, 0);
    leftRow->setSpacing(8);
    auto* menuButton = new QToolButton;
    menuButton->setIcon(look::icon(QStringLiteral("layers")));
    menuButton->setText(QStringLiteral("Nutatio"));
    menuButton->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    menuButton->setFont(look::textFont(11, QFont::Bold));
    menuButton->setAccessibleName(tr("Menu"));
    menuButton->setPopupMode(QToolButton::InstantPopup);
    menuButton->setStyleSheet(QStringLiteral("QToolButton::menu-indicator { image: none; }"));
    menuButton->setMenu(menu());
    leftRow->addWidget(menuButton);
    m_title = new QLabel;
    m_title->setObjectName(QStringLiteral("soft"));
    leftRow->addWidget(m_title, 1);
    row->addWidget(left, 1);
    const std::pair<QString, StepId> steps[] = {
        {tr("Attach"), StepId::Attach}, {tr("Tune"), StepId::Tune}, {tr("Hand off"), StepId::HandOff}};
    for (const auto& [name, step] : steps) {
        auto* b = new QToolButton;
        b->setObjectName(QStringLiteral("step"));
        b->setText(name);
        b->setCheckable(true);
        b->setAccessibleName(tr("Step: %1").arg(name));
        b->setProperty("step", static_cast<int>(step));
        connect(b, &QToolButton::clicked, this, [this, step = step] {
            m_session.setStep(step);
            refresh();
        });
        row->addWidget(b);
        m_steps << b;
    }
    auto* right = new QWidget;
    auto* rightRow = new QHBoxLayout(right);
    rightRow->setContentsMargins(0, 0, 0, 0);
    rightRow->setSpacing(2);
    rightRow->addStretch(1);
    for (const char* id : {"open", "save", "undo", "redo", "tug", "record", "ghost", "joints", "find"}) {
        auto* b = new QToolButton;
        b->setDefaultAction(m_actions.value(QLatin1String(id)));
        b->setIconSize(QSize(18, 18));
        b->setAccessibleName(b->defaultAction()->text());
        rightRow->addWidget(b);
    }
    row->addWidget(right, 1);
    return w;
}

QWidget* Bench::statusLine() {
    auto* w = new QWidget;
    w->setObjectName(QStringLiteral("paper"));
    w->setFixedHeight(24);
    auto* row = new QHBoxLayout(w);
    row->setContentsMargins(10, 0, 10, 0);
    m_hint = new QLabel;
    m_hint->setObjectName(QStringLiteral("soft"));
    m_busy = new QProgressBar;
    m_busy->setRange(0, 0);
    m_busy->setFixedWidth(120);
    m_busy->setTextVisible(false);
    m_stop = new QToolButton;
    m_stop->setText(tr("Cancel"));
    m_stop->setObjectName(QStringLiteral("stop"));
    connect(m_stop, &QToolButton::clicked, this, [this] {
        m_busy->hide();
        m_stop->hide();
        if (m_opening) {
            m_opening = false;
            m_document.stopOpening();
            m_hint->setText(tr("Stopped; what was open stays open."));
        } else {
            m_document.stopSimulating();
            m_hint->setText(tr("Stopped; the motion on show is older than the settings. The next change simulates again."));
        }
    });
    m_status = new QLabel;
    m_status->setFont(look::figureFont(8.5));
    m_status->setObjectName(QStringLiteral("soft"));
    row->addWidget(m_hint);
    row->addWidget(m_busy);
    row->addWidget(m_stop);
    row->addStretch(1);
    row->addWidget(m_status);
    m_busy->hide();
    m_stop->hide();
    return w;
}

void Bench::layOut() {
    auto* all = new QWidget;
    all->setObjectName(QStringLiteral("paper"));
    auto* column = new QVBoxLayout(all);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(header());
    auto* line = new QFrame;
    line->setObjectName(QStringLiteral("line"));
    line->setFixedHeight(1);
    column->addWidget(line);
    column->addWidget(m_recovery);
    column->addWidget(m_notice);
    m_across = new QSplitter(Qt::Horizontal);
    m_across->setHandleWidth(1);
    m_across->addWidget(m_roster);
    m_across->addWidget(m_stage);
    m_across->addWidget(m_tuner);
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({220, 760, 300});
    m_across->setCollapsible(1, false);
    m_roster->setMinimumWidth(160);
    m_tuner->setMinimumWidth(270);
    m_down = new QSplitter(Qt::Vertical);
    m_down->setHandleWidth(1);
    m_down->addWidget(m_across);
    m_down->addWidget(m_tape);
    m_down->setStretchFactor(0, 1);
    m_down->setSizes({520, 200});
    m_tape->setMinimumHeight(104);
    column->addWidget(m_down, 1);
    auto* foot = new QFrame;
    foot->setObjectName(QStringLiteral("line"));
    foot->setFixedHeight(1);
    column->addWidget(foot);
    column->addWidget(statusLine());
    setCentralWidget(all);
    resize(1280, 800);
}

void Bench::refresh() {
    const Selection& s = m_session.selection();
    const scene::Scene& scene = m_document.scene();
    m_actions["undo"]->setEnabled(m_document.canUndo());
    m_actions["redo"]->setEnabled(m_document.canRedo());
    m_actions["undo"]->setToolTip(m_document.canUndo() ? tr("Undo %1 (Ctrl+Z)").arg(m_document.undoName())
                                                       : tr("Nothing to undo"));
    m_actions["redo"]->setToolTip(m_document.canRedo() ? tr("Redo %1 (Ctrl+Shift+Z)").arg(m_document.redoName())
                                                       : tr("Nothing to redo"));
    const bool joints = !s.joints.empty(), layer = !s.layer.empty(), collider = !s.collider.empty();
    for (const char* id :
         {"add-strand", "add-jiggle", "add-sphere", "add-capsule", "add-box", "add-plane", "select-chain", "add-pin"})
        m_actions[QLatin1String(id)]->setEnabled(joints);
    for (const char* id : {"mute", "solo", "layer-down", "layer-up"}) m_actions[QLatin1String(id)]->setEnabled(layer);
    const bool wind = !s.wind.empty(), pin = !s.pin.empty(), any = !scene.actors.empty();
    m_actions["item-on"]->setEnabled(collider || wind || pin);
    m_actions["collider-world"]->setEnabled(collider && !s.actor.empty());
    for (const char* id : {"pin-end", "pin-to-selection"}) m_actions[QLatin1String(id)]->setEnabled(pin);
    m_actions["open-recent"]->setEnabled(!recentFiles().isEmpty());
    m_actions["open-demo"]->setEnabled(!demoFile().isEmpty());
    m_actions["take"]->setEnabled(!scene.layers.empty());
    for (const char* id : {"fit", "add-wind", "cut", "tug", "record"}) m_actions[QLatin1String(id)]->setEnabled(any);
    for (const rig::TrialMove& move : rig::trialMoves()) m_actions[QStringLiteral("trial-") + qs(move.id)]->setEnabled(any);
    m_actions["key"]->setEnabled(layer || pin);
    m_actions["remove"]->setEnabled(layer || collider || wind || pin);
    for (const char* id : {"save", "save-as", "hand-off"}) m_actions[QLatin1String(id)]->setEnabled(!scene.actors.empty());
    for (QToolButton* b : m_steps) b->setChecked(b->property("step").toInt() == static_cast<int>(m_session.step()));
    m_title->setText(m_document.title() + (m_document.isModified() ? QStringLiteral(" *") : QString()));
    setWindowTitle(m_document.title().isEmpty()
                       ? QStringLiteral("Nutatio")
                       : m_document.title() + (m_document.isModified() ? QStringLiteral("*") : QString()) +
                             QStringLiteral(" – Nutatio"));
}

void Bench::showProgress(double share) {
    if (share < 0) {
        m_simulates = false;
        if (m_opening) return;
        m_busy->hide();
        m_stop->hide();
        if (m_hint->text().startsWith(tr("Simulating"))) m_hint->clear();
        return;
    }
    if (!m_simulates) m_simulatingSince.start();
    m_simulates = true;
    // What is done within half a second needs no bar.
    if (m_opening || m_simulatingSince.elapsed() < 500) return;
    m_busy->setRange(0, 100);
    m_busy->setValue(static_cast<int>(100 * share));
    m_busy->show();
    m_stop->show();
    m_hint->setText(tr("Simulating, %1 % done").arg(100 * share, 0, 'f', 0));
}

void Bench::showEvaluation() {
    const ResultsPtr& r = m_document.results();
    if (!r) return;
    std::size_t layers = 0;
    for (const pipeline::ActorResult& a : r->evaluation.actors) layers += a.layers.size();
    m_status->setText(tr("%1 frames · %2 of %3 layers simulated in %4 ms")
                          .arg(m_document.frames())
                          .arg(r->evaluation.simulated)
                          .arg(layers)
                          .arg(r->evaluation.milliseconds, 0, 'f', 1));
}

void Bench::say(const QString& sentence) {
    m_hint->setText(sentence);
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
    if (as || path.isEmpty()) {
        const QString suggested = m_document.title() + QStringLiteral(".nutatio");
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
    const bool own = QFileInfo(path) == QFileInfo(m_document.path()) && !m_document.path().isEmpty();
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
    m_recovery->say(tr("Nutatio ended unexpectedly on %1 with unsaved work.")
                        .arg(QFileInfo(file).lastModified().toString(QStringLiteral("d MMMM, hh:mm"))),
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

void Bench::addLayer(const std::string& kind) {
    const Selection& s = m_session.selection();
    const layers::LayerKind* k = layers::findKind(kind);
    const scene::ActorEntry* a = m_document.scene().actor(s.actor);
    if (!a || s.joints.empty()) return;
    std::vector<std::string> joints;
    for (int j : s.joints) joints.push_back(a->actor->skeleton.reference(j));
    std::string id;
    m_document.edit(tr("Add %1").arg(qs(k->label)),
                    [&](scene::Scene& scene) { id = edit::addLayer(scene, kind, a->id, joints); });
    m_session.selectLayer(id);
    m_session.setStep(StepId::Tune);
    m_stage->setFocus();  // Space plays, rather than pressing the button that is gone
}

std::string Bench::jointName(const Selection& s) const {
    const scene::ActorEntry* a = m_document.scene().actor(s.actor);
    return a && !s.joints.empty() ? a->actor->skeleton.reference(s.joints.front()) : std::string();
}

void Bench::addCollider(scene::Shape shape) {
    const Selection s = m_session.selection();
    if (s.joints.empty()) return;
    std::string id;
    m_document.edit(tr("Add a %1 collider").arg(qs(scene::shapeName(shape))),
                    [&](scene::Scene& scene) { id = edit::addCollider(scene, s.actor, jointName(s), shape); });
    m_session.selectCollider(id);
}

void Bench::removeSelected() {
    const Selection s = m_session.selection();
    const QString what = !s.layer.empty()      ? tr("Remove layer")
                         : !s.collider.empty() ? tr("Remove collider")
                         : !s.wind.empty()     ? tr("Remove wind")
                                               : tr("Remove pin");
    if (const auto owner = s.owner()) m_document.edit(what, [&](scene::Scene& scene) { edit::remove(scene, *owner); });
}

void Bench::moveLayer(int by) {
    m_document.edit(tr("Move layer"), [&](scene::Scene& scene) { edit::moveLayer(scene, m_session.selection().layer, by); });
}

void Bench::toggleLayer(bool solo) {
    m_document.edit(solo ? tr("Solo") : tr("Mute"), [&](scene::Scene& scene) {
        if (scene::Layer* l = scene.layer(m_session.selection().layer)) (solo ? l->solo : l->muted) ^= true;
    });
}

void Bench::closeEvent(QCloseEvent* e) {
    if (m_closing || !m_document.isModified()) {
        e->accept();
        return;
    }
    e->ignore();
    guarded(tr("Quit"), [this] {
        m_closing = true;
        close();
    });
}

void Bench::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void Bench::dropEvent(QDropEvent* e) {
    const QList<QUrl> urls = e->mimeData()->urls();
    if (urls.isEmpty()) return;
    e->acceptProposedAction();
    open(urls.front().toLocalFile());
}

void Bench::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_B && !e->isAutoRepeat()) m_session.setBodyHeld(true);
}

void Bench::keyReleaseEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_B && !e->isAutoRepeat()) m_session.setBodyHeld(false);
}

bool Bench::eventFilter(QObject* o, QEvent* e) {
    // Space always plays, except in text (whose fields take it themselves). A button that the keyboard has reached is pressed
    // with Enter instead.
    if (e->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(e);
        auto* button = qobject_cast<QAbstractButton*>(o);
        if (button && button->window() == this && (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter)) {
            if (!key->isAutoRepeat()) button->click();
            return true;
        }
    }
    if (e->type() == QEvent::WindowDeactivate && o == this) m_session.setBodyHeld(false);
    return QMainWindow::eventFilter(o, e);
}

}  // namespace nutatio::app
