#include "app/tape/key_bar.h"

#include <QHBoxLayout>
#include <algorithm>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/widgets/arithmetic.h"
#include "layers/registry.h"

namespace nutatio::app {

KeyBar::KeyBar(Document& document, Session& session, KeySelection& keys, QWidget* parent)
    : QWidget(parent), m_document(document), m_session(session), m_keys(keys), m_count(new QLabel) {
    setObjectName(QStringLiteral("paper"));
    setAttribute(Qt::WA_StyledBackground);
    setFixedHeight(30);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(10, 2, 10, 2);
    row->setSpacing(3);
    m_count->setFont(look::textFont(9.5, QFont::Bold));
    row->addWidget(m_count);
    row->addSpacing(3);
    const auto field = [&](const QString& label, const QString& help, int wide, auto typed) {
        auto* name = new QLabel(label);
        name->setObjectName(QStringLiteral("soft"));
        name->setToolTip(help);
        row->addWidget(name);
        auto* f = new QLineEdit;
        f->setFont(look::figureFont(9));
        f->setAlignment(Qt::AlignRight);
        f->setFixedWidth(wide);
        f->setToolTip(help);
        f->setAccessibleName(help);
        row->addWidget(f);
        connect(f, &QLineEdit::editingFinished, this, [this, f, typed] {
            if (!f->isModified()) return;
            f->setModified(false);
            if (const auto v = arithmetic(f->text()); v && first()) typed(*v);
            refresh();
        });
        return f;
    };
    m_frame = field(tr("Frame"), tr("Frame of the first selected key; the others keep their distance"), 46,
                    [this](double v) { move(tr("Move keys"), {.by = (v - 1) / m_document.scene().shot().fps - first()->at}); });
    m_value = field(tr("Value"), tr("Value of the first selected key; the others keep their distance"), 52, [this](double v) {
        const scene::SettingSpec* spec =
            findRow(layers::tableOf(m_document.scene(), m_keys.keys().front().owner), m_keys.keys().front().setting);
        const double shown = spec && spec->unit == scene::Unit::Share ? 100 : 1;
        move(tr("Value of keys"), {.byValue = v / shown - first()->value});
    });
    m_times = field(tr("Scale time"), tr("Times as long, from the first selected key on"), 36,
                    [this](double v) { move(tr("Scale keys in time"), {.about = first()->at, .times = v}); });
    m_timesValue = field(tr("Scale value"), tr("Times their value"), 36,
                         [this](double v) { move(tr("Scale keys in value"), {.timesValue = v}); });
    row->addSpacing(5);
    const std::pair<scene::Ease, QString> eases[] = {{scene::Ease::Smooth, tr("Smooth")},
                                                     {scene::Ease::Linear, tr("Linear")},
                                                     {scene::Ease::Hold, tr("Hold")},
                                                     {scene::Ease::Free, tr("Free")}};
    for (const auto& [ease, name] : eases) {
        auto* b = new QToolButton;
        b->setObjectName(QStringLiteral("face"));
        b->setText(name);
        b->setCheckable(true);
        b->setAccessibleName(tr("Ease: %1").arg(name));
        b->setToolTip(ease == scene::Ease::Free     ? tr("Slopes set by hand: drag their ends")
                      : ease == scene::Ease::Hold   ? tr("The value holds until the next key")
                      : ease == scene::Ease::Linear ? tr("Straight to the next key")
                                                    : tr("Smooth through the keys, and never beyond them"));
        m_eases[static_cast<int>(ease)] = b;
        row->addWidget(b);
        connect(b, &QToolButton::clicked, this, [this, ease = ease] {
            m_keys.ease(ease);
            refresh();
        });
    }
    row->addSpacing(5);
    const auto button = [&](const QString& text, const QString& help, auto act) {
        auto* b = new QToolButton;
        b->setText(text);
        b->setToolTip(help);
        b->setAccessibleName(help);
        row->addWidget(b);
        connect(b, &QToolButton::clicked, this, act);
        return b;
    };
    button(tr("Copy"), tr("Copy the keys (Ctrl+C)"), [this] { m_keys.copy(); });
    m_paste = button(tr("Paste"), tr("Put copied keys down at the play-head (Ctrl+V)"), [this] {
        if (const QString why = m_keys.paste(m_session.frame()); !why.isEmpty()) Q_EMIT said(why);
    });
    button(tr("Close"), tr("The last frame gets the value of the first"), [this] { m_keys.close(); });
    button(tr("Remove"), tr("Remove the keys (Delete)"), [this] { m_keys.remove(); });
    row->addStretch(1);
    m_snap = button(tr("Snap"), tr("Keys land on whole frames"), [this](bool on) { m_keys.setSnaps(on); });
    m_snap->setObjectName(QStringLiteral("face"));
    m_snap->setCheckable(true);
    connect(&keys, &KeySelection::changed, this, &KeyBar::refresh);
    connect(&document, &Document::sceneChanged, this, &KeyBar::refresh);
    refresh();
}

const scene::KeyAt* KeyBar::first() const {
    if (m_keys.keys().empty()) return nullptr;
    const auto& key =
        *std::min_element(m_keys.keys().begin(), m_keys.keys().end(), [](const auto& a, const auto& b) { return a.at < b.at; });
    const scene::Keys* keys = m_document.scene().shot().keysOf(key.owner, key.setting);
    const auto at = keys ? scene::keyAt(*keys, key.at) : scene::Keys::const_iterator{};
    return keys && at != keys->end() ? &*at : nullptr;
}

void KeyBar::move(const QString& name, const edit::KeyMove& how) {
    m_keys.change(name, [&](scene::Scene& s) { return edit::moveKeys(s, m_keys.keys(), how); });
}

void KeyBar::refresh() {
    const scene::KeyAt* k = first();
    setVisible(k != nullptr);
    if (!k) return;
    m_count->setText(m_keys.keys().size() == 1 ? tr("1 key") : tr("%1 keys").arg(m_keys.keys().size()));
    const edit::KeyOf& of = m_keys.keys().front();
    const scene::SettingSpec* spec = findRow(layers::tableOf(m_document.scene(), of.owner), of.setting);
    const double shown = spec && spec->unit == scene::Unit::Share ? 100 : 1;
    const auto put = [](QLineEdit* f, double v) {
        if (!(f->hasFocus() && f->isModified())) f->setText(QString::number(v, 'g', 5));
    };
    put(m_frame, k->at * m_document.scene().shot().fps + 1);
    put(m_value, shown * k->value);
    put(m_times, 1);
    put(m_timesValue, 1);
    for (int e = 0; e < 4; ++e) m_eases[e]->setChecked(static_cast<int>(k->ease) == e);
    m_paste->setEnabled(m_keys.canPaste());
    m_snap->setChecked(m_keys.snaps());
}

}  // namespace nutatio::app
