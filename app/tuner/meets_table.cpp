#include "app/tuner/meets_table.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QUuid>
#include <algorithm>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/edit.h"

namespace nutatio::app {

namespace {

constexpr int kRowTall = 21, kColumnWide = 24, kMostHead = 92, kIndent = 14;

QFont rowFont(bool heads) {
    return look::textFont(9, heads ? QFont::DemiBold : QFont::Normal);
}

}  // namespace

bool MeetsTable::suits(const scene::Scene& s, const scene::Owner& owner) {
    const auto isPiece = [](const scene::ActorEntry& a) { return a.isPiece(); };
    if (s.colliders.empty() && std::none_of(s.actors.begin(), s.actors.end(), isPiece)) return false;
    if (owner.list == scene::List::Layers) return s.layer(owner.id) && edit::passesOf(*s.layer(owner.id));
    const scene::ActorEntry* a = owner.list == scene::List::Actors ? s.actor(owner.id) : nullptr;
    return (owner.list == scene::List::Colliders || (a && a->isPiece())) &&
           std::any_of(s.layers.begin(), s.layers.end(), [](const scene::Layer& l) { return edit::passesOf(l); });
}

MeetsTable::MeetsTable(Document& document, scene::Owner shown, QWidget* parent)
    : QWidget(parent), m_document(document), m_shown(std::move(shown)) {
    setObjectName(QStringLiteral("meets"));
    setAccessibleName(tr("Which layers keep clear of which bodies"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    connect(&document, &Document::resultsChanged, this, &MeetsTable::refresh);
    refresh();
}

void MeetsTable::refresh() {
    const scene::Scene& s = m_document.scene();
    const ResultsPtr& results = m_document.results();
    m_columns.clear();
    int widest = 0;
    for (const scene::Layer& l : s.layers) {
        if (!edit::passesOf(l)) continue;
        Column c{l.id, qs(l.name), {}};
        if (results)
            if (const auto* actor = results->evaluation.actor(l.actor))
                for (const auto& r : actor->layers)
                    if (r.id == l.id) c.met = r.met;
        widest = std::max(widest, QFontMetrics(rowFont(true)).horizontalAdvance(c.text));
        m_columns.push_back(std::move(c));
    }
    m_head = std::min(widest, kMostHead) + 8;
    m_rows.clear();
    const auto group = [&](const std::string& id, const QString& name,
                           const std::vector<std::pair<std::string, QString>>& bodies) {
        if (bodies.empty()) return;
        Row head{id, name, {}, true};
        for (const auto& [body, text] : bodies) head.bodies.push_back(body);
        m_rows.push_back(std::move(head));
        for (const auto& [body, text] : bodies)
            if (m_open.count(id) > 0 || (m_shown.list != scene::List::Layers && body == m_shown.id))
                m_rows.push_back({body, text, {body}, false});
    };
    std::vector<std::pair<std::string, QString>> world;
    for (const scene::ActorEntry& a : s.actors) {
        std::vector<std::pair<std::string, QString>> own;
        for (const scene::Collider& c : s.colliders)
            if (c.mount.actor == a.id) own.emplace_back(c.id, qs(c.name));
        group(a.id, qs(a.name), own);
        if (a.isPiece()) world.emplace_back(a.id, qs(a.name));
    }
    for (const scene::Collider& c : s.colliders)
        if (!s.actor(c.mount.actor)) world.emplace_back(c.id, qs(c.name));
    group({}, tr("In the world"), world);
    // Where the keyboard was may be gone.
    m_row = std::min(m_row, static_cast<int>(m_rows.size()) - 1);
    m_column = std::min(m_column, static_cast<int>(m_columns.size()) - 1);
    setFixedHeight(m_head + kRowTall * static_cast<int>(m_rows.size()) + 4);
    update();
}

MeetsTable::State MeetsTable::state(const Column& column, const Row& row) const {
    const scene::Layer* l = m_document.scene().layer(column.id);
    if (!l) return State::None;
    const auto minds =
        std::count_if(row.bodies.begin(), row.bodies.end(), [&](const std::string& b) { return edit::meets(*l, b); });
    return minds == 0 ? State::None : minds == static_cast<std::ptrdiff_t>(row.bodies.size()) ? State::All : State::Some;
}

QRect MeetsTable::cellAt(int row, int column) const {
    // Columns stand at the right edge, as far as they find room beside the names.
    const int left = std::max(96, width() - kColumnWide * static_cast<int>(m_columns.size()));
    return {left + column * kColumnWide, m_head + row * kRowTall, kColumnWide, kRowTall};
}

QRect MeetsTable::cell(const std::string& layer, const std::string& row) const {
    for (std::size_t r = 0; r < m_rows.size(); ++r)
        for (std::size_t c = 0; c < m_columns.size(); ++c)
            if (m_rows[r].id == row && m_columns[c].id == layer) return cellAt(static_cast<int>(r), static_cast<int>(c));
    return {};
}

int MeetsTable::rowAt(int y) const {
    const int r = (y - m_head) / kRowTall;
    return y >= m_head && r < static_cast<int>(m_rows.size()) ? r : -1;
}

int MeetsTable::columnAt(int x) const {
    const int left = cellAt(0, 0).left(), c = (x - left) / kColumnWide;
    return x >= left && c < static_cast<int>(m_columns.size()) ? c : -1;
}

void MeetsTable::put(int row, int column, bool minds) {
    const Row r = m_rows[static_cast<std::size_t>(row)];
    const std::string layer = m_columns[static_cast<std::size_t>(column)].id;
    const scene::Layer* l = m_document.scene().layer(layer);
    if (!l || state(m_columns[static_cast<std::size_t>(column)], r) == (minds ? State::All : State::None)) return;
    m_document.edit(
        minds ? tr("%1 keeps clear of %2").arg(qs(l->name), r.text) : tr("%1 passes through %2").arg(qs(l->name), r.text),
        [&](scene::Scene& s) { edit::meet(s, layer, r.bodies, minds); }, m_gesture);
    refresh();
}

void MeetsTable::tell(int row, int column) {
    if (row < 0) return Q_EMIT hovered({});
    const Row& r = m_rows[static_cast<std::size_t>(row)];
    if (column < 0) {
        Q_EMIT hovered(r.heads ? tr("A click lists the %1 bodies one by one, or no more.").arg(r.bodies.size()) : QString());
        return;
    }
    const Column& c = m_columns[static_cast<std::size_t>(column)];
    const bool near = std::any_of(r.bodies.begin(), r.bodies.end(),
                                  [&](const std::string& b) { return std::find(c.met.begin(), c.met.end(), b) != c.met.end(); });
    switch (state(c, r)) {
        case State::None:
            return Q_EMIT hovered(tr("%1 passes through %2.").arg(c.text, r.text));
        case State::Some:
            return Q_EMIT hovered(tr("%1 keeps clear of some bodies of %2.").arg(c.text, r.text));
        case State::All:
            return Q_EMIT hovered(near ? tr("%1 keeps clear of %2.").arg(c.text, r.text)
                                       : tr("%1 keeps clear of %2, out of its reach in this shot.").arg(c.text, r.text));
    }
}

void MeetsTable::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    m_row = rowAt(e->pos().y());
    m_column = columnAt(e->pos().x());
    if (m_row < 0) return;
    const Row& r = m_rows[static_cast<std::size_t>(m_row)];
    if (m_column >= 0) {
        m_gesture = QUuid::createUuid().toString();
        m_minds = state(m_columns[static_cast<std::size_t>(m_column)], r) != State::All;
        put(m_row, m_column, m_minds);
    } else if (r.heads) {
        if (m_open.erase(r.id) == 0) m_open.insert(r.id);
        refresh();
    }
    tell(m_row, m_column);
}

void MeetsTable::mouseMoveEvent(QMouseEvent* e) {
    const int row = rowAt(e->pos().y()), column = columnAt(e->pos().x());
    if ((e->buttons() & Qt::LeftButton) && row >= 0 && column >= 0 && !m_gesture.isEmpty()) put(row, column, m_minds);
    if (!e->buttons()) m_gesture.clear();
    tell(row, column);
}

void MeetsTable::leaveEvent(QEvent*) {
    Q_EMIT hovered({});
}

bool MeetsTable::event(QEvent* e) {
    // While it has the keyboard its keys are its own, and not the play-head's.
    if (e->type() == QEvent::ShortcutOverride) switch (static_cast<QKeyEvent*>(e)->key()) {
            case Qt::Key_Up:
            case Qt::Key_Down:
            case Qt::Key_Left:
            case Qt::Key_Right:
            case Qt::Key_Space:
                e->accept();
                return true;
            default:
                break;
        }
    return QWidget::event(e);
}

void MeetsTable::keyPressEvent(QKeyEvent* e) {
    const int rows = static_cast<int>(m_rows.size()), columns = static_cast<int>(m_columns.size());
    int row = std::max(0, m_row), column = std::max(0, m_column);
    switch (e->key()) {
        case Qt::Key_Up:
            row = std::max(0, row - 1);
            break;
        case Qt::Key_Down:
            row = std::min(rows - 1, row + 1);
            break;
        case Qt::Key_Left:
            column = std::max(0, column - 1);
            break;
        case Qt::Key_Right:
            column = std::min(columns - 1, column + 1);
            break;
        case Qt::Key_Space:
            m_gesture.clear();
            if (row < rows && column < columns)
                put(row, column,
                    state(m_columns[static_cast<std::size_t>(column)], m_rows[static_cast<std::size_t>(row)]) != State::All);
            break;
        default:
            QWidget::keyPressEvent(e);
            return;
    }
    m_row = row;
    m_column = column;
    tell(m_row, m_column);
    update();
}

void MeetsTable::paintEvent(QPaintEvent*) {
    const look::Theme& t = look::theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    for (std::size_t c = 0; c < m_columns.size(); ++c) {
        const QRect top = cellAt(0, static_cast<int>(c));
        const bool shown = m_shown.list == scene::List::Layers && m_columns[c].id == m_shown.id;
        if (shown) p.fillRect(QRect(top.left(), 0, kColumnWide, height()), look::faded(t.lagoon, 0.14));
        p.save();
        p.translate(top.left() + 16, m_head - 4);
        p.rotate(-90);
        p.setFont(rowFont(shown));
        p.setPen(shown ? t.ink : t.inkSoft);
        p.drawText(0, 0, QFontMetrics(p.font()).elidedText(m_columns[c].text, Qt::ElideRight, m_head - 6));
        p.restore();
    }
    for (std::size_t k = 0; k < m_rows.size(); ++k) {
        const Row& r = m_rows[k];
        const QRect line = cellAt(static_cast<int>(k), 0);
        const bool shown = m_shown.list != scene::List::Layers && r.id == m_shown.id;
        if (shown) p.fillRect(QRect(0, line.top(), width(), kRowTall), look::faded(t.lagoon, 0.14));
        p.setPen(t.rule);
        p.drawLine(0, line.top(), width(), line.top());
        int x = 0;
        if (r.heads) {
            look::icon(m_open.count(r.id) > 0 ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right"))
                .paint(&p, QRect(0, line.top() + 4, 13, 13));
            x = kIndent + 2;
        } else {
            x = 2 * kIndent;
        }
        p.setFont(rowFont(r.heads));
        p.setPen(t.ink);
        const QRect words(x, line.top(), line.left() - x - 4, kRowTall);
        const QString text = r.heads ? QStringLiteral("%1  (%2)").arg(r.text).arg(r.bodies.size()) : r.text;
        p.drawText(words, Qt::AlignLeft | Qt::AlignVCenter, p.fontMetrics().elidedText(text, Qt::ElideRight, words.width()));
        for (std::size_t c = 0; c < m_columns.size(); ++c) {
            const QRect box = cellAt(static_cast<int>(k), static_cast<int>(c));
            const QPointF middle = QRectF(box).center();
            const bool near = std::any_of(r.bodies.begin(), r.bodies.end(), [&](const std::string& b) {
                return std::find(m_columns[c].met.begin(), m_columns[c].met.end(), b) != m_columns[c].met.end();
            });
            switch (state(m_columns[c], r)) {
                case State::None:
                    p.setPen(QPen(t.inkSoft, 1.4));
                    p.drawLine(middle - QPointF(3, 0), middle + QPointF(3, 0));
                    break;
                case State::Some:
                    p.setPen(QPen(t.lagoon, 1.4));
                    p.setBrush(Qt::NoBrush);
                    p.drawEllipse(middle, 4.5, 4.5);
                    p.setPen(Qt::NoPen);
                    p.setBrush(t.lagoon);
                    p.drawEllipse(middle, 2, 2);
                    break;
                case State::All:
                    p.setPen(QPen(t.lagoon, 1.4));
                    p.setBrush(near ? QBrush(t.lagoon) : QBrush(Qt::NoBrush));
                    p.drawEllipse(middle, 4.5, 4.5);
                    break;
            }
            if (hasFocus() && static_cast<int>(k) == m_row && static_cast<int>(c) == m_column) {
                p.setPen(QPen(t.ink, 1));
                p.setBrush(Qt::NoBrush);
                p.drawRect(box.adjusted(2, 2, -3, -3));
            }
        }
    }
}

}  // namespace nutatio::app
