// What every kind of module does to sound in time: other values in a section, jumps, plans swapped in
// between.
#include "core/base/units.h"
#include "core/graph/runner.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "tests/support/allocation_counter.h"
#include "tests/support/signals.h"
#ifdef CASK_EXAMPLE_KIND
#include "tests/example_kind/audible.h"
#endif

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

namespace cask::graph {
namespace {

using session::Id;
using session::Session;

constexpr Frames kSectionStart = 48000;
constexpr Frames kSectionEnd = 4 * 48000;
constexpr Frames kLength = 5 * 48000;

/// Settings with which every value that glides is heard.
void makeAudible(dsp::EqSettings& eq, Session& s) {
    dsp::EqBand still{s.nextId++, dsp::FilterKind::Bell, true, 900, 6, 2, 24};
    dsp::EqBand moving{s.nextId++, dsp::FilterKind::Bell, true, 300, 3, 1, 24};
    moving.dynamics = dsp::Dynamics::Above;
    moving.thresholdDb = -42;
    moving.rangeDb = -8;
    eq.bands = {still, moving};
}
void makeAudible(dsp::LimiterSettings& ceiling, Session&) {
    ceiling.ceilingDb = -18;
}
void makeAudible(dsp::GateSettings& gate, Session&) {
    gate.openDb = -16;
    gate.closeDb = -22;
    gate.ratio = 3;
    gate.floorDb = -60;
}
void makeAudible(dsp::LowEndSettings& lowEnd, Session&) {
    lowEnd.boostDb = 4;
    lowEnd.cutDb = 4;
}
void makeAudible(dsp::BodySettings& body, Session&) {
    body.driveDb = 24;
    body.levelDb = 6;
}
void makeAudible(dsp::ClipperSettings& clipper, Session&) {
    clipper.ceilingDb = -18;
}
void makeAudible(dsp::CrushSettings& crush, Session&) {
    crush.bits = 6;
    crush.rateHz = 9000;
    crush.isFiltered = true;
    crush.mixPercent = 70;
}
void makeAudible(dsp::SaturationSettings& saturation, Session&) {
    saturation.driveDb = 18;
    saturation.mixPercent = 60;
}
void makeAudible(dsp::TransientSettings& transient, Session&) {
    transient.attackPercent = 60;
    transient.sustainPercent = 40;
    transient.mixPercent = 70;
}
void makeAudible(dsp::PumpSettings& pump, Session& s) {
    s.tempo.bpm = 117; // strokes and beats part
    pump.depthDb = 12;
    pump.points = {{s.nextId++, 10, 0}, {s.nextId++, 50, 80}};
}
void makeAudible(dsp::CompressorSettings& compressor, Session&) {
    compressor.thresholdDb = -24;
    compressor.rangeDb = 8;
    compressor.mixPercent = 70;
    compressor.isSoftClipped = true;
    compressor.clipDb = -14;
}

/// Strokes of noise over a soft floor of it: gates open and close, bands move.
std::vector<float> strokes(double amplitude = 0.5, unsigned seed = 7) {
    auto x = test::noise(amplitude, kLength, seed);
    for (std::size_t n = 0; n < x.size(); ++n) {
        const double age = static_cast<double>(n % 12000) / 48000;
        x[n] *= static_cast<float>(0.02 + std::exp(-age / 0.05));
    }
    return x;
}

/// Greatest difference against the greatest level of the other, dB.
double differenceDb(const std::vector<float>& a, const std::vector<float>& b, Frames from, Frames to) {
    double worst = 0;
    double peak = 1e-9;
    for (auto n = static_cast<std::size_t>(2 * from); n < static_cast<std::size_t>(2 * to); ++n) {
        worst = std::max(worst, std::abs(static_cast<double>(a[n]) - b[n]));
        peak = std::max(peak, std::abs(static_cast<double>(b[n])));
    }
    return linearToDb(std::max(worst, 1e-12) / peak);
}

template <class T> class KindSound : public testing::Test {
  protected:
    KindSound()
        : m_kit(test::memoryKit({{strokes(), strokes(0.2, 8)}, {strokes(0.1, 9)}})),
          m_session(m_kit.session) {
        m_session.sections = {{"fill", 1, 4, {}}};
        T settings;
        makeAudible(settings, m_session);
        m_id = session::addModule(m_session, m_kit.elements[0], settings);
    }
    /// Names of all values that glide, as a section change keeps them.
    [[nodiscard]] std::vector<std::string> names() const {
        std::vector<std::string> names;
        for (const auto& f : session::fieldsOf<T>())
            if (f.info.glides)
                names.emplace_back(f.info.id);
        if constexpr (session::HasItems<T>)
            for (const auto& item : session::KindOf<T>::items(std::get<T>(module().settings)))
                for (const auto& f : session::itemFieldsOf<T>())
                    if (f.info.glides && isHeard(item, f.info.id))
                        names.push_back(std::to_string(item.id) + "/" + std::string(f.info.id));
        return names;
    }
    [[nodiscard]] static bool isHeard(const dsp::EqBand& band, std::string_view id) {
        return band.isDynamic() || id == "frequency_hz" || id == "gain_db" || id == "q";
    }
    [[nodiscard]] static bool isHeard(const dsp::PumpPoint& /*point*/, std::string_view /*id*/) {
        return true;
    }
    [[nodiscard]] const session::Module& module() const {
        return *session::findModule<T>(*m_session.chain(m_kit.elements[0]));
    }
    /// Somewhat higher or lower than it is.
    [[nodiscard]] double otherValue(const std::string& name) const {
        const auto moving = *session::movingValue(module().settings, name);
        const double share = session::toShare(*moving.info, moving.value);
        return session::fromShare(*moving.info, share > 0.5 ? share - 0.2 : share + 0.2);
    }
    [[nodiscard]] Session withFill(const std::string& name) const {
        return session::withSectionChange(m_session, m_id, {"fill", 20, {{name, otherValue(name)}}, {}, {}});
    }
    /// As if the values of the fill held all the time.
    [[nodiscard]] Session always(const std::string& name) const {
        return session::withModule(m_session, m_id, [&](session::Module& m) {
            m.settings = session::withChange(m.settings, {"fill", 20, {{name, otherValue(name)}}, {}, {}});
        });
    }
    [[nodiscard]] std::vector<float> rendered(const Session& s, int block = 512) const {
        return test::render(s, m_kit.lookup, kLength, block);
    }

    test::MemoryKit m_kit;
    Session m_session;
    Id m_id = session::kNoId;
};

template <class List> struct TestTypes;
template <class... T> struct TestTypes<session::TypeList<T...>> { using type = testing::Types<T...>; };
TYPED_TEST_SUITE(KindSound, typename TestTypes<session::Kinds>::type);

TYPED_TEST(KindSound, EveryGlidingValueIsOtherInASection) {
    // A look-ahead, a release or a decay reach over the edges.
    constexpr Frames kEdge = 24000;
    const auto plain = this->rendered(this->m_session);
    ASSERT_FALSE(this->names().empty());
    for (const auto& name : this->names()) {
        SCOPED_TRACE(name);
        const auto filled = this->rendered(this->withFill(name));
        const auto always = this->rendered(this->always(name));
        EXPECT_LT(differenceDb(filled, plain, 0, kSectionStart - 1200), -199);
        EXPECT_GT(differenceDb(filled, plain, kSectionStart + kEdge, kSectionEnd), -75) << "it is heard";
        EXPECT_LT(differenceDb(filled, always, kSectionEnd - kEdge, kSectionEnd - 1200), -80);
        EXPECT_LT(differenceDb(filled, plain, kLength - kEdge / 2, kLength), -80) << "it goes back";
    }
}

TYPED_TEST(KindSound, ASectionBeginsInTheSoundWhereItBeginsInTheSong) {
    // Something in front makes the sound late by 20 ms; the change must wait along.
    auto s = this->m_session;
    dsp::GateSettings open;
    open.openDb = -90;
    open.lookAheadMs = 20;
    const Id front = session::addModule(s, this->m_kit.elements[0], open, 9);
    while (s.chain(this->m_kit.elements[0])->front().id != front)
        s = session::withModulesSwapped(s, this->m_kit.elements[0], front, this->m_id);
    const int own = (*compile(s, this->m_kit.lookup))->latencyFrames - 960;
    const auto name = this->names().front();
    const auto plain = this->rendered(s);
    const auto filled = this->rendered(
        session::withSectionChange(s, this->m_id, {"fill", 20, {{name, this->otherValue(name)}}, {}, {}}));
    const auto [first, other] = std::mismatch(filled.begin(), filled.end(), plain.begin());
    ASSERT_NE(first, filled.end());
    EXPECT_GE((first - filled.begin()) / 2, kSectionStart - own);
    EXPECT_LE((first - filled.begin()) / 2, kSectionStart + 14000) << "with the next stroke at the latest";
}

TYPED_TEST(KindSound, SectionsMayStandInAnyOrder) {
    const auto name = this->names().front();
    auto s = this->withFill(name);
    s.sections = {{"fill", 1, 2, {}}, {"fill", 3, 4, {}}};
    const auto inOrder = this->rendered(s);
    std::swap(s.sections[0], s.sections[1]);
    EXPECT_EQ(this->rendered(s), inOrder);
}

TYPED_TEST(KindSound, SectionsSoundTheSameHoweverTheSoundIsCutUp) {
    auto s = this->m_session;
    session::SectionChange change{"fill", 30, {}, {}, {}};
    for (const auto& name : this->names())
        change.values[name] = this->otherValue(name);
    s = session::withSectionChange(s, this->m_id, change);
    const auto whole = this->rendered(s, 1024);
    for (const int block : {64, 333})
        EXPECT_EQ(this->rendered(s, block), whole) << block;
}

TYPED_TEST(KindSound, AJumpIntoASectionFindsItsValues) {
    for (const auto& name : this->names()) {
        SCOPED_TRACE(name);
        Runner runner(*compile(this->withFill(name), this->m_kit.lookup), 480);
        Runner steady(*compile(this->always(name), this->m_kit.lookup), 480);
        for (Frames at = 0; at < 9600; at += 480)
            runner.process(at, 480); // before the section
        runner.reset();
        for (Frames at = 100000; at < 100000 + 24000; at += 480) {
            runner.process(at, 480);
            steady.process(at, 480);
            for (int n = 0; n < 480; ++n)
                ASSERT_EQ(runner.mix()[n * dsp::kLanes], steady.mix()[n * dsp::kLanes]) << at + n;
        }
    }
}

TYPED_TEST(KindSound, AnEqualPlanTakenOverInASectionChangesNoBit) {
    for (const auto& name : this->names()) {
        SCOPED_TRACE(name);
        const auto plan = *compile(this->withFill(name), this->m_kit.lookup);
        Runner unbroken(plan, 480);
        Runner first(plan, 480);
        Runner second(plan, 480);
        const test::AllocationCounter counter;
        for (Frames at = 24000; at < 96000; at += 480) {
            unbroken.process(at, 480);
            if (at == 72000)
                second.adopt(first);
            Runner& heard = at < 72000 ? first : second;
            heard.process(at, 480);
            for (int n = 0; n < 480; ++n)
                ASSERT_EQ(heard.mix()[n * dsp::kLanes], unbroken.mix()[n * dsp::kLanes]) << at + n;
        }
        EXPECT_EQ(test::AllocationCounter::count(), 0);
    }
}

/// Something else changed in the kit, and everything lies elsewhere: what sounded goes on.
TYPED_TEST(KindSound, AnotherLayoutGoesOnWithTheSameSound) {
    auto other = this->m_session;
    session::addBand(other, this->m_kit.elements[1], {0, dsp::FilterKind::Bell, true, 500, 3, 1, 24});
    std::rotate(other.elements.begin(), other.elements.begin() + 1, other.elements.end());
    other = session::withOutput(std::move(other), this->m_kit.elements[1],
                                [](session::Output& out) { out.isMuted = true; });
    auto here = session::withOutput(this->m_session, this->m_kit.elements[1],
                                    [](session::Output& out) { out.isMuted = true; });
    Runner before(*compile(here, this->m_kit.lookup), 480);
    Runner after(*compile(other, this->m_kit.lookup), 480);
    Runner unbroken(*compile(other, this->m_kit.lookup), 480);
    ASSERT_FALSE(after.hasSameLayout(before));
    double worst = 0;
    for (Frames at = 0; at < 96000; at += 480) {
        unbroken.process(at, 480);
        if (at < 48000) {
            before.process(at, 480);
            continue;
        }
        if (at == 48000)
            after.adopt(before);
        after.process(at, 480);
        // Delayed routes begin anew: they are silent for as long as they wait.
        for (int n = at < 48000 + 960 ? 480 : 0; n < 480; ++n)
            worst = std::max(worst, static_cast<double>(std::abs(after.mix()[n * dsp::kLanes] -
                                                                 unbroken.mix()[n * dsp::kLanes])));
    }
    EXPECT_LT(linearToDb(worst), -60);
}

TEST(PlanInputs, KeysOfGatesAndOfDynamicBandsAreSoundThatIsRead) {
    auto kit = test::memoryKit({{test::noise(0.1, 4800, 1)}, {test::noise(0.1, 4800, 2)}});
    Session s = kit.session;
    dsp::GateSettings gate; // makes what follows it late, so that the key is read at a place of its own
    gate.lookAheadMs = 2;
    session::addModule(s, kit.elements[0], gate);
    dsp::EqBand band;
    band.dynamics = dsp::Dynamics::Above;
    band.isKeyed = true;
    session::addBand(s, kit.elements[0], band);
    const Id eq = session::findEq(*s.chain(kit.elements[0]), session::EqPlace::Repair)->id;
    const auto keyed = session::withKey(s, kit.elements[0], eq, kit.elements[1]);
    ASSERT_TRUE(keyed);
    const auto plan = *compile(*keyed, kit.lookup);
    const auto source = kit.lookup(keyed->element(kit.elements[1])->channels[0].file);
    int late = 0;
    visitInputs(*plan, [&](const LaneInput& input) {
        late += input.source == source && input.delayFrames == 96 ? 1 : 0;
    });
    EXPECT_EQ(late, 1);
}

} // namespace
} // namespace cask::graph
