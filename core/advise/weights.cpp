#include "core/advise/weights.h"

#include "core/advise/finding_kind.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::advise {
namespace {

using session::Id;
using session::Session;

/// What is heard less or more of when the finding is acted on.
enum class Changes { File, Own, Spill };

/// Where the change in dB of a kind of finding comes from: a number it rests on (and what is taken off that),
/// or a fixed value.
struct Rule {
    std::string_view kind;
    Changes changes;
    double fixedDb;
    std::string_view number = {};
    std::string_view against = {}; ///< a number, subtracted
    double most = 12;
};

constexpr std::array kRules = {
    // The file is not what it should be.
    Rule{"unreadable", Changes::File, 20},
    Rule{"silent", Changes::File, 20},
    Rule{"gap", Changes::File, 20},
    Rule{"not-numbers", Changes::File, 12},
    Rule{"noise-only", Changes::File, 12},
    Rule{"clipped", Changes::File, 12},
    Rule{"same", Changes::File, 6},
    Rule{"role-doubt", Changes::File, 6},
    Rule{"role", Changes::File, 6},
    Rule{"warning", Changes::File, 3},
    Rule{"dc", Changes::File, 3},
    Rule{"hum", Changes::File, 3},
    Rule{"no-tempo", Changes::File, 3},
    Rule{"no-hits", Changes::File, 3},
    // Sums: 6 dB where two equal sounds cancel or comb.
    Rule{"late", Changes::File, 6},
    Rule{"inverted", Changes::File, 6},
    Rule{"pair", Changes::Own, 0, "low_sum_after", "low_sum"},
    Rule{"headroom", Changes::File, 0}, // nothing is heard otherwise, only softer
    // Hits.
    Rule{"timing", Changes::Own, 3},
    Rule{"unsure", Changes::Own, 6, "unsure", {}, 0}, // a share of the hits, see below
    Rule{"gate-lost", Changes::File, 12},
    Rule{"gate-click", Changes::Own, 3},
    // Spill.
    Rule{"room", Changes::Spill, 3},
    Rule{"gate", Changes::Spill, 0, "spill change"},
    Rule{"shells", Changes::Spill, 0, "between"},
    Rule{"low-cut", Changes::Spill, 0, "spill change"},
    Rule{"sympathy", Changes::Own, 0, "level"},
    // Compressors.
    Rule{"punch-attack", Changes::Own, 0, "kept attack"},
    Rule{"punch-release", Changes::Own, 0, "left"},
    Rule{"punch-deep", Changes::Own, 0, "change", "allowed"},
    Rule{"punch-makeup", Changes::Own, 0, "off"},
    Rule{"punch-drivers", Changes::File, 2},
    Rule{"punch-pumping", Changes::Own, 0, "moved"},
    Rule{"punch-bent", Changes::Own, 0, "over"},
    Rule{"punch-undone", Changes::File, 0, "punch"},
    Rule{"stand", Changes::Own, 0, "missing"},
    Rule{"pump-grid", Changes::File, 3},
    Rule{"punch-raised", Changes::Spill, 0, "spill"},
    // Drive.
    Rule{"drive-cymbals", Changes::Own, 0, "raised", "allowed"},
    Rule{"drive-spill", Changes::Spill, 0, "spill"},
    Rule{"drive-aliases", Changes::Own, 0, "over"},
    Rule{"drive-output", Changes::Own, 0, "off"},
    Rule{"path-comb", Changes::File, 0, "dip"},
    Rule{"path-cymbals", Changes::File, 0, "raised", "allowed"},
    Rule{"path-louder", Changes::File, 2},
    Rule{"path-match", Changes::File, 0, "off"},
    Rule{"push", Changes::File, 0, "ahead"},
    // Layers.
    Rule{"crowd-nothing", Changes::File, 2},
    // Tones.
    Rule{"ring", Changes::Own, 0, "out"},
    Rule{"box", Changes::Own, 0, "excess", "allowed"},
    Rule{"harsh", Changes::Own, 0, "excess", "allowed"},
    Rule{"range", Changes::Own, 0, "excess"},
    Rule{"conflict", Changes::Own, 0, "share", "share after"},
};

constexpr double kInvertedDb = 4;
constexpr double kHeardRingDb = 12;  // natural partials stand out so far
constexpr double kOverCrowdDb = 5.5; // where many do, they are the drum's tone
constexpr double kSecondMode = 1.7;
constexpr double kToneDb = 6;
constexpr double kOverAllowedDb = 3; // what a style allows is already more than drums mostly have

class Levels {
  public:
    Levels(const Session& s, const KitMeasures& measures) : m_session(s), m_hits(measures.hits.get()) {
        for (const auto& e : s.elements)
            m_loudest = std::max(m_loudest, levelDb(e->id, Changes::Own));
    }
    /// How much softer counts: 1 for the loudest element, half for each 10 dB under it.
    [[nodiscard]] double share(Id element, Changes changes) const {
        const double level = levelDb(element, changes);
        return changes == Changes::File || m_loudest <= kSilenceDb || level <= kSilenceDb
                   ? 1
                   : std::min(1.0, std::exp2((level - m_loudest) / 10));
    }

  private:
    [[nodiscard]] double levelDb(Id element, Changes changes) const {
        const auto* e = m_session.element(element);
        const int input = m_hits == nullptr ? -1 : m_hits->inputOf(element);
        if (e == nullptr || input < 0 || static_cast<std::size_t>(input) >= m_hits->spill.rooms.size())
            return kSilenceDb;
        const auto& room = m_hits->spill.rooms[static_cast<std::size_t>(input)];
        const double level =
            changes == Changes::Spill || room.ownDb <= kSilenceDb ? room.spillDb : room.ownDb;
        return level <= kSilenceDb ? kSilenceDb : level + e->input.trimDb + e->out.levelDb;
    }

    const Session& m_session;
    const HitAnalysis* m_hits;
    double m_loudest = kSilenceDb;
};

double changeDb(const Finding& f, const Rule& rule) {
    if (rule.kind == "unsure")
        return rule.fixedDb * numberOf(f, "unsure") / std::max(1.0, numberOf(f, "hits"));
    if (rule.kind == "conflict") // 10 dB where they would no longer mask each other at all
        return 0.1 * (numberOf(f, "share") - numberOf(f, "share after"));
    if (rule.number.empty())
        return rule.fixedDb;
    const double change = numberOf(f, rule.number) - numberOf(f, rule.against);
    if (rule.against == "allowed")
        return std::min(rule.most, change + kOverAllowedDb);
    if (rule.kind == "ring") { // what is heard of it, more where it outlasts the rest
        const double longer = numberOf(f, "decay") / std::max(1.0, 1.5 * numberOf(f, "around"));
        // The second mode of a head, half as high again as its note, is part of its tone.
        const double overNote = numberOf(f, "over note");
        const double sore = numberOf(f, "out") + numberOf(f, "level") / 2 -
                            (overNote > 1 && overNote < kSecondMode ? kToneDb : 0);
        return std::clamp(std::min(sore - kHeardRingDb, sore - numberOf(f, "crowd") - kOverCrowdDb) +
                              3 * std::log2(std::max(1.0, longer)),
                          0.0, rule.most);
    }
    if (rule.kind == "sympathy") // down by what a held note is taken down, as loud as it hums
        return 12 * std::exp2(change / 10);
    return std::min(rule.most, std::abs(change));
}

} // namespace

void weigh(std::vector<Finding>& findings, const Session& s, const KitMeasures& measures,
           const HouseStyle& style) {
    const Levels levels(s, measures);
    for (auto& f : findings) {
        if (const auto* rule = ofKind(kRules, f.id))
            f.weight = changeDb(f, *rule) * levels.share(f.element, rule->changes);
        // A second microphone that stands against the first is turned, however soft it is.
        if (f.id.starts_with("pair-") && numberOf(f, "inverted") > 0)
            f.weight = std::max(f.weight, kInvertedDb);
        if (f.id.starts_with("overhead-"))
            for (const auto& n : f.numbers)
                f.weight = std::max(f.weight, n.value);
        f.isFolded = f.severity == Severity::Advice && f.weight < style.foldBelow;
    }
}

} // namespace cask::advise
