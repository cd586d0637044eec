#include "core/kit_measures/bus_punch.h"

#include "core/base/units.h"
#include "core/kit_measures/node_sound.h"
#include "core/kit_measures/punch.h"
#include "core/measure/band_part.h"
#include "core/measure/punch/hit_shapes.h"
#include "core/measure/statistics.h"
#include "core/session/edits.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

using measure::HitMaterial;
using session::Id;
using session::Session;
using Sound = std::vector<std::vector<float>>;

constexpr double kMostS = 60;
constexpr double kFirstS = 0.010;

Error punchStopped() {
    return {ErrorCode::Cancelled, "Measuring the punch was stopped."};
}

bool isKickOrSnare(Role role) {
    return role == Role::KickIn || role == Role::KickOut || role == Role::SubKick || role == Role::SnareTop ||
           role == Role::SnareBottom;
}

bool isShaping(const session::Module& m) {
    return m.isOn && shapesHits(m.settings);
}

/// Without what shapes hits there.
Session unshaped(const Session& s, Id node) {
    return session::withChain(s, node, [](std::vector<session::Module>& chain) {
        chain.erase(std::remove_if(chain.begin(), chain.end(), isShaping), chain.end());
    });
}

/// The stretch that is looked at.
struct Minute {
    Frames from = 0;
    std::size_t frames = 0;
};
Minute minuteOf(const Session& s) {
    const Frames all = s.lengthFrames();
    const Frames most = std::min(all, secondsToFrames(kMostS, s.sampleRateHz));
    return {(all - most) / 2, static_cast<std::size_t>(most)};
}

/// The strokes of some drums as own hits; ghosts are soft on purpose.
template <class IsMeant>
HitMaterial materialOf(const Session& s, const HitAnalysis& hits, const Minute& minute,
                       const IsMeant& isMeant) {
    HitMaterial m;
    m.rateHz = s.sampleRateHz;
    m.startS = framesToSeconds(minute.from, s.sampleRateHz);
    for (const auto& stroke : hits.hits.strokes)
        if (isMeant(stroke.drum) && stroke.hitClass != measure::HitClass::Ghost)
            m.hits.push_back({stroke.timeS, true, measure::HitClass::Normal, stroke.drum, stroke.levelDb});
    std::stable_sort(m.hits.begin(), m.hits.end(),
                     [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    return m;
}

/// Median change of the punch of own hits; hits that are silent on one side are left out.
std::optional<double> punchChange(const HitMaterial& m, const Sound& before, const Sound& after, int* count) {
    constexpr double kQuietDb = -40; // energy of frames of full scale: less is spill at most
    const auto was = measure::hitShapes(m, before);
    const auto is = measure::hitShapes(m, after);
    std::vector<double> changes;
    for (std::size_t i = 0; i < std::min(was.size(), is.size()); ++i)
        if (std::min({was[i].attackDb, was[i].bodyDb, is[i].attackDb, is[i].bodyDb}) > kQuietDb)
            changes.push_back(is[i].punchDb() - was[i].punchDb());
    if (count != nullptr)
        *count = static_cast<int>(changes.size());
    if (changes.empty())
        return std::nullopt;
    return measure::median(std::move(changes));
}

/// What the elements that reach a bus have won of punch, the most first.
std::vector<advise::PunchWon> wonBefore(const Session& s, Id bus, const HitAnalysis& hits,
                                        const graph::SourceLookup& sources, const Minute& minute,
                                        const CancelToken& cancel) {
    constexpr double kWorthDb = 0.5;
    std::vector<advise::PunchWon> won;
    for (const auto& e : s.elements) {
        const int input = hits.inputOf(e->id);
        if (!isKickOrSnare(e->role) || input < 0 || !session::reaches(s, e->id, bus) ||
            std::none_of(e->chain.begin(), e->chain.end(), isShaping))
            continue;
        const int drum = hits.hits.kit.drumOf[static_cast<std::size_t>(input)];
        auto m = materialOf(s, hits, minute, [&](int d) { return d == drum; });
        auto before = nodeSound(unshaped(s, e->id), e->id, sources, minute.from, minute.frames, cancel);
        const auto after = nodeSound(s, e->id, sources, minute.from, minute.frames, cancel);
        if (!before || !after)
            return won;
        m.sound = std::move(*before);
        if (const auto change = punchChange(m, m.sound, *after, nullptr); change && *change >= kWorthDb)
            won.push_back({e->id, *change});
    }
    std::stable_sort(won.begin(), won.end(), [](const auto& a, const auto& b) { return a.db > b.db; });
    return won;
}

/// The chain up to where it has so many modules that shape hits.
Session upTo(const Session& s, Id node, std::size_t shaping) {
    return session::withChain(s, node, [&](std::vector<session::Module>& chain) {
        std::size_t seen = 0;
        chain.erase(
            std::remove_if(chain.begin(), chain.end(),
                           [&](const session::Module& m) { return isShaping(m) && ++seen > shaping; }),
            chain.end());
    });
}

} // namespace

bool shapesHits(const session::ModuleSettings& settings) {
    return std::holds_alternative<dsp::CompressorSettings>(settings) ||
           std::holds_alternative<dsp::TransientSettings>(settings) ||
           std::holds_alternative<dsp::LimiterSettings>(settings) ||
           std::holds_alternative<dsp::SaturationSettings>(settings) ||
           std::holds_alternative<dsp::ClipperSettings>(settings);
}

Result<std::vector<advise::BusPunchMeasure>> measureBusPunch(const Session& s, const HitAnalysis& hits,
                                                             const graph::SourceLookup& sources,
                                                             const CancelToken& cancel) {
    constexpr double kTakenDb = -0.3; // from which it is worth a closer look
    std::vector<advise::BusPunchMeasure> all;
    const Minute minute = minuteOf(s);
    auto m = materialOf(s, hits, minute, [&](int drum) {
        return isKickOrSnare(hits.hits.kit.drums[static_cast<std::size_t>(drum)].role);
    });
    if (m.hits.empty())
        return all;
    for (const auto& bus : s.buses) {
        std::vector<Id> shaping;
        for (const auto& module : bus->chain)
            if (isShaping(module))
                shaping.push_back(module.id);
        if (shaping.empty() || isParallelPath(s, bus->id))
            continue;
        auto before = nodeSound(unshaped(s, bus->id), bus->id, sources, minute.from, minute.frames, cancel);
        auto after = nodeSound(s, bus->id, sources, minute.from, minute.frames, cancel);
        if (!before || !after)
            return punchStopped();
        m.sound = std::move(*before);
        advise::BusPunchMeasure measured;
        measured.bus = bus->id;
        measured.chain = bus->chain;
        const auto change = punchChange(m, m.sound, *after, &measured.hits);
        if (!change)
            continue;
        measured.changeDb = *change;
        double lastDb = 0;
        for (std::size_t i = 0; i < shaping.size() && *change <= kTakenDb; ++i) {
            double nowDb = *change;
            if (i + 1 < shaping.size()) {
                const auto sound =
                    nodeSound(upTo(s, bus->id, i + 1), bus->id, sources, minute.from, minute.frames, cancel);
                if (!sound)
                    return punchStopped();
                nowDb = punchChange(m, m.sound, *sound, nullptr).value_or(lastDb);
            }
            if (nowDb - lastDb < measured.moduleDb) {
                measured.moduleDb = nowDb - lastDb;
                measured.module = shaping[i];
            }
            lastDb = nowDb;
        }
        if (*change <= kTakenDb)
            measured.won = wonBefore(s, bus->id, hits, sources, minute, cancel);
        all.push_back(std::move(measured));
    }
    if (cancel.isCancelled())
        return punchStopped();
    return all;
}

Result<std::vector<advise::StandMeasure>> measureStands(const Session& s, const HitAnalysis& hits,
                                                        const graph::SourceLookup& sources,
                                                        const CancelToken& cancel) {
    constexpr std::array<double, 4> kEdgesHz = {0, 150, 2000, 0};
    std::vector<advise::StandMeasure> stands;
    const Minute minute = minuteOf(s);
    const auto& kit = hits.hits.kit;
    Session plain = s;
    for (const auto& bus : s.buses)
        plain = unshaped(plain, bus->id);
    const Id master = plain.master().id;
    plain = session::withChain(plain, master, [](std::vector<session::Module>& chain) { chain.clear(); });
    /// Everything of which the element is meant.
    const auto soundOf = [&](const auto& isMeant) {
        Session some = plain;
        for (auto& e : some.elements)
            if (!isMeant(e->id))
                e.edit([](session::Element& x) { x.out.isMuted = true; });
        return nodeSound(some, master, sources, minute.from, minute.frames, cancel);
    };
    const auto drumOf = [&](Id element) {
        const int input = hits.inputOf(element);
        return input < 0 ? -1 : kit.drumOf[static_cast<std::size_t>(input)];
    };
    const auto hearsAll = [&](Id element) {
        const Role role = s.element(element)->role;
        return role == Role::Overhead || role == Role::Room;
    };
    std::optional<Sound> ambient;
    for (std::size_t d = 0; d < kit.drums.size(); ++d) {
        const int drum = static_cast<int>(d);
        if (!isKickOrSnare(kit.drums[d].role) || !kit.drums[d].isMiked() || kit.drums[d].loop >= 0)
            continue;
        if (!ambient) {
            auto heard = soundOf(hearsAll);
            if (!heard)
                return punchStopped();
            ambient = std::move(*heard);
        }
        const auto own = soundOf([&](Id e) { return drumOf(e) == drum; });
        const auto others = soundOf([&](Id e) { return drumOf(e) != drum && !hearsAll(e); });
        if (!own || !others)
            return punchStopped();
        const auto m = materialOf(s, hits, minute, [&](int other) { return other == drum; });
        const auto first = static_cast<std::size_t>(std::lround(kFirstS * s.sampleRateHz));
        const auto powerAt = [&](const Sound& sound, std::size_t from) {
            double power = 0;
            for (const auto& channel : sound)
                for (std::size_t n = from; n < std::min(from + first, channel.size()); ++n)
                    power += static_cast<double>(channel[n]) * channel[n];
            return power;
        };
        /// Median over its hits of how far one sound stands over the others.
        const auto over = [&](const Sound& drumSound, const Sound& otherSound, const Sound& ambientSound,
                              int* count) {
            std::vector<double> db;
            for (const auto& hit : m.hits) {
                const double at = (hit.timeS - m.startS) * s.sampleRateHz;
                if (at < static_cast<double>(2 * first) || at >= static_cast<double>(minute.frames))
                    continue;
                const auto from = static_cast<std::size_t>(at);
                const double mine = powerAt(drumSound, from);
                const double rest =
                    powerAt(otherSound, from) + powerAt(ambientSound, from - first - first / 5);
                if (mine > 0 && rest > 0)
                    db.push_back(powerToDb(mine / rest));
            }
            if (count != nullptr)
                *count = static_cast<int>(db.size());
            return db.empty() ? 0.0 : measure::median(std::move(db));
        };
        advise::StandMeasure stand;
        stand.element = hits.elementOf(drum);
        stand.overDb = over(*own, *others, *ambient, &stand.hits);
        if (stand.hits == 0)
            continue;
        for (std::size_t b = 0; b < stand.bandDb.size(); ++b) {
            const auto part = [&](const Sound& sound) {
                return measure::bandPart(sound, kEdgesHz[b], kEdgesHz[b + 1], s.sampleRateHz);
            };
            stand.bandDb[b] = over(part(*own), part(*others), part(*ambient), nullptr);
        }
        stands.push_back(stand);
    }
    if (cancel.isCancelled())
        return punchStopped();
    return stands;
}

} // namespace cask::kit
