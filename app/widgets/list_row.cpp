#include "app/widgets/list_row.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include "app/look/theme.h"

namespace nutatio::app {

namespace {
constexpr int kHeight = 26, kSwatch = 12, kLeft = 6;
}

ListRow::ListRow(const QString& text, const QString& detail, QWidget* parent)
    : QWidget(parent), m_text(text), m_row(new QHBoxLayout(this)), m_words(new QLabel), m_detail(new QLabel(detail)) {
    setFocusPolicy(Qt::TabFocus);
    setAccessibleName(detail.isEmpty() ? text : text + QStringLiteral(", ") + detail);
    setFixedHeight(kHeight);
    m_row->setContentsMargins(kLeft, 0, 2, 0);
    m_row->setSpacing(4);
    for (QLabel* l : {m_words, m_detail}) {
        l->setAttribute(Qt::WA_TransparentForMouseEvents);
        m_row->addWidget(l, l == m_words ? 1 : 0);
    }
    m_words->setMinimumWidth(20);
    m_words->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    m_words->setText(text);
    m_words->setToolTip(text);
    m_detail->setObjectName(QStringLiteral("soft"));
    m_detail->setFont(look::textFont(8.5));
    setToolTip(text);
}

void ListRow::setSwatch(const QColor& colour) {
    m_swatch = colour;
    m_row->setContentsMargins(kLeft + kSwatch + 6, 0, 2, 0);
    update();
}

void ListRow::setChosen(bool on) {
    m_isChosen = on;
    update();
}

QPushButton* ListRow::addButton(const QString& name, const QString& words, const QString& help,
                                const std::function<void()>& act) {
    auto* b = new QPushButton(words);
    b->setObjectName(name);
    b->setToolTip(help);
    b->setAccessibleName(help + QStringLiteral(": ") + m_text);
    b->setFont(look::textFont(8.5));
    b->setStyleSheet(QStringLiteral("padding: 1px 6px;"));
    m_row->addWidget(b);
    connect(b, &QPushButton::clicked, this, act);
    return b;
}

void ListRow::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    if (m_swatch.isValid() && e->position().x() < kLeft + kSwatch + 4)
        Q_EMIT swatchPressed();
    else
        Q_EMIT chosen(e->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier));
}

void ListRow::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
        Q_EMIT chosen(false);
    else
        QWidget::keyPressEvent(e);
}

void ListRow::resizeEvent(QResizeEvent*) {
    m_words->setText(m_words->fontMetrics().elidedText(m_text, Qt::ElideMiddle, m_words->width()));
}

void ListRow::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const look::Theme& t = look::theme();
    if (m_isChosen) p.fillRect(rect(), t.lagoonPale);
    if (m_swatch.isValid()) {
        p.fillRect(QRect(kLeft, (height() - kSwatch) / 2, kSwatch, kSwatch), m_swatch);
        p.setPen(t.ink);
        p.drawRect(QRect(kLeft, (height() - kSwatch) / 2, kSwatch, kSwatch));
    }
    p.setPen(hasFocus() ? t.lagoon : t.rule);
    p.drawLine(0, height() - 1, width(), height() - 1);
    if (hasFocus()) p.drawRect(rect().adjusted(0, 0, -1, -1));
}

}  // namespace nutatio::app
