#include "app/theme/theme.h"

#include <QApplication>
#include <QCheckBox>
#include <QFontInfo>
#include <QPainter>
#include <gtest/gtest.h>

#include <cmath>

namespace cask::app {
namespace {

/// Relative luminance and contrast after WCAG 2.1.
double luminance(const QColor& c) {
    const auto part = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    return 0.2126 * part(c.redF()) + 0.7152 * part(c.greenF()) + 0.0722 * part(c.blueF());
}
double contrast(const QColor& a, const QColor& b) {
    const double x = luminance(a);
    const double y = luminance(b);
    return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

class ThemeTest : public testing::TestWithParam<ThemeKind> {
  protected:
    ThemeTest() { applyTheme(*qApp, GetParam()); }
    ~ThemeTest() override { applyTheme(*qApp, ThemeKind::Light); }
};

TEST_P(ThemeTest, TextHasAContrastOf4_5OnEveryGround) {
    const Theme& t = theme();
    for (const auto& ground : {t.ground, t.paper, t.chosen}) {
        EXPECT_GE(contrast(t.ink, ground), 7);
        EXPECT_GE(contrast(t.faint, ground), 4.5) << ground.name().toStdString();
    }
    for (const auto& ground : {t.ground, t.paper})
        for (const auto& tone : {t.ember, t.teal, t.ochre, t.slate})
            EXPECT_GE(contrast(tone, ground), 4.5) << tone.name().toStdString();
}

TEST_P(ThemeTest, ACheckBoxIsSeenOnItsGround) {
    QCheckBox box(QStringLiteral("remove DC"));
    box.resize(160, 28);
    const auto frame = [&] { // the strongest contrast of the box against the window
        QImage image(box.size(), QImage::Format_RGB32);
        image.fill(theme().ground);
        box.render(&image);
        double strongest = 0;
        for (int x = 2; x < 20; ++x)
            strongest = std::max(strongest, contrast(image.pixelColor(x, 14), theme().ground));
        return strongest;
    };
    EXPECT_GE(frame(), 3) << "WCAG 1.4.11 asks for 3 to 1 on controls";
    QImage off(box.size(), QImage::Format_RGB32);
    off.fill(theme().ground);
    box.render(&off);
    box.setChecked(true);
    QImage on(box.size(), QImage::Format_RGB32);
    on.fill(theme().ground);
    box.render(&on);
    EXPECT_NE(on, off);
}

INSTANTIATE_TEST_SUITE_P(Kinds, ThemeTest, testing::Values(ThemeKind::Light, ThemeKind::Night),
                         [](const auto& tested) {
                             return std::string(tested.param == ThemeKind::Light ? "light" : "night");
                         });

TEST(Theme, TheShippedFontIsTheOneThatIsDrawn) {
    EXPECT_EQ(QFontInfo(textFont(13)).family(), QStringLiteral("Hanken Grotesk"));
    EXPECT_EQ(QFontInfo(textFont(17)).pixelSize(), 17);
}

TEST(Theme, NumbersAreWordsForPeople) {
    EXPECT_EQ(dbText(-4), QStringLiteral("\u22124.0"));
    EXPECT_EQ(dbText(-0.04), QStringLiteral("0.0")) << "there is no minus nought";
    EXPECT_EQ(dbText(6, 0), QStringLiteral("6"));
    EXPECT_EQ(hzText(58.4), QStringLiteral("58 Hz"));
    EXPECT_EQ(hzText(999.6), QStringLiteral("1 kHz"));
    EXPECT_EQ(hzText(7350), QStringLiteral("7.35 kHz"));
    EXPECT_EQ(pretty("-12.5 dB"), QStringLiteral("\u221212.5 dB"));
}

} // namespace
} // namespace cask::app
