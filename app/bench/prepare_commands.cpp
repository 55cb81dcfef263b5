// The bench's commands of Prepare.
#include "app/bench/bench.h"
#include "edit/edit.h"
#include "rig/parts.h"

namespace nutatio::app {

void Bench::makePrepareCommands() {
    QAction* bend =
        add("bend-test", tr("Bend test: swing the selected joints, and see what follows"), QKeySequence(Qt::SHIFT | Qt::Key_B),
            "activity", [this] { bendTest(m_actions["bend-test"]->isChecked()); });
    bend->setCheckable(true);
    QAction* helper =
        add("helper", tr("Helper joint: click on the mesh where it is to be"), QKeySequence(Qt::SHIFT | Qt::Key_J), "plus",
            [this] { useTool(m_actions["helper"]->isChecked() ? Stage::Tool::Helper : Stage::Tool::None); });
    helper->setCheckable(true);
    connect(m_stage, &Stage::helperWanted, this, &Bench::addHelper);
    QAction* paint = add("paint", tr("Paint skin weights of the selected joint"), QKeySequence(Qt::SHIFT | Qt::Key_P), "pencil",
                         [this] { paintWeights(m_actions["paint"]->isChecked()); });
    paint->setCheckable(true);
    connect(m_stage, &Stage::strokeMade, this, &Bench::keepStroke);
    connect(&m_session, &Session::paintingChanged, this, [this, paint] { paint->setChecked(m_session.painting().on); });
    connect(&m_session, &Session::spotChanged, this,
            [this, bend] { bend->setChecked(m_session.spot() && m_session.spot()->follows && m_session.spot()->map.empty()); });
    QAction* chain = add("chain", tr("Chain of joints: fitted through a piece of mesh, or drawn along it"),
                         QKeySequence(Qt::SHIFT | Qt::Key_C), "link",
                         [this] { useTool(m_actions["chain"]->isChecked() ? Stage::Tool::Chain : Stage::Tool::None); });
    QAction* pivot = add("pivot", tr("Move the joint's pivot; its mesh stays"), QKeySequence(Qt::SHIFT | Qt::Key_V), "diamond",
                         [this] { useTool(m_actions["pivot"]->isChecked() ? Stage::Tool::Pivot : Stage::Tool::None); });
    for (QAction* a : {chain, pivot}) a->setCheckable(true);
    connect(m_stage, &Stage::chainWanted, this, &Bench::addChain);
    connect(m_stage, &Stage::pivotWanted, this, &Bench::movePivot);
    connect(m_stage, &Stage::mapStrokeMade, this,
            [this](const std::string& actor, const std::string& map, const rig::Stroke& stroke) {
                attempt(tr("Paint the map %1").arg(QString::fromStdString(map)),
                        [&](scene::Scene& s) { return edit::paintMap(s, actor, map, stroke); });
            });
    connect(&m_session, &Session::faceChanged, this, [this] {
        if (m_stage->tool() != Stage::Tool::None) useTool(Stage::Tool::None);
    });
    add("add-end", tr("Add an end joint beyond the joint"), {}, "bone", [this] { addEndJoint(); });
    add("mirror-joint", tr("Make the joint or chain that was made here on the other side too"), {}, "flip-horizontal",
        [this] { mirrorJoint(); });
    add("hang-on", tr("Hang the joint that was made here on the one selected after it"), {}, "link", [this] { hangOn(); });
    add("remove-joint", tr("Remove the joint or chain that was made here"), {}, "trash-2", [this] { removeJoint(); });
    add("lock-weights", tr("Let brushes leave the weights of the joints alone, or not any more"), {}, "pin",
        [this] { lockWeights(); });
    add("accept-parts", tr("Make parts of all that names and skeleton suggest"), {}, "layout-grid", [this] {
        const scene::ActorEntry* a = chosenActor();
        if (!a) return;
        m_session.setStep(StepId::Prepare);
        m_session.setFace(FaceId::Parts);
        m_document.edit(tr("Accept parts"), [id = a->id](scene::Scene& s) { edit::acceptParts(s, id); });
    });
}

const scene::ActorEntry* Bench::chosenActor() const {
    const scene::Scene& s = m_document.scene();
    if (const scene::ActorEntry* a = s.actor(m_session.selection().actor); a && !a->isPiece()) return a;
    for (const scene::ActorEntry& a : s.actors)
        if (!a.isPiece()) return &a;
    return nullptr;
}

bool Bench::attempt(const QString& name, const std::function<Result<Done>(scene::Scene&)>& what, const QString& gesture) {
    scene::Scene next = m_document.scene();
    if (const auto done = what(next); !done) {
        say(QString::fromStdString(done.error().sentence));
        return false;
    }
    m_document.edit(
        name, [&](scene::Scene& s) { s = next; }, gesture);
    return true;
}

void Bench::selectNamed(const std::string& actor, const std::vector<std::string>& joints) {
    Selection selection;
    selection.actor = actor;
    const rig::Skeleton& k = m_document.scene().actor(actor)->actor->skeleton;
    for (const std::string& n : joints)
        if (const int j = k.find(n); j != rig::kNoJoint) selection.joints.push_back(j);
    m_session.select(std::move(selection));
}

void Bench::addChain(const Stage::Chain& c) {
    const scene::ActorEntry* a = m_document.scene().actor(c.actor);
    if (!a) return;
    const rig::Skeleton& k = a->actor->skeleton;
    const std::string name = freshJoint(k, k.label(k.find(c.joint)) + "_chain", "_01");
    std::vector<std::string> made;
    const bool done = attempt(tr("Add a chain"), [&](scene::Scene& s) -> Result<Done> {
        auto joints = edit::addChain(s, c.actor, c.joint, name, c.row, c.reach);
        if (!joints) return joints.error();
        made = std::move(joints.value());
        return Done{};
    });
    if (!done) return;
    useTool(Stage::Tool::None);
    made.pop_back();  // its end moves nothing
    selectNamed(c.actor, made);
    say(tr("Made %1 joints and an end. Put a strand on them under Attach; F2 renames a joint.").arg(made.size()));
}

void Bench::movePivot(const std::string& actor, int joint, const Vec3& place, const QString& gesture) {
    const scene::ActorEntry* a = m_document.scene().actor(actor);
    if (!a) return;
    const std::string name = a->actor->skeleton.reference(joint);
    const bool keeps = !(QApplication::keyboardModifiers() & Qt::ShiftModifier);
    // One drag is one step of Prepare: what it did so far is replaced.
    const bool goesOn = gesture == m_pivotGesture;
    const bool done = attempt(
        tr("Move the pivot of %1").arg(QString::fromStdString(name)),
        [&](scene::Scene& s) -> Result<Done> {
            if (goesOn)
                if (auto back = edit::unprepare(s, actor, s.actor(actor)->preparations.size() - 1); !back) return back;
            return edit::movePivot(s, actor, name, place, keeps);
        },
        gesture);
    // What was refused left nothing that the next move could take back.
    if (done) m_pivotGesture = gesture;
}

void Bench::mirrorJoint() {
    const Selection& sel = m_session.selection();
    const std::string actor = sel.actor, joint = jointName(sel);
    if (joint.empty()) return;
    std::vector<std::string> made;
    const bool done = attempt(tr("Make the other side"), [&](scene::Scene& s) -> Result<Done> {
        auto joints = edit::mirrorJoint(s, actor, joint);
        if (!joints) return joints.error();
        made = std::move(joints.value());
        return Done{};
    });
    if (done) selectNamed(actor, made);
}

void Bench::hangOn() {
    const Selection sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(sel.actor);
    if (!a || sel.joints.size() != 2) {
        say(tr("Select the joint that was made here first, then with Ctrl the one that it is to hang on."));
        return;
    }
    const rig::Skeleton& k = a->actor->skeleton;
    rig::Preparation edit{rig::Preparation::What::HangOn, k.reference(sel.joints[0]), {}, Vec3::Zero()};
    edit.onto = k.reference(sel.joints[1]);
    prepare(tr("Hang %1 on %2").arg(QString::fromStdString(edit.joint), QString::fromStdString(edit.onto)), sel.actor, edit);
}

void Bench::removeJoint() {
    const std::string actor = m_session.selection().actor, joint = jointName(m_session.selection());
    if (joint.empty()) return;
    attempt(tr("Remove %1").arg(QString::fromStdString(joint)),
            [&](scene::Scene& s) { return edit::removeJoint(s, actor, joint); });
}

void Bench::lockWeights() {
    const Selection& sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(sel.actor);
    if (!a || sel.joints.empty()) return;
    std::vector<std::string> joints;
    for (int j : sel.joints) joints.push_back(a->actor->skeleton.reference(j));
    const bool locks = std::any_of(joints.begin(), joints.end(), [&](const std::string& j) {
        return std::find(a->locked.begin(), a->locked.end(), j) == a->locked.end();
    });
    m_document.edit(locks ? tr("Lock weights") : tr("Free weights"),
                    [&](scene::Scene& s) { edit::lockWeights(s, sel.actor, joints, locks); });
    say(locks ? tr("Brushes leave these weights as they are.") : tr("Brushes may change these weights again."));
}

void Bench::paintWeights(bool on) {
    if (on && m_session.selection().joints.empty()) {
        m_actions["paint"]->setChecked(false);
        say(tr("Select the joint whose weights are to be painted first."));
        return;
    }
    if (on) {
        useTool(Stage::Tool::None);
        m_session.setStep(StepId::Prepare);
        m_session.setFace(FaceId::Joints);
    }
    Painting tool = m_session.painting();
    tool.on = on;
    tool.map.clear();
    m_session.setPainting(tool);
    say(on ? tr("Drag on the mesh. Ctrl: take. Shift: smooth. Wheel: radius. Ctrl and wheel: strength. Esc: enough.")
           : QString());
}

void Bench::keepStroke(const std::string& actor, const std::string& joint, const rig::Stroke& stroke) {
    rig::Preparation edit{rig::Preparation::What::Paint, joint, {}, Vec3::Zero()};
    edit.stroke = stroke;
    prepare(tr("Paint weights of %1").arg(QString::fromStdString(joint)), actor, edit);
}

void Bench::useTool(Stage::Tool tool) {
    if (tool == Stage::Tool::Pivot && m_session.selection().joints.size() != 1) {
        say(tr("Select the one joint whose pivot is to be moved first."));
        tool = Stage::Tool::None;
    } else {
        say(tool == Stage::Tool::Helper  ? tr("Click where the joint is to be. Wheel: how far its skin reaches. Shift: on the "
                                               "other side too. Esc: enough.")
            : tool == Stage::Tool::Chain ? tr("Click a piece of mesh near where the chain begins, or draw along it. Wheel: "
                                              "joints. Ctrl and wheel: reach. Esc: enough.")
            : tool == Stage::Tool::Pivot ? tr("Drag the joint to where it is to turn; its mesh stays. Shift: in clips it turns "
                                              "from there too. Esc: enough.")
            : tool == Stage::Tool::Path  ? tr("Draw the way on the ground. Esc: enough.")
                                         : QString());
    }
    if (tool != Stage::Tool::None && m_session.painting().on) paintWeights(false);
    if (tool != Stage::Tool::None) m_session.setSpot({});
    m_stage->setTool(tool);
    for (const auto& [id, which] : {std::pair{"helper", Stage::Tool::Helper},
                                    {"chain", Stage::Tool::Chain},
                                    {"pivot", Stage::Tool::Pivot},
                                    {"path", Stage::Tool::Path}})
        m_actions[QLatin1String(id)]->setChecked(tool == which);
}

std::string Bench::freshJoint(const rig::Skeleton& k, const std::string& stem, const char* also) {
    // Sided or numbered fellows of it must be free too.
    const auto taken = [&](const std::string& n) { return k.find(n) != rig::kNoJoint || k.find(n + also) != rig::kNoJoint; };
    std::string name = stem;
    for (int n = 2; taken(name); ++n) name = stem + "_" + std::to_string(n);
    return name;
}

void Bench::addHelper(const Stage::Helper& h, bool both) {
    const scene::ActorEntry* a = m_document.scene().actor(h.actor);
    if (!a) return;
    // A name of its own, after what it hangs on.
    const int on = a->actor->skeleton.find(h.joint);
    const std::string name = freshJoint(a->actor->skeleton, a->actor->skeleton.label(on) + "_soft", "_L");
    scene::Scene with = m_document.scene();
    const auto made = edit::addHelper(with, h.actor, h.joint, name, h.place, h.reach, both);
    if (!made) {
        say(QString::fromStdString(made.error().sentence));
        return;
    }
    m_document.edit(tr("Add a helper joint"), [&](scene::Scene& s) { s = with; });
    useTool(Stage::Tool::None);
    selectNamed(h.actor, made.value());
    say(tr("Made %1. Shift+B swings it; F2 renames it.").arg(QString::fromStdString(made.value().front())));
}

void Bench::bendTest(bool on) {
    if (on && m_session.painting().on) paintWeights(false);
    const Selection& s = m_session.selection();
    if (!on || s.joints.empty()) {
        m_session.setSpot({});
        m_actions["bend-test"]->setChecked(false);
        if (on) say(tr("Select the joints to swing first."));
        return;
    }
    Spot spot;
    spot.actor = s.actor;
    spot.joints = s.joints;
    spot.swings = spot.follows = true;
    m_session.setSpot(std::move(spot));
}

void Bench::prepare(const QString& name, const std::string& actor, const rig::Preparation& edit) {
    attempt(name, [&](scene::Scene& s) { return edit::prepare(s, actor, edit); });
}

void Bench::addEndJoint() {
    const Selection sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(sel.actor);
    if (!a || sel.joints.empty()) return;
    const rig::Skeleton& s = a->actor->skeleton;
    // Beyond the last joint of the selection, as far on as that one stands from its parent.
    const int last = sel.joints.back();
    const Xform& rest = s.joint(last).rest;
    Vec3 on = rest.r.conjugate() * rest.t;
    if (on.norm() < 1e-9) on = Vec3(0, 0.1 * a->actor->height, 0);
    std::string name = s.label(last) + "_end";
    for (int n = 2; s.find(name) != rig::kNoJoint; ++n) name = s.label(last) + "_end_" + std::to_string(n);
    const int fresh = s.size();
    prepare(tr("Add an end joint"), a->id, {rig::Preparation::What::AddEnd, s.reference(last), name, on});
    if (const scene::ActorEntry* now = m_document.scene().actor(sel.actor); now && now->actor->skeleton.size() > fresh)
        m_session.selectJoint(sel.actor, fresh);
}

}  // namespace nutatio::app
