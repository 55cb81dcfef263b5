#include "app/compare/compare_view.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/takes.h"
#include "measure/compared.h"
#include "rig/parts.h"

namespace nutatio::app {

CompareView::CompareView(Document& document, Session& session, Stage& stage, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_aside(document),
      m_panes(new Panes(session, stage)),
      m_plot(new TakePlot(session)),
      m_joint(new QLabel),
      m_side(new QPushButton(tr("Side by side"))),
      m_over(new QPushButton(tr("Over each other"))),
      m_what(new QComboBox) {
    setObjectName(QStringLiteral("paper"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* bar = new QHBoxLayout;
    bar->setContentsMargins(8, 4, 8, 4);
    bar->setSpacing(4);
    for (QPushButton* b : {m_side, m_over}) {
        b->setCheckable(true);
        b->setProperty("face", true);
        bar->addWidget(b);
        connect(b, &QPushButton::clicked, this, [this, over = b == m_over] {
            Comparing c = m_session.comparing();
            c.over = over;
            m_session.setComparing(c);
            refresh();
        });
    }
    bar->addStretch(1);
    m_joint->setObjectName(QStringLiteral("soft"));
    bar->addWidget(m_joint);
    for (const measure::Watched& w : measure::watches()) m_what->addItem(qs(w.label), qs(w.id));
    m_what->setAccessibleName(tr("What of the joint is plotted"));
    bar->addWidget(m_what);
    connect(m_what, &QComboBox::activated, this, [this] {
        Comparing c = m_session.comparing();
        c.watch = m_what->currentData().toString().toStdString();
        m_session.setComparing(c);
    });
    auto* close = new QPushButton(tr("Back to the stage"));
    close->setObjectName(QStringLiteral("compare-close"));
    bar->addWidget(close);
    connect(close, &QPushButton::clicked, this, [this] {
        Comparing c = m_session.comparing();
        c.on = false;
        m_session.setComparing(c);
    });
    column->addLayout(bar);
    column->addWidget(m_panes, 1);
    auto* line = new QFrame;
    line->setObjectName(QStringLiteral("line"));
    line->setFixedHeight(1);
    column->addWidget(line);
    m_plot->setFixedHeight(112);
    column->addWidget(m_plot);
    const auto again = [this] { refresh(); };
    connect(&session, &Session::comparingChanged, this, again);
    connect(&session, &Session::selectionChanged, this, again);
    connect(&document, &Document::sceneChanged, this, again);
    connect(&document, &Document::resultsChanged, this, again);
    connect(&m_aside, &Aside::ready, this, again);
    connect(&m_aside, &Aside::failed, this, &CompareView::said);
    // A click on a take makes it the one that the ghost and the Scope compare with.
    connect(m_panes, &Panes::picked, this, [this](int pane) {
        const auto& with = m_session.comparing().with;
        const scene::Take* take = static_cast<std::size_t>(pane) < with.size()
                                      ? m_document.scene().take(with[static_cast<std::size_t>(pane)])
                                      : nullptr;
        if (!take) return;
        m_session.setOther(take->id);
        Q_EMIT said(tr("The other take is %1: G shows it as a ghost, the Scope in plum.").arg(qs(take->name)));
    });
    connect(&session, &Session::takeChanged, this, again);
}

QColor CompareView::colourOf(std::size_t place, const std::string& id) {
    const look::Theme& t = look::theme();
    if (id.empty()) return t.persimmon;
    if (id == kBareBody) return t.ink;
    const QColor turn[] = {t.plum, t.lagoon, t.ochre};
    return turn[place % 3];
}

std::shared_ptr<const scene::Scene> CompareView::sceneOf(const std::string& id) const {
    const scene::Take* take = m_document.scene().take(id);
    return take ? take->scene : nullptr;
}

std::shared_ptr<const pipeline::Evaluation> CompareView::evaluationOf(const std::string& id) const {
    if (!id.empty() && id != kBareBody) {
        const Aside::Got* got = m_aside.of(id);
        return got ? got->evaluation : nullptr;
    }
    const ResultsPtr& r = m_document.results();
    return r ? std::shared_ptr<const pipeline::Evaluation>(r, &r->evaluation) : nullptr;
}

bool CompareView::ready() const {
    return m_aside.done() && m_document.upToDate() && !m_plotter.busy();
}

void CompareView::refresh() {
    const Comparing& c = m_session.comparing();
    m_side->setChecked(!c.over);
    m_over->setChecked(c.over);
    m_what->setCurrentIndex(std::max(0, m_what->findData(QString::fromStdString(c.watch))));
    std::vector<Aside::Wanted> wanted;
    if (c.on)
        for (const std::string& id : c.with)
            if (auto scene = sceneOf(id)) wanted.push_back({id, std::move(scene)});
    m_aside.want(std::move(wanted));
    if (!c.on) return;
    layPanes();
    layPlot();
}

void CompareView::layPanes() {
    const Comparing& c = m_session.comparing();
    std::vector<Panes::Pane> panes;
    std::size_t turn = 0;
    for (const std::string& id : c.with) {
        Panes::Pane p;
        p.colour = colourOf(id.empty() || id == kBareBody ? 0 : turn++, id);
        p.evaluation = evaluationOf(id);
        if (const scene::Take* take = m_document.scene().take(id)) {
            p.chosen = m_session.other() && m_session.other()->id == id;
            p.title = qs(take->name) + (c.over && panes.empty() ? tr(", solid") : QString());
            QStringList words;
            for (const std::string& d : edit::differences(m_document.scene(), *take->scene, 6)) words << qs(d);
            p.detail = words.isEmpty() ? tr("as it is now") : words.join(QStringLiteral("  ·  "));
            p.scene = take->scene;
        } else {
            p.title =
                (id.empty() ? tr("Now") : tr("The body, without layers")) + (c.over && panes.empty() ? tr(", solid") : QString());
            p.bareBody = !id.empty();
            p.scene = std::make_shared<const scene::Scene>(m_document.scene());
        }
        panes.push_back(std::move(p));
    }
    const int n = static_cast<int>(panes.size());
    m_panes->show(std::move(panes), n == 4 ? 2 : n, c.over);
}

void CompareView::layPlot() {
    struct Asked {
        QString name;
        QColor colour;
        std::shared_ptr<const scene::Scene> scene;
        std::shared_ptr<const pipeline::Evaluation> evaluation;
        bool body;
    };
    std::vector<Asked> asked;
    for (const Panes::Pane& p : m_panes->panes())
        if (p.evaluation) asked.push_back({p.title, p.colour, p.scene, p.evaluation, p.bareBody});
    const std::string actor = m_session.selection().joints.empty() ? m_session.lastActor() : m_session.selection().actor;
    const scene::ActorEntry* entry = m_document.scene().actor(actor);
    const int chosen = m_session.selection().joints.empty() ? m_session.lastJoint() : m_session.selection().joints.front();
    const std::string joint =
        entry && chosen >= 0 && chosen < entry->actor->skeleton.size() ? entry->actor->skeleton.reference(chosen) : std::string();
    m_plotter.ask([this, asked, actor, joint, watch = m_session.comparing().watch](const Cancel& cancel) -> NewestWins::Deliver {
        const measure::Watched& what = measure::watchOf(watch);
        std::string of = actor, name = joint;
        // Without a joint that was chosen: where they differ most.
        for (std::size_t k = 1; k < asked.size() && name.empty(); ++k)
            for (const scene::ActorEntry& a : asked[0].scene->actors) {
                const pipeline::ActorResult *one = asked[0].evaluation->actor(a.id), *other = asked[k].evaluation->actor(a.id);
                if (!one || !other || !name.empty()) continue;
                const int j = measure::differsMost(*a.actor, asked[0].body ? *one->body : *one->result,
                                                   asked[k].body ? *other->body : *other->result);
                if (j == rig::kNoJoint) continue;
                of = a.id;
                name = a.actor->skeleton.reference(j);
            }
        std::vector<TakePlot::Line> lines;
        QString words;
        for (const Asked& each : asked) {
            if (cancel.asked()) throw Cancelled{};
            const scene::ActorEntry* a = each.scene->actor(of);
            const pipeline::ActorResult* r = each.evaluation->actor(of);
            const int j = a ? a->actor->skeleton.find(name) : rig::kNoJoint;
            if (!r || j == rig::kNoJoint || r->body->joints() != a->actor->skeleton.size()) continue;
            words = QString::fromStdString(rig::plainName(a->actor->skeleton, j));
            lines.push_back({each.name, each.colour,
                             measure::watched(*a->actor, *r->body, each.body ? *r->body : *r->result, j, what), each.body});
        }
        return [this, lines, words, unit = qs(scene::unitText(what.unit))] {
            m_joint->setText(words);
            m_plot->show(lines, unit);
        };
    });
}

}  // namespace nutatio::app
