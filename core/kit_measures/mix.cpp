#include "core/kit_measures/mix.h"

#include "core/base/parallel.h"
#include "core/graph/module_sections.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>
#include <mutex>

namespace cask::kit {
namespace {

using session::Id;
using session::Session;

constexpr double kWorthShare = 0.05;  // in its stretch: for less no move is looked for
constexpr double kWorthWhole = 0.003; // and of all cells of the two
constexpr std::size_t kMostConflicts = 8;
constexpr double kCutDb = -3;

bool hearsAll(Role role) {
    return role == Role::Overhead || role == Role::Room;
}

/// Two microphones of one drum are no rivals.
bool areRivals(const Session& s, Id a, Id b, const advise::HitAnalysis* hits) {
    const Role first = s.element(a)->role;
    const Role second = s.element(b)->role;
    if (hearsAll(first) || hearsAll(second))
        return false;
    if (hits == nullptr)
        return true;
    const int i = hits->inputOf(a);
    const int j = hits->inputOf(b);
    if (i < 0 || j < 0)
        return true;
    const int drum = hits->hits.kit.drumOf[static_cast<std::size_t>(i)];
    return drum < 0 || drum != hits->hits.kit.drumOf[static_cast<std::size_t>(j)];
}

/// When the drum of a close microphone sounds; always where there is none, or no hit is known.
std::vector<bool> ownCells(const advise::CellMeasure& cell, const advise::HitAnalysis* hits) {
    constexpr double kSoundsS = 0.25;
    const int input = hits == nullptr ? -1 : hits->inputOf(cell.element);
    if (input < 0 || hits->hits.kit.drumOf[static_cast<std::size_t>(input)] < 0)
        return {};
    std::vector<bool> own(cell.cells->cells());
    for (const auto& h : hits->hits.heard)
        if (h.input == input && h.isOwn) {
            const auto from = static_cast<std::size_t>(std::max(0.0, h.timeS / measure::BandCells::kHopS));
            const auto to = from + static_cast<std::size_t>(kSoundsS / measure::BandCells::kHopS);
            for (std::size_t k = from; k < std::min(to, own.size()); ++k)
                own[k] = true;
        }
    return own;
}

std::vector<double> erbCentres() {
    std::vector<double> hz;
    hz.reserve(measure::kErbBands);
    for (int b = 0; b < measure::kErbBands; ++b)
        hz.push_back(measure::erbBandHz(b));
    return hz;
}

/// The one with less energy where it is worst gives way by a bell as broad as that stretch.
void findMove(const std::vector<measure::MixTrack>& tracks, const advise::MixMeasure& mix,
              advise::ConflictMeasure& c) {
    const auto from = static_cast<std::size_t>(c.conflict.fromBand);
    const auto to = static_cast<std::size_t>(c.conflict.toBand);
    double first = 0;
    double second = 0;
    for (std::size_t b = from; b <= to; ++b) {
        const double all = std::pow(10.0, mix.picture.mixDb[b] / 10);
        first += all * mix.picture.share[c.conflict.first][b];
        second += all * mix.picture.share[c.conflict.second][b];
    }
    const std::size_t yields = first < second ? c.conflict.first : c.conflict.second;
    c.yielding = mix.elements[yields];
    c.cut.frequencyHz = std::round(std::sqrt(c.fromHz * c.toHz));
    c.cut.gainDb = kCutDb;
    const double octaves = std::max(0.5, std::log2(c.toHz / c.fromHz));
    c.cut.q = std::round(10 / (2 * std::sinh(0.5 * std::log(2.0) * octaves))) / 10;
    auto parted = tracks;
    session::Module eq;
    eq.settings = dsp::EqSettings{{c.cut}};
    constexpr double kRate = 48000; // the shape is the same at every rate
    const auto sections = graph::sectionsOf(eq, dsp::StereoPart::Middle, kRate);
    for (int b = 0; b < measure::kErbBands; ++b)
        parted[yields].gainDb[static_cast<std::size_t>(b)] +=
            static_cast<float>(dsp::responseDb(sections, measure::erbBandHz(b), kRate));
    c.shareAfter = measure::conflictShare(parted, c.conflict);
}

} // namespace

std::vector<double> wayResponseDb(const Session& s, Id element, const std::vector<double>& hz) {
    std::vector<double> db(hz.size(), 0);
    const auto add = [&](Id id) {
        const auto sections = graph::sectionsOf(*s.chain(id), dsp::StereoPart::Middle, s.sampleRateHz);
        for (std::size_t i = 0; i < hz.size(); ++i)
            db[i] += s.output(id)->levelDb + dsp::responseDb(sections, hz[i], s.sampleRateHz);
    };
    Id at = element;
    for (std::size_t hops = 0; s.output(at) != nullptr && hops <= s.buses.size(); ++hops) {
        add(at);
        at = s.output(at)->bus;
    }
    return db;
}

Result<TrackMeasures> measureTracks(const Session& s, const graph::SourceLookup& sources,
                                    const CancelToken& cancel, const ProgressFn& progress,
                                    const TrackMeasures& known) {
    TrackMeasures found;
    found.cells.resize(s.elements.size());
    std::mutex mutex; // guards found.hums
    inParallel(s.elements.size(), cancel, progress, [&](std::size_t i) {
        const auto& e = *s.elements[i];
        const auto old = std::find_if(known.cells.begin(), known.cells.end(),
                                      [&](const auto& k) { return k.element == e.id; });
        if (old != known.cells.end()) {
            found.cells[i] = *old;
            const auto hum = std::find_if(known.hums.begin(), known.hums.end(),
                                          [&](const auto& k) { return k.element == e.id; });
            const std::lock_guard lock(mutex);
            if (hum != known.hums.end())
                found.hums.push_back(*hum);
            return;
        }
        std::vector<measure::CellInput> inputs;
        std::vector<std::shared_ptr<AudioSource>> open;
        for (std::size_t c = 0; c < e.channels.size(); ++c) {
            const auto input = graph::laneInput(e, static_cast<int>(c), sources, s.sampleRateHz);
            inputs.push_back({input.source.get(), input.channel, input.delayFrames, std::abs(input.gain)});
            open.push_back(input.source);
        }
        found.cells[i] = {e.id, std::make_shared<const measure::BandCells>(
                                    measureBandCells(inputs, s.lengthFrames(), s.sampleRateHz, cancel))};
        if (open.empty() || !open.front() || cancel.isCancelled())
            return;
        std::vector<float> channel(static_cast<std::size_t>(open.front()->frames()));
        (void)open.front()->read(inputs.front().channel, 0, channel);
        const auto hum = measure::measureHum(channel, s.sampleRateHz);
        const std::lock_guard lock(mutex);
        if (hum.mainsHz > 0)
            found.hums.push_back({e.id, hum});
    });
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "Measuring the tracks was stopped."};
    const auto place = [&](Id id) {
        return std::find_if(s.elements.begin(), s.elements.end(), [&](const auto& e) { return e->id == id; });
    };
    std::sort(found.hums.begin(), found.hums.end(),
              [&](const auto& a, const auto& b) { return place(a.element) < place(b.element); });
    return found;
}

advise::MixMeasure measureMix(const Session& s, const std::vector<advise::CellMeasure>& cells,
                              const advise::HitAnalysis* hits) {
    advise::MixMeasure mix;
    std::vector<measure::MixTrack> tracks;
    const auto centres = erbCentres();
    for (const auto& cell : cells) {
        const auto* e = s.element(cell.element);
        if (e == nullptr || cell.cells == nullptr || e->out.isMuted)
            continue;
        measure::MixTrack track;
        track.cells = cell.cells.get();
        const auto response = wayResponseDb(s, cell.element, centres);
        for (std::size_t b = 0; b < measure::kErbBands; ++b)
            track.gainDb[b] = static_cast<float>(response[b]);
        track.own = ownCells(cell, hits);
        tracks.push_back(std::move(track));
        mix.elements.push_back(cell.element);
    }
    mix.picture = measure::lookAtMix(tracks);
    for (const auto& conflict : mix.picture.conflicts) {
        if (conflict.worstShare < kWorthShare || mix.conflicts.size() >= kMostConflicts)
            break;
        if (conflict.share < kWorthWhole)
            continue;
        advise::ConflictMeasure c;
        c.first = mix.elements[conflict.first];
        c.second = mix.elements[conflict.second];
        if (!areRivals(s, c.first, c.second, hits))
            continue;
        c.conflict = conflict;
        const auto edge = [](int band, int next) {
            return std::sqrt(measure::erbBandHz(band) * measure::erbBandHz(band + next));
        };
        c.fromHz = edge(conflict.fromBand, -1);
        c.toHz = edge(conflict.toBand, 1);
        findMove(tracks, mix, c);
        mix.conflicts.push_back(c);
    }
    return mix;
}

} // namespace cask::kit
