#include "core/advise/advise.h"
#include "core/session/edits.h"

#include <gtest/gtest.h>

namespace cask::advise {
namespace {

double masterDb(const session::Session& s) {
    for (const auto& bus : s.buses)
        if (bus->isMaster)
            return bus->out.levelDb;
    return kSilenceDb;
}

TEST(BalanceFindings, ThePassedTargetThatIsPassedByMostIsAdvice) {
    const auto s = session::emptySession();
    HouseStyle style;
    style.headroomKitDb = -9;
    KitMeasures measures;
    EXPECT_TRUE(balanceFindings(s, measures, style).empty()); // not measured yet
    measures.headroom = Headroom{{-12, -4.5, kSilenceDb, -2.5}};
    const auto found = advise(s, measures, style);
    ASSERT_EQ(found.size(), 1U);
    const auto& f = found.front();
    EXPECT_EQ(f.id, "headroom");
    EXPECT_EQ(f.stage, Stage::Balance);
    EXPECT_EQ(f.severity, Severity::Advice);
    EXPECT_DOUBLE_EQ(numberOf(f, "over"), 4.5);
    EXPECT_NE(f.sentence.find("the kit"), std::string::npos) << f.sentence;
    EXPECT_TRUE(f.isFolded); // nothing is heard otherwise
    ASSERT_TRUE(f.proposal);
    EXPECT_DOUBLE_EQ(masterDb(f.proposal->apply(s)), masterDb(s) - 4.5);
}

TEST(BalanceFindings, WithinItsTargetsThereIsNone) {
    KitMeasures measures;
    measures.headroom = Headroom{{-10, -8, -7, -6}};
    EXPECT_TRUE(advise(session::emptySession(), measures, {}).empty());
}

} // namespace
} // namespace cask::advise
