#include "core/advise/advise.h"
#include "core/advise/words.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"
#include "core/session/parallel_path.h"

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using session::Id;
using session::Session;

constexpr double kNothingNewDb = -60; // of what is new in the sound: less is not heard
constexpr double kSameDb = 0.5;       // denser by less is no change

std::string kindWords(const measure::DriveSettings& settings) {
    return std::visit(
        [](const auto& s) { return std::string(session::KindOf<std::remove_cvref_t<decltype(s)>>::words); },
        settings);
}

bool isInChain(const Session& s, Id owner, Id module, const measure::DriveSettings& settings) {
    const auto* chain = s.chain(owner);
    return chain != nullptr && std::any_of(chain->begin(), chain->end(), [&](const session::Module& m) {
               return m.id == module &&
                      std::visit([&](const auto& x) { return m.settings == session::ModuleSettings(x); },
                                 settings);
           });
}

/// What one saturation, clipper or crush does.
class DriveFindings {
  public:
    DriveFindings(const Session& s, const DriveMeasure& drive, const HouseStyle& style)
        : m_session(s), m_drive(drive), m_style(style) {}

    void addTo(std::vector<Finding>& findings) const {
        if (m_drive.change.before.lufs <= kSilenceDb)
            return;
        if (m_drive.change.newDb < kNothingNewDb) {
            addIdle(findings);
            return;
        }
        addCymbals(findings);
        addSpill(findings);
        addAliases(findings);
        addOutput(findings);
        addLost(findings);
    }

  private:
    [[nodiscard]] std::string name() const { return m_session.nameOf(m_drive.owner); }
    [[nodiscard]] std::string subject() const {
        return fmt::format("The {} on {}", kindWords(m_drive.settings), name());
    }
    [[nodiscard]] const dsp::SaturationSettings* saturation() const {
        return std::get_if<dsp::SaturationSettings>(&m_drive.settings);
    }
    [[nodiscard]] Finding finding(const char* what, Severity severity, std::string sentence) const {
        Finding f;
        f.id = fmt::format("drive-{}-{}-{}", what, m_drive.owner, m_drive.module);
        f.stage = Stage::Drive;
        f.element = m_drive.owner;
        f.severity = severity;
        f.sentence = std::move(sentence);
        return f;
    }
    [[nodiscard]] Proposal setting(std::string words, const char* value, double to) const {
        return {std::move(words), [module = m_drive.module, id = std::string(value), to](Session s) {
                    return session::withModule(std::move(s), module, [&](session::Module& m) {
                        m.settings = session::withSetting(m.settings, id, to);
                    });
                }};
    }

    void addIdle(std::vector<Finding>& findings) const {
        auto f = finding("idle", Severity::Note,
                         fmt::format("{} does nothing: what it makes new lies {:.0f} dB under the sound.",
                                     subject(), -m_drive.change.newDb));
        f.numbers = {{"new", m_drive.change.newDb, "dB"}};
        findings.push_back(std::move(f));
    }

    /// Cymbals lie between the hits of the shells: what lifts the soft parts lifts them.
    void addCymbals(std::vector<Finding>& findings) const {
        const auto raised = m_drive.change.cymbalsDb;
        if (!raised || *raised <= m_style.cymbalsRaisedDb || m_drive.isParallel)
            return;
        const auto* s = saturation();
        const bool canSpare = s != nullptr && s->band == dsp::GateReach::All;
        auto f = finding(
            "cymbals", Severity::Advice,
            fmt::format(
                "{} raises what sounds above 5 kHz between the hits by {:.1f} dB against them{}; this "
                "style allows {:.1f} dB.{}",
                subject(), *raised, m_drive.isBus ? ": cymbals" : ": spill", m_style.cymbalsRaisedDb,
                canSpare ? " Bending only what lies below 5 kHz leaves that as it is." : ""));
        f.numbers = {{"raised", *raised, "dB"},
                     {"allowed", m_style.cymbalsRaisedDb, "dB"},
                     {"denser", m_drive.change.denserDb(), "dB"}};
        if (canSpare)
            f.proposal =
                Proposal{fmt::format("Only below 5 kHz, {}", name()), [module = m_drive.module](Session x) {
                             return session::withModule(std::move(x), module, [](session::Module& m) {
                                 auto& settings = std::get<dsp::SaturationSettings>(m.settings);
                                 settings.band = dsp::GateReach::Below;
                                 settings.toHz = measure::DriveChange::kCymbalsHz;
                             });
                         }};
        findings.push_back(std::move(f));
    }

    void addSpill(std::vector<Finding>& findings) const {
        const auto& spill = m_drive.change.shapes.spill;
        if (m_drive.isBus || spill.empty() || spill.front().changeDb < m_style.raisedDb)
            return;
        auto f = finding("spill", Severity::Advice,
                         fmt::format("{} raises the spill of {} there by {:.1f} dB at equal loudness. A gate "
                                     "before it holds it back.",
                                     subject(), m_drive.spillName, spill.front().changeDb));
        f.numbers = {{"spill", spill.front().changeDb, "dB"}};
        findings.push_back(std::move(f));
    }

    void addAliases(std::vector<Finding>& findings) const {
        if (saturation() == nullptr || m_drive.aliasDb <= m_style.aliasDb)
            return;
        auto f = finding(
            "aliases", Severity::Advice,
            fmt::format("{} folds back {:.0f} dB under what comes out; this style allows {:.0f} dB.{}",
                        subject(), -m_drive.aliasDb, -m_style.aliasDb,
                        m_drive.enoughFactor > 0
                            ? fmt::format(" At {} times the rate it is {:.0f} dB.", m_drive.enoughFactor,
                                          -m_drive.enoughAliasDb)
                            : std::string(" Less drive or a softer shape lessens that.")));
        f.numbers = {{"aliases", m_drive.aliasDb, "dB"}, {"over", m_drive.aliasDb - m_style.aliasDb, "dB"}};
        if (m_drive.enoughFactor > 0)
            f.proposal = setting(fmt::format("{} times oversampled, {}", m_drive.enoughFactor, name()),
                                 "oversampling", m_drive.enoughFactor == 8 ? 2 : 1);
        findings.push_back(std::move(f));
    }

    /// A matched output that no longer matches.
    void addOutput(std::vector<Finding>& findings) const {
        constexpr double kOffDb = 0.3;
        const auto* s = saturation();
        const double offDb = m_drive.change.shapes.matchDb;
        if (s == nullptr || s->output != dsp::SaturationOutput::Matched || std::abs(offDb) < kOffDb)
            return;
        const double to = std::round(10 * (s->outputDb + offDb)) / 10;
        auto f = finding(
            "output", Severity::Advice,
            fmt::format("The matched output on {} is out of date: the take comes out {:.1f} dB {} than it "
                        "goes in. {:+.1f} dB would match it.",
                        name(), std::abs(offDb), offDb > 0 ? "softer" : "louder", to));
        f.numbers = {{"off", std::abs(offDb), "dB"}, {"output", to, "dB"}};
        f.proposal = setting(fmt::format("Output of {:+.1f} dB, {}", to, name()), "output_db", to);
        findings.push_back(std::move(f));
    }

    /// A third of an octave that becomes much softer where the whole is as loud.
    void addLost(std::vector<Finding>& findings) const {
        constexpr double kLostDb = 3;
        const auto lost = m_drive.change.mostLost();
        const auto band = measure::givesBack(m_drive.change);
        if (!lost || !band || lost->db > -kLostDb)
            return;
        auto f = finding("lost", Severity::Note,
                         fmt::format("{} takes {:.1f} dB off the third at {:.0f} Hz at equal loudness.",
                                     subject(), -lost->db, lost->hz));
        f.numbers = {{"lost", -lost->db, "dB"}, {"frequency", lost->hz, "Hz"}};
        f.proposal = Proposal{fmt::format("Give {:.0f} Hz back, {}", lost->hz, name()),
                              [owner = m_drive.owner, band = *band](Session s) {
                                  session::addBand(s, owner, band, session::EqPlace::Colour);
                                  return s;
                              }};
        findings.push_back(std::move(f));
    }

    const Session& m_session;
    const DriveMeasure& m_drive;
    const HouseStyle& m_style;
};

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

void addPathFindings(const Session& s, const PathMeasure& path, const HouseStyle& style,
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
    if (cymbals > style.cymbalsRaisedDb) {
        auto f = finding(
            "cymbals", Severity::Advice,
            fmt::format(
                "The path {} raises cymbals by {:.1f} dB against the shells and makes it {}; this style "
                "allows {:.1f} dB.{}",
                bus->name, cymbals,
                denser < 0.05 ? std::string("no denser") : fmt::format("{:.1f} dB denser", denser),
                style.cymbalsRaisedDb,
                path.kneePercent > 0 ? fmt::format(" Up to a blend of {:.0f} % it gets denser "
                                                   "faster than they rise.",
                                                   path.kneePercent)
                                     : std::string()));
        f.numbers = {
            {"raised", cymbals, "dB"}, {"allowed", style.cymbalsRaisedDb, "dB"}, {"denser", denser, "dB"}};
        if (path.kneePercent > 0 && bus->path->isEqualGain && bus->path->blendPercent > path.kneePercent)
            f.proposal = Proposal{fmt::format("Blend of {:.0f} %, {}", path.kneePercent, bus->name),
                                  [id = path.path, to = path.kneePercent](Session x) {
                                      return session::withBus(std::move(x), id, [&](session::Bus& b) {
                                          b.path->blendPercent = to;
                                      });
                                  }};
        findings.push_back(std::move(f));
    }
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

/// The drum that breaks well before the others, where the bus is driven as it is.
void addPush(const Session& s, const KitMeasures& measures, const PushMeasure& push,
             std::vector<Finding>& findings) {
    constexpr double kAheadDb = 3;
    if (push.drums.empty() || push.drums.front().why == measure::PushBreak::None ||
        measures.hits == nullptr || push.drums.front().breaksAtDb > 0 || push.lowerFirstDb < kAheadDb)
        return;
    const auto& first = push.drums.front();
    const auto name = measures.hits->nameOf(first.drum, s);
    const char* why = first.why == measure::PushBreak::Bent    ? "is bent"
                      : first.why == measure::PushBreak::Crest ? "loses its crest"
                                                               : "loses its clarity";
    Finding f;
    f.id = fmt::format("push-{}-{}", push.node, first.drum);
    f.stage = Stage::Drive;
    f.element = push.node;
    f.severity = Severity::Advice;
    f.sentence = fmt::format(
        "Driven as it is, {} breaks first in {}: it {} {:.1f} dB before that. Lowered there by {:.1f} dB "
        "it would break together with {}.",
        name, s.nameOf(push.node), why, -first.breaksAtDb, push.lowerFirstDb,
        measures.hits->nameOf(push.drums[1].drum, s));
    f.numbers = {{"breaks", first.breaksAtDb, "dB"}, {"ahead", push.lowerFirstDb, "dB"}};
    const auto& strokes = measures.hits->hits.strokes;
    const auto stroke =
        std::find_if(strokes.begin(), strokes.end(), [&](const auto& one) { return one.drum == first.drum; });
    constexpr double kHeardS = 4;
    if (const Id element = measures.hits->elementOf(first.drum);
        element != session::kNoId && stroke != strokes.end())
        f.hearing = Hearing{{element}, std::max(0.0, stroke->timeS - 0.1), stroke->timeS + kHeardS};
    findings.push_back(std::move(f));
}

} // namespace

std::vector<Finding> driveFindings(const Session& s, const KitMeasures& measures, const HouseStyle& style) {
    std::vector<Finding> findings;
    for (const auto& drive : measures.drive.modules)
        if (isInChain(s, drive.owner, drive.module, drive.settings))
            DriveFindings(s, drive, style).addTo(findings);
    for (const auto& path : measures.drive.paths)
        addPathFindings(s, path, style, findings);
    for (const auto& push : measures.drive.pushes)
        if (const auto* chain = s.chain(push.node); chain != nullptr && *chain == push.chain)
            addPush(s, measures, push, findings);
    return findings;
}

} // namespace cask::advise
