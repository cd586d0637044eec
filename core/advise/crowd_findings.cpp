#include "core/advise/advise.h"
#include "core/advise/words.h"
#include "core/session/hearing.h"
#include "core/session/intake.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using session::Id;
using session::Session;

constexpr double kTogetherS = 0.03;    // flams of one drum are nearer
constexpr double kTogetherShare = 0.8; // of the strikes

bool isPlayed(const Session& s, Id element) {
    const auto* e = s.element(element);
    const auto* file = e == nullptr || e->channels.empty() ? nullptr : s.file(e->channels.front().file);
    return file != nullptr && file->format == session::kStackFormat;
}

/// Times of a drum's strokes, sorted; none of an element without a drum of its own.
std::vector<double> strokesOf(const HitAnalysis& hits, Id element) {
    std::vector<double> times;
    const int input = hits.inputOf(element);
    const int drum = input < 0 ? -1 : hits.hits.kit.drumOf[static_cast<std::size_t>(input)];
    for (const auto& stroke : hits.hits.strokes)
        if (drum >= 0 && stroke.drum == drum)
            times.push_back(stroke.timeS);
    std::sort(times.begin(), times.end());
    return times;
}

/// Whether nearly all of the one's strokes are strokes of the other too, and the other way round.
bool isStruckWith(const std::vector<double>& own, const std::vector<double>& other) {
    const auto shareIn = [](const std::vector<double>& of, const std::vector<double>& in) {
        const auto near = std::count_if(of.begin(), of.end(), [&](double t) {
            const auto next = std::lower_bound(in.begin(), in.end(), t - kTogetherS);
            return next != in.end() && *next <= t + kTogetherS;
        });
        return of.empty() ? 0 : static_cast<double>(near) / static_cast<double>(of.size());
    };
    return shareIn(own, other) >= kTogetherShare && shareIn(other, own) >= kTogetherShare;
}

Finding findingOf(const Session& s, const char* what, const CrowdMeasure& crowd, std::string sentence) {
    Finding f;
    f.id = fmt::format("crowd-{}-{}", what, crowd.element);
    f.stage = Stage::Layers;
    f.element = crowd.element;
    f.severity = Severity::Note;
    f.sentence = fmt::format("{} {}", s.nameOf(crowd.element), sentence);
    return f;
}

} // namespace

std::vector<Finding> crowdFindings(const Session& s, const KitMeasures& measures, const HouseStyle&) {
    std::vector<Finding> findings;
    for (const auto& crowd : measures.crowd) {
        const auto& part = crowd.part;
        if (crowd.changesNothing()) {
            auto f =
                findingOf(s, "nothing", crowd,
                          fmt::format("changes nothing as it is mixed: muted, no third of an octave of "
                                      "the kit loses {:.0f} dB (at most {:.1f} dB, at {:.0f} Hz). It can "
                                      "be louder, or go.",
                                      CrowdMeasure::kHeardDb, part.mostLostDb, part.mostLostHz));
            // A close microphone may be there for later; what was added to a kit is there to be heard.
            f.severity = isPlayed(s, crowd.element) ? Severity::Advice : Severity::Note;
            f.numbers = {{"lost", part.mostLostDb, "dB"}, {"frequency", part.mostLostHz, "Hz"}};
            f.proposal = Proposal{"Mute " + s.nameOf(crowd.element), [element = crowd.element](Session next) {
                                      return session::withMute(std::move(next), {element}, true);
                                  }};
            findings.push_back(std::move(f));
            continue;
        }
        if (part.likest < 0 || measures.hits == nullptr || !isPlayed(s, crowd.element))
            continue;
        const auto own = strokesOf(*measures.hits, crowd.element);
        const auto& likest = measures.crowd[static_cast<std::size_t>(part.likest)];
        if (crowd.isOneWith()) {
            auto f = findingOf(s, "one", crowd,
                               fmt::format("and {} are heard as one drum: their levels move together "
                                           "(correlation {:.2f}).",
                                           s.nameOf(likest.element), part.likeness));
            f.numbers = {{"correlation", part.likeness, ""}};
            findings.push_back(std::move(f));
            continue;
        }
        for (const auto& other : measures.crowd) {
            if (other.element == crowd.element || isPlayed(s, other.element) ||
                !isStruckWith(own, strokesOf(*measures.hits, other.element)))
                continue;
            auto f = findingOf(
                s, "two", crowd,
                fmt::format("is struck with {}, and is heard beside it as a drum of its own: its level moves "
                            "most like that of {} (correlation {:.2f}; one drum from {:.1f} on).",
                            s.nameOf(other.element), s.nameOf(likest.element), part.likeness,
                            CrowdMeasure::kOneDrum));
            f.numbers = {{"correlation", part.likeness, ""}};
            findings.push_back(std::move(f));
            break;
        }
    }
    return findings;
}

} // namespace cask::advise
