#include "app/theme/theme.h"

#include "app/theme/check_box_style.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPalette>
#include <QRegularExpression>

#include <cmath>

/// Resources of a static library are found only after this; it must stand outside any namespace.
static void initialiseResources() {
    Q_INIT_RESOURCE(resources);
}

namespace cask::app {
namespace {

ThemeKind g_kind = ThemeKind::Light;

const Theme kLight{
    .ground = QColor(0xf4efe6),
    .paper = QColor(0xfcf9f3),
    .line = QColor(0xd6cdbd),
    .ink = QColor(0x26221d),
    .faint = QColor(0x635a50),
    .ember = QColor(0xb8341b),
    .teal = QColor(0x0c6468),
    .tealSoft = QColor(0x9cc5c2),
    .ochre = QColor(0x8a5f08),
    .slate = QColor(0x56606b),
    .chosen = QColor(0xe4dccb),
};
const Theme kNight{
    .ground = QColor(0x1b1917),
    .paper = QColor(0x23201d),
    .line = QColor(0x443e37),
    .ink = QColor(0xede6da),
    .faint = QColor(0xaba091),
    .ember = QColor(0xff7a5c),
    .teal = QColor(0x5cc4c0),
    .tealSoft = QColor(0x24504f),
    .ochre = QColor(0xd9a441),
    .slate = QColor(0x9aa6b2),
    .chosen = QColor(0x38332d),
};

void loadFonts() {
    static const bool loaded = [] {
        initialiseResources();
        for (const char* file : {"400Regular", "500Medium", "600SemiBold"})
            QFontDatabase::addApplicationFont(
                QStringLiteral(":/fonts/HankenGrotesk_%1.ttf").arg(QLatin1String(file)));
        return true;
    }();
    (void)loaded;
}

QString styleSheet(const Theme& t) {
    return QStringLiteral(R"(
        QToolTip { background: %2; color: %4; border: 1px solid %3; padding: 4px; }
        QPushButton { background: %2; color: %4; border: 1px solid %3; border-radius: 3px; padding: 4px 12px; }
        QPushButton:hover { border-color: %5; }
        QPushButton:checked { background: %6; border-color: %5; }
        QPushButton:focus, QLineEdit:focus, QCheckBox:focus, QListWidget:focus { border: 1px solid %5; }
        QPushButton:disabled { color: %7; }
        QLineEdit { background: %2; color: %4; border: 1px solid %3; border-radius: 3px; padding: 4px 8px; }
        QComboBox QAbstractItemView { background: %2; color: %4; selection-background-color: %6; selection-color: %4; }
        QMenuBar { background: %1; color: %4; } QMenuBar::item:selected { background: %6; }
        QToolButton[popupMode="2"] { border: none; background: transparent; color: %4; padding: 0 16px 0 2px; }
        QToolButton[popupMode="2"]:hover, QToolButton[popupMode="2"]:focus { color: %5; }
        QToolButton::menu-indicator { subcontrol-origin: border; subcontrol-position: right center; width: 9px; }
        QMenu { background: %2; color: %4; border: 1px solid %3; } QMenu::item:selected { background: %6; }
        QCheckBox { color: %4; spacing: 8px; border: 1px solid transparent; padding: 2px; }
        QListWidget { background: %2; color: %4; border: 1px solid %3; }
        QScrollBar:vertical { background: %1; width: 10px; } QScrollBar::handle:vertical { background: %3; min-height: 24px; }
        QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
        QDialog { background: %1; }
        QTableWidget { background: %2; color: %4; border: 1px solid %3; }
        QHeaderView::section { background: %1; color: %7; border: 0; border-bottom: 1px solid %3; padding: 4px 8px; }
        QProgressBar { background: %3; border: 0; border-radius: 2px; } QProgressBar::chunk { background: %5; }
    )")
        .arg(t.ground.name(), t.paper.name(), t.line.name(), t.ink.name(), t.teal.name(), t.chosen.name(),
             t.faint.name());
}

} // namespace

const Theme& theme() {
    return g_kind == ThemeKind::Light ? kLight : kNight;
}
ThemeKind themeKind() {
    return g_kind;
}

void applyTheme(QApplication& app, ThemeKind kind) {
    g_kind = kind;
    loadFonts();
    const Theme& t = theme();
    QApplication::setStyle(new CheckBoxStyle); // the application owns it
    QApplication::setFont(textFont());
    QPalette palette;
    palette.setColor(QPalette::Window, t.ground);
    palette.setColor(QPalette::Base, t.paper);
    palette.setColor(QPalette::AlternateBase, t.ground);
    palette.setColor(QPalette::Button, t.paper);
    for (const auto role :
         {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
        palette.setColor(role, t.ink);
    palette.setColor(QPalette::PlaceholderText, t.faint);
    palette.setColor(QPalette::Highlight, t.chosen);
    palette.setColor(QPalette::HighlightedText, t.ink);
    palette.setColor(QPalette::ToolTipBase, t.paper);
    palette.setColor(QPalette::Link, t.teal);
    QApplication::setPalette(palette);
    app.setStyleSheet(styleSheet(t));
}

QFont textFont(int pixels, QFont::Weight weight) {
    QFont font(QStringLiteral("Hanken Grotesk"));
    font.setPixelSize(pixels);
    font.setWeight(weight);
    return font;
}

QString pretty(const std::string& value) {
    static const QRegularExpression minus(QStringLiteral("(?<![0-9A-Za-z])-(?=[0-9])"));
    return QString::fromStdString(value).replace(minus, QString(QChar(0x2212)));
}

QString hzText(double hz) {
    return hz >= 999.5 ? QStringLiteral("%1 kHz").arg(hz / 1000, 0, 'g', 3)
                       : QStringLiteral("%1 Hz").arg(std::lround(hz));
}

QString dbText(double db, int decimals) {
    QString text = QString::number(db, 'f', decimals);
    if (text == QStringLiteral("-0.0") || text == QStringLiteral("-0"))
        text.remove(0, 1);
    return text.replace(QLatin1Char('-'), QChar(0x2212));
}

QString signedDb(double db) {
    return (db >= 0.05 ? QStringLiteral("+") : QString()) + dbText(db);
}

} // namespace cask::app
