#include "core/session/intake.h"

#include "core/session/edits.h"
#include "core/session/kit_sheet.h"
#include "core/session/parameter_path.h"

#include <algorithm>
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

WithMade withMadeElement(Session s, const IntakeFile& file, const MadeElement& made) {
    const auto before = s.elements;
    WithMade with{withFiles(std::move(s), {file}), kNoId};
    for (const auto& e : with.session.elements)
        if (std::none_of(before.begin(), before.end(), [&](const auto& b) { return b->id == e->id; }))
            with.element = e->id;
    const bool isFree = !made.name.empty() && !findOwner(with.session, made.name);
    with.session = withElement(std::move(with.session), with.element, [&](Element& e) {
        if (isFree)
            e.name = made.name;
        e.role = made.role;
        e.roleConfidence = 1; // it is known what it was made of
        e.startFrame = made.startFrame;
        e.out.bus = made.bus;
    });
    return with;
}

} // namespace cask::session
