// A step of the job whose bench is made from the descriptions of its kinds.
#include "app/bench/drive/blend_picture.h"
#include "app/bench/drive/curve_picture.h"
#include "app/bench/drive/denser_row.h"
#include "app/bench/drive/drive_bench.h"
#include "app/bench/drive/path_panel.h"
#include "app/bench/drive/path_pictures.h"
#include "app/bench/drive/push_picture.h"
#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_actions.h"
#include "app/bench/module/module_fields.h"
#include "app/bench/module/stage_bench.h"
#include "app/widgets/choice_row.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/parallel_path.h"
#include "core/session/parameter_path.h"
#include "tests/app/window_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QWheelEvent>

namespace cask::app {
namespace {

class DriveTest : public WindowTest {
  protected:
    void open() {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.06));
        QTest::keyClick(m_window.get(), Qt::Key_7);
        ASSERT_EQ(m_window->document().stage(), Stage::Drive);
    }
    DriveBench& driveBench() { return m_window->bench().drive(); }
    StageBench& bench() { return driveBench().modules(); }
    const session::Module* module(int ordinal = 1) {
        return session::findModule<dsp::SaturationSettings>(*session().chain(element("Snare Top")), ordinal);
    }
    const dsp::SaturationSettings& settings(int ordinal = 1) {
        return std::get<dsp::SaturationSettings>(module(ordinal)->settings);
    }
    void add() {
        QTest::mouseClick(&bench().actions().addButton(), Qt::LeftButton);
        ASSERT_NE(module(), nullptr);
    }
    QString cell() { return m_window->board().cellText(element("Snare Top"), Stage::Drive); }
};

TEST_F(DriveTest, AddingAndTypingSetsASaturation) {
    open();
    EXPECT_EQ(bench().summary(), QStringLiteral("nothing yet"));
    EXPECT_EQ(cell(), QStringLiteral("\u00b7"));
    EXPECT_EQ(bench().fields(), nullptr);
    add();
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Add a saturation, Snare Top"));
    EXPECT_FALSE(bench().actions().keyBox().isVisible()) << "it hears nothing else";
    ASSERT_NE(bench().fields(), nullptr);
    typeInto(bench().fields()->bar("drive_db"), QStringLiteral("14"));
    EXPECT_EQ(settings().driveDb, 14);
    EXPECT_EQ(cell(), QStringLiteral("14.0"));
    // Once it is measured: drive, and by how much denser that makes it.
    ASSERT_TRUE(waitFor([&] { return cell().startsWith(QStringLiteral("14\u2009+")); }))
        << cell().toStdString();
    EXPECT_LE(cell().size(), 5);
    EXPECT_EQ(bench().summary(), QStringLiteral("saturation 14.0 dB"));
    QTest::mouseClick(&bench().moreButton(), Qt::LeftButton);
    auto& factor = *bench().more()->choice("oversampling");
    QTest::mouseClick(&factor, Qt::LeftButton, Qt::NoModifier, factor.wordRect(2).center());
    EXPECT_EQ(settings().oversampling, dsp::Oversampling::Eight);
    m_window->document().undo();
    m_window->document().undo();
    EXPECT_EQ(settings().driveDb, 6);
    EXPECT_TRUE(cell().startsWith(QLatin1Char('6'))) << cell().toStdString();
}

TEST_F(DriveTest, AResonatorIsAddedHereAtTheDrumsNote) {
    open();
    int kind = 0;
    while (bench().actions().addButton(kind).text() != QStringLiteral("+ resonator"))
        ++kind;
    ASSERT_TRUE(waitFor([&] {
        const auto* tone = m_window->tones().tone(element("Snare Top"));
        return tone != nullptr;
    }));
    const auto* tone = m_window->tones().tone(element("Snare Top"));
    const double note = tone->isNoteSure() ? std::round(10 * tone->partials.fundamental.hz) / 10 : 55;
    QTest::mouseClick(&bench().actions().addButton(kind), Qt::LeftButton);
    const auto* body = session::findModule<dsp::BodySettings>(*session().chain(element("Snare Top")));
    ASSERT_NE(body, nullptr);
    EXPECT_NEAR(std::get<dsp::BodySettings>(body->settings).frequencyHz, note, 1e-6);
    ASSERT_NE(bench().fields(), nullptr);
    typeInto(bench().fields()->bar("drive_db"), QStringLiteral("12"));
    const auto drive = [&] {
        body = session::findModule<dsp::BodySettings>(*session().chain(element("Snare Top")));
        return std::get<dsp::BodySettings>(body->settings).driveDb;
    };
    EXPECT_EQ(drive(), 12);
    // What it does is measured and told; its drive is dragged on the curve of what it adds.
    ASSERT_TRUE(
        waitFor([&] { return driveBench().drive().change() != nullptr && !driveBench().drive().isRough(); }));
    EXPECT_GT(driveBench().drive().change()->newDb, -60);
    EXPECT_TRUE(driveBench().changeText().startsWith(QStringLiteral("At equal loudness: ")));
    const auto peaks = driveBench().drive().hitPeaks();
    ASSERT_FALSE(peaks.empty());
    typeInto(bench().fields()->bar("level_db"), QStringLiteral("-6"));
    ASSERT_TRUE(waitFor([&] { return driveBench().drive().hitPeaks() != peaks; }));
    EXPECT_NEAR(driveBench().drive().hitPeaks().front() / peaks.front(), dbToLinear(6), 0.01)
        << "its level moves what is bent";
    auto& curve = driveBench().curve();
    ASSERT_TRUE(curve.isVisible());
    const QPoint from = curve.rect().center();
    QTest::mousePress(&curve, Qt::LeftButton, Qt::NoModifier, from);
    QTest::mouseMove(&curve, from + QPoint(40, 0));
    QTest::mouseRelease(&curve, Qt::LeftButton, Qt::NoModifier, from + QPoint(40, 0));
    EXPECT_EQ(drive(), 16);
}

TEST_F(DriveTest, ASecondOneIsSetByItselfAndRemovingLeavesTheOther) {
    open();
    add();
    EXPECT_EQ(bench().actions().addButton().text(), QStringLiteral("+ saturation"));
    QTest::mouseClick(&bench().actions().addButton(), Qt::LeftButton);
    ASSERT_NE(module(2), nullptr);
    typeInto(bench().fields()->bar("drive_db"), QStringLiteral("20"));
    EXPECT_EQ(settings(1).driveDb, 6);
    EXPECT_EQ(settings(2).driveDb, 20);
    EXPECT_EQ(cell(), QStringLiteral("2 on"));
    auto& which = bench().actions().whichBox();
    ASSERT_TRUE(which.isVisible());
    which.setCurrentIndex(0);
    emit which.activated(0);
    EXPECT_EQ(bench().fields()->bar("drive_db")->value(), 6);
    QTest::mouseClick(&bench().actions().removeButton(), Qt::LeftButton);
    EXPECT_EQ(module(1), nullptr);
    ASSERT_NE(module(2), nullptr);
    EXPECT_EQ(bench().fields()->bar("drive_db")->value(), 20);
}

TEST_F(DriveTest, SwitchedOffAndHeardBypassedByTheHeldKey) {
    open();
    add();
    auto& on = bench().actions().onBox();
    QTest::mouseClick(&on, Qt::LeftButton, Qt::NoModifier, QPoint(8, on.height() / 2));
    EXPECT_FALSE(module()->isOn);
    EXPECT_EQ(cell(), QStringLiteral("off"));
    EXPECT_EQ(bench().summary(), QStringLiteral("saturation off"));
    QTest::keyPress(&bench(), Qt::Key_P);
    EXPECT_TRUE(m_window->playback().isAuditioning()) << "it is heard on";
    QTest::keyRelease(&bench(), Qt::Key_P);
    EXPECT_FALSE(m_window->playback().isAuditioning());
}

TEST_F(DriveTest, WhatIsSeldomSetIsFolded) {
    open();
    add();
    ASSERT_NE(bench().more(), nullptr);
    EXPECT_EQ(bench().fields()->bar("before_tilt_db"), nullptr);
    auto* tilt = bench().more()->bar("before_tilt_db");
    ASSERT_NE(tilt, nullptr);
    EXPECT_FALSE(tilt->isVisible());
    QTest::mouseClick(&bench().moreButton(), Qt::LeftButton);
    ASSERT_TRUE(tilt->isVisible());
    typeInto(tilt, QStringLiteral("4"));
    EXPECT_EQ(settings().beforeTiltDb, 4);
}

TEST_F(DriveTest, TheDriveIsDraggedOnTheCurveInOneStepAndWhatItDoesIsTold) {
    open();
    add();
    ASSERT_TRUE(
        waitFor([&] { return driveBench().drive().change() != nullptr && !driveBench().drive().isRough(); }));
    EXPECT_FALSE(driveBench().drive().hitPeaks().empty());
    const double before = driveBench().drive().change()->harmonicsAfterDb();
    EXPECT_TRUE(driveBench().changeText().startsWith(QStringLiteral("At equal loudness: ")));
    auto& curve = driveBench().curve();
    ASSERT_TRUE(curve.isVisible());
    const QPoint from = curve.rect().center();
    QTest::mousePress(&curve, Qt::LeftButton, Qt::NoModifier, from);
    for (int x = 20; x <= 160; x += 20)
        QTest::mouseMove(&curve, from + QPoint(x, 0));
    QTest::mouseRelease(&curve, Qt::LeftButton, Qt::NoModifier, from + QPoint(160, 0));
    EXPECT_EQ(settings().driveDb, 22);
    m_window->document().undo();
    EXPECT_EQ(settings().driveDb, 6);
    m_window->document().redo();
    ASSERT_TRUE(waitFor([&] { return !driveBench().drive().isBusy() && !driveBench().drive().isRough(); }));
    EXPECT_GT(driveBench().drive().change()->newDb, -40);
    if (!driveBench().drive().change()->harmonics.empty()) {
        EXPECT_GT(driveBench().drive().change()->harmonicsAfterDb(), before);
    }
}

TEST_F(DriveTest, AMatchedOutputIsTheMeasuredOne) {
    open();
    add();
    typeInto(bench().fields()->bar("drive_db"), QStringLiteral("24"));
    ASSERT_TRUE(
        waitFor([&] { return driveBench().drive().change() != nullptr && !driveBench().drive().isRough(); }));
    const double match = driveBench().drive().change()->shapes.matchDb;
    EXPECT_GT(match, 0.5) << "a curve makes it softer";
    auto& output = *bench().fields()->choice("output");
    QTest::mouseClick(&output, Qt::LeftButton, Qt::NoModifier, output.wordRect(1).center());
    EXPECT_EQ(settings().output, dsp::SaturationOutput::Matched);
    EXPECT_NEAR(settings().outputDb, match, 0.051);
    typeInto(bench().fields()->bar("output_db"), QStringLiteral("1"));
    EXPECT_EQ(settings().output, dsp::SaturationOutput::Fixed);
}

TEST_F(DriveTest, AParallelPathIsMadeInOneActFedAndBlendedAtEqualGain) {
    open();
    const Id shells = *session::findOwner(session(), "Shells");
    m_window->document().select(shells);
    QTest::mouseClick(&driveBench().pathButton(), Qt::LeftButton);
    const auto paths = session::pathsOf(session(), shells);
    ASSERT_EQ(paths.size(), 1U);
    EXPECT_EQ(m_window->document().selected(), paths.front());
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Add a parallel path, Shells"));
    auto& panel = driveBench().path();
    ASSERT_TRUE(panel.isVisible());
    EXPECT_FALSE(driveBench().pathButton().isEnabled()) << "a path has no path";
    const Id snare = element("Snare Top");
    const auto sendOf = [&] {
        for (const auto& send : session().output(snare)->sends)
            if (send.bus == paths.front())
                return send.levelDb;
        return 99.0;
    };
    EXPECT_EQ(sendOf(), 0);
    // A drag of its band sends less.
    const QPoint band = panel.shares().bandAt(snare).toPoint();
    ASSERT_FALSE(band.isNull());
    QTest::mousePress(&panel.shares(), Qt::LeftButton, Qt::NoModifier, band);
    QTest::mouseMove(&panel.shares(), band + QPoint(0, 10));
    QTest::mouseMove(&panel.shares(), band + QPoint(0, 30));
    QTest::mouseRelease(&panel.shares(), Qt::LeftButton, Qt::NoModifier, band + QPoint(0, 30));
    EXPECT_EQ(sendOf(), -3);
    QTest::mouseClick(&panel.invertedBox(), Qt::LeftButton, Qt::NoModifier,
                      QPoint(8, panel.invertedBox().height() / 2));
    EXPECT_TRUE(session().bus(paths.front())->path->isInverted);
    m_window->document().undo();
    EXPECT_FALSE(panel.invertedBox().isChecked());
    typeInto(panel.bar("low_cut_hz"), QStringLiteral("120"));
    EXPECT_EQ(session().bus(paths.front())->path->lowCutHz, 120);
    EXPECT_FALSE(panel.bar("blend_percent")->isEnabled());
    QTest::mouseClick(&panel.equalBox(), Qt::LeftButton, Qt::NoModifier,
                      QPoint(8, panel.equalBox().height() / 2));
    ASSERT_TRUE(waitFor([&] { return session().bus(paths.front())->path->isEqualGain; }));
    EXPECT_TRUE(panel.bar("blend_percent")->isEnabled());
    typeInto(panel.bar("blend_percent"), QStringLiteral("40"));
    EXPECT_EQ(session().bus(paths.front())->path->blendPercent, 40);
    // Measured, the blend is dragged along its way too.
    ASSERT_TRUE(
        waitFor([&] { return !m_window->findings().isBusy() && !panel.blend().pointOf(70).isNull(); }));
    EXPECT_TRUE(panel.text().startsWith(QStringLiteral("Beside Shells, "))) << panel.text().toStdString();
    const QPoint wet = panel.blend().pointOf(90).toPoint();
    QTest::mouseClick(&panel.blend(), Qt::LeftButton, Qt::NoModifier, wet);
    EXPECT_GT(session().bus(paths.front())->path->blendPercent, 60);
}

TEST_F(DriveTest, ABusWithADriveIsPushedUntilItsDrumsBreak) {
    open();
    m_window->document().select(*session::findOwner(session(), "Kit"));
    QTest::mouseClick(&bench().actions().addButton(), Qt::LeftButton);
    ASSERT_TRUE(waitFor([&] { return driveBench().push().push() != nullptr; }));
    EXPECT_TRUE(driveBench().push().isVisible());
    EXPECT_FALSE(driveBench().push().push()->drums.empty());
}

TEST_F(DriveTest, ABusIsMadeDenserByTheWayThatIsChosen) {
    open();
    const Id kit = *session::findOwner(session(), "Kit");
    m_window->document().select(kit);
    auto& row = driveBench().denser();
    ASSERT_TRUE(waitFor([&] { return m_window->hits().shared() != nullptr; }));
    ASSERT_TRUE(waitFor([&] { return row.isVisible(); }));
    typeInto(&row.amount(), QStringLiteral("1"));
    QTest::mouseClick(&row.button(), Qt::LeftButton);
    EXPECT_TRUE(row.isSearching());
    ASSERT_TRUE(waitFor([&] { return !row.isSearching(); }));
    ASSERT_FALSE(row.ways().empty());
    auto* way = row.ways().front();
    ASSERT_TRUE(way->isEnabled()) << way->toolTip().toStdString();
    const auto before = session();
    QTest::mouseClick(way, Qt::LeftButton);
    EXPECT_NE(session(), before);
    EXPECT_TRUE(row.ways().empty()) << "they were of the session before";
    m_window->document().undo();
    EXPECT_EQ(session(), before);
    // A search is stopped by its own button.
    QTest::mouseClick(&row.button(), Qt::LeftButton);
    QTest::mouseClick(&row.button(), Qt::LeftButton);
    EXPECT_FALSE(row.isSearching());
}

} // namespace
} // namespace cask::app
