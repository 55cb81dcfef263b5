#include "app/look/theme.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPainterPath>
#include <QPalette>
#include <QSurfaceFormat>
#include <QSvgRenderer>

namespace nutatio::look {

const Theme& theme() {
    static const Theme kDaylight{.paper = "#F3EEE4",
                                 .sheet = "#FBF8F1",
                                 .rule = "#D8CFBF",
                                 .ink = "#24303A",
                                 .inkSoft = "#5E6771",
                                 .persimmon = "#D4562A",
                                 .lagoon = "#1E7C83",
                                 .plum = "#74406B",
                                 .ochre = "#B98512",
                                 .brick = "#A12C2C",
                                 .stageTop = "#DCE3E2",
                                 .stageFloor = "#C9C3B4"};
    return kDaylight;
}

QColor faded(QColor c, double alpha) {
    c.setAlphaF(static_cast<float>(alpha));
    return c;
}

QFont textFont(double points, int weight) {
    QFont f(QStringLiteral("Lato"));
    f.setPointSizeF(points);
    f.setWeight(static_cast<QFont::Weight>(weight));
    return f;
}

QFont figureFont(double points) {
    QFont f(QStringLiteral("JetBrains Mono"));
    f.setPointSizeF(points);
    f.setStyleHint(QFont::Monospace);
    return f;
}

namespace {

QPixmap drawn(const QByteArray& svg, int size) {
    QSvgRenderer renderer(svg);
    QPixmap p(size, size);
    p.fill(Qt::transparent);
    QPainter painter(&p);
    renderer.render(&painter);
    return p;
}

QString sheet() {
    const Theme& t = theme();
    QString s = QStringLiteral(R"(
* { color: @ink; }
QMainWindow, QWidget#paper { background: @paper; }
QWidget#sheet, QScrollArea#sheet, QScrollArea#sheet > QWidget > QWidget { background: @sheet; }
QLabel#heading { color: @soft; font-weight: bold; letter-spacing: 1px; }
QLabel#soft { color: @soft; }
QLabel#brand { font-weight: bold; }
QToolTip { background: @sheet; color: @ink; border: 1px solid @rule; padding: 4px; }
QToolButton { background: transparent; border: 1px solid transparent; border-radius: 3px; padding: 3px; }
QToolButton:hover { background: @sheet; border-color: @rule; }
QToolButton:pressed { background: @rule; }
QToolButton:checked { background: @lagoonPale; border-color: @lagoon; }
QToolButton:focus, QPushButton:focus, QLineEdit:focus, QComboBox:focus, QTreeWidget:focus, QListWidget:focus { border: 1px solid @lagoon; }
QToolButton:disabled, QPushButton:disabled { color: @rule; }
QToolButton#step { padding: 5px 12px; border-radius: 3px; }
QToolButton#step:checked { background: @ink; color: @sheet; border-color: @ink; }
QToolButton#laneToggle { padding: 1px; font-weight: bold; color: @soft; border-color: @rule; background: @sheet; }
QToolButton#laneToggle:checked { background: @ink; color: @sheet; border-color: @ink; }
QToolButton#rowToggle { padding: 0; border: none; background: transparent; }
QToolButton#rowToggle:hover { background: @paper; }
QToolButton#chip { padding: 3px 1px; border-color: @rule; background: @paper; }
QToolButton#chip:checked { background: @persimmon; color: @sheet; border-color: @persimmon; }
QToolButton#group { padding: 6px 0 2px 0; border: none; background: transparent; color: @soft; font-weight: bold; }
QToolButton#axis { padding: 2px 9px; border-color: @rule; background: @paper; }
QToolButton#axis:checked { background: @lagoon; color: @sheet; border-color: @lagoon; }
QPushButton { background: @paper; border: 1px solid @rule; border-radius: 3px; padding: 5px 12px; }
QPushButton:hover { border-color: @soft; }
QPushButton:pressed { background: @rule; }
QPushButton#main { background: @ink; color: @sheet; border-color: @ink; }
QPushButton#main:disabled { background: @rule; color: @sheet; border-color: @rule; }
QPushButton#main:focus { border: 1px solid @persimmon; }
QLineEdit, QComboBox { background: @sheet; border: 1px solid @rule; border-radius: 3px; padding: 2px 5px; selection-background-color: @lagoon; selection-color: @sheet; }
QLineEdit#wrong { border: 1px solid @brick; }
QComboBox { padding-right: 18px; }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox::down-arrow { image: url(:/icons/chevron-down.svg); width: 12px; height: 12px; }
QComboBox QAbstractItemView { background: @sheet; border: 1px solid @rule; selection-background-color: @lagoonPale; selection-color: @ink; }
QTreeWidget, QListWidget { background: @sheet; border: 1px solid transparent; outline: none; }
QTreeWidget::item, QListWidget::item { padding: 2px 0; border: none; }
QTreeWidget::item:hover, QListWidget::item:hover { background: @paper; }
QTreeWidget::item:selected, QListWidget::item:selected { background: @lagoonPale; color: @ink; }
QMenu { background: @sheet; border: 1px solid @rule; padding: 4px; }
QMenu::item { padding: 5px 24px 5px 12px; border-radius: 3px; }
QMenu::item:selected { background: @lagoonPale; }
QMenu::item:disabled { color: @soft; }
QMenu::separator { height: 1px; background: @rule; margin: 4px 8px; }
QSplitter::handle { background: @rule; }
QSplitter::handle:hover { background: @lagoon; }
QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
QScrollBar::handle:vertical { background: @rule; border-radius: 3px; min-height: 24px; margin: 1px 2px; }
QScrollBar:horizontal { background: transparent; height: 10px; margin: 0; }
QScrollBar::handle:horizontal { background: @rule; border-radius: 3px; min-width: 24px; margin: 2px 1px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QProgressBar { background: @paper; border: 1px solid @rule; border-radius: 3px; text-align: center; height: 14px; }
QProgressBar::chunk { background: @lagoonPale; }
QFrame#line { background: @rule; border: none; }
QFrame#palette { background: @sheet; border: 1px solid @soft; border-radius: 3px; }
QFrame#notice { background: @sheet; border: 1px solid @ochre; border-radius: 3px; }
)");
    const std::pair<const char*, QString> tokens[] = {
        {"@paper", t.paper.name()},  {"@sheet", t.sheet.name()},         {"@rule", t.rule.name()},   {"@ink", t.ink.name()},
        {"@soft", t.inkSoft.name()}, {"@persimmon", t.persimmon.name()}, {"@lagoonPale", "#CFE2DF"}, {"@lagoon", t.lagoon.name()},
        {"@ochre", t.ochre.name()},  {"@brick", t.brick.name()}};
    for (const auto& [token, value] : tokens) s.replace(QLatin1String(token), value);
    return s;
}

}  // namespace

QIcon icon(const QString& name) {
    QFile file(QStringLiteral(":/icons/") + name + QStringLiteral(".svg"));
    QIcon out;
    if (!file.open(QIODevice::ReadOnly)) return out;
    const QByteArray svg = file.readAll();
    const auto tinted = [&](const QColor& c) {
        QByteArray s = svg;
        return drawn(s.replace("currentColor", c.name().toLatin1()), 48);
    };
    out.addPixmap(tinted(theme().ink));
    out.addPixmap(tinted(theme().rule), QIcon::Disabled);
    out.addPixmap(tinted(theme().lagoon), QIcon::Normal, QIcon::On);
    return out;
}

QIcon kindGlyph(const QString& kind, const QColor& colour) {
    QPixmap pixmap(48, 48);
    pixmap.fill(Qt::transparent);
    QPainter p(&pixmap);
    p.setRenderHint(QPainter::Antialiasing);
    p.scale(2, 2);
    p.setPen(QPen(colour, 2, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    if (kind == QLatin1String("strand")) {
        // A cord hung from a bar, its links showing.
        QPainterPath path(QPointF(12, 3));
        path.cubicTo(6, 9, 19, 12, 11, 21);
        p.drawLine(QPointF(6, 3), QPointF(18, 3));
        p.drawPath(path);
        for (double at : {0.36, 0.68}) {
            const QPointF c = path.pointAtPercent(at);
            p.drawLine(c - QPointF(3, 0), c + QPointF(3, 0));
        }
        p.drawPoint(QPointF(11, 21));
    } else {
        // A pad between two springing arcs.
        p.drawEllipse(QPointF(12, 12), 3.2, 3.2);
        p.drawArc(QRectF(5, 5, 14, 14), 40 * 16, 100 * 16);
        p.drawArc(QRectF(5, 5, 14, 14), 220 * 16, 100 * 16);
        p.drawArc(QRectF(1, 1, 22, 22), 60 * 16, 60 * 16);
        p.drawArc(QRectF(1, 1, 22, 22), 240 * 16, 60 * 16);
    }
    return QIcon(pixmap);
}

void setSurfaceFormat() {
    QSurfaceFormat f;
    f.setVersion(3, 3);
    f.setProfile(QSurfaceFormat::CoreProfile);
    f.setDepthBufferSize(24);
    f.setSamples(4);
    QSurfaceFormat::setDefaultFormat(f);
}

void dress(QApplication& app) {
    for (const char* f : {"Lato-Regular", "Lato-Bold", "Lato-Italic", "JetBrainsMono-Regular", "JetBrainsMono-Medium"})
        QFontDatabase::addApplicationFont(QStringLiteral(":/fonts/%1.ttf").arg(QLatin1String(f)));
    app.setStyle(QStringLiteral("Fusion"));
    app.setFont(textFont());
    const Theme& t = theme();
    QPalette p;
    p.setColor(QPalette::Window, t.paper);
    p.setColor(QPalette::Base, t.sheet);
    p.setColor(QPalette::AlternateBase, t.paper);
    p.setColor(QPalette::Button, t.paper);
    for (QPalette::ColorRole r : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::HighlightedText})
        p.setColor(r, t.ink);
    p.setColor(QPalette::PlaceholderText, t.inkSoft);
    p.setColor(QPalette::Highlight, QColor("#CFE2DF"));
    p.setColor(QPalette::ToolTipBase, t.sheet);
    p.setColor(QPalette::ToolTipText, t.ink);
    app.setPalette(p);
    app.setStyleSheet(sheet());
}

}  // namespace nutatio::look
