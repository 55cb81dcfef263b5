#include "app/compare/takes_face.h"

#include <QCheckBox>
#include <QFrame>
#include <QLineEdit>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "edit/takes.h"

namespace nutatio::app {

namespace {

constexpr std::size_t kMostBeside = 4;
constexpr QSize kThumb(96, 64);

}  // namespace

TakesFace::TakesFace(Document& document, Session& session, QWidget* parent) : Face(document, session, parent) {
    connect(&session, &Session::comparingChanged, this, &Face::refreshSoon);
    connect(&session, &Session::takeChanged, this, &Face::refreshSoon);
}

void TakesFace::putBeside(const std::string& id, bool on) {
    Comparing c = m_session.comparing();
    std::erase(c.with, id);
    if (on && c.with.size() >= kMostBeside) {
        Q_EMIT said(tr("Four stand side by side already: take one away first."));
        refresh();
        return;
    }
    if (on) c.with.push_back(id);
    // Now comes first, the bare body last, takes in the order of the list between.
    const auto place = [this](const std::string& each) {
        if (each.empty()) return std::size_t{0};
        if (each == kBareBody) return m_document.scene().takes.size() + 1;
        return 1 + m_document.scene().takes.find([&](const scene::Take& t) { return t.id == each; });
    };
    std::stable_sort(c.with.begin(), c.with.end(), [&](const auto& a, const auto& b) { return place(a) < place(b); });
    m_session.setComparing(c);
}

void TakesFace::addBeside(const QString& name, const QString& words, const std::string& id, QBoxLayout* into) {
    const auto& with = m_session.comparing().with;
    auto* box = new QCheckBox(words);
    box->setObjectName(name);
    box->setToolTip(tr("Stands in the comparison"));
    box->setChecked(std::find(with.begin(), with.end(), id) != with.end());
    connect(box, &QCheckBox::clicked, this, [this, id](bool on) { putBeside(id, on); });
    into->addWidget(box);
}

void TakesFace::addTake(const scene::Take& take) {
    const std::string id = take.id;
    const bool other = m_session.other() && m_session.other()->id == id;
    auto* frame = new QFrame;
    frame->setObjectName(QStringLiteral("take"));
    frame->setProperty("take", qs(id));
    auto* column = new QVBoxLayout(frame);
    column->setContentsMargins(0, 6, 0, 2);
    column->setSpacing(3);
    auto* top = new QHBoxLayout;
    top->setSpacing(8);
    auto* thumb = new QLabel;
    thumb->setFixedSize(kThumb);
    QPixmap picture;
    if (take.picture) picture.loadFromData(take.picture->data(), static_cast<unsigned>(take.picture->size()));
    if (!picture.isNull())
        thumb->setPixmap(picture.scaled(kThumb, Qt::KeepAspectRatioByExpanding, Qt::SmoothTransformation));
    else
        thumb->setText(tr("no picture"));
    thumb->setAlignment(Qt::AlignCenter);
    thumb->setStyleSheet(QStringLiteral("border: 1px solid %1;").arg((other ? look::theme().plum : look::theme().rule).name()));
    top->addWidget(thumb);
    auto* words = new QVBoxLayout;
    words->setSpacing(1);
    auto* name = new QLineEdit(qs(take.name));
    name->setObjectName(QStringLiteral("take-name"));
    name->setAccessibleName(tr("Name of the take"));
    name->setFrame(false);
    name->setFont(look::textFont(9.5, QFont::Bold));
    name->setStyleSheet(QStringLiteral("QLineEdit { background: transparent; border: none; padding: 0; }"));
    connect(name, &QLineEdit::editingFinished, this, [this, name, id] {
        if (!name->isModified()) return;
        name->setModified(false);
        attempt(tr("Rename a take"),
                [&](scene::Scene& s) { return edit::renameTake(s, id, name->text().trimmed().toStdString()); });
    });
    words->addWidget(name);
    QStringList all;
    for (const std::string& d : edit::differences(m_document.scene(), *take.scene, 40)) all << qs(d);
    auto* differs = new QLabel(all.isEmpty() ? tr("as it is now")
                                             : all.mid(0, 2).join(u'\n') +
                                                   (all.size() > 2 ? tr("\nand %1 more").arg(all.size() - 2) : QString()));
    differs->setObjectName(QStringLiteral("soft"));
    differs->setFont(look::textFont(8));
    differs->setWordWrap(true);
    differs->setToolTip(all.join(u'\n'));
    words->addWidget(differs);
    words->addStretch(1);
    top->addLayout(words, 1);
    column->addLayout(top);
    auto* note = new QLineEdit(qs(take.note));
    note->setObjectName(QStringLiteral("take-note"));
    note->setAccessibleName(tr("A line about the take"));
    note->setPlaceholderText(tr("a line about it"));
    connect(note, &QLineEdit::editingFinished, this, [this, note, id] {
        if (!note->isModified()) return;
        note->setModified(false);
        attempt(tr("A line about a take"),
                [&](scene::Scene& s) { return edit::noteTake(s, id, note->text().trimmed().toStdString()); });
    });
    column->addWidget(note);
    auto* row = new QHBoxLayout;
    row->setSpacing(3);
    addBeside(QStringLiteral("beside"), tr("Beside"), id, row);
    row->addStretch(1);
    const auto button = [&](const char* named, const QString& text, const QString& help, const std::function<void()>& act) {
        auto* b = new QPushButton(text);
        b->setObjectName(QLatin1String(named));
        b->setToolTip(help);
        b->setStyleSheet(QStringLiteral("padding: 3px 6px;"));
        connect(b, &QPushButton::clicked, this, act);
        row->addWidget(b);
        return b;
    };
    button("take-adopt", tr("Adopt"), tr("Layers, colliders, winds, pins, gauges and their keys become those of this take"),
           [this, id, called = qs(take.name)] {
               if (attempt(tr("Adopt %1").arg(called), [&](scene::Scene& s) { return edit::adoptTake(s, id); }))
                   Q_EMIT said(tr("The layers and what they meet are those of %1 now; Ctrl+Z brings back what was.").arg(called));
           });
    button("take-restore", tr("Restore"), tr("Everything becomes as it was when this take was kept, characters and shots too"),
           [this, id, called = qs(take.name), frame = take.frame] {
               if (!attempt(tr("Restore %1").arg(called), [&](scene::Scene& s) { return edit::restoreTake(s, id); })) return;
               m_session.setFrame(frame);
               Q_EMIT said(tr("All is as it was in %1; Ctrl+Z brings back what was.").arg(called));
           });
    QPushButton* ghost =
        button("take-ghost", tr("Ghost"), tr("The other take: G shows it as a ghost on the stage, and the Scope in plum"),
               [this, id, other] { m_session.setOther(other ? std::string() : id); });
    ghost->setCheckable(true);
    ghost->setProperty("face", true);
    ghost->setChecked(other);
    button("take-remove", QStringLiteral("\u00d7"), tr("Lets go of this take"), [this, id, called = qs(take.name)] {
        attempt(tr("Let go of %1").arg(called), [&](scene::Scene& s) { return edit::removeTake(s, id); });
    })->setAccessibleName(tr("Let go of %1").arg(qs(take.name)));
    column->addLayout(row);
    auto* line = new QFrame;
    line->setObjectName(QStringLiteral("line"));
    line->setFixedHeight(1);
    column->addWidget(line);
    rows()->addWidget(frame);
}

void TakesFace::lay() {
    const scene::Scene& s = m_document.scene();
    Q_EMIT titleChanged(s.takes.empty() ? tr("Takes") : tr("Takes: %1").arg(s.takes.size()));
    addCommands(rows(),
                {{QStringLiteral("take"), tr("Keep a take (T)")},
                 {QStringLiteral("compare"), m_session.comparing().on ? tr("Back to the stage") : tr("Compare (Shift+T)")}},
                2);
    if (s.takes.empty()) {
        addText(
            tr("A take is the whole set-up as it is now, kept with the scene. Change what you like afterwards: takes stand "
               "side by side, over each other, and say in words how they differ."));
        return;
    }
    auto* row = new QHBoxLayout;
    row->setSpacing(12);
    addBeside(QStringLiteral("beside-now"), tr("Now"), {}, row);
    addBeside(QStringLiteral("beside-body"), tr("Bare body"), kBareBody, row);
    row->addStretch(1);
    rows()->addLayout(row);
    for (auto n = s.takes.size(); n-- > 0;) addTake(s.takes[n]);
}

}  // namespace nutatio::app
