#include "core/measure/tone/own_hits.h"

#include <algorithm>

namespace cask::measure {
namespace {

constexpr std::size_t kMost = 48;
constexpr std::size_t kEnough = 4;
constexpr double kBeforeS = 0.050; // of another drum: its stroke is over
constexpr double kGuardS = 0.005;  // before the next onset

void keepStrongest(std::vector<ClearHit>& list, const HitMaterial& m) {
    if (list.size() <= kMost)
        return;
    std::nth_element(
        list.begin(), list.begin() + kMost, list.end(),
        [&](const ClearHit& a, const ClearHit& b) { return m.hits[a.hit].levelDb > m.hits[b.hit].levelDb; });
    list.resize(kMost);
    std::sort(list.begin(), list.end(),
              [](const ClearHit& a, const ClearHit& b) { return a.fromS < b.fromS; });
}

/// Of a hit, until the next one that is not softer by so much.
double lengthOf(const HitMaterial& m, std::size_t i, double ignoredDb) {
    double nextS = m.endS();
    for (std::size_t j = i + 1; j < m.hits.size(); ++j)
        if (m.hits[j].isOwn || m.hits[j].levelDb > m.hits[i].levelDb - ignoredDb) {
            nextS = m.hits[j].timeS;
            break;
        }
    return std::min(kLongestClearS, nextS - kGuardS - m.hits[i].timeS);
}

bool isDisturbed(const HitMaterial& m, std::size_t i, double ignoredDb) {
    for (std::size_t j = i; j-- > 0 && m.hits[i].timeS - m.hits[j].timeS < kBeforeS;)
        if (!m.hits[j].isOwn && m.hits[j].levelDb > m.hits[i].levelDb - ignoredDb)
            return true;
    return false;
}

} // namespace

std::vector<ClearHit> clearHits(const HitMaterial& m, double ignoredDb) {
    std::vector<ClearHit> list;
    for (const double shortestS : {0.24, 0.12, 0.06}) {
        list.clear();
        for (std::size_t i = 0; i < m.hits.size(); ++i) {
            const auto& hit = m.hits[i];
            if (!hit.isOwn || hit.hitClass == HitClass::Ghost || hit.timeS < m.startS)
                continue;
            if (isDisturbed(m, i, ignoredDb))
                continue;
            if (const double length = lengthOf(m, i, ignoredDb); length >= shortestS)
                list.push_back({i, hit.timeS - m.startS, length});
        }
        if (list.size() >= kEnough)
            break;
    }
    keepStrongest(list, m);
    return list;
}

std::vector<ClearHit> clearSpill(const HitMaterial& m, double ownMs, double ignoredDb) {
    constexpr double kShortestS = 0.06;
    std::vector<ClearHit> list;
    double lastOwnS = -1e9;
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const auto& hit = m.hits[i];
        if (hit.isOwn)
            lastOwnS = hit.timeS;
        else if (hit.timeS >= m.startS && hit.timeS - lastOwnS > 0.001 * ownMs)
            if (const double length = lengthOf(m, i, ignoredDb); length >= kShortestS)
                list.push_back({i, hit.timeS - m.startS, length});
    }
    keepStrongest(list, m);
    return list;
}

} // namespace cask::measure
