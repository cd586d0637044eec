// The hit analysis beside the onset functions of the aubio library on the same made-up takes: own hits per
// close microphone, each method at the single threshold that serves it best over all takes. A benchmark only.
#include "core/base/worker_pool.h"
#include "tests/support/hit_score.h"
#include "tests/support/random_take.h"

#include <fmt/format.h>

#include <algorithm>
#include <aubio/aubio.h>
#include <cmath>
#include <map>
#include <mutex>

namespace {

using namespace cask;

struct Counts {
    int right = 0;
    int extra = 0;
    int missed = 0;
    int ghostsRight = 0;
    int ghosts = 0;
    std::vector<double> errorsMs;
    [[nodiscard]] double f() const { return 2.0 * right / std::max(1, 2 * right + extra + missed); }
};

std::vector<double> onsetsOf(const char* method, float threshold, const std::vector<float>& x, double rate) {
    constexpr uint_t kHop = 256;
    auto* onset = new_aubio_onset(method, 1024, kHop, static_cast<uint_t>(rate));
    aubio_onset_set_threshold(onset, threshold);
    aubio_onset_set_silence(onset, -60);
    aubio_onset_set_minioi_ms(onset, 12);
    auto* in = new_fvec(kHop);
    auto* out = new_fvec(1);
    std::vector<double> times;
    for (std::size_t n = 0; n + kHop <= x.size(); n += kHop) {
        std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(n), kHop, in->data);
        aubio_onset_do(onset, in, out);
        if (out->data[0] > 0)
            times.push_back(aubio_onset_get_last_s(onset));
    }
    del_fvec(in);
    del_fvec(out);
    del_aubio_onset(onset);
    return times;
}

void count(Counts& counts, const std::vector<std::pair<double, bool>>& truth,
           const std::vector<double>& found) {
    std::vector<bool> taken(truth.size(), false);
    for (const double t : found) {
        int best = -1;
        for (std::size_t i = 0; i < truth.size(); ++i)
            if (!taken[i] && std::abs(truth[i].first - t) <= 0.01 &&
                (best < 0 ||
                 std::abs(truth[i].first - t) < std::abs(truth[static_cast<std::size_t>(best)].first - t)))
                best = static_cast<int>(i);
        if (best < 0) {
            ++counts.extra;
            continue;
        }
        taken[static_cast<std::size_t>(best)] = true;
        ++counts.right;
        counts.errorsMs.push_back(1000 * std::abs(truth[static_cast<std::size_t>(best)].first - t));
    }
    for (std::size_t i = 0; i < truth.size(); ++i) {
        counts.missed += taken[i] ? 0 : 1;
        counts.ghosts += truth[i].second ? 1 : 0;
        counts.ghostsRight += truth[i].second && taken[i] ? 1 : 0;
    }
}

} // namespace

int main() {
    const char* const methods[] = {"hfc", "energy", "complex", "phase", "specdiff", "kl", "mkl", "specflux"};
    const float thresholds[] = {0.1F, 0.3F, 0.6F, 1.2F, 2.5F};
    std::map<std::pair<std::string, float>, Counts> all;
    Counts ours;
    std::mutex mutex;
    WorkerPool pool(2);
    const auto recipes = test::takeRecipes();
    for (std::size_t i = 0; i < recipes.size();
         i += 4) // a quarter of the takes: every method at every threshold is slow
        pool.post([&, recipe = recipes[i]] {
            const auto take = test::makeRandomTake(recipe);
            const auto trails = test::trailsOf(take);
            const auto hits = measure::findKitHits(trails.inputs);
            std::vector<bool> isCounted(take.drums.size(), false);
            for (std::size_t m = 0; m < take.microphones.size(); ++m) {
                const auto& mic = take.microphones[m];
                if (mic.drum < 0 || isCounted[static_cast<std::size_t>(mic.drum)])
                    continue;
                isCounted[static_cast<std::size_t>(mic.drum)] = true;
                std::vector<std::pair<double, bool>> truth;
                for (const auto& h : take.hits)
                    if (h.drum == mic.drum)
                        truth.emplace_back(h.onsetS + take.delayS[static_cast<std::size_t>(h.drum)][m],
                                           h.kind == "ghost" || h.kind == "drag");
                std::vector<double> found;
                for (const auto& h : hits.heard)
                    if (h.input == static_cast<int>(m) && h.isOwn)
                        found.push_back(h.timeS);
                {
                    const std::lock_guard lock(mutex);
                    count(ours, truth, found);
                }
                for (const char* method : methods)
                    for (const float threshold : thresholds) {
                        const auto onsets =
                            onsetsOf(method, threshold, mic.channels.front(), recipe.sampleRateHz);
                        const std::lock_guard lock(mutex);
                        count(all[{method, threshold}], truth, onsets);
                    }
            }
        });
    pool.waitIdle();
    const auto print = [](const std::string& name, Counts c) {
        std::sort(c.errorsMs.begin(), c.errorsMs.end());
        fmt::print("{:24} F {:.3f}, ghosts {:.3f}, median error {:.2f} ms\n", name, c.f(),
                   static_cast<double>(c.ghostsRight) / std::max(1, c.ghosts),
                   c.errorsMs.empty() ? 0 : c.errorsMs[c.errorsMs.size() / 2]);
    };
    print("all microphones together", ours);
    for (const char* method : methods) {
        float best = thresholds[0];
        for (const float threshold : thresholds)
            if (all[{method, threshold}].f() > all[{method, best}].f())
                best = threshold;
        print(fmt::format("{} at {:.2f}", method, best), all[{method, best}]);
    }
}
