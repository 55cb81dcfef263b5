#include "app/prepare/motion_face.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QSpinBox>
#include <QStringListModel>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/edit.h"
#include "edit/line.h"
#include "edit/motions.h"
#include "files/scene_file.h"
#include "rig/parts.h"

namespace nutatio::app {

MotionFace::MotionFace(Document& document, Session& session, QWidget* parent)
    : Face(document, session, parent), m_sheets(session.sheets()) {
    connect(&m_worker, &NewestWins::failed, this, &MotionFace::said);
}

void MotionFace::choose() {
    const QString path = QFileDialog::getOpenFileName(this, tr("Bring in a motion"), {}, tr("Motions (*.bvh *.glb *.gltf)"));
    if (!path.isEmpty()) bring(path);
}

void MotionFace::bring(const QString& path) {
    const scene::ActorEntry* a = actor();
    if (!a) return;
    m_reading = true;
    refresh();
    m_worker.ask([this, path = path.toStdString(), target = a->actor, id = a->id](const Cancel&) -> NewestWins::Deliver {
        auto read = std::make_shared<Result<std::shared_ptr<const rig::Actor>>>(files::readActor(path));
        auto sheet = std::make_shared<Sheets::Motion>();
        if (*read && !read->value()->clips.empty())
            *sheet = {read->value(), id, target->content, rig::suggestMapping(*read->value(), *target), 0};
        return [this, read, sheet] {
            m_reading = false;
            if (!*read)
                Q_EMIT said(qs(read->error().text()));
            else if (read->value()->clips.empty())
                Q_EMIT said(tr("%1 has no clip.").arg(qs(read->value()->source.path)));
            else
                m_sheets.motion = std::move(*sheet);
            refresh();
        };
    });
}

void MotionFace::laySheet(const scene::ActorEntry& a, Sheets::Motion& sheet) {
    const rig::Actor& source = *sheet.source;
    addHeading(tr("%1, put on %2").arg(qs(source.name), qs(a.name)));
    auto* clips = new QComboBox;
    clips->setObjectName(QStringLiteral("motion-clip"));
    clips->setAccessibleName(tr("Which clip"));
    for (std::size_t c = 0; c < source.clips.size(); ++c)
        clips->addItem(tr("%1, %2 s").arg(qs(source.clipLabel(static_cast<int>(c)))).arg(source.clips[c].seconds(), 0, 'f', 1));
    clips->setCurrentIndex(sheet.clip);
    connect(clips, &QComboBox::currentIndexChanged, this, [this](int at) {
        if (m_sheets.motion && at >= 0) m_sheets.motion->clip = at;
    });
    rows()->addWidget(clips);
    if (!sheet.map.byNames) addText(tr("Limbs were told by shape, not by names: see whether left is left and front is front."));
    int without = 0;
    for (const rig::MappedJoint& m : sheet.map.joints) without += m.from == rig::kNoJoint;
    addText(tr("%1 joints are mapped, %2 stay at rest. Legs are %3 times as long.")
                .arg(sheet.map.joints.size() - static_cast<std::size_t>(without))
                .arg(without)
                .arg(sheet.map.scale * a.actor->metresPerUnit / source.metresPerUnit, 0, 'g', 3));
    auto* floor = new QCheckBox(tr("Floor to floor"));
    floor->setChecked(sheet.map.toFloor);
    connect(floor, &QCheckBox::clicked, this, [this](bool on) {
        if (m_sheets.motion) m_sheets.motion->map.toFloor = on;
    });
    rows()->addWidget(floor);
    addButtons(rows(),
               {{QStringLiteral("motion-put"), tr("Put it on"), tr("Makes a clip of this character, and a shot of it"),
                 [this, id = a.id] {
                     const Sheets::Motion now = *m_sheets.motion;
                     std::string made;
                     const bool done = attempt(tr("Bring in a motion"), [&](scene::Scene& s) -> Result<Done> {
                         auto name = edit::bringMotion(s, id, *now.source, now.clip, now.map);
                         if (!name) return name.error();
                         made = name.value();
                         return Done{};
                     });
                     if (!done) return;
                     m_sheets.motion.reset();
                     m_session.setFrame(0);
                     refresh();
                     Q_EMIT said(tr("%1 is a clip of the character now; Space plays it.").arg(qs(made)));
                 },
                 true},
                {QStringLiteral("motion-close"), tr("Close"), tr("Forgets this file"),
                 [this] {
                     m_sheets.motion.reset();
                     refresh();
                 },
                 true}},
               2);
    // What has no partner first.
    auto* names = new QStringListModel(rows()->parentWidget());
    QStringList all{tr("stays at rest")};
    for (int j = 0; j < source.skeleton.size(); ++j) all << qs(rig::plainName(source.skeleton, j));
    names->setStringList(all);
    for (const bool missing : {true, false})
        for (std::size_t k = 0; k < sheet.map.joints.size(); ++k) {
            const rig::MappedJoint& m = sheet.map.joints[k];
            if ((m.from == rig::kNoJoint) != missing) continue;
            ListRow* row = addRow(qs(rig::plainName(a.actor->skeleton, m.to)));
            row->setObjectName(QStringLiteral("mapped"));
            row->setToolTip(m.role == a.actor->skeleton.label(m.to) ? QString() : qs(m.role));
            if (missing) row->setSwatch(look::theme().ochre);
            auto* box = new QComboBox;
            box->setModel(names);
            box->setFixedWidth(130);
            box->setAccessibleName(tr("Moves as"));
            box->setCurrentIndex(m.from + 1);
            row->layout()->addWidget(box);
            connect(box, &QComboBox::activated, this, [this, k](int at) {
                if (!m_sheets.motion) return;
                m_sheets.motion->map.joints[k].from = at - 1;
                m_sheets.motion->map.joints[k].by = rig::MappedJoint::By::Hand;
            });
            connect(row, &ListRow::chosen, this, [this, id = a.id, joint = m.to] { m_session.selectJoint(id, joint); });
        }
}

void MotionFace::layLine(const scene::ActorEntry& a) {
    const scene::Scene& scene = m_document.scene();
    const scene::Shot& shot = scene.shot();
    const rig::Line line = edit::lineOf(scene, a.id);
    if (line.empty()) return;
    addHeading(tr("Plays in %1").arg(qs(shot.name)));
    for (std::size_t k = 0; k < line.stretches.size(); ++k) {
        const rig::Stretch& each = line.stretches[k];
        // The last frame of the shot may lie a part of a frame beyond the end of a clip.
        const double end = line.startOf(k) + each.seconds();
        const int first = shot.frameOf(line.startOf(k)),
                  last = static_cast<int>(std::ceil(end * shot.fps - (k + 1 < line.stretches.size() ? 0.5 : 1e-3)));
        QString words = each.hold > 0 ? tr("%1, held").arg(qs(each.clip)) : qs(each.clip);
        if (each.blend > 0) words += tr(", over %1 f").arg(std::lround(each.blend * shot.fps));
        ListRow* row = addRow(words, tr("%1 to %2").arg(first + 1).arg(last + 1));
        row->setObjectName(QStringLiteral("stretch"));
        connect(row, &ListRow::chosen, this, [this, first] {
            m_session.setPlaying(false);
            m_session.setFrame(first);
        });
        if (line.stretches.size() > 1)
            row->addButton(QStringLiteral("stretch-remove"), QStringLiteral("\u00d7"),
                           tr("Takes it away; what comes after moves along"), [this, id = a.id, k] {
                               attempt(tr("Take a stretch away"), [&](scene::Scene& s) { return edit::removeStretch(s, id, k); });
                           });
    }
    if (line.closing > 0) addText(tr("%1 frames more to its first pose.").arg(std::lround(line.closing * shot.fps)));
    if (line.fade > 0)
        addText(tr("The gap between its ends is faded over %1 frames at either.").arg(std::lround(line.fade * shot.fps)));
    auto* options = new QHBoxLayout;
    auto* frames = new QSpinBox;
    frames->setObjectName(QStringLiteral("line-frames"));
    frames->setRange(1, 1000);
    frames->setValue(m_frames);
    frames->setSuffix(tr(" f"));
    frames->setAccessibleName(tr("Frames to hold, or to come in over"));
    connect(frames, &QSpinBox::valueChanged, this, [this](int v) { m_frames = v; });
    auto* clips = new QComboBox;
    clips->setObjectName(QStringLiteral("line-clip"));
    clips->setAccessibleName(tr("The clip to play after"));
    for (std::size_t c = 0; c < a.actor->clips.size(); ++c)
        clips->addItem(qs(a.actor->clipLabel(static_cast<int>(c))), qs(scene::clipReference(*a.actor, static_cast<int>(c))));
    options->addWidget(frames);
    options->addWidget(clips, 1);
    rows()->addLayout(options);
    addButtons(rows(),
               {{QStringLiteral("line-split"), tr("Cut here"), tr("Cuts what plays at the play-head"),
                 [this, id = a.id] {
                     attempt(tr("Cut what plays"), [&](scene::Scene& s) { return edit::splitAt(s, id, m_session.frame()); });
                 },
                 true},
                {QStringLiteral("line-hold"), tr("Hold here"), tr("Holds the pose at the play-head for so many frames"),
                 [this, id = a.id] {
                     attempt(tr("Hold a pose"),
                             [&](scene::Scene& s) { return edit::holdPose(s, id, m_session.frame(), m_frames); });
                 },
                 true},
                {QStringLiteral("line-repeat"), tr("Again"),
                 tr("Plays the range that is set on the ruler once more; without one, all of it"),
                 [this, id = a.id] {
                     const auto [from, to] = m_session.range().value_or(std::pair(0, m_document.frames() - 1));
                     attempt(tr("Play again"), [&](scene::Scene& s) { return edit::repeatFrames(s, id, from, to, 1); });
                 },
                 true},
                {QStringLiteral("line-after"), tr("Play after"),
                 tr("The clip beside after all that plays, coming in over so many frames"),
                 [this, id = a.id, clips] {
                     const std::string clip = clips->currentData().toString().toStdString();
                     attempt(tr("Play a clip after"), [&](scene::Scene& s) { return edit::playAfter(s, id, clip, m_frames); });
                 },
                 true},
                {QStringLiteral("line-clear"), tr("The clip alone"), tr("Plays the clip as it is, once"),
                 [this, id = a.id] { m_document.edit(tr("The clip alone"), [&](scene::Scene& s) { edit::clearLine(s, id); }); },
                 shot.lineOf(a.id) != nullptr}},
               3);
}

void MotionFace::layContacts(const scene::ActorEntry& a) {
    const scene::Shot& shot = m_document.scene().shot();
    const int clip = m_document.scene().clipOf(shot, a);
    if (clip < 0) return;
    addHeading(tr("Begin in the rest pose"));
    auto* line = new QHBoxLayout;
    for (const auto& [words, to, name] : {std::tuple{tr("hold"), &m_hold, "pose-hold"}, {tr("ease"), &m_ease, "pose-ease"}}) {
        auto* box = new QSpinBox;
        box->setObjectName(QLatin1String(name));
        box->setRange(0, 1000);
        box->setValue(*to);
        box->setSuffix(tr(" f"));
        box->setAccessibleName(words);
        line->addWidget(new QLabel(words));
        line->addWidget(box, 1);
        connect(box, &QSpinBox::valueChanged, this, [to = to](int v) { *to = v; });
    }
    rows()->addLayout(line);
    addButtons(rows(),
               {{QStringLiteral("pose-first"), tr("Make %1, from rest").arg(qs(a.actor->clipLabel(clip))),
                 tr("A clip that holds the rest pose and eases into this one"),
                 [this, id = a.id, name = scene::clipReference(*a.actor, clip)] {
                     attempt(tr("Begin in the rest pose"), [&](scene::Scene& s) -> Result<Done> {
                         auto made = edit::poseFirst(s, id, name, m_hold, m_ease);
                         return made ? Result<Done>(Done{}) : made.error();
                     });
                     m_session.setFrame(0);
                 },
                 true}},
               1);
    if (!(m_contactsOf.first == a.actor->content) || m_contactsOf.second != clip) {
        m_contacts = rig::contactsOf(*a.actor, clip);
        m_contactsOf = {a.actor->content, clip};
    }
    addHeading(m_contacts.empty() ? tr("No foot was found standing in this clip") : tr("Feet stand"));
    for (const rig::Contact& c : m_contacts) {
        const int first = shot.frameOf(c.from), last = shot.frameOf(c.to);
        ListRow* row = addRow(qs(rig::plainName(a.actor->skeleton, c.joint)), tr("frames %1 to %2").arg(first + 1).arg(last + 1));
        row->setObjectName(QStringLiteral("contact"));
        connect(row, &ListRow::chosen, this, [this, id = a.id, joint = c.joint, first] {
            m_session.setPlaying(false);
            m_session.setFrame(first);
            m_session.selectJoint(id, joint);
        });
    }
}

void MotionFace::lay() {
    const scene::ActorEntry* a = actor();
    Q_EMIT titleChanged(a ? tr("Motion of %1").arg(qs(a->name)) : tr("Nothing is open"));
    if (!a) return;
    addButtons(rows(),
               {{QStringLiteral("motion-bring"), tr("Bring in a motion ..."), tr("A BVH, or the clips of another glTF"),
                 [this] { choose(); }, !m_reading}},
               1);
    if (m_reading) addText(tr("Reading the file."));
    if (m_sheets.motion && (m_sheets.motion->actor != a->id || !(m_sheets.motion->of == a->actor->content))) {
        // The character is another one by now: what was suggested for it may name joints that are gone.
        if (m_sheets.motion->actor == a->id) m_sheets.motion->map = rig::suggestMapping(*m_sheets.motion->source, *a->actor);
        m_sheets.motion->of = a->actor->content;
    }
    if (m_sheets.motion && m_sheets.motion->actor == a->id)
        laySheet(*a, *m_sheets.motion);
    else {
        layLine(*a);
        layContacts(*a);
    }
}

}  // namespace nutatio::app
