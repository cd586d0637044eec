// Colours by role, the shipped font, measures. Light is the workshop by day; night has the same roles.
#pragma once

#include <QColor>
#include <QFont>
#include <QString>

class QApplication;
class QPainter;

namespace cask::app {

enum class ThemeKind { Light, Night };

/// Fixed across all pictures; see docs/manual/colours.md.
struct Theme {
    QColor ground;   ///< behind everything
    QColor paper;    ///< pictures and fields
    QColor line;     ///< hairlines, ticks
    QColor ink;      ///< text
    QColor faint;    ///< less important text, 4.5:1 on ground
    QColor ember;    ///< what wants attention
    QColor teal;     ///< the drum's own sound
    QColor tealSoft; ///< its filled area
    QColor ochre;    ///< spill, and what was before
    QColor slate;    ///< the rest
    QColor chosen;   ///< ground of what is selected
};

[[nodiscard]] const Theme& theme();
[[nodiscard]] ThemeKind themeKind();
/// Loads the font, sets palette and style sheet.
void applyTheme(QApplication& app, ThemeKind kind);

/// Sizes 11 to 20 px.
[[nodiscard]] QFont textFont(int pixels = 13, QFont::Weight weight = QFont::Normal);
inline constexpr int kGrid = 4;

/// A typographic minus before figures, for people; "-" stays in files, and in words.
[[nodiscard]] QString pretty(const std::string& value);
/// "350 Hz", "2.5 kHz".
[[nodiscard]] QString hzText(double hz);
/// "-4.0" with one decimal and a typographic minus; "silent" words are the caller's.
[[nodiscard]] QString dbText(double db, int decimals = 1);
/// Of a change: "+1.2", "-0.4"; of none without a sign.
[[nodiscard]] QString signedDb(double db);

} // namespace cask::app
