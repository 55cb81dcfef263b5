#include "app/compare/spread_face.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLineEdit>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/widgets/arithmetic.h"
#include "layers/registry.h"

namespace nutatio::app {

namespace {

/// Things of the scene whose numbers may be spread, with what they are called.
std::vector<std::pair<scene::Owner, QString>> thingsIn(const scene::Scene& s) {
    std::vector<std::pair<scene::Owner, QString>> out;
    const auto all = [&](const auto& list, scene::List which) {
        for (const auto& each : list) out.emplace_back(scene::Owner{which, each.id}, qs(each.name));
    };
    all(s.layers, scene::List::Layers);
    all(s.winds, scene::List::Winds);
    all(s.colliders, scene::List::Colliders);
    all(s.pins, scene::List::Pins);
    return out;
}

bool spreads(const scene::SettingSpec& row) {
    return row.type == scene::SettingType::Number && row.each == scene::Each::None;
}

const scene::SettingSpec* firstOf(scene::Table table, scene::Role role) {
    if (const scene::SettingSpec* row = scene::findRow(table, role); row && spreads(*row)) return row;
    const auto at = std::find_if(table.begin(), table.end(), spreads);
    return at == table.end() ? nullptr : &*at;
}

}  // namespace

SpreadFace::SpreadFace(Document& document, Session& session, QWidget* parent) : Face(document, session, parent) {
    connect(&session, &Session::spreadingChanged, this, &Face::refreshSoon);
}

std::optional<edit::Spread> SpreadFace::now() const {
    if (m_session.spreading().spread) return m_session.spreading().spread;
    const scene::Scene& s = m_document.scene();
    auto owner = m_session.selection().owner();
    if (!owner || owner->list == scene::List::Actors || owner->list == scene::List::Gauges) {
        const auto things = thingsIn(s);
        if (things.empty()) return std::nullopt;
        owner = things.front().first;
    }
    const scene::Table table = layers::tableOf(s, *owner);
    const scene::SettingSpec* rate = firstOf(table, scene::Role::Rate);
    if (!rate) return std::nullopt;
    edit::Spread out;
    const auto across = edit::newAxis(s, *owner, std::string(rate->id), m_session.frame());
    if (!across) return std::nullopt;
    out.across = across.value();
    if (const scene::SettingSpec* damping = scene::findRow(table, scene::Role::Damping))
        if (auto down = edit::newAxis(s, *owner, std::string(damping->id), m_session.frame())) {
            out.down = down.value();
            out.columns = out.rows = 3;
        }
    return out;
}

void SpreadFace::put(edit::Spread spread) {
    Spreading s = m_session.spreading();
    s.spread = std::move(spread);
    m_session.setSpreading(s);
}

void SpreadFace::setAxis(Way way, const scene::Owner& owner, const std::string& setting) {
    auto spread = now();
    if (!spread) return;
    const auto axis = edit::newAxis(m_document.scene(), owner, setting, m_session.frame());
    if (!axis) return Q_EMIT said(qs(axis.error().sentence));
    if (way == Way::Across) {
        spread->across = axis.value();
    } else {
        spread->down = axis.value();
        spread->columns = spread->rows = 3;
    }
    put(std::move(*spread));
}

void SpreadFace::layAxis(Way way, const edit::Spread& laid) {
    const scene::Scene& s = m_document.scene();
    const bool across = way == Way::Across;
    const edit::SpreadAxis* axis = across ? &laid.across : laid.down ? &*laid.down : nullptr;
    addHeading(across ? tr("Across") : tr("Down"));
    auto* things = new QComboBox;
    things->setObjectName(across ? QStringLiteral("across-thing") : QStringLiteral("down-thing"));
    things->setAccessibleName(across ? tr("What goes across: of what") : tr("What goes down: of what"));
    if (!across) things->addItem(tr("nothing: a row of five"));
    const auto all = thingsIn(s);
    for (const auto& [owner, name] : all) {
        things->addItem(name);
        if (axis && axis->owner == owner) things->setCurrentIndex(things->count() - 1);
    }
    connect(things, &QComboBox::activated, this, [this, way, all, across](int at) {
        const int k = across ? at : at - 1;
        if (k < 0) {
            auto spread = now();
            spread->down.reset();
            spread->columns = 5;
            return put(std::move(*spread));
        }
        const scene::Owner owner = all[static_cast<std::size_t>(k)].first;
        if (const scene::SettingSpec* row =
                firstOf(layers::tableOf(m_document.scene(), owner), across ? scene::Role::Rate : scene::Role::Damping))
            setAxis(way, owner, std::string(row->id));
    });
    rows()->addWidget(things);
    if (!axis) return;
    auto* settings = new QComboBox;
    settings->setObjectName(across ? QStringLiteral("across-setting") : QStringLiteral("down-setting"));
    settings->setAccessibleName(across ? tr("What goes across: which setting") : tr("What goes down: which setting"));
    const scene::Table table = layers::tableOf(s, axis->owner);
    const scene::Tuned* tuned = s.tuned(axis->owner);
    for (const scene::SettingSpec& row : table)
        if (spreads(row) && tuned && scene::counts(row, *tuned)) {
            settings->addItem(qs(row.label), qs(row.id));
            if (row.id == axis->setting) settings->setCurrentIndex(settings->count() - 1);
        }
    connect(settings, &QComboBox::activated, this, [this, way, settings, owner = axis->owner] {
        setAxis(way, owner, settings->currentData().toString().toStdString());
    });
    rows()->addWidget(settings);
    auto* ends = new QHBoxLayout;
    ends->setSpacing(6);
    const scene::SettingSpec* row = scene::findRow(table, axis->setting);
    const double shown = row && row->unit == scene::Unit::Share ? 100 : 1;
    const QString unit =
        row ? (row->unit == scene::Unit::Share ? QStringLiteral("%") : qs(scene::unitText(row->unit))) : QString();
    for (const bool first : {true, false}) {
        ends->addWidget(new QLabel(first ? tr("from") : tr("to")));
        auto* field = new QLineEdit(QString::number(shown * (first ? axis->from : axis->to), 'g', 4));
        field->setObjectName((across ? QStringLiteral("across-") : QStringLiteral("down-")) +
                             (first ? QStringLiteral("from") : QStringLiteral("to")));
        field->setFont(look::figureFont());
        field->setAlignment(Qt::AlignRight);
        connect(field, &QLineEdit::editingFinished, this, [this, field, across, first, shown] {
            auto spread = now();
            const auto value = arithmetic(field->text());
            if (!spread || !value || !field->isModified()) return;
            field->setModified(false);
            edit::SpreadAxis& mine = across ? spread->across : *spread->down;
            (first ? mine.from : mine.to) = *value / shown;
            put(std::move(*spread));
        });
        ends->addWidget(field, 1);
    }
    ends->addWidget(new QLabel(unit));
    rows()->addLayout(ends);
}

void SpreadFace::lay() {
    Q_EMIT titleChanged(tr("Spread"));
    const auto spread = now();
    if (!spread) {
        addText(tr("A spread plays the shot in several settings at once. Put a layer on something first."));
        return;
    }
    const bool on = m_session.spreading().on;
    addButtons(rows(),
               {{QStringLiteral("spread-show"), on ? tr("Back to the stage") : tr("Lay it out"),
                 tr("Cells in place of the stage, all playing at once"),
                 [this, on, spread] {
                     m_session.setSpreading({!on, spread});
                 },
                 true}},
               1);
    layAxis(Way::Across, *spread);
    layAxis(Way::Down, *spread);
    addText(
        tr("Each cell tells how what is selected answers a push there. A click on a cell adopts it; keys and feeds of what is "
           "spread give way to the value. Ctrl+Z brings them back."));
}

}  // namespace nutatio::app
