#include "app/prepare/face.h"

#include <QGridLayout>
#include <QLineEdit>

#include "app/look/theme.h"

namespace nutatio::app {

Face::Face(Document& document, Session& session, QWidget* parent)
    : QWidget(parent), m_document(document), m_session(session), m_layout(new QVBoxLayout(this)), m_top(new QVBoxLayout) {
    m_layout->setContentsMargins(0, 0, 0, 0);
    m_layout->setSpacing(4);
    m_top->setSpacing(4);
    m_layout->addLayout(m_top);
    connect(&document, &Document::sceneChanged, this, &Face::refreshSoon);
    connect(&document, &Document::replaced, this, &Face::refreshSoon);
    // A face that was taken off its page waits for its end, and may outlive what it showed.
    connect(&document, &QObject::destroyed, this, [this] { m_stale = false; });
    connect(&session, &Session::selectionChanged, this, &Face::refreshSoon);
}

void Face::refreshSoon() {
    if (m_stale) return;
    m_stale = true;
    QMetaObject::invokeMethod(
        this,
        [this] {
            if (m_stale) refresh();
        },
        Qt::QueuedConnection);
}

void Face::refresh() {
    m_stale = false;
    if (m_list) {
        // Deleted later: the page may hold the very button whose click is being handled.
        m_list->hide();
        m_list->setParent(nullptr);
        m_list->deleteLater();
    }
    m_list = new QWidget;
    m_rows = new QVBoxLayout(m_list);
    m_rows->setContentsMargins(0, 0, 0, 0);
    m_rows->setSpacing(3);
    m_layout->addWidget(m_list, 1);
    lay();
    m_rows->addStretch(1);
    m_list->show();
}

void Face::addText(const QString& text) {
    auto* label = new QLabel(text);
    label->setWordWrap(true);
    label->setObjectName(QStringLiteral("soft"));
    label->setContentsMargins(0, 2, 0, 2);
    m_rows->addWidget(label);
}

void Face::addHeading(const QString& text) {
    m_rows->addSpacing(8);
    auto* label = new QLabel(text);
    label->setFont(look::textFont(9, QFont::Bold));
    m_rows->addWidget(label);
}

void Face::addButtons(QVBoxLayout* into, const QList<Button>& buttons, int across) {
    auto* grid = new QGridLayout;
    grid->setSpacing(4);
    int cell = 0;
    for (const Button& each : buttons) {
        auto* b = new QPushButton(each.words);
        b->setObjectName(each.name);
        b->setToolTip(each.help);
        b->setEnabled(each.can);
        b->setStyleSheet(QStringLiteral("padding: 4px 3px;"));
        grid->addWidget(b, cell / across, cell % across);
        ++cell;
        connect(b, &QPushButton::clicked, this, each.act);
    }
    for (int c = 0; c < across; ++c) grid->setColumnStretch(c, 1);
    into->addLayout(grid);
}

void Face::addCommands(QVBoxLayout* into, const QList<std::pair<QString, QString>>& commands, int across) {
    QList<Button> buttons;
    for (const auto& [id, words] : commands)
        buttons << Button{QStringLiteral("do-") + id, words, {}, [this, id = id] { Q_EMIT commandWanted(id); }, true};
    addButtons(into, buttons, across);
}

ListRow* Face::addRow(const QString& text, const QString& detail) {
    auto* row = new ListRow(text, detail);
    m_rows->addWidget(row);
    return row;
}

bool Face::attempt(const QString& name, const std::function<Result<Done>(scene::Scene&)>& what) {
    scene::Scene next = m_document.scene();
    if (const auto done = what(next); !done) {
        Q_EMIT said(QString::fromStdString(done.error().sentence));
        return false;
    }
    m_document.edit(name, [&](scene::Scene& s) { s = next; });
    return true;
}

const scene::ActorEntry* Face::actor() const {
    const scene::Scene& s = m_document.scene();
    if (const scene::ActorEntry* a = s.actor(m_session.selection().actor); a && !a->isPiece()) return a;
    for (const scene::ActorEntry& a : s.actors)
        if (!a.isPiece()) return &a;
    return nullptr;
}

std::vector<std::string> Face::selectedJoints() const {
    std::vector<std::string> out;
    const scene::ActorEntry* a = actor();
    if (a && a->id == m_session.selection().actor)
        for (int j : m_session.selection().joints)
            if (j < a->actor->skeleton.size()) out.push_back(a->actor->skeleton.reference(j));
    return out;
}

void Face::askForName(ListRow* row, const std::function<void(const QString&)>& done) {
    auto* field = new QLineEdit(row->text(), row);
    field->setObjectName(QStringLiteral("name-field"));
    field->setGeometry(row->rect().adjusted(2, 1, -2, -2));
    field->selectAll();
    field->show();
    field->setFocus();
    connect(field, &QLineEdit::editingFinished, this, [field, done] {
        if (!field->isVisible()) return;
        field->hide();
        field->deleteLater();
        if (field->isModified() && !field->text().trimmed().isEmpty()) done(field->text().trimmed());
    });
}

}  // namespace nutatio::app
