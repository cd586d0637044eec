#include "core/kit_measures/trim_to_target.h"

#include "core/measure/statistics.h"
#include "core/session/chain_adapt.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::kit {
namespace {

using session::Id;
using session::Session;

constexpr int kFewestHits = 3;
constexpr double kLeastStepDb = 0.05;
constexpr double kMostTrimDb = 40;

/// Moves all thresholds of a module; how many there are.
int moveThresholds(session::Module& m, double byDb) {
    int count = 0;
    std::visit(
        [&]<class T>(T& settings) {
            const auto move = [&](auto& owner, const auto& fields) {
                for (const auto& field : fields)
                    if (session::isThreshold(field.info.id)) {
                        field.set(owner,
                                  std::clamp(field.get(owner) + byDb, field.info.least, field.info.most));
                        ++count;
                    }
            };
            if constexpr (requires { session::KindOf<T>::fields; })
                move(settings, session::KindOf<T>::fields);
            if constexpr (std::is_same_v<T, dsp::EqSettings>)
                for (auto& band : settings.bands)
                    if (band.dynamics != dsp::Dynamics::None)
                        move(band, session::eqBandFields());
        },
        m.settings);
    for (auto& change : m.changes)
        for (auto& [id, value] : change.values)
            if (session::isThreshold(id))
                value += byDb;
    return count;
}

/// Of modules that hear an element: those of its chain without a key, and others whose key it is.
int moveAlong(Session& s, Id element, double byDb) {
    int count = 0;
    const auto move = [&](auto& owners) {
        for (auto& owner : owners) {
            const auto hears = [&](const session::Module& m) {
                return m.key == element || (m.key == session::kNoId && owner->id == element);
            };
            if (std::any_of(owner->chain.begin(), owner->chain.end(), hears))
                owner.edit([&](auto& o) {
                    for (auto& m : o.chain)
                        if (hears(m))
                            count += moveThresholds(m, byDb);
                });
        }
    };
    move(s.elements);
    move(s.buses);
    return count;
}

} // namespace

std::vector<TrimStep> trimToTarget(const Session& s, const advise::HitAnalysis& hits, double targetDb) {
    std::vector<TrimStep> steps;
    for (const auto& e : s.elements) {
        const int input = hits.inputOf(e->id);
        if (input < 0 || hits.hits.kit.drumOf[static_cast<std::size_t>(input)] < 0)
            continue;
        std::vector<double> accents;
        std::vector<double> others;
        for (const auto& heard : hits.hits.heard) {
            if (heard.input != input || !heard.isOwn || heard.stroke < 0)
                continue;
            const auto hitClass = hits.hits.strokes[static_cast<std::size_t>(heard.stroke)].hitClass;
            if (hitClass == measure::HitClass::Accent)
                accents.push_back(heard.levelDb);
            else if (hitClass != measure::HitClass::Ghost)
                others.push_back(heard.levelDb);
        }
        auto& counted = static_cast<int>(accents.size()) >= kFewestHits ? accents : others;
        if (static_cast<int>(counted.size()) < kFewestHits)
            continue;
        TrimStep step;
        step.element = e->id;
        step.hits = static_cast<int>(counted.size());
        step.beforeDb = e->input.trimDb;
        step.accentDb = measure::median(std::move(counted)) + e->input.trimDb;
        step.afterDb = std::clamp(std::round(10 * (step.beforeDb + targetDb - step.accentDb)) / 10,
                                  -kMostTrimDb, kMostTrimDb);
        if (std::abs(step.afterDb - step.beforeDb) < kLeastStepDb)
            continue;
        auto counting = s;
        step.thresholds = moveAlong(counting, step.element, 0);
        steps.push_back(step);
    }
    return steps;
}

Session withTrims(Session s, const std::vector<TrimStep>& steps) {
    for (const auto& step : steps) {
        s = session::withElement(std::move(s), step.element,
                                 [&](session::Element& e) { e.input.trimDb = step.afterDb; });
        (void)moveAlong(s, step.element, step.afterDb - step.beforeDb);
    }
    return s;
}

} // namespace cask::kit
