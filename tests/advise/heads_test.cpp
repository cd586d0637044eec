// Findings in a few words: what they hold, and that a list has room for them.
#include "core/advise/heads.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace cask::advise {
namespace {

long codePoints(const std::string& text) {
    return std::count_if(text.begin(), text.end(),
                         [](char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80U; });
}

Finding of(std::string id, std::vector<EvidenceNumber> numbers) {
    Finding f;
    f.id = std::move(id);
    f.sentence =
        "A sentence that says all of it, with the name of the element, and is far too long for a list.";
    f.numbers = std::move(numbers);
    return f;
}

TEST(Heads, HoldTheNumbersOfTheFinding) {
    const session::Session s;
    EXPECT_EQ(
        headOf(of("ring-3-417", {{"frequency", 417.2, "Hz"}, {"decay", 870, "ms"}, {"around", 260, "ms"}}),
               s),
        "Ring 417 Hz, 0.87 s against 0.26 s");
    EXPECT_EQ(
        headOf(
            of("ring-3-417",
               {{"frequency", 417.2, "Hz"}, {"decay", 350, "ms"}, {"around", 260, "ms"}, {"out", 14, "dB"}}),
            s),
        "Ring 417 Hz, stands out by 14 dB");
    EXPECT_EQ(
        headOf(of("box-1", {{"frequency", 406, "Hz"}, {"excess", 9.4, "dB"}, {"allowed", 6.8, "dB"}}), s),
        "Boxy at 406 Hz, 9 dB, 7 dB allowed");
    EXPECT_EQ(
        headOf(of("box-1", {{"frequency", 406, "Hz"}, {"excess", 7.4, "dB"}, {"allowed", 6.8, "dB"}}), s),
        "Boxy at 406 Hz, 7.4 dB, 6.8 dB allowed")
        << "told apart";
    EXPECT_EQ(headOf(of("no-microphone-crash", {{"hits", 44, ""}}), s),
              "Crash: 44 hits, no close microphone");
    EXPECT_EQ(headOf(of("clipped-1", {{"places", 1, ""}, {"longest_samples", 8, ""}}), s),
              "Clipped in 1 place, up to 8 samples");
    EXPECT_EQ(headOf(of("room-4", {{"room", -8, "dB"}}), s), "Softest hits 8.0 dB below spill");
    EXPECT_EQ(headOf(of("headroom", {{"peak", 3.9, "dB"}, {"over", 4.9, "dB"}}), s),
              "Master 3.9 dBTP, 4.9 dB over target");
    EXPECT_EQ(headOf(of("gate-lost-4", {{"hits", 63, ""}, {"kept", 62, ""}}), s),
              "Gate loses hits, keeps 62 of 63");
}

TEST(Heads, ASentenceWithoutWordsOfItsKindIsCut) {
    const session::Session s;
    Finding f = of("warning-1", {});
    const auto head = headOf(f, s);
    EXPECT_EQ(codePoints(head), kLongestHead);
    EXPECT_TRUE(head.starts_with("A sentence that says all of it"));
    f.sentence = "Trommelwirbel – laut";
    EXPECT_EQ(headOf(f, s), f.sentence) << "what fits stays whole, whatever its bytes";
}

/// The longest that numbers of a real session make of every kind.
TEST(Heads, AreShort) {
    session::Session s;
    std::vector<EvidenceNumber> numbers;
    for (const char* name : {"decay",       "around",       "inverted", "low_sum", "low_sum_after",
                             "delay",       "over",         "peak",     "beside",  "sure",
                             "frequency",   "excess",       "allowed",  "out",     "gaps",
                             "silent",      "samples",      "rms",      "places",  "longest_samples",
                             "dc",          "mains",        "level",    "late",    "drums",
                             "hits",        "drift",        "unsure",   "room",    "gross",
                             "worst",       "spill change", "kept",     "between", "opened by spill",
                             "clicks",      "attack",       "open",     "next",    "elements",
                             "fundamental", "from",         "to",       "corner",  "own change",
                             "share",       "semitones",    "change",   "held",    "kept attack",
                             "recovered",   "followed",     "spill",    "moved",   "overtones",
                             "off",         "punch"})
        numbers.push_back({name, -888.88, "dB"});
    for (const char* kind : {"unreadable",
                             "silent",
                             "gap",
                             "not-numbers",
                             "noise-only",
                             "clipped",
                             "mono",
                             "same",
                             "role-doubt",
                             "role",
                             "dc",
                             "hum",
                             "late",
                             "late-side",
                             "inverted",
                             "inverted-side",
                             "pair",
                             "overhead",
                             "headroom",
                             "no-tempo",
                             "drift",
                             "no-hits",
                             "no-microphone",
                             "unsure",
                             "room",
                             "timing",
                             "loop",
                             "gate",
                             "shells",
                             "gate-lost",
                             "gate-opened",
                             "gate-click",
                             "gate-bridge",
                             "spill-all",
                             "fundamental",
                             "ring",
                             "box",
                             "harsh",
                             "range",
                             "sympathy",
                             "low-cut",
                             "low-cut-all",
                             "low-cut-close",
                             "carried",
                             "after",
                             "conflict",
                             "toms",
                             "punch-idle",
                             "punch-held",
                             "punch-attack",
                             "punch-release",
                             "punch-deep",
                             "punch-raised",
                             "punch-pumping",
                             "punch-bent",
                             "punch-makeup",
                             "punch-drivers",
                             "punch-undone",
                             "drive-idle",
                             "drive-cymbals",
                             "drive-spill",
                             "drive-aliases",
                             "drive-output",
                             "drive-lost",
                             "path-comb",
                             "path-cymbals",
                             "path-louder",
                             "path-match",
                             "push",
                             "stand",
                             "pump-grid",
                             "crowd-nothing",
                             "crowd-one",
                             "crowd-two"}) {
        const auto head = headOf(of(std::string(kind) + "-1", numbers), s);
        EXPECT_LE(codePoints(head), kLongestHead) << kind << ": " << head;
        EXPECT_FALSE(head.starts_with("A sentence")) << kind;
        EXPECT_FALSE(head.ends_with("\u2026")) << kind << ": " << head;
    }
}

} // namespace
} // namespace cask::advise
