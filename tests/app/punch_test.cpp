#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_fields.h"
#include "app/bench/punch/driver_row.h"
#include "app/bench/punch/hit_marks_picture.h"
#include "app/bench/punch/punch_bench.h"
#include "app/widgets/choice_row.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "tests/app/window_fixture.h"

#include <QCheckBox>
#include <QComboBox>
#include <QToolButton>

namespace cask::app {
namespace {

class PunchTest : public WindowTest {
  protected:
    void open() {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.06));
        m_window->document().setStage(Stage::Punch);
        ASSERT_TRUE(settled());
    }
    PunchBench& bench() { return m_window->bench().punch(); }
    PunchModel& punch() { return bench().punch(); }
    bool settled() {
        return waitFor([&] { return punch().compression() != nullptr && !punch().isBusy(); });
    }
    const session::Module* module(int ordinal = 1, const char* owner = "Snare Top") {
        return session::findModule<dsp::CompressorSettings>(*session().chain(element(owner)), ordinal);
    }
    const dsp::CompressorSettings& settings() {
        return std::get<dsp::CompressorSettings>(module()->settings);
    }
    void add() {
        QTest::mouseClick(&bench().actions().addButton(), Qt::LeftButton);
        ASSERT_NE(module(), nullptr);
        ASSERT_TRUE(settled());
    }
    void typeInto(ModuleFields& fields, const char* id, const QString& words) {
        WindowTest::typeInto(fields.bar(id), words);
    }
    /// Presses a word of a choice.
    static void choose(ChoiceRow& row, int index) {
        QTest::mouseClick(&row, Qt::LeftButton, Qt::NoModifier, row.wordRect(index).center());
    }
};

TEST_F(PunchTest, AddingACompressorSetsItUnderTheHitsAndTellsWhatItDoes) {
    open();
    EXPECT_EQ(bench().summary(), QStringLiteral("no compressor"));
    EXPECT_EQ(m_window->board().cellText(element("Snare Top"), Stage::Punch), QStringLiteral("\u00b7"));
    add();
    const auto* c = punch().compression();
    ASSERT_EQ(c->hits.size(), 12U);
    // Bursts of full scale: their level is near 0 dBFS, the threshold 8 dB under it.
    EXPECT_NEAR(settings().thresholdDb, c->hits[5].levelDb - 8, 0.6);
    EXPECT_LT(c->middleChangeDb(), -1);
    EXPECT_TRUE(bench().summary().startsWith(QStringLiteral("lowers the middle hit by up to ")))
        << bench().summary().toStdString();
    EXPECT_EQ(m_window->board().cellText(element("Snare Top"), Stage::Punch), QStringLiteral("4:1"));
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Add a compressor, Snare Top"));
    m_window->document().undo();
    EXPECT_EQ(module(), nullptr);
}

TEST_F(PunchTest, ValuesAreTypedFromTheDescription) {
    open();
    add();
    typeInto(bench().fields(), "ratio", QStringLiteral("inf"));
    EXPECT_EQ(settings().ratio, dsp::kInfiniteRatio);
    EXPECT_EQ(bench().fields().bar("ratio")->valueText(), QStringLiteral("infinite"));
    EXPECT_EQ(m_window->board().cellText(element("Snare Top"), Stage::Punch), QStringLiteral("\u221e:1"));
    typeInto(bench().fields(), "attack_ms", QStringLiteral("200 us"));
    EXPECT_NEAR(settings().attackMs, 0.2, 1e-9);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Compressor attack, Snare Top"));
    ASSERT_TRUE(settled());
    // So quick that the peak itself is held near the threshold.
    EXPECT_NEAR(punch().compression()->hits[5].changeDb, -8, 1);
    const auto shown = bench().findChildren<QToolButton*>();
    ASSERT_FALSE(shown.isEmpty());
    QTest::mouseClick(shown.front(), Qt::LeftButton);
    ASSERT_TRUE(bench().more().isVisible());
    for (const auto* row : bench().more().findChildren<ChoiceRow*>())
        EXPECT_GE(row->width(), row->sizeHint().width()) << "no word is cut off";
    choose(*bench().more().choice("direction"), 1);
    EXPECT_EQ(settings().direction, dsp::CompressorDirection::Up);
    EXPECT_EQ(settings().rangeDb, 12) << "what raises begins with a range";
    choose(*bench().more().choice("direction"), 0);
    EXPECT_EQ(settings().rangeDb, 80);
    choose(*bench().more().choice("detector"), 1);
    EXPECT_EQ(settings().detector, dsp::CompressorDetector::Rms);
}

TEST_F(PunchTest, ThresholdAndRatioAreDraggedOnTheCurve) {
    open();
    add();
    auto& curve = bench().curve();
    const auto drag = [&](QPointF from, QPointF to) {
        QTest::mousePress(&curve, Qt::LeftButton, Qt::NoModifier, from.toPoint());
        QTest::mouseMove(&curve, ((from + to) / 2).toPoint());
        QTest::mouseMove(&curve, to.toPoint());
        QTest::mouseRelease(&curve, Qt::LeftButton, Qt::NoModifier, to.toPoint());
    };
    const double before = settings().thresholdDb;
    const QPointF threshold = curve.handleAt(LevelCurvePicture::Handle::Threshold);
    drag(threshold, {curve.xOf(-30), threshold.y()});
    EXPECT_NEAR(settings().thresholdDb, -30, 0.6);
    typeInto(bench().fields(), "knee_db", QStringLiteral("0"));
    const QPointF ratio = curve.handleAt(LevelCurvePicture::Handle::Ratio);
    EXPECT_NEAR(ratio.y(), curve.yOf(-22.5), 1) << "30 dB over, 4:1";
    drag(ratio, {ratio.x(), curve.yOf(-15)}); // 15 of 30 dB are taken: 2:1
    EXPECT_NEAR(settings().ratio, 2, 0.15);
    m_window->document().undo();
    EXPECT_EQ(settings().ratio, 4) << "a drag is one step";
    m_window->document().undo();
    m_window->document().undo();
    EXPECT_EQ(settings().thresholdDb, before);
}

TEST_F(PunchTest, AShaperIsAddedSetAndTellsWhatItDoesAtEqualLoudness) {
    open();
    QTest::mouseClick(&bench().actions().addButton(1), Qt::LeftButton);
    const auto* shaper = session::findModule<dsp::TransientSettings>(*session().chain(element("Snare Top")));
    ASSERT_NE(shaper, nullptr);
    EXPECT_TRUE(bench().curve().isHidden());
    EXPECT_TRUE(bench().fields().isHidden());
    EXPECT_FALSE(bench().shaperFields().isHidden());
    ASSERT_TRUE(waitFor([&] { return punch().shapes() != nullptr && !punch().isBusy(); }));
    EXPECT_NEAR(punch().shapes()->keptAttackDb, 0, 0.01) << "at zero it does nothing";
    typeInto(bench().shaperFields(), "attack_percent", QStringLiteral("60"));
    ASSERT_TRUE(waitFor([&] { return punch().shapes() != nullptr && !punch().isBusy(); }));
    EXPECT_GT(punch().shapes()->keptAttackDb, 1);
    EXPECT_GT(punch().compression()->middleChangeDb(), 3);
    EXPECT_TRUE(bench().shapeText().contains(QStringLiteral("beginnings +")))
        << bench().shapeText().toStdString();
    EXPECT_EQ(m_window->board().cellText(element("Snare Top"), Stage::Punch), QStringLiteral("+60+0"));
    EXPECT_FALSE(bench().shaperFields().bar("from_hz")->isEnabled());
    choose(*bench().shaperFields().choice("band"), 1);
    EXPECT_TRUE(bench().shaperFields().bar("from_hz")->isEnabled());
    // A compressor beside it is set by itself.
    QTest::mouseClick(&bench().actions().addButton(0), Qt::LeftButton);
    EXPECT_FALSE(bench().curve().isHidden());
    EXPECT_EQ(punch().modules().size(), 2U);
}

TEST_F(PunchTest, ATooSlowReleaseIsAFindingThatIsKept) {
    open();
    add();
    typeInto(bench().fields(), "release_ms", QStringLiteral("2000"));
    typeInto(bench().fields(), "threshold_db", QStringLiteral("-30"));
    auto& findings = m_window->findings();
    const auto release = [&]() -> const advise::Finding* {
        for (const auto& f : findings.findings())
            if (f.id.starts_with("punch-release-"))
                return &f;
        return nullptr;
    };
    ASSERT_TRUE(waitFor([&] { return release() != nullptr && !findings.isBusy(); }));
    ASSERT_TRUE(release()->proposal);
    findings.keep(release()->id);
    EXPECT_LT(settings().releaseMs, 1000);
    ASSERT_TRUE(waitFor([&] { return release() == nullptr && !findings.isBusy(); }));
}

TEST_F(PunchTest, ASecondOneIsChosenSetAndRemovedAlone) {
    open();
    add();
    QTest::mouseClick(&bench().actions().addButton(), Qt::LeftButton);
    ASSERT_NE(module(2), nullptr);
    ASSERT_TRUE(bench().actions().whichBox().isVisible());
    EXPECT_EQ(bench().actions().whichBox().currentText(), QStringLiteral("compressor 2"));
    EXPECT_EQ(m_window->board().cellText(element("Snare Top"), Stage::Punch), QStringLiteral("2 on"));
    typeInto(bench().fields(), "ratio", QStringLiteral("10"));
    EXPECT_EQ(std::get<dsp::CompressorSettings>(module(2)->settings).ratio, 10);
    EXPECT_EQ(settings().ratio, 4);
    bench().actions().whichBox().setCurrentIndex(0);
    emit bench().actions().whichBox().activated(0);
    EXPECT_EQ(bench().fields().bar("ratio")->value(), 4);
    QTest::mouseClick(&bench().actions().removeButton(), Qt::LeftButton);
    EXPECT_EQ(module(1), nullptr);
    ASSERT_NE(module(2), nullptr) << "the second stays the second";
    EXPECT_EQ(bench().fields().bar("ratio")->value(), 10);
}

TEST_F(PunchTest, AKeyIsChosenWithWhereItIsTappedAndACircleIsRefused) {
    open();
    add();
    EXPECT_FALSE(bench().actions().tapRow().isVisible());
    auto& box = bench().actions().keyBox();
    const int kick = box.findData(element("Kick In"));
    ASSERT_GE(kick, 0);
    box.setCurrentIndex(kick);
    emit box.activated(kick);
    EXPECT_EQ(module()->key, element("Kick In"));
    EXPECT_EQ(module()->keyTap, session::KeyTap::Chain);
    ASSERT_TRUE(bench().actions().tapRow().isVisible());
    ASSERT_TRUE(settled());
    EXPECT_FALSE(punch().material()->key.empty());
    EXPECT_EQ(punch().compression()->hits.size(), 12U) << "those of the kick";
    choose(bench().actions().tapRow(), 0);
    EXPECT_EQ(module()->keyTap, session::KeyTap::Source);
    choose(bench().actions().tapRow(), 1);
    // The kick may not listen to the snare's chain now.
    m_window->document().select(element("Kick In"));
    QTest::mouseClick(&bench().actions().addButton(), Qt::LeftButton);
    auto& back = bench().actions().keyBox();
    const int snare = back.findData(element("Snare Top"));
    back.setCurrentIndex(snare);
    emit back.activated(snare);
    EXPECT_EQ(module(1, "Kick In")->key, session::kNoId);
    EXPECT_EQ(back.currentData().toInt(), session::kNoId);
    ASSERT_FALSE(m_window->document().notes().isEmpty());
    EXPECT_TRUE(m_window->document().notes().back().contains(QStringLiteral("feed itself")));
}

TEST_F(PunchTest, ABusShowsTheHitsOfAllDrums) {
    open();
    m_window->document().select(session().master().id);
    ASSERT_TRUE(settled());
    EXPECT_EQ(punch().compression()->hits.size(), 24U);
    QTest::mouseClick(&bench().actions().addButton(), Qt::LeftButton);
    ASSERT_TRUE(settled());
    EXPECT_LT(punch().compression()->middleChangeDb(), -0.5);
}

TEST_F(PunchTest, ItIsHeardBypassedWhileAKeyIsHeldAndItsGainIsShownWhilePlaying) {
    open();
    add();
    typeInto(bench().fields(), "threshold_db", QStringLiteral("-40"));
    typeInto(bench().fields(), "release_ms", QStringLiteral("2 s"));
    m_window->playback().togglePlay();
    auto& board = m_window->board();
    ASSERT_TRUE(waitFor([&] {
        const auto text = board.cellText(element("Snare Top"), Stage::Punch);
        return text.startsWith(QChar(0x2212)) && text != QStringLiteral("\u22120.0");
    })) << board.cellText(element("Snare Top"), Stage::Punch).toStdString();
    bench().curve().setFocus();
    QTest::keyPress(&bench().curve(), Qt::Key_P);
    EXPECT_TRUE(m_window->playback().isAuditioning());
    QTest::keyRelease(&bench().curve(), Qt::Key_P);
    EXPECT_FALSE(m_window->playback().isAuditioning());
    m_window->playback().stop();
    ASSERT_TRUE(
        waitFor([&] { return board.cellText(element("Snare Top"), Stage::Punch) == QStringLiteral("4:1"); }));
    QTest::mouseClick(&bench().actions().onBox(), Qt::LeftButton, Qt::NoModifier,
                      QPoint(8, bench().actions().onBox().height() / 2));
    EXPECT_FALSE(module()->isOn);
    EXPECT_EQ(board.cellText(element("Snare Top"), Stage::Punch), QStringLiteral("off"));
    ASSERT_TRUE(settled());
    EXPECT_TRUE(bench().summary().startsWith(QStringLiteral("off; would: ")));
}

TEST_F(PunchTest, ASectionHasItsOwnThreshold) {
    open();
    add();
    auto next = session();
    next.sections = {{"fill", 4, 8, {}}};
    m_window->document().edit(next, QStringLiteral("sections"));
    auto& box = bench().actions().sectionBox();
    box.setCurrentIndex(1);
    emit box.activated(1);
    EXPECT_FALSE(bench().more().choice("detector")->isEnabled());
    const double all = settings().thresholdDb;
    typeInto(bench().fields(), "threshold_db", QStringLiteral("-50"));
    EXPECT_EQ(settings().thresholdDb, all);
    ASSERT_EQ(module()->changes.size(), 1U);
    EXPECT_EQ(module()->changes[0].values.at("threshold_db"), -50);
    EXPECT_EQ(bench().fields().bar("threshold_db")->value(), -50);
    ASSERT_TRUE(settled());
    box.setCurrentIndex(0);
    emit box.activated(0);
    // Of all hits those at 4.75 s and 5.75 s lie in it.
    const auto& hits = punch().compression()->hits;
    EXPECT_LT(hits[5].changeDb, hits[1].changeDb - 5);
}

TEST_F(PunchTest, ThePicturesShowHitsBeforeAndAfter) {
    open();
    const auto dots = [&] { return pixelsOf(pictureOf(bench().curve()), theme().teal, 60); };
    const int without = dots();
    EXPECT_GT(without, 10);
    add();
    typeInto(bench().fields(), "attack_ms", QStringLiteral("0.02"));
    typeInto(bench().fields(), "ratio", QStringLiteral("20"));
    ASSERT_TRUE(settled());
    // The line of before stands over the filled area of after.
    EXPECT_GT(pixelsOf(pictureOf(bench().hit()), theme().ochre, 40), 100);
    EXPECT_GT(pixelsOf(pictureOf(bench().hit()), theme().tealSoft, 10), 1000);
    QWidget& hit = bench().hit();
    m_window->document().undo(); // another ratio, another area
    ASSERT_TRUE(settled());
    const auto soft = pictureOf(hit);
    m_window->document().redo();
    ASSERT_TRUE(settled());
    EXPECT_NE(pictureOf(hit), soft);
}

TEST_F(PunchTest, AttackAndReleaseAreDraggedOnTheGain) {
    open();
    add();
    auto& hit = bench().hit();
    using Handle = HitGainPicture::Handle;
    const auto drag = [&](Handle handle, double ms) {
        const QPointF from = hit.handleAt(handle);
        const QPointF to(hit.xOf(ms), from.y());
        QTest::mousePress(&hit, Qt::LeftButton, Qt::NoModifier, from.toPoint());
        QTest::mouseMove(&hit, ((from + to) / 2).toPoint());
        QTest::mouseMove(&hit, to.toPoint());
        QTest::mouseRelease(&hit, Qt::LeftButton, Qt::NoModifier, to.toPoint());
    };
    EXPECT_NEAR(hit.msAt(hit.xOf(7)), 7, 1e-6);
    EXPECT_NEAR(hit.msAt(hit.xOf(250)), 250, 1e-6);
    EXPECT_GT(hit.xOf(20) - hit.xOf(0), 5 * (hit.xOf(40) - hit.xOf(20))) << "a scale of its own";
    EXPECT_NEAR(hit.handleAt(Handle::Attack).x(), hit.xOf(settings().attackMs), 1);
    drag(Handle::Attack, 5);
    EXPECT_NEAR(settings().attackMs, 5, 0.4);
    ASSERT_TRUE(settled());
    const int undone = m_window->document().undoLabel().size();
    EXPECT_GT(undone, 0);
    const double farthest = hit.msAt(hit.handleAt(Handle::Release).x()) - settings().releaseMs;
    drag(Handle::Release, 200);
    EXPECT_NEAR(settings().releaseMs, 200 - farthest, 4);
    m_window->document().undo(); // a drag is one step
    m_window->document().undo();
    EXPECT_EQ(settings().attackMs, dsp::CompressorSettings().attackMs);
}

TEST_F(PunchTest, OneHitIsLookedAtByClickAndByKeys) {
    open();
    add();
    auto& marks = bench().marks();
    const auto& c = *punch().compression();
    const auto average = punch().course()->gainDb;
    const double third = punch().material()->hits[static_cast<std::size_t>(c.hits[2].hit)].timeS;
    QTest::mouseClick(&marks, Qt::LeftButton, Qt::NoModifier,
                      QPointF(marks.xOf(third), marks.height() / 2.0).toPoint());
    EXPECT_EQ(punch().chosenHit(), c.hits[2].hit);
    EXPECT_NE(punch().course(), &punch().compression()->average);
    // Of that hit alone: its farthest gain is what is told of it.
    const auto& gain = punch().course()->gainDb;
    EXPECT_NEAR(*std::min_element(gain.begin() + measure::HitCourse::kBeforeMs, gain.end()),
                c.hits[2].changeDb, 0.05);
    QTest::keyClick(&marks, Qt::Key_Right);
    EXPECT_EQ(punch().chosenHit(), c.hits[3].hit);
    EXPECT_TRUE(marks.accessibleDescription().startsWith(QStringLiteral("hit 4 of 12")))
        << marks.accessibleDescription().toStdString();
    QTest::keyClick(&marks, Qt::Key_Escape);
    EXPECT_EQ(punch().chosenHit(), -1);
    EXPECT_EQ(punch().course()->gainDb, average);
}

TEST_F(PunchTest, ASectionTellsOfItsHitsAlone) {
    open();
    add();
    auto next = session();
    next.sections = {{"fill", 4, 8, {}}};
    m_window->document().edit(next, QStringLiteral("sections"));
    ASSERT_TRUE(settled());
    const auto whole = punch().compression()->hits.size();
    auto& box = bench().actions().sectionBox();
    box.setCurrentIndex(1);
    emit box.activated(1);
    ASSERT_TRUE(settled());
    const auto& part = *punch().compression();
    ASSERT_LT(part.hits.size(), whole);
    ASSERT_FALSE(part.hits.empty());
    for (const auto& hit : part.hits) {
        const double timeS = punch().material()->hits[static_cast<std::size_t>(hit.hit)].timeS;
        EXPECT_GE(timeS, 4);
        EXPECT_LT(timeS, 8);
    }
    EXPECT_EQ(part.followed, static_cast<int>(part.hits.size()) - 1);
    EXPECT_EQ(punch().shapes()->before.size(), part.hits.size());
}

TEST_F(PunchTest, ABusSaysWhoDrivesIt) {
    open();
    for (const auto& bus : session().buses)
        if (bus->name == "Kit")
            m_window->document().select(bus->id);
    ASSERT_TRUE(settled());
    EXPECT_TRUE(bench().drivers().text().isEmpty());
    QTest::mouseClick(&bench().actions().addButton(), Qt::LeftButton);
    typeInto(bench().fields(), "threshold_db", QStringLiteral("-40"));
    ASSERT_TRUE(waitFor([&] { return !bench().drivers().text().isEmpty(); }));
    const QString text = bench().drivers().text();
    EXPECT_TRUE(text.contains(QStringLiteral("Snare Top"))) << text.toStdString();
    EXPECT_TRUE(bench().drivers().isVisible());
}

} // namespace
} // namespace cask::app
