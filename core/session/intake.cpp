#include "core/session/intake.h"

#include "core/session/kit_sheet.h"

#include <map>

namespace cask::session {
double commonRate(const std::vector<IntakeFile>& files) {
    std::map<double, int> counts;
    for (const auto& f : files)
        ++counts[f.sampleRateHz];
    double best = 48000;
    int most = 0;
    for (const auto& [rate, count] : counts) {
        if (count >= most && rate >= 44100 && rate <= 192000) {
            best = rate;
            most = count;
        }
    }
    return best;
}

Session withFiles(Session s, const std::vector<IntakeFile>& files) {
    KitSheet sheet = makeKitSheet(files);
    for (auto& row : sheet.rows) // nobody was asked: nothing is left out
        row.isWanted = true;
    return withKitSheet(std::move(s), sheet);
}

} // namespace cask::session
