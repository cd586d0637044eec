#include "core/advise/path_findings.h"

#include "core/advise/words.h"
#include "core/session/edits.h"
#include "core/session/parallel_path.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using session::Id;
using session::Session;

constexpr double kSameDb = 0.5; // denser by less is no change

const char* causeWords(measure::CombCause cause) {
    switch (cause) {
    case measure::CombCause::Delay:
        return "it comes at another time";
    case measure::CombCause::Polarity:
        return "its polarity is inverted";
    default:
        return "the phase of its filters turns it";
    }
}

void addComb(const Session& s, const PathMeasure& path, const HouseStyle& style,
             std::vector<Finding>& findings) {
    if (path.combDipDb <= style.combDipDb || path.comb.dips.empty())
        return;
    // The dip that lies at the note, else the deepest.
    const auto near =
        std::min_element(path.comb.dips.begin(), path.comb.dips.end(), [&](const auto& a, const auto& b) {
            return std::abs(std::log2(a.hz / path.combNoteHz)) < std::abs(std::log2(b.hz / path.combNoteHz));
        });
    const auto* bus = s.bus(path.path);
    Finding f;
    f.id = fmt::format("path-comb-{}", path.path);
    f.stage = Stage::Drive;
    f.element = path.path;
    f.severity = Severity::Advice;
    const bool cutsLows = bus->path->lowCutHz > session::ParallelPath::kLeastCutHz;
    f.sentence =
        fmt::format("The path {} takes {:.1f} dB away from {} at its note of {:.0f} Hz: {}.", bus->name,
                    path.combDipDb, path.combElement, path.combNoteHz, causeWords(near->cause));
    f.numbers = {{"dip", path.combDipDb, "dB"},
                 {"frequency", path.combNoteHz, "Hz"},
                 {"delay", path.comb.delayMs, "ms"}};
    if (near->cause == measure::CombCause::Phase && cutsLows) {
        f.sentence += " Without its low cut both add up.";
        f.proposal = Proposal{fmt::format("Low cut off, {}", bus->name), [id = path.path](Session x) {
                                  return session::withBus(std::move(x), id, [](session::Bus& b) {
                                      b.path->lowCutHz = session::ParallelPath::kLeastCutHz;
                                  });
                              }};
    } else if (near->cause == measure::CombCause::Polarity) {
        f.sentence += " The other way round both add up.";
        f.proposal = Proposal{fmt::format("Polarity of {} inverted", bus->name), [id = path.path](Session x) {
                                  return session::withBus(std::move(x), id, [](session::Bus& b) {
                                      b.path->isInverted = !b.path->isInverted;
                                  });
                              }};
    } else {
        f.sentence += " A shift in pitch by a few cents, or less of the path, lessens that.";
        constexpr double kFewCents = 9;
        f.proposal =
            Proposal{fmt::format("{} by {:.0f} cents", bus->name, kFewCents), [id = path.path](Session x) {
                         return session::withBus(std::move(x), id,
                                                 [](session::Bus& b) { b.path->pitchCents = kFewCents; });
                     }};
    }
    findings.push_back(std::move(f));
}

/// Sends that go to drums that ring by themselves.
void addSends(const Session& s, const PathMeasure& path, std::vector<Finding>& findings) {
    constexpr double kOffDb = 4;
    const auto* bus = s.bus(path.path);
    const PathShare* shortest = nullptr;
    const PathShare* longest = nullptr;
    double mostOff = 0;
    for (const auto& share : path.shares) {
        if (!share.wantedDb)
            continue;
        mostOff = std::max(mostOff, std::abs(*share.wantedDb - share.sendDb));
        if (shortest == nullptr || *share.sustainDb < *shortest->sustainDb)
            shortest = &share;
        if (longest == nullptr || *share.sustainDb > *longest->sustainDb)
            longest = &share;
    }
    if (mostOff < kOffDb || shortest == longest)
        return;
    Finding f;
    f.id = fmt::format("path-sends-{}", path.path);
    f.stage = Stage::Drive;
    f.element = path.path;
    f.severity = Severity::Note;
    std::string sends;
    for (const auto& share : path.shares)
        if (share.wantedDb)
            sends += fmt::format("{}{} {:+.1f} dB", sends.empty() ? "" : ", ", s.nameOf(share.element),
                                 *share.wantedDb);
    f.sentence = fmt::format("In {}, {} falls off fastest and {} rings longest, by {:.0f} dB in its tail. "
                             "Sent by who needs sustain: {}.",
                             bus->name, s.nameOf(shortest->element), s.nameOf(longest->element),
                             *longest->sustainDb - *shortest->sustainDb, sends);
    f.numbers = {{"apart", *longest->sustainDb - *shortest->sustainDb, "dB"}, {"off", mostOff, "dB"}};
    f.proposal = Proposal{
        fmt::format("Send by sustain, {}", bus->name), [shares = path.shares, id = path.path](Session x) {
            for (const auto& share : shares)
                if (share.wantedDb)
                    x = session::withOutput(std::move(x), share.element, [&](session::Output& out) {
                        for (auto& send : out.sends)
                            if (send.bus == id)
                                send.levelDb = *share.wantedDb;
                    });
            return x;
        }};
    findings.push_back(std::move(f));
}

std::string denserWords(double denserDb) {
    return denserDb < 0.05 ? std::string("no denser") : fmt::format("{:.1f} dB denser", denserDb);
}

/// Less of the path up to where it pays, or a low-pass in it: what keeps more of its density.
Finding cymbalsFinding(const Session& s, const PathMeasure& path, const HouseStyle& style) {
    constexpr double kWorthDb = 2;
    const auto* bus = s.bus(path.path);
    const double denser = path.change.denserDb();
    const double cymbals = *path.change.cymbalsDb;
    Finding f;
    f.id = fmt::format("path-cymbals-{}", path.path);
    f.stage = Stage::Drive;
    f.element = path.path;
    f.severity = Severity::Advice;
    f.sentence =
        fmt::format("The path {} raises cymbals by {:.1f} dB against the shells and makes it {}; this "
                    "style allows {:.1f} dB.",
                    bus->name, cymbals, denserWords(denser), style.cymbalsRaisedDb);
    f.numbers = {
        {"raised", cymbals, "dB"}, {"allowed", style.cymbalsRaisedDb, "dB"}, {"denser", denser, "dB"}};
    if (path.kneePercent > 0)
        f.sentence +=
            fmt::format(" Up to a blend of {:.0f} % it gets denser faster than they rise.", path.kneePercent);
    const bool canBlend =
        path.kneePercent > 0 && bus->path->isEqualGain && bus->path->blendPercent > path.kneePercent;
    const auto& low = path.lowPass;
    const bool canFilter = low && low->cymbalsDb < cymbals - kWorthDb;
    const bool isFilterEnough = canFilter && low->cymbalsDb <= style.cymbalsRaisedDb;
    if (isFilterEnough || (canFilter && !canBlend)) {
        f.sentence += fmt::format(" With a low-pass at {:.0f} Hz in it they rise by {:.1f} dB, and it is {}.",
                                  low->hz, low->cymbalsDb, denserWords(low->denserDb));
        f.proposal = Proposal{fmt::format("Low-pass at {:.0f} Hz, {}", low->hz, bus->name),
                              [id = path.path, low = *low](Session x) {
                                  dsp::EqBand band;
                                  band.kind = dsp::FilterKind::LowPass;
                                  band.frequencyHz = low.hz;
                                  session::addBand(x, id, band, session::EqPlace::Colour);
                                  if (!x.bus(id)->path->isEqualGain)
                                      return x;
                                  auto matched = session::withEqualGain(x, id, low.matchDb, low.likeness);
                                  return matched ? std::move(*matched) : std::move(x);
                              }};
    } else if (canBlend) {
        f.proposal = Proposal{fmt::format("Blend of {:.0f} %, {}", path.kneePercent, bus->name),
                              [id = path.path, to = path.kneePercent](Session x) {
                                  return session::withBus(
                                      std::move(x), id, [&](session::Bus& b) { b.path->blendPercent = to; });
                              }};
    }
    return f;
}

void addPath(const Session& s, const PathMeasure& path, const HouseStyle& style,
             std::vector<Finding>& findings) {
    const auto* bus = s.bus(path.path);
    if (bus == nullptr || !bus->path)
        return;
    const auto finding = [&](const char* what, Severity severity, std::string sentence) {
        Finding f;
        f.id = fmt::format("path-{}-{}", what, path.path);
        f.stage = Stage::Drive;
        f.element = path.path;
        f.severity = severity;
        f.sentence = std::move(sentence);
        return f;
    };
    addComb(s, path, style, findings);
    addSends(s, path, findings);
    const double denser = path.change.denserDb();
    const double cymbals = path.change.cymbalsDb.value_or(0);
    if (cymbals > style.cymbalsRaisedDb)
        findings.push_back(cymbalsFinding(s, path, style));
    double mostThird = 0;
    for (const auto& third : path.change.thirds)
        mostThird = std::max(mostThird, std::abs(third.db));
    constexpr double kSameTone = 1;
    if (denser < kSameDb && mostThird < kSameTone && path.change.shapes.sustainDb < kSameTone) {
        constexpr double kHeardDb = 0.3;
        const auto what =
            std::abs(path.blendErrorDb) < kHeardDb
                ? fmt::format("The path {} changes nothing of {}", bus->name, s.nameOf(path.of))
                : fmt::format("The path {} only makes {} {}, by {:.1f} dB", bus->name, s.nameOf(path.of),
                              path.blendErrorDb > 0 ? "louder" : "softer", std::abs(path.blendErrorDb));
        auto f =
            finding("louder", Severity::Advice,
                    fmt::format("{}: at equal loudness the sound is {:+.1f} dB denser and no third of an "
                                "octave changes by more than {:.1f} dB.",
                                what, denser, mostThird));
        f.numbers = {{"louder", path.blendErrorDb, "dB"}, {"denser", denser, "dB"}};
        findings.push_back(std::move(f));
    }
    constexpr double kOffDb = 0.3;
    if (bus->path->isEqualGain && std::abs(path.blendErrorDb) >= kOffDb) {
        auto f = finding(
            "match", Severity::Advice,
            fmt::format("The equal gain of {} is out of date: with it {} is {:.1f} dB {} than without.",
                        bus->name, s.nameOf(path.of), std::abs(path.blendErrorDb),
                        path.blendErrorDb > 0 ? "louder" : "softer"));
        f.numbers = {{"off", std::abs(path.blendErrorDb), "dB"}};
        f.proposal = Proposal{fmt::format("Match {} anew", bus->name),
                              [id = path.path, match = path.matchDb, likeness = path.likeness](Session x) {
                                  auto matched = session::withEqualGain(x, id, match, likeness);
                                  return matched ? std::move(*matched) : std::move(x);
                              }};
        findings.push_back(std::move(f));
    }
}

} // namespace

void addPathFindings(const Session& s, const std::vector<PathMeasure>& paths, const HouseStyle& style,
                     std::vector<Finding>& findings) {
    for (const auto& path : paths)
        addPath(s, path, style, findings);
}

} // namespace cask::advise
