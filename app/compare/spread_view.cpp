#include "app/compare/spread_view.h"

#include <QHBoxLayout>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/takes.h"
#include "layers/registry.h"
#include "measure/response.h"
#include "scene/change.h"

namespace nutatio::app {

namespace {

constexpr int kSettleMs = 120;

}  // namespace

SpreadView::SpreadView(Document& document, Session& session, Stage& stage, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_aside(document),
      m_panes(new Panes(session, stage)),
      m_title(new QLabel) {
    setObjectName(QStringLiteral("paper"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    auto* bar = new QHBoxLayout;
    bar->setContentsMargins(8, 4, 8, 4);
    m_title->setObjectName(QStringLiteral("soft"));
    bar->addWidget(m_title, 1);
    auto* close = new QPushButton(tr("Back to the stage"));
    close->setObjectName(QStringLiteral("spread-close"));
    bar->addWidget(close);
    connect(close, &QPushButton::clicked, this, [this] {
        Spreading s = m_session.spreading();
        s.on = false;
        m_session.setSpreading(s);
    });
    column->addLayout(bar);
    column->addWidget(m_panes, 1);
    m_settle.setSingleShot(true);
    m_settle.setInterval(kSettleMs);
    connect(&m_settle, &QTimer::timeout, this, &SpreadView::makeCells);
    connect(&session, &Session::spreadingChanged, this, &SpreadView::makeCells);
    connect(&document, &Document::sceneChanged, this, [this](const scene::Change& change) {
        if (m_session.spreading().on && change.moves()) m_settle.start();
    });
    connect(&document, &Document::replaced, this, [this] {
        m_cells.clear();
        m_of = {};
    });
    connect(&m_aside, &Aside::ready, this, &SpreadView::layPanes);
    connect(&m_aside, &Aside::failed, this, &SpreadView::said);
    connect(m_panes, &Panes::picked, this, &SpreadView::adopt);
}

bool SpreadView::moving() const {
    return !m_settle.isActive() && !m_cells.empty() && m_aside.done();
}

bool SpreadView::ready() const {
    return moving() && !m_measurer.busy() &&
           std::all_of(m_cells.begin(), m_cells.end(), [](const Cell& c) { return c.measured; });
}

std::string SpreadView::measuredLayer() const {
    if (!m_session.selection().layer.empty()) return m_session.selection().layer;
    const auto& spread = m_session.spreading().spread;
    for (const edit::SpreadAxis* axis : {&spread->across, spread->down ? &*spread->down : nullptr})
        if (axis && axis->owner.list == scene::List::Layers) return axis->owner.id;
    return {};
}

void SpreadView::makeCells() {
    const Spreading& now = m_session.spreading();
    if (!now.on || !now.spread) {
        m_measurer.stop();
        m_aside.want({});
        return;
    }
    const scene::Scene scene = scene::withoutTrials(m_document.scene());
    if (m_cells.empty() || !(m_laid == *now.spread) || scene::changeBetween(m_of, scene).moves()) {
        m_of = scene;
        m_laid = *now.spread;
        m_cells.clear();
        for (int k = 0; k < m_laid.cells(); ++k) {
            scene::Scene cell = scene;
            cell.takes = {};
            if (const auto done = edit::setCell(cell, m_laid, k); !done) {
                Q_EMIT said(qs(done.error().sentence));
                break;
            }
            m_cells.push_back({std::make_shared<const scene::Scene>(std::move(cell)), qs(edit::cellWords(scene, m_laid, k)), {}});
        }
    }
    std::vector<Aside::Wanted> wanted;
    for (std::size_t k = 0; k < m_cells.size(); ++k) wanted.push_back({std::to_string(k), m_cells[k].scene});
    m_aside.want(std::move(wanted));
    const auto words = [&](const edit::SpreadAxis& axis) {
        const scene::Tuned* t = scene.tuned(axis.owner);
        const scene::SettingSpec* row = scene::findRow(layers::tableOf(scene, axis.owner), axis.setting);
        return t && row ? qs(t->name) + QStringLiteral(", ") + qs(row->label).toLower() : QString();
    };
    m_title->setText(m_laid.down
                         ? tr("Across: %1. Down: %2. A click on a cell adopts it.").arg(words(m_laid.across), words(*m_laid.down))
                         : tr("Across: %1. A click on a cell adopts it.").arg(words(m_laid.across)));
    layPanes();
    measureNext();
}

void SpreadView::layPanes() {
    std::vector<Panes::Pane> panes;
    for (std::size_t k = 0; k < m_cells.size(); ++k) {
        const Aside::Got* got = m_aside.of(std::to_string(k));
        Panes::Pane p;
        p.title = m_cells[k].words;
        p.figures = m_cells[k].figures;
        p.colour = look::theme().lagoon;
        // What is shown is of one scene: until the newer motion is there, the older one stays with the older scene.
        p.scene = got ? got->scene : m_cells[k].scene;
        p.evaluation = got ? got->evaluation : nullptr;
        p.chosen =
            !scene::changeBetween(m_of, *m_cells[k].scene).moves() || edit::differences(m_of, *m_cells[k].scene, 1).empty();
        panes.push_back(std::move(p));
    }
    m_panes->show(std::move(panes), m_laid.columns, false);
}

void SpreadView::measureNext() {
    const std::string layer = measuredLayer();
    const auto at = std::find_if(m_cells.begin(), m_cells.end(), [](const Cell& c) { return !c.measured; });
    if (at == m_cells.end()) return;
    m_measurer.ask([this, scene = at->scene, layer, frame = m_session.frame()](const Cancel& cancel) -> NewestWins::Deliver {
        const auto r = measure::responseIn(*scene, layer, frame, cancel);
        return [this, scene, r, fps = scene->shot().fps] {
            const auto cell = std::find_if(m_cells.begin(), m_cells.end(), [&](const Cell& c) { return c.scene == scene; });
            if (cell == m_cells.end()) return;
            cell->measured = true;
            if (r)
                cell->figures = tr("%1 /s  %2 bounces  rests in %3 f")
                                    .arg(r->swing, 0, 'f', 1)
                                    .arg(r->bounces, 0, 'f', 1)
                                    .arg(r->restTime * fps, 0, 'f', 0);
            layPanes();
            measureNext();
        };
    });
}

void SpreadView::adopt(int cell) {
    if (cell < 0 || cell >= static_cast<int>(m_cells.size())) return;
    const QString words = m_cells[static_cast<std::size_t>(cell)].words;
    m_document.edit(tr("Adopt %1").arg(words), [&](scene::Scene& s) { (void)edit::setCell(s, m_laid, cell).ok(); });
    Q_EMIT said(tr("Adopted: %1.").arg(words));
}

}  // namespace nutatio::app
