#include "app/prepare/joints_face.h"

#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/edit.h"
#include "rig/parts.h"

namespace nutatio::app {

namespace {

using What = rig::Preparation::What;

QString saidOf(const rig::Preparation& e, int strokes) {
    switch (e.what) {
        case What::Rename:
            return QObject::tr("%1 is called %2").arg(qs(e.joint), qs(e.name));
        case What::AddEnd:
            return QObject::tr("end joint %1").arg(qs(e.name));
        case What::AddHelper:
            return QObject::tr("helper joint %1").arg(qs(e.name));
        case What::AddChain:
            return QObject::tr("chain %1, %2 joints").arg(qs(e.name)).arg(e.row.size() - 1);
        case What::MovePivot:
            return QObject::tr("pivot of %1 moved").arg(qs(e.joint));
        case What::HangOn:
            return QObject::tr("%1 hangs on %2").arg(qs(e.joint), qs(e.onto));
        case What::Release:
            return QObject::tr("a region lets go of %1").arg(qs(e.joint));
        case What::Height:
            return QObject::tr("stands %1 m tall").arg(e.metres, 0, 'g', 3);
        case What::Role:
            return QObject::tr("%1 is: %2").arg(qs(e.joint), qs(e.name));
        case What::Paint:
            return strokes > 1 ? QObject::tr("%1 painted, %2 strokes").arg(qs(e.joint)).arg(strokes)
                               : QObject::tr("%1 painted").arg(qs(e.joint));
    }
    return {};
}

}  // namespace

JointsFace::JointsFace(Document& document, Session& session, QWidget* parent)
    : Face(document, session, parent), m_brush(new BrushPanel(document, session)) {
    addCommands(top(), {{QStringLiteral("helper"), tr("Helper joint")},
                        {QStringLiteral("chain"), tr("Chain")},
                        {QStringLiteral("pivot"), tr("Move pivot")},
                        {QStringLiteral("paint"), tr("Paint weights")},
                        {QStringLiteral("bend-test"), tr("Bend test")},
                        {QStringLiteral("lock-weights"), tr("Lock weights")}});
    top()->addWidget(m_brush);
    connect(&session, &Session::paintingChanged, this, &JointsFace::showBrush);
}

void JointsFace::showBrush() {
    const bool on = m_session.painting().on && m_session.painting().map.empty();
    m_brush->setVisible(on);
    if (on) m_brush->refresh();
}

void JointsFace::lay() {
    showBrush();
    const scene::ActorEntry* a = actor();
    if (!a) {
        Q_EMIT titleChanged(tr("Nothing is open"));
        return;
    }
    const std::vector<std::string> joints = selectedJoints();
    const rig::Skeleton& k = a->actor->skeleton;
    Q_EMIT titleChanged(joints.empty() ? tr("No joint selected")
                                       : qs(rig::plainName(k, k.find(joints.front()))) +
                                             (joints.size() > 1 ? tr(" and %1 more").arg(joints.size() - 1) : QString()));
    const bool made = !joints.empty() && k.joint(k.find(joints.front())).made;
    if (made) {
        addText(tr("It was made here:"));
        addCommands(rows(), {{QStringLiteral("mirror-joint"), tr("Other side too")},
                             {QStringLiteral("hang-on"), tr("Hang on ...")},
                             {QStringLiteral("remove-joint"), tr("Remove")}});
    }
    if (!a->locked.empty()) {
        addHeading(tr("Weights that brushes leave alone"));
        for (const std::string& j : a->locked) {
            ListRow* row = addRow(qs(j));
            row->addButton(QStringLiteral("unlock"), tr("Free"), tr("Lets brushes change its weights again"),
                           [this, id = a->id, j] {
                               m_document.edit(tr("Free the weights of %1").arg(qs(j)),
                                               [&](scene::Scene& s) { edit::lockWeights(s, id, {j}, false); });
                           });
        }
    }
    layDone(*a);
}

void JointsFace::layDone(const scene::ActorEntry& a) {
    if (a.preparations.empty()) {
        addText(tr("Nothing was done to this rig yet. What is done here leaves the file as it is; the hand-off takes it along."));
        return;
    }
    addHeading(tr("Done to %1 so far, the last first").arg(qs(a.name)));
    // Strokes on one joint that follow one another are one line.
    for (std::size_t last = a.preparations.size(); last > 0;) {
        std::size_t first = last - 1;
        const rig::Preparation& e = a.preparations[first];
        if (e.what == What::Paint)
            while (first > 0 && a.preparations[first - 1].what == What::Paint && a.preparations[first - 1].joint == e.joint)
                --first;
        ListRow* row = addRow(saidOf(e, static_cast<int>(last - first)));
        row->setObjectName(QStringLiteral("done"));
        const auto idle = std::find_if(a.undone.begin() + static_cast<std::ptrdiff_t>(std::min(first, a.undone.size())),
                                       a.undone.begin() + static_cast<std::ptrdiff_t>(std::min(last, a.undone.size())),
                                       [](const std::string& why) { return !why.empty(); });
        if (idle != a.undone.begin() + static_cast<std::ptrdiff_t>(std::min(last, a.undone.size()))) {
            row->setSwatch(look::theme().ochre);
            row->setToolTip(tr("Not in force: %1").arg(qs(*idle)));
        }
        row->addButton(QStringLiteral("undo-step"), tr("Take away"), tr("Takes this away, with what rests on it"),
                       [this, id = a.id, first, last] {
                           attempt(tr("Take away a step of Prepare"), [&](scene::Scene& s) -> Result<Done> {
                               for (std::size_t k = last; k-- > first;)
                                   if (auto done = edit::unprepare(s, id, k); !done) return done;
                               return Done{};
                           });
                       });
        connect(row, &ListRow::chosen, this,
                [this, id = a.id,
                 name = e.what == What::Rename || e.what == What::AddEnd || e.what == What::AddHelper ? e.name
                        : e.what == What::AddChain ? rig::chainJoint(e.name, 0, e.row.size() - 1)
                                                   : e.joint] {
                    const scene::ActorEntry* now = m_document.scene().actor(id);
                    if (const int j = now ? now->actor->skeleton.find(name) : rig::kNoJoint; j != rig::kNoJoint)
                        m_session.selectJoint(id, j);
                });
        last = first;
    }
}

}  // namespace nutatio::app
