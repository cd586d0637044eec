#include "core/kit_measures/drive.h"

#include "core/base/parallel.h"
#include "core/kit_measures/bus_parts.h"
#include "core/kit_measures/bus_punch.h"
#include "core/kit_measures/node_sound.h"
#include "core/kit_measures/path_sound.h"
#include "core/kit_measures/punch.h"
#include "core/kit_measures/push.h"
#include "core/kit_measures/send_mix.h"
#include "core/measure/drive/between_drums.h"
#include "core/measure/loudness.h"
#include "core/measure/tone/partials.h"
#include "core/session/parallel_path.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {

using measure::HitMaterial;
using session::Id;
using session::Session;

namespace {

constexpr double kDriveS = 60;
constexpr double kPathS = 30;
constexpr double kSureOfNote = 0.6;

Error driveStopped() {
    return {ErrorCode::Cancelled, "Measuring the drive was stopped."};
}

bool isShell(Role role) {
    return roleInfo(role).group == RoleGroup::Shells;
}

/// The least oversampling that folds back as little as the style wants, where the one that is set does not.
void findEnough(advise::DriveMeasure& drive, const HitMaterial& material, const dsp::SaturationSettings& s,
                const advise::HouseStyle& style, const CancelToken& cancel) {
    drive.aliasDb = measure::aliasesDb(material, s, cancel);
    if (drive.aliasDb <= style.aliasDb)
        return;
    for (auto other : {dsp::Oversampling::Four, dsp::Oversampling::Eight}) {
        if (other <= s.oversampling || cancel.isCancelled())
            continue;
        auto finer = s;
        finer.oversampling = other;
        const double db = measure::aliasesDb(material, finer, cancel);
        if (db > style.aliasDb)
            continue;
        drive.enoughFactor = factorOf(other);
        drive.enoughAliasDb = db;
        return;
    }
}

/// Kicks, snares and toms as own hits, in a sound that holds all.
HitMaterial shellMaterial(const Session& s, const HitAnalysis& hits, Frames from, measure::Sound sound) {
    HitMaterial m;
    m.rateHz = s.sampleRateHz;
    m.startS = framesToSeconds(from, s.sampleRateHz);
    m.sound = std::move(sound);
    for (const auto& stroke : hits.hits.strokes)
        m.hits.push_back({stroke.timeS,
                          isShell(hits.hits.kit.drums[static_cast<std::size_t>(stroke.drum)].role),
                          stroke.hitClass, stroke.drum, stroke.levelDb});
    std::stable_sort(m.hits.begin(), m.hits.end(),
                     [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    return m;
}

/// The parts at the level at which all of them together come to the module: what stands before it in the
/// chain counts as a gain.
double betweenDrums(const Session& s, const advise::DriveMeasure& drive, const HitMaterial& material,
                    const graph::SourceLookup& sources, const CancelToken& cancel) {
    constexpr double kPartsS = 10;
    const auto frames =
        std::min(static_cast<Frames>(material.frames()), secondsToFrames(kPartsS, s.sampleRateHz));
    const Frames into = (static_cast<Frames>(material.frames()) - frames) / 2;
    const Frames from = secondsToFrames(material.startS, s.sampleRateHz) + into;
    auto parts = busParts(s, drive.owner, sources, from, frames, cancel);
    if (!parts || parts->size() < 2)
        return kSilenceDb;
    double before = 0;
    double now = 0;
    for (std::size_t c = 0; c < parts->front().sound.size(); ++c)
        for (std::size_t n = 0; n < static_cast<std::size_t>(frames); ++n) {
            double sum = 0;
            for (const auto& part : *parts)
                sum += static_cast<double>(part.sound[c][n]);
            const auto& heard = material.sound[std::min(c, material.sound.size() - 1)];
            const double x = static_cast<double>(heard[static_cast<std::size_t>(into) + n]);
            before += sum * sum;
            now += x * x;
        }
    if (before <= 0)
        return kSilenceDb;
    const auto gain = static_cast<float>(std::sqrt(now / before));
    std::vector<measure::Sound> sounds;
    for (auto& part : *parts) {
        for (auto& channel : part.sound)
            for (float& x : channel)
                x *= gain;
        sounds.push_back(std::move(part.sound));
    }
    return measure::intermodulationDb(sounds, drive.settings, s.sampleRateHz, cancel);
}

measure::Sound blended(const PathSound& sound, double dry, double wet) {
    measure::Sound sum = sound.dry;
    for (std::size_t c = 0; c < sum.size(); ++c)
        for (std::size_t n = 0; n < sum[c].size(); ++n)
            sum[c][n] = static_cast<float>(dry * sound.dry[c][n] + wet * sound.wet[c][n]);
    return sum;
}

std::vector<advise::BlendPoint> blendsOf(const HitMaterial& m, const measure::DriveBefore& before,
                                         const PathSound& sound, const session::ParallelPath& path,
                                         double wetLevel, const CancelToken& cancel) {
    constexpr std::array kBlends = {0.0, 10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 80.0, 100.0};
    std::vector<advise::BlendPoint> points;
    auto at = path;
    at.isEqualGain = true;
    for (const double percent : kBlends) {
        if (cancel.isCancelled())
            break;
        at.blendPercent = percent;
        const auto gains = session::blendGains(at, wetLevel);
        const auto sum = blended(sound, gains.dry, gains.wet);
        const auto change = measure::measureDrive(m, before, sum, cancel);
        points.push_back({percent, change.denserDb(), change.cymbalsDb.value_or(0),
                          change.after.peakDb - change.before.peakDb});
    }
    return points;
}

/// The highest low-pass of the wet sound with which cymbals rise no more than is allowed, else the one with
/// which they rise least.
std::optional<advise::PathLowPass> lowPassOf(const HitMaterial& m, const measure::DriveBefore& before,
                                             const PathSound& sound, const session::Bus& bus, double rateHz,
                                             double allowedDb, const CancelToken& cancel) {
    constexpr std::array kCorners = {8000.0, 6000.0, 4500.0, 3500.0, 2500.0};
    std::optional<advise::PathLowPass> best;
    for (const double hz : kCorners) {
        if (cancel.isCancelled())
            break;
        dsp::EqBand band;
        band.kind = dsp::FilterKind::LowPass;
        band.frequencyHz = hz;
        const PathSound filtered{sound.dry, measure::filteredSound(sound.wet, band, rateHz)};
        const auto match = matchOf(filtered, bus.out.levelDb, bus.path->isInverted, rateHz);
        if (!match)
            break;
        auto at = *bus.path;
        at.matchDb = match->matchDb;
        at.likeness = match->likeness;
        const auto gains = session::blendGains(at, dbToLinear(bus.out.levelDb));
        const auto change = measure::measureDrive(m, before, blended(filtered, gains.dry, gains.wet), cancel);
        const double raised = change.cymbalsDb.value_or(0);
        if (!best || raised < best->cymbalsDb)
            best = {hz, match->matchDb, match->likeness, change.denserDb(), raised};
        if (raised <= allowedDb)
            break;
    }
    return best;
}

/// Where the next step raises cymbals by more than it makes denser.
double kneeOf(const std::vector<advise::BlendPoint>& points) {
    constexpr double kRises = 0.1;
    for (std::size_t i = 1; i < points.size(); ++i) {
        const double denser = points[i].denserDb - points[i - 1].denserDb;
        const double cymbals = points[i].cymbalsDb - points[i - 1].cymbalsDb;
        if (cymbals > std::max(denser, kRises))
            return points[i - 1].percent;
    }
    return 0;
}

/// The kick or snare at whose note wet takes most away.
void findCombAtNotes(advise::PathMeasure& path, const Session& s, const HitAnalysis& hits,
                     const graph::SourceLookup& sources, const CancelToken& cancel) {
    for (const auto& e : s.elements) {
        if ((e->role != Role::KickIn && e->role != Role::KickOut && e->role != Role::SnareTop) ||
            cancel.isCancelled())
            continue;
        const auto material = punchMaterial(s, e->id, session::kNoId, hits, sources, cancel, kPathS);
        const double note = material ? noteOf(s, e->id, **material) : 0;
        if (note <= 0)
            continue;
        const double dip = path.comb.dipAt(note);
        if (dip <= path.combDipDb)
            continue;
        path.combDipDb = dip;
        path.combNoteHz = note;
        path.combElement = e->name;
    }
}

std::vector<advise::PathShare> sharesOf(const Session& s, Id path, const graph::SourceLookup& sources,
                                        Frames from, Frames frames, const CancelToken& cancel) {
    std::vector<advise::PathShare> shares;
    double all = 0;
    for (const auto& e : s.elements)
        for (const auto& send : e->out.sends) {
            if (send.bus != path || e->out.isMuted || cancel.isCancelled())
                continue;
            const auto material =
                nodeSound(s, e->id, sources, from, static_cast<std::size_t>(frames), cancel);
            if (!material)
                continue;
            double power = 0;
            for (const auto& channel : *material)
                for (const float x : channel)
                    power += static_cast<double>(x) * x;
            power *= dbToPower(send.levelDb + (send.isBeforeLevel ? 0 : e->out.levelDb));
            shares.push_back({e->id, send.levelDb, power, {}, {}});
            all += power;
        }
    for (auto& share : shares)
        share.percent = all > 0 ? 100 * share.percent / all : 0;
    std::stable_sort(shares.begin(), shares.end(),
                     [](const auto& a, const auto& b) { return a.percent > b.percent; });
    return shares;
}

} // namespace

std::optional<measure::DriveSettings> driveSettings(const session::ModuleSettings& settings) {
    if (const auto* saturation = std::get_if<dsp::SaturationSettings>(&settings))
        return *saturation;
    if (const auto* clipper = std::get_if<dsp::ClipperSettings>(&settings))
        return *clipper;
    if (const auto* crush = std::get_if<dsp::CrushSettings>(&settings))
        return *crush;
    if (const auto* body = std::get_if<dsp::BodySettings>(&settings))
        return *body;
    return std::nullopt;
}

double noteOf(const Session& s, Id owner, const HitMaterial& material) {
    const auto* e = s.element(owner);
    if (e == nullptr || !isShell(e->role))
        return 0;
    const auto note = measure::measurePartials(material, measure::fundamentalRange(e->role)).fundamental;
    return note.confidence >= kSureOfNote ? note.hz : 0;
}

Result<std::vector<advise::DriveMeasure>> measureDrives(const Session& s, const HitAnalysis& hits,
                                                        const graph::SourceLookup& sources,
                                                        const advise::HouseStyle& style,
                                                        const CancelToken& cancel,
                                                        const std::vector<advise::DriveMeasure>& known) {
    std::vector<advise::DriveMeasure> all;
    const auto addFrom = [&](Id owner, const std::vector<session::Module>& chain, bool isBus) {
        for (const auto& m : chain)
            if (const auto settings = driveSettings(m.settings); settings && m.isOn) {
                auto& drive = all.emplace_back();
                drive.owner = owner;
                drive.module = m.id;
                drive.settings = *settings;
                drive.isBus = isBus;
                drive.isParallel = isBus && isParallelPath(s, owner);
            }
    };
    for (const auto& e : s.elements)
        if (isMixed(e->role))
            addFrom(e->id, e->chain, false);
    for (const auto& b : s.buses)
        addFrom(b->id, b->chain, true);
    inParallel(all.size(), cancel, {}, [&](std::size_t i) {
        auto& drive = all[i];
        const auto old = std::find_if(known.begin(), known.end(), [&](const auto& k) {
            return k.module == drive.module && k.settings == drive.settings;
        });
        if (old != known.end()) {
            drive = *old;
            return;
        }
        const auto found = punchMaterial(s, drive.owner, drive.module, hits, sources, cancel, kDriveS);
        if (!found || (*found)->sound.empty() || (*found)->frames() == 0)
            return;
        const HitMaterial& material = **found;
        drive.noteHz = noteOf(s, drive.owner, material);
        drive.change = measure::measureDrive(material, measure::drivenSound(material, drive.settings, cancel),
                                             drive.noteHz, cancel);
        if (!drive.change.shapes.spill.empty())
            drive.spillName = hits.nameOf(drive.change.shapes.spill.front().drum, s);
        if (const auto* saturation = std::get_if<dsp::SaturationSettings>(&drive.settings))
            findEnough(drive, material, *saturation, style, cancel);
        if (drive.isBus && !drive.isParallel)
            drive.betweenDrumsDb = betweenDrums(s, drive, material, sources, cancel);
    });
    if (cancel.isCancelled())
        return driveStopped();
    return all;
}

Result<std::vector<advise::PathMeasure>> measurePaths(const Session& s, const HitAnalysis& hits,
                                                      const graph::SourceLookup& sources,
                                                      const advise::HouseStyle& style,
                                                      const CancelToken& cancel) {
    std::vector<advise::PathMeasure> all;
    const Frames length = s.lengthFrames();
    const Frames frames = std::min(length, secondsToFrames(kPathS, s.sampleRateHz));
    const Frames from = (length - frames) / 2;
    for (const auto& bus : s.buses) {
        if (!bus->path || bus->out.isMuted || frames == 0)
            continue;
        const auto sound = pathSound(s, bus->id, sources, from, frames, cancel);
        if (cancel.isCancelled())
            return driveStopped();
        if (!sound)
            continue;
        advise::PathMeasure path;
        path.path = bus->id;
        path.of = bus->path->of;
        const auto match = matchOf(*sound, bus->out.levelDb, bus->path->isInverted, s.sampleRateHz);
        if (!match)
            continue;
        path.matchDb = match->matchDb;
        path.likeness = match->likeness;
        const double level = dbToLinear(bus->out.levelDb);
        const auto gains = session::blendGains(*bus->path, level);
        const auto heard = blended(*sound, gains.dry, gains.wet);
        const auto material = shellMaterial(s, hits, from, sound->dry);
        const auto before = measure::measureBefore(material, 0, cancel);
        path.change = measure::measureDrive(material, before, heard, cancel);
        path.blendErrorDb = path.change.after.lufs - path.change.before.lufs;
        path.headroomDb = path.change.after.peakDb - path.change.before.peakDb;
        path.comb = measure::combOf(sound->dry, sound->wet, s.sampleRateHz,
                                    gains.dry > 0 ? gains.wet / gains.dry : 1);
        findCombAtNotes(path, s, hits, sources, cancel);
        auto measured = *bus->path;
        measured.matchDb = path.matchDb;
        measured.likeness = path.likeness;
        path.blends = blendsOf(material, before, *sound, measured, level, cancel);
        path.kneePercent = kneeOf(path.blends);
        if (path.change.cymbalsDb.value_or(0) > style.cymbalsRaisedDb)
            path.lowPass =
                lowPassOf(material, before, *sound, *bus, s.sampleRateHz, style.cymbalsRaisedDb, cancel);
        path.shares = sharesOf(s, bus->id, sources, from, frames, cancel);
        findWantedSends(path, s, hits, sources, from, frames, cancel);
        if (cancel.isCancelled())
            return driveStopped();
        all.push_back(std::move(path));
    }
    return all;
}

Result<advise::KitDrive> measureDrive(const Session& s, const HitAnalysis& hits,
                                      const graph::SourceLookup& sources, const advise::HouseStyle& style,
                                      const CancelToken& cancel, const advise::KitDrive& known) {
    auto modules = measureDrives(s, hits, sources, style, cancel, known.modules);
    if (!modules)
        return modules.error();
    auto paths = measurePaths(s, hits, sources, style, cancel);
    if (!paths)
        return paths.error();
    advise::KitDrive drive{std::move(*modules), std::move(*paths), {}};
    for (const auto& bus : s.buses) {
        if (isParallelPath(s, bus->id) ||
            std::none_of(bus->chain.begin(), bus->chain.end(),
                         [](const session::Module& m) { return m.isOn && shapesHits(m.settings); }))
            continue;
        const auto old = std::find_if(known.pushes.begin(), known.pushes.end(), [&](const auto& k) {
            return k.node == bus->id && k.chain == bus->chain;
        });
        auto push = old != known.pushes.end() ? Result<advise::PushMeasure>(*old)
                                              : pushKit(s, bus->id, hits, sources, pushLimits(style), cancel);
        if (cancel.isCancelled())
            return driveStopped();
        if (push)
            drive.pushes.push_back(std::move(*push));
    }
    return drive;
}

} // namespace cask::kit
