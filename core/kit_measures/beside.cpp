#include "core/kit_measures/beside.h"

#include "core/kit_measures/partners.h"
#include "core/measure/tone/own_spectrum.h"

#include <algorithm>

namespace cask::kit {
namespace {

using measure::ClearHit;
using measure::HitMaterial;
using session::Id;
using session::Session;

constexpr std::size_t kMost = 24;
constexpr std::size_t kFewest = 3;
constexpr double kBeforeS = 0.05; // another drum's stroke is over
constexpr double kEarlyS = 0.002;
constexpr double kShortestS = 0.06;
constexpr double kLongestS = 0.3;
constexpr double kGuardS = 0.005;
constexpr double kDeadDb = -100;

struct Window {
    double timeS;
    double lengthS;
    double levelDb;
};
/// Strokes of a drum that stand free of other drums of skin (cymbals have nothing where the drums are
/// judged); where it is hardly ever free, all of them.
std::vector<Window> windowsOf(const measure::KitHits& hits, int drum) {
    std::vector<Window> found;
    for (const bool wantsFree : {true, false}) {
        std::vector<const measure::DrumHit*> skins;
        for (const auto& stroke : hits.strokes)
            if (stroke.drum == drum ||
                (wantsFree && roleInfo(hits.kit.drums[static_cast<std::size_t>(stroke.drum)].role).group ==
                                  RoleGroup::Shells))
                skins.push_back(&stroke);
        found.clear();
        for (std::size_t i = 0; i < skins.size(); ++i) {
            const auto& stroke = *skins[i];
            if (stroke.drum != drum || stroke.hitClass == measure::HitClass::Ghost ||
                (i > 0 && stroke.timeS - skins[i - 1]->timeS < kBeforeS))
                continue;
            const double nextS = i + 1 < skins.size() ? skins[i + 1]->timeS : stroke.timeS + 1;
            const double lengthS = std::min(kLongestS, nextS - kGuardS - stroke.timeS);
            if (lengthS >= kShortestS)
                found.push_back({stroke.timeS, lengthS, stroke.levelDb});
        }
        if (found.size() >= kFewest)
            break;
    }
    std::stable_sort(found.begin(), found.end(),
                     [](const Window& a, const Window& b) { return a.levelDb > b.levelDb; });
    found.resize(std::min(found.size(), kMost));
    return found;
}

/// Mean spectrum of the strokes as an element hears them.
measure::Spectrum heardBy(const Session& s, const HitAnalysis& hits, const graph::SourceLookup& sources,
                          Id element, const std::vector<Window>& strokes) {
    const double lagS = hits.hits.lagS[static_cast<std::size_t>(hits.inputOf(element))];
    HitMaterial material;
    material.rateHz = s.sampleRateHz;
    const auto frames = static_cast<std::size_t>(kLongestS * s.sampleRateHz);
    std::vector<ClearHit> windows;
    for (std::size_t k = 0; k < strokes.size(); ++k)
        windows.push_back({k, static_cast<double>(k * frames) / s.sampleRateHz, strokes[k].lengthS});
    for (int channel = 0; channel < (s.element(element)->isStereo() ? 2 : 1); ++channel) {
        const auto read = inputSound(s, element, sources, channel);
        auto& sound = material.sound.emplace_back(strokes.size() * frames);
        for (std::size_t k = 0; k < strokes.size(); ++k)
            read(secondsToFrames(strokes[k].timeS + lagS - kEarlyS, s.sampleRateHz),
                 std::span(sound).subspan(k * frames, frames));
    }
    return measure::meanSpectrum(material, windows);
}

bool isAlive(const measure::Spectrum& spectrum) {
    return !spectrum.bandDb.empty() &&
           *std::max_element(spectrum.bandDb.begin(), spectrum.bandDb.end()) > kDeadDb;
}

} // namespace

std::optional<advise::Beside> measureBeside(const Session& s, const HitAnalysis& hits,
                                            const graph::SourceLookup& sources, Id element) {
    const auto* e = s.element(element);
    const int input = hits.inputOf(element);
    if (e == nullptr || input < 0)
        return std::nullopt;
    const int drum = hits.hits.kit.drumOf[static_cast<std::size_t>(input)];
    const bool isJudged =
        isKick(e->role) || e->role == Role::SnareTop || e->role == Role::RackTom || e->role == Role::FloorTom;
    if (drum < 0 || !isJudged)
        return std::nullopt;
    std::vector<Id> others;
    for (const bool wantsNear : {true, false})
        for (const auto& other : s.elements) {
            const int there = hits.inputOf(other->id);
            const bool isNear = there >= 0 && hits.hits.kit.drumOf[static_cast<std::size_t>(there)] == drum &&
                                isKick(e->role) && isKick(other->role);
            if (other->id != element && there >= 0 && (wantsNear ? isNear : other->role == Role::Overhead))
                others.push_back(other->id);
        }
    if (others.empty())
        return std::nullopt;
    const auto strokes = windowsOf(hits.hits, drum);
    if (strokes.size() < kFewest)
        return std::nullopt;
    const auto here = heardBy(s, hits, sources, element, strokes);
    for (const Id other : others) {
        const auto there = heardBy(s, hits, sources, other, strokes);
        if (!isAlive(here) || !isAlive(there))
            continue;
        advise::Beside beside{other, s.element(other)->role != Role::Overhead, here,
                              static_cast<int>(strokes.size())};
        for (std::size_t k = 0; k < beside.difference.bandDb.size(); ++k)
            beside.difference.bandDb[k] -= there.bandDb[k];
        return beside;
    }
    return std::nullopt;
}

} // namespace cask::kit
