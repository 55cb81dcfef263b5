#include "app/tuner/hand_panel.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QVBoxLayout>

#include "app/look/text.h"
#include "layers/registry.h"
#include "rig/parts.h"

namespace nutatio::app {

HandPanel::HandPanel(Document& document, Session& session, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_joint(new QComboBox),
      m_along(new QComboBox),
      m_low(new QToolButton),
      m_keys(new QToolButton) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 2, 0, 4);
    all->setSpacing(4);
    const auto line = [&](const QString& words, QWidget* what) {
        auto* row = new QHBoxLayout;
        row->setSpacing(6);
        auto* label = new QLabel(words);
        label->setFixedWidth(92);
        row->addWidget(label);
        row->addWidget(what, 1);
        all->addLayout(row);
    };
    m_joint->setObjectName(QStringLiteral("hand-joint"));
    m_joint->setAccessibleName(tr("Joint in the hand"));
    line(tr("Joint"), m_joint);
    m_along->setObjectName(QStringLiteral("hand-along"));
    m_along->setAccessibleName(tr("Whose axes the handles lie along"));
    m_along->addItems({tr("own axes"), tr("parent's axes"), tr("the world's axes")});
    line(tr("Handles along"), m_along);
    for (QComboBox* box : {m_joint, m_along}) {
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(8);
    }
    const auto chip = [&](QToolButton* b, const QString& words, const QString& help) {
        b->setObjectName(QStringLiteral("chip"));
        b->setText(words);
        b->setCheckable(true);
        b->setToolTip(help);
        b->setAccessibleName(help);
    };
    chip(m_low, tr("Low pose"), tr("The handles set the low pose, for the gauge's low end"));
    chip(m_keys, tr("Key every pose"), tr("Every pose set by hand is keyed at the play-head"));
    auto* chips = new QHBoxLayout;
    chips->setSpacing(4);
    chips->addWidget(m_low, 1);
    chips->addWidget(m_keys, 1);
    for (QToolButton* b : {m_low, m_keys}) b->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    all->addLayout(chips);
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(4);
    for (const auto& [id, words] :
         {std::pair{QStringLiteral("pose-key"), tr("Key pose")}, std::pair{QStringLiteral("untouch"), tr("Leave as below")}}) {
        auto* b = new QPushButton(words);
        b->setObjectName(QStringLiteral("do-") + id);
        b->setStyleSheet(QStringLiteral("padding: 5px 6px;"));
        buttons->addWidget(b, 1);
        connect(b, &QPushButton::clicked, this, [this, id = id] { Q_EMIT commandWanted(id); });
    }
    all->addLayout(buttons);
    auto* hint =
        new QLabel(tr("Click joints on the stage; drag a ring to turn, an arrow to move. Ctrl: in steps, Shift: finer."));
    hint->setObjectName(QStringLiteral("soft"));
    hint->setFont(look::textFont(8.5));
    hint->setWordWrap(true);
    all->addWidget(hint);
    connect(m_joint, &QComboBox::activated, this, [this](int at) {
        if (const auto hand = m_session.handJoint()) m_session.pointAt(hand->actor->id, m_joint->itemData(at).toInt());
    });
    connect(m_along, &QComboBox::activated, this, [this](int at) {
        HandPosing p = m_session.posing();
        p.along = static_cast<HandPosing::Along>(at);
        m_session.setPosing(p);
    });
    connect(m_low, &QToolButton::clicked, this, [this](bool on) {
        HandPosing p = m_session.posing();
        p.low = on;
        m_session.setPosing(p);
    });
    connect(m_keys, &QToolButton::clicked, this, [this](bool on) {
        HandPosing p = m_session.posing();
        p.keys = on;
        m_session.setPosing(p);
    });
    refresh();
}

void HandPanel::refresh() {
    const auto hand = m_session.handJoint();
    if (!hand) return;
    const rig::Skeleton& k = hand->actor->actor->skeleton;
    std::vector<int> joints;
    for (const std::string& name : hand->layer->list(layers::findKind(hand->layer->kind)->target()))
        if (const int j = k.find(name); j != rig::kNoJoint) joints.push_back(j);
    // The channel that is about to be set is listed with those that have values.
    const bool fresh = std::find(joints.begin(), joints.end(), hand->joint) == joints.end();
    if (fresh) joints.push_back(hand->joint);
    const bool same = m_joint->count() == static_cast<int>(joints.size()) && [&] {
        for (int i = 0; i < m_joint->count(); ++i)
            if (m_joint->itemData(i).toInt() != joints[static_cast<std::size_t>(i)]) return false;
        return true;
    }();
    if (!same) {
        const QSignalBlocker quiet(m_joint);
        m_joint->clear();
        for (int j : joints)
            m_joint->addItem(QString::fromStdString(rig::plainName(k, j)) +
                                 (fresh && j == hand->joint ? tr("  (not touched yet)") : QString()),
                             j);
    }
    m_joint->setCurrentIndex(m_joint->findData(hand->joint));
    m_along->setCurrentIndex(static_cast<int>(m_session.posing().along));
    m_low->setChecked(m_session.posing().low);
    m_keys->setChecked(m_session.posing().keys);
}

}  // namespace nutatio::app
