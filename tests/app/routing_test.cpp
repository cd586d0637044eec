// Sends, names, buses and sections through the window.
#include "app/bench/balance/sends_row.h"
#include "app/widgets/name_box.h"
#include "core/session/routing.h"
#include "tests/app/window_fixture.h"

#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QMenuBar>

namespace cask::app {
namespace {

class Routing : public WindowTest {
  protected:
    void SetUp() override {
        for (const char* name : {"Kick.wav", "Snare.wav"})
            test::writeWav(m_folder / name, test::bursts(120, 0.5, 0.1, 0.05, 4));
        drop({text(m_folder / "Kick.wav"), text(m_folder / "Snare.wav")});
        ASSERT_TRUE(waitMeasured());
    }
    Id bus(const std::string& name) {
        for (const auto& b : session().buses)
            if (b->name == name)
                return b->id;
        return session::kNoId;
    }
    void trigger(const QString& begins) {
        for (auto* action : m_window->findChildren<QAction*>())
            if (action->text().startsWith(begins)) {
                action->trigger();
                return;
            }
        FAIL() << "no menu entry begins with " << begins.toStdString();
    }
    void answer(const QString& name) {
        m_window->askForName = [name](const QString&, const QString&) { return name; };
    }
};

TEST_F(Routing, ACopyIsSentChangedAndTakenBack) {
    m_window->document().select(element("Snare"));
    m_window->document().setStage(Stage::Balance);
    auto& sends = m_window->bench().balance().sends();
    auto* choice = sends.addChoice();
    const int rooms = choice->findText(QStringLiteral("Rooms"));
    ASSERT_GT(rooms, 0);
    choice->setCurrentIndex(rooms);
    emit choice->activated(rooms);
    ASSERT_EQ(session().output(element("Snare"))->sends.size(), 1U);
    EXPECT_EQ(session().output(element("Snare"))->sends[0].levelDb, -12);
    EXPECT_EQ(m_window->document().undoLabel(), QStringLiteral("Send a copy, Snare to Rooms"));
    EXPECT_EQ(choice->findText(QStringLiteral("Rooms")), -1) << "one copy for each bus";

    auto* level = sends.levelBar(bus("Rooms"));
    ASSERT_NE(level, nullptr);
    level->setFocus();
    QTest::keyClick(level, Qt::Key_Up);
    EXPECT_EQ(session().output(element("Snare"))->sends[0].levelDb, -11.5);
    EXPECT_EQ(sends.levelBar(bus("Rooms")), level) << "the control that is worked on stays";
    auto* early = sends.findChild<QCheckBox*>();
    ASSERT_NE(early, nullptr);
    QTest::mouseClick(early, Qt::LeftButton, {}, QPoint(8, early->height() / 2));
    EXPECT_TRUE(session().output(element("Snare"))->sends[0].isBeforeLevel);

    m_window->document().select(element("Kick"));
    EXPECT_EQ(sends.levelBar(bus("Rooms")), nullptr) << "another element has its own";
    m_window->document().select(element("Snare"));
    auto* remove = sends.findChild<QPushButton*>();
    ASSERT_NE(remove, nullptr);
    QTest::mouseClick(sends.levelBar(bus("Rooms"))->parentWidget()->findChild<QPushButton*>(),
                      Qt::LeftButton);
    EXPECT_TRUE(session().output(element("Snare"))->sends.empty());
    m_window->document().undo();
    EXPECT_EQ(session().output(element("Snare"))->sends.size(), 1U);
}

TEST_F(Routing, ASendHasAnotherLevelInASection) {
    const Id snare = element("Snare");
    auto next = *session::withSend(session(), snare, {bus("Rooms"), -12, false, {}});
    next.sections = {{"chorus", 1, 2, {}}};
    m_window->document().edit(next, QStringLiteral("a send and a section"));
    m_window->document().select(snare);
    m_window->document().setStage(Stage::Balance);
    auto& balance = m_window->bench().balance();
    auto& box = balance.sectionBox();
    box.setCurrentIndex(box.findData(QStringLiteral("chorus")));
    emit box.activated(box.currentIndex());
    auto* level = balance.sends().levelBar(bus("Rooms"));
    level->setFocus();
    QTest::keyClick(level, Qt::Key_Up);
    const auto& out = *session().output(snare);
    EXPECT_EQ(out.sends[0].levelDb, -12) << "elsewhere it stays";
    ASSERT_EQ(out.changes.size(), 1U);
    EXPECT_EQ(out.changes[0].values,
              (std::map<std::string, double>{{std::to_string(bus("Rooms")) + "/level_db", -11.5}}));
    EXPECT_EQ(level->value(), -11.5);
    EXPECT_FALSE(balance.sends().findChild<QCheckBox*>()->isEnabled()) << "no value that glides";
    EXPECT_TRUE(balance.clearButton().isVisible());
    box.setCurrentIndex(0);
    emit box.activated(0);
    EXPECT_EQ(level->value(), -12);
    m_window->document().undo();
    EXPECT_TRUE(session().output(snare)->changes.empty());
}

TEST_F(Routing, ABusMayNotSendToWhatFeedsIt) {
    m_window->document().select(bus("Kit"));
    m_window->document().setStage(Stage::Balance);
    auto* choice = m_window->bench().balance().sends().addChoice();
    EXPECT_EQ(choice->findText(QStringLiteral("Shells")), -1) << "Shells feeds Kit";
    m_window->document().select(session().master().id);
    EXPECT_FALSE(choice->isEnabled());
}

TEST_F(Routing, BusesAreAddedNamedAndRemoved) {
    const auto before = session().buses.size();
    trigger(QStringLiteral("Add a bus"));
    ASSERT_EQ(session().buses.size(), before + 1);
    const Id added = m_window->document().selected();
    ASSERT_NE(session().bus(added), nullptr) << "the new bus is on the bench";
    answer(QStringLiteral("  Crush  "));
    trigger(QStringLiteral("Rename"));
    EXPECT_EQ(session().nameOf(added), "Crush");
    auto routed = session::withOutputBus(session(), element("Snare"), added);
    m_window->document().edit(*routed, QStringLiteral("Bus"));
    m_window->document().select(added);
    trigger(QStringLiteral("Remove from"));
    EXPECT_EQ(session().bus(added), nullptr);
    EXPECT_EQ(session().output(element("Snare"))->bus, bus("Kit"));
    m_window->document().select(session().master().id);
    trigger(QStringLiteral("Remove from"));
    EXPECT_TRUE(session().master().isMaster);
    EXPECT_NE(m_window->document().notes().join(QLatin1Char(' ')).indexOf(QStringLiteral("The master stays")),
              -1);
}

TEST_F(Routing, RenamingAnElementChangesItsNameOnly) {
    m_window->document().select(element("Kick"));
    answer(QStringLiteral("Low drum \u592a\u9f13"));
    const auto before = *session().element(element("Kick"));
    const Id id = element("Kick");
    trigger(QStringLiteral("Rename"));
    auto wanted = before;
    wanted.name = "Low drum \u592a\u9f13";
    EXPECT_EQ(*session().element(id), wanted);
    answer(QStringLiteral("   "));
    trigger(QStringLiteral("Rename"));
    EXPECT_EQ(*session().element(id), wanted) << "an empty name is none";
}

TEST_F(Routing, TheNameBoxTakesWhatIsTypedAndNothingElse) {
    m_window->document().select(element("Kick"));
    trigger(QStringLiteral("Rename"));
    auto* box = m_window->findChild<NameBox*>();
    ASSERT_NE(box, nullptr);
    EXPECT_FALSE(box->isModal());
    auto* line = box->findChild<QLineEdit*>();
    EXPECT_EQ(line->text(), QStringLiteral("Kick"));
    EXPECT_EQ(line->selectedText(), QStringLiteral("Kick")) << "typing replaces it";
    QTest::keyClicks(line, QStringLiteral("Boom"));
    QTest::keyClick(line, Qt::Key_Return);
    EXPECT_NE(element("Boom"), session::kNoId);

    trigger(QStringLiteral("Rename"));
    ASSERT_TRUE(waitFor([&] { return m_window->findChildren<NameBox*>().size() == 1; }));
    box = m_window->findChild<NameBox*>();
    line = box->findChild<QLineEdit*>();
    line->clear();
    QTest::keyClick(line, Qt::Key_Return);
    EXPECT_NE(element("Boom"), session::kNoId);
    QTest::keyClick(box, Qt::Key_Escape);
    EXPECT_NE(element("Boom"), session::kNoId);
}

TEST_F(Routing, SectionsAreBegunNamedLoopedAndRemoved) {
    auto& playback = m_window->playback();
    const auto goTo = [&](double seconds) {
        playback.locate(seconds);
        return waitFor([&] { return std::abs(playback.positionS() - seconds) < 0.01; });
    };
    ASSERT_TRUE(goTo(1));
    answer(QStringLiteral("verse"));
    trigger(QStringLiteral("Begin a section"));
    ASSERT_TRUE(goTo(2.5));
    answer(QStringLiteral("chorus"));
    trigger(QStringLiteral("Begin a section"));
    ASSERT_EQ(session().sections.size(), 2U);
    EXPECT_NEAR(session().sections[0].endS, 2.5, 0.01);
    answer(QStringLiteral("last chorus"));
    trigger(QStringLiteral("Rename the section"));
    EXPECT_EQ(session().sections[1].name, "last chorus");
    trigger(QStringLiteral("Loop the section"));
    ASSERT_TRUE(playback.hasLoop());
    EXPECT_NEAR(playback.loopEndS(), session().sections[1].endS, 1e-6);
    trigger(QStringLiteral("Remove the section"));
    ASSERT_EQ(session().sections.size(), 1U);
    EXPECT_NEAR(session().sections[0].endS, 4, 0.01);
    const QImage one = pictureOf(m_window->strip());
    m_window->document().undo();
    EXPECT_NE(pictureOf(m_window->strip()), one) << "sections are marked";
    EXPECT_EQ(session().sections.size(), 2U);
}

} // namespace
} // namespace cask::app
