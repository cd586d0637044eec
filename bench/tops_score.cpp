// How many drums are told as held before: close microphones of takes with a known truth as they are, limited,
// saturated and clipped. What a planted clip or a broken file changed is left out. Argument: a folder of
// takes.
#include "core/base/role.h"
#include "core/base/units.h"
#include "core/measure/punch/compression.h"
#include "core/measure/punch/tops.h"
#include "core/measure/statistics.h"
#include "tests/support/take_truth.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <exception>
#include <functional>

namespace {

using namespace cask;
using measure::HitMaterial;
using test::Json;

constexpr int kFewestHits = 8;

struct Treatment {
    const char* name;
    /// The material, and the level of its accents, dBFS.
    std::function<HitMaterial(HitMaterial, double)> on;
};

HitMaterial limited(HitMaterial m, double ceilingDb) {
    dsp::LimiterSettings limiter;
    limiter.ceilingDb = ceilingDb;
    limiter.releaseMs = 60;
    m.sound = measure::limitedSound(m, limiter);
    return m;
}

HitMaterial shaped(HitMaterial m, const std::function<double(double)>& law) {
    for (auto& channel : m.sound)
        for (float& x : channel)
            x = static_cast<float>(law(static_cast<double>(x)));
    return m;
}

const std::array kTreatments = {
    Treatment{"as recorded", [](HitMaterial m, double) { return m; }},
    Treatment{"limited by 4 dB", [](HitMaterial m, double db) { return limited(std::move(m), db - 4); }},
    Treatment{"limited by 8 dB", [](HitMaterial m, double db) { return limited(std::move(m), db - 8); }},
    Treatment{"saturated, 8 dB over",
              [](HitMaterial m, double db) {
                  const double gain = dbToLinear(8 - db);
                  return shaped(std::move(m), [gain](double x) { return std::tanh(gain * x) / gain; });
              }},
    Treatment{"clipped 6 dB under its peaks",
              [](HitMaterial m, double db) {
                  const double top = dbToLinear(db - 6);
                  return shaped(std::move(m), [top](double x) { return std::clamp(x, -top, top); });
              }},
};

double accentDb(const HitMaterial& m) {
    std::vector<double> levels;
    for (const auto& hit : m.hits)
        if (hit.isOwn && hit.hitClass != measure::HitClass::Ghost)
            levels.push_back(hit.levelDb);
    std::sort(levels.begin(), levels.end(), std::greater<>());
    levels.resize((levels.size() + 1) / 2);
    return measure::median(std::move(levels));
}

bool isTouched(const Json& truth, const std::string& mic) {
    for (const auto& problem : truth["problems"])
        if (problem.value("mic", "") == mic &&
            (problem["kind"] == "clip" || problem["kind"] == "mute" || problem["kind"] == "dc"))
            return true;
    return false;
}

struct Count {
    int told = 0;
    int of = 0;
};

void run(const char* folder) {
    std::array<std::array<Count, 2>, kTreatments.size()> counts{}; // kicks, others
    for (const auto& take : test::takesIn(folder)) {
        const Json truth = test::truthOf(take);
        if (truth.contains("mix"))
            continue;
        for (const auto& [drum, element] : truth["elements"].items()) {
            if (element["close_mic"].is_null() || !element["scored"].get<bool>() ||
                element["hits"].size() < kFewestHits || isTouched(truth, element["close_mic"]))
                continue;
            const auto material = test::closeMaterial(take, truth, drum);
            const Role role = guessRoleFromName(test::stemOf(truth, element["close_mic"])).role;
            const bool isKick = role == Role::KickIn || role == Role::KickOut || role == Role::SubKick;
            for (std::size_t t = 0; t < kTreatments.size(); ++t) {
                const auto tops = measure::measureTops(kTreatments[t].on(material, accentDb(material)));
                auto& count = counts[t][isKick ? 0 : 1];
                const bool isTold = measure::areHeld(tops, role);
                count.told += isTold ? 1 : 0;
                ++count.of;
                if (isTold && t == 0)
                    fmt::print("  told as it was recorded: {} {} ({:.0f} ms, flat {:.2f})\n",
                               take.filename().string(), drum, tops.heldMs, tops.flatShare);
            }
        }
    }
    for (std::size_t t = 0; t < kTreatments.size(); ++t)
        fmt::print("{:<30} told of {} of {} kicks, {} of {} other drums\n", kTreatments[t].name,
                   counts[t][0].told, counts[t][0].of, counts[t][1].told, counts[t][1].of);
}

} // namespace

int main(int argc, char** argv) {
    try {
        if (argc > 1) {
            run(argv[1]);
            return 0;
        }
        fmt::print(stderr, "Wanted: a folder of takes.\n");
    } catch (const std::exception& e) {
        fmt::print(stderr, "{}\n", e.what());
    }
    return 1;
}
