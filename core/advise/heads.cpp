#include "core/advise/heads.h"

#include "core/advise/finding_kind.h"
#include "core/advise/tone_moves.h"
#include "core/advise/words.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>

namespace cask::advise {
namespace {

using session::Session;

/// The numbers of one finding, by name, and the names that it speaks of.
struct Told {
    const Finding& finding;
    const Session& session;

    [[nodiscard]] double operator[](std::string_view name) const { return numberOf(finding, name); }
    [[nodiscard]] int count(std::string_view name) const { return static_cast<int>((*this)[name]); }
    /// "1 place", "3 places".
    [[nodiscard]] std::string many(std::string_view name, std::string_view one, std::string_view more) const {
        return counted(count(name), one, more);
    }
    /// What stands behind the kind in a finding of no element: "Crash" of "no-microphone-crash".
    [[nodiscard]] std::string ending(std::string_view kind) const {
        if (finding.element != session::kNoId || finding.id.size() <= kind.size() + 1)
            return {};
        std::string name = finding.id.substr(kind.size() + 1);
        name[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(name[0])));
        return name;
    }
    /// The element that it is about besides its own.
    [[nodiscard]] std::string other() const {
        if (finding.hearing)
            for (const auto id : finding.hearing->alone)
                if (id != finding.element)
                    return session.nameOf(id);
        return "another element";
    }
};

struct Head {
    std::string_view kind;
    std::string (*tell)(const Told&);
};

std::string cut(std::string text) {
    std::size_t at = 0;
    for (int count = 0; at < text.size(); ++at) {
        const bool isFirst = (static_cast<unsigned char>(text[at]) & 0xC0U) != 0x80U; // of a code point
        if (isFirst && ++count == kLongestHead)
            break;
    }
    const bool isLonger =
        std::any_of(text.begin() + static_cast<std::ptrdiff_t>(std::min(at + 1, text.size())), text.end(),
                    [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80U; });
    return isLonger ? text.substr(0, at) + "\u2026" : text;
}

std::string overOrUnder(double db) {
    return fmt::format("{:.1f} dB {}", std::abs(db), db < 0 ? "below" : "above");
}

std::string lateOrEarly(double ms) {
    return fmt::format("{:.1f} ms {}", std::abs(ms), ms > 0 ? "late" : "early");
}

std::string excess(const Told& t, std::string_view word) {
    return fmt::format("{} at {:.0f} Hz, {:.{}f} dB, {:.{}f} dB allowed", word, t["frequency"], t["excess"],
                       decimalsOf(t["excess"], t["allowed"]), t["allowed"],
                       decimalsOf(t["excess"], t["allowed"]));
}

std::string pairHead(const Told& t) {
    const std::string lows = fmt::format("lows {:+.1f} to {:+.1f} dB", t["low_sum"], t["low_sum_after"]);
    return t["inverted"] > 0 ? "Polarity inverted, " + lows
                             : fmt::format("{:.2f} ms apart, {}", std::abs(t["delay"]), lows);
}

std::string ringHead(const Told& t) {
    return t["decay"] > kOutlasts * t["around"]
               ? fmt::format("Ring {:.0f} Hz, {:.2f} s against {:.2f} s", t["frequency"], 0.001 * t["decay"],
                             0.001 * t["around"])
               : fmt::format("Ring {:.0f} Hz, stands out by {:.0f} dB", t["frequency"], t["out"]);
}

std::string overheadHead(const Told& t) {
    double most = 0;
    for (const auto& n : t.finding.numbers)
        most = std::max(most, n.value);
    return fmt::format("Inverted, drums gain up to {:.1f} dB", most);
}

std::string loopHead(const Told& t) {
    double hits = 0;
    for (const auto& n : t.finding.numbers)
        hits += n.value;
    return fmt::format("Holds a kit of its own, {:.0f} hits", hits);
}

std::string gateHead(const Told& t) {
    constexpr double kWorthDb = -1;
    return t["spill change"] > kWorthDb ? "No gate lowers the spill here"
                                        : fmt::format("Gate: spill {:.0f} dB, keeps {} of {} hits",
                                                      t["spill change"], t.count("kept"), t.count("hits"));
}

std::string roleHead(const Told& t) {
    return t.finding.proposal ? fmt::format("Role is a guess, confidence {:.0f} %", t["sure"])
                              : "Role not known";
}

constexpr std::array kHeads = {
    Head{"unreadable", [](const Told&) { return std::string("File can't be read"); }},
    Head{"silent", [](const Told&) { return std::string("Silent from start to end"); }},
    Head{"gap",
         [](const Told& t) {
             return fmt::format("Cut off in {}, {:.1f} s", t.many("gaps", "place", "places"), t["silent"]);
         }},
    Head{"not-numbers",
         [](const Told& t) { return t.many("samples", "invalid sample", "invalid samples"); }},
    Head{"noise-only", [](const Told& t) { return fmt::format("Nothing but noise, {:.0f} dBFS", t["rms"]); }},
    Head{"clipped",
         [](const Told& t) {
             return fmt::format("Clipped in {}, up to {} samples", t.many("places", "place", "places"),
                                t.count("longest_samples"));
         }},
    Head{"mono", [](const Told&) { return std::string("Both sides are the same sound: mono"); }},
    Head{"same", [](const Told& t) { return "Same sound as " + t.other(); }},
    Head{"role-doubt",
         [](const Told& t) { return fmt::format("Sounds like another drum, {:.0f} % sure", t["sure"]); }},
    Head{"role", roleHead},
    Head{"dc", [](const Told& t) { return fmt::format("DC offset {:+.2f} %", t["dc"]); }},
    Head{"hum",
         [](const Told& t) {
             return fmt::format("Mains hum, {:.0f} Hz, {:.0f} dBFS", t["mains"], t["level"]);
         }},
    Head{"late", [](const Told& t) { return lateOrEarly(t["late"]) + " against the take"; }},
    Head{"late-side", [](const Told& t) { return "One side is " + lateOrEarly(t["late"]); }},
    Head{"inverted", [](const Told&) { return std::string("Polarity inverted, unlike other drums"); }},
    Head{"inverted-side",
         [](const Told& t) { return "One side inverted, " + t.many("drums", "drum cancels", "drums cancel"); }},
    Head{"pair", pairHead},
    Head{"overhead", overheadHead},
    Head{"headroom",
         [](const Told& t) {
             return fmt::format("Master {:.1f} dBTP, {:.1f} dB over target", t["peak"], t["over"]);
         }},
    // Hits.
    Head{"no-tempo", [](const Told& t) { return fmt::format("No tempo fits the {} hits", t.count("hits")); }},
    Head{"drift", [](const Told& t) { return fmt::format("Tempo drifts by {:.1f} %", t["drift"]); }},
    Head{"no-hits", [](const Told&) { return std::string("No own hits found"); }},
    Head{"no-microphone",
         [](const Told& t) {
             const auto drum = t.ending("no-microphone");
             return (drum.empty() ? "" : drum + ": ") + t.many("hits", "hit", "hits") + ", no close microphone";
         }},
    Head{"unsure",
         [](const Told& t) {
             return fmt::format("{} of {} hits are uncertain", t.count("unsure"), t.count("hits"));
         }},
    Head{"room", [](const Told& t) { return "Softest hits " + overOrUnder(t["room"]) + " spill"; }},
    Head{"timing",
         [](const Told& t) {
             return fmt::format("{} out of time, up to {:.0f} ms", t.many("gross", "hit", "hits"), t["worst"]);
         }},
    Head{"loop", loopHead},
    // Gates.
    Head{"gate", gateHead},
    Head{"shells",
         [](const Told& t) { return fmt::format("Keyed expander: {:.0f} dB between hits", t["between"]); }},
    Head{"gate-lost",
         [](const Told& t) {
             return fmt::format("Gate loses hits, keeps {} of {}", t.count("kept"), t.count("hits"));
         }},
    Head{"gate-opened",
         [](const Told& t) { return "Spill opens the gate " + t.many("opened by spill", "time", "times"); }},
    Head{"gate-click",
         [](const Told& t) {
             return fmt::format("Gate clicks on {}, attack {:.1f} ms", t.many("clicks", "hit", "hits"),
                                t["attack"]);
         }},
    Head{"gate-bridge",
         [](const Told& t) {
             return fmt::format("Gate open {:.0f} ms, next drum after {:.0f} ms", t["open"], t["next"]);
         }},
    Head{"spill-all",
         [](const Told& t) { return fmt::format("Gates against spill, {} elements", t.count("elements")); }},
    // Tone.
    Head{"fundamental",
         [](const Told& t) {
             return fmt::format("Fundamental {:.1f} Hz ({})", t["fundamental"], noteText(t["fundamental"]));
         }},
    Head{"ring", ringHead},
    Head{"box", [](const Told& t) { return excess(t, "Boxy"); }},
    Head{"harsh", [](const Told& t) { return excess(t, "Harsh"); }},
    Head{"range",
         [](const Told& t) {
             return fmt::format("{:.0f} to {:.0f} Hz {} references", t["from"], t["to"],
                                overOrUnder(t["excess"]));
         }},
    Head{"sympathy",
         [](const Told& t) {
             return fmt::format("Rings in sympathy, {:.0f} Hz, {:.1f} s", t["frequency"], 0.001 * t["decay"]);
         }},
    Head{"low-cut",
         [](const Told& t) {
             return fmt::format("High-pass {:.0f} Hz: spill {:.1f}, own {:.1f} dB", t["corner"],
                                t["spill change"], t["own change"]);
         }},
    Head{"low-cut-all",
         [](const Told& t) { return fmt::format("High-pass on {} overheads", t.count("elements")); }},
    Head{"low-cut-close",
         [](const Told& t) {
             return fmt::format("High-passes against spill, {} elements", t.count("elements"));
         }},
    Head{"carried", [](const Told&) { return std::string("Carries drums that have no microphone"); }},
    Head{"after",
         [](const Told& t) {
             return fmt::format("After its filters: own {:+.1f}, spill {:+.1f} dB", t["own change"],
                                t["spill change"]);
         }},
    Head{"conflict",
         [](const Told& t) {
             return fmt::format("{} to {:.0f} Hz contested in {:.0f} % of moments",
                                std::lround(t["from"]), t["to"], t["share"]);
         }},
    Head{"toms",
         [](const Told& t) { return fmt::format("{:.1f} semitones to the next tom", t["semitones"]); }},
    // Layers.
    Head{"crowd-nothing", [](const Told&) { return std::string("Would not be missed"); }},
    Head{"crowd-one", [](const Told& t) { return fmt::format("Heard as one drum ({:.2f})", t["correlation"]); }},
    Head{"crowd-two", [](const Told& t) { return fmt::format("Heard as a drum of its own ({:.2f})", t["correlation"]); }},
    // Punch.
    Head{"drive-idle", [](const Told&) { return std::string("Does nothing that is heard"); }},
    Head{"drive-cymbals", [](const Told& t) { return fmt::format("Highs between hits {:+.1f} dB", t["raised"]); }},
    Head{"drive-spill", [](const Told& t) { return fmt::format("Raises spill by {:.1f} dB", t["spill"]); }},
    Head{"drive-aliases", [](const Told& t) { return fmt::format("Aliases at {:.0f} dB", t["aliases"]); }},
    Head{"drive-output", [](const Told& t) { return fmt::format("Output off by {:.1f} dB", t["off"]); }},
    Head{"drive-lost",
         [](const Told& t) { return fmt::format("Loses {:.1f} dB at {:.0f} Hz", t["lost"], t["frequency"]); }},
    Head{"path-comb",
         [](const Told& t) { return fmt::format("Takes {:.1f} dB away at {:.0f} Hz", t["dip"], t["frequency"]); }},
    Head{"path-cymbals", [](const Told& t) { return fmt::format("Cymbals {:+.1f} dB", t["raised"]); }},
    Head{"path-louder", [](const Told& t) { return std::abs(t["louder"]) < 0.3 ? std::string("Changes nothing") : fmt::format("Only {}, by {:.1f} dB", t["louder"] > 0 ? "louder" : "softer", std::abs(t["louder"])); }},
    Head{"path-sends", [](const Told& t) { return fmt::format("Sends off by {:.0f} dB for its tails", t["off"]); }},
    Head{"path-match", [](const Told& t) { return fmt::format("Equal gain off by {:.1f} dB", t["off"]); }},
    Head{"push", [](const Told& t) { return fmt::format("{} breaks {:.1f} dB before the rest", t.other(), t["ahead"]); }},
    Head{"punch-idle",
         [](const Told& t) { return fmt::format("Compressor does nothing ({:.1f} dB)", t["change"]); }},
    Head{"punch-held",
         [](const Told& t) { return fmt::format("Tops held {:.0f} ms: limited before", t["held"]); }},
    Head{"punch-attack",
         [](const Told& t) {
             return fmt::format("Compressor takes {:.1f} dB off the attack", -t["kept attack"]);
         }},
    Head{"punch-release",
         [](const Told& t) {
             return fmt::format("Release done before {} of {} hits", t.count("recovered"), t.count("followed"));
         }},
    Head{"punch-deep",
         [](const Told& t) {
             return fmt::format("Compressor {:.1f} dB deep, {:.0f} dB allowed", t["change"], t["allowed"]);
         }},
    Head{"punch-raised",
         [](const Told& t) { return fmt::format("Compressor raises spill by {:.1f} dB", t["spill"]); }},
    Head{"punch-pumping",
         [](const Told& t) {
             return fmt::format("Spill moves the compressor by {:.1f} dB", t["moved"]);
         }},
    Head{"punch-bent",
         [](const Told& t) {
             return fmt::format("Gain follows the wave, overtones {:.0f} dB", t["overtones"]);
         }},
    Head{"punch-makeup", [](const Told& t) { return fmt::format("Make-up off by {:.1f} dB", t["off"]); }},
    Head{"punch-drivers",
         [](const Told& t) {
             const auto& most = t.finding.numbers.front();
             return fmt::format("Driven by {} ({:.0f} %)", most.name, most.value);
         }},
    Head{"punch-undone",
         [](const Told& t) { return fmt::format("Takes {:.1f} dB of punch back", -t["punch"]); }},
    Head{"stand",
         [](const Told& t) { return "First 10 ms " + overOrUnder(t["over"]) + " everything else"; }},
    Head{"pump-grid",
         [](const Told& t) {
             return t["beside"] > 0 ? fmt::format("Pump up to {:.0f} ms beside the beats", t["beside"])
                                    : std::string("Pump has no grid to follow");
         }},
};

} // namespace

std::string headOf(const Finding& finding, const Session& s) {
    const auto* head = ofKind(kHeads, finding.id);
    return cut(head != nullptr ? head->tell({finding, s}) : finding.sentence);
}

} // namespace cask::advise
