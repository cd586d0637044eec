#include "core/kit_measures/gates.h"

#include "core/base/parallel.h"
#include "core/kit_measures/node_sound.h"
#include "core/session/edits.h"
#include "core/session/parameters.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

using advise::GateWay;
using advise::GateWayKind;
using measure::HitMaterial;
using session::Id;
using session::Session;

Error gatesStopped() {
    return {ErrorCode::Cancelled, "Measuring the gates was stopped."};
}

/// Channels of an element over a stretch of the session; once cancelled, the rest stays silent.
std::vector<std::vector<float>> readElement(const session::Element& e, const graph::SourceLookup& sources,
                                            double rate, Frames from, std::size_t frames,
                                            const CancelToken& cancel) {
    std::vector<std::vector<float>> channels;
    for (std::size_t c = 0; c < e.channels.size(); ++c) {
        auto& sound = channels.emplace_back(frames, 0.0F);
        const auto input = graph::laneInput(e, static_cast<int>(c), sources, rate);
        if (!input.source)
            continue;
        constexpr std::size_t kPiece = 1 << 20;
        for (std::size_t at = 0; at < frames && !cancel.isCancelled(); at += kPiece) {
            const auto piece = std::span(sound).subspan(at, std::min(kPiece, frames - at));
            (void)input.source->read(input.channel, from + static_cast<Frames>(at) - input.delayFrames,
                                     piece);
            for (float& x : piece)
                x *= input.gain;
        }
    }
    return channels;
}

/// Other microphones of the drum, which may serve as keys.
std::vector<Id> keysFor(const Session& s, const HitAnalysis& hits, Id element) {
    std::vector<Id> keys;
    const int input = hits.inputOf(element);
    if (input < 0)
        return keys;
    const int drum = hits.hits.kit.drumOf[static_cast<std::size_t>(input)];
    for (const auto& e : s.elements) {
        const int other = hits.inputOf(e->id);
        if (e->id != element && other >= 0 && drum >= 0 &&
            hits.hits.kit.drumOf[static_cast<std::size_t>(other)] == drum)
            keys.push_back(e->id);
    }
    // The cleanest few: a search for each of many microphones of one drum would cost their number squared.
    constexpr std::size_t kMostKeys = 2;
    const auto room = [&](Id id) {
        const auto& r = hits.spill.rooms[static_cast<std::size_t>(hits.inputOf(id))];
        return r.roomDb();
    };
    if (keys.size() > kMostKeys) {
        std::stable_sort(keys.begin(), keys.end(), [&](Id a, Id b) { return room(a) > room(b); });
        keys.resize(kMostKeys);
    }
    return keys;
}

/// Searches the ways of one element.
class Ways {
  public:
    Ways(const advise::HouseStyle& style, const CancelToken& cancel)
        : m_style(style), m_weights(advise::gateWeights(style)), m_cancel(cancel) {}

    GateWay find(GateWayKind kind, measure::GateTracks& tracks, const dsp::GateSettings& start, double ownMs,
                 Id key = session::kNoId) const {
        const auto grid = measure::gateGridFor(tracks, start);
        auto choice = measure::searchGate(tracks, start, m_style.gateKeeps, m_weights, grid, ownMs, m_cancel);
        if (!m_cancel.isCancelled())
            choice =
                measure::withGentlestFloor(tracks, choice, m_style.gateSpillDownDb, m_style.gateLowestFloorDb,
                                           m_style.gateKeeps, m_weights, ownMs);
        return {kind, choice, key};
    }
    [[nodiscard]] measure::GateWants wants() const { return m_style.gateKeeps; }

  private:
    const advise::HouseStyle& m_style;
    measure::GateWeights m_weights;
    const CancelToken& m_cancel;
};

} // namespace

bool isHat(const session::Element& e) {
    return e.role == Role::ClosedHat || e.role == Role::OpenHat;
}

bool canBeGated(const session::Element& e) {
    switch (e.role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
    case Role::SnareTop:
    case Role::SnareBottom:
    case Role::RackTom:
    case Role::FloorTom:
        return true;
    default:
        return false;
    }
}

Result<std::vector<std::vector<float>>> keySound(const Session& s, Id key, session::KeyTap tap,
                                                 const graph::SourceLookup& sources, Frames from,
                                                 std::size_t frames, int channels,
                                                 const CancelToken& cancel) {
    const auto* element = s.element(key);
    Result<std::vector<std::vector<float>>> heard =
        element != nullptr && tap == session::KeyTap::Source
            ? readElement(*element, sources, s.sampleRateHz, from, frames, cancel)
            : nodeSound(s, key, sources, from, frames, cancel);
    if (heard && channels == 1 && heard->size() == 2) { // a mono detector hears the middle of both sides
        for (std::size_t n = 0; n < frames; ++n)
            (*heard)[0][n] = 0.5F * ((*heard)[0][n] + (*heard)[1][n]);
        heard->resize(1);
    }
    return heard;
}

Result<std::shared_ptr<const HitMaterial>> hitMaterial(const Session& s, Id element, Id key,
                                                       const HitAnalysis& hits,
                                                       const graph::SourceLookup& sources,
                                                       const CancelToken& cancel, session::KeyTap tap) {
    auto material = std::make_shared<HitMaterial>();
    material->rateHz = s.sampleRateHz;
    const auto* e = s.element(element);
    if (e == nullptr)
        return std::shared_ptr<const HitMaterial>(material);
    const auto first = graph::laneInput(*e, 0, sources, s.sampleRateHz);
    const Frames from = first.delayFrames;
    const auto frames =
        static_cast<std::size_t>(first.source ? std::max<Frames>(0, first.source->frames()) : 0);
    material->startS = framesToSeconds(from, s.sampleRateHz);
    material->sound = readElement(*e, sources, s.sampleRateHz, from, frames, cancel);
    if (s.output(key) != nullptr) {
        auto heard =
            keySound(s, key, tap, sources, from, frames, static_cast<int>(e->channels.size()), cancel);
        if (!heard)
            return heard.error();
        material->key = std::move(*heard);
    }
    if (const int input = hits.inputOf(element); input >= 0)
        material->hits = measure::materialHitsOf(hits.hits, input);
    for (const auto& section : s.sections)
        material->sections.push_back({section.name, section.startS, section.endS});
    if (cancel.isCancelled())
        return gatesStopped();
    return std::shared_ptr<const HitMaterial>(material);
}

std::vector<measure::GateTurn> gateTurns(const Session& s, const session::Module& module) {
    std::vector<measure::GateTurn> turns;
    for (const auto& moment : graph::momentsOf(module, s))
        turns.push_back({framesToSeconds(moment.frame, s.sampleRateHz),
                         std::get<dsp::GateSettings>(moment.value),
                         framesToSeconds(moment.glideFrames, s.sampleRateHz)});
    return turns;
}

bool canBeOpenedByShells(const session::Element& e) {
    return e.role == Role::Room || e.role == Role::Overhead;
}

namespace {

/// The bus that the shells go to; kNoId when none goes to one of its own.
Id shellsBus(const Session& s) {
    for (const auto& e : s.elements)
        if (e->role == Role::SnareTop || e->role == Role::KickIn)
            if (const auto* bus = s.bus(e->out.bus); bus != nullptr && !bus->isMaster)
                return bus->id;
    return session::kNoId;
}

/// An expander that opens on the shells: as long as they sound there, closed between.
Result<std::optional<advise::ShellExpander>>
measureShells(const Session& s, Id element, const HitAnalysis& hits, const graph::SourceLookup& sources,
              const advise::HouseStyle& style, const CancelToken& cancel) {
    const Id bus = shellsBus(s);
    if (bus == session::kNoId || !session::checkKey(s, element, bus))
        return std::optional<advise::ShellExpander>();
    const auto found = hitMaterial(s, element, bus, hits, sources, cancel);
    if (!found)
        return found.error();
    auto material = std::make_shared<HitMaterial>(**found);
    // Every stroke is heard there; a room may have no hits of its own in the analysis.
    material->hits.clear();
    for (const auto& stroke : hits.hits.strokes) {
        const Role role = hits.hits.kit.drums[static_cast<std::size_t>(stroke.drum)].role;
        const bool isShell = roleInfo(role).group == RoleGroup::Shells && role != Role::Unknown;
        material->hits.push_back(
            {stroke.timeS, isShell, measure::HitClass::Normal, stroke.drum, stroke.levelDb});
    }
    const auto isOwn = [](const measure::MaterialHit& h) { return h.isOwn; };
    if (std::none_of(material->hits.begin(), material->hits.end(), isOwn) ||
        std::all_of(material->hits.begin(), material->hits.end(), isOwn))
        return std::optional<advise::ShellExpander>();
    measure::GateTracks tracks(*material);
    const auto nature = measure::measureNature(*material);
    advise::ShellExpander expander;
    expander.key = bus;
    auto start = measure::gateStart(nature);
    start.attackMs = 2;
    start.lookAheadMs = 4;
    start.floorDb = std::max(style.gateLowestFloorDb, -style.gateSpillDownDb);
    auto grid = measure::gateGridFor(tracks, start);
    grid.holdMs = {30, 60, 120};
    grid.releaseMs = {80, 160, 320};
    const auto choice = measure::searchGate(tracks, start, measure::GateWants::Normals,
                                            advise::gateWeights(style), grid, nature.ownMs(), cancel);
    expander.settings = choice.settings;
    expander.betweenDb =
        measure::judgeGate(tracks, choice.settings, measure::GatePrecision::Exact, nature.ownMs(), {}, cancel)
            .all.spillChangeDb();
    expander.decayBeforeMs = nature.decayMs;
    HitMaterial after = *material;
    after.sound = measure::gatedSound(tracks, choice.settings);
    expander.decayAfterMs = measure::measureNature(after).decayMs;
    return std::optional(expander);
}

} // namespace

Result<advise::GateMeasure> measureGate(const Session& s, Id element, const HitAnalysis& hits,
                                        const graph::SourceLookup& sources, const advise::HouseStyle& style,
                                        const CancelToken& cancel, const advise::GateMeasure* known) {
    const auto* module = session::findModule<dsp::GateSettings>(s.element(element)->chain);
    if (known != nullptr && module == nullptr) { // nothing is left to measure
        auto same = *known;
        same.module = session::kNoId;
        same.now.reset();
        return same;
    }
    advise::GateMeasure measured;
    measured.element = element;
    const auto own = hitMaterial(s, element, session::kNoId, hits, sources, cancel);
    if (!own)
        return own.error();
    measured.nature = measure::measureNature(**own);
    if (cancel.isCancelled())
        return gatesStopped();
    measured.hits = (*own)->hits;
    const double ownMs = measured.nature.ownMs();
    if (module != nullptr) {
        const auto keyed = module->key == session::kNoId
                               ? own
                               : hitMaterial(s, element, module->key, hits, sources, cancel, module->keyTap);
        if (!keyed)
            return keyed.error();
        measure::GateTracks tracks(**keyed);
        measured.module = module->id;
        measured.now =
            measure::judgeGate(tracks, std::get<dsp::GateSettings>(module->settings),
                               measure::GatePrecision::Exact, ownMs, gateTurns(s, *module), cancel);
    }
    if (known != nullptr) {
        measured.shells = known->shells;
        measured.overlap = known->overlap;
        measured.spillEnergy = known->spillEnergy;
        measured.ways = known->ways;
        return measured;
    }
    if (canBeOpenedByShells(*s.element(element))) {
        if (module == nullptr) {
            auto shells = measureShells(s, element, hits, sources, style, cancel);
            if (!shells)
                return shells.error();
            measured.shells = *shells;
        }
        return measured;
    }
    const bool hasOwn =
        std::any_of(measured.hits.begin(), measured.hits.end(), [](const auto& h) { return h.isOwn; });
    const bool hasSpill =
        std::any_of(measured.hits.begin(), measured.hits.end(), [](const auto& h) { return !h.isOwn; });
    if (!hasOwn || !hasSpill)
        return measured;
    const Ways ways(style, cancel);
    const auto start = measure::gateStart(measured.nature);
    measure::GateTracks tracks(**own);
    measured.overlap = measure::findOverlap(tracks, start, ways.wants());
    measured.spillEnergy =
        measure::judgeGate(tracks, start, measure::GatePrecision::Coarse, ownMs, {}, cancel).all.spillBefore;
    measured.ways.push_back(ways.find(GateWayKind::Plain, tracks, start, ownMs));
    if (cancel.isCancelled())
        return gatesStopped();
    const auto filtered = measure::withBestDetectorFilter(tracks, start, ways.wants());
    if (filtered)
        measured.ways.push_back(ways.find(GateWayKind::Filtered, tracks, *filtered, ownMs));
    auto highs = filtered.value_or(start);
    highs.reach = dsp::GateReach::Above;
    if (cancel.isCancelled())
        return gatesStopped();
    measured.ways.push_back(ways.find(GateWayKind::Highs, tracks, highs, ownMs));
    for (const Id key : keysFor(s, hits, element)) {
        const auto keyed = hitMaterial(s, element, key, hits, sources, cancel);
        if (!keyed) // stopped, too
            return keyed.error();
        measure::GateTracks keyTracks(**keyed);
        const auto keyStart = measure::withBestDetectorFilter(keyTracks, start, ways.wants()).value_or(start);
        auto way = ways.find(GateWayKind::Keyed, keyTracks, keyStart, ownMs, key);
        const auto old = std::find_if(measured.ways.begin(), measured.ways.end(),
                                      [](const GateWay& w) { return w.kind == GateWayKind::Keyed; });
        if (old == measured.ways.end())
            measured.ways.push_back(std::move(way));
        else if (way.choice.loss < old->choice.loss)
            *old = std::move(way);
    }
    if (cancel.isCancelled())
        return gatesStopped();
    return measured;
}

Result<std::vector<advise::GateMeasure>> measureGates(const Session& s, const HitAnalysis& hits,
                                                      const graph::SourceLookup& sources,
                                                      const advise::HouseStyle& style,
                                                      const CancelToken& cancel, const ProgressFn& progress,
                                                      const std::vector<advise::GateMeasure>& known) {
    std::vector<Id> elements;
    for (const auto& e : s.elements)
        if ((canBeGated(*e) || isHat(*e) || canBeOpenedByShells(*e)) && hits.inputOf(e->id) >= 0)
            elements.push_back(e->id);
    std::vector<advise::GateMeasure> found(elements.size());
    inParallel(elements.size(), cancel, progress, [&](std::size_t i) {
        const auto old =
            std::find_if(known.begin(), known.end(), [&](const auto& k) { return k.element == elements[i]; });
        if (auto measured = measureGate(s, elements[i], hits, sources, style, cancel,
                                        old == known.end() ? nullptr : &*old))
            found[i] = std::move(*measured);
    });
    if (cancel.isCancelled())
        return gatesStopped();
    return found;
}

} // namespace cask::kit
