#include "app/bench/palette.h"

#include <QKeyEvent>
#include <QVBoxLayout>

namespace nutatio::app {

Palette::Palette(QWidget* parent) : QFrame(parent), m_field(new QLineEdit), m_list(new QListWidget) {
    setObjectName(QStringLiteral("palette"));
    setAccessibleName(tr("Find a command"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 8, 8, 8);
    m_field->setPlaceholderText(tr("What do you want to do?"));
    m_field->setAccessibleName(tr("Find a command"));
    m_field->installEventFilter(this);
    m_list->setFocusPolicy(Qt::NoFocus);
    layout->addWidget(m_field);
    layout->addWidget(m_list);
    connect(m_field, &QLineEdit::textChanged, this, &Palette::filter);
    connect(m_field, &QLineEdit::returnPressed, this, &Palette::run);
    connect(m_list, &QListWidget::itemClicked, this, &Palette::run);
    hide();
}

void Palette::open(const QList<QAction*>& actions) {
    m_actions = actions;
    if (!isVisible()) m_before = window()->focusWidget();
    m_field->clear();
    filter({});
    const int wide = std::min(520, parentWidget()->width() - 40);
    setGeometry((parentWidget()->width() - wide) / 2, 56, wide, 340);
    show();
    raise();
    m_field->setFocus();
}

void Palette::filter(const QString& text) {
    m_list->clear();
    const QStringList words = text.split(u' ', Qt::SkipEmptyParts);
    for (QAction* a : m_actions) {
        const QString name = a->text().remove(u'&');
        const bool hit =
            std::all_of(words.begin(), words.end(), [&](const QString& w) { return name.contains(w, Qt::CaseInsensitive); });
        if (!a->isEnabled() || !hit) continue;
        auto* item = new QListWidgetItem(
            a->icon(),
            a->shortcut().isEmpty() ? name : name + QStringLiteral("      ") + a->shortcut().toString(QKeySequence::NativeText));
        item->setData(Qt::UserRole, QVariant::fromValue(static_cast<QObject*>(a)));
        m_list->addItem(item);
    }
    m_list->setCurrentRow(0);
}

void Palette::run() {
    const QListWidgetItem* item = m_list->currentItem();
    QAction* action = item ? qobject_cast<QAction*>(item->data(Qt::UserRole).value<QObject*>()) : nullptr;
    close();
    if (action) action->trigger();
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
        m_list->setCurrentRow(
            std::clamp(m_list->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, std::max(0, m_list->count() - 1)));
        return true;
    }
    return false;
}

}  // namespace nutatio::app
