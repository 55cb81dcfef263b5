#include "app/widgets/face_page.h"

#include <QHBoxLayout>

namespace nutatio::app {

FacePage::FacePage(QWidget* parent) : QWidget(parent), m_layout(new QVBoxLayout(this)) {
    m_layout->setContentsMargins(0, 0, 8, 0);
    m_layout->setSpacing(6);
}

void FacePage::setFaces(const QString& of, const QList<Entry>& entries) {
    m_entries = entries;
    auto* strip = new QHBoxLayout;
    strip->setSpacing(2);
    for (int k = 0; k < m_entries.size(); ++k) {
        const Entry& e = m_entries[k];
        auto* b = new QPushButton(e.words);
        b->setObjectName(QStringLiteral("face-") + e.name);
        b->setCheckable(true);
        b->setProperty("face", true);
        b->setToolTip(e.help);
        b->setAccessibleName(QStringLiteral("%1: %2").arg(of, e.words));
        b->setStyleSheet(QStringLiteral("padding: 4px 1px;"));
        strip->addWidget(b);
        m_words << b;
        connect(b, &QPushButton::clicked, this, [this, k] {
            m_words[k]->setChecked(true);
            Q_EMIT wanted(k);
        });
    }
    m_layout->addLayout(strip);
}

void FacePage::show(int entry) {
    for (int k = 0; k < m_words.size(); ++k) m_words[k]->setChecked(k == entry);
    if (m_face) {
        // Deleted later: the page may hold the very button whose click is being handled.
        disconnect(m_face, nullptr, this, nullptr);
        m_face->hide();
        m_face->setParent(nullptr);
        m_face->deleteLater();
    }
    m_face = m_entries[entry].make();
    m_layout->addWidget(m_face, 1);
}

}  // namespace nutatio::app
