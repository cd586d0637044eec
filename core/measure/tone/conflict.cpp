#include "core/measure/tone/conflict.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr float kNear = 0.25118864F; // 6 dB, as power
constexpr float kQuiet = 1e-5F;      // 50 dB under the mean of the band
constexpr float kFaint = 1e-5F;      // and under that of the loudest band

/// Power by level.
const std::array<float, 256>& powers() {
    static const auto table = [] {
        std::array<float, 256> t{};
        for (std::size_t i = 1; i < t.size(); ++i) // the lowest is nothing
            t[i] = static_cast<float>(std::pow(10.0, BandCells::levelDb(static_cast<std::uint8_t>(i)) / 10));
        return t;
    }();
    return table;
}

/// Powers of all tracks, cell by cell.
class MixCells {
  public:
    explicit MixCells(const std::vector<MixTrack>& tracks) : m_tracks(tracks), m_gain(tracks.size()) {
        for (std::size_t t = 0; t < tracks.size(); ++t) {
            m_cells = std::max(m_cells, tracks[t].cells->cells());
            for (std::size_t b = 0; b < kErbBands; ++b)
                m_gain[t][b] = static_cast<float>(std::pow(10.0, tracks[t].gainDb[b] / 10));
        }
    }
    [[nodiscard]] std::size_t cells() const { return m_cells; }
    [[nodiscard]] float power(std::size_t track, std::size_t cell, std::size_t band) const {
        const auto& levels = m_tracks[track].cells->levels;
        const std::size_t at = cell * kErbBands + band;
        return at < levels.size() ? m_gain[track][band] * m_table[levels[at]] : 0.0F;
    }

  private:
    const std::vector<MixTrack>& m_tracks;
    const std::array<float, 256>& m_table = powers();
    std::vector<std::array<float, kErbBands>> m_gain;
    std::size_t m_cells = 0;
};

struct PairCount {
    std::array<unsigned, kErbBands> both{};
    std::array<unsigned, kErbBands> either{};
    [[nodiscard]] double share(std::size_t fromBand, std::size_t toBand) const {
        unsigned conflicts = 0;
        unsigned all = 0;
        for (std::size_t b = fromBand; b <= toBand; ++b) {
            conflicts += both[b];
            all += either[b];
        }
        return all > 0 ? conflicts / static_cast<double>(all) : 0;
    }
};

/// Where they conflict most: the run of bands with half as many conflicts as the one with most.
Conflict conflictOf(std::size_t first, std::size_t second, const PairCount& pair) {
    Conflict c;
    c.first = first;
    c.second = second;
    c.share = pair.share(0, kErbBands - 1);
    for (std::size_t b = 0; b < kErbBands; ++b)
        c.byBand[b] = static_cast<float>(pair.share(b, b));
    const auto worst = std::max_element(pair.both.begin(), pair.both.end());
    auto from = static_cast<std::size_t>(worst - pair.both.begin());
    auto to = from;
    while (from > 0 && 2 * pair.both[from - 1] >= *worst)
        --from;
    while (to + 1 < kErbBands && 2 * pair.both[to + 1] >= *worst)
        ++to;
    c.fromBand = static_cast<int>(from);
    c.toBand = static_cast<int>(to);
    c.worstShare = pair.share(from, to);
    return c;
}

/// Shares and the mix's level; returns by band the power under which a cell counts for nothing.
std::array<float, kErbBands> addUp(const MixCells& mix, std::size_t everyCell, MixPicture& picture) {
    const std::size_t count = picture.share.size();
    std::vector<std::array<double, kErbBands>> sums(count);
    std::size_t looked = 0;
    for (std::size_t cell = 0; cell < mix.cells(); cell += everyCell, ++looked)
        for (std::size_t t = 0; t < count; ++t)
            for (std::size_t b = 0; b < kErbBands; ++b)
                sums[t][b] += mix.power(t, cell, b);
    std::array<float, kErbBands> quiet{};
    for (std::size_t b = 0; b < kErbBands; ++b) {
        double all = 0;
        for (std::size_t t = 0; t < count; ++t)
            all += sums[t][b];
        for (std::size_t t = 0; t < count; ++t)
            picture.share[t][b] = all > 0 ? static_cast<float>(sums[t][b] / all) : 0;
        const double mean = looked > 0 ? all / static_cast<double>(looked) : 0;
        picture.mixDb[b] = static_cast<float>(powerToDb(mean));
        quiet[b] = static_cast<float>(mean);
    }
    const float loudest = *std::max_element(quiet.begin(), quiet.end());
    for (float& power : quiet)
        power = std::max(kQuiet * power, kFaint * loudest);
    return quiet;
}

/// Counts one cell for every pair with a track that is near the mix.
void countCell(const std::vector<float>& power, const std::vector<char>& isOwn, float mix, std::size_t band,
               std::vector<std::size_t>& strong, std::vector<PairCount>& pairs) {
    const std::size_t count = power.size();
    strong.clear();
    for (std::size_t t = 0; t < count; ++t)
        if (power[t] > kNear * mix)
            strong.push_back(t);
    for (const std::size_t a : strong)
        for (std::size_t t = 0; t < count; ++t) {
            const bool isStrong = power[t] > kNear * mix;
            if (t == a || (isStrong && t < a))
                continue; // a pair of two strong ones counts once
            PairCount& pair = pairs[std::min(a, t) * count + std::max(a, t)];
            ++pair.either[band];
            if (isStrong && isOwn[t] != 0 && isOwn[a] != 0 && power[t] > kNear * power[a] &&
                power[a] > kNear * power[t])
                ++pair.both[band];
        }
}

std::vector<PairCount> countPairs(const MixCells& mix, const std::vector<MixTrack>& tracks,
                                  std::size_t everyCell, const std::array<float, kErbBands>& quiet,
                                  std::size_t fromBand, std::size_t toBand) {
    const std::size_t count = tracks.size();
    std::vector<char> isOwn(count);
    std::vector<PairCount> pairs(count * count);
    std::vector<float> power(count);
    std::vector<std::size_t> strong;
    for (std::size_t cell = 0; cell < mix.cells(); cell += everyCell) {
        for (std::size_t t = 0; t < count; ++t)
            isOwn[t] = tracks[t].isOwn(cell) ? 1 : 0;
        for (std::size_t b = fromBand; b <= toBand; ++b) {
            float sum = 0;
            for (std::size_t t = 0; t < count; ++t)
                sum += power[t] = mix.power(t, cell, b);
            if (sum > quiet[b])
                countCell(power, isOwn, sum, b, strong, pairs);
        }
    }
    return pairs;
}

} // namespace

MixPicture lookAtMix(const std::vector<MixTrack>& tracks, std::size_t everyCell) {
    MixPicture picture;
    const std::size_t count = tracks.size();
    picture.share.assign(count, {});
    const MixCells mix(tracks);
    const auto quiet = addUp(mix, everyCell, picture);
    const auto pairs = countPairs(mix, tracks, everyCell, quiet, 0, kErbBands - 1);
    for (std::size_t a = 0; a < count; ++a)
        for (std::size_t t = a + 1; t < count; ++t) {
            const PairCount& pair = pairs[a * count + t];
            if (std::any_of(pair.both.begin(), pair.both.end(), [](unsigned n) { return n > 0; }))
                picture.conflicts.push_back(conflictOf(a, t, pair));
        }
    std::stable_sort(picture.conflicts.begin(), picture.conflicts.end(),
                     [](const Conflict& a, const Conflict& b) { return a.worstShare > b.worstShare; });
    return picture;
}

double conflictShare(const std::vector<MixTrack>& tracks, const Conflict& conflict, std::size_t everyCell) {
    MixPicture picture;
    picture.share.assign(tracks.size(), {});
    const MixCells mix(tracks);
    const auto quiet = addUp(mix, everyCell, picture);
    const auto from = static_cast<std::size_t>(conflict.fromBand);
    const auto to = static_cast<std::size_t>(conflict.toBand);
    const auto pairs = countPairs(mix, tracks, everyCell, quiet, from, to);
    return pairs[conflict.first * tracks.size() + conflict.second].share(from, to);
}

} // namespace cask::measure
