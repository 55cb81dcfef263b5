#include "app/prepare/check_face.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "app/look/theme.h"
#include "app/prepare/tall_row.h"
#include "app/widgets/list_row.h"
#include "edit/edit.h"
#include "edit/operations.h"

namespace nutatio::app {

namespace {

constexpr int kShownOfAKind = 3;
constexpr std::size_t kShownStiff = 8;

QColor colourOf(measure::Severity severity) {
    const look::Theme& t = look::theme();
    return severity == measure::Severity::Broken ? t.brick : severity == measure::Severity::Look ? t.ochre : t.inkSoft;
}

QString wordOf(measure::Severity severity) {
    return severity == measure::Severity::Broken ? QObject::tr("Broken")
           : severity == measure::Severity::Look ? QObject::tr("Worth a look")
                                                 : QObject::tr("Note");
}

/// An actor's finding, whatever else is of that kind.
QString keyOf(const measure::Finding& f) {
    return QString::fromStdString(f.actor + "|" + f.id()) + QStringLiteral("|%1").arg(f.first);
}

}  // namespace

FindingRow::FindingRow(measure::Finding finding, bool seen, QWidget* parent)
    : QWidget(parent), m_finding(std::move(finding)), m_seen(seen) {
    setFocusPolicy(Qt::TabFocus);
    setAccessibleName(wordOf(m_finding.severity) + QStringLiteral(": ") + QString::fromStdString(m_finding.sentence));
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(14, 5, 6, 5);
    rows->setSpacing(2);
    auto* text = new QLabel(QString::fromStdString(m_finding.sentence));
    text->setWordWrap(true);
    text->setAttribute(Qt::WA_TransparentForMouseEvents);
    if (seen) text->setObjectName(QStringLiteral("soft"));
    rows->addWidget(text);
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    auto* kind = new QLabel(wordOf(m_finding.severity));
    kind->setObjectName(QStringLiteral("soft"));
    kind->setAttribute(Qt::WA_TransparentForMouseEvents);
    row->addWidget(kind, 1);
    const auto button = [&](const QString& name, const QString& what, auto&& act) {
        auto* b = new QPushButton(what);
        b->setObjectName(name);
        b->setStyleSheet(QStringLiteral("padding: 1px 8px;"));
        row->addWidget(b);
        connect(b, &QPushButton::clicked, this, act);
    };
    if (!m_finding.repair.empty() && !seen) button(QStringLiteral("repair"), tr("Mend it"), [this] { Q_EMIT repairWanted(); });
    button(QStringLiteral("leave"), seen ? tr("Look again") : tr("Leave it"), [this] { Q_EMIT leaveWanted(!m_seen); });
    rows->addLayout(row);
}

void FindingRow::setChosen(bool on) {
    m_isChosen = on;
    update();
}

void FindingRow::mousePressEvent(QMouseEvent* e) {
    if (e->button() == Qt::LeftButton) Q_EMIT chosen();
}

void FindingRow::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
        Q_EMIT chosen();
    else
        QWidget::keyPressEvent(e);
}

void FindingRow::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const look::Theme& t = look::theme();
    if (m_isChosen) p.fillRect(rect(), t.lagoonPale);
    p.fillRect(QRect(4, 8, 4, height() - 16), colourOf(m_finding.severity));
    p.setPen(hasFocus() ? t.lagoon : t.rule);
    p.drawLine(0, height() - 1, width(), height() - 1);
    if (hasFocus()) p.drawRect(rect().adjusted(0, 0, -1, -1));
}

CheckFace::CheckFace(Document& document, Session& session, Checker& checker, QWidget* parent)
    : QWidget(parent), m_document(document), m_session(session), m_checker(checker), m_layout(new QVBoxLayout(this)) {
    m_layout->setContentsMargins(0, 0, 0, 0);
    m_layout->setSpacing(4);
    auto* tall = new TallRow(document, session);
    m_layout->addWidget(tall);
    connect(tall, &TallRow::said, this, &CheckFace::said);
    connect(tall, &TallRow::grown, this, [this] { Q_EMIT commandWanted(QStringLiteral("frame")); });
    connect(&checker, &Checker::changed, this, &CheckFace::rebuild);
    connect(&session, &Session::spotChanged, this, [this] {
        if (!m_session.spot()) m_chosen.clear();
        for (FindingRow* r : m_rows) r->setChosen(keyOf(r->finding()) == m_chosen);
    });
}

void CheckFace::rebuild() {
    if (m_list) {
        // Deleted later: the page may hold the very button whose click is being handled.
        m_list->hide();
        m_list->setParent(nullptr);
        m_list->deleteLater();
    }
    m_rows.clear();
    m_list = new QWidget;
    auto* rows = new QVBoxLayout(m_list);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    m_layout->addWidget(m_list, 1);
    const auto text = [&](const QString& words) {
        auto* label = new QLabel(words);
        label->setWordWrap(true);
        label->setObjectName(QStringLiteral("soft"));
        label->setContentsMargins(0, 4, 0, 4);
        rows->addWidget(label);
    };
    if (!m_checker.upToDate()) {
        Q_EMIT titleChanged(tr("Looking at the rig"));
        text(tr("Looking at joints, skins and clips."));
        rows->addStretch(1);
        return;
    }
    int broken = 0, look = 0, notes = 0, seen = 0;
    // Alike are those of one actor that have the same kind and weight: they stand together, where the first of them would.
    QMap<QString, int> ofKind, shownOfKind;
    const auto alike = [](const measure::Finding& f) {
        return QStringLiteral("%1-%2-%3")
            .arg(QString::fromStdString(f.kind))
            .arg(static_cast<int>(f.severity))
            .arg(QString::fromStdString(f.actor));
    };
    std::vector<measure::Finding> findings = m_checker.findings();
    QMap<QString, int> firstOf;
    for (std::size_t k = 0; k < findings.size(); ++k) {
        const QString kind = alike(findings[k]);
        if (!firstOf.contains(kind)) firstOf[kind] = static_cast<int>(k);
        if (!measure::isSeen(m_document.scene(), findings[k])) ++ofKind[kind];
    }
    std::stable_sort(findings.begin(), findings.end(),
                     [&](const auto& a, const auto& b) { return firstOf[alike(a)] < firstOf[alike(b)]; });
    const auto button = [&](const QString& name, const QString& words, auto&& act) {
        auto* b = new QPushButton(words);
        b->setObjectName(name);
        b->setStyleSheet(QStringLiteral("padding: 2px 8px; text-align: left;"));
        rows->addWidget(b);
        connect(b, &QPushButton::clicked, this, act);
    };
    for (const measure::Finding& f : findings) {
        if (measure::isSeen(m_document.scene(), f)) {
            ++seen;
            continue;
        }
        (f.severity == measure::Severity::Broken ? broken : f.severity == measure::Severity::Look ? look : notes) += 1;
        const QString kind = alike(f);
        const int before = shownOfKind[kind]++;
        // A single finding that is left over is shown: the button for more would take as much room.
        if (before >= kShownOfAKind && ofKind[kind] > kShownOfAKind + 1 && !m_open.contains(kind)) {
            if (before == kShownOfAKind)
                button(QStringLiteral("more-") + kind,
                       tr("and %1 more of the %2 findings of this kind").arg(ofKind[kind] - kShownOfAKind).arg(ofKind[kind]),
                       [this, kind] {
                           m_open.insert(kind);
                           rebuild();
                       });
            continue;
        }
        addRow(f, false);
    }
    if (m_document.scene().actors.empty())
        text(tr("Nothing is open yet."));
    else if (broken + look + notes == 0)
        text(tr("Nothing was found."));
    if (seen > 0) {
        rows->addSpacing(8);
        button(QStringLiteral("seen"),
               m_showSeen ? tr("Hide what was left (%1)").arg(seen) : tr("Show what was left (%1)").arg(seen), [this] {
                   m_showSeen = !m_showSeen;
                   rebuild();
               });
        if (m_showSeen)
            for (const measure::Finding& f : m_checker.findings())
                if (measure::isSeen(m_document.scene(), f)) addRow(f, true);
    }
    addStiff(rows);
    rows->addStretch(1);
    QStringList counts;
    if (broken > 0) counts << tr("%1 broken").arg(broken);
    if (look > 0) counts << tr("%1 to look at").arg(look);
    if (notes > 0) counts << (notes == 1 ? tr("1 note") : tr("%1 notes").arg(notes));
    Q_EMIT titleChanged(counts.isEmpty() ? tr("All is well") : counts.join(QStringLiteral(", ")));
}

void CheckFace::addStiff(QVBoxLayout* rows) {
    const std::vector<measure::Stiff>& stiff = m_checker.stiff();
    if (stiff.empty()) return;
    rows->addSpacing(10);
    auto* heading = new QLabel(tr("Still stiff: no clip and no layer moves it"));
    heading->setObjectName(QStringLiteral("soft"));
    rows->addWidget(heading);
    const auto shown = m_allStiff ? stiff.size() : std::min<std::size_t>(stiff.size(), kShownStiff);
    for (std::size_t k = 0; k < shown; ++k) {
        auto* row =
            new ListRow(QString::fromStdString(stiff[k].name), tr("%1 % of the height").arg(100 * stiff[k].size, 0, 'f', 0));
        row->setObjectName(QStringLiteral("stiff"));
        rows->addWidget(row);
        connect(row, &ListRow::chosen, this, [this, s = stiff[k]] {
            Selection sel;
            sel.actor = s.actor;
            sel.joints = s.joints;
            m_session.select(std::move(sel));
        });
    }
    if (shown == stiff.size()) return;
    auto* more = new QPushButton(tr("and %n more", nullptr, static_cast<int>(stiff.size() - shown)));
    more->setStyleSheet(QStringLiteral("padding: 2px 8px; text-align: left;"));
    rows->addWidget(more);
    connect(more, &QPushButton::clicked, this, [this] {
        m_allStiff = true;
        rebuild();
    });
}

void CheckFace::addRow(const measure::Finding& f, bool seen) {
    auto* row = new FindingRow(f, seen);
    m_list->layout()->addWidget(row);
    m_rows << row;
    row->setChosen(keyOf(f) == m_chosen);
    connect(row, &FindingRow::chosen, this, [this, row] { show(row->finding()); });
    connect(row, &FindingRow::repairWanted, this, [this, row] { repair(measure::Finding(row->finding())); });
    connect(row, &FindingRow::leaveWanted, this, [this, row](bool on) { leave(measure::Finding(row->finding()), on); });
}

void CheckFace::show(const measure::Finding& f) {
    const scene::ActorEntry* a = m_document.scene().actor(f.actor);
    if (!a) return;
    const int joint = f.joint.empty() ? rig::kNoJoint : a->actor->skeleton.find(f.joint);
    if (!f.clip.empty()) {
        const scene::Shot& shot = m_document.scene().shot();
        const auto played = shot.clips.find(a->id);
        if (played == shot.clips.end() || played->second != f.clip)
            m_document.edit(tr("Show %1").arg(QString::fromStdString(f.clip)),
                            [&](scene::Scene& s) { edit::playClip(s, f.actor, f.clip); });
        m_session.setPlaying(false);
        // The frame of the clip's own rate, in the shot's.
        const rig::Clip& clip = a->actor->clips[static_cast<std::size_t>(std::max(0, a->actor->findClip(f.clip)))];
        if (f.first >= 0 && f.rate > 0) {
            const double seconds = std::min(f.first / f.rate, clip.seconds());
            m_session.setFrame(static_cast<int>(std::lround(seconds * m_document.scene().shot().fps)));
        }
    }
    m_chosen = keyOf(f);
    m_session.selectJoint(f.actor, joint);
    Spot spot;
    spot.actor = f.actor;
    if (joint != rig::kNoJoint) spot.joints = {joint};
    spot.points = f.points;
    spot.swings = joint != rig::kNoJoint && f.clip.empty();
    m_session.setSpot(std::move(spot));
}

void CheckFace::repair(const measure::Finding& f) {
    scene::Scene mended = m_document.scene();
    for (const std::string& operation : f.repair)
        if (const auto done = edit::carryOut(mended, operation); !done) {
            Q_EMIT said(QString::fromStdString(done.error().sentence));
            return;
        }
    m_document.edit(tr("Mend: %1").arg(QString::fromStdString(f.kind)), [&](scene::Scene& s) { s = mended; });
    // What is of another size, or lay, is no longer where the camera looks.
    if (f.kind == "unit" || f.kind == "up-axis") Q_EMIT commandWanted(QStringLiteral("frame"));
    Q_EMIT said(tr("Mended; Ctrl+Z takes it back."));
}

void CheckFace::leave(const measure::Finding& f, bool on) {
    m_document.edit(on ? tr("Leave a finding") : tr("Look at a finding again"),
                    [&](scene::Scene& s) { edit::leaveFinding(s, f.actor, f.id(), on); });
}

}  // namespace nutatio::app
