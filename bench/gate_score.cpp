// Scores gates that the search proposes on made-up takes whose truth is known: the drum alone and everything
// else are gated apart with the gain that the whole microphone makes. Arguments: how many takes (default 16).
#include "core/base/worker_pool.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/gate_lanes.h"
#include "core/dsp/kernels.h"
#include "core/measure/gate/gate_search.h"
#include "core/measure/statistics.h"
#include "tests/support/hit_score.h"
#include "tests/support/random_take.h"
#include "tests/support/through_lanes.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <mutex>

namespace {

using namespace cask;
using namespace cask::measure;

struct School {
    const char* name;
    GateWants wants;
    double targetDb; ///< of spill, for the floor
    double lowestDb; ///< floor
    dsp::GateReach reach;
    bool isFiltered; ///< the detector hears the bands that part own hits from spill best
    bool isGated = true;
};
constexpr School kSchools[] = {
    {"hard gate, ghosts may go", GateWants::Normals, 60, dsp::kSilentFloorDb, dsp::GateReach::All, false},
    {"hard gate that keeps ghosts", GateWants::Ghosts, 60, dsp::kSilentFloorDb, dsp::GateReach::All, false},
    {"the same, detector filtered", GateWants::Ghosts, 60, dsp::kSilentFloorDb, dsp::GateReach::All, true},
    {"gentle floor, detector filtered", GateWants::Ghosts, 9, -18, dsp::GateReach::All, true},
    {"highs alone, detector filtered", GateWants::Ghosts, 20, -24, dsp::GateReach::Above, true},
    {"no gate", GateWants::Ghosts, 0, 0, dsp::GateReach::All, false, false},
};

struct Truth {
    int own = 0, ownKept = 0;
    int ghosts = 0, ghostsKept = 0;
    int agree = 0, judged = 0;   ///< kept or lost, as the judge says and as it is
    std::vector<double> spillDb; ///< by take
    std::vector<double> highDb;  ///< the same above 3 kHz
    void add(const Truth& o) {
        own += o.own;
        ownKept += o.ownKept;
        ghosts += o.ghosts;
        ghostsKept += o.ghostsKept;
        agree += o.agree;
        judged += o.judged;
        spillDb.insert(spillDb.end(), o.spillDb.begin(), o.spillDb.end());
        highDb.insert(highDb.end(), o.highDb.begin(), o.highDb.end());
    }
};

std::vector<float> gated(std::vector<float> x, const std::vector<float>& detector, const dsp::GateSettings& s,
                         double rate) {
    const auto sections = dsp::designDetectorFilter(s, rate);
    auto bank = dsp::makeBank(static_cast<int>(sections.size()));
    for (std::size_t i = 0; i < sections.size(); ++i)
        dsp::setTarget(bank.sections[i], 0, sections[i]);
    dsp::settle(bank);
    dsp::LaneBuffer key(detector.size() * dsp::kLanes);
    for (std::size_t i = 0; i < detector.size(); ++i)
        key[i * dsp::kLanes] = detector[i];
    dsp::kernels().filter(bank, key.data(), static_cast<int>(detector.size()));
    auto heard = detector;
    for (std::size_t i = 0; i < heard.size(); ++i)
        heard[i] = key[i * dsp::kLanes];
    heard.resize(x.size());
    x = test::throughLanes<dsp::GateLanes>({x}, {heard}, s, rate)[0];
    const auto late = static_cast<std::size_t>(dsp::gateLatency(s, rate));
    x.erase(x.begin(), x.begin() + static_cast<std::ptrdiff_t>(std::min(late, x.size())));
    x.resize(detector.size());
    return x;
}

double energy(const std::vector<float>& x, double fromS, double toS, double rate) {
    double sum = 0;
    const auto end = std::min(x.size(), static_cast<std::size_t>(std::max(0.0, toS * rate)));
    for (auto n = static_cast<std::size_t>(std::max(0.0, fromS * rate)); n < end; ++n)
        sum += static_cast<double>(x[n]) * x[n];
    return sum;
}

/// What lies above 3 kHz, 48 dB an octave.
std::vector<float> highsOf(std::vector<float> x, double rate) {
    dsp::EqBand above;
    above.kind = dsp::FilterKind::HighPass;
    above.frequencyHz = 3000;
    above.slopeDbPerOct = 48;
    const auto sections = dsp::designBand(above, rate);
    auto bank = dsp::makeBank(static_cast<int>(sections.size()));
    for (std::size_t i = 0; i < sections.size(); ++i)
        dsp::setTarget(bank.sections[i], 0, sections[i]);
    dsp::settle(bank);
    dsp::LaneBuffer lanes(x.size() * dsp::kLanes);
    for (std::size_t n = 0; n < x.size(); ++n)
        lanes[n * dsp::kLanes] = x[n];
    dsp::kernels().filter(bank, lanes.data(), static_cast<int>(x.size()));
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] = lanes[n * dsp::kLanes];
    return x;
}

Truth scoreSchool(const School& school, const test::RandomTake& take, std::size_t mic, GateTracks& tracks,
                  const HitNature& nature) {
    const double rate = take.recipe.sampleRateHz;
    const auto& microphone = take.microphones[mic];
    GateChoice choice;
    choice.settings = gateStart(nature);
    choice.settings.reach = school.reach;
    if (school.isGated) {
        if (school.isFiltered)
            choice.settings =
                withBestDetectorFilter(tracks, choice.settings, school.wants).value_or(choice.settings);
        choice = searchGate(tracks, choice.settings, school.wants, {}, gateGridFor(tracks, choice.settings),
                            nature.ownMs());
        choice = withGentlestFloor(tracks, choice, school.targetDb, school.lowestDb, school.wants, {},
                                   nature.ownMs());
    } else {
        choice.settings.openDb = -90;
        choice.settings.floorDb = 0;
    }
    const auto report = judgeGate(tracks, choice.settings, GatePrecision::Exact, nature.ownMs());
    const auto& whole = microphone.channels[0];
    const auto& own = microphone.own[0];
    std::vector<float> spill(whole.size());
    for (std::size_t n = 0; n < whole.size(); ++n)
        spill[n] = whole[n] - own[n];
    const auto ownOut = gated(own, whole, choice.settings, rate);
    const auto spillOut = gated(spill, whole, choice.settings, rate);
    Truth truth;
    for (const auto& hit : take.hits) {
        if (hit.drum != microphone.drum)
            continue;
        const double at = hit.onsetS + take.delayS[static_cast<std::size_t>(hit.drum)][mic];
        const double before = energy(own, at, at + 0.02, rate);
        const bool isKept = energy(ownOut, at, at + 0.02, rate) > 0.5 * before;
        const bool isGhost = hit.kind == "ghost" || hit.kind == "drag";
        ++truth.own;
        truth.ownKept += isKept;
        truth.ghosts += isGhost;
        truth.ghostsKept += isGhost && isKept;
        for (std::size_t i = 0; i < report.hits.size(); ++i)
            if (tracks.material().hits[i].isOwn && std::abs(tracks.material().hits[i].timeS - at) < 0.010) {
                ++truth.judged;
                truth.agree += report.hits[i].isKept() == isKept;
                break;
            }
    }
    const auto changeDb = [&](const std::vector<float>& after, const std::vector<float>& before) {
        return powerToDb(energy(after, 0, 1e9, rate) / energy(before, 0, 1e9, rate) + 1e-12);
    };
    truth.spillDb.push_back(changeDb(spillOut, spill));
    truth.highDb.push_back(changeDb(highsOf(spillOut, rate), highsOf(spill, rate)));
    return truth;
}

} // namespace

int main(int argc, char** argv) {
    const int most = argc > 1 ? std::atoi(argv[1]) : 16;
    std::map<std::string, Truth> bySchool;
    std::mutex mutex;
    WorkerPool pool(2);
    int taken = 0;
    for (auto recipe : test::takeRecipes()) {
        if (recipe.isWithoutSpill || taken == most)
            continue;
        ++taken;
        recipe.keepsOwn = true;
        pool.post([&, recipe] {
            const auto take = test::makeRandomTake(recipe);
            const auto trails = test::trailsOf(take);
            const auto hits = findKitHits(trails.inputs);
            std::size_t mic = 0;
            while (mic + 1 < take.microphones.size() && take.microphones[mic].role != Role::SnareTop)
                ++mic;
            HitMaterial m;
            m.rateHz = recipe.sampleRateHz;
            m.sound = take.microphones[mic].channels;
            m.hits = materialHitsOf(hits, static_cast<int>(mic));
            GateTracks tracks(m);
            const auto nature = measureNature(m);
            for (const auto& school : kSchools) {
                const Truth truth = scoreSchool(school, take, mic, tracks, nature);
                const std::lock_guard lock(mutex);
                bySchool[school.name].add(truth);
            }
        });
    }
    pool.waitIdle();
    fmt::print("{} takes, snare top\n", taken);
    for (const auto& school : kSchools) {
        const auto& t = bySchool[school.name];
        const double spillDb = median(t.spillDb);
        fmt::print(
            "{:32} own kept {:.3f} of {}, ghosts kept {:.3f} of {}, spill {:.1f} dB ({:.0f} % of its energy "
            "gone), above 3 kHz {:.1f} dB, judge right {:.3f} of {}\n",
            school.name, static_cast<double>(t.ownKept) / std::max(1, t.own), t.own,
            static_cast<double>(t.ghostsKept) / std::max(1, t.ghosts), t.ghosts, spillDb,
            100 * (1 - dbToLinear(2 * spillDb)), median(t.highDb),
            static_cast<double>(t.agree) / std::max(1, t.judged), t.judged);
    }
}
