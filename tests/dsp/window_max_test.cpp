// Windows of the greatest against a search through all that came.
#include "core/dsp/window_max.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>

namespace cask::dsp {
namespace {

/// What the kernels do at the end of a cell, lane by lane.
void push(WindowMax& window, const LaneFloats& cell) {
    window.ring[static_cast<std::size_t>(window.ringAt)] = cell;
    window.ringAt = (window.ringAt + 1) & (static_cast<int>(window.ring.size()) - 1);
    for (int l = 0; l < kLanes; ++l)
        window.block[l] = std::max(window.block[l], cell[l]);
    window.turnLanes();
}

class WindowMaxTest : public testing::Test {
  protected:
    static constexpr int kMost = 40;
    void SetUp() override {
        m_window.least = 0.01F;
        m_window.prepare(kMost);
        for (int l = 0; l < kLanes; ++l)
            setCells(l, 1 + 5 * l);
    }
    void setCells(int lane, int cells) {
        m_window.setCells(lane, cells);
        m_cells[static_cast<std::size_t>(lane)] = cells;
    }
    LaneFloats next() {
        LaneFloats cell;
        for (int l = 0; l < kLanes; ++l)
            cell[l] = std::exponential_distribution<float>(8)(m_random);
        m_all.push_back(cell);
        return cell;
    }
    [[nodiscard]] float greatest(int lane) const {
        float most = 0.01F;
        const auto before = static_cast<std::size_t>(m_cells[static_cast<std::size_t>(lane)] - 1);
        for (std::size_t i = 0; i < std::min(before, m_all.size()); ++i)
            most = std::max(most, m_all[m_all.size() - 1 - i][lane]);
        return most;
    }
    void expectAll(const WindowMax& window, int step) const {
        for (int l = 0; l < kLanes; ++l)
            ASSERT_EQ(window.earlier[l], greatest(l)) << "lane " << l << ", step " << step;
    }
    WindowMax m_window;
    std::array<int, kLanes> m_cells{};
    std::vector<LaneFloats> m_all;
    std::mt19937 m_random{3};
};

TEST_F(WindowMaxTest, IsTheGreatestOfEachLanesCellsAlsoWhileWindowsChange) {
    expectAll(m_window, -1);
    for (int step = 0; step < 2000; ++step) {
        push(m_window, next());
        expectAll(m_window, step);
        if (step % 13 == 0) { // longer or shorter from now on
            setCells(static_cast<int>(m_random() % kLanes), 1 + static_cast<int>(m_random() % kMost));
            push(m_window, next());
            expectAll(m_window, step);
        }
    }
    m_window.reset();
    m_all.clear();
    push(m_window, next());
    expectAll(m_window, 2000);
}

TEST_F(WindowMaxTest, LanesOfAnotherGoOnThere) {
    for (int step = 0; step < 100; ++step)
        push(m_window, next());
    WindowMax other;
    other.least = 0.01F;
    other.prepare(kMost);
    push(other, m_all[3]); // at another place of its ring
    for (int l = 0; l < kLanes; ++l)
        other.setCells(l, m_cells[static_cast<std::size_t>(l)]);
    for (int l = 0; l < kLanes; ++l)
        other.copyLane(l, m_window, l);
    expectAll(other, 100);
    for (int step = 0; step < 100; ++step) {
        push(other, next());
        expectAll(other, step);
    }
}

} // namespace
} // namespace cask::dsp
