#include "app/tuner/tuner.h"

#include <QComboBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QPushButton>

#include "app/look/theme.h"
#include "layers/registry.h"
#include "scene/items.h"

namespace nutatio::app {

namespace {

using scene::SettingSpec;

QString qs(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}

}  // namespace

Tuner::Tuner(Document& document, Session& session, QWidget* handoff, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_session(session),
      m_handoff(handoff),
      m_heading(new QLabel),
      m_title(new QLabel),
      m_help(new QLabel),
      m_remark(new QLabel),
      m_scope(new Scope(document, session)),
      m_scroll(new QScrollArea),
      m_trials(new TrialStrip(document, session)),
      m_feels(new FeelsShelf(document, session)) {
    setObjectName(QStringLiteral("sheet"));
    setAttribute(Qt::WA_StyledBackground);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 8, 6, 8);
    layout->setSpacing(4);
    m_heading->setObjectName(QStringLiteral("heading"));
    m_title->setFont(look::textFont(11, QFont::Bold));
    m_help->setObjectName(QStringLiteral("soft"));
    m_help->setWordWrap(true);
    m_help->setMinimumHeight(40);
    m_help->setAlignment(Qt::AlignTop | Qt::AlignLeft);
    m_scroll->setObjectName(QStringLiteral("sheet"));
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setWidgetResizable(true);
    m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* top = new QHBoxLayout;
    top->setSpacing(8);
    top->addWidget(m_heading);
    top->addWidget(m_title, 1);
    layout->addLayout(top);
    layout->addWidget(m_trials);
    layout->addWidget(m_scope);
    m_remark->setWordWrap(true);
    m_remark->setStyleSheet(QStringLiteral("color: %1;").arg(look::theme().ochre.darker(130).name()));
    m_remark->hide();
    layout->addWidget(m_remark);
    layout->addWidget(m_handoff);
    layout->addWidget(m_scroll, 1);
    layout->addWidget(m_help);
    m_feels->hide();
    connect(m_trials, &TrialStrip::hovered, m_help, &QLabel::setText);
    connect(m_feels, &FeelsShelf::hovered, m_help, &QLabel::setText);
    connect(m_feels, &FeelsShelf::said, this, &Tuner::said);
    connect(m_feels, &FeelsShelf::wanted, this, [this](const layers::Feel& feel) {
        m_document.edit(tr("Feel: %1").arg(QString::fromStdString(feel.name)), [&](scene::Scene& s) {
            if (scene::Layer* l = s.layer(m_session.selection().layer)) layers::applyFeel(feel, *l);
        });
    });
    connect(&session, &Session::frameChanged, this, [this] {
        if (const scene::Layer* l = m_document.scene().layer(m_session.selection().layer); l && !l->keys.empty()) refresh();
        if (const scene::Pin* p = m_document.scene().pin(m_session.selection().pin); p && !p->strengthKeys.empty()) refresh();
    });
    connect(&session, &Session::selectionChanged, this, &Tuner::rebuild);
    connect(&session, &Session::stepChanged, this, &Tuner::rebuild);
    connect(&document, &Document::sceneChanged, this, &Tuner::rebuild);
    connect(&document, &Document::resultsChanged, this, &Tuner::showRemark);
    connect(&document, &Document::replaced, this, [this] { m_lastJoints.clear(); });
    rebuild();
}

QString Tuner::page() const {
    const Selection& s = m_session.selection();
    if (m_session.step() == StepId::HandOff) return QStringLiteral("handoff");
    if (m_session.step() == StepId::Attach) {
        QString joints;
        for (int j : s.joints) joints += QString::number(j) + u',';
        return QStringLiteral("attach:%1:").arg(m_document.scene().actors.size()) + QString::fromStdString(s.actor) + joints;
    }
    if (const scene::Layer* l = m_document.scene().layer(s.layer))
        return QStringLiteral("layer:") + QString::fromStdString(l->id + ":" + l->name);
    if (const scene::Collider* c = m_document.scene().collider(s.collider))
        return QStringLiteral("collider:%1:%2:").arg(QString::fromStdString(c->id), qs(scene::shapeName(c->shape))) +
               ridesWords(*c);
    if (const scene::Wind* w = m_document.scene().wind(s.wind)) {
        QString layers;
        for (const scene::Layer& l : m_document.scene().layers) layers += QString::fromStdString(l.id + '\n' + l.name + '\n');
        return QStringLiteral("wind:") + QString::fromStdString(w->id) + u':' + layers;
    }
    if (const scene::Pin* p = m_document.scene().pin(s.pin))
        return QStringLiteral("pin:") + QString::fromStdString(p->id) + u':' + heldWords(*p);
    return QStringLiteral("none:%1").arg(m_document.scene().layers.size());
}

void Tuner::rebuild() {
    const Selection& sel = m_session.selection();
    if (const scene::ActorEntry* a = m_document.scene().actor(sel.actor); a && !sel.joints.empty()) {
        m_lastJoints.clear();
        for (int j : sel.joints) m_lastJoints.push_back(a->actor->skeleton.reference(j));
    }
    const QString now = page();
    if (now != m_page) {
        m_page = now;
        m_byId.clear();
        m_chips.clear();
        m_groups.clear();
        m_feels->setParent(this);  // out of the page that goes
        m_feels->hide();
        auto* body = new QWidget;
        m_all = m_rows = new QVBoxLayout(body);
        m_rows->setContentsMargins(0, 0, 8, 0);
        m_rows->setSpacing(2);
        const scene::Layer* layer = m_document.scene().layer(m_session.selection().layer);
        const scene::Collider* collider = m_document.scene().collider(m_session.selection().collider);
        const bool tunes = m_session.step() == StepId::Tune;
        m_scope->setVisible(tunes && layer);
        m_trials->setVisible(m_session.step() != StepId::HandOff && !m_document.scene().actors.empty());
        m_handoff->setVisible(m_session.step() == StepId::HandOff);
        m_scroll->setVisible(m_session.step() != StepId::HandOff);
        m_help->clear();
        if (m_session.step() == StepId::HandOff) {
            m_heading->setText(tr("HAND OFF"));
            m_title->setText(tr("Bake keys and write a file"));
        } else if (!tunes) {
            buildAttach();
        } else if (layer) {
            buildLayer(*layer);
        } else if (collider) {
            buildCollider(*collider);
        } else if (const scene::Wind* w = m_document.scene().wind(m_session.selection().wind)) {
            buildWind(*w);
        } else if (const scene::Pin* p = m_document.scene().pin(m_session.selection().pin)) {
            buildPin(*p);
        } else {
            buildNothing();
        }
        m_all->addStretch(1);
        // The page that goes may hold the very button whose click brought this about.
        if (QWidget* old = m_scroll->takeWidget()) {
            old->hide();
            old->deleteLater();
        }
        m_scroll->setWidget(body);
    }
    refresh();
    showRemark();
}

void Tuner::showRemark() {
    const ResultsPtr& r = m_document.results();
    const pipeline::LayerResult* l =
        r && m_session.step() == StepId::Tune ? r->evaluation.layer(m_session.selection().layer) : nullptr;
    QStringList lines;
    if (l)
        for (const std::string& remark : l->remarks) lines << QString::fromStdString(remark);
    const QString all = lines.join(u'\n');
    if (lines.size() > 2) lines = lines.mid(0, 1) << tr("and %n more such place(s)", nullptr, static_cast<int>(lines.size()) - 1);
    m_remark->setText(lines.join(u'\n'));
    m_remark->setToolTip(all);
    m_remark->setVisible(!lines.isEmpty());
}

void Tuner::refreshLayer(const scene::Layer& l) {
    std::vector<std::pair<std::string, std::string>> colliders;
    for (const scene::Collider& c : m_document.scene().colliders) colliders.emplace_back(c.id, c.name);
    const int frame = m_session.frame();
    for (const auto& [id, row] : m_byId) {
        row->offer(colliders);
        if (row->spec().type == scene::SettingType::Number)
            row->show(l.numberAt(id, frame));
        else if (const auto at = l.values.find(id); at != l.values.end())
            row->show(at->second);
        const auto keys = l.keys.find(id);
        const bool keyed = keys != l.keys.end() && !keys->second.empty();
        const bool here = keyed && std::any_of(keys->second.begin(), keys->second.end(),
                                               [&](const scene::KeyAt& k) { return k.frame == frame; });
        row->showKeys(here ? SettingRow::Keyed::Here : keyed ? SettingRow::Keyed::Between : SettingRow::Keyed::No);
        const auto profile = l.profiles.find(id);
        row->showProfile(profile == l.profiles.end() ? scene::Profile{} : profile->second);
    }
    m_feels->refresh();
}

void Tuner::refresh() {
    const scene::Scene& s = m_document.scene();
    const Selection& sel = m_session.selection();
    if (m_session.step() != StepId::Tune) return;
    if (const scene::Layer* l = s.layer(sel.layer)) {
        refreshLayer(*l);
    } else if (const scene::Collider* c = s.collider(sel.collider)) {
        scene::Collider copy = *c;
        for (const auto& [id, row] : m_byId) row->show(scene::colliderNumber(copy, id));
    } else if (const scene::Wind* w = s.wind(sel.wind)) {
        for (const auto& [id, row] : m_byId) row->show(scene::windNumber(*w, id));
        for (const auto& [layer, chip] : m_chips)
            chip->setChecked(w->layers.empty() || std::find(w->layers.begin(), w->layers.end(), layer) != w->layers.end());
    } else if (const scene::Pin* p = s.pin(sel.pin)) {
        scene::Pin copy = *p;
        copy.strength = p->strengthAt(m_session.frame());
        for (const auto& [id, row] : m_byId) row->show(scene::pinNumber(copy, id));
        const bool here = std::any_of(p->strengthKeys.begin(), p->strengthKeys.end(),
                                      [&](const scene::KeyAt& k) { return k.frame == m_session.frame(); });
        if (SettingRow* strength = row("strength"))
            strength->showKeys(here                      ? SettingRow::Keyed::Here
                               : p->strengthKeys.empty() ? SettingRow::Keyed::No
                                                         : SettingRow::Keyed::Between);
    }
}

SettingRow* Tuner::row(const std::string& setting) const {
    const auto at = m_byId.find(setting);
    return at == m_byId.end() ? nullptr : at->second;
}

SettingRow* Tuner::addRow(const SettingSpec& spec) {
    const Selection& sel = m_session.selection();
    auto* row = new SettingRow(spec, !sel.layer.empty() || !sel.pin.empty());
    m_rows->addWidget(row);
    m_byId[std::string(spec.id)] = row;
    connect(row, &SettingRow::hovered, m_help, &QLabel::setText);
    return row;
}

void Tuner::beginGroup(const QString& name) {
    // What is seldom touched starts folded.
    static const QStringList kFolded{tr("Joints"),  tr("Shares"), tr("Stops"),      tr("Shape"),
                                     tr("Contact"), tr("Feels"),  tr("In the shot")};
    const bool open = m_open.value(name, !kFolded.contains(name));
    auto* heading = new QToolButton;
    heading->setObjectName(QStringLiteral("group"));
    heading->setText(name);
    heading->setCheckable(true);
    heading->setChecked(open);
    heading->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    heading->setAccessibleName(tr("Group: %1").arg(name));
    auto* body = new QWidget;
    m_rows = new QVBoxLayout(body);
    m_rows->setContentsMargins(0, 0, 0, 0);
    m_rows->setSpacing(2);
    m_all->addWidget(heading);
    m_all->addWidget(body);
    m_groups[name] = heading;
    const auto show = [this, heading, body, name](bool on) {
        m_open[name] = on;
        heading->setIcon(look::icon(on ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right")));
        body->setVisible(on);
    };
    heading->setIcon(look::icon(open ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right")));
    body->setVisible(open);
    connect(heading, &QToolButton::toggled, this, show);
}

void Tuner::setOpen(const QString& group, bool open) {
    if (QToolButton* b = m_groups.value(group)) b->setChecked(open);
}

void Tuner::addButtons(std::initializer_list<std::pair<QString, QString>> commands, bool can) {
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    for (const auto& [id, text] : commands) {
        auto* b = new QPushButton(text);
        b->setObjectName(QStringLiteral("do-") + id);
        b->setStyleSheet(QStringLiteral("padding: 5px 6px;"));
        b->setEnabled(can);
        row->addWidget(b);
        connect(b, &QPushButton::clicked, this, [this, id = id] { Q_EMIT commandWanted(id); });
    }
    m_rows->addLayout(row);
}

void Tuner::addText(const QString& text, bool soft) {
    auto* l = new QLabel(text);
    l->setWordWrap(true);
    if (soft) l->setObjectName(QStringLiteral("soft"));
    m_rows->addWidget(l);
}

void Tuner::buildAttach() {
    const Selection& s = m_session.selection();
    const scene::ActorEntry* a = m_document.scene().actor(s.actor);
    m_heading->setText(tr("ATTACH"));
    if (!a || s.joints.empty()) {
        m_title->setText(m_document.scene().actors.empty() ? tr("Nothing open") : tr("No joint selected"));
        addText(m_document.scene().actors.empty()
                    ? tr("Open a character first.")
                    : tr("Click a joint on the stage or in the roster. L adds the chain below it."));
    } else {
        m_title->setText(QString::fromStdString(a->actor->skeleton.label(s.joints.front())) +
                         (s.joints.size() > 1 ? tr("  and %n more", nullptr, static_cast<int>(s.joints.size()) - 1) : QString()));
        addText(tr("Put a layer on the selection:"));
    }
    const bool can = a && !s.joints.empty();
    for (const layers::LayerKind* k : layers::kinds()) {
        auto* b = new QPushButton(look::kindGlyph(qs(k->id), look::theme().ink), tr("Add %1").arg(qs(k->label)));
        b->setObjectName(QStringLiteral("add-") + qs(k->id));
        b->setEnabled(can);
        b->setIconSize(QSize(20, 20));
        b->setStyleSheet(QStringLiteral("text-align: left; padding: 7px 10px;"));
        m_rows->addSpacing(4);
        m_rows->addWidget(b);
        addText(qs(k->help));
        connect(b, &QPushButton::clicked, this, [this, id = std::string(k->id)] { Q_EMIT layerWanted(id); });
    }
    m_rows->addSpacing(12);
    addText(tr("Or a collider on the joint, for strands to keep clear of:"));
    auto* shapes = new QGridLayout;
    int cell = 0;
    shapes->setSpacing(4);
    const std::pair<scene::Shape, const char*> kinds[] = {{scene::Shape::Sphere, "circle"},
                                                          {scene::Shape::Capsule, "cylinder"},
                                                          {scene::Shape::Box, "box"},
                                                          {scene::Shape::Plane, "square"}};
    for (const auto& [shape, icon] : kinds) {
        QString name = qs(scene::shapeName(shape));
        name[0] = name[0].toUpper();
        auto* b = new QPushButton(look::icon(QLatin1String(icon)), name);
        b->setStyleSheet(QStringLiteral("padding: 5px 6px;"));
        b->setEnabled(can);
        shapes->addWidget(b, cell / 2, cell % 2);
        ++cell;
        connect(b, &QPushButton::clicked, this, [this, shape = shape] { Q_EMIT colliderWanted(shape); });
    }
    m_rows->addLayout(shapes);
    m_rows->addSpacing(4);
    const bool any = !m_document.scene().actors.empty();
    addButtons({{QStringLiteral("fit"), tr("Fit colliders to the mesh")}}, any);
    m_rows->addSpacing(12);
    addText(tr("Hold the joint where it is, or let the air move:"));
    addButtons({{QStringLiteral("add-pin"), tr("Pin")}}, can);
    addButtons({{QStringLiteral("add-wind"), tr("Wind")}}, any);
}

void Tuner::buildLayer(const scene::Layer& layer) {
    const layers::LayerKind* kind = layers::findKind(layer.kind);
    m_heading->setText(tr("TUNER"));
    m_title->setText(QString::fromStdString(layer.name) + QStringLiteral("  ·  ") +
                     (kind ? qs(kind->label) : QString::fromStdString(layer.kind)));
    if (!kind) {
        addText(tr("This version has no such layer kind. The layer is kept as it is and does nothing."));
        return;
    }
    beginGroup(tr("Feels"));
    m_feels->show(layer.kind);
    m_rows->addWidget(m_feels);
    m_feels->setVisible(true);
    beginGroup(tr("Joints"));
    for (const SettingSpec& spec : kind->settings) {
        if (!spec.group.empty()) beginGroup(qs(spec.group));
        connectLayerRow(addRow(spec), layer.id);
    }
}

void Tuner::connectLayerRow(SettingRow* row, const std::string& layer) {
    const SettingSpec& spec = row->spec();
    const auto edit = [this, id = layer](const QString& name, const std::function<void(scene::Layer&)>& how,
                                         const QString& gesture = {}) {
        m_document.edit(
            name,
            [&](scene::Scene& s) {
                if (scene::Layer* l = s.layer(id)) how(*l);
            },
            gesture);
    };
    const auto set = [this, edit, spec](const scene::Value& v, const QString& gesture) {
        edit(
            qs(spec.label),
            [&](scene::Layer& l) {
                if (const double* number = std::get_if<double>(&v))
                    l.setNumber(spec.id, m_session.frame(), *number);
                else
                    l.values[std::string(spec.id)] = v;
            },
            gesture);
    };
    connect(row, &SettingRow::changed, this, set);
    connect(row, &SettingRow::keyWanted, this, [this, edit, spec] {
        edit(tr("Key %1").arg(qs(spec.label)), [&](scene::Layer& l) {
            const std::string id(spec.id);
            scene::Keys& keys = l.keys[id];
            const int frame = m_session.frame();
            const auto here = std::find_if(keys.begin(), keys.end(), [&](const scene::KeyAt& k) { return k.frame == frame; });
            if (here == keys.end()) {
                scene::putKey(keys, frame, keys.empty() ? l.number(id) : scene::keyedAt(keys, frame));
                return;
            }
            // The last key leaves its value behind.
            l.values[id] = here->value;
            keys.erase(here);
            if (keys.empty()) l.keys.erase(id);
        });
    });
    connect(row, &SettingRow::profileChanged, this, [edit, spec](const scene::Profile& profile, const QString& gesture) {
        edit(
            tr("Profile of %1").arg(qs(spec.label)),
            [&](scene::Layer& l) {
                if (profile.empty())
                    l.profiles.erase(std::string(spec.id));
                else
                    l.profiles[std::string(spec.id)] = profile;
            },
            gesture);
    });
    connect(row, &SettingRow::selectionWanted, this, [this, set, spec] {
        if (m_lastJoints.empty()) {
            m_help->setText(tr("Select joints on the stage first, then come back to the layer."));
            return;
        }
        if (spec.type == scene::SettingType::Joint)
            set(m_lastJoints.front(), {});
        else
            set(m_lastJoints, {});
    });
}

void Tuner::buildCollider(const scene::Collider& c) {
    const scene::ActorEntry* a = m_document.scene().actor(c.actor);
    m_heading->setText(tr("TUNER"));
    m_title->setText(QString::fromStdString(c.name) + QStringLiteral("  ·  ") + qs(scene::shapeName(c.shape)));
    addText(ridesWords(c));
    for (const SettingSpec& spec : scene::colliderTable(c, a ? a->actor->height : 1)) {
        SettingRow* row = addRow(spec);
        connect(row, &SettingRow::changed, this, [this, id = c.id, spec](const scene::Value& v, const QString& gesture) {
            m_document.edit(
                tr("Collider %1").arg(qs(spec.label).toLower()),
                [&](scene::Scene& s) {
                    if (scene::Collider* hit = s.collider(id)) scene::colliderNumber(*hit, spec.id) = std::get<double>(v);
                },
                gesture);
        });
    }
    if (!c.actor.empty()) addButtons({{QStringLiteral("collider-world"), tr("Leave it standing in the world")}});
}

void Tuner::buildWind(const scene::Wind& w) {
    m_heading->setText(tr("TUNER"));
    m_title->setText(QString::fromStdString(w.name) + QStringLiteral("  ·  ") + tr("wind"));
    addText(tr("Drag the tip of its arrow on the stage to turn it, its ring to move it."));
    for (const SettingSpec& spec : scene::windTable()) {
        SettingRow* row = addRow(spec);
        connect(row, &SettingRow::changed, this, [this, id = w.id, spec](const scene::Value& v, const QString& gesture) {
            m_document.edit(
                tr("Wind %1").arg(qs(spec.label).toLower()),
                [&](scene::Scene& s) {
                    if (scene::Wind* hit = s.wind(id)) scene::setWindNumber(*hit, spec.id, std::get<double>(v));
                },
                gesture);
        });
    }
    addText(tr("Blows on:"));
    for (const scene::Layer& l : m_document.scene().layers) {
        auto* b = new QToolButton;
        b->setObjectName(QStringLiteral("chip"));
        b->setText(QString::fromStdString(l.name));
        b->setCheckable(true);
        m_chips[l.id] = b;
        b->setAccessibleName(tr("Blows on %1").arg(b->text()));
        m_rows->addWidget(b, 0, Qt::AlignLeft);
        connect(b, &QToolButton::clicked, this, [this, id = w.id, layer = l.id](bool on) {
            m_document.edit(tr("Whom the wind blows on"), [&](scene::Scene& s) {
                scene::Wind* hit = s.wind(id);
                if (!hit) return;
                // No list means every layer, those still to come too; taking one out spells the rest out, and a wind for nobody
                // is a wind that is off.
                std::vector<std::string> chosen = hit->layers;
                if (chosen.empty())
                    for (const scene::Layer& each : s.layers) chosen.push_back(each.id);
                std::erase(chosen, layer);
                if (on) chosen.push_back(layer);
                if (chosen.size() == s.layers.size()) chosen.clear();
                if (chosen.empty() && !on)
                    hit->on = false;
                else
                    hit->layers = chosen;
            });
        });
    }
}

void Tuner::buildPin(const scene::Pin& pin) {
    const scene::ActorEntry* a = m_document.scene().actor(pin.actor);
    m_heading->setText(tr("TUNER"));
    m_title->setText(QString::fromStdString(pin.name) + QStringLiteral("  ·  ") + tr("pin"));
    addText(heldWords(pin));
    for (const SettingSpec& spec : scene::pinTable(a ? a->actor->height : 1)) {
        SettingRow* row = addRow(spec);
        connect(row, &SettingRow::changed, this, [this, id = pin.id, spec](const scene::Value& v, const QString& gesture) {
            m_document.edit(
                tr("Pin %1").arg(qs(spec.label).toLower()),
                [&](scene::Scene& s) {
                    scene::Pin* hit = s.pin(id);
                    if (!hit) return;
                    if (spec.id == "strength" && !hit->strengthKeys.empty())
                        scene::putKey(hit->strengthKeys, m_session.frame(), std::get<double>(v));
                    else
                        scene::pinNumber(*hit, spec.id) = std::get<double>(v);
                },
                gesture);
        });
        connect(row, &SettingRow::keyWanted, this, [this, id = pin.id] {
            m_document.edit(tr("Key the pin"), [&](scene::Scene& s) {
                scene::Pin* hit = s.pin(id);
                if (!hit) return;
                const auto here = std::find_if(hit->strengthKeys.begin(), hit->strengthKeys.end(),
                                               [&](const scene::KeyAt& k) { return k.frame == m_session.frame(); });
                if (here == hit->strengthKeys.end()) {
                    scene::putKey(hit->strengthKeys, m_session.frame(), hit->strengthAt(m_session.frame()));
                } else {
                    hit->strength = here->value;
                    hit->strengthKeys.erase(here);
                }
            });
        });
    }
    addButtons(
        {{QStringLiteral("pin-to-selection"), tr("Hold to the last joint")}, {QStringLiteral("pin-end"), tr("Hold the end")}});
}

QString Tuner::heldWords(const scene::Pin& pin) {
    const QString joint = QString::fromStdString(pin.joint);
    return tr("holds %1 to %2")
        .arg(pin.end ? tr("the end beyond %1").arg(joint) : joint,
             pin.toActor.empty() ? tr("a place in the world") : QString::fromStdString(pin.toJoint));
}

QString Tuner::ridesWords(const scene::Collider& c) {
    return c.actor.empty() ? tr("stands in the world")
                           : tr("rides on %1; drag its handles on the stage").arg(QString::fromStdString(c.joint));
}

void Tuner::buildNothing() {
    m_heading->setText(tr("TUNER"));
    m_title->setText(tr("No layer selected"));
    addText(m_document.scene().layers.empty() ? tr("There is no layer yet. Select a joint and add one under Attach.")
                                              : tr("Select a layer in the stack below, or a collider in the roster."));
}

}  // namespace nutatio::app
