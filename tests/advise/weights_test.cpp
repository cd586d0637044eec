// What findings weigh, what is folded, and what is told as one.
#include "core/advise/causes.h"
#include "core/advise/weights.h"
#include "core/session/edits.h"

#include <gtest/gtest.h>

#include <cmath>

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

TEST(Causes, LowCutsOfCloseMicrophonesAreOneFinding) {
    const Kit kit;
    std::vector<Finding> list;
    for (const auto id : {kit.kick, kit.hat}) {
        auto f = finding("low-cut-" + std::to_string(id), id,
                         {{"spill change", id == kit.kick ? -4.1 : -2.8, "dB"},
                          {"own change", id == kit.kick ? -0.4 : -0.5, "dB"}});
        f.proposal =
            Proposal{"", [id](session::Session s) {
                         return session::withElement(std::move(s), id, [](auto& e) { e.input.trimDb = 1; });
                     }};
        list.push_back(std::move(f));
    }
    gatherByCause(list, kit.session);
    ASSERT_EQ(list.size(), 3U);
    EXPECT_EQ(list[2].id, "low-cut-close");
    EXPECT_EQ(list[2].sentence,
              "High-passes on Kick and Hat take 2.8 to 4.1 dB off the spill there and cost own "
              "hits at most 0.5 dB.");
    const auto after = list[2].proposal->apply(kit.session);
    for (const auto& e : after.elements)
        EXPECT_EQ(e->input.trimDb, 1) << e->name;
    list.resize(2);
    for (auto& f : list)
        f.isFolded = false;
    auto overhead = kit.session;
    overhead = session::withElement(overhead, kit.hat, [](auto& e) { e.role = Role::Overhead; });
    gatherByCause(list, overhead);
    EXPECT_EQ(list.size(), 2U) << "an overhead's is another job";
}

/// A snare in two microphones and a tom in one; rings as the tone findings tell them.
struct RingKit {
    session::Session session = session::emptySession();
    HitAnalysis hits;
    std::map<std::string, dsp::EqBand> cuts;
    std::vector<Finding> findings;
    enum Place { Top, Bottom, Tom };

    RingKit() {
        for (const auto* name : {"Top", "Bottom", "Tom"}) {
            session::Element e;
            e.id = session.nextId++;
            e.name = name;
            hits.elements.push_back(e.id);
            session.elements.emplace_back(std::move(e));
        }
        hits.hits.kit.drums = {{"Top", Role::SnareTop, {0, 1}}, {"Tom", Role::RackTom, {2}}};
        hits.hits.kit.drumOf = {0, 0, 1};
    }
    void add(Place place, double hz, double outDb) {
        const auto id = hits.elements[place];
        auto f = finding("ring-" + std::to_string(id) + "-" + std::to_string(std::lround(hz)), id,
                         {{"frequency", hz, "Hz"}, {"out", outDb, "dB"}, {"level", 0, "dB"}});
        dsp::EqBand band;
        band.frequencyHz = hz;
        band.gainDb = -6;
        cuts[f.id] = band;
        f.proposal = Proposal{"", [id, band](session::Session s) {
                                  session::addBand(s, id, band);
                                  return s;
                              }};
        findings.push_back(std::move(f));
    }
    [[nodiscard]] std::size_t bandsAfter(const Finding& f, Place place) const {
        const auto after = f.proposal->apply(session);
        std::size_t bands = 0;
        for (const auto& module : *after.chain(hits.elements[place]))
            if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings))
                bands += eq->bands.size();
        return bands;
    }
};

TEST(Causes, ARingInBothMicrophonesOfADrumIsOneFindingWithACutInEach) {
    RingKit kit;
    kit.add(RingKit::Bottom, 801, 15);
    kit.add(RingKit::Top, 800, 20);
    joinRings(kit.findings, kit.cuts, kit.session, kit.hits);
    ASSERT_EQ(kit.findings.size(), 1U);
    EXPECT_EQ(kit.findings[0].element, kit.hits.elements[RingKit::Top]);
    EXPECT_EQ(kit.bandsAfter(kit.findings[0], RingKit::Top), 1U);
    EXPECT_EQ(kit.bandsAfter(kit.findings[0], RingKit::Bottom), 1U);
    EXPECT_NE(kit.findings[0].sentence.find("Bottom hears it too"), std::string::npos);
}

TEST(Causes, ARingThatStandsOutInTheSecondMicrophoneAloneIsCutInBoth) {
    RingKit kit;
    kit.add(RingKit::Bottom, 470, 20);
    kit.add(RingKit::Top, 980, 18);
    joinRings(kit.findings, kit.cuts, kit.session, kit.hits);
    ASSERT_EQ(kit.findings.size(), 2U);
    const auto& ring = kit.findings[0];
    EXPECT_EQ(ring.element, kit.hits.elements[RingKit::Bottom]);
    EXPECT_EQ(kit.bandsAfter(ring, RingKit::Top), 1U);
    EXPECT_EQ(kit.bandsAfter(ring, RingKit::Bottom), 1U);
    EXPECT_NE(ring.sentence.find("Top gets the same cut."), std::string::npos);
    EXPECT_EQ(kit.bandsAfter(kit.findings[1], RingKit::Bottom), 0U) << "another ring";
}

TEST(Causes, ARingThatAnotherDrumHasMoreOfIsToldThere) {
    RingKit kit;
    kit.add(RingKit::Top, 300, 12);
    kit.add(RingKit::Tom, 301, 20);
    joinRings(kit.findings, kit.cuts, kit.session, kit.hits);
    ASSERT_EQ(kit.findings.size(), 1U);
    EXPECT_EQ(kit.findings[0].element, kit.hits.elements[RingKit::Tom]);
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
