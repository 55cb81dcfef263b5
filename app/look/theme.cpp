#include "app/look/theme.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QIconEngine>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QOpenGLFunctions>
#include <QPainter>
#include <QPalette>
#include <QSurfaceFormat>
#include <QSvgRenderer>
#include <optional>

namespace nutatio::look {

namespace {

const Theme kDay{.paper = "#F3EEE4",
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
                 .stageFloor = "#C9C3B4",
                 .lagoonPale = "#CFE2DF",
                 .persimmonPale = "#F6E3D8",
                 .ochreText = "#7A580C",
                 .bone = "#C9B89A",
                 .shade = "#24303A"};

const Theme kNight{.paper = "#1B2229",
                   .sheet = "#222B33",
                   .rule = "#3B4651",
                   .ink = "#E9E3D6",
                   .inkSoft = "#A3ACB3",
                   .persimmon = "#EE7748",
                   .lagoon = "#4FB3BA",
                   .plum = "#C18AB5",
                   .ochre = "#D9A531",
                   .brick = "#E8746C",
                   .stageTop = "#2E3A42",
                   .stageFloor = "#3A3B39",
                   .lagoonPale = "#23464B",
                   .persimmonPale = "#4A3027",
                   .ochreText = "#E0B24A",
                   .bone = "#8E7F66",
                   .shade = "#0B0E11"};

Light g_light = Light::Day;

}  // namespace

const Theme& theme() {
    return g_light == Light::Day ? kDay : kNight;
}

Light light() {
    return g_light;
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

/// A line drawing that takes its colour from the theme at the moment it is painted.
class Tinted final : public QIconEngine {
  public:
    explicit Tinted(QByteArray svg, std::optional<QColor> fixed = std::nullopt, bool lit = true)
        : m_svg(std::move(svg)), m_fixed(fixed), m_lit(lit) {}
    QIconEngine* clone() const override { return new Tinted(*this); }
    void paint(QPainter* painter, const QRect& rect, QIcon::Mode mode, QIcon::State state) override {
        const Theme& t = theme();
        const QColor c = m_fixed ? *m_fixed : mode == QIcon::Disabled ? t.rule : state == QIcon::On && m_lit ? t.lagoon : t.ink;
        QByteArray s = m_svg;
        QSvgRenderer(s.replace("currentColor", c.name().toLatin1())).render(painter, rect);
    }
    QPixmap pixmap(const QSize& size, QIcon::Mode mode, QIcon::State state) override {
        QPixmap p(size);
        p.fill(Qt::transparent);
        QPainter painter(&p);
        paint(&painter, QRect(QPoint(), size), mode, state);
        return p;
    }

  private:
    QByteArray m_svg;
    std::optional<QColor> m_fixed;
    bool m_lit;
};

QByteArray glyphSvg(std::string_view path) {
    return QStringLiteral(
               R"(<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="2" stroke-linecap="round" stroke-linejoin="round"><path d="%1"/></svg>)")
        .arg(QString::fromUtf8(path.data(), static_cast<qsizetype>(path.size())))
        .toUtf8();
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
QToolButton#face { padding: 2px 7px; border-radius: 3px; color: @soft; }
QToolButton#face:checked { background: @ink; color: @sheet; border-color: @ink; }
QToolButton#laneToggle { padding: 1px; font-weight: bold; color: @soft; border-color: @rule; background: @sheet; }
QToolButton#laneToggle:checked { background: @ink; color: @sheet; border-color: @ink; }
QToolButton#rowToggle { padding: 0; border: none; background: transparent; }
QLineEdit#value { border: none; border-bottom: 1px solid transparent; border-radius: 0; background: transparent; padding: 0; }
QLineEdit#value:hover { border-bottom: 1px solid @rule; }
QLineEdit#value:focus { border-bottom: 1px solid @lagoon; background: @paper; }
QLineEdit#wrong { padding: 0; border-radius: 0; }
QToolButton#rowToggle:hover { background: @paper; }
QToolButton#chip { padding: 3px 1px; border-color: @rule; background: @paper; }
QToolButton#chip:checked { background: @persimmon; color: @sheet; border-color: @persimmon; }
QToolButton#group { padding: 1px 0 1px 0; border: none; background: transparent; color: @soft; font-weight: bold; }
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
QComboBox::down-arrow { image: url(:/icons/@arrow); width: 12px; height: 12px; }
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
QPushButton[brush]:checked, QPushButton[face]:checked { background: @ink; color: @sheet; border-color: @ink; }
QFrame#notice { background: @sheet; border: 1px solid @ochre; border-radius: 3px; }
)");
    const std::pair<const char*, QString> tokens[] = {{"@paper", t.paper.name()},
                                                      {"@sheet", t.sheet.name()},
                                                      {"@rule", t.rule.name()},
                                                      {"@ink", t.ink.name()},
                                                      {"@soft", t.inkSoft.name()},
                                                      {"@persimmon", t.persimmon.name()},
                                                      {"@lagoonPale", t.lagoonPale.name()},
                                                      {"@lagoon", t.lagoon.name()},
                                                      {"@ochre", t.ochre.name()},
                                                      {"@brick", t.brick.name()}};
    s.replace(QLatin1String("@arrow"), QLatin1String(g_light == Light::Night ? "chevron-down-night.svg" : "chevron-down.svg"));
    for (const auto& [token, value] : tokens) s.replace(QLatin1String(token), value);
    return s;
}

}  // namespace

QIcon icon(const QString& name, bool lit) {
    QFile file(QStringLiteral(":/icons/") + name + QStringLiteral(".svg"));
    if (!file.open(QIODevice::ReadOnly)) return {};
    return QIcon(new Tinted(file.readAll(), std::nullopt, lit));
}

QIcon glyph(std::string_view path) {
    return QIcon(new Tinted(glyphSvg(path)));
}

QIcon pieceIcon(std::string_view form) {
    static constexpr std::pair<std::string_view, std::string_view> kForms[] = {
        {"floor", "M2 15l7 -6h13l-7 6z"},
        {"block", "M4 8l8 -4l8 4v8l-8 4l-8 -4z M4 8l8 4l8 -4 M12 12v8"},
        {"bar", "M4 15.5a2.6 2.6 0 0 0 3.6 3.6l12.6 -11a2.6 2.6 0 0 0 -3.6 -3.6z"},
        {"ball", "M4 12a8 8 0 1 0 16 0a8 8 0 1 0 -16 0 M6 9.4c3 2 9 2 12 0"},
        {"ramp", "M3 18h18v-11z"},
        {"steps", "M3 19h18v-13h-5v4h-4.5v4.5h-4.5v4.5"},
    };
    for (const auto& [id, path] : kForms)
        if (id == form) return glyph(path);
    return icon(QStringLiteral("box"));
}

QIcon glyph(std::string_view path, const QColor& colour) {
    return QIcon(new Tinted(glyphSvg(path), colour));
}

void setSurfaceFormat() {
    QSurfaceFormat f;
    f.setVersion(3, 3);
    f.setProfile(QSurfaceFormat::CoreProfile);
    f.setDepthBufferSize(24);
    QSurfaceFormat::setDefaultFormat(f);
}

namespace {
bool g_alwaysSmooth = false;
}

void smoothAlways(bool on) {
    g_alwaysSmooth = on;
}

bool drawsCheaply() {
    // Asked once: a context of its own tells who draws.
    static const bool kSoftware = [] {
        QOffscreenSurface surface;
        surface.create();
        QOpenGLContext context;
        if (!context.create() || !context.makeCurrent(&surface)) return false;
        const auto* name = reinterpret_cast<const char*>(context.functions()->glGetString(GL_RENDERER));
        const QString renderer = QString::fromLatin1(name ? name : "");
        context.doneCurrent();
        for (const char* processor : {"llvmpipe", "softpipe", "swrast", "swiftshader", "software"})
            if (renderer.contains(QLatin1String(processor), Qt::CaseInsensitive)) return true;
        return false;
    }();
    return kSoftware && !g_alwaysSmooth;
}

namespace {

void paintAll(QApplication& app) {
    const Theme& t = theme();
    QPalette p;
    p.setColor(QPalette::Window, t.paper);
    p.setColor(QPalette::Base, t.sheet);
    p.setColor(QPalette::AlternateBase, t.paper);
    p.setColor(QPalette::Button, t.paper);
    for (QPalette::ColorRole r : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::HighlightedText})
        p.setColor(r, t.ink);
    p.setColor(QPalette::PlaceholderText, t.inkSoft);
    p.setColor(QPalette::Highlight, t.lagoonPale);
    p.setColor(QPalette::ToolTipBase, t.sheet);
    p.setColor(QPalette::ToolTipText, t.ink);
    app.setPalette(p);
    app.setStyleSheet(sheet());
}

}  // namespace

void dress(QApplication& app) {
    for (const char* f : {"Lato-Regular", "Lato-Bold", "Lato-Italic", "JetBrainsMono-Regular", "JetBrainsMono-Medium"})
        QFontDatabase::addApplicationFont(QStringLiteral(":/fonts/%1.ttf").arg(QLatin1String(f)));
    app.setStyle(QStringLiteral("Fusion"));
    app.setFont(textFont());
    paintAll(app);
}

void setLight(QApplication& app, Light light) {
    if (light == g_light) return;
    g_light = light;
    paintAll(app);
    for (QWidget* w : QApplication::allWidgets()) w->update();
}

QColor axisColour(int axis) {
    const QColor colours[] = {QColor(0xC2, 0x3B, 0x3B), QColor(0x4F, 0x8A, 0x3C), QColor(0x3B, 0x66, 0xB0)};
    return axis < 0 ? theme().ink : colours[axis];
}

}  // namespace nutatio::look
