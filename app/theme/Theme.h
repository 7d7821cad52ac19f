#pragma once
/// Colours, fonts and icons: drafting paper by day, the same family by night.
#include <QColor>
#include <QFont>
#include <QIcon>
#include <QString>

namespace um::app {

struct Theme {
    QColor paper, panel, ink, softInk, rule;
    QColor viewportTop, viewportBottom, clay;
    QColor accent, accentTint;
    QColor amber, brick;      ///< slightly and far outside, or: look at this, and: wrong
    QColor slightBlue, blue;  ///< slightly and far inside
    QColor field;             ///< where one types
    QColor onAccent;          ///< text on the accent
    bool isNight = false;

    static Theme paperTheme();
    static Theme nightTheme();

    /// The style sheet for the whole program.
    QString styleSheet() const;
};

/// The theme in use; changed by applyTheme.
const Theme& theme();

/// Sets fonts, palette and style sheet of the program. Widgets that paint themselves are repainted.
void applyTheme(const Theme& theme);

/// The program's font, `points` larger or smaller than usual, with figures of equal width.
QFont textFont(int points = 0, QFont::Weight weight = QFont::Normal);
/// Of the small headings.
QFont headingFont();

/// One of the program's own icons, in a colour of the theme.
QIcon icon(const QString& name, const QColor& color);

}  // namespace um::app
