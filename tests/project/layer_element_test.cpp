// A layer becomes an element with a chain of its own.
#include "core/dsp/eq_settings.h"
#include "core/graph/offline_render.h"
#include "core/layers/stack_file.h"
#include "core/project/layer_element.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "core/session/intake.h"
#include "core/session/session_store.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::project {
namespace {

class LayerElementTest : public testing::Test {
  protected:
    LayerElementTest() {
        test::writeWav(m_folder / "Low.wav", test::bursts(60, 10, 0, 0.1, 0.5));
        test::writeWav(m_folder / "Click.wav", test::bursts(3000, 10, 0, 0.01, 0.2));
        for (int i = 0; i < 6; ++i)
            m_stack.strikes.push_back({0.2 + 0.3 * i, 127.0 - 15 * i, "normal", 36});
        m_stack.lengthS = 3;
        m_stack.layers = {layers::layerOf({m_folder / "Low.wav"}), layers::layerOf({m_folder / "Click.wav"})};
        m_stack.layers[1].rule.every = 2;
        const auto written = writeStack(m_stack, 48000, m_folder.path(), "Kick");
        EXPECT_TRUE(written);
        auto with = session::withMadeElement(session::emptySession(), written->file,
                                             {"Kick", Role::KickIn, session::emptySession().master().id, 0});
        m_session = std::move(with.session);
        m_kick = with.element;
        m_session = session::withElement(std::move(m_session), m_kick, [](session::Element& e) {
            e.out.levelDb = -4;
            e.out.pan = 0.3;
            e.input.isInverted = true;
        });
        dsp::EqSettings eq;
        eq.bands.push_back({1, dsp::FilterKind::Bell, true, 900, 6, 1, 24});
        session::addModule(m_session, m_kick, eq);
    }
    std::vector<float> rendered(const session::Session& s) {
        const auto sources = openOfflineSources(s, m_folder.path());
        EXPECT_TRUE(sources && sources->problems.empty());
        graph::RenderOptions options;
        options.frames = s.lengthFrames();
        std::vector<float> out;
        const auto done =
            graph::renderOffline(s, sources->lookup(), options, [&](int, std::span<const float> x) -> Status {
                out.insert(out.end(), x.begin(), x.end());
                return Done{};
            });
        EXPECT_TRUE(done);
        return out;
    }
    test::TempFolder m_folder;
    layers::Stack m_stack;
    session::Session m_session;
    session::Id m_kick = session::kNoId;
};

TEST_F(LayerElementTest, SoundsAsBeforeAndHasAChainOfItsOwn) {
    const auto before = rendered(m_session);
    const auto made = writeLayerElement(m_session, m_folder.path(), m_kick, m_stack, 1);
    ASSERT_TRUE(made) << made.error().message;
    const auto with = withLayerElement(m_session, *made);
    const auto* own = with.session.element(with.element);
    ASSERT_NE(own, nullptr);
    EXPECT_EQ(own->name, "Kick Click");
    EXPECT_EQ(own->role, Role::KickIn);
    ASSERT_EQ(own->chain.size(), 1U);
    EXPECT_NE(own->chain[0].id, m_session.element(m_kick)->chain[0].id);
    const auto after = rendered(with.session);
    ASSERT_EQ(after.size(), before.size());
    double largest = 0;
    double difference = 0;
    for (std::size_t n = 0; n < after.size(); ++n) {
        largest = std::max(largest, std::abs(static_cast<double>(before[n])));
        difference =
            std::max(difference, std::abs(static_cast<double>(after[n]) - static_cast<double>(before[n])));
    }
    EXPECT_GT(largest, 0.05);
    EXPECT_LT(20 * std::log10(difference / largest), -120);
    // Without it the lows alone are heard.
    const auto lows = rendered(session::withMute(with.session, {with.element}, true));
    EXPECT_NE(lows, before);
}

TEST_F(LayerElementTest, BothFollowTheSameStrikes) {
    const auto made = writeLayerElement(m_session, m_folder.path(), m_kick, m_stack, 1);
    ASSERT_TRUE(made);
    const auto with = withLayerElement(m_session, *made);
    const auto fileOf = [&](session::Id element) {
        return with.session.element(element)->channels.front().file;
    };
    const auto pathOf = [&](session::Id element) {
        return session::resolvePath(*with.session.file(fileOf(element)), m_folder.path());
    };
    auto edited = *layers::readStack(pathOf(with.element));
    ASSERT_EQ(edited.layers.size(), 1U);
    EXPECT_EQ(edited.layers[0].name, "Click");
    edited.strikes[2].timeS += 0.01;
    const auto changed = writeEdited(with.session, m_folder.path(), fileOf(with.element), edited);
    ASSERT_TRUE(changed);
    ASSERT_EQ(changed->size(), 2U);
    const auto next = withChangedStacks(with.session, *changed);
    const auto kick = *layers::readStack(session::resolvePath(*next.file(fileOf(m_kick)), m_folder.path()));
    EXPECT_EQ(kick.layers.size(), 1U);
    EXPECT_EQ(kick.strikes, edited.strikes);
    // Another one's strikes are its own: a second element of that name gets another pattern.
    auto other = m_stack;
    const auto again = writeLayerElement(next, m_folder.path(), m_kick, other, 0);
    ASSERT_TRUE(again);
    EXPECT_NE(layers::readStack(m_folder / again->alone.file.path)->pattern, kick.pattern);
}

TEST_F(LayerElementTest, TheOnlyLayerHasItsChainAlready) {
    m_stack.layers.resize(1);
    const auto made = writeLayerElement(m_session, m_folder.path(), m_kick, m_stack, 0);
    ASSERT_FALSE(made);
    EXPECT_NE(made.error().message.find("Kick has one layer"), std::string::npos) << made.error().message;
    EXPECT_FALSE(writeLayerElement(m_session, m_folder.path(), 999, m_stack, 0));
}

} // namespace
} // namespace cask::project
