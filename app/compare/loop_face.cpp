#include "app/compare/loop_face.h"

#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/edit.h"
#include "edit/line.h"
#include "layers/registry.h"
#include "rig/mapping.h"
#include "rig/parts.h"
#include "rig/surface.h"

namespace nutatio::app {

LoopFace::LoopFace(Document& document, Session& session, QWidget* parent) : Face(document, session, parent) {
    connect(&document, &Document::resultsChanged, this, &Face::refreshSoon);
}

void LoopFace::lookAtClips() {
    const scene::Scene& s = m_document.scene();
    std::vector<std::pair<std::string, Ends>> asked;
    for (const scene::ActorEntry& a : s.actors) {
        const int clip = s.clipOf(s.shot(), a);
        const auto known = m_ends.find(a.id);
        if (clip < 0 || (known != m_ends.end() && known->second.actor == a.actor && known->second.clip == clip)) continue;
        asked.push_back({a.id, {a.actor, clip, {}}});
    }
    if (asked.empty() || m_worker.busy()) return;
    m_worker.ask([this, asked](const Cancel& cancel) mutable -> NewestWins::Deliver {
        for (auto& [id, e] : asked) {
            const rig::Clip& clip = e.actor->clips[static_cast<std::size_t>(e.clip)];
            const auto grid = rig::FrameGrid::covering(clip, rig::ownRate(clip));
            e.ends = measure::endsOf(*e.actor, rig::bodyTrack(*e.actor, e.clip, grid, cancel),
                                     measure::reachesOf(*e.actor, rig::Surface::of(*e.actor)));
        }
        return [this, asked] {
            for (const auto& [id, e] : asked) m_ends[id] = e;
            refresh();
        };
    });
}

/// What mends ends that do not meet, of the shot alone.
void LoopFace::layRepair(const scene::ActorEntry& a) {
    const scene::Scene& s = m_document.scene();
    const auto known = m_ends.find(a.id);
    const rig::Line line = edit::lineOf(s, a.id);
    if (line.closing > 0 || line.fade > 0) {
        addText(line.closing > 0 ? tr("Closed by %1 frames more.").arg(std::lround(line.closing * s.shot().fps))
                                 : tr("Closed by a fade of %1 frames at either end.").arg(std::lround(line.fade * s.shot().fps)));
        addButtons(rows(),
                   {{QStringLiteral("close-not"),
                     tr("Leave its ends as they are"),
                     {},
                     [this, id = a.id] {
                         attempt(tr("Ends as they are"), [&](scene::Scene& each) { return edit::closeLine(each, id, 0, 0); });
                     },
                     true}},
                   1);
        return;
    }
    if (known == m_ends.end() || known->second.actor != a.actor || known->second.ends.is == measure::ClipEnds::Class::Closes)
        return;
    const rig::Clip& clip = a.actor->clips[static_cast<std::size_t>(known->second.clip)];
    const int missing = static_cast<int>(std::lround(known->second.ends.missing * s.shot().fps / rig::ownRate(clip))),
              fade = std::max(1, static_cast<int>(std::lround(0.2 * s.shot().fps)));
    const auto mend = [this, id = a.id](int more, int over) {
        attempt(tr("Close the clip"), [&](scene::Scene& each) { return edit::closeLine(each, id, more, over); });
    };
    QList<Button> buttons;
    if (missing > 0)
        buttons << Button{QStringLiteral("close-frames"), missing == 1 ? tr("Add a frame") : tr("Add %1 frames").arg(missing),
                          tr("Goes on to its first pose; the shot grows by as many"), [mend, missing] { mend(missing, 0); },
                          true};
    buttons << Button{QStringLiteral("close-fade"), tr("Fade %1 frames").arg(fade),
                      tr("Works off half the gap at either end; the shot stays as long as it is"),
                      [mend, fade] { mend(0, fade); }, true};
    addButtons(rows(), buttons, 2);
}

void LoopFace::layActor(const scene::ActorEntry& a) {
    const scene::Scene& s = m_document.scene();
    const int clip = s.clipOf(s.shot(), a);
    if (clip < 0) return;
    addHeading(qs(a.name));
    const auto known = m_ends.find(a.id);
    QString words = tr("%1: being looked at ...").arg(qs(a.actor->clipLabel(clip)));
    if (known != m_ends.end() && known->second.clip == clip && known->second.actor == a.actor) {
        const measure::ClipEnds& e = known->second.ends;
        const QString name = qs(a.actor->clipLabel(clip)), gap = QString::number(100 * e.gap, 'g', 2);
        switch (e.is) {
            case measure::ClipEnds::Class::Closes:
                words = tr("%1 closes: it ends as it begins.").arg(name);
                break;
            case measure::ClipEnds::Class::OneMore:
                words = tr("%1 goes round: its first pose comes a frame after its last one. As a loop it is %2 frames long.")
                            .arg(name)
                            .arg(e.frames);
                break;
            case measure::ClipEnds::Class::Short:
                words = (e.missing == 1
                             ? tr("%1 is a frame short: it ends before its first pose comes round.").arg(name)
                             : tr("%1 is %2 frames short: it ends before its first pose comes round.").arg(name).arg(e.missing));
                break;
            case measure::ClipEnds::Class::Nearly:
                words = tr("%1 nearly closes: its ends lie %2 % of the height apart.").arg(name, gap);
                break;
            case measure::ClipEnds::Class::Open:
                words = tr("%1 is open: its ends lie %2 % of the height apart.").arg(name, gap);
                break;
        }
    }
    addText(words);
    layRepair(a);
    const ResultsPtr& r = m_document.results();
    const auto at = r ? r->seams.find(a.id) : decltype(r->seams.begin()){};
    if (!r || at == r->seams.end() || at->second.joint >= a.actor->skeleton.size()) return;
    const measure::Seam& seam = at->second;
    if (seam.joint == rig::kNoJoint) return;
    const auto joint = [&](int j) {
        return j == rig::kNoJoint ? QString() : QString::fromStdString(rig::plainName(a.actor->skeleton, j));
    };
    ListRow* turn = addRow(tr("Seam, %1").arg(joint(seam.joint)), tr("%1 deg").arg(degrees(seam.turn), 0, 'f', 2));
    turn->setObjectName(QStringLiteral("seam-turn"));
    turn->setToolTip(tr("How far the joint that turns most turns from the last frame to the first."));
    if (!seam.closes()) turn->setSwatch(look::theme().ochre);
    ListRow* speed = addRow(tr("Break in speed, %1").arg(joint(seam.quick)),
                            tr("%1 deg/s, %2 within").arg(degrees(seam.speed), 0, 'f', 0).arg(degrees(seam.usual), 0, 'f', 0));
    speed->setObjectName(QStringLiteral("seam-speed"));
    speed->setToolTip(
        tr("Within the shot its turning changes by up to %1 deg/s from frame to frame.").arg(degrees(seam.usual), 0, 'f', 0));
}

void LoopFace::layLayers() {
    const ResultsPtr& r = m_document.results();
    if (!r) return;
    bool any = false;
    for (const scene::Layer& l : m_document.scene().layers) {
        const pipeline::LayerResult* result = r->evaluation.layer(l.id);
        if (!result || result->closure.laps == 0) continue;
        if (!any) addHeading(tr("What is simulated"));
        any = true;
        const layers::Closure& c = result->closure;
        ListRow* row = addRow(qs(l.name), c.blended > 0 ? tr("%1 frames blended").arg(c.blended) : tr("%1 laps").arg(c.laps));
        row->setObjectName(QStringLiteral("loop-layer"));
        row->setToolTip(
            c.blended > 0
                ? tr("It ran %1 laps and did not come round.").arg(c.laps)
                : tr("Seam %1 of its length after the first lap, %2 now.").arg(c.before, 0, 'g', 2).arg(c.after, 0, 'g', 2));
        connect(row, &ListRow::chosen, this, [this, id = l.id] { m_session.selectLayer(id); });
        if (c.blended == 0) continue;
        row->setSwatch(look::theme().ochre);
        addText(c.returns > 1 ? tr("It comes round after %1 laps: a shot of so many would need no blending.").arg(c.returns)
                              : tr("It does the same in no lap; fewer bounces may bring it round."));
        if (c.returns > 1)
            addButtons(rows(),
                       {{QStringLiteral("loop-laps"), tr("A loop of %1 laps").arg(c.returns),
                         tr("Every character plays on so often, as long as what is simulated takes to come round"),
                         [this, times = c.returns - 1] {
                             attempt(tr("A loop of %1 laps").arg(times + 1), [&](scene::Scene& s) -> Result<Done> {
                                 const int last = s.frames(s.shot()) - 1;
                                 for (const scene::ActorEntry& a : scene::Scene(s).actors)
                                     if (!edit::lineOf(s, a.id).empty())
                                         if (auto done = edit::repeatFrames(s, a.id, 0, last, times); !done) return done;
                                 return Done{};
                             });
                         },
                         true}},
                       1);
        const layers::LayerKind* kind = layers::findKind(l.kind);
        if (const scene::SettingSpec* damping = kind ? kind->setting(scene::Role::Damping) : nullptr)
            addButtons(rows(),
                       {{QStringLiteral("damp"), tr("Half the bounces"), tr("Damps it more: most such loops close then"),
                         [this, id = l.id, setting = std::string(damping->id)] {
                             const scene::Owner owner{scene::List::Layers, id};
                             m_document.edit(tr("Half the bounces"), [&](scene::Scene& s) {
                                 edit::set(s, owner, setting, 0.5 * s.numberAt(owner, setting, m_session.frame()),
                                           m_session.frame());
                             });
                         },
                         true}},
                       2);
    }
}

void LoopFace::lay() {
    const scene::Scene& s = m_document.scene();
    Q_EMIT titleChanged(s.actors.empty() ? tr("Nothing is open") : tr("Loop: %1").arg(qs(s.shot().name)));
    if (s.actors.empty()) return;
    auto* row = new QHBoxLayout;
    row->setSpacing(2);
    const std::tuple<const char*, QString, scene::Loop> ways[] = {{"loop-found", tr("As it is"), scene::Loop::Found},
                                                                  {"loop-closed", tr("Closed"), scene::Loop::Closed},
                                                                  {"loop-once", tr("Once"), scene::Loop::Once}};
    for (const auto& [id, words, loop] : ways) {
        auto* b = new QPushButton(words);
        b->setObjectName(QLatin1String(id));
        b->setCheckable(true);
        b->setProperty("face", true);
        b->setChecked(s.shot().loop == loop);
        connect(b, &QPushButton::clicked, this, [this, id = QLatin1String(id)] { Q_EMIT commandWanted(id); });
        row->addWidget(b);
    }
    rows()->addLayout(row);
    addText(s.shot().loop == scene::Loop::Closed ? tr("Simulated until it repeats; keys and sways go round.")
            : s.shot().loop == scene::Loop::Once
                ? tr("It begins and ends, though its clips may come round.")
                : tr("It goes round where its clips do, as pre-roll leaves it. Closed: simulated until it repeats."));
    for (const scene::ActorEntry& a : s.actors) layActor(a);
    layLayers();
    lookAtClips();
}

}  // namespace nutatio::app
