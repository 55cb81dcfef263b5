#include "app/widgets/setting_row.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QTimer>

#include "app/look/text.h"
#include "app/look/theme.h"
#include "app/widgets/arithmetic.h"

namespace nutatio::app {

namespace {
constexpr int kTakenShows = 900;  // [ms]

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

SettingRow::SettingRow(const scene::SettingSpec& spec, QWidget* parent)
    : QWidget(parent), m_spec(spec), m_label(new QLabel(qs(spec.label))) {
    if (spec.unit == scene::Unit::Share) m_shown = 100;
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    auto* row = new QHBoxLayout;
    all->addLayout(row);
    const bool isNumber = spec.type == scene::SettingType::Number;
    row->setContentsMargins(0, isNumber ? 0 : 2, 0, isNumber ? 0 : 2);
    row->setSpacing(4);
    m_label->setFont(look::textFont(9.5));
    setToolTip(QStringLiteral("<p>%1</p>").arg((qs(spec.help) + u' ' + qs(spec.more)).toHtmlEscaped()));
    m_label->setToolTip(tr("Double-click: back to the default"));
    m_label->installEventFilter(this);
    row->addWidget(m_label, isNumber ? 0 : 1);
    switch (spec.type) {
        case scene::SettingType::Number:
            buildNumber(row);
            break;
        case scene::SettingType::Axes:
            buildAxes(row);
            break;
        case scene::SettingType::Joint:
        case scene::SettingType::Mount:
        case scene::SettingType::Joints:
            buildJoints(row);
            break;
        case scene::SettingType::Choice:
        case scene::SettingType::Region:
        case scene::SettingType::Clip:
        case scene::SettingType::Colliders:
            buildChoice(row);
            break;
    }
}

void SettingRow::buildNumber(QHBoxLayout* row) {
    // Words above, the slider below over the whole width: a hand needs the way more than the words do.
    m_label->setFixedHeight(13);
    const auto toggle = [&](const QString& name, const QString& hint) {
        auto* b = new QToolButton;
        b->setFixedSize(15, 13);
        b->setIconSize(QSize(13, 13));
        b->setObjectName(QStringLiteral("rowToggle"));
        b->setAccessibleName(name);
        b->setToolTip(hint);
        b->setFocusPolicy(Qt::TabFocus);
        row->addWidget(b);
        return b;
    };
    if (m_spec.keyable) {
        m_key = toggle(tr("Key %1").arg(qs(m_spec.label)), tr("Set a key at this frame, or take the one here away"));
        connect(m_key, &QToolButton::clicked, this, &SettingRow::keyWanted);
    }
    if (m_spec.keyable) {
        m_feedToggle = toggle(tr("Feed of %1").arg(qs(m_spec.label)), tr("Let it follow a gauge"));
        connect(m_feedToggle, &QToolButton::clicked, this, &SettingRow::feedWanted);
    }
    if (m_spec.profiled) {
        m_profileToggle = toggle(tr("Profile of %1").arg(qs(m_spec.label)), tr("How it varies from root to tip"));
        m_profile = new ProfileEdit;
        m_profile->setAccessibleName(tr("Profile of %1, root to tip").arg(qs(m_spec.label)));
        m_profile->hide();
        connect(m_profileToggle, &QToolButton::clicked, this, [this] { m_profile->setVisible(!m_profile->isVisible()); });
        connect(m_profile, &ProfileEdit::changed, this, &SettingRow::profileChanged);
    }
    m_note = new QLabel;
    m_note->setObjectName(QStringLiteral("soft"));
    m_note->setFont(look::textFont(8.5));
    m_note->setFixedHeight(13);
    row->addWidget(m_note);
    row->addStretch(1);
    m_field = new QLineEdit;
    m_field->setObjectName(QStringLiteral("value"));
    m_field->setFont(look::figureFont(9));
    m_field->setAlignment(Qt::AlignRight);
    m_field->setFixedSize(64, 13);
    m_field->setToolTip(tr("Type a number or a sum; or drag on it, with Shift in tenths"));
    m_field->setAccessibleName(qs(m_spec.label));
    m_field->installEventFilter(this);
    row->addWidget(m_field);
    auto* unit = new QLabel(m_spec.unit == scene::Unit::Share              ? QStringLiteral("%")
                            : m_spec.unit == scene::Unit::Degrees          ? QStringLiteral("°")
                            : m_spec.unit == scene::Unit::Frames           ? tr("f")
                            : m_spec.unit == scene::Unit::DegreesPerSecond ? QStringLiteral("°/s")
                                                                           : qs(scene::unitText(m_spec.unit)));
    unit->setObjectName(QStringLiteral("soft"));
    unit->setFont(look::textFont(9));
    unit->setFixedSize(m_spec.unit == scene::Unit::MetresPerSecond                                               ? 24
                       : m_spec.unit == scene::Unit::Centimetres || m_spec.unit == scene::Unit::DegreesPerSecond ? 18
                                                                                                                 : 14,
                       13);
    row->addWidget(unit);
    m_slider = new Slider;
    m_slider->setSlim(true);
    m_slider->setRange({m_spec.soft.low * m_shown, m_spec.soft.high * m_shown}, m_spec.curved);
    m_slider->setAccessibleName(qs(m_spec.label));
    layout()->addWidget(m_slider);
    if (m_profile) layout()->addWidget(m_profile);
    connect(m_slider, &Slider::grabbed, this, [this](const QString& g) { Q_EMIT grabbed(g + qs(m_spec.id)); });
    connect(m_field, &QLineEdit::editingFinished, this, &SettingRow::typed);
    connect(m_slider, &Slider::dragged, this, [this](double v, const QString& gesture) {
        Q_EMIT changed(scene::clampTo(m_spec, v / m_shown), gesture + qs(m_spec.id));
    });
    drawToggles();
}

bool SettingRow::dragNumber(QEvent* e) {
    // A press that moves sideways pulls the number; one that does not is a click into the text.
    constexpr double kWay = 3;
    const auto* mouse = static_cast<QMouseEvent*>(e);
    if (m_fed) return false;
    if (e->type() == QEvent::MouseButtonPress && mouse->button() == Qt::LeftButton && !m_field->isModified()) {
        m_pressed = m_last = mouse->globalPosition().x();
        m_pulls = false;
        m_gesture = Slider::newGesture();
        Q_EMIT grabbed(m_gesture + qs(m_spec.id));
        m_field->setCursor(Qt::SizeHorCursor);
        return true;
    }
    if (m_gesture.isEmpty()) return false;
    if (e->type() == QEvent::MouseMove) {
        const double x = mouse->globalPosition().x();
        m_pulls |= std::abs(x - m_pressed) > kWay;
        if (m_pulls) m_slider->nudge((x - m_last) * (mouse->modifiers() & Qt::ShiftModifier ? 0.1 : 1.0), m_gesture);
        m_last = x;
        return true;
    }
    if (e->type() != QEvent::MouseButtonRelease) return false;
    m_gesture.clear();
    m_field->setCursor(Qt::IBeamCursor);
    if (!m_pulls && m_field->hasFocus()) {
        m_field->setCursorPosition(m_field->cursorPositionAt(mouse->position().toPoint()));
    } else if (!m_pulls) {
        m_field->setFocus(Qt::MouseFocusReason);
        m_field->selectAll();
    }
    return true;
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
    connect(m_choice, &QComboBox::activated, this, [this] {
        // None is the first of what the actor has, and empty.
        const bool none = m_spec.type != scene::SettingType::Choice && m_choice->currentIndex() == 0;
        const std::string chosen = none ? std::string() : m_choice->currentText().toStdString();
        if (m_spec.type == scene::SettingType::Colliders)
            Q_EMIT changed(none ? std::vector<std::string>{} : std::vector<std::string>{chosen}, {});
        else
            Q_EMIT changed(chosen, {});
    });
}

void SettingRow::setNames(const QStringList& names) {
    m_choice->clear();
    m_choice->addItem(tr("none"));
    m_choice->addItems(names);
}

void SettingRow::setNote(const QString& note) {
    if (m_note) m_note->setText(note);
}

void SettingRow::showKeys(Keyed keyed) {
    if (keyed == m_keyed) return;
    m_keyed = keyed;
    if (m_key)
        m_key->setToolTip(keyed == Keyed::Rest ? tr("Its keys rest; Ctrl+K, \"Let the keys of this row rest\", wakes them")
                                               : tr("Set a key at this frame, or take the one here away"));
    drawToggles();
}

void SettingRow::showFed(bool fed) {
    if (fed == m_fed) return;
    m_fed = fed;
    // Its own value waits until the gauge is let go of.
    m_slider->setEnabled(!fed);
    m_field->setReadOnly(fed);
    if (m_key) m_key->setEnabled(!fed);
    drawToggles();
}

void SettingRow::showProfile(const scene::Profile& profile) {
    if (!m_profile || profile == m_profile->profile()) return;
    m_profile->setProfile(profile);
    drawToggles();
}

/// Faint while they are off and the pointer is elsewhere: they cost the row no attention.
void SettingRow::drawToggles() {
    const look::Theme& t = look::theme();
    const auto drawn = [&](QToolButton* button, const auto& draw) {
        if (!button) return;
        QPixmap p(QSize(13, 13) * devicePixelRatioF());
        p.setDevicePixelRatio(devicePixelRatioF());
        p.fill(Qt::transparent);
        QPainter paint(&p);
        paint.setRenderHint(QPainter::Antialiasing);
        draw(paint);
        paint.end();
        button->setIcon(QIcon(p));
    };
    const QColor off = underMouse() ? t.ink : t.inkSoft;
    // A diamond: empty without keys, a dot in it between keys, full on one, struck out where they rest.
    drawn(m_key, [&](QPainter& paint) {
        const QPolygonF diamond({QPointF(6.5, 2), QPointF(11, 6.5), QPointF(6.5, 11), QPointF(2, 6.5)});
        paint.setPen(QPen(m_keyed == Keyed::No || m_keyed == Keyed::Rest ? off : t.persimmon, 1.1));
        if (m_keyed == Keyed::Rest) paint.drawLine(QPointF(1.5, 11.5), QPointF(11.5, 1.5));
        if (m_keyed == Keyed::Here) paint.setBrush(t.persimmon);
        paint.drawPolygon(diamond);
        paint.setBrush(t.persimmon);
        if (m_keyed == Keyed::Between) paint.drawEllipse(QPointF(6.5, 6.5), 1.2, 1.2);
    });
    // A needle over its scale.
    drawn(m_feedToggle, [&](QPainter& paint) {
        paint.setPen(QPen(m_fed ? t.persimmon : off, m_fed ? 1.5 : 1.1));
        paint.drawArc(QRectF(1.5, 3, 10, 10), 20 * 16, 140 * 16);
        paint.drawLine(QPointF(6.5, 10.5), QPointF(9.5, 5));
    });
    drawn(m_profileToggle, [&](QPainter& paint) {
        const bool flat = m_profile->profile().empty();
        paint.setPen(QPen(flat ? off : t.persimmon, 1.3));
        paint.drawPolyline(flat ? QPolygonF({QPointF(2, 6.5), QPointF(11, 6.5)})
                                : QPolygonF({QPointF(2, 3), QPointF(6.5, 5.5), QPointF(11, 10)}));
    });
}

void SettingRow::show(const scene::Value& value) {
    m_value = value;
    if (const auto* d = std::get_if<double>(&value)) {
        if (m_slider) m_slider->setValue(*d * m_shown);
        if (m_field && !(m_field->hasFocus() && m_field->isModified())) m_field->setText(number(*d * m_shown));
    } else if (const auto* s = std::get_if<std::string>(&value)) {
        for (int k = 0; k < 3; ++k)
            if (m_axes[k]) m_axes[k]->setChecked(s->find("xyz"[k]) != std::string::npos);
        if (m_choice && m_spec.type != scene::SettingType::Choice && s->empty())
            m_choice->setCurrentIndex(0);
        else if (m_choice)
            m_choice->setCurrentText(QString::fromStdString(*s));
        if (m_field)
            m_field->setText(s->empty() ? (m_spec.role == scene::Role::End ? tr("last joint")
                                           : m_spec.type == scene::SettingType::Mount
                                               ? (m_spec.together ? tr("the place below") : tr("what it hangs on"))
                                               : tr("itself"))
                                        : QString::fromStdString(*s));
    } else if (const auto* l = std::get_if<std::vector<std::string>>(&value)) {
        if (m_choice) {
            m_choice->setCurrentIndex(l->empty() ? 0 : std::max(0, m_choice->findText(QString::fromStdString(l->front()))));
            return;
        }
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
    // What was taken shows that it was, for a moment.
    m_field->setStyleSheet(QStringLiteral("border: 1px solid %1; color: %1;").arg(look::theme().lagoon.name()));
    QTimer::singleShot(kTakenShows, m_field, [field = m_field, style = m_field->styleSheet()] {
        if (field->styleSheet() == style) field->setStyleSheet({});
    });
    Q_EMIT changed(kept, {});
}

void SettingRow::changeEvent(QEvent* e) {
    if (e->type() == QEvent::PaletteChange) drawToggles();
    QWidget::changeEvent(e);
}

void SettingRow::enterEvent(QEnterEvent*) {
    drawToggles();
    Q_EMIT hovered(qs(m_spec.help));
}
void SettingRow::leaveEvent(QEvent*) {
    drawToggles();
    Q_EMIT hovered({});
}

bool SettingRow::eventFilter(QObject* o, QEvent* e) {
    if (o == m_label && e->type() == QEvent::MouseButtonDblClick && m_spec.type != scene::SettingType::Joints) {
        Q_EMIT changed(scene::startValue(m_spec), {});
        return true;
    }
    if (o == m_field && m_slider &&
        (e->type() == QEvent::MouseButtonPress || e->type() == QEvent::MouseMove || e->type() == QEvent::MouseButtonRelease))
        if (dragNumber(e)) return true;
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
