#include "app/widgets/theme.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QPixmap>
#include <QStyleFactory>
#include <QSvgRenderer>

#include <algorithm>
#include <cmath>

/// Q_INIT_RESOURCE must stand outside any namespace.
static void initResources() {
    Q_INIT_RESOURCE(caelumen);
}

namespace caelumen {
namespace {

Theme& current() {
    static Theme t = makeTheme(ThemeKind::Grey);
    return t;
}

QString styleSheet(const Theme& t) {
    return QString(R"(
QWidget { font-size: %9px; }
QMainWindow, QDialog { background: %1; }
QToolTip { background: %3; color: %5; border: 1px solid %4; padding: 3px; }
QMenuBar { background: %1; padding: 1px 4px; } QMenuBar::item { padding: 4px 9px; border-radius: 3px; } QMenuBar::item:selected { background: %3; }
QMenu { background: %2; border: 1px solid %4; padding: 4px; } QMenu::item { padding: 4px 24px 4px 22px; border-radius: 3px; } QMenu::item:selected { background: %7; color: %1; }
QMenu::item:disabled { color: %6; } QMenu::separator { height: 1px; background: %4; margin: 4px 8px; }
QToolButton { border: 1px solid transparent; border-radius: 4px; padding: 3px 4px; } QToolButton:hover { background: %3; } QToolButton:checked { background: %3; border-color: %7; }
QToolButton[popupMode="1"], QToolButton[popupMode="2"] { padding-right: 16px; }
QToolButton::menu-button { border: none; width: 14px; } QToolButton::menu-arrow, QToolButton::menu-indicator { image: url(:/icons/%8.svg); width: 10px; height: 10px; }
QToolButton::menu-indicator { subcontrol-position: right center; right: 3px; }
QPushButton { background: %3; border: 1px solid %4; border-radius: 4px; padding: 5px 14px; } QPushButton:hover { border-color: %7; } QPushButton:disabled { color: %6; } QPushButton:default { border-color: %7; }
QComboBox, QLineEdit, QSpinBox, QDoubleSpinBox, QPlainTextEdit { background: %3; border: 1px solid %4; border-radius: 4px; padding: 3px 6px; selection-background-color: %7; selection-color: %1; }
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button { subcontrol-origin: border; width: 16px; border: none; background: transparent; }
QAbstractSpinBox::up-button { subcontrol-position: top right; margin-top: 1px; } QAbstractSpinBox::down-button { subcontrol-position: bottom right; margin-bottom: 1px; }
QAbstractSpinBox::up-button:hover, QAbstractSpinBox::down-button:hover { background: %4; }
QAbstractSpinBox::up-arrow { image: url(:/icons/%10.svg); width: 9px; height: 9px; } QAbstractSpinBox::down-arrow { image: url(:/icons/%8.svg); width: 9px; height: 9px; }
QAbstractSpinBox::up-arrow:off, QAbstractSpinBox::down-arrow:off, QAbstractSpinBox::up-arrow:disabled, QAbstractSpinBox::down-arrow:disabled { image: none; }
QComboBox:focus, QLineEdit:focus, QDoubleSpinBox:focus, QSpinBox:focus { border-color: %7; }
QComboBox::drop-down { border: none; width: 20px; } QComboBox::down-arrow { image: url(:/icons/%8.svg); width: 12px; height: 12px; } QComboBox QAbstractItemView { background: %2; border: 1px solid %4; selection-background-color: %7; selection-color: %1; }
QListView, QListWidget, QTableWidget { background: %2; border: 1px solid transparent; outline: none; } QListView:focus, QTableWidget:focus { border-color: %7; }
QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
QToolButton:focus, QPushButton:focus { border-color: %7; }
QListWidget::item:selected { background: %3; color: %5; }
QHeaderView::section { background: %2; border: none; border-bottom: 1px solid %4; padding: 3px 6px; }
QSplitter::handle { background: %1; } QSplitter::handle:hover { background: %4; }
QScrollBar:vertical { background: %2; width: 9px; } QScrollBar::handle:vertical { background: %4; border-radius: 4px; min-height: 24px; }
QScrollBar:horizontal { background: %2; height: 9px; } QScrollBar::handle:horizontal { background: %4; border-radius: 4px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QSlider::groove:horizontal { height: 3px; background: %4; border-radius: 1px; } QSlider::handle:horizontal { background: %5; width: 11px; margin: -5px 0; border-radius: 5px; }
QSlider::handle:horizontal:disabled { background: %4; }
QCheckBox::indicator { width: 13px; height: 13px; border: 1px solid %6; border-radius: 3px; background: %3; } QCheckBox::indicator:checked { background: %7; border-color: %7; }
QListView::indicator { width: 13px; height: 13px; border: 1px solid %6; border-radius: 3px; background: %3; } QListView::indicator:checked { background: %7; border-color: %7; }
QRadioButton::indicator { width: 11px; height: 11px; border: 1px solid %6; border-radius: 6px; background: %3; } QRadioButton::indicator:checked { background: %7; border-color: %7; }
QTextBrowser { background: %2; }
QPushButton:checked { border-color: %7; }
QProgressBar { background: %3; border: none; border-radius: 3px; height: 6px; } QProgressBar::chunk { background: %7; border-radius: 3px; }
QStatusBar { background: %1; } QStatusBar::item { border: none; }
QLabel#dim { color: %6; }
QLabel#heading { font-weight: 600; }
QFrame#panel { background: %2; border: 1px solid %4; border-radius: 5px; }
)")
        .arg(t.window.name(), t.panel.name(), t.raised.name(), t.line.name(), t.text.name(), t.dim.name(), t.accent.name(), t.isRed() ? "down-red" : "down")
        .arg(letters(12))
        .arg(t.isRed() ? "up-red" : "up");
}

} // namespace

Theme makeTheme(ThemeKind kind) {
    Theme t;
    t.kind = kind;
    switch (kind) {
    case ThemeKind::Grey:
        t.window = "#2b2b2c", t.panel = "#242425", t.raised = "#39393b", t.line = "#4a4a4c", t.text = "#dededf", t.dim = "#a8a8ab", t.accent = "#c9b98a",
        t.warn = "#d8a94a", t.bad = "#f2836e", t.plot = "#1f1f20";
        break;
    case ThemeKind::Light:
        t.window = "#ececea", t.panel = "#f8f8f6", t.raised = "#ffffff", t.line = "#c4c4c0", t.text = "#222222", t.dim = "#6a6a66", t.accent = "#7a6420",
        t.warn = "#835804", t.bad = "#a8321f", t.plot = "#ffffff";
        break;
    case ThemeKind::Red:
        t.window = "#0e0101", t.panel = "#090000", t.raised = "#1b0403", t.line = "#4a100b", t.text = "#f4533c", t.dim = "#de4634", t.accent = "#ff6248",
        t.warn = "#f4563e", t.bad = "#ff6a4e", t.plot = "#060000";
        break;
    }
    return t;
}

QString themeName(ThemeKind kind) {
    return kind == ThemeKind::Light ? "light" : kind == ThemeKind::Red ? "red" : "grey";
}
ThemeKind themeFromName(const QString& name) {
    return name == "light" ? ThemeKind::Light : name == "red" ? ThemeKind::Red : ThemeKind::Grey;
}

namespace {

double& scale() {
    // Desktops have letters of 9 to 11 points; who has chosen larger ones wants them here too.
    static double s = std::clamp(QFontDatabase::systemFont(QFontDatabase::GeneralFont).pointSizeF() / 11, 1.0, 2.5);
    return s;
}

} // namespace

int letters(int pixels) {
    return static_cast<int>(std::lround(pixels * scale()));
}

void setLetterScale(double factor) {
    scale() = factor;
}

const Theme& theme() {
    return current();
}

void chooseTheme(QApplication& app, ThemeKind kind) {
    initResources();
    current() = makeTheme(kind);
    const Theme& t = current();
    static const bool fusion = [&app] {
        app.setStyle(QStyleFactory::create("Fusion"));
        QFont font("Inter");
        font.setPixelSize(letters(12));
        font.setStyleHint(QFont::SansSerif);
        app.setFont(font);
        return true;
    }();
    (void)fusion;
    QPalette p;
    for (const auto& [role, colour] :
         std::initializer_list<std::pair<QPalette::ColorRole, QColor>>{{QPalette::Window, t.window},       {QPalette::WindowText, t.text},
                                                                       {QPalette::Base, t.panel},          {QPalette::AlternateBase, t.raised},
                                                                       {QPalette::Text, t.text},           {QPalette::Button, t.raised},
                                                                       {QPalette::ButtonText, t.text},     {QPalette::BrightText, t.bad},
                                                                       {QPalette::Highlight, t.accent},    {QPalette::HighlightedText, t.window},
                                                                       {QPalette::ToolTipBase, t.raised},  {QPalette::ToolTipText, t.text},
                                                                       {QPalette::PlaceholderText, t.dim}, {QPalette::Light, t.line},
                                                                       {QPalette::Midlight, t.line},       {QPalette::Mid, t.line},
                                                                       {QPalette::Dark, t.panel},          {QPalette::Shadow, t.panel},
                                                                       {QPalette::Link, t.accent},         {QPalette::LinkVisited, t.accent}})
        p.setColor(role, colour);
    for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText}) p.setColor(QPalette::Disabled, role, t.dim);
    app.setStyleSheet({});
    app.setPalette(p);
}

void applyTheme(QApplication& app, ThemeKind kind) {
    chooseTheme(app, kind);
    app.setStyleSheet(styleSheet(theme()));
}

QImage inThemeLight(QImage image) {
    if (!theme().isRed()) return image;
    for (int y = 0; y < image.height(); ++y) {
        auto* line = reinterpret_cast<QRgb*>(image.scanLine(y));
        for (int x = 0; x < image.width(); ++x) line[x] = qRgb(qGray(line[x]), 0, 0);
    }
    return image;
}

QIcon themedIcon(const QString& name) {
    QFile file(":/icons/" + name + ".svg");
    if (!file.open(QIODevice::ReadOnly)) return {};
    QIcon icon;
    for (const auto& [mode, colour] : std::initializer_list<std::pair<QIcon::Mode, QColor>>{{QIcon::Normal, theme().text}, {QIcon::Disabled, theme().line}}) {
        file.seek(0);
        QSvgRenderer renderer(file.readAll().replace("currentColor", colour.name().toUtf8()));
        QPixmap pixmap(40, 40);
        pixmap.fill(Qt::transparent);
        QPainter painter(&pixmap);
        renderer.render(&painter);
        icon.addPixmap(pixmap, mode);
    }
    return icon;
}

} // namespace caelumen
