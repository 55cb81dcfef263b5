// The look in one place: colour tokens, fonts, icons. Another theme is another table.
#pragma once

#include <QColor>
#include <QFont>
#include <QIcon>
#include <QString>

class QApplication;

namespace nutatio::look {

struct Theme {
    QColor paper, sheet, rule, ink, inkSoft, persimmon, lagoon, plum, ochre, brick, stageTop, stageFloor;
    QColor lagoonPale;     // ground of what is selected
    QColor persimmonPale;  // ground of what is on
    QColor ochreText;      // ochre that is read on sheet
    QColor bone;           // of stick figures
    QColor shade;          // shadows
};

enum class Light { Day, Night };
/// The table in use.
const Theme& theme();
Light light();
/// Changes the table and dresses the application anew; views redraw by themselves.
void setLight(QApplication& app, Light light);

/// OpenGL 3.3 core for every stage; before the application is made.
void setSurfaceFormat();
/// Whether the processor draws in place of a graphics card (virtual machines, remote desktops): then edges are not smoothed, so
/// that motion plays. Wants the application.
bool drawsCheaply();
/// Edges are smoothed whoever draws: for pictures that are kept.
void smoothAlways(bool on = true);
/// Loads the shipped fonts and dresses the application.
void dress(QApplication& app);

QFont textFont(double points = 10, int weight = QFont::Normal);
/// JetBrains Mono, for figures.
QFont figureFont(double points = 9.5);
/// A Lucide line icon of that name, tinted ink, lagoon when checked; it follows the theme.
/// `lit` false: in ink even where a view calls it on, as a tree does with what is unfolded.
QIcon icon(const QString& name, bool lit = true);
/// A layer kind's own glyph, drawn in the icons' stroke.
QIcon glyph(std::string_view path);
QIcon glyph(std::string_view path, const QColor& colour);
/// A set piece's form: "floor", "ramp" ...
QIcon pieceIcon(std::string_view form);
/// `c` faded to share `alpha` of opacity.
QColor faded(QColor c, double alpha);

/// Of x, y and z; ink for none (-1).
QColor axisColour(int axis);

}  // namespace nutatio::look
