#include "core/kit_measures/tones.h"

#include "core/advise/tone_moves.h"
#include "core/base/parallel.h"
#include "core/dsp/eq_design.h"
#include "core/graph/module_sections.h"
#include "core/kit_measures/beside.h"
#include "core/kit_measures/gates.h"
#include "core/measure/tone/band_hits.h"
#include "core/measure/tone/decay_map.h"
#include "core/measure/tone/hump.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

using advise::ToneMeasure;
using measure::HitMaterial;
using session::Id;
using session::Session;

constexpr std::size_t kMostRings = 5; // that are looked at again
constexpr std::size_t kMostCuts = 3;  // that are tried
constexpr double kDetectorQ = 4;

/// Filters of the chain that are on, in the middle.
std::vector<dsp::SvfCoefficients> filtersOf(const Session& s, Id element) {
    return graph::sectionsOf(*s.chain(element), dsp::StereoPart::Middle, s.sampleRateHz);
}

/// What the "own" hits of a microphone that hears all are: those of the cymbals.
void takeCymbalsAsOwn(HitMaterial& material, const HitAnalysis& hits) {
    material.hits.clear();
    for (const auto& stroke : hits.hits.strokes) {
        const Role role = hits.hits.kit.drums[static_cast<std::size_t>(stroke.drum)].role;
        material.hits.push_back({stroke.timeS, roleInfo(role).group == RoleGroup::Cymbals,
                                 measure::HitClass::Normal, stroke.drum, stroke.levelDb});
    }
}

std::vector<std::string> drumsWithoutMicrophone(const HitAnalysis& hits) {
    std::vector<std::string> names;
    const auto& drums = hits.hits.kit.drums;
    for (std::size_t d = 0; d < drums.size(); ++d) {
        const bool isStruck = std::any_of(hits.hits.strokes.begin(), hits.hits.strokes.end(),
                                          [&](const auto& s) { return s.drum == static_cast<int>(d); });
        if (!drums[d].isMiked() && isStruck && roleInfo(drums[d].role).group == RoleGroup::Shells)
            names.push_back(drums[d].name);
    }
    return names;
}

void addLevels(const HitMaterial& material, ToneMeasure& tone) {
    std::vector<double> places;
    for (std::size_t i = 0; i < std::min(kMostRings, tone.partials.rings.size()); ++i)
        places.push_back(tone.partials.rings[i].hz);
    if (tone.sympathy.hz > 0)
        places.push_back(tone.sympathy.hz);
    if (tone.partials.fundamental.hz > 0)
        places.push_back(tone.partials.fundamental.hz);
    std::vector humps = {measure::measureBoxiness(tone.spectra.own),
                         measure::measureHarshness(tone.spectra.own)};
    if (tone.beside)
        humps.push_back(measure::measureBoxiness(tone.beside->difference));
    for (const auto& hump : humps)
        if (hump.hz > 0)
            places.push_back(hump.hz);
    for (const double hz : places) {
        dsp::EqBand band;
        band.frequencyHz = hz;
        band.q = kDetectorQ;
        tone.levels.push_back(
            {hz, measure::bandHits(material, measure::bandLevels(material, band), band).ownDb});
    }
}

/// The material behind filters.
HitMaterial filtered(HitMaterial material, const std::vector<dsp::SvfCoefficients>& sections) {
    for (auto& channel : material.sound)
        for (const auto& c : sections) {
            double s1 = 0;
            double s2 = 0;
            for (float& x : channel) {
                const double v1 = (s1 + c.g * (x - s2)) / (1 + c.g * (c.g + c.k));
                const double v2 = s2 + c.g * v1;
                s1 = 2 * v1 - s1;
                s2 = 2 * v2 - s2;
                x = static_cast<float>(c.m0 * x + c.m1 * v1 + c.m2 * v2);
            }
        }
    return material;
}

/// Some of the hits, spread over the whole, with what came before each of them: enough for a filter to
/// settle.
struct SomeHits {
    HitMaterial material; ///< sound alone
    std::vector<measure::ClearHit> hits;
};

SomeHits someHits(const HitMaterial& material) {
    constexpr std::size_t kMost = 16;
    constexpr double kBeforeS = 0.6;
    const auto all = measure::hitsToLookAt(material);
    SomeHits some;
    some.material.rateHz = material.rateHz;
    some.material.sound.resize(material.sound.size());
    const auto frameOf = [&](double s) { return static_cast<std::ptrdiff_t>(s * material.rateHz); };
    const std::size_t count = std::min(kMost, all.size());
    for (std::size_t i = 0; i < count; ++i) {
        auto hit = all[i * all.size() / count];
        const auto from = frameOf(std::max(0.0, hit.fromS - kBeforeS));
        const auto end =
            std::min(static_cast<std::ptrdiff_t>(material.frames()), frameOf(hit.fromS + hit.lengthS) + 1);
        hit.fromS +=
            static_cast<double>(static_cast<std::ptrdiff_t>(some.material.frames()) - from) / material.rateHz;
        for (std::size_t c = 0; c < material.sound.size(); ++c) {
            const auto& channel = material.sound[c];
            some.material.sound[c].insert(some.material.sound[c].end(), channel.begin() + from,
                                          channel.begin() + end);
        }
        some.hits.push_back(hit);
    }
    return some;
}

/// The shallowest cut behind which the ring was measured to end with its surroundings, or to be as soft a
/// while after the hit as if it did: a ring whose pitch wanders from hit to hit leaves a slow rest behind any
/// cut. Else the one that leaves least.
advise::RingCut findRingCut(const HitMaterial& material, const measure::Ring& ring) {
    constexpr double kTogether = 1.15;
    constexpr double kAsSoftDb = 3;
    constexpr double kWhileS = 0.150;
    const auto some = someHits(material);
    const auto mapOf = [&](const HitMaterial& m) { return measure::measureDecayMap(m, some.hits); };
    const auto levelDb = [&](const measure::DecayMap& map, double s) {
        const auto frame = std::min(static_cast<std::size_t>(s / map.stepS), map.powerDb.size() - 1);
        return map.powerDb[frame][static_cast<std::size_t>(std::lround(ring.hz / map.binHz))];
    };
    const auto before = mapOf(some.material);
    if (before.powerDb.size() <= before.firstFrame())
        return {advise::ringCut(ring), 0, 0, 0};
    const double fromS = static_cast<double>(before.firstFrame()) * before.stepS;
    const double wantedDb = levelDb(before, fromS) - 60000 * (kWhileS - fromS) / ring.aroundMs;
    advise::RingCut best;
    double bestDb = 1e9; // late level behind it
    for (const double deeper : {1.0, 1.4, 2.0, 2.8, 4.0, 5.6}) {
        const auto band = advise::ringCut(ring, deeper);
        const auto map = mapOf(filtered(some.material, dsp::designBand(band, material.rateHz)));
        const auto decay = measure::decayAgainst(map, ring.hz, ring.aroundHz);
        const double lateDb = levelDb(map, kWhileS);
        const bool endsTogether = decay.ms <= kTogether * decay.aroundMs; // 0: gone before it could be told
        const bool isSoftAlready = bestDb <= wantedDb + kAsSoftDb;
        if (endsTogether || (!isSoftAlready && lateDb < bestDb - 1)) {
            bestDb = lateDb;
            best = {band, decay.ms, decay.aroundMs, levelDb(before, kWhileS) - lateDb};
        }
        if (endsTogether)
            break;
    }
    return best;
}

/// Once cancelled, what is left is not measured.
ToneMeasure measureBefore(const Session& s, Id element, const HitMaterial& material, const HitAnalysis& hits,
                          const graph::SourceLookup& sources, const CancelToken& cancel) {
    ToneMeasure tone;
    tone.element = element;
    tone.spectra = measure::measureToneSpectra(material);
    if (s.element(element)->role == Role::Overhead) {
        tone.hearsAll = true;
        tone.carried = drumsWithoutMicrophone(hits);
        return tone;
    }
    if (cancel.isCancelled())
        return tone;
    tone.partials = measure::measurePartials(material, measure::fundamentalRange(s.element(element)->role));
    for (std::size_t i = 0; i < std::min(kMostCuts, tone.partials.rings.size()) && !cancel.isCancelled(); ++i)
        tone.ringCuts.push_back(findRingCut(material, tone.partials.rings[i]));
    if (cancel.isCancelled())
        return tone;
    const Role role = s.element(element)->role;
    if (role == Role::RackTom || role == Role::FloorTom)
        tone.sympathy = measure::measureSympathy(material, measure::fundamentalRange(role));
    if (!tone.spectra.own.bandDb.empty() &&
        measure::measureBoxiness(tone.spectra.own).excessDb >= advise::kBoxAtAllDb)
        tone.beside = measureBeside(s, hits, sources, element);
    if (!cancel.isCancelled())
        addLevels(material, tone);
    return tone;
}

advise::ToneAfter measureAfter(const Session& s, const HitMaterial& material, const ToneMeasure& tone,
                               const std::vector<dsp::SvfCoefficients>& sections) {
    advise::ToneAfter after;
    after.chain = *s.chain(tone.element);
    const auto response = [&](double hz) { return dsp::responseDb(sections, hz, s.sampleRateHz); };
    after.ownDb = measure::energyChangeDb(tone.spectra.own, response);
    after.spillDb = measure::energyChangeDb(tone.spectra.spill, response);
    if (tone.partials.rings.empty())
        return after;
    const auto behind = filtered(material, sections);
    const auto map = measure::measureDecayMap(behind, measure::hitsToLookAt(behind));
    for (std::size_t i = 0; i < std::min(kMostRings, tone.partials.rings.size()); ++i) {
        const auto& ring = tone.partials.rings[i];
        const auto decay = measure::decayAgainst(map, ring.hz, ring.aroundHz);
        after.rings.push_back({ring.hz, ring.decayMs, decay.ms, decay.aroundMs});
    }
    return after;
}

/// Marks notes that are another drum's: of two drums with the same one, that of fewer hits.
void markSharedNotes(std::vector<ToneMeasure>& tones, const HitAnalysis& hits) {
    constexpr double kSame = 0.02;
    const auto drumOf = [&](const ToneMeasure& tone) {
        const int input = hits.inputOf(tone.element);
        return input < 0 ? -1 : hits.hits.kit.drumOf[static_cast<std::size_t>(input)];
    };
    for (auto& tone : tones) {
        const double hz = tone.partials.fundamental.hz;
        tone.isNoteAnothers =
            hz > 0 && std::any_of(tones.begin(), tones.end(), [&](const ToneMeasure& other) {
                return drumOf(other) != drumOf(tone) && other.partials.fundamental.confidence >= 0.6 &&
                       other.partials.hits > tone.partials.hits &&
                       std::abs(other.partials.fundamental.hz / hz - 1) < kSame;
            });
    }
}

/// What rings so in another drum is heard from there: it is no hum of this one.
void dropSpilledHum(std::vector<ToneMeasure>& tones, const HitAnalysis& hits) {
    constexpr double kSame = 0.025;
    constexpr double kStrongDb = -15;
    const auto drumOf = [&](const ToneMeasure& tone) {
        const int input = hits.inputOf(tone.element);
        return input < 0 ? -1 : hits.hits.kit.drumOf[static_cast<std::size_t>(input)];
    };
    for (auto& tone : tones) {
        const auto rings = [&](const measure::Partial& p) {
            return p.levelDb > kStrongDb && std::abs(p.hz / tone.sympathy.hz - 1) < kSame &&
                   p.decayMs > 0.5 * tone.sympathy.decayMs;
        };
        if (tone.sympathy.hz > 0 && std::any_of(tones.begin(), tones.end(), [&](const ToneMeasure& other) {
                return drumOf(other) >= 0 && drumOf(other) != drumOf(tone) &&
                       std::any_of(other.partials.partials.begin(), other.partials.partials.end(), rings);
            }))
            tone.sympathy = {};
    }
}

} // namespace

bool isMeasuredBehindFilters(const Session& s, const ToneMeasure& tone) {
    const bool hasFilters = !filtersOf(s, tone.element).empty();
    return hasFilters == tone.after.has_value() &&
           (!hasFilters || tone.after->chain == *s.chain(tone.element));
}

Result<std::vector<ToneMeasure>> measureTones(const Session& s, const HitAnalysis& hits,
                                              const graph::SourceLookup& sources, const CancelToken& cancel,
                                              const ProgressFn& progress,
                                              const std::vector<ToneMeasure>& known) {
    std::vector<Id> elements;
    for (const auto& e : s.elements)
        if ((canBeGated(*e) && hits.inputOf(e->id) >= 0) || e->role == Role::Overhead)
            elements.push_back(e->id);
    std::vector<ToneMeasure> found(elements.size());
    inParallel(elements.size(), cancel, progress, [&](std::size_t i) {
        const Id element = elements[i];
        const auto old =
            std::find_if(known.begin(), known.end(), [&](const auto& k) { return k.element == element; });
        std::shared_ptr<const HitMaterial> material;
        const auto load = [&] {
            auto loaded = hitMaterial(s, element, session::kNoId, hits, sources, cancel);
            if (!loaded)
                return false;
            material = *loaded;
            if (s.element(element)->role == Role::Overhead) {
                auto changed = std::make_shared<HitMaterial>(*material);
                takeCymbalsAsOwn(*changed, hits);
                material = changed;
            }
            return true;
        };
        found[i].element = element;
        if (old != known.end())
            found[i] = *old;
        else if (load())
            found[i] = measureBefore(s, element, *material, hits, sources, cancel);
        if (cancel.isCancelled() || isMeasuredBehindFilters(s, found[i]))
            return;
        const auto sections = filtersOf(s, element);
        found[i].after.reset();
        if (!sections.empty() && (material || load()))
            found[i].after = measureAfter(s, *material, found[i], sections);
    });
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "Measuring the tones was stopped."};
    markSharedNotes(found, hits);
    dropSpilledHum(found, hits);
    return found;
}

} // namespace cask::kit
