#include "core/kit_measures/punch.h"

#include "core/base/parallel.h"
#include "core/kit_measures/bus_punch.h"
#include "core/kit_measures/gates.h"
#include "core/kit_measures/node_sound.h"
#include "core/measure/punch/bend.h"
#include "core/measure/punch/drivers.h"
#include "core/measure/punch/tops.h"
#include "core/measure/tone/partials.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <array>
#include <optional>

namespace cask::kit {
namespace {

using measure::HitMaterial;
using session::Id;
using session::Session;

std::vector<measure::MaterialHit> allStrokes(const HitAnalysis& hits) {
    std::vector<measure::MaterialHit> all;
    for (const auto& stroke : hits.hits.strokes)
        all.push_back({stroke.timeS, true, measure::HitClass::Normal, stroke.drum, stroke.levelDb});
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    return all;
}

/// An element's own hits; of what has none, such as a bus or a bass, those of all drums.
std::vector<measure::MaterialHit> hitsOf(const Session& s, Id node, const HitAnalysis& hits) {
    const int input = s.element(node) == nullptr ? -1 : hits.inputOf(node);
    auto found = input < 0 ? std::vector<measure::MaterialHit>() : measure::materialHitsOf(hits.hits, input);
    const bool hasOwn = std::any_of(found.begin(), found.end(), [](const auto& hit) { return hit.isOwn; });
    return hasOwn ? found : allStrokes(hits);
}

} // namespace

Result<std::shared_ptr<const HitMaterial>> punchMaterial(const Session& s, Id node, Id module,
                                                         const HitAnalysis& hits,
                                                         const graph::SourceLookup& sources,
                                                         const CancelToken& cancel, double mostS) {
    auto material = std::make_shared<HitMaterial>();
    material->rateHz = s.sampleRateHz;
    if (s.chain(node) == nullptr)
        return std::shared_ptr<const HitMaterial>(material);
    Id key = session::kNoId;
    session::KeyTap tap = session::KeyTap::Source;
    const Session before = session::withChain(s, node, [&](std::vector<session::Module>& chain) {
        auto end = std::find_if(chain.begin(), chain.end(), [&](const auto& m) { return m.id == module; });
        if (end != chain.end()) {
            key = end->key;
            tap = end->keyTap;
        } else {
            end = std::find_if(chain.begin(), chain.end(), [](const auto& m) {
                return session::placeOf(m.settings, m.ordinal) > session::ChainPlace::Dynamics;
            });
        }
        chain.erase(end, chain.end());
    });
    Frames from = 0;
    Frames end = s.lengthFrames();
    if (const auto* e = s.element(node)) {
        const auto first = graph::laneInput(*e, 0, sources, s.sampleRateHz);
        from = first.delayFrames;
        end = from + (first.source ? std::max<Frames>(0, first.source->frames()) : 0);
    }
    if (const Frames most = secondsToFrames(mostS, s.sampleRateHz); mostS > 0 && end - from > most) {
        from += (end - from - most) / 2; // the middle of it
        end = from + most;
    }
    const auto frames = static_cast<std::size_t>(std::max<Frames>(0, end - from));
    material->startS = framesToSeconds(from, s.sampleRateHz);
    auto sound = nodeSound(before, node, sources, from, frames, cancel);
    if (!sound)
        return sound.error();
    material->sound = std::move(*sound);
    if (key != session::kNoId) {
        auto heard =
            keySound(s, key, tap, sources, from, frames, static_cast<int>(material->sound.size()), cancel);
        if (!heard)
            return heard.error();
        material->key = std::move(*heard);
    }
    material->beatsS = s.tempo.beatsS.empty() ? hits.tempo.beatsS : s.tempo.beatsS;
    material->hits = hitsOf(s, s.element(key) != nullptr ? key : node, hits);
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "Measuring the compressor was stopped."};
    return std::shared_ptr<const HitMaterial>(material);
}

namespace {

template <class Settings>
std::vector<measure::SettingsTurn<Settings>> turnsOf(const Session& s, const session::Module& module) {
    std::vector<measure::SettingsTurn<Settings>> turns;
    for (const auto& moment : graph::momentsOf(module, s))
        turns.push_back({framesToSeconds(moment.frame, s.sampleRateHz), std::get<Settings>(moment.value),
                         framesToSeconds(moment.glideFrames, s.sampleRateHz)});
    return turns;
}

} // namespace

bool isParallelPath(const Session& s, Id bus) {
    const auto feeds = [&](const session::Output& out) { return out.bus == bus; };
    const auto sendsTo = [&](const session::Output& out) {
        return std::any_of(out.sends.begin(), out.sends.end(),
                           [&](const auto& send) { return send.bus == bus; });
    };
    bool isSentTo = false;
    bool isFed = false;
    for (const auto& e : s.elements) {
        isFed = isFed || feeds(e->out);
        isSentTo = isSentTo || sendsTo(e->out);
    }
    for (const auto& b : s.buses) {
        isFed = isFed || (!b->isMaster && feeds(b->out));
        isSentTo = isSentTo || sendsTo(b->out);
    }
    return isSentTo && !isFed;
}

std::vector<measure::CompressionTurn> compressionTurns(const Session& s, const session::Module& module) {
    return turnsOf<dsp::CompressorSettings>(s, module);
}

std::vector<measure::ShapingTurn> shapingTurns(const Session& s, const session::Module& module) {
    return turnsOf<dsp::TransientSettings>(s, module);
}

namespace {

constexpr double kKeptEnoughDb = -1; // a proposal does better than what is just allowed
constexpr double kRecoveredShare = 0.95;
constexpr std::array kAttacksMs = {1.0, 2.0, 5.0, 10.0, 15.0, 20.0, 30.0, 50.0, 80.0, 120.0};
constexpr std::array kReleasesMs = {1000.0, 700.0, 500.0, 350.0, 250.0, 180.0, 120.0,
                                    80.0,   60.0,  40.0,  25.0,  15.0,  10.0,  5.0};

double recoveredShare(const measure::Compression& c) {
    return c.followed == 0 ? 1 : static_cast<double>(c.recovered) / c.followed;
}

/// Other times that would do, by trying them.
void findBetterTimes(advise::PunchMeasure& punch, const HitMaterial& material, const session::Module& module,
                     const advise::HouseStyle& style, const CancelToken& cancel) {
    const auto& now = punch.settings;
    if (now.direction != dsp::CompressorDirection::Down || !module.changes.empty())
        return;
    if (!punch.isKeyed && punch.shapes.keptAttackDb <= -style.attackLossDb)
        for (const double attackMs : kAttacksMs) {
            if (attackMs <= now.attackMs || cancel.isCancelled())
                continue;
            auto other = now;
            other.attackMs = attackMs;
            const auto shapes = measure::measureShapes(
                material, measure::compressedSound(material, other, {}, cancel), cancel);
            if (shapes.keptAttackDb < kKeptEnoughDb)
                continue;
            punch.gentlerAttackMs = attackMs;
            punch.gentlerKeptDb = shapes.keptAttackDb;
            break;
        }
    if (!punch.isBus && recoveredShare(punch.compression) < 0.01 * style.recoverPercent)
        for (const double releaseMs : kReleasesMs) {
            if (releaseMs >= now.releaseMs || cancel.isCancelled())
                continue;
            auto other = now;
            other.releaseMs = releaseMs;
            const double share = recoveredShare(measure::measureCompression(material, other, {}, cancel));
            if (share < kRecoveredShare)
                continue;
            punch.quickerReleaseMs = releaseMs;
            punch.quickerRecoveredPercent = 100 * share;
            break;
        }
}

/// How far it bends the drum's lowest note, and the quicker of the slower releases that do not.
void findBent(advise::PunchMeasure& punch, const HitMaterial& material, Role role,
              const advise::HouseStyle& style, const CancelToken& cancel) {
    constexpr double kSureOfNote = 0.6;
    if (punch.isKeyed || roleInfo(role).group != RoleGroup::Shells)
        return;
    const auto note = measure::measurePartials(material, measure::fundamentalRange(role)).fundamental;
    if (note.confidence < kSureOfNote || cancel.isCancelled())
        return;
    punch.noteHz = note.hz;
    punch.bentDb = measure::bentDb(material, punch.settings, note.hz, cancel);
    if (punch.bentDb < style.bentDb)
        return;
    for (auto release = kReleasesMs.rbegin(); release != kReleasesMs.rend(); ++release) {
        if (*release <= punch.settings.releaseMs || cancel.isCancelled())
            continue;
        auto slower = punch.settings;
        slower.releaseMs = *release;
        const double db = measure::bentDb(material, slower, note.hz, cancel);
        if (db >= style.bentDb)
            continue;
        punch.unbentReleaseMs = *release;
        punch.unbentDb = db;
        return;
    }
}

/// Who drives a bus, over a stretch of it.
void findDrivers(advise::PunchMeasure& punch, const Session& s, const HitAnalysis& hits,
                 const graph::SourceLookup& sources, const advise::HouseStyle& style,
                 const CancelToken& cancel) {
    constexpr double kStretchS = 30; // each element is heard on its own
    constexpr double kLeastShare = 0.005;
    constexpr std::array kCutsHz = {60.0, 80.0, 100.0, 120.0, 150.0, 200.0, 300.0};
    auto around = [&](const Session& heard) -> std::optional<HitMaterial> {
        const auto found = punchMaterial(heard, punch.owner, punch.module, hits, sources, cancel, kStretchS);
        return found ? std::optional(**found) : std::nullopt;
    };
    const auto whole = around(s);
    if (!whole)
        return;
    std::vector<measure::Contribution> parts;
    std::vector<Id> elements;
    for (const auto& e : s.elements) {
        Session alone = s;
        for (auto& other : alone.elements)
            if (other->id != e->id)
                other.edit([](session::Element& x) { x.out.isMuted = true; });
        auto heard = around(alone);
        if (!heard || cancel.isCancelled())
            return;
        const auto isSilent = [](const std::vector<float>& channel) {
            return std::all_of(channel.begin(), channel.end(), [](float x) { return x == 0; });
        };
        if (std::all_of(heard->sound.begin(), heard->sound.end(), isSilent))
            continue;
        parts.push_back(std::move(heard->sound));
        elements.push_back(e->id);
    }
    if (parts.size() < 2)
        return;
    const auto shares = measure::driverShares(*whole, punch.settings, parts, cancel);
    std::size_t most = 0;
    for (std::size_t i = 0; i < shares.size(); ++i) {
        if (shares[i] >= kLeastShare)
            punch.drivers.push_back({elements[i], 100 * shares[i]});
        if (shares[i] > shares[most])
            most = i;
    }
    std::stable_sort(punch.drivers.begin(), punch.drivers.end(),
                     [](const auto& a, const auto& b) { return a.percent > b.percent; });
    if (100 * shares[most] <= style.driverPercent)
        return;
    for (const double hz : kCutsHz) {
        if (hz <= punch.settings.lowCutHz || cancel.isCancelled())
            continue;
        auto cut = punch.settings;
        cut.lowCutHz = hz;
        const double then = 100 * measure::driverShares(*whole, cut, parts, cancel)[most];
        if (then > style.driverPercent)
            continue;
        punch.detectorCutHz = hz;
        punch.percentThen = then;
        return;
    }
}

} // namespace

Result<std::vector<advise::PunchMeasure>> measureCompressors(const Session& s, const HitAnalysis& hits,
                                                             const graph::SourceLookup& sources,
                                                             const advise::HouseStyle& style,
                                                             const CancelToken& cancel,
                                                             const std::vector<advise::PunchMeasure>& known) {
    std::vector<advise::PunchMeasure> all;
    std::vector<const session::Module*> modules;
    const auto addFrom = [&](Id owner, const std::vector<session::Module>& chain, bool isBus) {
        for (const auto& m : chain)
            if (const auto* settings = std::get_if<dsp::CompressorSettings>(&m.settings);
                settings != nullptr && m.isOn) {
                auto& punch = all.emplace_back();
                punch.owner = owner;
                punch.module = m.id;
                punch.settings = *settings;
                punch.isKeyed = m.key != session::kNoId;
                punch.isBus = isBus;
                punch.isParallel = isBus && isParallelPath(s, owner);
                modules.push_back(&m);
            }
    };
    for (const auto& e : s.elements)
        addFrom(e->id, e->chain, false);
    for (const auto& b : s.buses)
        addFrom(b->id, b->chain, true);
    inParallel(all.size(), cancel, {}, [&](std::size_t i) {
        auto& punch = all[i];
        const auto old = std::find_if(known.begin(), known.end(), [&](const auto& k) {
            return k.module == punch.module && k.settings == punch.settings;
        });
        if (old != known.end()) {
            punch = *old;
            return;
        }
        const auto found = punchMaterial(s, punch.owner, punch.module, hits, sources, cancel);
        if (!found)
            return;
        const HitMaterial& material = **found;
        const auto turns = compressionTurns(s, *modules[i]);
        punch.compression = measure::measureCompression(material, punch.settings, turns, cancel);
        if (!punch.isKeyed)
            punch.shapes = measure::measureShapes(
                material, measure::compressedSound(material, punch.settings, turns, cancel), cancel);
        if (!punch.shapes.spill.empty())
            punch.spillName = hits.nameOf(punch.shapes.spill.front().drum, s);
        if (!punch.compression.pumped.empty())
            punch.pumperName = hits.nameOf(punch.compression.pumped.front().drum, s);
        findBetterTimes(punch, material, *modules[i], style, cancel);
        if (const auto* e = s.element(punch.owner)) {
            findBent(punch, material, e->role, style, cancel);
            if (const auto tops = measure::measureTops(material);
                !punch.isKeyed && measure::areHeld(tops, e->role))
                punch.heldMs = tops.heldMs;
        }
        if (punch.isBus && !punch.isKeyed && punch.settings.direction == dsp::CompressorDirection::Down)
            findDrivers(punch, s, hits, sources, style, cancel);
    });
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "Measuring the compressors was stopped."};
    return all;
}

Result<advise::KitPunch> measurePunch(const Session& s, const HitAnalysis& hits,
                                      const graph::SourceLookup& sources, const advise::HouseStyle& style,
                                      const CancelToken& cancel,
                                      const std::vector<advise::PunchMeasure>& known) {
    advise::KitPunch punch;
    auto compressors = measureCompressors(s, hits, sources, style, cancel, known);
    if (!compressors)
        return compressors.error();
    punch.compressors = std::move(*compressors);
    auto buses = measureBusPunch(s, hits, sources, cancel);
    if (!buses)
        return buses.error();
    punch.buses = std::move(*buses);
    auto stands = measureStands(s, hits, sources, cancel);
    if (!stands)
        return stands.error();
    punch.stands = std::move(*stands);
    return punch;
}

} // namespace cask::kit
