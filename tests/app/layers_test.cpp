// The Layers bench: a recorded element struck, layers chosen, moved, added and removed.
#include "app/bench/layers/layer_fields.h"
#include "app/bench/layers/layer_pictures.h"
#include "app/bench/layers/layers_bench.h"
#include "app/bench/layers/live_row.h"
#include "app/bench/module/module_boxes.h"
#include "app/models/live_model.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "core/layers/midi_pattern.h"
#include "core/layers/stack_file.h"
#include "core/session/edits.h"
#include "tests/app/layers_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QPushButton>

#include <cmath>

namespace cask::app {
namespace {

TEST_F(LayersWindow, ARecordedElementsHitsStrikeASound) {
    EXPECT_EQ(m_window->document().stage(), Stage::Layers);
    EXPECT_EQ(bench().model().stack(), nullptr);
    EXPECT_TRUE(bench().addButton().isEnabled());
    strike();
    EXPECT_EQ(session().elements.size(), 2U);
    EXPECT_EQ(session().nameOf(m_window->document().selected()), "Snare Top Click");
    ASSERT_EQ(stack().strikes.size(), 12U);
    for (std::size_t i = 0; i < stack().strikes.size(); ++i)
        EXPECT_NEAR(stack().strikes[i].timeS, 0.3 + 0.5 * static_cast<double>(i), 0.001);
    EXPECT_EQ(bench().summary(), "12 strikes, 1 layer");
    // It is measured and heard like a file.
    ASSERT_TRUE(waitMeasured());
    m_window->document().undo();
    EXPECT_EQ(session().elements.size(), 1U);
}

TEST_F(LayersWindow, LayersAreAddedMovedSetAndRemoved) {
    strike();
    bench().askForSounds = [this] { return QStringList{text(m_folder / "Sub.wav")}; };
    QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    ASSERT_EQ(stack().layers.size(), 2U);
    EXPECT_EQ(bench().model().chosen(), 1);
    EXPECT_EQ(bench().model().look()->judged.lowEndOwner, 1) << "the low tone owns the lows";
    auto& picture = bench().picture();
    const auto row = picture.rowRect(1);
    const QPoint at(static_cast<int>(picture.xOf(20)), static_cast<int>(row.center().y()));
    const QPoint to(static_cast<int>(picture.xOf(40)), at.y());
    QTest::mousePress(&picture, Qt::LeftButton, {}, at);
    QTest::mouseMove(&picture, to);
    QTest::mouseRelease(&picture, Qt::LeftButton, {}, to);
    ASSERT_TRUE(waitQuiet());
    EXPECT_NEAR(stored().layers[1].offsetMs, 20, 1.5);
    const double before = stack().layers[1].offsetMs;
    QTest::keyClick(&picture, Qt::Key_Left);
    QTest::keyClick(&picture, Qt::Key_Right, Qt::ShiftModifier);
    ASSERT_TRUE(waitQuiet());
    EXPECT_NEAR(stored().layers[1].offsetMs, before - 1 + 1000.0 / 48000, 0.001);
    QTest::mouseClick(&picture, Qt::LeftButton, {}, {20, static_cast<int>(picture.rowRect(0).center().y())});
    EXPECT_EQ(bench().model().chosen(), 0);
    EXPECT_EQ(stack().layers[0].offsetMs, 0) << "a click moves nothing";
    bench().fields().bar("gain_db").setFocus();
    QTest::keyClick(&bench().fields().bar("gain_db"), Qt::Key_Down);
    bench().fields().hits().setFocus();
    emit bench().fields().hits().choiceEdited(1);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers[0].gainDb, -0.5);
    EXPECT_EQ(stored().layers[0].rule.kind, layers::StrikeKind::Accents);
    QTest::mouseClick(&bench().removeButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    ASSERT_EQ(stored().layers.size(), 1U);
    EXPECT_EQ(stored().layers[0].name, "Sub");
    m_window->document().undo();
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers.size(), 2U);
    EXPECT_EQ(stack().layers.size(), 2U) << "the bench shows what is undone";
}

TEST_F(LayersWindow, SoundsOfALayerArePutByVelocity) {
    auto soft = test::bursts(180, 10, 0.0, 0.08, 0.4);
    test::writeWav(m_folder / "Hard.wav", soft);
    for (float& x : soft)
        x *= 0.25F;
    test::writeWav(m_folder / "Soft.wav", soft);
    bench().askForSounds = [this] {
        return QStringList{text(m_folder / "Hard.wav"), text(m_folder / "Soft.wav")};
    };
    strike();
    ASSERT_EQ(stack().layers[0].sounds.size(), 2U);
    auto& box = bench().fields().byVelocity();
    ASSERT_TRUE(box.isEnabled());
    EXPECT_FALSE(box.isChecked());
    box.click();
    ASSERT_TRUE(waitFor([&] { return bench().model().isByVelocity(); }));
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers[0].sounds[0].file.stem(), "Soft");
    EXPECT_NEAR(stored().layers[0].sounds[0].gainDb, 20 * std::log10(4), 0.05);
    EXPECT_TRUE(box.isChecked());
    box.click();
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers[0].sounds[0].gainDb, 0);
    EXPECT_FALSE(box.isChecked());
    m_window->document().undo();
    ASSERT_TRUE(waitQuiet());
    EXPECT_TRUE(box.isChecked()) << "one step of the history each";
}

TEST_F(LayersWindow, ALayerGetsAChainOfItsOwn) {
    strike();
    EXPECT_FALSE(bench().ownChainButton().isEnabled()) << "the only layer has it already";
    bench().askForSounds = [this] { return QStringList{text(m_folder / "Sub.wav")}; };
    QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    const Id struck = m_window->document().selected();
    ASSERT_TRUE(bench().ownChainButton().isEnabled());
    QTest::mouseClick(&bench().ownChainButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return session().elements.size() == 3; }));
    ASSERT_TRUE(waitQuiet());
    EXPECT_NE(m_window->document().selected(), struck);
    EXPECT_EQ(session().nameOf(m_window->document().selected()), "Snare Top Click Sub");
    ASSERT_EQ(stack().layers.size(), 1U);
    EXPECT_EQ(stack().layers[0].name, "Sub");
    m_window->document().select(struck);
    ASSERT_TRUE(waitQuiet());
    ASSERT_EQ(stack().layers.size(), 1U);
    EXPECT_EQ(stack().layers[0].name, "Click");
    m_window->document().undo();
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(session().elements.size(), 2U);
    EXPECT_EQ(stack().layers.size(), 2U);
}

TEST_F(LayersWindow, TheBestPlaceIsFoundKeptAndTakenBack) {
    strike();
    bench().askForSounds = [this] { return QStringList{text(m_folder / "Click.wav")}; };
    QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    // The same click, 2 ms late and the other way round: it is brought back to where it adds up.
    bench().model().edit(
        [](layers::Stack& stack) {
            stack.layers[1].offsetMs = 2;
            stack.layers[1].isInverted = true;
        },
        QStringLiteral("Spoil"));
    ASSERT_TRUE(waitQuiet());
    EXPECT_FALSE(bench().keepPlaceButton().isVisible());
    QTest::mouseClick(&bench().placeButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return bench().model().place().has_value(); }));
    EXPECT_TRUE(bench().proposalText().contains(QStringLiteral("2.00 ms earlier, inverted")))
        << bench().proposalText().toStdString();
    ASSERT_TRUE(bench().keepPlaceButton().isVisible());
    QTest::mouseClick(&bench().keepPlaceButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    EXPECT_NEAR(stored().layers[1].offsetMs, 0, 1e-9);
    EXPECT_FALSE(stored().layers[1].isInverted);
    EXPECT_FALSE(bench().model().place()) << "it was a place of the stack as it was";
    m_window->document().undo();
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers[1].offsetMs, 2);
}

TEST_F(LayersWindow, ALayerIsTunedToTheOwnerOfTheLows) {
    strike();
    test::writeWav(m_folder / "Tone.wav", test::bursts(206, 10, 0.0, 0.1, 0.5));
    for (const char* name : {"Sub.wav", "Tone.wav"}) {
        bench().askForSounds = [this, name] { return QStringList{text(m_folder / name)}; };
        QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
        ASSERT_TRUE(waitQuiet());
    }
    // 206 Hz against two octaves over 50 Hz: 1200 log2(206 / 200) = 51 cents.
    ASSERT_TRUE(bench().model().tuning());
    EXPECT_NEAR(bench().model().tuning()->cents, 51.2, 4);
    EXPECT_TRUE(bench().proposalText().contains(QStringLiteral("of Sub")))
        << bench().proposalText().toStdString();
    QTest::mouseClick(&bench().tuneButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    EXPECT_NEAR(stored().layers[2].pitchCents, -51.2, 4);
    EXPECT_NEAR(bench().model().tuning()->cents, 0, 4);
}

TEST_F(LayersWindow, StartEndAndFadesAreDraggedAndTheRestIsFolded) {
    strike();
    bench().askForSounds = [this] { return QStringList{text(m_folder / "Sub.wav")}; };
    QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
    ASSERT_TRUE(waitQuiet());
    auto& picture = bench().picture();
    using Grip = LayersPicture::Grip;
    const auto drag = [&](Grip grip, double ms) {
        const QPoint at = picture.gripAt(grip).toPoint();
        const QPoint to(static_cast<int>(at.x() + picture.xOf(ms) - picture.xOf(0)), at.y());
        QTest::mousePress(&picture, Qt::LeftButton, {}, at);
        QTest::mouseMove(&picture, to);
        QTest::mouseRelease(&picture, Qt::LeftButton, {}, to);
        return waitQuiet();
    };
    const double offset = stored().layers[1].offsetMs;
    ASSERT_FALSE(picture.gripAt(Grip::Start).isNull());
    ASSERT_TRUE(drag(Grip::Start, 30));
    EXPECT_NEAR(stored().layers[1].startMs, 30, 1.5);
    EXPECT_EQ(stored().layers[1].offsetMs, offset) << "a grip moves nothing else";
    ASSERT_TRUE(drag(Grip::FadeIn, 25));
    EXPECT_NEAR(stored().layers[1].fadeInMs, 25, 1.5);
    bench().fields().bar("end_ms").setFocus();
    bench().model().edit([](layers::Stack& stack) { stack.layers[1].endMs = 200; }, QStringLiteral("End"));
    ASSERT_TRUE(waitQuiet());
    ASSERT_TRUE(drag(Grip::End, -50));
    EXPECT_NEAR(stored().layers[1].endMs, 150, 2);
    ASSERT_TRUE(drag(Grip::FadeOut, -40));
    EXPECT_NEAR(stored().layers[1].fadeOutMs, 40, 2);
    EXPECT_FALSE(bench().fields().purpose().isVisible());
    QTest::mouseClick(&bench().fields().moreButton(), Qt::LeftButton);
    ASSERT_TRUE(bench().fields().purpose().isVisible());
    emit bench().fields().purpose().choiceEdited(1);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers[1].purpose, layers::LayerPurpose::Impact);
    EXPECT_TRUE(picture.textOf(1).contains(QStringLiteral("there for the attack")))
        << picture.textOf(1).toStdString();
    bench().fields().bar("resonance_db").setFocus();
    QTest::keyClick(&bench().fields().bar("resonance_db"), Qt::Key_Up);
    QTest::keyClick(m_window.get(), Qt::Key_Tab);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers[1].resonanceDb, 0.5);
}

TEST_F(LayersWindow, ALayerPlaysInTheLoopOnly) {
    strike();
    m_window->playback().setLoop(1, 2.5);
    auto& where = bench().fields().where();
    const int at = where.findText(QStringLiteral("in the loop"));
    ASSERT_GT(at, 0);
    where.setCurrentIndex(at);
    emit where.activated(at);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().layers[0].rule.fromS, 1);
    EXPECT_EQ(stored().layers[0].rule.toS, 2.5);
    EXPECT_EQ(bench().model().playedBy(0).size(), 3U) << "at 1.3, 1.8 and 2.3 s";
    m_window->playback().clearLoop();
    EXPECT_EQ(where.currentText(), QStringLiteral("1.0 to 2.5 s")) << "it stays as it was set";
}

TEST_F(LayersWindow, TheSimulatedPlayerIsRecordedKeptAndTakenBack) {
    bench().askForSounds = [this] {
        return QStringList{text(m_folder / "Sub.wav")};
    }; // it sounds for a while
    strike();
    auto& live = bench().live();
    ASSERT_TRUE(waitFor([&] { return live.isReady(); }));
    const int simulated =
        bench().liveRow().input().findText(QStringLiteral("Simulated"), Qt::MatchStartsWith);
    ASSERT_EQ(simulated, 1) << "it says what it is";
    emit bench().liveRow().input().textActivated(bench().liveRow().input().itemText(simulated));
    QTest::mouseClick(&bench().liveRow().strikeButton(), Qt::LeftButton);
    EXPECT_TRUE(waitFor([&] { return m_window->playback().engine().soundingVoices() > 0; }));
    // Struck at 0.3, 0.8 and so on; three of them are played anew.
    m_window->playback().setLoop(0.2, 5);
    bench().liveRow().instead().setChecked(true);
    QTest::mouseClick(&bench().liveRow().recordButton(), Qt::LeftButton);
    EXPECT_TRUE(live.isRecording());
    EXPECT_TRUE(m_window->playback().isPlaying());
    ASSERT_TRUE(waitFor([&] { return live.strokes() >= 3; }));
    QTest::mouseClick(&bench().liveRow().recordButton(), Qt::LeftButton);
    EXPECT_FALSE(m_window->playback().isPlaying());
    ASSERT_TRUE(waitQuiet());
    const auto strikes = stored().strikes;
    ASSERT_LT(strikes.size(), 12U) << "those of the loop went";
    ASSERT_GE(strikes.size(), 5U) << "three were played, two lie behind the loop";
    EXPECT_TRUE(std::filesystem::exists(m_folder / "Kit.cask" / "takes" / "Snare Top Sub.mid"));
    m_window->document().undo();
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().strikes.size(), 12U);
    EXPECT_TRUE(std::filesystem::exists(m_folder / "Kit.cask" / "takes" / "Snare Top Sub.mid"))
        << "a take stays";
    // A session that goes takes its input along.
    m_window->document().select(m_snare);
    m_window->newSession();
}

TEST_F(LayersWindow, ATakeThatIsLeftStaysAsAFileAndTheStrikesAsTheyWere) {
    strike();
    auto& live = bench().live();
    ASSERT_TRUE(waitFor([&] { return live.isReady(); }));
    live.useInput(LiveModel::ownInputs().last());
    const Id struck = m_window->document().selected();
    const auto before = stored();
    QTest::mouseClick(&bench().liveRow().recordButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return live.strokes() >= 2; }));
    m_window->document().select(m_snare);
    EXPECT_FALSE(live.isRecording());
    EXPECT_FALSE(m_window->playback().isPlaying());
    EXPECT_TRUE(m_window->document().notes().back().contains(QStringLiteral("stays as a MIDI file")));
    const auto take = layers::readMidiPattern(m_folder / "Kit.cask" / "takes" / "Snare Top Click.mid");
    ASSERT_TRUE(take) << take.error().message;
    EXPECT_GE(take->strokes.size(), 2U);
    m_window->document().select(struck);
    ASSERT_TRUE(waitQuiet());
    EXPECT_EQ(stored().strikes, before.strikes);
}

TEST_F(LayersWindow, ByHandIsHeardThroughTheElementsChain) {
    strike();
    auto* const live = &bench().liveRow();
    EXPECT_TRUE(live->chain().isChecked());
    const auto later = [&] { return live->chain().toolTip(); };
    ASSERT_TRUE(waitFor([&] { return !later().isEmpty(); }));
    const auto before = later();
    dsp::GateSettings gate;
    gate.lookAheadMs = 5;
    auto next = session();
    session::addModule(next, m_window->document().selected(), gate);
    m_window->document().edit(std::move(next), QStringLiteral("Gate"));
    ASSERT_TRUE(waitFor([&] { return later() != before; })) << "the chain is followed";
    EXPECT_NE(later().indexOf(QStringLiteral("ms later")), -1) << later().toStdString();
    QTest::mouseClick(&live->chain(), Qt::LeftButton, {}, QPoint(8, live->chain().height() / 2));
    EXPECT_FALSE(live->chain().isChecked());
    EXPECT_EQ(later().indexOf(QStringLiteral("ms later")), -1);
}

TEST_F(LayersWindow, ThePatternIsEditedOnTheHitStripWithTheKeysOfHits) {
    test::writeWav(m_folder / "Hit.wav", test::bursts(240, 10, 0.0, 0.08, 0.4));
    bench().askForSounds = [this] { return QStringList{text(m_folder / "Hit.wav")}; };
    strike();
    const Id played = m_window->document().selected();
    // By itself: beside a microphone of the same drum the strip shows what both have heard.
    m_window->document().edit(session::withoutElement(session(), m_snare), QStringLiteral("Remove"));
    const auto waitHits = [&] {
        return waitMeasured() && waitFor([&] {
                   const auto* a = m_window->hits().analysis();
                   return !m_window->hits().isBusy() && a != nullptr && a->inputOf(played) >= 0;
               });
    };
    ASSERT_TRUE(waitHits());
    auto& hits = m_window->hits();
    hits.addHit(played, 1.05);
    ASSERT_TRUE(waitFor([&] { return stored().strikes.size() == 13; }));
    EXPECT_TRUE(session().hitEdits.empty()) << "the pattern itself is another one";
    EXPECT_NEAR(stored().strikes[2].timeS, 1.05, 1e-9);
    ASSERT_TRUE(waitHits());
    EXPECT_EQ(stack().strikes.size(), 13U) << "the bench follows";
    const auto chooseAt = [&](double timeS) {
        for (const int s : hits.strokesOf(played))
            if (std::abs(hits.analysis()->hits.strokes[static_cast<std::size_t>(s)].timeS - timeS) < 0.02) {
                hits.chooseStroke(s);
                return true;
            }
        return false;
    };
    ASSERT_TRUE(waitFor([&] { return chooseAt(1.05); }));
    hits.moveSelected(0.1);
    ASSERT_TRUE(waitFor([&] { return std::abs(stored().strikes[2].timeS - 1.15) < 1e-9; }));
    ASSERT_TRUE(waitHits());
    ASSERT_TRUE(waitFor([&] { return chooseAt(1.15) && chooseAt(0.8); }));
    const double before = stored().strikes[1].velocity;
    hits.classSelected(measure::HitClass::Ghost);
    ASSERT_TRUE(waitFor([&] { return stored().strikes[1].hitClass == "ghost"; }));
    EXPECT_LT(stored().strikes[1].velocity, before);
    ASSERT_TRUE(waitHits());
    ASSERT_TRUE(waitFor([&] { return chooseAt(1.3); }));
    hits.removeSelected();
    ASSERT_TRUE(waitFor([&] { return stored().strikes.size() == 12; }));
    m_window->document().undo();
    EXPECT_EQ(stored().strikes.size(), 13U);
}

TEST_F(LayersWindow, WhatCantBePlayedIsToldAndTakenBack) {
    strike();
    bench().askForSounds = [this] { return QStringList{text(m_folder / "None.wav")}; };
    QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return !bench().model().isBusy(); }));
    EXPECT_EQ(stored().layers.size(), 1U);
    EXPECT_EQ(stack().layers.size(), 1U);
    EXPECT_TRUE(m_window->document().notes().join(QLatin1Char(' ')).contains(QStringLiteral("None.wav")));
}

} // namespace
} // namespace cask::app
