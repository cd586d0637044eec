// What findings weigh, what is folded, and what is told as one.
#include "core/advise/causes.h"
#include "core/advise/weights.h"
#include "core/session/edits.h"

#include <gtest/gtest.h>

namespace cask::advise {
namespace {

/// A kick at -6 dBFS and a hat at -26, whose spill is at -16.
struct Kit {
    session::Session session = session::emptySession();
    KitMeasures measures;
    session::Id kick = session::kNoId;
    session::Id hat = session::kNoId;

    Kit() {
        auto hits = std::make_shared<HitAnalysis>();
        for (const auto& [name, role] :
             {std::pair("Kick", Role::KickIn), std::pair("Hat", Role::ClosedHat)}) {
            session::Element e;
            e.id = session.nextId++;
            e.name = name;
            e.role = role;
            (role == Role::KickIn ? kick : hat) = e.id;
            hits->elements.push_back(e.id);
            session.elements.emplace_back(std::move(e));
        }
        hits->hits.kit.drums = {{"Kick", Role::KickIn, {0}}, {"Hat", Role::ClosedHat, {1}}};
        hits->hits.kit.drumOf = {0, 1};
        hits->spill.rooms.resize(2);
        hits->spill.rooms[0].ownDb = -6;
        hits->spill.rooms[0].spillDb = -26;
        hits->spill.rooms[1].ownDb = -26;
        hits->spill.rooms[1].spillDb = -16;
        measures.hits = hits;
    }
};

Finding finding(const std::string& id, session::Id element, std::vector<EvidenceNumber> numbers,
                Severity severity = Severity::Advice) {
    Finding f;
    f.id = id;
    f.element = element;
    f.severity = severity;
    f.numbers = std::move(numbers);
    return f;
}

TEST(Weights, AChangeCountsHalfForEveryTenDecibelsUnderTheLoudest) {
    const Kit kit;
    std::vector<Finding> list{
        finding("pair-1-2", kit.kick, {{"low_sum", -2, "dB"}, {"low_sum_after", 1, "dB"}}),
        finding("pair-2-3", kit.hat, {{"low_sum", -2, "dB"}, {"low_sum_after", 1, "dB"}}),
        finding("gate-1", kit.kick, {{"spill change", -8, "dB"}}),
        finding("gate-2", kit.hat, {{"spill change", -8, "dB"}})};
    weigh(list, kit.session, kit.measures, HouseStyle());
    EXPECT_DOUBLE_EQ(list[0].weight, 3);
    EXPECT_DOUBLE_EQ(list[1].weight, 3.0 / 4) << "20 dB under the kick";
    EXPECT_DOUBLE_EQ(list[2].weight, 8.0 / 4) << "its spill is";
    EXPECT_DOUBLE_EQ(list[3].weight, 8.0 / 2);
    EXPECT_FALSE(list[0].isFolded);
    EXPECT_TRUE(list[1].isFolded);
    // A fader moves it.
    auto louder = kit.session;
    louder = session::withElement(louder, kit.hat, [](auto& e) { e.out.levelDb = 10; });
    weigh(list, louder, kit.measures, HouseStyle());
    EXPECT_DOUBLE_EQ(list[1].weight, 3.0 / 2);
    EXPECT_FALSE(list[1].isFolded);
}

TEST(Weights, AFaultIsNeverFoldedAndASoftBrokenFileIsBroken) {
    const Kit kit;
    std::vector<Finding> list{finding("clipped-9", kit.hat, {}, Severity::Fault),
                              finding("gap-9", kit.hat, {}, Severity::Fault),
                              finding("late-side-2", kit.hat, {}, Severity::Fault),
                              finding("fundamental-2", kit.hat, {}, Severity::Note)};
    HouseStyle strict;
    strict.foldBelow = 20;
    weigh(list, kit.session, kit.measures, strict);
    EXPECT_DOUBLE_EQ(list[0].weight, 12);
    EXPECT_GT(list[1].weight, list[0].weight);
    EXPECT_DOUBLE_EQ(list[2].weight, 6);
    for (const auto& f : list)
        EXPECT_FALSE(f.isFolded) << f.id;
}

TEST(Weights, ASecondMicrophoneThatIsInvertedWeighsHoweverSoftItIs) {
    const Kit kit;
    std::vector<Finding> list{finding(
        "pair-1-2", kit.hat, {{"low_sum", -1, "dB"}, {"low_sum_after", 0, "dB"}, {"inverted", 1, ""}})};
    weigh(list, kit.session, kit.measures, HouseStyle());
    EXPECT_DOUBLE_EQ(list[0].weight, 4);
}

TEST(Weights, ARingWeighsByWhatStandsOutOfTheDrumsOwnTone) {
    const Kit kit;
    const auto ring = [&](double out, double level, double crowd, double overNote) {
        std::vector<Finding> list{finding("ring-1-800", kit.kick,
                                          {{"out", out, "dB"},
                                           {"level", level, "dB"},
                                           {"crowd", crowd, "dB"},
                                           {"over note", overNote, ""},
                                           {"decay", 300, "ms"},
                                           {"around", 300, "ms"}})};
        weigh(list, kit.session, kit.measures, HouseStyle());
        return list[0].weight;
    };
    EXPECT_DOUBLE_EQ(ring(22, -8, 4, 4), 22 - 4 - 12);
    EXPECT_DOUBLE_EQ(ring(22, -8, 11, 4), 18 - 11 - 5.5) << "others stand out as well";
    EXPECT_DOUBLE_EQ(ring(22, -8, 4, 1.5), 0) << "the second mode of a head";
}

TEST(Causes, GatesAreOneFindingThatMakesAllTheMoves) {
    const Kit kit;
    std::vector<Finding> list;
    for (const auto id : {kit.kick, kit.hat}) {
        auto f = finding(
            "gate-" + std::to_string(id), id,
            {{"spill change", id == kit.kick ? -8.0 : -12.0, "dB"}, {"hits", 20, ""}, {"kept", 19, ""}});
        f.stage = Stage::Clean;
        f.weight = id == kit.kick ? 2 : 3;
        f.proposal =
            Proposal{"", [id](session::Session s) {
                         return session::withElement(std::move(s), id, [](auto& e) { e.input.trimDb = 1; });
                     }};
        list.push_back(std::move(f));
    }
    auto alone = std::vector{list.front()};
    gatherByCause(alone, kit.session);
    EXPECT_EQ(alone.size(), 1U) << "one is told as it is";
    gatherByCause(list, kit.session);
    ASSERT_EQ(list.size(), 3U);
    EXPECT_TRUE(list[0].isFolded);
    EXPECT_TRUE(list[1].isFolded);
    const auto& all = list[2];
    EXPECT_EQ(all.id, "spill-all");
    EXPECT_DOUBLE_EQ(all.weight, 3);
    EXPECT_NE(all.sentence.find("Kick and Hat take 8 to 12 dB"), std::string::npos) << all.sentence;
    EXPECT_NE(all.sentence.find("38 of 40"), std::string::npos) << all.sentence;
    const auto after = all.proposal->apply(kit.session);
    for (const auto& e : after.elements)
        EXPECT_DOUBLE_EQ(e->input.trimDb, 1) << e->name;
}

} // namespace
} // namespace cask::advise
