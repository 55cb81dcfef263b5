#include "app/tuner/setting_row.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QKeyEvent>

#include "app/look/theme.h"
#include "app/tuner/arithmetic.h"

namespace nutatio::app {

namespace {
QString qs(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}
QString number(double v) {
    QString s = QString::number(v, 'f', 3);
    while (s.contains(u'.') && (s.endsWith(u'0') || s.endsWith(u'.'))) {
        const bool point = s.endsWith(u'.');
        s.chop(1);
        if (point) break;
    }
    return s == QLatin1String("-0") ? QStringLiteral("0") : s;
}
}  // namespace

SettingRow::SettingRow(const scene::SettingSpec& spec, QWidget* parent)
    : QWidget(parent), m_spec(spec), m_label(new QLabel(qs(spec.label))) {
    if (spec.unit == scene::Unit::Share) m_shown = 100;
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 2, 0, 2);
    row->setSpacing(5);
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
    m_field->setFixedWidth(52);
    m_field->setAccessibleName(qs(m_spec.label));
    m_field->installEventFilter(this);
    row->addWidget(m_field);
    auto* unit = new QLabel(m_spec.unit == scene::Unit::Share     ? QStringLiteral("%")
                            : m_spec.unit == scene::Unit::Degrees ? QStringLiteral("°")
                            : m_spec.unit == scene::Unit::Frames  ? tr("f")
                                                                  : qs(scene::unitText(m_spec.unit)));
    unit->setObjectName(QStringLiteral("soft"));
    unit->setFixedWidth(16);
    row->addWidget(unit);
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

void SettingRow::show(const scene::Value& value) {
    m_value = value;
    if (const auto* d = std::get_if<double>(&value)) {
        if (m_slider) m_slider->setValue(*d * m_shown);
        if (m_field && !(m_field->hasFocus() && m_field->isModified())) m_field->setText(number(*d * m_shown));
    } else if (const auto* s = std::get_if<std::string>(&value)) {
        for (int k = 0; k < 3; ++k)
            if (m_axes[k]) m_axes[k]->setChecked(s->find("xyz"[k]) != std::string::npos);
        if (m_field) m_field->setText(s->empty() ? tr("last joint") : QString::fromStdString(*s));
    } else if (const auto* l = std::get_if<std::vector<std::string>>(&value)) {
        QStringList names;
        for (const std::string& n : *l) names << QString::fromStdString(n);
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
