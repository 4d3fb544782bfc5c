#pragma once

#include "core/picture/stretch.h"

#include <QColor>
#include <QIcon>
#include <QImage>
#include <QString>

class QApplication;

namespace caelumen {

enum class ThemeKind { Grey, Light, Red };

/// Colours of one theme. Grey is the room to judge colour in; light is for daylight; red is for use beside the telescope: nothing in it is blue, green or
/// white.
struct Theme {
    ThemeKind kind = ThemeKind::Grey;
    QColor window, panel, raised, line, text, dim, accent, warn, bad, plot;
    PictureTint tint() const { return kind == ThemeKind::Red ? PictureTint::Red : PictureTint::Natural; }
    bool isRed() const { return kind == ThemeKind::Red; }
};

Theme makeTheme(ThemeKind kind);
QString themeName(ThemeKind kind);
ThemeKind themeFromName(const QString& name);

/// The theme in force. Set once at the start and whenever the person changes it; widgets repaint on the palette change that follows.
const Theme& theme();
void applyTheme(QApplication& app, ThemeKind kind);
/// The same without its style sheet, for a window that is about to be made and then sets its theme itself: a sheet that is there already is worked out again
/// for every widget that gets a parent, which takes longer than making them.
void chooseTheme(QApplication& app, ThemeKind kind);

/// Pixels of letters, or of what holds them, in the size that the desktop asks for.
int letters(int pixels);
void setLetterScale(double factor); ///< before the window is made; for tests

/// A picture in the theme's light: red alone beside the telescope.
QImage inThemeLight(QImage image);

/// One of our own icons, in the theme's text colour.
QIcon themedIcon(const QString& name);

} // namespace caelumen
