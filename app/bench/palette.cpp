#include "app/bench/palette.h"

#include <QKeyEvent>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QVBoxLayout>
#include <algorithm>

#include "app/look/theme.h"

namespace nutatio::app {

namespace {

constexpr int kAbout = Qt::UserRole + 1, kWhy = Qt::UserRole + 2;

constexpr int kRowHeight = 28;

/// The icon's column, the words, and on the right what is about them.
class Row final : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {100, kRowHeight}; }
    void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& index) const override {
        const look::Theme& t = look::theme();
        const bool can = index.data(kWhy).toString().isEmpty();
        if (o.state & QStyle::State_Selected)
            p->fillRect(o.rect, t.lagoonPale);
        else if (o.state & QStyle::State_MouseOver)
            p->fillRect(o.rect, t.paper);
        const QRect row = o.rect.adjusted(8, 0, -10, 0);
        index.data(Qt::DecorationRole)
            .value<QIcon>()
            .paint(p, QRect(row.left(), row.top() + 5, 18, 18), Qt::AlignCenter, can ? QIcon::Normal : QIcon::Disabled);
        const QString about = can ? index.data(kAbout).toString() : index.data(kWhy).toString();
        p->setFont(look::textFont(9));
        const int wide = std::min(QFontMetrics(p->font()).horizontalAdvance(about) + 8, row.width() / 2);
        p->setPen(t.inkSoft);
        p->drawText(row, Qt::AlignRight | Qt::AlignVCenter, QFontMetrics(p->font()).elidedText(about, Qt::ElideRight, wide));
        p->setFont(look::textFont(10));
        p->setPen(can ? t.ink : t.inkSoft);
        const QRect words = row.adjusted(28, 0, -wide - 8, 0);
        p->drawText(words, Qt::AlignLeft | Qt::AlignVCenter,
                    QFontMetrics(p->font()).elidedText(index.data(Qt::DisplayRole).toString(), Qt::ElideRight, words.width()));
    }
};

}  // namespace

Palette::Palette(QWidget* parent) : QFrame(parent), m_field(new QLineEdit), m_list(new QListWidget) {
    setObjectName(QStringLiteral("palette"));
    setAccessibleName(tr("Find"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 8, 8, 8);
    m_field->setPlaceholderText(tr("Find a command, joint, shot, layer or setting"));
    m_field->setAccessibleName(tr("Find"));
    m_field->installEventFilter(this);
    m_list->setFocusPolicy(Qt::NoFocus);
    m_list->setItemDelegate(new Row(m_list));
    m_list->setMouseTracking(true);
    m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    layout->addWidget(m_field);
    layout->addWidget(m_list);
    connect(m_field, &QLineEdit::textChanged, this, &Palette::filter);
    connect(m_field, &QLineEdit::returnPressed, this, &Palette::run);
    connect(m_list, &QListWidget::itemClicked, this, &Palette::run);
    hide();
}

void Palette::open(QList<Entry> entries) {
    m_entries = std::move(entries);
    if (!isVisible()) m_before = window()->focusWidget();
    m_field->clear();
    filter({});
    const int wide = std::min(560, parentWidget()->width() - 40);
    // Whole rows: none is cut in half.
    constexpr int kRows = 12;
    m_list->setFixedHeight(kRows * kRowHeight + m_list->height() - m_list->viewport()->height());
    setGeometry((parentWidget()->width() - wide) / 2, 56, wide, sizeHint().height());
    show();
    raise();
    m_field->setFocus();
}

int Palette::fit(const QString& words, const QString& name) {
    int score = 0;
    for (const QString& w : words.split(u' ', Qt::SkipEmptyParts)) {
        if (name.startsWith(w, Qt::CaseInsensitive)) {
            score += 40;
            continue;
        }
        int best = -1;
        for (qsizetype at = name.indexOf(w, 0, Qt::CaseInsensitive); at >= 0; at = name.indexOf(w, at + 1, Qt::CaseInsensitive))
            best = std::max(best, name[at - 1].isLetterOrNumber()                                   ? 4
                                  : at + w.size() == name.size() || !name[at + w.size()].isLetter() ? 26
                                                                                                    : 20);
        if (best < 0) return -1;
        score += best;
    }
    // Of two commands that fit alike the shorter one comes first.
    return 100 * score - static_cast<int>(std::min<qsizetype>(90, name.size()));
}

namespace {

constexpr int kCannot = -1500;  // less than what lies between a word that begins so and letters within one

}  // namespace

void Palette::filter(const QString& text) {
    m_list->clear();
    std::vector<std::pair<int, qsizetype>> hits;
    for (qsizetype i = 0; i < m_entries.size(); ++i) {
        const Entry& e = m_entries[i];
        if (text.trimmed().isEmpty()) {
            if (e.command) hits.emplace_back(0, i);
        } else if (const int f = std::max(fit(text, e.text), e.words.isEmpty() ? -1 : fit(text, e.words) - 1); f >= 0) {
            // What can be done comes before what cannot, unless that is called so and the other only has the letters in it.
            hits.emplace_back(f + (e.why.isEmpty() ? 0 : kCannot), i);
        }
    }
    std::stable_sort(hits.begin(), hits.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
    constexpr std::size_t kMost = 200;
    for (std::size_t k = 0; k < std::min(hits.size(), kMost); ++k) {
        const Entry& e = m_entries[hits[k].second];
        auto* item = new QListWidgetItem(e.icon, e.text);
        item->setData(Qt::UserRole, hits[k].second);
        item->setData(kAbout, e.about);
        item->setData(kWhy, e.why);
        item->setToolTip(e.why);
        m_list->addItem(item);
    }
    if (hits.empty()) {
        auto* none = new QListWidgetItem(tr("Nothing of that name"));
        none->setFlags(Qt::NoItemFlags);
        none->setData(kWhy, QStringLiteral(" "));
        m_list->addItem(none);
    }
    m_list->setCurrentRow(0);
}

void Palette::run() {
    const QListWidgetItem* item = m_list->currentItem();
    if (!item || !item->data(Qt::UserRole).isValid()) return;
    const Entry chosen = m_entries[item->data(Qt::UserRole).toLongLong()];
    if (!chosen.why.isEmpty()) return;
    close();
    chosen.run();
}

void Palette::close() {
    const QPointer<QWidget> before = m_before;
    hide();
    if (before && before->isVisible())
        before->setFocus();
    else
        parentWidget()->setFocus();
}

bool Palette::eventFilter(QObject*, QEvent* e) {
    if (e->type() == QEvent::FocusOut) hide();
    if (e->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape) {
        e->accept();  // closes the palette; elsewhere it selects nothing
        return true;
    }
    if (e->type() != QEvent::KeyPress) return false;
    const int key = static_cast<QKeyEvent*>(e)->key();
    if (key == Qt::Key_Escape) {
        close();
        return true;
    }
    if (key == Qt::Key_Down || key == Qt::Key_Up) {
        m_list->setCurrentRow(within(m_list->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, std::max(0, m_list->count() - 1)));
        return true;
    }
    return false;
}

}  // namespace nutatio::app
