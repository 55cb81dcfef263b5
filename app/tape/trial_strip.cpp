#include "app/tape/trial_strip.h"

#include <QAbstractItemView>
#include <QEvent>
#include <QHBoxLayout>
#include <QLabel>

#include "app/look/text.h"
#include "app/look/theme.h"

namespace nutatio::app {

TrialStrip::TrialStrip(Document& document, Session& session, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_joint(new QToolButton),
      m_role(new QComboBox),
      m_size(new Slider),
      m_speed(new Slider),
      m_more(new QWidget) {
    setAccessibleName(tr("Trials"));
    // Beside the shot whose clip it stands in for.
    auto* all = new QHBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(3);
    auto* heading = new QLabel(tr("Try"));
    heading->setObjectName(QStringLiteral("soft"));
    all->addWidget(heading);
    auto* more = new QHBoxLayout(m_more);
    more->setContentsMargins(4, 0, 0, 0);
    more->setSpacing(3);
    for (const rig::TrialMove& m : rig::trialMoves()) {
        auto* b = new QToolButton;
        b->setObjectName(QStringLiteral("chip"));
        b->setText(qs(m.label));
        b->setCheckable(true);
        b->setAccessibleName(tr("Trial: %1").arg(qs(m.label)));
        b->setProperty("help", qs(m.help));
        b->installEventFilter(this);
        b->setFont(look::textFont(8.5));
        b->setToolTip(tr("Trial: %1").arg(qs(m.help)));
        all->addWidget(b);
        m_moves[qs(m.id)] = b;
        connect(b, &QToolButton::clicked, this, [this, id = qs(m.id)] { choose(id); });
    }
    m_size->setRange({0.1, 3}, false);
    m_size->setAccessibleName(tr("Size of the trial"));
    m_speed->setRange({0.25, 3}, false);
    m_speed->setAccessibleName(tr("Speed of the trial"));
    m_joint->setObjectName(QStringLiteral("chip"));
    m_joint->setText(tr("joint only"));
    m_joint->setCheckable(true);
    m_joint->setProperty("help", tr("Moves the joint last selected instead of the whole actor."));
    m_joint->installEventFilter(this);
    for (auto [text, slider] : {std::pair{tr("size"), m_size}, {tr("speed"), m_speed}}) {
        auto* l = new QLabel(text);
        l->setObjectName(QStringLiteral("soft"));
        slider->setFixedWidth(70);
        more->addWidget(l);
        more->addWidget(slider);
    }
    m_role->setAccessibleName(tr("What of the body moves"));
    m_role->setToolTip(tr("What of the body the trial moves"));
    m_role->setFont(look::textFont(8.5));
    m_role->setFixedWidth(76);  // beside moves, sliders and shot it must fit into 1280 pixels
    m_role->view()->setMinimumWidth(130);
    more->addWidget(m_role);
    more->addWidget(m_joint);
    connect(m_role, &QComboBox::activated, this, [this] {
        change([&](rig::Trial& t) {
            t.role = m_role->currentData().toString().toStdString();
            t.joint.clear();
        });
        refresh();
    });
    all->addWidget(m_more);
    connect(m_size, &Slider::dragged, this, [this](double v) { change([v](rig::Trial& t) { t.size = v; }); });
    connect(m_speed, &Slider::dragged, this, [this](double v) { change([v](rig::Trial& t) { t.speed = v; }); });
    connect(m_joint, &QToolButton::clicked, this, [this](bool on) {
        change([&](rig::Trial& t) {
            t.joint = on ? m_lastJoint : std::string();
            t.role.clear();
        });
        refresh();
    });
    connect(&document, &Document::sceneChanged, this, &TrialStrip::refresh);
    connect(&session, &Session::selectionChanged, this, &TrialStrip::refresh);
    refresh();
}

std::string TrialStrip::actor() const {
    const scene::Scene& s = m_document.scene();
    // A set piece has no move to try.
    if (const scene::ActorEntry* a = s.actor(m_session.selection().actor); a && !a->isPiece()) return a->id;
    for (const scene::ActorEntry& a : s.actors)
        if (!a.isPiece()) return a.id;
    return {};
}

void TrialStrip::change(const std::function<void(rig::Trial&)>& how) {
    const scene::ActorEntry* a = m_document.scene().actor(actor());
    if (!a) return;
    rig::Trial t = a->trial;
    how(t);
    m_document.tryOut(a->id, t);
}

void TrialStrip::choose(const QString& move) {
    const scene::ActorEntry* a = m_document.scene().actor(actor());
    if (!a) {
        refresh();
        return;
    }
    const bool off = a->trial.move == move.toStdString();
    change([&](rig::Trial& t) { t.move = off ? std::string() : move.toStdString(); });
    m_session.setFrame(0);
    if (!off) m_session.setPlaying(true);
}

void TrialStrip::refresh() {
    const Selection& sel = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(actor());
    if (a && !sel.joints.empty() && sel.joints.front() < a->actor->skeleton.size()) {
        m_lastJoint = a->actor->skeleton.reference(sel.joints.front());
        m_lastActor = a->id;
    }
    if (!a || m_lastActor != a->id) m_lastJoint.clear();
    for (auto it = m_moves.begin(); it != m_moves.end(); ++it) {
        it.value()->setEnabled(a);
        it.value()->setChecked(a && a->trial.move == it.key().toStdString());
    }
    m_more->setVisible(a && a->onTrial());
    if (!a) return;
    if (!(m_rolesOf == a->actor->content) || m_role->count() == 0) {
        m_rolesOf = a->actor->content;
        m_role->clear();
        m_role->addItem(tr("Whole"), QString());
        for (const rig::TrialRole& r : rig::trialRoles(*a->actor)) m_role->addItem(qs(r.label), qs(r.id));
    }
    m_role->setCurrentIndex(std::max(0, m_role->findData(QString::fromStdString(a->trial.role))));
    m_role->setEnabled(m_role->count() > 1);
    m_size->setValue(a->trial.size);
    m_speed->setValue(a->trial.speed);
    m_joint->setChecked(!a->trial.joint.empty());
    m_joint->setEnabled(!m_lastJoint.empty() || !a->trial.joint.empty());
}

bool TrialStrip::eventFilter(QObject* o, QEvent* e) {
    if (e->type() == QEvent::Enter) Q_EMIT hovered(o->property("help").toString());
    if (e->type() == QEvent::Leave) Q_EMIT hovered({});
    return QWidget::eventFilter(o, e);
}

}  // namespace nutatio::app
