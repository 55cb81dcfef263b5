#include "app/roster/roster.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QScrollBar>
#include <QVBoxLayout>

#include "app/look/parts.h"
#include "app/look/theme.h"
#include "edit/edit.h"
#include "measure/joints.h"
#include "rig/parts.h"

namespace nutatio::app {

namespace {
enum Role { kActor = Qt::UserRole, kJoint, kClip, kCollider, kWind, kPin, kGauge, kPart, kWhole };

/// Anything that would make the tree look different.
std::string shape(const scene::Scene& s) {
    std::string t;
    const auto flags = [&](const auto& list) {
        for (const scene::Tuned& each : list) t += each.lock ? (each.hidden ? 'b' : 'l') : (each.hidden ? 'h' : '.');
    };
    flags(s.actors);
    flags(s.colliders);
    flags(s.winds);
    flags(s.pins);
    flags(s.gauges);
    for (const scene::ActorEntry& a : s.actors) {
        for (const scene::Part& p : a.parts) t += p.name + std::to_string(p.colour) + std::to_string(p.joints.size()) + '\n';
        for (const std::string& l : a.locked) t += l + '\n';
        t += a.id + '\n' + a.name + '\n' + a.text("form") + '\n' + std::to_string(s.clipOf(s.shot(), a)) + '\n' +
             std::to_string(reinterpret_cast<std::uintptr_t>(a.actor.get())) + '\n';
    }
    for (const scene::Collider& c : s.colliders)
        t += c.id + '\n' + c.name + '\n' + c.mount.actor + '\n' + c.mount.joint + (c.on ? "+\n" : "-\n");
    for (const scene::Wind& w : s.winds) t += w.id + '\n' + w.name + (w.on ? "+\n" : "-\n");
    for (const scene::Gauge& g : s.gauges) t += g.id + '\n' + g.name + '\n';
    for (const scene::Pin& p : s.pins) t += p.id + '\n' + p.name + '\n' + p.actor + (p.on ? "+\n" : "-\n");
    return t;
}
/// Its name, with what is not seen of it on the stage.
QString named(const scene::Tuned& t, bool on) {
    return QString::fromStdString(t.name) + (on ? QString() : QObject::tr(" (off)")) +
           (t.hidden ? QObject::tr(" (hidden)") : QString()) + (t.lock ? QObject::tr(" (locked)") : QString());
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
QString iconFor(const QTreeWidgetItem* item) {
    if (item->data(0, kClip).isValid()) return QStringLiteral("film");
    return item->data(0, kPart).isValid() ? QStringLiteral("link") : QStringLiteral("bone");
}
}  // namespace

Roster::Roster(Document& document, Session& session, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_search(new QLineEdit),
      m_filter(new QComboBox),
      m_tree(new QTreeWidget),
      m_found(new QTreeWidget) {
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
    m_filter->setAccessibleName(tr("Which joints are listed"));
    m_filter->setObjectName(QStringLiteral("joint-filter"));
    for (const QString& words : {tr("Everything"), tr("Joints: simulated"), tr("Joints: can be simulated"),
                                 tr("Joints: carry skin"), tr("Joints: move in this shot"), tr("Joints: weights locked")})
        m_filter->addItem(words);
    m_filter->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    layout->addWidget(m_filter);
    connect(m_filter, &QComboBox::currentIndexChanged, this, &Roster::find);
    m_tree->setAccessibleName(tr("Roster"));
    m_found->setAccessibleName(tr("What was found in the roster"));
    m_found->setRootIsDecorated(false);
    for (QTreeWidget* tree : {m_tree, m_found}) dress(tree);
    m_found->hide();
    m_search->installEventFilter(this);
    layout->addWidget(m_tree, 1);
    layout->addWidget(m_found, 1);
    connect(m_search, &QLineEdit::textChanged, this, &Roster::find);
    connect(&document, &Document::sceneChanged, this, [this](const scene::Change& change) {
        for (scene::List l :
             {scene::List::Actors, scene::List::Colliders, scene::List::Winds, scene::List::Pins, scene::List::Gauges})
            if (change.touches(l) || change.shot) return rebuild();
        // The filter asks for what is simulated, and layers tell that.
        if (m_filter->currentIndex() > 0 && change.touches(scene::List::Layers)) find();
    });
    connect(&session, &Session::selectionChanged, this, &Roster::showSelection);
    rebuild();
}

void Roster::dress(QTreeWidget* tree) {
    tree->setHeaderHidden(true);
    tree->setIndentation(12);
    tree->setIconSize(QSize(14, 14));
    tree->setUniformRowHeights(true);
    tree->setSelectionMode(QAbstractItemView::ExtendedSelection);
    tree->setContextMenuPolicy(Qt::CustomContextMenu);
    tree->setTextElideMode(Qt::ElideMiddle);
    tree->setHorizontalScrollBarPolicy(Qt::ScrollBarAsNeeded);
    tree->header()->setStretchLastSection(false);
    tree->header()->setSectionResizeMode(QHeaderView::ResizeToContents);
    tree->viewport()->installEventFilter(this);
    connect(tree, &QTreeWidget::itemSelectionChanged, this, [this, tree] { takeSelection(tree); });
    connect(tree, &QTreeWidget::itemDoubleClicked, this, [this](QTreeWidgetItem* item) { activate(item); });
    connect(tree, &QTreeWidget::customContextMenuRequested, this,
            [this, tree](const QPoint& p) { Q_EMIT menuWanted(tree->viewport()->mapToGlobal(p)); });
}

void Roster::rebuild() {
    const std::string now = shape(m_document.scene());
    if (now == m_built) return;
    m_built = now;
    m_following = true;
    // Unfolded groups stay unfolded, and the scroll position stays.
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
    find();
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
    QTreeWidgetItem* top = item(nullptr, named(a, true), "person-standing");
    if (a.isPiece()) top->setIcon(0, look::pieceIcon(a.text("form")));
    top->setData(0, kWhole, true);
    if (a.isPiece()) return;
    top->setExpanded(true);
    addParts(a, top);
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
        if (c.mount.actor != a.id) continue;
        if (!colliders) {
            colliders = item(top, tr("Colliders"), "circle");
            colliders->setExpanded(true);
        }
        QTreeWidgetItem* i = item(colliders, named(c, c.on), shapeIcon(c));
        i->setData(0, kCollider, QString::fromStdString(c.id));
    }
    QTreeWidgetItem* pins = nullptr;
    for (const scene::Pin& p : m_document.scene().pins) {
        if (p.actor != a.id) continue;
        if (!pins) {
            pins = item(top, tr("Pins"), "pin");
            pins->setExpanded(true);
        }
        item(pins, named(p, p.on), "pin")->setData(0, kPin, QString::fromStdString(p.id));
    }
    // Exporters put the same word before every name: it would push the names out of sight.
    const QString prefix = QString::fromStdString(rig::sharedPrefix(a.actor->skeleton));
    std::vector<QTreeWidgetItem*> byJoint(static_cast<std::size_t>(a.actor->skeleton.size()), nullptr);
    QTreeWidgetItem* joints = item(top, tr("Joints"), "bone");
    joints->setExpanded(true);
    for (int j : a.actor->skeleton.order()) {
        const int p = a.actor->skeleton.joint(j).parent;
        const QString name = QString::fromStdString(a.actor->skeleton.label(j));
        QTreeWidgetItem* i = item(p == rig::kNoJoint ? joints : byJoint[static_cast<std::size_t>(p)],
                                  name.startsWith(prefix) ? name.mid(prefix.size()) : name, nullptr);
        if (!prefix.isEmpty()) i->setToolTip(0, name);
        i->setData(0, kJoint, j);
        i->setExpanded(i->parent() == joints || i->parent()->parent() == joints);
        byJoint[static_cast<std::size_t>(j)] = i;
    }
}

void Roster::addParts(const scene::ActorEntry& a, QTreeWidgetItem* top) {
    const rig::Skeleton& k = a.actor->skeleton;
    const std::string prefix = rig::sharedPrefix(k);
    QTreeWidgetItem* parts = nullptr;
    struct Shown {
        std::string name;
        std::vector<int> joints;
        QIcon icon;
    };
    std::vector<Shown> all;
    for (const scene::Part& p : a.parts) {
        QPixmap swatch(12, 12);
        swatch.fill(look::partColour(p.colour));
        all.push_back({p.name, {}, QIcon(swatch)});
        for (const std::string& name : p.joints)
            if (const int j = k.find(name); j != rig::kNoJoint) all.back().joints.push_back(j);
    }
    // Until somebody says what the parts are, names tell.
    if (a.parts.empty())
        for (const rig::Part& p : rig::partsOf(*a.actor)) all.push_back({p.name, p.joints, {}});
    for (const Shown& p : all) {
        if (!parts) {
            parts = new QTreeWidgetItem(top);
            parts->setText(0, tr("Parts"));
            parts->setIcon(0, look::icon(QStringLiteral("link"), false));
            parts->setData(0, kActor, QString::fromStdString(a.id));
            parts->setExpanded(true);
        }
        auto* i = new QTreeWidgetItem(parts);
        const std::string name = p.name.rfind(prefix, 0) == 0 ? p.name.substr(prefix.size()) : p.name;
        i->setText(0, QString::fromStdString(name));
        i->setIcon(0, p.icon);
        i->setToolTip(0, tr("%n joints: selects them all", nullptr, static_cast<int>(p.joints.size())));
        i->setData(0, kActor, QString::fromStdString(a.id));
        QVariantList joints;
        for (int j : p.joints) joints << j;
        i->setData(0, kPart, joints);
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
    const auto add = [](QTreeWidgetItem* parent, const scene::Tuned& item, bool on, int role, const char* icon) {
        auto* i = new QTreeWidgetItem(parent);
        i->setText(0, named(item, on));
        i->setData(0, role, QString::fromStdString(item.id));
        i->setIcon(0, look::icon(QLatin1String(icon), false));
    };
    QTreeWidgetItem *winds = nullptr, *colliders = nullptr, *gauges = nullptr;
    for (const scene::Gauge& g : m_document.scene().gauges) {
        if (!gauges) gauges = group(tr("Gauges"), "gauge");
        add(gauges, g, true, kGauge, "gauge");
    }
    for (const scene::Wind& w : m_document.scene().winds) {
        if (!winds) winds = group(tr("Winds"), "wind");
        add(winds, w, w.on, kWind, "wind");
    }
    for (const scene::Collider& c : m_document.scene().colliders) {
        if (!c.mount.world()) continue;
        if (!colliders) colliders = group(tr("Colliders in the world"), "circle");
        add(colliders, c, c.on, kCollider, shapeIcon(c));
    }
}

QString Roster::pathOf(const QTreeWidgetItem* item) {
    QString path;
    for (; item; item = item->parent()) path = item->text(0) + u'/' + path;
    return path;
}

bool Roster::eventFilter(QObject* o, QEvent* e) {
    // What is marked is marked from side to side, however short the names are.
    for (QTreeWidget* tree : {m_tree, m_found})
        if (o == tree->viewport() && e->type() == QEvent::Resize)
            tree->header()->setMinimumSectionSize(tree->viewport()->width());
    // Down goes from the search into what it found.
    if (o == m_search && e->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Down) {
        QTreeWidget* into = m_found->isVisible() ? m_found : m_tree;
        into->setFocus();
        if (QTreeWidgetItem* first = into->topLevelItem(0)) into->setCurrentItem(first);
        return true;
    }
    return QWidget::eventFilter(o, e);
}

void Roster::showSelection() {
    if (m_following) return;
    m_following = true;
    const Selection& sel = m_session.selection();
    const auto owner = sel.owner();
    const auto is = [&](const QTreeWidgetItem* i, int role, const std::string& id) {
        const QVariant v = i->data(0, role);
        return v.isValid() && !id.empty() && v.toString().toStdString() == id;
    };
    const auto isOn = [&](const QTreeWidgetItem* i) {
        if (is(i, kWind, sel.wind) || is(i, kGauge, sel.gauge)) return true;
        if (i->data(0, kActor).toString().toStdString() != sel.actor) return false;
        if (is(i, kClip, sel.clip)) return true;
        if (i->data(0, kWhole).isValid()) return owner && owner->list == scene::List::Actors;
        const QVariant joint = i->data(0, kJoint);
        return (joint.isValid() && std::find(sel.joints.begin(), sel.joints.end(), joint.toInt()) != sel.joints.end()) ||
               is(i, kCollider, sel.collider) || is(i, kPin, sel.pin);
    };
    const auto isPart = [&](const QTreeWidgetItem* i) {
        const QVariantList joints = i->data(0, kPart).toList();
        return !joints.isEmpty() && i->data(0, kActor).toString().toStdString() == sel.actor &&
               std::equal(joints.begin(), joints.end(), sel.joints.begin(), sel.joints.end(),
                          [](const QVariant& a, int b) { return a.toInt() == b; });
    };
    for (QTreeWidget* tree : {m_tree, m_found}) {
        tree->clearSelection();
        QTreeWidgetItem *first = nullptr, *part = nullptr;
        for (QTreeWidgetItemIterator it(tree); *it; ++it) {
            const bool whole = isPart(*it);
            if (!whole && !isOn(*it)) continue;
            (*it)->setSelected(true);
            if (whole) part = *it;
            if (!first) first = *it;
        }
        // A row that was clicked stays under the mouse.
        if ((part || first) && tree != m_clicked) tree->scrollToItem(part ? part : first);
    }
    m_following = false;
}

void Roster::takeSelection(QTreeWidget* from) {
    if (m_following) return;
    Selection s;
    bool whole = false;
    for (QTreeWidgetItem* i : from->selectedItems()) {
        const std::string actor = i->data(0, kActor).toString().toStdString();
        for (const auto& [role, choose] : {std::pair{kCollider, &Session::selectCollider},
                                           {kWind, &Session::selectWind},
                                           {kPin, &Session::selectPin},
                                           {kGauge, &Session::selectGauge}})
            if (const QVariant id = i->data(0, role); id.isValid()) {
                (m_session.*choose)(id.toString().toStdString());
                return;
            }
        const scene::ActorEntry* a = m_document.scene().actor(actor);
        if (a && a->isPiece()) {
            m_session.selectActor(actor);
            return;
        }
        if (s.actor.empty()) s.actor = actor;
        if (actor != s.actor) continue;
        const auto add = [&](int j) {
            if (std::find(s.joints.begin(), s.joints.end(), j) == s.joints.end()) s.joints.push_back(j);
        };
        if (i->data(0, kJoint).isValid()) add(i->data(0, kJoint).toInt());
        for (const QVariant& j : i->data(0, kPart).toList()) add(j.toInt());
        if (const QVariant clip = i->data(0, kClip); clip.isValid()) s.clip = clip.toString().toStdString();
        whole |= i->data(0, kWhole).isValid();
    }
    // A heading stands for nothing: what is done to a selection is not done to the actor that it belongs to.
    if (!s.joints.empty()) s.clip.clear();
    if (s.joints.empty() && s.clip.empty() && !whole) s = {};
    m_clicked = from;
    m_following = from->selectedItems().size() > 1;
    m_session.select(std::move(s));
    m_following = false;
    m_clicked = nullptr;
}

void Roster::activate(QTreeWidgetItem* item) {
    const QVariant clip = item->data(0, kClip);
    if (!clip.isValid()) return;
    const std::string actor = item->data(0, kActor).toString().toStdString(), wanted = clip.toString().toStdString();
    m_document.edit(tr("Play clip %1").arg(item->text(0)), [&](scene::Scene& s) { edit::playClip(s, actor, wanted); });
    m_session.setFrame(0);
}

void Roster::find() {
    const QString text = m_search->text();
    m_found->setVisible(lists());
    m_tree->setVisible(!lists());
    m_following = true;
    m_found->clear();
    const auto filter = static_cast<measure::JointFilter>(m_filter->currentIndex());
    std::map<std::string, std::vector<char>> wanted;  // by actor and joint
    if (filter != measure::JointFilter::All)
        for (const scene::ActorEntry& a : m_document.scene().actors) {
            std::vector<char>& is = wanted[a.id];
            is.assign(static_cast<std::size_t>(a.actor->skeleton.size()), false);
            if (!a.isPiece())
                for (int j : measure::jointsThat(m_document.scene(), a, filter)) is[static_cast<std::size_t>(j)] = true;
        }
    if (lists())
        for (QTreeWidgetItemIterator it(m_tree); *it; ++it) {
            if (filter != measure::JointFilter::All) {
                const QVariant joint = (*it)->data(0, kJoint);
                const auto of = wanted.find((*it)->data(0, kActor).toString().toStdString());
                if (!joint.isValid() || of == wanted.end() || !of->second[static_cast<std::size_t>(joint.toInt())]) continue;
            }
            // Headings of groups are no find: they stand for nothing.
            const bool something = [&] {
                for (int role : {kJoint, kClip, kCollider, kWind, kPin, kGauge, kPart, kWhole})
                    if ((*it)->data(0, role).isValid()) return true;
                return false;
            }();
            const QString whole = (*it)->toolTip(0) + u' ' + (*it)->text(0);
            if (!something || !whole.contains(text, Qt::CaseInsensitive)) continue;
            QTreeWidgetItem* hit = (*it)->clone();
            qDeleteAll(hit->takeChildren());
            if (hit->icon(0).isNull()) hit->setIcon(0, look::icon(iconFor(*it), false));
            if (hit->toolTip(0).isEmpty()) hit->setToolTip(0, pathOf((*it)->parent()));
            m_found->addTopLevelItem(hit);
        }
    m_following = false;
    if (lists() && m_found->topLevelItemCount() == 0) {
        auto* none = new QTreeWidgetItem(m_found);
        none->setText(0, filter == measure::JointFilter::All ? tr("Nothing is called so") : tr("There is none"));
        none->setFlags(Qt::NoItemFlags);
    }
    showSelection();
}

}  // namespace nutatio::app
