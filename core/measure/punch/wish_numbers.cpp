#include "core/measure/punch/wish_numbers.h"

#include "core/base/units.h"
#include "core/measure/band_part.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kPeakS = 0.020;
constexpr double kAttackS = 0.010;
constexpr double kBodyS = 0.120;
constexpr double kLateFromS = 0.060;
constexpr double kLateToS = 0.400;
constexpr double kShortestLateS = 0.020;
constexpr double kGapS = 0.030;             // before the next hit
constexpr double kShortestGapFromS = 0.060; // after the hit: before that it is the hit itself
// Before the next hit. What ducks may begin before it: a pump keeps to the grid, not to the player.
constexpr double kLeftFromS = 0.006;
constexpr double kLeftToS = 0.001;
constexpr double kDuckLeftFromS = 0.040;
constexpr double kDuckLeftToS = 0.025;
constexpr double kDuckS = 0.060;
constexpr double kHarshS = 0.040;
constexpr double kHarshFromHz = 3000;
constexpr double kHarshToHz = 9000;
constexpr double kOtherToHz = 2000;
constexpr double kSpillS = 0.020;
constexpr double kQuietDb = -100; // mean square: under it there is nothing to be judged

} // namespace

WishWindows::WishWindows(Wish wish, const HitMaterial& m)
    : m_rateHz(m.rateHz), m_wish(wish), m_channels(std::max<std::size_t>(1, m.sound.size())) {
    const std::size_t frames = m.frames();
    std::vector<std::size_t> own;
    const auto spillFrames = static_cast<std::size_t>(std::lround(kSpillS * m.rateHz));
    for (const auto& hit : m.hits) {
        const double at = (hit.timeS - m.startS) * m.rateHz;
        if (at < 0 || at >= static_cast<double>(frames))
            continue;
        if (!hit.isOwn) {
            const auto from = static_cast<std::size_t>(at);
            m_spill.push_back({from, std::min(frames, from + spillFrames)});
            m_spillDrums.push_back(hit.drum);
            continue;
        }
        own.push_back(std::min(frames - 1, static_cast<std::size_t>(std::lround(at))));
        m_hits.push_back({false, hit.hitClass == HitClass::Ghost});
    }
    for (std::size_t i = 0; i < own.size(); ++i) {
        m_hits[i].isFollowed = i + 1 < own.size();
        addHit(own[i], m_hits[i].isFollowed ? own[i + 1] : frames, m_hits[i].isFollowed);
    }
    const std::array all = {&m_peak, &m_attack, &m_body,  &m_late, &m_gap,
                            &m_left, &m_ducked, &m_harsh, &m_spill};
    for (const auto* windows : all)
        for (const auto& window : *windows)
            if (window.from < window.to)
                m_edges.insert(m_edges.end(), {window.from, window.to});
    std::sort(m_edges.begin(), m_edges.end());
    m_edges.erase(std::unique(m_edges.begin(), m_edges.end()), m_edges.end());
    const auto place = [&](std::size_t frame) {
        return static_cast<std::size_t>(std::lower_bound(m_edges.begin(), m_edges.end(), frame) -
                                        m_edges.begin());
    };
    for (auto* windows : all)
        for (auto& window : *windows)
            window = window.from < window.to ? Window{place(window.from), place(window.to)} : Window{};
}

void WishWindows::addHit(std::size_t from, std::size_t next, bool isFollowed) {
    const auto frames = [&](double s) { return static_cast<std::size_t>(std::lround(s * m_rateHz)); };
    const auto until = [&](double s) { return std::min(next, from + frames(s)); };
    m_peak.push_back({from, until(kPeakS)});
    m_attack.push_back({from, until(kAttackS)});
    m_body.push_back({until(kAttackS), until(kBodyS)});
    const bool hasLate = until(kLateToS) >= until(kLateFromS) + frames(kShortestLateS);
    m_late.push_back(hasLate ? Window{until(kLateFromS), until(kLateToS)} : Window{});
    const bool hasGap = isFollowed && next >= from + frames(kShortestGapFromS) + frames(kGapS);
    m_gap.push_back(hasGap ? Window{next - frames(kGapS), next} : Window{});
    const bool ducks = m_wish == Wish::Duck;
    const std::size_t leftFrom = frames(ducks ? kDuckLeftFromS : kLeftFromS);
    const std::size_t leftTo = frames(ducks ? kDuckLeftToS : kLeftToS);
    const bool hasLeft = isFollowed && next >= from + 2 * leftFrom;
    m_left.push_back(hasLeft ? Window{next - leftFrom, next - leftTo} : Window{});
    m_ducked.push_back({from, until(kDuckS)});
    if (m_wish == Wish::DeHarsh)
        m_harsh.push_back({from, until(kHarshS)});
}

WishFold::WishFold(const WishWindows& windows)
    : m_windows(windows), m_levels(windows.m_edges), m_loudness(windows.m_rateHz) {
    if (windows.m_wish == Wish::DeHarsh) {
        m_parts.push_back({partBank(kHarshFromHz, kHarshToHz, windows.m_rateHz), Levels(windows.m_edges)});
        m_parts.push_back({partBank(0, kOtherToHz, windows.m_rateHz), Levels(windows.m_edges)});
    }
}

void WishFold::add(std::size_t at, const float* lanes, int frames) {
    m_levels.add(at, lanes, frames);
    m_loudness.add(lanes, frames);
    for (auto& part : m_parts) {
        m_piece.assign(lanes, lanes + static_cast<std::ptrdiff_t>(frames) * dsp::kLanes);
        dsp::kernels().filter(part.filter, m_piece.data(), frames);
        part.levels.add(at, m_piece.data(), frames);
    }
}

void WishFold::Levels::add(std::size_t at, const float* lanes, int frames) {
    const std::size_t end = at + static_cast<std::size_t>(frames);
    for (std::size_t from = at; from < end;) {
        while (m_next < m_edges.size() && m_edges[m_next] <= from)
            ++m_next;
        if (m_next == m_edges.size())
            return;
        const std::size_t to = std::min(end, m_edges[m_next]);
        if (m_next > 0) { // before the first edge nothing is asked for
            dsp::LaneLevels levels;
            dsp::kernels().levels(lanes + (from - at) * dsp::kLanes, static_cast<int>(to - from), levels);
            Between& between = m_between[m_next - 1];
            for (std::size_t lane = 0; lane < dsp::kLanes; ++lane) {
                between.energy[lane] += static_cast<double>(levels.sumSquares.v[lane]);
                between.peak.v[lane] = std::max(between.peak.v[lane], levels.peak.v[lane]);
            }
        }
        from = to;
    }
}

double WishFold::Levels::meanDb(WishWindows::Window window, std::size_t lane, std::size_t lanes) const {
    if (window.from >= window.to)
        return kSilenceDb;
    double energy = 0;
    for (std::size_t i = window.from; i < window.to; ++i)
        for (std::size_t l = lane; l < lane + lanes; ++l)
            energy += m_between[i].energy[l];
    const double mean = energy / static_cast<double>(m_edges[window.to] - m_edges[window.from]);
    const double db = mean > 0 ? powerToDb(mean) : kSilenceDb;
    return db < kQuietDb ? kSilenceDb : db;
}

double WishFold::Levels::peakDb(WishWindows::Window window, std::size_t lane, std::size_t lanes) const {
    float peak = 0;
    for (std::size_t i = window.from; i < window.to; ++i)
        for (std::size_t l = lane; l < lane + lanes; ++l)
            peak = std::max(peak, m_between[i].peak.v[l]);
    return peak > 0 ? linearToDb(static_cast<double>(peak)) : kSilenceDb;
}

WishNumbers WishFold::numbers(std::size_t sound) const {
    const std::size_t lanes = m_windows.m_channels;
    const std::size_t lane = sound * lanes;
    const auto means = [&](const Levels& levels, const WishWindows::Windows& windows) {
        std::vector<double> all;
        all.reserve(windows.size());
        for (const auto& window : windows)
            all.push_back(levels.meanDb(window, lane, lanes));
        return all;
    };
    WishNumbers n;
    for (const auto& window : m_windows.m_peak)
        n.peak.push_back(m_levels.peakDb(window, lane, lanes));
    n.attack = means(m_levels, m_windows.m_attack);
    n.body = means(m_levels, m_windows.m_body);
    n.late = means(m_levels, m_windows.m_late);
    n.gap = means(m_levels, m_windows.m_gap);
    n.left = means(m_levels, m_windows.m_left);
    n.ducked = means(m_levels, m_windows.m_ducked);
    n.spill = means(m_levels, m_windows.m_spill);
    if (!m_parts.empty()) {
        n.harsh = means(m_parts[0].levels, m_windows.m_harsh);
        n.other = means(m_parts[1].levels, m_windows.m_harsh);
    }
    n.lufs = m_loudness.lufs(static_cast<int>(lane), static_cast<int>(lanes));
    return n;
}

} // namespace cask::measure
