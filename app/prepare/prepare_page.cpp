#include "app/prepare/prepare_page.h"

#include <QHBoxLayout>

#include "app/prepare/joints_face.h"
#include "app/prepare/kits_face.h"
#include "app/prepare/maps_face.h"
#include "app/prepare/motion_face.h"
#include "app/prepare/parts_face.h"

namespace nutatio::app {

PreparePage::PreparePage(Document& document, Session& session, Checker& checker, QWidget* parent)
    : QWidget(parent), m_document(document), m_session(session), m_checker(checker), m_layout(new QVBoxLayout(this)) {
    m_layout->setContentsMargins(0, 0, 8, 0);
    m_layout->setSpacing(6);
    auto* strip = new QHBoxLayout;
    strip->setSpacing(2);
    const std::tuple<FaceId, const char*, QString, QString> faces[] = {
        {FaceId::Check, "check", tr("Check"), tr("What is wrong with the rig, and what is still stiff.")},
        {FaceId::Joints, "joints", tr("Joints"), tr("Helper joints, pivots, skin weights.")},
        {FaceId::Parts, "parts", tr("Parts"), tr("Named sets of joints, and what of them is rigid.")},
        {FaceId::Maps, "maps", tr("Maps"), tr("Numbers on vertices, by rule and by brush.")},
        {FaceId::Motion, "motion", tr("Motion"), tr("Motions of other files, a base pose, and when the feet stand.")},
        {FaceId::Kits, "kits", tr("Kits"), tr("A whole set-up, saved and put on another character.")}};
    for (const auto& [face, name, words, help] : faces) {
        auto* b = new QPushButton(words);
        b->setObjectName(QStringLiteral("face-") + QLatin1String(name));
        b->setCheckable(true);
        b->setProperty("face", true);
        b->setToolTip(help);
        b->setAccessibleName(tr("Prepare: %1").arg(words));
        b->setStyleSheet(QStringLiteral("padding: 4px 1px;"));
        strip->addWidget(b);
        m_words[face] = b;
        connect(b, &QPushButton::clicked, this, [this, face = face] {
            m_session.setFace(face);
            m_words[face]->setChecked(true);
        });
    }
    m_layout->addLayout(strip);
    connect(&session, &Session::faceChanged, this, &PreparePage::show);
    show();
}

void PreparePage::show() {
    const FaceId now = m_session.face();
    for (auto it = m_words.begin(); it != m_words.end(); ++it) it.value()->setChecked(it.key() == now);
    if (m_face) {
        // It may hold the very button whose click brought this about.
        disconnect(m_face, nullptr, this, nullptr);
        m_face->hide();
        m_face->setParent(nullptr);
        m_face->deleteLater();
    }
    const auto joined = [this](auto* face) {
        using Shown = std::remove_pointer_t<decltype(face)>;
        connect(face, &Shown::titleChanged, this, &PreparePage::titleChanged);
        connect(face, &Shown::said, this, &PreparePage::said);
        if constexpr (requires { &Shown::commandWanted; })
            connect(face, &Shown::commandWanted, this, &PreparePage::commandWanted);
        m_face = face;
        face->refresh();
    };
    switch (now) {
        case FaceId::Check:
            joined(new CheckFace(m_document, m_session, m_checker));
            break;
        case FaceId::Joints:
            joined(new JointsFace(m_document, m_session));
            break;
        case FaceId::Parts:
            joined(new PartsFace(m_document, m_session));
            break;
        case FaceId::Maps:
            joined(new MapsFace(m_document, m_session));
            break;
        case FaceId::Motion:
            joined(new MotionFace(m_document, m_session));
            break;
        case FaceId::Kits:
            joined(new KitsFace(m_document, m_session));
            break;
    }
    m_layout->addWidget(m_face, 1);
}

QList<FindingRow*> PreparePage::rows() const {
    const auto* check = qobject_cast<CheckFace*>(m_face);
    return check ? check->rows() : QList<FindingRow*>();
}

}  // namespace nutatio::app
