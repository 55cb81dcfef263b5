#include "app/roster/roster.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QScrollBar>
#include <QVBoxLayout>
#include <functional>

#include "app/look/theme.h"
#include "edit/edit.h"

namespace nutatio::app {

namespace {
enum Role { kActor = Qt::UserRole, kJoint, kClip, kCollider, kWind, kPin };

/// Anything that would make the tree look different.
std::string shape(const scene::Scene& s) {
    std::string t;
    for (const scene::ActorEntry& a : s.actors)
        t += a.id + '\n' + a.name + '\n' + std::to_string(s.clipOf(s.shot(), a)) + '\n' +
             std::to_string(reinterpret_cast<std::uintptr_t>(a.actor.get())) + '\n';
    for (const scene::Collider& c : s.colliders)
        t += c.id + '\n' + c.name + '\n' + c.actor + '\n' + c.joint + (c.on ? "+\n" : "-\n");
    for (const scene::Wind& w : s.winds) t += w.id + '\n' + w.name + (w.on ? "+\n" : "-\n");
    for (const scene::Pin& p : s.pins) t += p.id + '\n' + p.name + '\n' + p.actor + (p.on ? "+\n" : "-\n");
    return t;
}
const char* shapeIcon(const scene::Collider& c) {
    switch (c.shape()) {
        case scene::Shape::Sphere:
            return "circle";
        case scene::Shape::Capsule:
            return "cylinder";
        case scene::Shape::Box:
            return "box";
        case scene::Shape::Plane:
            return "square";
    }
    return "circle";
}
}  // namespace

Roster::Roster(Document& document, Session& session, QWidget* parent)
    : QWidget(parent), m_document(document), m_session(session), m_search(new QLineEdit), m_tree(new QTreeWidget) {
    setObjectName(QStringLiteral("sheet"));
    setAttribute(Qt::WA_StyledBackground);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 8, 4, 4);
    layout->setSpacing(6);
    auto* heading = new QLabel(tr("ROSTER"));
    heading->setObjectName(QStringLiteral("heading"));
    layout->addWidget(heading);
    m_search->setPlaceholderText(tr("Search"));
    m_search->setAccessibleName(tr("Search the roster"));
    m_search->setClearButtonEnabled(true);
    m_search->addAction(look::icon(QStringLiteral("search")), QLineEdit::LeadingPosition);
    layout->addWidget(m_search);
    m_tree->setHeaderHidden(true);
    m_tree->setAccessibleName(tr("Roster"));
    m_tree->setIndentation(12);
    m_tree->setIconSize(QSize(14, 14));
    m_tree->setUniformRowHeights(true);
    m_tree->setSelectionMode(QAbstractItemView::ExtendedSelection);
    m_tree->setContextMenuPolicy(Qt::CustomContextMenu);
    m_tree->setTextElideMode(Qt::ElideMiddle);
    m_tree->setHorizontalScrollBarPolicy(Qt::ScrollBarAsNeeded);
    m_tree->header()->setStretchLastSection(false);
    m_tree->header()->setSectionResizeMode(QHeaderView::ResizeToContents);
    m_search->installEventFilter(this);
    layout->addWidget(m_tree, 1);
    connect(m_search, &QLineEdit::textChanged, this, &Roster::filter);
    connect(m_tree, &QTreeWidget::itemSelectionChanged, this, &Roster::takeSelection);
    connect(m_tree, &QTreeWidget::itemDoubleClicked, this, [this](QTreeWidgetItem* item) { activate(item); });
    connect(m_tree, &QTreeWidget::customContextMenuRequested, this,
            [this](const QPoint& p) { Q_EMIT menuWanted(m_tree->viewport()->mapToGlobal(p)); });
    connect(&document, &Document::sceneChanged, this, [this](const scene::Change& change) {
        for (scene::List l : {scene::List::Actors, scene::List::Colliders, scene::List::Winds, scene::List::Pins})
            if (change.touches(l) || change.shot) return rebuild();
    });
    connect(&session, &Session::selectionChanged, this, &Roster::showSelection);
    rebuild();
}

void Roster::rebuild() {
    const std::string now = shape(m_document.scene());
    if (now == m_built) return;
    m_built = now;
    m_following = true;
    // What was unfolded stays so, and what was in view too.
    QMap<QString, bool> unfolded;
    for (QTreeWidgetItemIterator it(m_tree); *it; ++it)
        if ((*it)->childCount() > 0) unfolded[pathOf(*it)] = (*it)->isExpanded();
    const int scrolled = m_tree->verticalScrollBar()->value();
    m_tree->clear();
    for (const scene::ActorEntry& a : m_document.scene().actors) addActor(a);
    addOthers();
    for (QTreeWidgetItemIterator it(m_tree); *it; ++it)
        if (const auto was = unfolded.find(pathOf(*it)); was != unfolded.end()) (*it)->setExpanded(was.value());
    m_following = false;
    filter(m_search->text());
    showSelection();
    m_tree->verticalScrollBar()->setValue(scrolled);
}

void Roster::addActor(const scene::ActorEntry& a) {
    const QString id = QString::fromStdString(a.id);
    const auto item = [&](QTreeWidgetItem* parent, const QString& text, const char* icon) {
        auto* i = parent ? new QTreeWidgetItem(parent) : new QTreeWidgetItem(m_tree);
        i->setText(0, text);
        if (icon) i->setIcon(0, look::icon(QLatin1String(icon), false));
        i->setData(0, kActor, id);
        return i;
    };
    QTreeWidgetItem* top = item(nullptr, QString::fromStdString(a.name), "person-standing");
    top->setExpanded(true);
    if (!a.actor->clips.empty()) {
        QTreeWidgetItem* clips = item(top, tr("Clips"), "film");
        clips->setExpanded(true);
        for (std::size_t c = 0; c < a.actor->clips.size(); ++c) {
            QTreeWidgetItem* i = item(clips, QString::fromStdString(a.actor->clipLabel(static_cast<int>(c))), nullptr);
            const std::string& name = a.actor->clips[c].name;
            const bool named = !name.empty() && a.actor->findClip(name) == static_cast<int>(c);
            i->setData(0, kClip, named ? QString::fromStdString(name) : QStringLiteral("#%1").arg(c));
            i->setToolTip(0, tr("%1 s. Double-click to play this clip.").arg(a.actor->clips[c].seconds(), 0, 'f', 2));
            if (m_document.scene().clipOf(m_document.scene().shot(), a) == static_cast<int>(c)) {
                QFont bold = i->font(0);
                bold.setBold(true);
                i->setFont(0, bold);
                i->setIcon(0, look::icon(QStringLiteral("play"), false));
            }
        }
    }
    QTreeWidgetItem* colliders = nullptr;
    for (const scene::Collider& c : m_document.scene().colliders) {
        if (c.actor != a.id) continue;
        if (!colliders) {
            colliders = item(top, tr("Colliders"), "circle");
            colliders->setExpanded(true);
        }
        QTreeWidgetItem* i = item(colliders, QString::fromStdString(c.name) + (c.on ? QString() : tr(" (off)")), shapeIcon(c));
        i->setData(0, kCollider, QString::fromStdString(c.id));
    }
    QTreeWidgetItem* pins = nullptr;
    for (const scene::Pin& p : m_document.scene().pins) {
        if (p.actor != a.id) continue;
        if (!pins) {
            pins = item(top, tr("Pins"), "pin");
            pins->setExpanded(true);
        }
        item(pins, QString::fromStdString(p.name) + (p.on ? QString() : tr(" (off)")), "pin")
            ->setData(0, kPin, QString::fromStdString(p.id));
    }
    std::vector<QTreeWidgetItem*> byJoint(static_cast<std::size_t>(a.actor->skeleton.size()), nullptr);
    QTreeWidgetItem* joints = item(top, tr("Joints"), "bone");
    joints->setExpanded(true);
    for (int j : a.actor->skeleton.order()) {
        const int p = a.actor->skeleton.joint(j).parent;
        QTreeWidgetItem* i = item(p == rig::kNoJoint ? joints : byJoint[static_cast<std::size_t>(p)],
                                  QString::fromStdString(a.actor->skeleton.label(j)), nullptr);
        i->setData(0, kJoint, j);
        i->setExpanded(i->parent() == joints || i->parent()->parent() == joints);
        byJoint[static_cast<std::size_t>(j)] = i;
    }
}

void Roster::addOthers() {
    const auto group = [this](const QString& text, const char* icon) {
        auto* i = new QTreeWidgetItem(m_tree);
        i->setText(0, text);
        i->setIcon(0, look::icon(QLatin1String(icon), false));
        i->setExpanded(true);
        return i;
    };
    const auto add = [](QTreeWidgetItem* parent, const std::string& name, bool on, int role, const std::string& id,
                        const char* icon) {
        auto* i = new QTreeWidgetItem(parent);
        i->setText(0, QString::fromStdString(name) + (on ? QString() : tr(" (off)")));
        i->setData(0, role, QString::fromStdString(id));
        i->setIcon(0, look::icon(QLatin1String(icon), false));
    };
    QTreeWidgetItem *winds = nullptr, *colliders = nullptr;
    for (const scene::Wind& w : m_document.scene().winds) {
        if (!winds) winds = group(tr("Winds"), "wind");
        add(winds, w.name, w.on, kWind, w.id, "wind");
    }
    for (const scene::Collider& c : m_document.scene().colliders) {
        if (!c.actor.empty()) continue;
        if (!colliders) colliders = group(tr("Colliders in the world"), "circle");
        add(colliders, c.name, c.on, kCollider, c.id, shapeIcon(c));
    }
}

QString Roster::pathOf(const QTreeWidgetItem* item) {
    QString path;
    for (; item; item = item->parent()) path = item->text(0) + u'/' + path;
    return path;
}

bool Roster::eventFilter(QObject* o, QEvent* e) {
    // Down goes from the search into what it found.
    if (o == m_search && e->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Down) {
        QTreeWidgetItem* first = nullptr;
        for (QTreeWidgetItemIterator it(m_tree); *it && !first; ++it)
            if (!(*it)->isHidden() &&
                (m_search->text().isEmpty() || (*it)->text(0).contains(m_search->text(), Qt::CaseInsensitive)))
                first = *it;
        m_tree->setFocus();
        if (first) m_tree->setCurrentItem(first);
        return true;
    }
    return QWidget::eventFilter(o, e);
}

void Roster::showSelection() {
    if (m_following) return;
    m_following = true;
    const Selection& sel = m_session.selection();
    m_tree->clearSelection();
    QTreeWidgetItem* first = nullptr;
    for (QTreeWidgetItemIterator it(m_tree); *it; ++it) {
        const QVariant joint = (*it)->data(0, kJoint), collider = (*it)->data(0, kCollider), wind = (*it)->data(0, kWind),
                       pin = (*it)->data(0, kPin);
        const bool mine = (*it)->data(0, kActor).toString().toStdString() == sel.actor;
        const bool on =
            mine && ((joint.isValid() && std::find(sel.joints.begin(), sel.joints.end(), joint.toInt()) != sel.joints.end()) ||
                     (collider.isValid() && !sel.collider.empty() && collider.toString().toStdString() == sel.collider) ||
                     (wind.isValid() && wind.toString().toStdString() == sel.wind) ||
                     (pin.isValid() && !sel.pin.empty() && pin.toString().toStdString() == sel.pin));
        if (!on) continue;
        (*it)->setSelected(true);
        if (!first) first = *it;
    }
    if (first) m_tree->scrollToItem(first);
    m_following = false;
}

void Roster::takeSelection() {
    if (m_following) return;
    m_following = true;
    Selection s;
    for (QTreeWidgetItem* i : m_tree->selectedItems()) {
        const std::string actor = i->data(0, kActor).toString().toStdString();
        for (const auto& [role, choose] :
             {std::pair{kCollider, &Session::selectCollider}, {kWind, &Session::selectWind}, {kPin, &Session::selectPin}})
            if (const QVariant id = i->data(0, role); id.isValid()) {
                m_following = false;
                (m_session.*choose)(id.toString().toStdString());
                return;
            }
        if (s.actor.empty()) s.actor = actor;
        if (i->data(0, kJoint).isValid() && actor == s.actor) s.joints.push_back(i->data(0, kJoint).toInt());
    }
    m_session.select(std::move(s));
    m_following = false;
}

void Roster::activate(QTreeWidgetItem* item) {
    const QVariant clip = item->data(0, kClip);
    if (!clip.isValid()) return;
    const std::string actor = item->data(0, kActor).toString().toStdString(), wanted = clip.toString().toStdString();
    m_document.edit(tr("Play clip %1").arg(item->text(0)), [&](scene::Scene& s) { edit::playClip(s, actor, wanted); });
    m_session.setFrame(0);
}

void Roster::filter(const QString& text) {
    // An item shows when it or anything below it matches.
    const std::function<bool(QTreeWidgetItem*)> visit = [&](QTreeWidgetItem* item) {
        bool show = text.isEmpty() || item->text(0).contains(text, Qt::CaseInsensitive);
        for (int i = 0; i < item->childCount(); ++i) show = visit(item->child(i)) || show;
        item->setHidden(!show);
        if (show && !text.isEmpty()) item->setExpanded(true);
        return show;
    };
    for (int i = 0; i < m_tree->topLevelItemCount(); ++i) visit(m_tree->topLevelItem(i));
}

}  // namespace nutatio::app
