#include "app/theme/Theme.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QSvgRenderer>
#include <QWidget>

// The icons lie in a static library, whose resources nobody registers by himself. Must be called outside any namespace.
static void registerIcons() {
    Q_INIT_RESOURCE(icons);
    Q_INIT_RESOURCE(recipes);
}

namespace um::app {
namespace {

constexpr int usualPoints = 10;

Theme& current() {
    static Theme inUse = Theme::paperTheme();
    return inUse;
}

QString familyName() {
    for (const char* wanted : {"Inter", "Inter Variable"})
        if (QFontDatabase::families().contains(QLatin1String(wanted))) return QLatin1String(wanted);
    return QFontDatabase::systemFont(QFontDatabase::GeneralFont).family();
}

}  // namespace

Theme Theme::paperTheme() {
    Theme t;
    t.paper = "#EFEDE7";
    t.panel = "#F8F6F1";
    t.ink = "#1F2D36";
    t.softInk = "#5F6E75";
    t.rule = "#D5D0C5";
    t.viewportTop = "#E4E7E5";
    t.viewportBottom = "#C9D0CF";
    t.clay = "#CFC7B6";
    t.accent = "#0E6B6B";
    t.accentTint = "#DCE8E5";
    t.amber = "#C9800F";
    t.brick = "#B4402F";
    t.slightBlue = "#7FA8CB";
    t.blue = "#2C5F8A";
    t.field = "#FFFFFF";
    t.onAccent = "#FFFFFF";
    return t;
}

Theme Theme::nightTheme() {
    Theme t;
    t.paper = "#1B2226";
    t.panel = "#20282D";
    t.ink = "#E4E2DB";
    t.softInk = "#97A3A7";
    t.rule = "#3A454B";
    t.viewportTop = "#343E43";
    t.viewportBottom = "#232B30";
    t.clay = "#B5AE9F";
    t.accent = "#3FA6A0";
    t.accentTint = "#24403F";
    t.amber = "#E0A03C";
    t.brick = "#E8836F";
    t.slightBlue = "#4A7196";
    t.blue = "#79B1E2";
    t.field = "#171D21";
    t.onAccent = "#10181A";
    t.isNight = true;
    return t;
}

QString Theme::styleSheet() const {
    QString sheet = R"(
        QWidget { color: @ink; }
        QMainWindow, #desk { background: @paper; }
        #panel, #strip { background: @panel; }
        QMenuBar { background: transparent; }
        QMenuBar::item { padding: 5px 9px; border-radius: 5px; background: transparent; }
        QMenuBar::item:selected { background: @accentTint; }
        QMenu { background: @panel; border: 1px solid @rule; padding: 4px; }
        QMenu::item { padding: 5px 26px 5px 14px; border-radius: 4px; }
        QMenu::item:selected { background: @accentTint; color: @ink; }
        QMenu::item:disabled { color: @softInk; }
        QMenu::separator { height: 1px; background: @rule; margin: 4px 6px; }
        QToolTip { background: @panel; color: @ink; border: 1px solid @rule; padding: 3px; }
        QLineEdit { background: @field; border: 1px solid @rule; border-radius: 5px; padding: 3px 7px;
                    selection-background-color: @accent; selection-color: @onAccent; }
        QLineEdit:focus { border-color: @accent; }
        QLineEdit:disabled { color: @softInk; background: @panel; }
        QLineEdit[wrong="true"] { border-color: @brick; }
        QPushButton { outline: none; background: @field; border: 1px solid @rule; border-radius: 6px; padding: 5px 12px; }
        QPushButton:hover { border-color: @softInk; }
        QPushButton:focus { border-color: @accent; }
        QPushButton:disabled { color: @softInk; background: @panel; }
        QPushButton#primary { background: @accent; color: @onAccent; border-color: @accent; font-weight: 600; }
        QPushButton#primary:disabled { background: @rule; border-color: @rule; color: @softInk; }
        QPushButton#quiet { background: transparent; border-color: transparent; padding: 5px 6px; }
        QPushButton#quiet:hover { border-color: @rule; }
        QPushButton#chip { background: @panel; border: 1px solid @rule; border-radius: 11px; padding: 3px 11px; }
        QPushButton#chip:checked { background: @accent; border-color: @accent; color: @onAccent; }
        QPushButton#chip:focus, QPushButton#small:focus, QPushButton#primary:focus { border-color: @ink; }
        QPushButton#chip:disabled { color: @softInk; background: @panel; }
        QPushButton#findings { background: transparent; border: none; color: @amber; padding: 3px 6px; }
        QPushButton#findings[sound="true"] { color: @softInk; }
        QPushButton#findings:focus { text-decoration: underline; }
        QWidget#linesBack, QLabel#tag { background: @linesBack; border-radius: 6px; }
        QLabel#tag { padding: 1px 6px; }
        QPushButton#small { background: @panel; border: 1px solid @rule; border-radius: 8px; padding: 1px 8px; }
        QPushButton#small:checked { background: @accentTint; border-color: @accent; }
        QProgressBar { background: @rule; border: none; border-radius: 2px; max-height: 4px; min-height: 4px; }
        QProgressBar::chunk { background: @accent; border-radius: 2px; }
        QSlider { min-height: 20px; }
        QSlider::groove:horizontal { height: 3px; background: @rule; border-radius: 1px; }
        QSlider::sub-page:horizontal { background: @accent; border-radius: 1px; }
        QSlider::handle:horizontal { background: @field; border: 2px solid @accent; width: 12px; height: 12px;
                                     margin: -7px 0; border-radius: 8px; }
        QSlider::handle:horizontal:disabled { border-color: @rule; }
        QSlider::handle:horizontal:focus { background: @accent; }
        QSlider::sub-page:horizontal:disabled { background: @rule; }
        QScrollArea, QScrollArea > QWidget > QWidget, um--app--PartsList { background: transparent; border: none; }
        QScrollBar:vertical { width: 7px; background: transparent; }
        QScrollBar::handle:vertical { background: @rule; border-radius: 3px; min-height: 24px; }
        QScrollBar::add-line, QScrollBar::sub-line { height: 0; }
        QComboBox { background: @field; border: 1px solid @rule; border-radius: 5px; padding: 2px 8px; }
        QComboBox::drop-down { border: none; width: 20px; }
        QComboBox::down-arrow { image: url(:/icons/down.svg); width: 12px; height: 12px; }
        QComboBox QAbstractItemView { background: @panel; border: 1px solid @rule; selection-background-color: @accentTint;
                                      selection-color: @ink; }
        QTreeView { background: transparent; selection-background-color: @accentTint; selection-color: @ink; }
        #card { background: @panel; border: 1px solid @rule; border-radius: 8px; }
        #rule { background: @rule; }
        QLabel#soft { color: @softInk; }
        QLabel#good { color: @accent; font-weight: 600; }
        QLabel#bad { color: @brick; }
        QLabel#warn { color: @amber; }
    )";
    const std::pair<const char*, QColor> names[] = {
        {"@accentTint", accentTint}, {"@accent", accent}, {"@onAccent", onAccent},
        {"@paper", paper},           {"@panel", panel},   {"@softInk", softInk},
        {"@amber", amber},           {"@ink", ink},       {"@rule", rule},
        {"@field", field},           {"@brick", brick}};
    // A veil between the picture and what is written over it.
    sheet.replace("@linesBack", QString("rgba(%1, %2, %3, 205)").arg(panel.red()).arg(panel.green()).arg(panel.blue()));
    for (const auto& [name, color] : names) sheet.replace(QLatin1String(name), color.name());
    return sheet;
}

const Theme& theme() {
    return current();
}

void applyTheme(const Theme& wanted) {
    registerIcons();
    current() = wanted;
    QApplication::setFont(textFont());
    QPalette palette;
    palette.setColor(QPalette::Window, wanted.paper);
    palette.setColor(QPalette::Base, wanted.field);
    palette.setColor(QPalette::WindowText, wanted.ink);
    palette.setColor(QPalette::Text, wanted.ink);
    palette.setColor(QPalette::ButtonText, wanted.ink);
    palette.setColor(QPalette::Button, wanted.panel);
    palette.setColor(QPalette::Highlight, wanted.accent);
    palette.setColor(QPalette::HighlightedText, wanted.onAccent);
    palette.setColor(QPalette::PlaceholderText, wanted.softInk);
    palette.setColor(QPalette::Link, wanted.accent);
    QApplication::setPalette(palette);
    qApp->setStyleSheet(wanted.styleSheet());
    for (QWidget* widget : QApplication::allWidgets()) widget->update();
}

QFont textFont(int points, QFont::Weight weight) {
    QFont font(familyName());
    font.setPointSizeF(usualPoints - 0.5 + points);
    font.setWeight(weight);
    font.setStyleStrategy(QFont::PreferAntialias);
    return font;
}

QFont headingFont() {
    QFont font = textFont(-2, QFont::DemiBold);
    font.setLetterSpacing(QFont::PercentageSpacing, 106);
    return font;
}

QIcon icon(const QString& name, const QColor& color) {
    QFile file(":/icons/" + name + ".svg");
    if (!file.open(QIODevice::ReadOnly)) return {};
    const QByteArray svg = file.readAll().replace("currentColor", color.name().toLatin1());
    QSvgRenderer renderer(svg);
    QIcon result;
    for (const int size : {16, 32, 64, 128}) {
        QPixmap picture(size, size);
        picture.fill(Qt::transparent);
        QPainter painter(&picture);
        renderer.render(&painter);
        result.addPixmap(picture);
    }
    return result;
}

}  // namespace um::app
