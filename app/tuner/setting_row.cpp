#include "app/tuner/setting_row.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>

#include "app/look/theme.h"
#include "app/tuner/arithmetic.h"

namespace nutatio::app {

namespace {
QString qs(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}
QString number(double v) {
    // Four figures say all that a hand can set.
    const double a = std::abs(v);
    QString s = QString::number(v, 'f', a >= 1000 ? 0 : a >= 100 ? 1 : a >= 10 ? 2 : 3);
    while (s.contains(u'.') && (s.endsWith(u'0') || s.endsWith(u'.'))) {
        const bool point = s.endsWith(u'.');
        s.chop(1);
        if (point) break;
    }
    return s == QLatin1String("-0") ? QStringLiteral("0") : s;
}
}  // namespace

SettingRow::SettingRow(const scene::SettingSpec& spec, bool toggles, QWidget* parent)
    : QWidget(parent), m_spec(spec), m_toggles(toggles), m_label(new QLabel(qs(spec.label))) {
    if (spec.unit == scene::Unit::Share) m_shown = 100;
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    auto* row = new QHBoxLayout;
    all->addLayout(row);
    row->setContentsMargins(0, 2, 0, 2);
    row->setSpacing(4);
    m_label->setToolTip(tr("Double-click: back to the default"));
    m_label->installEventFilter(this);
    row->addWidget(m_label, spec.type == scene::SettingType::Number ? 0 : 1);
    switch (spec.type) {
        case scene::SettingType::Number:
            buildNumber(row);
            break;
        case scene::SettingType::Axes:
            buildAxes(row);
            break;
        case scene::SettingType::Joint:
        case scene::SettingType::Joints:
            buildJoints(row);
            break;
        case scene::SettingType::Choice:
            buildChoice(row);
            break;
        case scene::SettingType::Colliders:
            buildColliders(row);
            break;
    }
}

void SettingRow::buildNumber(QHBoxLayout* row) {
    m_label->setFixedWidth(82);
    m_slider = new Slider;
    m_slider->setRange({m_spec.soft.low * m_shown, m_spec.soft.high * m_shown}, m_spec.curved);
    m_slider->setAccessibleName(qs(m_spec.label));
    row->addWidget(m_slider, 1);
    m_field = new QLineEdit;
    m_field->setFont(look::figureFont());
    m_field->setAlignment(Qt::AlignRight);
    m_field->setFixedWidth(58);
    m_field->setAccessibleName(qs(m_spec.label));
    m_field->installEventFilter(this);
    row->addWidget(m_field);
    auto* unit = new QLabel(m_spec.unit == scene::Unit::Share     ? QStringLiteral("%")
                            : m_spec.unit == scene::Unit::Degrees ? QStringLiteral("°")
                            : m_spec.unit == scene::Unit::Frames  ? tr("f")
                                                                  : qs(scene::unitText(m_spec.unit)));
    unit->setObjectName(QStringLiteral("soft"));
    unit->setFixedWidth(m_spec.unit == scene::Unit::MetresPerSecond ? 26 : 16);
    row->addWidget(unit);
    const auto toggle = [&](const QString& name, const QString& hint) {
        auto* b = new QToolButton;
        b->setFixedSize(16, 18);
        b->setObjectName(QStringLiteral("rowToggle"));
        b->setAccessibleName(name);
        b->setToolTip(hint);
        row->addWidget(b);
        return b;
    };
    if (m_spec.keyable) {
        m_key = toggle(tr("Key %1").arg(qs(m_spec.label)), tr("Set a key at this frame, or take the one here away"));
        connect(m_key, &QToolButton::clicked, this, &SettingRow::keyWanted);
        showKeys(Keyed::No);
    } else if (m_toggles) {
        row->addSpacing(21);
    }
    if (m_spec.profiled) {
        m_profileToggle = toggle(tr("Profile of %1").arg(qs(m_spec.label)), tr("How it varies from root to tip"));
        m_profile = new ProfileEdit;
        m_profile->setAccessibleName(tr("Profile of %1, root to tip").arg(qs(m_spec.label)));
        m_profile->hide();
        layout()->addWidget(m_profile);
        connect(m_profileToggle, &QToolButton::clicked, this, [this] { m_profile->setVisible(!m_profile->isVisible()); });
        connect(m_profile, &ProfileEdit::changed, this, &SettingRow::profileChanged);
        showProfile({});
    } else if (m_toggles) {
        row->addSpacing(21);
    }
    connect(m_field, &QLineEdit::editingFinished, this, &SettingRow::typed);
    connect(m_slider, &Slider::dragged, this, [this](double v, const QString& gesture) {
        Q_EMIT changed(scene::clampTo(m_spec, v / m_shown), gesture + qs(m_spec.id));
    });
}

void SettingRow::buildAxes(QHBoxLayout* top) {
    for (int k = 0; k < 3; ++k) {
        m_axes[k] = new QToolButton;
        m_axes[k]->setObjectName(QStringLiteral("axis"));
        m_axes[k]->setText(QString(QChar(u"xyz"[k])));
        m_axes[k]->setCheckable(true);
        m_axes[k]->setAccessibleName(tr("%1 axis %2").arg(qs(m_spec.label), m_axes[k]->text()));
        top->addWidget(m_axes[k]);
        connect(m_axes[k], &QToolButton::clicked, this, [this] {
            std::string axes;
            for (int i = 0; i < 3; ++i)
                if (m_axes[i]->isChecked()) axes += "xyz"[i];
            Q_EMIT changed(axes, {});
        });
    }
}

void SettingRow::buildJoints(QHBoxLayout* top) {
    m_field = new QLineEdit;
    m_field->setReadOnly(true);
    m_field->setMinimumWidth(120);
    m_field->setAccessibleName(qs(m_spec.label));
    top->addWidget(m_field, 3);
    auto* take = new QToolButton;
    take->setIcon(look::icon(QStringLiteral("bone")));
    take->setToolTip(tr("Use the joints last selected on the stage"));
    take->setAccessibleName(tr("%1 from the selection").arg(qs(m_spec.label)));
    top->addWidget(take);
    connect(take, &QToolButton::clicked, this, &SettingRow::selectionWanted);
}

void SettingRow::buildChoice(QHBoxLayout* top) {
    m_choice = new QComboBox;
    m_choice->setAccessibleName(qs(m_spec.label));
    for (std::string_view c : choicesOf(m_spec)) m_choice->addItem(qs(c));
    top->addWidget(m_choice, 2);
    connect(m_choice, &QComboBox::activated, this, [this] { Q_EMIT changed(m_choice->currentText().toStdString(), {}); });
}

void SettingRow::buildColliders(QHBoxLayout* top) {
    m_field = new QLineEdit;
    m_field->setReadOnly(true);
    m_field->setAccessibleName(qs(m_spec.label));
    top->addWidget(m_field, 3);
    auto* list = new QToolButton;
    list->setIcon(look::icon(QStringLiteral("chevron-down")));
    list->setAccessibleName(tr("Choose for %1").arg(qs(m_spec.label)));
    top->addWidget(list);
    connect(list, &QToolButton::clicked, this, [this, list] {
        QMenu menu;
        auto chosen = std::get<std::vector<std::string>>(m_value);
        for (const auto& [id, name] : m_colliders) {
            QAction* a = menu.addAction(QString::fromStdString(name));
            a->setCheckable(true);
            a->setChecked(std::find(chosen.begin(), chosen.end(), id) != chosen.end());
            a->setData(QString::fromStdString(id));
        }
        if (menu.isEmpty()) menu.addAction(tr("There are no colliders"))->setEnabled(false);
        QAction* hit = menu.exec(list->mapToGlobal(QPoint(0, list->height())));
        if (!hit || !hit->isCheckable()) return;
        const std::string id = hit->data().toString().toStdString();
        if (hit->isChecked())
            chosen.push_back(id);
        else
            std::erase(chosen, id);
        Q_EMIT changed(chosen, {});
    });
}

void SettingRow::offer(const std::vector<std::pair<std::string, std::string>>& colliders) {
    m_colliders = colliders;
}

void SettingRow::showKeys(Keyed keyed) {
    if (!m_key) return;
    // A diamond: empty without keys, a dot in it between keys, full on one.
    const look::Theme& t = look::theme();
    QPixmap p(QSize(14, 14) * devicePixelRatioF());
    p.setDevicePixelRatio(devicePixelRatioF());
    p.fill(Qt::transparent);
    QPainter paint(&p);
    paint.setRenderHint(QPainter::Antialiasing);
    const QPolygonF diamond({QPointF(7, 2.5), QPointF(11.5, 7), QPointF(7, 11.5), QPointF(2.5, 7)});
    paint.setPen(QPen(keyed == Keyed::No ? t.inkSoft : t.persimmon, 1.2));
    if (keyed == Keyed::Here) paint.setBrush(t.persimmon);
    paint.drawPolygon(diamond);
    paint.setBrush(t.persimmon);
    if (keyed == Keyed::Between) paint.drawEllipse(QPointF(7, 7), 1.2, 1.2);
    paint.end();
    m_key->setIcon(QIcon(p));
}

void SettingRow::showProfile(const scene::Profile& profile) {
    if (!m_profile) return;
    m_profile->setProfile(profile);
    const look::Theme& t = look::theme();
    QPixmap p(QSize(14, 14) * devicePixelRatioF());
    p.setDevicePixelRatio(devicePixelRatioF());
    p.fill(Qt::transparent);
    QPainter paint(&p);
    paint.setRenderHint(QPainter::Antialiasing);
    paint.setPen(QPen(profile.empty() ? t.inkSoft : t.persimmon, 1.4));
    if (profile.empty())
        paint.drawLine(QPointF(2, 7), QPointF(12, 7));
    else
        paint.drawPolyline(QPolygonF({QPointF(2, 3.5), QPointF(7, 6), QPointF(12, 11)}));
    paint.end();
    m_profileToggle->setIcon(QIcon(p));
}

void SettingRow::show(const scene::Value& value) {
    m_value = value;
    if (const auto* d = std::get_if<double>(&value)) {
        if (m_slider) m_slider->setValue(*d * m_shown);
        if (m_field && !(m_field->hasFocus() && m_field->isModified())) m_field->setText(number(*d * m_shown));
    } else if (const auto* s = std::get_if<std::string>(&value)) {
        for (int k = 0; k < 3; ++k)
            if (m_axes[k]) m_axes[k]->setChecked(s->find("xyz"[k]) != std::string::npos);
        if (m_choice) m_choice->setCurrentText(QString::fromStdString(*s));
        if (m_field) m_field->setText(s->empty() ? tr("last joint") : QString::fromStdString(*s));
    } else if (const auto* l = std::get_if<std::vector<std::string>>(&value)) {
        QStringList names;
        for (const std::string& n : *l) {
            const auto known = std::find_if(m_colliders.begin(), m_colliders.end(), [&](const auto& c) { return c.first == n; });
            names << QString::fromStdString(known == m_colliders.end() ? n : known->second);
        }
        if (names.isEmpty() && m_spec.type == scene::SettingType::Colliders) names << tr("nothing");
        m_field->setText(names.join(QStringLiteral(", ")));
        m_field->setCursorPosition(0);
        m_field->setToolTip(m_field->text());
    }
}

void SettingRow::typed() {
    if (!m_field->isModified()) return;
    m_field->setModified(false);
    const auto v = arithmetic(m_field->text());
    m_field->setObjectName(v ? QString() : QStringLiteral("wrong"));
    m_field->setStyleSheet(v ? QString() : QStringLiteral("border: 1px solid %1;").arg(look::theme().brick.name()));
    if (!v) {
        Q_EMIT hovered(tr("%1 wants a number, or a sum such as 2*1.5.").arg(qs(m_spec.label)));
        return;
    }
    const double kept = scene::clampTo(m_spec, *v / m_shown);
    if (kept != *v / m_shown)
        Q_EMIT hovered(tr("%1 goes from %2 to %3.")
                           .arg(qs(m_spec.label), number(m_spec.range.low * m_shown), number(m_spec.range.high * m_shown)));
    m_field->setText(number(kept * m_shown));
    Q_EMIT changed(kept, {});
}

void SettingRow::enterEvent(QEnterEvent*) {
    Q_EMIT hovered(qs(m_spec.help) + QStringLiteral(" ") + qs(m_spec.more));
}
void SettingRow::leaveEvent(QEvent*) {
    Q_EMIT hovered({});
}

bool SettingRow::eventFilter(QObject* o, QEvent* e) {
    if (o == m_label && e->type() == QEvent::MouseButtonDblClick && m_spec.type != scene::SettingType::Joints) {
        Q_EMIT changed(scene::startValue(m_spec), {});
        return true;
    }
    if (o == m_field && e->type() == QEvent::ShortcutOverride && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape) {
        e->accept();  // takes back what was typed; elsewhere it selects nothing
        return true;
    }
    if (o == m_field && e->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Escape) {
        m_field->setModified(false);
        show(m_value);
        return true;
    }
    return QWidget::eventFilter(o, e);
}

}  // namespace nutatio::app
