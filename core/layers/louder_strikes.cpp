#include "core/layers/louder_strikes.h"

#include <algorithm>
#include <numeric>

namespace cask::layers {
namespace {

constexpr double kLeastApartDb = 4;
/// Of the variance of levels that are spread evenly, halves of them explain three quarters.
constexpr double kLeastExplained = 0.8;
constexpr double kLeastShare = 1.0 / 12;

std::vector<double> levelsOf(const std::vector<Strike>& strikes) {
    std::vector<double> levels;
    std::transform(strikes.begin(), strikes.end(), std::back_inserter(levels),
                   [](const Strike& strike) { return levelDbOf(strike.velocity); });
    std::sort(levels.begin(), levels.end());
    return levels;
}

} // namespace

std::optional<double> louderFromDb(const std::vector<Strike>& strikes) {
    const auto levels = levelsOf(strikes);
    const auto count = static_cast<double>(levels.size());
    const double sum = std::accumulate(levels.begin(), levels.end(), 0.0);
    double variance = 0;
    for (const double level : levels)
        variance += (level - sum / count) * (level - sum / count) / count;
    double most = 0;
    double below = 0;
    std::optional<double> from;
    for (std::size_t i = 1; i < levels.size(); ++i) {
        below += levels[i - 1];
        const double share = static_cast<double>(i) / count;
        const double apart =
            (sum - below) / (count - static_cast<double>(i)) - below / static_cast<double>(i);
        const double between = share * (1 - share) * apart * apart;
        if (between <= most)
            continue;
        most = between;
        from = std::min(share, 1 - share) >= kLeastShare && apart >= kLeastApartDb &&
                       between >= kLeastExplained * variance
                   ? std::optional((levels[i - 1] + levels[i]) / 2)
                   : std::nullopt;
    }
    return from;
}

int countFrom(const std::vector<Strike>& strikes, double levelDb) {
    const double least = velocityOf(levelDb);
    return static_cast<int>(std::count_if(
        strikes.begin(), strikes.end(), [least](const Strike& strike) { return strike.velocity >= least; }));
}

} // namespace cask::layers
