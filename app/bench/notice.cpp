#include "app/bench/notice.h"

#include <QPushButton>
#include <QToolButton>

#include "app/look/theme.h"

namespace nutatio::app {

Notice::Notice(QWidget* parent) : QFrame(parent), m_text(new QLabel), m_row(new QHBoxLayout(this)) {
    setObjectName(QStringLiteral("notice"));
    m_row->setContentsMargins(12, 5, 6, 5);
    m_text->setWordWrap(true);
    m_text->setTextInteractionFlags(Qt::TextSelectableByMouse);
    m_row->addWidget(m_text, 1);
    auto* close = new QToolButton;
    close->setIcon(look::icon(QStringLiteral("x")));
    close->setAccessibleName(tr("Dismiss"));
    m_row->addWidget(close);
    connect(close, &QToolButton::clicked, this, &Notice::clear);
    hide();
}

void Notice::say(const QString& text, std::vector<Choice> choices, bool bad) {
    clear();
    m_text->setText(text);
    setAccessibleName(text);
    setStyleSheet(
        QStringLiteral("QFrame#notice { border-color: %1; }").arg((bad ? look::theme().brick : look::theme().ochre).name()));
    for (Choice& c : choices) {
        auto* b = new QPushButton(c.name);
        m_row->insertWidget(m_row->count() - 1, b);
        m_buttons << b;
        connect(b, &QPushButton::clicked, this, [this, act = std::move(c.act)] {
            const auto kept = act;  // clear() destroys this button and what it holds
            clear();
            kept();
        });
    }
    show();
}

void Notice::clear() {
    for (QWidget* b : std::as_const(m_buttons)) b->deleteLater();
    m_buttons.clear();
    m_text->clear();
    hide();
}

}  // namespace nutatio::app
