// What is said of the hits of a file that holds a kit of its own.
#include "core/advise/advise.h"

#include <gtest/gtest.h>

namespace cask::advise {
namespace {

TEST(HitFindings, ALoopIsOneNoteWithItsDrumsAndNotDrumsWithoutAMicrophone) {
    session::Session s;
    session::Element element;
    element.id = 7;
    element.name = "Break";
    s.elements.push_back(element);
    auto known = std::make_shared<HitAnalysis>();
    HitAnalysis& hits = *known;
    hits.elements = {7};
    hits.hits.inputs = 1;
    hits.hits.kit.drumOf = {-1};
    hits.hits.kit.loops = {0};
    hits.hits.kit.ambient = {0};
    hits.hits.kit.drums = {{"kick", Role::KickIn, {}}, {"hat", Role::ClosedHat, {}}};
    for (int k = 0; k < 5; ++k) {
        const int drum = k < 2 ? 0 : 1;
        hits.hits.heard.push_back({0, drum, k, true, 0.5 * k, -10, 0.9});
        hits.hits.strokes.push_back({drum, 0.5 * k, -10, 0.8, measure::HitClass::Normal, 0.9});
        hits.hits.levelsDb.push_back(-10);
    }
    hits.hits.limits.resize(2);
    hits.hits.lagS = {0};
    hits.spill.rooms.resize(1);
    hits.timing.errorMs.assign(5, 0);
    hits.timing.drums.resize(2);
    KitMeasures measures;
    measures.hits = known;
    std::vector<Finding> notes;
    for (const auto& f : advise(s, measures, HouseStyle()))
        if (f.id.starts_with("loop-") || f.id.starts_with("no-microphone"))
            notes.push_back(f);
    ASSERT_EQ(notes.size(), 1U);
    EXPECT_EQ(notes[0].sentence,
              "Break holds a kit of its own; told apart by their sound: kick 2, hat 3 hits.");
    EXPECT_EQ(notes[0].severity, Severity::Note);
    EXPECT_EQ(notes[0].element, 7);
}

} // namespace
} // namespace cask::advise
