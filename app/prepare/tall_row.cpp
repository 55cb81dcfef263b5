#include "app/prepare/tall_row.h"

#include <QHBoxLayout>

#include "app/look/theme.h"
#include "app/widgets/arithmetic.h"
#include "edit/edit.h"
#include "rig/tall.h"

namespace nutatio::app {

namespace {

QString metres(double m) {
    return QString::number(m, 'g', 3);
}

}  // namespace

TallRow::TallRow(Document& document, Session& session, QWidget* parent)
    : QWidget(parent), m_document(document), m_session(session), m_field(new QLineEdit), m_note(new QLabel) {
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(0, 0, 0, 4);
    rows->setSpacing(1);
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    row->addWidget(new QLabel(tr("How tall is it?")));
    row->addStretch(1);
    m_field->setObjectName(QStringLiteral("tall"));
    m_field->setAccessibleName(tr("How tall is it, in metres"));
    m_field->setToolTip(
        tr("A number or a sum, in metres; nothing: as its file says. What falls, swings and weighs follows; the "
           "file's units stay as they are."));
    m_field->setFont(look::figureFont());
    m_field->setAlignment(Qt::AlignRight);
    m_field->setFixedWidth(72);
    row->addWidget(m_field);
    auto* unit = new QLabel(QStringLiteral("m"));
    unit->setObjectName(QStringLiteral("soft"));
    row->addWidget(unit);
    rows->addLayout(row);
    m_note->setObjectName(QStringLiteral("soft"));
    m_note->setWordWrap(true);
    rows->addWidget(m_note);
    connect(m_field, &QLineEdit::editingFinished, this, &TallRow::typed);
    connect(&document, &Document::sceneChanged, this, &TallRow::refresh);
    connect(&document, &Document::replaced, this, &TallRow::refresh);
    connect(&session, &Session::selectionChanged, this, &TallRow::refresh);
    refresh();
}

TallRow::~TallRow() {
    // A field that goes while it is typed in loses the focus, and would tell of that.
    m_field->disconnect(this);
}

void TallRow::refresh() {
    const scene::Scene& s = m_document.scene();
    const scene::ActorEntry* a = s.actor(m_session.selection().actor);
    if (!a || a->isPiece()) a = nullptr;
    for (const scene::ActorEntry& each : s.actors)
        if (!a && !each.isPiece()) a = &each;
    setVisible(a != nullptr);
    if (!a) return;
    // What was typed for one actor says nothing of another.
    if (m_actor != a->id) m_field->setModified(false);
    m_actor = a->id;
    const double now = a->actor->height * a->actor->metresPerUnit;
    if (!m_field->isModified() || !m_field->hasFocus()) m_field->setText(metres(now));
    const rig::Actor& file = a->source ? *a->source : *a->actor;
    const double said = file.height * file.metresPerUnit;
    const auto likelier = rig::likelierHeight(*a->actor, now);
    m_note->setText(likelier                      ? tr("%1 m is likelier.").arg(metres(*likelier))
                    : metres(said) == metres(now) ? QString()
                                                  : tr("Its file says %1 m.").arg(metres(said)));
    m_note->setVisible(!m_note->text().isEmpty());
}

void TallRow::typed() {
    // What leaves the window with a number half typed says nothing.
    if (!m_field->isModified() || !isVisible()) return;
    m_field->setModified(false);
    const bool none = m_field->text().trimmed().isEmpty();
    const auto value = arithmetic(m_field->text());
    scene::Scene next = m_document.scene();
    const auto done = none || value ? edit::standTall(next, m_actor, none ? 0 : *value)
                                    : Result<Done>(refused("\"" + m_field->text().toStdString() + "\" is no height"));
    if (done) {
        m_document.edit(tr("How tall %1 is").arg(QString::fromStdString(m_actor)), [&](scene::Scene& s) { s = next; });
        Q_EMIT grown();
    } else {
        Q_EMIT said(QString::fromStdString(done.error().sentence));
    }
    refresh();
}

}  // namespace nutatio::app
