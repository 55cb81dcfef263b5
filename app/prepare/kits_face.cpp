#include "app/prepare/kits_face.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QStringListModel>
#include <algorithm>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "files/kit.h"
#include "rig/parts.h"

namespace nutatio::app {

namespace {

using By = edit::Fitted::By;

}  // namespace

KitsFace::KitsFace(Document& document, Session& session, QWidget* parent)
    : Face(document, session, parent), m_sheets(session.sheets()) {}

void KitsFace::save(const QString& path, bool selectedAlone) {
    const scene::ActorEntry* a = actor();
    if (!a) return;
    std::vector<std::string> layers;
    if (selectedAlone) layers.push_back(m_session.selection().layer);
    const scene::Kit kit = edit::kitOf(m_document.scene(), a->id, layers);
    const auto done = files::writeKit(kit, path.toStdString());
    if (!done) return Q_EMIT said(qs(done.error().text()));
    QStringList without;
    for (const std::string& each : kit.without) without << qs(each);
    Q_EMIT said(without.isEmpty() ? tr("Wrote %1.").arg(path)
                                  : tr("Wrote %1, without %2.").arg(path, without.join(QStringLiteral(", "))));
}

void KitsFace::bring(const QString& path) {
    const scene::ActorEntry* a = actor();
    if (!a) return;
    auto kit = files::readKit(path.toStdString());
    if (!kit) {
        Q_EMIT said(qs(kit.error().text()));
        return;
    }
    std::vector<edit::Fitted> fitted = edit::fitKit(kit.value(), *a->actor);
    m_sheets.kit = Sheets::Kit{std::move(kit.value()), a->id, a->actor->content, std::move(fitted), {}, {}};
    refresh();
}

void KitsFace::laySheet(const scene::ActorEntry& a, Sheets::Kit& sheet) {
    addHeading(tr("The kit of %1, put on %2").arg(qs(sheet.kit.name), qs(a.name)));
    const auto none = std::count_if(sheet.fitted.begin(), sheet.fitted.end(), [](const edit::Fitted& f) { return f.to.empty(); });
    addText(none == 0 ? tr("All %1 joints that it speaks of are here.").arg(sheet.fitted.size())
                      : tr("%1 of %2 joints that it speaks of are not here; what needs them is left out.")
                            .arg(none)
                            .arg(sheet.fitted.size()));
    QList<QCheckBox*> boxes;
    for (const scene::Layer& l : sheet.kit.layers) {
        auto* box = new QCheckBox(qs(l.name));
        box->setObjectName(QStringLiteral("kit-layer"));
        box->setChecked(std::find(sheet.without.begin(), sheet.without.end(), l.name) == sheet.without.end());
        connect(box, &QCheckBox::clicked, this, [this, name = l.name](bool on) {
            if (!m_sheets.kit) return;
            std::erase(m_sheets.kit->without, name);
            if (!on) m_sheets.kit->without.push_back(name);
        });
        rows()->addWidget(box);
    }
    addButtons(rows(),
               {{QStringLiteral("kit-put"), tr("Put it on"), tr("Adds it to what is set up already"),
                 [this, id = a.id] {
                     Sheets::Kit& now = *m_sheets.kit;
                     scene::Kit kit = now.kit;
                     std::erase_if(kit.layers, [&](const scene::Layer& l) {
                         return std::find(now.without.begin(), now.without.end(), l.name) != now.without.end();
                     });
                     std::vector<std::string> left;
                     const bool done = attempt(tr("Put on a kit"), [&](scene::Scene& s) -> Result<Done> {
                         auto made = edit::applyKit(s, id, kit, now.fitted);
                         if (!made) return made.error();
                         left = made.value();
                         return Done{};
                     });
                     if (!done || !m_sheets.kit) return;
                     m_sheets.kit->left = left;
                     refresh();
                     Q_EMIT said(left.empty() ? tr("All of it is on.")
                                              : tr("It is on, but for %1 things: see the list.").arg(left.size()));
                 },
                 true},
                {QStringLiteral("kit-close"), tr("Close"), tr("Forgets this kit; what was put on stays"),
                 [this] {
                     m_sheets.kit.reset();
                     refresh();
                 },
                 true}},
               2);
    if (!sheet.left.empty()) {
        addHeading(tr("Did not fit"));
        for (const std::string& sentence : sheet.left) addText(qs(sentence));
    }
    addHeading(tr("Where its joints go"));
    auto* names = new QStringListModel(rows()->parentWidget());
    QStringList all{tr("nowhere")};
    for (int j = 0; j < a.actor->skeleton.size(); ++j) all << qs(rig::plainName(a.actor->skeleton, j));
    names->setStringList(all);
    for (const bool missing : {true, false})
        for (std::size_t k = 0; k < sheet.fitted.size(); ++k) {
            const edit::Fitted& f = sheet.fitted[k];
            if (f.to.empty() != missing) continue;
            ListRow* row = addRow(qs(f.joint));
            row->setObjectName(QStringLiteral("fitted"));
            row->setToolTip(f.by == By::Role        ? tr("by its role")
                            : f.by == By::OtherSide ? tr("of the other side")
                            : f.by == By::Name      ? tr("by its name")
                                                    : tr("not here"));
            if (missing) row->setSwatch(look::theme().ochre);
            auto* box = new QComboBox;
            box->setModel(names);
            box->setFixedWidth(130);
            box->setAccessibleName(tr("Goes to"));
            box->setCurrentIndex(f.to.empty() ? 0 : a.actor->skeleton.find(f.to) + 1);
            row->layout()->addWidget(box);
            connect(box, &QComboBox::activated, this, [this, k, id = a.id](int at) {
                const scene::ActorEntry* now = m_document.scene().actor(id);
                if (m_sheets.kit && now)
                    m_sheets.kit->fitted[k].to = at == 0 ? std::string() : now->actor->skeleton.reference(at - 1);
            });
        }
}

void KitsFace::lay() {
    const scene::ActorEntry* a = actor();
    Q_EMIT titleChanged(a ? tr("Kits") : tr("Nothing is open"));
    if (!a) return;
    const bool one = !m_session.selection().layer.empty();
    const auto ask = [this](bool alone) {
        QString path = QFileDialog::getSaveFileName(this, tr("Save a kit"), qs(actor()->name) + QStringLiteral(".nutatio-kit"),
                                                    tr("Kits (*.nutatio-kit)"));
        if (path.isEmpty()) return;
        if (!path.endsWith(QStringLiteral(".nutatio-kit"))) path += QStringLiteral(".nutatio-kit");
        save(path, alone);
    };
    addButtons(rows(),
               {{QStringLiteral("kit-save"), tr("Save a kit ..."),
                 tr("Layers, parts, maps by rule, colliders, winds of this character"), [ask] { ask(false); }, true},
                {QStringLiteral("kit-bring"), tr("Put a kit on ..."), tr("A kit of this character or another"),
                 [this] {
                     const QString path = QFileDialog::getOpenFileName(this, tr("Put a kit on"), {}, tr("Kits (*.nutatio-kit)"));
                     if (!path.isEmpty()) bring(path);
                 },
                 true},
                {QStringLiteral("kit-save-one"), tr("Save this layer ..."), tr("A kit of the selected layer alone"),
                 [ask] { ask(true); }, one}},
               2);
    if (m_sheets.kit && m_sheets.kit->actor == a->id) {
        if (!(m_sheets.kit->of == a->actor->content)) {
            m_sheets.kit->of = a->actor->content;
            m_sheets.kit->fitted = edit::fitKit(m_sheets.kit->kit, *a->actor);
        }
        laySheet(*a, *m_sheets.kit);
        return;
    }
    addText(
        tr("A kit is a whole set-up - layers, parts, maps, colliders, winds - that can be put on another character. Its joints "
           "are found by names, "
           "whatever side words and prefixes those use, then by what they are of the body."));
}

}  // namespace nutatio::app
