#include "app/tuner/apart_panel.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <algorithm>

#include "app/look/text.h"
#include "app/widgets/list_row.h"
#include "edit/edit.h"
#include "layers/registry.h"
#include "rig/parts.h"

namespace nutatio::app {

bool ApartPanel::suits(const scene::Scene& s, const scene::Owner& owner) {
    const scene::Layer* l = owner.list == scene::List::Layers ? s.layer(owner.id) : nullptr;
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    return kind && s.actor(l->actor) && l->list(kind->target()).size() > 1 &&
           std::any_of(kind->settings.begin(), kind->settings.end(), scene::mayDiffer);
}

ApartPanel::ApartPanel(Document& document, std::string layer, QWidget* parent)
    : QWidget(parent),
      m_document(document),
      m_layer(std::move(layer)),
      m_layout(new QVBoxLayout(this)),
      m_list(new QVBoxLayout),
      m_chain(new QComboBox),
      m_setting(new QComboBox) {
    m_layout->setContentsMargins(0, 4, 0, 4);
    m_layout->setSpacing(4);
    const scene::Layer& l = *m_document.scene().layer(m_layer);
    const scene::ActorEntry& a = *m_document.scene().actor(l.actor);
    const layers::LayerKind& kind = *layers::findKind(l.kind);
    for (const std::string& t : l.list(kind.target()))
        if (const int j = a.actor->skeleton.find(t); j != rig::kNoJoint)
            m_chain->addItem(QString::fromStdString(rig::plainName(a.actor->skeleton, j)),
                             QString::fromStdString(a.actor->skeleton.reference(j)));
    for (const scene::SettingSpec& row : kind.settings)
        if (scene::mayDiffer(row)) m_setting->addItem(qs(row.label), qs(row.id));
    m_chain->setObjectName(QStringLiteral("apart-chain"));
    m_chain->setAccessibleName(tr("Which of them is set apart"));
    m_setting->setObjectName(QStringLiteral("apart-setting"));
    m_setting->setAccessibleName(tr("In which setting"));
    if (const int swing = m_setting->findData(QStringLiteral("swing")); swing >= 0) m_setting->setCurrentIndex(swing);
    auto* choose = new QHBoxLayout;
    choose->setSpacing(4);
    choose->addWidget(m_chain, 1);
    choose->addWidget(m_setting, 1);
    m_layout->addLayout(choose);
    m_layout->addLayout(m_list);
    m_list->setSpacing(0);
    auto* split = new QPushButton(tr("Split into %1 layers").arg(m_chain->count()));
    split->setObjectName(QStringLiteral("do-split-layer"));
    split->setStyleSheet(QStringLiteral("padding: 4px 6px;"));
    m_layout->addWidget(split);
    connect(split, &QPushButton::clicked, this, [this] { Q_EMIT commandWanted(QStringLiteral("split-layer")); });
    for (QComboBox* box : {m_chain, m_setting}) connect(box, &QComboBox::currentIndexChanged, this, &ApartPanel::showRow);
    showRow();
}

std::string ApartPanel::chain() const {
    return m_chain->currentData().toString().toStdString();
}

std::string ApartPanel::setting() const {
    return m_setting->currentData().toString().toStdString();
}

void ApartPanel::set(std::optional<double> value, const QString& gesture) {
    scene::Scene next = m_document.scene();
    if (!edit::setApart(next, m_layer, chain(), setting(), value)) return;
    m_document.edit(
        tr("Set %1 apart").arg(m_chain->currentText()), [&](scene::Scene& s) { s = next; }, gesture);
}

void ApartPanel::showRow() {
    const scene::Layer* l = m_document.scene().layer(m_layer);
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    const scene::SettingSpec* row = kind ? kind->setting(setting()) : nullptr;
    const scene::ActorEntry* a = l ? m_document.scene().actor(l->actor) : nullptr;
    if (!row || !a) return;
    if (m_row) {
        m_row->hide();
        m_row->deleteLater();
    }
    scene::SettingSpec plain = sizedFor(*row, a->actor->height);
    plain.keyable = plain.profiled = false;
    m_row = new SettingRow(plain);
    m_row->setObjectName(QStringLiteral("apart-row"));
    m_layout->insertWidget(1, m_row);
    connect(m_row, &SettingRow::changed, this, [this](const scene::Value& v, const QString& gesture) {
        if (const double* number = std::get_if<double>(&v)) set(*number, gesture);
    });
    connect(m_row, &SettingRow::hovered, this, &ApartPanel::hovered);
    refresh();
}

void ApartPanel::refresh() {
    const scene::Layer* l = m_document.scene().layer(m_layer);
    const layers::LayerKind* kind = l ? layers::findKind(l->kind) : nullptr;
    const scene::ActorEntry* a = l ? m_document.scene().actor(l->actor) : nullptr;
    if (!kind || !a || !m_row) return;
    const auto own = l->apart.find(chain());
    const bool apart = own != l->apart.end() && own->second.count(setting()) > 0;
    m_row->show(apart ? own->second.find(setting())->second : l->number(setting()));
    m_row->setNote(apart ? tr("set apart") : tr("as the rest"));
    while (QLayoutItem* old = m_list->takeAt(0)) {
        // Deleted later: this may be the very button whose click is being handled.
        old->widget()->hide();
        old->widget()->deleteLater();
        delete old;
    }
    for (const auto& [joint, values] : l->apart)
        for (const auto& [id, value] : values) {
            const scene::SettingSpec* row = kind->setting(id);
            if (!row) continue;
            const bool share = row->unit == scene::Unit::Share;
            auto* line = new ListRow(
                QString::fromStdString(rig::plainName(a->actor->skeleton, std::max(0, a->actor->skeleton.find(joint)))),
                tr("%1 %2 %3")
                    .arg(qs(row->label))
                    .arg(share ? 100 * value : value, 0, 'g', 3)
                    .arg(share ? QStringLiteral("%") : qs(scene::unitText(row->unit))));
            line->setObjectName(QStringLiteral("apart"));
            line->addButton(QStringLiteral("apart-back"), tr("Back"), tr("As the rest again"), [this, joint = joint, id = id] {
                m_document.edit(tr("Back with the rest"),
                                [&](scene::Scene& s) { (void)edit::setApart(s, m_layer, joint, id, std::nullopt).ok(); });
            });
            connect(line, &ListRow::chosen, this, [this, joint = joint, id = id] {
                m_chain->setCurrentIndex(m_chain->findData(QString::fromStdString(joint)));
                m_setting->setCurrentIndex(m_setting->findData(QString::fromStdString(id)));
            });
            m_list->addWidget(line);
        }
}

}  // namespace nutatio::app
