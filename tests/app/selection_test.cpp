// Several rows at once: selecting, editing, linking, folding, copying and pasting, recipes.
#include "app/window/recipe_list.h"
#include "app/window/recipe_sheet.h"
#include "core/session/edits.h"
#include "core/session/recipe_files.h"
#include "tests/app/window_fixture.h"

#include <QApplication>
#include <QCheckBox>
#include <QClipboard>
#include <QListWidget>
#include <QTableWidget>

namespace cask::app {
namespace {

/// Three toms that are struck in turn, the second 6 dB softer.
class Selection : public WindowTest {
  protected:
    void SetUp() override {
        const auto tom = [](double hz, double firstS, float gain) {
            auto x = test::bursts(hz, 1.5, firstS, 0.08, 12);
            for (float& v : x)
                v *= gain;
            return x;
        };
        test::writeWav(m_folder / "Rack Tom 1.wav", tom(160, 0.1, 0.8F));
        test::writeWav(m_folder / "Rack Tom 2.wav", tom(120, 0.6, 0.4F));
        test::writeWav(m_folder / "Floor Tom.wav", tom(80, 1.1, 0.8F));
        drop({text(m_folder / "Rack Tom 1.wav"), text(m_folder / "Rack Tom 2.wav"),
              text(m_folder / "Floor Tom.wav")});
        ASSERT_TRUE(waitMeasured());
        ASSERT_TRUE(
            waitFor([&] { return !m_window->hits().isBusy() && m_window->hits().analysis() != nullptr; }));
        m_first = element("Rack Tom 1");
        m_second = element("Rack Tom 2");
        m_third = element("Floor Tom");
        m_window->document().select(m_first);
        board().setFocus();
    }
    [[nodiscard]] Board& board() { return m_window->board(); }
    [[nodiscard]] double level(Id id) { return session().output(id)->levelDb; }
    void clickName(Id id, Qt::KeyboardModifiers keys = {}) {
        const auto row = board().rowRect(id);
        QTest::mouseClick(&board(), Qt::LeftButton, keys, {40, row.top() + 8});
    }
    void setLevel(Id id, double db) {
        m_window->document().edit(
            session::withOutput(session(), id, [&](session::Output& out) { out.levelDb = db; }), "Level");
    }
    template <class Dialog> [[nodiscard]] Dialog* dialog() {
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
        const auto all = m_window->findChildren<Dialog*>();
        return all.isEmpty() ? nullptr : all.back();
    }
    [[nodiscard]] std::optional<double> opensAt(Id id) {
        const auto* gate = session::findModule<dsp::GateSettings>(*session().chain(id));
        return gate == nullptr ? std::nullopt
                               : std::optional(std::get<dsp::GateSettings>(gate->settings).openDb);
    }
    void addGate() {
        auto s = session();
        dsp::GateSettings gate;
        gate.openDb = -30;
        session::addModule(s, m_first, gate);
        m_window->document().edit(std::move(s), "Gate", {}, Document::Spreads::No);
    }

    Id m_first = session::kNoId;
    Id m_second = session::kNoId;
    Id m_third = session::kNoId;
};

TEST_F(Selection, CtrlAndShiftChooseMoreAndOneEditChangesAll) {
    setLevel(m_second, -6);
    m_window->document().select(m_first);
    clickName(m_third, Qt::ControlModifier);
    EXPECT_EQ(m_window->document().selection(), (std::vector<Id>{m_first, m_third}));
    clickName(m_third, Qt::ControlModifier);
    EXPECT_EQ(m_window->document().selection(), std::vector<Id>{m_first});
    clickName(m_third, Qt::ShiftModifier);
    EXPECT_EQ(m_window->document().selection().size(), 3U);
    setLevel(m_first, -2);
    EXPECT_EQ(level(m_first), -2);
    EXPECT_EQ(level(m_second), -8);
    EXPECT_EQ(level(m_third), -2);
    m_window->document().undo();
    EXPECT_EQ(level(m_second), -6) << "one step for all";
    EXPECT_EQ(level(m_third), 0);
    QTest::keyClick(&board(), Qt::Key_Escape);
    EXPECT_EQ(m_window->document().selection().size(), 1U);
    QTest::keyClick(&board(), Qt::Key_Down, Qt::ShiftModifier);
    EXPECT_EQ(m_window->document().selection().size(), 2U);
    QTest::keyClick(&board(), Qt::Key_Up, Qt::ShiftModifier);
    EXPECT_EQ(m_window->document().selection().size(), 1U) << "back the way it came";
}

TEST_F(Selection, ALinkLastsAndIsUndone) {
    clickName(m_second, Qt::ControlModifier);
    QTest::keyClick(m_window.get(), Qt::Key_L, Qt::ControlModifier);
    ASSERT_EQ(session().links.size(), 1U);
    clickName(m_third);
    clickName(m_first);
    setLevel(m_first, -4);
    EXPECT_EQ(level(m_second), -4);
    EXPECT_EQ(level(m_third), 0);
    QTest::keyClick(m_window.get(), Qt::Key_L, Qt::ControlModifier);
    EXPECT_TRUE(session().links.empty());
    setLevel(m_first, -5);
    EXPECT_EQ(level(m_second), -4);
}

TEST_F(Selection, SoloAndMuteAreNoEdits) {
    auto& document = m_window->document();
    clickName(m_second, Qt::ControlModifier);
    const auto undo = document.undoLabel();
    QTest::keyClick(m_window.get(), Qt::Key_A);
    EXPECT_TRUE(session().output(m_first)->isAlone && session().output(m_second)->isAlone);
    EXPECT_EQ(document.undoLabel(), undo);
    setLevel(m_first, -3);
    document.undo();
    EXPECT_TRUE(session().output(m_first)->isAlone) << "what is listened to stays";
    QTest::mouseClick(&board(), Qt::LeftButton, Qt::AltModifier, board().aloneRect(m_third).center());
    EXPECT_TRUE(session().output(m_third)->isAlone);
    EXPECT_FALSE(session().output(m_first)->isAlone) << "with Alt it is alone";
    QTest::keyClick(m_window.get(), Qt::Key_A, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_FALSE(session().output(m_third)->isAlone);
    QTest::keyClick(m_window.get(), Qt::Key_F5, Qt::ShiftModifier);
    EXPECT_TRUE(session().output(m_third)->isMuted);
    QTest::keyClick(m_window.get(), Qt::Key_F5, Qt::ShiftModifier);
    EXPECT_FALSE(session().output(m_third)->isMuted);
    QTest::keyClick(m_window.get(), Qt::Key_1, Qt::ControlModifier);
    EXPECT_TRUE(session().buses.front()->out.isAlone);
}

TEST_F(Selection, RowsFoldAndHide) {
    const Id shells = session().buses.front()->id;
    m_window->document().select(shells);
    ASSERT_FALSE(board().rowRect(m_second).isNull());
    QTest::mouseClick(&board(), Qt::LeftButton, {}, board().foldRect(shells).center());
    EXPECT_TRUE(board().rowRect(m_second).isNull());
    m_window->document().select(m_second);
    EXPECT_FALSE(board().rowRect(m_second).isNull()) << "the selected one is seen";
    EXPECT_TRUE(board().rowRect(m_third).isNull());
    QTest::mouseClick(&board(), Qt::LeftButton, {}, board().foldRect(shells).center());
    EXPECT_FALSE(board().rowRect(m_third).isNull());
    const int high = board().sizeHint().height();
    QTest::mouseClick(&board(), Qt::LeftButton, {}, board().foldRect(session::kNoId).center());
    EXPECT_LT(board().sizeHint().height(), high);
    m_window->document().select(m_third);
    QTest::keyClick(m_window.get(), Qt::Key_H, Qt::ControlModifier);
    EXPECT_TRUE(board().rowRect(m_third).isNull());
    EXPECT_NE(session().element(m_third), nullptr) << "hidden, not gone";
    QTest::keyClick(m_window.get(), Qt::Key_H, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_FALSE(board().rowRect(m_third).isNull());
}

TEST_F(Selection, AChainIsPastedWithTheDifferenceOfOwnHits) {
    addGate();
    QTest::keyClick(m_window.get(), Qt::Key_C, Qt::ControlModifier);
    EXPECT_TRUE(QApplication::clipboard()->text().contains(QStringLiteral("ember-cask-recipe")));
    clickName(m_second);
    clickName(m_third, Qt::ControlModifier);
    QTest::keyClick(m_window.get(), Qt::Key_V, Qt::ControlModifier);
    auto* sheet = dialog<RecipeSheet>();
    ASSERT_NE(sheet, nullptr);
    EXPECT_FALSE(sheet->isModal());
    EXPECT_FALSE(opensAt(m_second).has_value()) << "shown, not taken";
    ASSERT_GE(sheet->values().rowCount(), 2);
    QTest::mouseClick(&sheet->takeButton(), Qt::LeftButton);
    // Half the amplitude is 6.02 dB; the third is as loud as the first.
    ASSERT_TRUE(opensAt(m_second) && opensAt(m_third));
    EXPECT_NEAR(*opensAt(m_second), -30 - 6.02, 0.4);
    EXPECT_NEAR(*opensAt(m_third), -30, 0.6);
    m_window->document().undo();
    EXPECT_FALSE(opensAt(m_second) || opensAt(m_third)) << "one step";
}

TEST_F(Selection, PastedAsItIsWrittenAndWithoutAModule) {
    addGate();
    auto s = session();
    session::addModule(s, m_first, dsp::CompressorSettings{});
    m_window->document().edit(std::move(s), "c", {}, Document::Spreads::No);
    QTest::keyClick(m_window.get(), Qt::Key_C, Qt::ControlModifier);
    clickName(m_second);
    QTest::keyClick(m_window.get(), Qt::Key_V, Qt::ControlModifier);
    auto* sheet = dialog<RecipeSheet>();
    ASSERT_NE(sheet, nullptr);
    QTest::mouseClick(&sheet->adapting(), Qt::LeftButton, {}, sheet->adapting().wordRect(1).center());
    EXPECT_EQ(sheet->values().rowCount(), 0);
    ASSERT_EQ(sheet->modules().size(), 2U);
    sheet->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(sheet));
    sheet->modules()[1]->setFocus();
    QTest::keyClick(sheet->modules()[1], Qt::Key_Space);
    EXPECT_FALSE(sheet->modules()[1]->isChecked());
    EXPECT_FALSE(m_window->playback().isPlaying());
    QTest::keyClick(sheet, Qt::Key_Return);
    EXPECT_EQ(opensAt(m_second), -30.0);
    EXPECT_EQ(session().chain(m_second)->size(), 1U);
}

TEST_F(Selection, WhatIsNoChainIsSaidAndNothingHappens) {
    QApplication::clipboard()->setText(QStringLiteral("hello"));
    QTest::keyClick(m_window.get(), Qt::Key_V, Qt::ControlModifier);
    EXPECT_EQ(dialog<RecipeSheet>(), nullptr);
    EXPECT_TRUE(m_window->findingsPanel().text().contains(QStringLiteral("is not a recipe")));
    QTest::keyClick(m_window.get(), Qt::Key_C, Qt::ControlModifier);
    EXPECT_TRUE(m_window->findingsPanel().text().contains(QStringLiteral("Nothing to copy")));
    EXPECT_EQ(QApplication::clipboard()->text(), QStringLiteral("hello"));
}

TEST_F(Selection, RecipesAreKeptFoundAndUsed) {
    addGate();
    m_window->askForName = [](const QString&, const QString&) { return QStringLiteral("Our tom"); };
    QTest::keyClick(m_window.get(), Qt::Key_R, Qt::ControlModifier);
    auto* list = dialog<RecipeList>();
    ASSERT_NE(list, nullptr);
    EXPECT_TRUE(list->list().currentItem()->text().startsWith(QStringLiteral("Tom: clean")))
        << "of the selected role first";
    QTest::mouseClick(&list->keepChainButton(), Qt::LeftButton);
    ASSERT_NE(session::loadRecipes().find("our tom"), nullptr);
    QTest::keyClicks(&list->search(), QStringLiteral("our tom"));
    ASSERT_TRUE(list->list().currentItem()->text().startsWith(QStringLiteral("Our tom")));
    m_window->document().select(m_second);
    QTest::mouseClick(&list->useButton(), Qt::LeftButton);
    auto* sheet = dialog<RecipeSheet>();
    ASSERT_NE(sheet, nullptr);
    QTest::mouseClick(&sheet->takeButton(), Qt::LeftButton);
    EXPECT_TRUE(opensAt(m_second).has_value());
    QTest::mouseClick(&list->removeButton(), Qt::LeftButton);
    EXPECT_EQ(session::loadRecipes().find("our tom"), nullptr);
}

TEST_F(Selection, ARowIsRenderedToAnElementOfItsOwn) {
    m_window->document().edit(session::withOutput(session(), m_first,
                                                  [](session::Output& out) {
                                                      out.levelDb = -6;
                                                      out.pan = 0.5;
                                                  }),
                              "Level");
    const auto before = session().elements.size();
    QTest::keyClick(&board(), Qt::Key_R, Qt::ControlModifier | Qt::AltModifier);
    EXPECT_FALSE(m_window->document().notes().isEmpty()) << "an unsaved session has no folder for it";
    m_window->askForSaveName = [this](const QString&) { return text(m_folder / "Toms.cask"); };
    m_window->save();
    m_window->document().select(m_first);
    QTest::keyClick(&board(), Qt::Key_R, Qt::ControlModifier | Qt::AltModifier);
    ASSERT_TRUE(waitFor([&] { return !m_window->isWorking(); }));
    ASSERT_EQ(session().elements.size(), before + 1);
    const Id made = m_window->document().selected();
    EXPECT_EQ(session().nameOf(made), "Rack Tom 1 bounced");
    EXPECT_EQ(session().element(made)->role, session().element(m_first)->role);
    EXPECT_EQ(level(made), 0);
    EXPECT_TRUE(session().output(m_first)->isMuted);
    EXPECT_FALSE(session().output(made)->isMuted);
    const auto sound = test::readAll(m_folder / "Toms.cask" / "audio" / "Rack Tom 1 bounced.wav");
    const double source = test::peakOf(test::readAll(m_folder / "Rack Tom 1.wav"));
    EXPECT_NEAR(test::peakOf(sound), source * dbToLinear(-6) * std::sin(0.75 * kPi / 2), 1e-4)
        << "at its level, to the right by constant power";
    m_window->document().undo();
    EXPECT_EQ(session().elements.size(), before);
    EXPECT_FALSE(session().output(m_first)->isMuted);
}

} // namespace
} // namespace cask::app
