// The Tone bench on a kit whose hits are known: prices, decays, the whole kit, thresholds against hits.
#include "app/bench/tone/decay_picture.h"
#include "app/bench/tone/kit_tone_picture.h"
#include "core/session/edits.h"
#include "tests/app/window_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QRegularExpression>

namespace cask::app {
namespace {

using dsp::FilterKind;

class ToneOfHits : public WindowTest {
  protected:
    void SetUp() override {
        dropKickAndSnare(0.25);
        m_window->document().setStage(Stage::Tone);
        ASSERT_TRUE(
            waitFor([&] { return !m_window->tones().isBusy() && m_window->tones().decay() != nullptr; }));
    }
    ToneBench& tone() { return m_window->bench().tone(); }
};

TEST_F(ToneOfHits, AMoveTellsWhatItCosts) {
    auto& picture = tone().picture();
    EXPECT_TRUE(tone().eq().price().isEmpty());
    const QImage before = pictureOf(picture);
    tone().eq().addBand(FilterKind::Bell, 60, 6); // where the kick lies
    const QString price = tone().eq().price();
    EXPECT_TRUE(price.contains(QStringLiteral("own hits"))) << price.toStdString();
    EXPECT_TRUE(price.contains(QStringLiteral("spill +"))) << price.toStdString();
    EXPECT_TRUE(price.contains(QStringLiteral("Kick"))) << price.toStdString();
    EXPECT_NE(pictureOf(picture), before);
}

TEST_F(ToneOfHits, ThePriceIsThatOfEitherSound) {
    const auto changes = [&] {
        const QRegularExpression two(QStringLiteral("own hits ([^ ]+) dB, spill ([^ ]+) dB"));
        auto price = tone().eq().price();
        const auto match = two.match(price.replace(QChar(0x2212), QLatin1Char('-')));
        EXPECT_TRUE(match.hasMatch()) << price.toStdString();
        return std::pair(match.captured(1).toDouble(), match.captured(2).toDouble());
    };
    tone().eq().addBand(FilterKind::Bell, 60, 6); // the kick is all there, the snare elsewhere
    EXPECT_LT(std::abs(changes().first), 0.5);
    EXPECT_NEAR(changes().second, 6, 1.5);
    // A band that moves is priced at the end of its range.
    tone().eq().removeChosen();
    dsp::EqBand moving;
    moving.frequencyHz = 60;
    moving.dynamics = dsp::Dynamics::Above;
    moving.rangeDb = -12;
    tone().eq().addBand(moving);
    EXPECT_LT(std::abs(changes().first), 0.5);
    EXPECT_LT(changes().second, -6);
    EXPECT_TRUE(tone().eq().price().contains(QStringLiteral("at its most")));
}

TEST_F(ToneOfHits, WhatIsHuntedStaysAsLoudAsTheHitsWere) {
    auto& picture = tone().picture();
    picture.setFocus();
    QTest::keyPress(&picture, Qt::Key_G);
    const auto levelAt = [&](double hz) {
        const QPointF at(picture.xOf(hz), picture.height() / 2.0);
        QMouseEvent move(QEvent::MouseMove, at, picture.mapToGlobal(at), Qt::NoButton, Qt::NoButton, {});
        QCoreApplication::sendEvent(&picture, &move);
        return m_window->playback().heardBand()->levelDb;
    };
    EXPECT_NEAR(levelAt(900), -12, 1.5) << "all of the snare lies there, and is lifted by 12 dB";
    EXPECT_NEAR(levelAt(6000), 0, 1) << "nothing of it lies here";
    QTest::keyRelease(&picture, Qt::Key_G);
}

TEST_F(ToneOfHits, WhatIsMeasuredOfAnotherSoundIsNotShown) {
    const Id snare = element("Snare Top");
    ASSERT_NE(m_window->tones().tone(snare), nullptr);
    const auto channels = session().element(element("Kick In"))->channels; // another file
    m_window->document().edit(session::withElement(session(), snare, [&](auto& e) { e.channels = channels; }),
                              QStringLiteral("Other sound"));
    EXPECT_EQ(m_window->tones().tone(snare), nullptr) << "at once, not when it was measured again";
    m_window->document().undo();
}

TEST_F(ToneOfHits, TheDecayPictureReadsTimes) {
    tone().showView(ToneBench::View::Decay);
    auto& decay = tone().decayPicture();
    const QString words = decay.wordsAt({decay.xOf(900), decay.plot().center().y()});
    EXPECT_TRUE(words.contains(QStringLiteral("900 Hz"))) << words.toStdString();
    EXPECT_TRUE(words.contains(QStringLiteral("falls by 60 dB"))) << words.toStdString();
    EXPECT_TRUE(decay.wordsAt({1, 1}).isEmpty());
    // Where the hit lies it is darker than where nothing does.
    const QImage picture = pictureOf(decay);
    const auto lightnessAt = [&](double hz) {
        return picture.pixelColor(static_cast<int>(decay.xOf(hz)), static_cast<int>(decay.plot().top()) + 4)
            .lightness();
    };
    EXPECT_NE(lightnessAt(900), lightnessAt(9000));
}

TEST_F(ToneOfHits, TheKitPictureSaysWhoOwnsABandAndChooses) {
    auto& views = tone().views();
    QTest::mouseClick(&views, Qt::LeftButton, {}, views.wordRect(4).center());
    auto& kit = tone().kitPicture();
    ASSERT_TRUE(kit.isVisibleTo(&tone()));
    ASSERT_EQ(m_window->tones().mix()->elements.size(), 2U);
    const int low = static_cast<int>(std::lround(measure::erbPlace(60)));
    const QString words = kit.wordsAt(kit.cellCentre(0, low));
    EXPECT_TRUE(words.startsWith(QStringLiteral("Kick In has 9"))) << words.toStdString();
    QTest::mouseClick(&kit, Qt::LeftButton, {}, kit.cellCentre(0, low).toPoint());
    EXPECT_EQ(m_window->document().selected(), element("Kick In"));
    const QImage uncut = pictureOf(kit);
    // A cut of the kick is seen in the kit.
    const float before = m_window->tones().mix()->picture.mixDb[static_cast<std::size_t>(low)];
    tone().eq().addBand(FilterKind::LowShelf, 200, -12);
    EXPECT_TRUE(waitFor(
        [&] { return m_window->tones().mix()->picture.mixDb[static_cast<std::size_t>(low)] < before - 6; }));
    EXPECT_NEAR(m_window->tones().untouchedMix()->picture.mixDb[static_cast<std::size_t>(low)], before, 0.1);
    EXPECT_NE(pictureOf(kit), uncut);
}

TEST_F(WindowTest, TheKitPictureTellsWhereTwoMaskEachOther) {
    // A bass and a kick that sound together, a snare apart from both.
    test::writeWav(m_folder / "Kick In.wav", test::bursts(80, 0.5, 0.1, 0.2, 6));
    test::writeWav(m_folder / "Bass.wav", test::bursts(80, 0.5, 0.1, 0.22, 6));
    test::writeWav(m_folder / "Snare Top.wav", test::bursts(2000, 0.5, 0.35, 0.04, 6));
    drop({text(m_folder / "Kick In.wav"), text(m_folder / "Bass.wav"), text(m_folder / "Snare Top.wav")});
    ASSERT_TRUE(waitMeasured());
    m_window->document().setStage(Stage::Tone);
    auto& tone = m_window->bench().tone();
    tone.showView(ToneBench::View::Kit);
    auto& tones = m_window->tones();
    ASSERT_TRUE(waitFor([&] { return !tones.isBusy() && tones.mix() != nullptr; }));
    ASSERT_EQ(tones.mix()->conflicts.size(), 1U);
    const auto& conflict = tones.mix()->conflicts[0].conflict;
    const int low = static_cast<int>(std::lround(measure::erbPlace(80)));
    EXPECT_LE(conflict.fromBand, low);
    EXPECT_GE(conflict.toBand, low);
    auto& kit = tone.kitPicture();
    for (std::size_t row = 0; row < 3; ++row)
        for (int band = 0; band < measure::kErbBands; ++band) {
            const bool isTold = kit.wordsAt(kit.cellCentre(static_cast<int>(row), band))
                                    .contains(QStringLiteral("compete here"));
            EXPECT_EQ(isTold, (row == conflict.first || row == conflict.second) &&
                                  band >= conflict.fromBand && band <= conflict.toBand)
                << row << " " << band;
        }
}

TEST_F(ToneOfHits, AThresholdIsReadAgainstTheHits) {
    tone().eq().addBand(FilterKind::Bell, 900, 0);
    auto& dynamics = tone().dynamics();
    QTest::mouseClick(&dynamics, Qt::LeftButton, {}, dynamics.wordRect(1).center());
    const QString text = tone().movesText();
    EXPECT_TRUE(text.contains(QStringLiteral("own hits"))) << text.toStdString();
    EXPECT_TRUE(text.contains(QStringLiteral("moves on"))) << text.toStdString();
    // The bursts are near full scale.
    m_window->document().edit(session::withBand(session(), element("Snare Top"), tone().eq().chosenBand(),
                                                [](dsp::EqBand& b) { b.thresholdDb = -50; }),
                              QStringLiteral("Threshold"));
    EXPECT_TRUE(tone().movesText().contains(QStringLiteral("dB under own hits")))
        << tone().movesText().toStdString();
    m_window->document().edit(session::withBand(session(), element("Snare Top"), tone().eq().chosenBand(),
                                                [](dsp::EqBand& b) { b.thresholdDb = 6; }),
                              QStringLiteral("Threshold"));
    EXPECT_TRUE(tone().movesText().contains(QStringLiteral("dB over own hits")))
        << tone().movesText().toStdString();
    // Keyed by the kick there are no own hits to count.
    auto* keyed = tone().findChild<QCheckBox*>();
    ASSERT_NE(keyed, nullptr);
    for (auto* box : tone().findChildren<QCheckBox*>())
        if (box->text().startsWith(QStringLiteral("listens")))
            box->click();
    EXPECT_TRUE(tone().eq().band()->isKeyed);
    auto& keys = tone().keys();
    const int kick = keys.findText(QStringLiteral("Kick In"));
    ASSERT_GT(kick, 0);
    keys.setCurrentIndex(kick);
    emit keys.activated(kick);
    EXPECT_EQ(tone().eq().module()->key, element("Kick In"));
    EXPECT_TRUE(tone().movesText().isEmpty());
}

} // namespace
} // namespace cask::app
