// A step of the job whose bench is made from the descriptions of its kinds.
#include "app/bench/module/chain_order_row.h"
#include "app/bench/module/module_actions.h"
#include "app/bench/module/module_fields.h"
#include "app/bench/module/stage_bench.h"
#include "app/widgets/choice_row.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "tests/app/window_fixture.h"

#include <QCheckBox>
#include <QComboBox>

namespace cask::app {
namespace {

class DriveTest : public WindowTest {
  protected:
    void open() {
        ASSERT_NO_FATAL_FAILURE(dropKickAndSnare(0.06));
        QTest::keyClick(m_window.get(), Qt::Key_7);
        ASSERT_EQ(m_window->document().stage(), Stage::Drive);
    }
    StageBench& bench() { return m_window->bench().drive(); }
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
    EXPECT_EQ(bench().summary(), QStringLiteral("saturation 14.0 dB"));
    auto& factor = *bench().fields()->choice("oversampling");
    QTest::mouseClick(&factor, Qt::LeftButton, Qt::NoModifier, factor.wordRect(2).center());
    EXPECT_EQ(settings().oversampling, dsp::Oversampling::Eight);
    m_window->document().undo();
    m_window->document().undo();
    EXPECT_EQ(settings().driveDb, 6);
    EXPECT_EQ(cell(), QStringLiteral("6.0"));
}

TEST_F(DriveTest, ASecondOneIsSetByItselfAndRemovingLeavesTheOther) {
    open();
    add();
    EXPECT_EQ(bench().actions().addButton().text(), QStringLiteral("Add another"));
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

} // namespace
} // namespace cask::app
