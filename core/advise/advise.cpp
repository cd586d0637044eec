#include "core/advise/advise.h"

#include "core/advise/causes.h"
#include "core/advise/heads.h"
#include "core/advise/weights.h"

#include <algorithm>
#include <tuple>

namespace cask::advise {

using session::Id;

double ToneMeasure::levelAt(double hz) const {
    for (const auto& level : levels)
        if (level.hz == hz)
            return level.ownDb;
    return kSilenceDb;
}

int HitAnalysis::inputOf(Id element) const {
    const auto it = std::find(elements.begin(), elements.end(), element);
    return it == elements.end() ? -1 : static_cast<int>(it - elements.begin());
}

Id HitAnalysis::elementOf(int drum) const {
    const auto& d = hits.kit.drums[static_cast<std::size_t>(drum)];
    return d.isMiked() ? elements[static_cast<std::size_t>(d.inputs.front())] : session::kNoId;
}

std::string HitAnalysis::ownerOf(const measure::HeardHit& hit, const session::Session& s) const {
    if (hit.drum < 0)
        return {};
    if (hit.isOwn && hits.kit.drums[static_cast<std::size_t>(hit.drum)].isMiked())
        return s.nameOf(elements[static_cast<std::size_t>(hit.input)]);
    return nameOf(hit.drum, s);
}

std::string HitAnalysis::nameOf(int drum, const session::Session& s) const {
    const Id element = elementOf(drum);
    return element != session::kNoId ? s.nameOf(element)
                                     : hits.kit.drums[static_cast<std::size_t>(drum)].name;
}

std::vector<Finding> advise(const session::Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    for (auto* part :
         {&fileFindings, &pairFindings, &hitFindings, &balanceFindings, &gateFindings, &toneFindings,
          &mixFindings, &punchFindings, &kitPunchFindings, &driveFindings, &crowdFindings})
        for (auto& finding : part(s, measures, style))
            findings.push_back(std::move(finding));
    const auto markDismissed = [&] {
        for (auto& finding : findings)
            for (const auto& dismissal : s.dismissals)
                if (dismissal.finding == finding.id)
                    finding.dismissal = dismissal.reason;
    };
    markDismissed();
    weigh(findings, s, measures, style);
    gatherByCause(findings, s);
    markDismissed(); // those that stand for several
    for (auto& finding : findings)
        finding.head = headOf(finding, s);
    const auto place = [&](Id element) {
        const auto it = std::find_if(s.elements.begin(), s.elements.end(),
                                     [&](const auto& e) { return e->id == element; });
        return it - s.elements.begin();
    };
    std::stable_sort(findings.begin(), findings.end(), [&](const Finding& a, const Finding& b) {
        const auto rank = [&](const Finding& f) {
            return std::tuple(f.isFolded, f.severity == Severity::Note, -f.weight, f.stage, place(f.element));
        };
        return rank(a) < rank(b);
    });
    return findings;
}

} // namespace cask::advise
