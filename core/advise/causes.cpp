#include "core/advise/causes.h"

#include "core/advise/words.h"
#include "core/session/edits.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace cask::advise {
namespace {

using session::Session;

struct Cause {
    std::string id;
    std::string words; ///< of the proposal
    std::function<bool(const Finding&)> isOf;
    /// The sentence; `names` as a list.
    std::function<std::string(const std::string& names, const std::vector<const Finding*>&)> tell;
};

void gather(std::vector<Finding>& findings, const Session& s, const Cause& cause) {
    std::vector<const Finding*> members;
    for (const auto& f : findings)
        if (f.isOpen() && f.proposal && cause.isOf(f))
            members.push_back(&f);
    if (members.size() < 2)
        return;
    Finding all;
    all.id = cause.id;
    all.stage = members.front()->stage;
    all.severity = Severity::Advice;
    all.school = members.front()->school;
    std::vector<std::string> names;
    std::vector<std::function<Session(Session)>> moves;
    for (const auto* f : members) {
        names.push_back(s.nameOf(f->element));
        moves.push_back(f->proposal->apply);
        all.weight = std::max(all.weight, f->weight);
    }
    all.sentence = cause.tell(listed(names), members);
    all.numbers = {{"elements", static_cast<double>(members.size()), ""}};
    all.hearing = Hearing{{}, 0, 8};
    all.proposal = Proposal{cause.words, [moves](Session x) {
                                for (const auto& move : moves)
                                    x = move(std::move(x));
                                return x;
                            }};
    for (auto& f : findings)
        if (f.isOpen() && f.proposal && cause.isOf(f))
            f.isFolded = true;
    findings.push_back(std::move(all));
}

} // namespace

void joinRings(std::vector<Finding>& findings, const std::map<std::string, dsp::EqBand>& cuts,
               const Session& s, const HitAnalysis& hits) {
    constexpr double kSame = 0.01;
    const auto isRing = [](const Finding& f) { return f.id.starts_with("ring-"); };
    const auto drumOf = [&](const Finding& f) {
        const int input = hits.inputOf(f.element);
        const auto& drums = hits.hits.kit.drumOf;
        return input < 0 || drums.size() <= static_cast<std::size_t>(input)
                   ? -1
                   : drums[static_cast<std::size_t>(input)];
    };
    const auto hzOf = [](const Finding& f) { return f.numbers.front().value; };
    const auto soreOf = [](const Finding& f) { return numberOf(f, "out") + numberOf(f, "level") / 2; };
    const auto isFirst = [&](const Finding& f) { return hits.elementOf(drumOf(f)) == f.element; };
    const auto isSame = [&](const Finding& a, const Finding& b) {
        return isRing(b) && drumOf(b) >= 0 && std::abs(hzOf(b) / hzOf(a) - 1) < kSame;
    };
    std::vector<std::string> gone;
    for (auto& f : findings) {
        if (!isRing(f) || drumOf(f) < 0)
            continue;
        if (std::any_of(findings.begin(), findings.end(), [&](const Finding& other) {
                return isSame(f, other) && drumOf(other) != drumOf(f) && soreOf(other) > soreOf(f);
            })) {
            gone.push_back(f.id);
            continue;
        }
        if (isFirst(f)) {
            for (const auto& second : findings) {
                if (!isSame(f, second) || drumOf(second) != drumOf(f) || second.element == f.element)
                    continue;
                f.sentence +=
                    fmt::format(" {} hears it too and gets a cut of its own.", s.nameOf(second.element));
                f.proposal->apply = [one = f.proposal->apply, other = second.proposal->apply](Session x) {
                    return other(one(std::move(x)));
                };
                gone.push_back(second.id);
            }
            continue;
        }
        const bool isTold = std::any_of(findings.begin(), findings.end(), [&](const Finding& other) {
            return isSame(f, other) && drumOf(other) == drumOf(f) && isFirst(other);
        });
        const auto cut = cuts.find(f.id);
        if (isTold || cut == cuts.end())
            continue;
        const auto first = hits.elementOf(drumOf(f));
        f.sentence += fmt::format(" {} gets the same cut.", s.nameOf(first));
        f.proposal->apply = [own = f.proposal->apply, first, band = cut->second](Session x) {
            x = own(std::move(x));
            session::addBand(x, first, band);
            return x;
        };
    }
    std::erase_if(findings,
                  [&](const Finding& f) { return std::find(gone.begin(), gone.end(), f.id) != gone.end(); });
}

void gatherByCause(std::vector<Finding>& findings, const Session& s) {
    gather(findings, s,
           {"spill-all", "Gates against spill",
            [](const Finding& f) { return f.id.starts_with("gate-") && f.stage == Stage::Clean; },
            [](const std::string& names, const std::vector<const Finding*>& gates) {
                double hits = 0;
                double kept = 0;
                double least = -200;
                double most = 0;
                for (const auto* f : gates) {
                    hits += numberOf(*f, "hits");
                    kept += numberOf(*f, "kept");
                    least = std::max(least, numberOf(*f, "spill change"));
                    most = std::min(most, numberOf(*f, "spill change"));
                }
                return fmt::format(
                    "Gates on {} take {:.0f} to {:.0f} dB off the spill there and keep {:.0f} of "
                    "{:.0f} own hits.",
                    names, -least, -most, kept, hits);
            }});
    gather(findings, s,
           {"low-cut-all", "High-pass on the overheads",
            [&](const Finding& f) {
                return f.id.starts_with("low-cut-") && s.element(f.element) != nullptr &&
                       s.element(f.element)->role == Role::Overhead;
            },
            [](const std::string& names, const std::vector<const Finding*>& cuts) {
                return fmt::format(
                    "The drums in {} have microphones of their own: high-passes at {:.0f} Hz take "
                    "{:.1f} dB off them there.",
                    names, numberOf(*cuts.front(), "corner"), -numberOf(*cuts.front(), "spill change"));
            }});
    gather(findings, s,
           {"low-cut-close", "High-passes against spill",
            [&](const Finding& f) {
                return f.id.starts_with("low-cut-") && s.element(f.element) != nullptr &&
                       s.element(f.element)->role != Role::Overhead;
            },
            [](const std::string& names, const std::vector<const Finding*>& cuts) {
                double least = -200;
                double most = 0;
                double cost = 0;
                for (const auto* f : cuts) {
                    least = std::max(least, numberOf(*f, "spill change"));
                    most = std::min(most, numberOf(*f, "spill change"));
                    cost = std::min(cost, numberOf(*f, "own change"));
                }
                return fmt::format("High-passes on {} take {:.1f} to {:.1f} dB off the spill there and cost "
                                   "own hits at most {:.1f} dB.",
                                   names, -least, -most, -cost);
            }});
}

} // namespace cask::advise
