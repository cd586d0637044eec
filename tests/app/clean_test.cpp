#include "app/bench/clean/clean_bench.h"
#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_actions.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "tests/app/window_fixture.h"

#include <QComboBox>

namespace cask::app {
namespace {

class CleanTest : public WindowTest {
  protected:
    void open() {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.06));
        m_window->document().setStage(Stage::Clean);
        ASSERT_TRUE(settled());
    }
    CleanBench& bench() { return m_window->bench().clean(); }
    GateModel& gate() { return bench().gate(); }
    bool settled() {
        return waitFor(
            [&] { return gate().material() != nullptr && gate().report() != nullptr && !gate().isBusy(); });
    }
    const dsp::GateSettings& settings() {
        return std::get<dsp::GateSettings>(
            session::findModule<dsp::GateSettings>(*session().chain(element("Snare Top")))->settings);
    }
    void addGate() {
        QTest::mouseClick(&bench().actions().addButton(), Qt::LeftButton);
        ASSERT_NE(gate().module(), nullptr);
        ASSERT_TRUE(settled());
    }
    void typeInto(const char* id, const QString& words) {
        WindowTest::typeInto(bench().bar(QLatin1String(id)), words);
    }
};

TEST_F(CleanTest, AddingAGateKeepsTheHitsAndTakesTheSpillAway) {
    open();
    EXPECT_EQ(bench().summary(), QStringLiteral("no gate"));
    addGate();
    const auto& counts = gate().report()->all;
    EXPECT_TRUE(gate().report()->isExact);
    EXPECT_EQ(counts.own(), 12);
    EXPECT_EQ(counts.ownKept(), 12);
    EXPECT_EQ(counts.spill, 12);
    EXPECT_EQ(counts.spillPassing, 0);
    EXPECT_LT(counts.spillChangeDb(), -10);
    EXPECT_TRUE(bench().summary().startsWith(QStringLiteral("keeps 12 of 12 hits")))
        << bench().summary().toStdString();
    ASSERT_TRUE(waitFor([&] {
        return m_window->board().cellText(element("Snare Top"), Stage::Clean) == QStringLiteral("100 %");
    }));
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Add a gate, Snare Top"));
}

TEST_F(CleanTest, DraggingTheThresholdChangesTheCountsAtOnceAndIsOneStep) {
    open();
    addGate();
    auto& picture = bench().hits();
    const double before = settings().openDb;
    const QPoint from(picture.width() / 2 + 7, static_cast<int>(picture.yOf(before)));
    QTest::mousePress(&picture, Qt::LeftButton, Qt::NoModifier, from);
    // Under the spill, which is near -20 dBFS: all of it passes. Told during the drag, not afterwards.
    const QPoint to(from.x(), static_cast<int>(picture.yOf(-32)));
    QTest::mouseMove(&picture, (from + to) / 2);
    QTest::mouseMove(&picture, to);
    EXPECT_NEAR(settings().openDb, -32, 0.5);
    EXPECT_EQ(gate().report()->all.spillPassing, 12);
    EXPECT_FALSE(gate().report()->isExact);
    QTest::mouseRelease(&picture, Qt::LeftButton, Qt::NoModifier, to);
    ASSERT_TRUE(settled());
    EXPECT_TRUE(gate().report()->isExact);
    EXPECT_EQ(gate().report()->all.spillPassing, 12);
    m_window->document().undo();
    EXPECT_EQ(settings().openDb, before);
}

TEST_F(CleanTest, KeysMoveTheThresholdAndGoToWhatIsLost) {
    open();
    addGate();
    auto& picture = bench().hits();
    picture.setFocus();
    const auto before = settings();
    QTest::keyClick(&picture, Qt::Key_Up);
    EXPECT_EQ(settings().openDb, before.openDb + 0.5);
    EXPECT_EQ(settings().closeDb, before.closeDb + 0.5);
    QTest::keyClick(&picture, Qt::Key_L);
    EXPECT_EQ(gate().chosenHit(), -1); // nothing is lost
    typeInto("open_db", QStringLiteral("0"));
    ASSERT_TRUE(settled());
    EXPECT_EQ(gate().report()->all.ownKept(), 0);
    QTest::keyClick(&picture, Qt::Key_L);
    const int first = gate().chosenHit();
    ASSERT_GE(first, 0);
    EXPECT_TRUE(gate().material()->hits[static_cast<std::size_t>(first)].isOwn);
    EXPECT_TRUE(m_window->playback().isAuditioning());
    QTest::keyClick(&picture, Qt::Key_L);
    EXPECT_GT(gate().chosenHit(), first);
    QTest::keyClick(&picture, Qt::Key_L, Qt::ShiftModifier);
    EXPECT_EQ(gate().chosenHit(), first);
    m_window->playback().stop();
}

TEST_F(CleanTest, TimesCanBeTypedAsNoteValues) {
    open();
    addGate();
    typeInto("release_ms", QStringLiteral("1/16"));
    EXPECT_NEAR(settings().releaseMs, 125, 0.2); // at 120 beats a minute
    typeInto("hold_ms", QStringLiteral("1/8t"));
    EXPECT_NEAR(settings().holdMs, 500.0 / 3, 0.3);
    typeInto("hold_ms", QStringLiteral("40 ms"));
    EXPECT_EQ(settings().holdMs, 40);
}

TEST_F(CleanTest, HandlesOfTheShapeSetItsTimes) {
    open();
    addGate();
    auto& shape = bench().shape();
    using Handle = GateShapePicture::Handle;
    for (const auto& [handle, id, by] : std::vector<std::tuple<Handle, const char*, QPoint>>{
             {Handle::Release, "release_ms", {40, 0}},
             {Handle::Floor, "floor_db", {0, 20}},
             {Handle::LookAhead, "look_ahead_ms", {-2, 0}}}) {
        const auto& field = session::field(session::fieldsOf<dsp::GateSettings>(), id);
        const double before = field.get(settings());
        const QPoint at = shape.handleAt(handle).toPoint();
        ASSERT_FALSE(at.isNull()) << id;
        QTest::mousePress(&shape, Qt::LeftButton, Qt::NoModifier, at);
        QTest::mouseMove(&shape, at + by);
        QTest::mouseRelease(&shape, Qt::LeftButton, Qt::NoModifier, at + by);
        const double after = field.get(settings());
        if (handle == Handle::Floor)
            EXPECT_LT(after, before - 2) << id;
        else
            EXPECT_GT(after, before) << id;
        ASSERT_TRUE(settled());
    }
}

TEST_F(CleanTest, ListensToAnotherMicrophoneAndRefusesACircle) {
    open();
    addGate();
    auto& box = bench().actions().keyBox();
    box.setCurrentIndex(box.findData(element("Kick In")));
    emit box.activated(box.currentIndex());
    EXPECT_EQ(gate().module()->key, element("Kick In"));
    ASSERT_TRUE(settled());
    EXPECT_EQ(gate().report()->all.spillPassing, 12); // now the kick opens it
    Id shells = session::kNoId;
    for (const auto& b : session().buses)
        if (b->name == "Shells")
            shells = b->id;
    EXPECT_FALSE(setModuleKey(m_window->document(), gate().at(), shells));
    EXPECT_EQ(gate().module()->key, element("Kick In"));
}

TEST_F(CleanTest, ASectionHasItsOwnFloorAndTheRestStays) {
    open();
    addGate();
    auto next = session();
    next.sections = {{"verse", 0, 6, {}}, {"fill", 6, 12, {}}};
    m_window->document().edit(next, QStringLiteral("sections"));
    ASSERT_TRUE(settled());
    auto& box = bench().actions().sectionBox();
    ASSERT_GE(box.findData(QStringLiteral("fill")), 0);
    box.setCurrentIndex(box.findData(QStringLiteral("fill")));
    emit box.activated(box.currentIndex());
    const double before = settings().floorDb;
    typeInto("floor_db", QStringLiteral("-3"));
    EXPECT_EQ(settings().floorDb, before);
    ASSERT_EQ(gate().module()->changes.size(), 1U);
    EXPECT_EQ(gate().module()->changes[0].values.at("floor_db"), -3);
    EXPECT_FALSE(bench().bar(QStringLiteral("look_ahead_ms"))->isEnabled());
    ASSERT_TRUE(settled());
    EXPECT_NEAR(gate().report()->sections[1].spillChangeDb(), -3, 0.5);
    EXPECT_LT(gate().report()->sections[0].spillChangeDb(), -10);
}

TEST_F(CleanTest, TheGateIsBypassedWhilePIsHeldAndMovesInTheChain) {
    open();
    addGate();
    auto next = session();
    session::addBand(next, m_window->document().selected(), {0, dsp::FilterKind::Bell, true, 400, -3, 1, 24});
    m_window->document().edit(next, QStringLiteral("a band"));
    QTest::keyPress(&bench().hits(), Qt::Key_P);
    EXPECT_TRUE(m_window->playback().isAuditioning());
    QTest::keyRelease(&bench().hits(), Qt::Key_P);
    EXPECT_FALSE(m_window->playback().isAuditioning());
    QTest::keyPress(&bench().hits(), Qt::Key_P);
    bench().hide();
    EXPECT_FALSE(m_window->playback().isAuditioning()) << "a key that nobody sees any more";
    bench().show();
    bench().order().later()->click();
    const auto* chain = session().chain(m_window->document().selected());
    ASSERT_EQ(chain->size(), 2U);
    EXPECT_TRUE(std::holds_alternative<dsp::GateSettings>(chain->back().settings));
    EXPECT_NE(gate().module(), nullptr);
}

TEST_F(CleanTest, WhatTheGateTakesAwayCanBeHeard) {
    open();
    addGate();
    QTest::mousePress(&bench().removedButton(), Qt::LeftButton);
    EXPECT_TRUE(bench().removedButton().isDown());
    QTest::mouseRelease(&bench().removedButton(), Qt::LeftButton);
    m_window->document().setStage(Stage::Tone); // leaving the bench ends it
    EXPECT_EQ(m_window->document().stage(), Stage::Tone);
}

TEST_F(CleanTest, TheProposalIsKeptWithOneClick) {
    open();
    auto& findings = m_window->findings();
    const auto id = "gate-" + std::to_string(element("Snare Top"));
    ASSERT_TRUE(waitFor([&] { return !findings.isBusy() && findings.find(id) != nullptr; }));
    ASSERT_TRUE(findings.find(id)->proposal);
    findings.keep(id);
    ASSERT_TRUE(settled());
    EXPECT_EQ(gate().report()->all.ownKept(), 12);
    EXPECT_EQ(gate().report()->all.spillPassing, 0);
    ASSERT_TRUE(waitFor([&] { return !findings.isBusy(); }));
    EXPECT_EQ(findings.find(id), nullptr);
    ASSERT_TRUE(waitFor([&] { return findings.spillChangeDb().has_value(); }));
    EXPECT_LT(*findings.spillChangeDb(), -1);
}

TEST_F(CleanTest, CopiesToSimilarMicrophonesAtTheirOwnLevels) {
    open();
    // A second snare microphone, 12 dB softer.
    const auto snare = test::bursts(900, 1, 0.75, 0.05, 12);
    auto soft = snare;
    for (float& x : soft)
        x *= 0.25F;
    test::writeWav(m_folder / "Snare Bottom.wav", soft);
    drop({text(m_folder / "Snare Bottom.wav")});
    ASSERT_TRUE(waitMeasured());
    ASSERT_TRUE(waitFor([&] {
        return !m_window->hits().isBusy() &&
               m_window->hits().analysis()->inputOf(element("Snare Bottom")) >= 0;
    }));
    m_window->document().select(element("Snare Top"));
    ASSERT_TRUE(settled());
    addGate();
    EXPECT_EQ(gate().copyToSimilar(), 1);
    const auto* other = session::findModule<dsp::GateSettings>(*session().chain(element("Snare Bottom")));
    ASSERT_NE(other, nullptr);
    EXPECT_NEAR(std::get<dsp::GateSettings>(other->settings).openDb, settings().openDb - 12, 1);
}

} // namespace
} // namespace cask::app
