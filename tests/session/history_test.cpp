#include "core/session/edits.h"
#include "core/session/history.h"

#include <gtest/gtest.h>

namespace cask::session {
namespace {

Session withLevel(const Session& s, double db) {
    return withOutput(s, s.master().id, [db](Output& out) { out.levelDb = db; });
}
double levelOf(const History& h) {
    return h.current().master().out.levelDb;
}

TEST(History, UndoesAndRedoesByName) {
    History h(emptySession());
    EXPECT_FALSE(h.canUndo());
    EXPECT_TRUE(h.apply(withLevel(h.current(), -1), "Level"));
    EXPECT_TRUE(h.apply(withLevel(h.current(), -2), "Level again"));
    EXPECT_EQ(h.undoLabel(), "Level again");
    h.undo();
    EXPECT_EQ(levelOf(h), -1);
    EXPECT_EQ(h.redoLabel(), "Level again");
    h.redo();
    EXPECT_EQ(levelOf(h), -2);
    h.undo();
    h.undo();
    EXPECT_EQ(levelOf(h), 0);
    h.undo(); // nothing left: nothing happens
    EXPECT_EQ(levelOf(h), 0);
}

TEST(History, ADragIsOneStep) {
    History h(emptySession());
    for (int i = 1; i <= 50; ++i)
        h.apply(withLevel(h.current(), -i), "Level", "drag");
    h.undo();
    EXPECT_EQ(levelOf(h), 0);
    EXPECT_FALSE(h.canUndo());
}

TEST(History, TheNextDragIsAStepOfItsOwn) {
    History h(emptySession());
    h.apply(withLevel(h.current(), -1), "Level", "drag");
    h.endMerge();
    h.apply(withLevel(h.current(), -2), "Level", "drag");
    h.undo();
    EXPECT_EQ(levelOf(h), -1);
    // A drag after undo must not swallow the step it stands on.
    h.apply(withLevel(h.current(), -3), "Level", "drag");
    h.undo();
    EXPECT_EQ(levelOf(h), -1);
}

TEST(History, AnEditAfterUndoForgetsWhatWasUndone) {
    History h(emptySession());
    h.apply(withLevel(h.current(), -1), "a");
    h.undo();
    h.apply(withLevel(h.current(), -5), "b");
    EXPECT_FALSE(h.canRedo());
    EXPECT_EQ(levelOf(h), -5);
}

TEST(History, TheSameSessionAddsNothing) {
    History h(emptySession());
    EXPECT_FALSE(h.apply(withLevel(h.current(), 0), "Level"));
    EXPECT_FALSE(h.canUndo());
}

TEST(History, KnowsWhatIsSavedThroughUndo) {
    History h(emptySession());
    h.markSaved();
    h.apply(withLevel(h.current(), -1), "a");
    EXPECT_FALSE(h.isSaved());
    h.undo();
    EXPECT_TRUE(h.isSaved());
}

TEST(History, TenThousandStepsShareWhatDoesNotChange) {
    Session s = emptySession();
    for (int i = 0; i < 64; ++i)
        addBus(s, "bus", s.master().id);
    History h(s);
    for (int i = 1; i <= 10000; ++i)
        h.apply(withLevel(h.current(), -0.001 * i), "Level");
    for (int i = 0; i < 10000; ++i)
        h.undo();
    EXPECT_TRUE(h.current().buses[5].sharesWith(s.buses[5]));
    EXPECT_EQ(h.current(), s);
}

} // namespace
} // namespace cask::session
