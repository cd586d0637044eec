#include "core/measure/hits/rhythm.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kGridS = 0.01;
using Grid = std::vector<float>;

Grid smoothed(const Grid& grid) {
    Grid out(grid.size());
    for (std::size_t n = 0; n < grid.size(); ++n)
        out[n] = grid[n] + 0.5F * ((n > 0 ? grid[n - 1] : 0) + (n + 1 < grid.size() ? grid[n + 1] : 0));
    return out;
}

/// The lag at which grids repeat best, in steps; 0 where they are too short.
long bestLag(std::span<const Grid> grids, double fromS, double toS) {
    const auto size = static_cast<long>(grids.front().size());
    const auto from = static_cast<long>(fromS / kGridS);
    const long to = std::min(static_cast<long>(toS / kGridS), size - 1);
    float most = -1;
    long best = 0;
    for (long lag = from; lag < to; ++lag) {
        float sum = 0;
        for (const auto& grid : grids)
            for (long n = 0; n + lag < size; ++n)
                sum += grid[static_cast<std::size_t>(n)] * grid[static_cast<std::size_t>(n + lag)];
        sum /= static_cast<float>(size - lag);
        if (sum > most) {
            most = sum;
            best = lag;
        }
    }
    return best;
}

/// What is heard at some distances from a step, on average.
float meanAt(const Grid& grid, long at, std::span<const long> distances) {
    constexpr float kUnknown = 0.3F;
    constexpr long kReach = 2;
    const auto size = static_cast<long>(grid.size());
    float sum = 0;
    int known = 0;
    for (const long d : distances) {
        if (at + d < 0 || at + d >= size)
            continue;
        float most = 0;
        for (long n = std::max(0L, at + d - kReach); n <= std::min(size - 1, at + d + kReach); ++n)
            most = std::max(most, grid[static_cast<std::size_t>(n)]);
        sum += most;
        ++known;
    }
    return known > 0 ? sum / static_cast<float>(known) : kUnknown;
}

} // namespace

long Rhythm::stepOf(double timeS) const {
    return std::lround((timeS - m_startS) / kGridS);
}

Rhythm::Rhythm(std::span<const std::vector<TimedShare>> voices) {
    double endS = -1e9;
    m_startS = 1e9;
    for (const auto& voice : voices)
        for (const auto& s : voice) {
            m_startS = std::min(m_startS, s.timeS);
            endS = std::max(endS, s.timeS);
        }
    const auto steps = static_cast<std::size_t>(endS < m_startS ? 1 : stepOf(endS) + 2);
    std::vector<Grid> soft;
    for (const auto& voice : voices) {
        Grid grid(steps);
        for (const auto& s : voice) {
            float& cell = grid[static_cast<std::size_t>(stepOf(s.timeS))];
            cell = std::max(cell, s.share);
        }
        soft.push_back(smoothed(grid));
        m_grids.push_back(std::move(grid));
    }
    if (soft.empty())
        return;
    m_bar = bestLag(soft, 1.0, 4.2);
    for (std::size_t v = 0; v < soft.size(); ++v)
        m_pulses.push_back(bestLag(std::span(soft).subspan(v, 1), 0.09, 1.05));
}

std::array<float, 3> Rhythm::around(std::size_t voice, double timeS) const {
    const Grid& grid = m_grids[voice];
    const long at = stepOf(timeS);
    const long t = m_pulses[voice];
    return {meanAt(grid, at, std::array{t, -t}), meanAt(grid, at, std::array{2 * t, -2 * t}),
            meanAt(grid, at, std::array{m_bar, -m_bar, 2 * m_bar, -2 * m_bar})};
}

} // namespace cask::measure
