#include "app/tape/trial_strip.h"

#include <QAbstractItemView>
#include <QDir>
#include <QEvent>
#include <QFile>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QStandardItemModel>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "pipeline/trials.h"

namespace nutatio::app {

namespace {

constexpr int kWhole = 0, kJoint = 1;  // rows of what moves, before the roles
constexpr const char* kFilters[] = {"*.glb", "*.gltf", "*.bvh"};

QStringList filters() {
    QStringList out;
    for (const char* f : kFilters) out << QLatin1String(f);
    return out;
}

}  // namespace

TrialStrip::TrialStrip(Document& document, Session& session, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_kept(new QToolButton),
      m_role(new QComboBox),
      m_size(new Slider),
      m_speed(new Slider),
      m_onTop(new QToolButton),
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
    m_kept->setObjectName(QStringLiteral("chip"));
    m_kept->setText(tr("Kept"));
    m_kept->setCheckable(true);
    m_kept->setAccessibleName(tr("Trials that were kept"));
    m_kept->setFont(look::textFont(8.5));
    m_kept->setProperty("help", tr("Clips that were kept to try on any character, and keeping the one on show."));
    m_kept->installEventFilter(this);
    m_kept->setToolTip(m_kept->property("help").toString());
    m_kept->setPopupMode(QToolButton::InstantPopup);
    m_kept->setStyleSheet(QStringLiteral("QToolButton::menu-indicator { image: none; }"));
    m_kept->setMenu(new QMenu(m_kept));
    all->addWidget(m_kept);
    connect(m_kept->menu(), &QMenu::aboutToShow, this, &TrialStrip::fillKept);
    m_size->setRange({0.1, 3}, false);
    m_size->setAccessibleName(tr("Size of the trial"));
    m_speed->setRange({0.25, 3}, false);
    m_speed->setAccessibleName(tr("Speed of the trial"));
    for (auto [text, slider] : {std::pair{tr("size"), m_size}, {tr("speed"), m_speed}}) {
        auto* l = new QLabel(text);
        l->setObjectName(QStringLiteral("soft"));
        slider->setFixedWidth(76);
        more->addWidget(l);
        more->addWidget(slider);
    }
    m_role->setAccessibleName(tr("What of the body moves"));
    m_role->setToolTip(tr("What of the body the trial moves"));
    m_role->setFont(look::textFont(8.5));
    m_role->setFixedWidth(70);  // beside moves, sliders and shot it must fit into 1280 pixels
    m_role->view()->setMinimumWidth(130);
    more->addWidget(m_role);
    connect(m_role, &QComboBox::activated, this, [this](int at) {
        change([&](rig::Trial& t) {
            t.role = at == kJoint ? std::string() : m_role->currentData().toString().toStdString();
            t.joint = at == kJoint ? m_lastJoint : std::string();
        });
        refresh();
    });
    m_onTop->setIcon(look::icon(QStringLiteral("layers")));
    m_onTop->setCheckable(true);
    m_onTop->setFixedSize(24, 24);
    m_onTop->setAccessibleName(tr("On top of the clip"));
    m_onTop->setToolTip(tr("On top of the clip, not in its place: how parts take it while the body goes on"));
    more->addWidget(m_onTop);
    connect(m_onTop, &QToolButton::clicked, this, [this](bool on) { change([on](rig::Trial& t) { t.onTop = on; }); });
    all->addWidget(m_more);
    connect(m_size, &Slider::dragged, this, [this](double v) { change([v](rig::Trial& t) { t.size = v; }); });
    connect(m_speed, &Slider::dragged, this, [this](double v) { change([v](rig::Trial& t) { t.speed = v; }); });
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
    change([&](rig::Trial& t) {
        t.move = off ? std::string() : move.toStdString();
        t.kept.reset();
    });
    m_session.setFrame(0);
    if (!off) m_session.setPlaying(true);
}

QString TrialStrip::fileOf(const QString& name) const {
    for (const QFileInfo& f : QDir(m_folder).entryInfoList(filters(), QDir::Files))
        if (f.completeBaseName() == name) return f.filePath();
    return {};
}

QStringList TrialStrip::keptNames() const {
    QStringList out;
    if (!m_folder.isEmpty())
        for (const QFileInfo& f : QDir(m_folder).entryInfoList(filters(), QDir::Files, QDir::Name | QDir::IgnoreCase))
            out << f.completeBaseName();
    return out;
}

void TrialStrip::keep() {
    const scene::Scene& s = m_document.scene();
    const scene::ActorEntry* a = s.actor(actor());
    const int clip = a ? s.clipOf(s.shot(), *a) : -1;
    if (clip < 0) return Q_EMIT said(tr("There is no clip on show to keep."));
    if (m_folder.isEmpty() || !QDir().mkpath(m_folder)) return Q_EMIT said(tr("There is no folder to keep trials in."));
    QString stem = qs(a->actor->clipLabel(clip)).simplified();
    for (QChar& c : stem)
        if (QStringLiteral("/\\:*?\"<>|").contains(c) || c < u' ') c = u'-';
    while (stem.startsWith(u'.')) stem.remove(0, 1);
    if (stem.isEmpty()) stem = tr("clip");
    QString name = stem;
    for (int n = 2; !fileOf(name).isEmpty(); ++n) name = QStringLiteral("%1 %2").arg(stem).arg(n);
    const auto done = pipeline::keepTrial(*a->actor, clip, name.toStdString(),
                                          QDir(m_folder).filePath(name + QStringLiteral(".glb")).toStdString());
    Q_EMIT said(done ? tr("%1 is kept: it can be tried on any character.").arg(name) : qs(done.error().text()));
}

void TrialStrip::chooseKept(const QString& name) {
    const scene::ActorEntry* a = m_document.scene().actor(actor());
    if (!a) return;
    const bool off = a->trial.kept && a->trial.kept->name == name.toStdString();
    std::shared_ptr<const rig::KeptMotion> kept;
    if (!off) {
        const auto read = pipeline::keptTrial(fileOf(name).toStdString(), *a->actor);
        if (!read) {
            refresh();
            return Q_EMIT said(qs(read.error().text()));
        }
        kept = read.value();
    }
    change([&](rig::Trial& t) {
        t.move = off ? std::string() : std::string(rig::kKeptMove);
        t.kept = std::move(kept);
        t.role.clear();
        t.joint.clear();
    });
    m_session.setFrame(0);
    if (!off) m_session.setPlaying(true);
}

void TrialStrip::mapAnew(const scene::ActorEntry& a) {
    const auto read = pipeline::keptTrial(fileOf(qs(a.trial.kept->name)).toStdString(), *a.actor);
    const std::string id = a.id;
    rig::Trial t = a.trial;
    t.kept = read ? read.value() : nullptr;
    if (!t.kept) t.move.clear();
    m_document.tryOut(id, t);  // which comes back here
}

void TrialStrip::fillKept() {
    QMenu* m = m_kept->menu();
    m->clear();
    const scene::Scene& s = m_document.scene();
    const scene::ActorEntry* a = s.actor(actor());
    const QStringList names = keptNames();
    for (const QString& name : names) {
        QAction* each = m->addAction(name, this, [this, name] { chooseKept(name); });
        each->setCheckable(true);
        each->setChecked(a && a->trial.kept && a->trial.kept->name == name.toStdString());
        each->setEnabled(a);
    }
    if (names.isEmpty()) m->addAction(tr("No clip was kept yet"))->setEnabled(false);
    m->addSeparator();
    QAction* keeps = m->addAction(tr("Keep the clip on show as a trial"), this, &TrialStrip::keep);
    keeps->setEnabled(a && s.clipOf(s.shot(), *a) >= 0 && !m_folder.isEmpty());
    if (names.isEmpty()) return;
    QMenu* away = m->addMenu(tr("Keep no longer"));
    for (const QString& name : names)
        away->addAction(name, this, [this, name] {
            const QString file = fileOf(name);
            const bool gone = QFile::moveToTrash(file) || QFile::remove(file);
            Q_EMIT said(gone ? tr("%1 is not kept any more.").arg(name) : tr("%1 could not be removed.").arg(file));
        });
}

void TrialStrip::refresh() {
    for (const scene::ActorEntry& each : m_document.scene().actors)
        if (each.trial.kept && !(each.trial.kept->of == each.actor->content)) return mapAnew(each);
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
    m_kept->setChecked(a && a->trial.kept);
    m_more->setVisible(a && a->onTrial());
    if (!a) return;
    if (!(m_rolesOf == a->actor->content) || m_role->count() == 0) {
        m_rolesOf = a->actor->content;
        m_role->clear();
        m_role->addItem(tr("Whole"), QString());
        m_role->addItem(tr("Joint"), QString());
        m_role->setItemData(kJoint, tr("The joint last selected"), Qt::ToolTipRole);
        for (const rig::TrialRole& r : rig::trialRoles(*a->actor)) m_role->addItem(qs(r.label), qs(r.id));
    }
    const int role = a->trial.role.empty() ? kWhole : std::max(kWhole, m_role->findData(qs(a->trial.role)));
    m_role->setCurrentIndex(a->trial.joint.empty() ? role : kJoint);
    m_role->setEnabled(!a->trial.kept);
    if (auto* rows = qobject_cast<QStandardItemModel*>(m_role->model()))
        rows->item(kJoint)->setEnabled(!m_lastJoint.empty() || !a->trial.joint.empty());
    m_onTop->setChecked(a->trial.onTop);
    m_size->setValue(a->trial.size);
    m_speed->setValue(a->trial.speed);
}

bool TrialStrip::eventFilter(QObject* o, QEvent* e) {
    if (e->type() == QEvent::Enter) Q_EMIT hovered(o->property("help").toString());
    if (e->type() == QEvent::Leave) Q_EMIT hovered({});
    return QWidget::eventFilter(o, e);
}

}  // namespace nutatio::app
