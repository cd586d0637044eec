#include "core/kit_measures/wishes.h"

#include "core/base/parallel.h"
#include "core/kit_measures/punch.h"
#include "core/measure/punch/tops.h"
#include "core/session/edits.h"
#include "core/session/kinds.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

using measure::Wish;
using measure::WishAnswer;
using session::Session;

std::string inWords(const dsp::CompressorSettings& s) {
    const bool isExpansion = s.direction == dsp::CompressorDirection::Expand;
    return fmt::format("threshold {:.0f} dBFS, {:.3g}:1{}, attack {:.3g} ms, release {:.3g} ms",
                       s.thresholdDb, s.ratio, isExpansion ? " upward" : "", s.attackMs, s.releaseMs);
}

std::string inWords(const dsp::TransientSettings& s) {
    std::string text;
    if (s.attackPercent != 0)
        text += fmt::format("beginnings {:+.0f} % over {:.3g} ms", s.attackPercent, s.attackMs);
    if (s.sustainPercent != 0)
        text += fmt::format("{}ends {:+.0f} % of what rings shorter than {:.3g} ms", text.empty() ? "" : ", ",
                            s.sustainPercent, s.sustainMs);
    return text;
}

std::string inWords(const dsp::LimiterSettings& s) {
    return fmt::format("ceiling {:.3g} dBTP, release {:.3g} ms", s.ceilingDb, s.releaseMs);
}

std::string inWords(const dsp::PumpSettings& s) {
    return fmt::format("{:.1f} dB over each {}, open from {:.0f} % of it", s.depthDb,
                       session::KindOf<dsp::PumpSettings>::kNoteWords[static_cast<std::size_t>(s.note)],
                       s.points.empty() ? 70 : s.points.back().placePercent);
}

/// "raises ghosts by 1.1 dB", and nothing of less than half a decibel.
void addChange(std::string& text, const std::string& what, double db) {
    constexpr double kWorthSayingDb = 0.5;
    if (std::abs(db) >= kWorthSayingDb)
        text += fmt::format(", {} {} by {:.1f} dB", db > 0 ? "raises" : "lowers", what, std::abs(db));
}

} // namespace

Result<std::vector<WishAnswer>> findWays(const Session& s, const WishAsked& asked, const HitAnalysis& hits,
                                         const graph::SourceLookup& sources, const advise::HouseStyle& style,
                                         const CancelToken& cancel) {
    Session heard = s;
    session::Id module = session::kNoId;
    if (asked.key != session::kNoId) {
        module = session::addModule(heard, asked.owner, dsp::CompressorSettings{});
        auto keyed = session::withKey(heard, asked.owner, module, asked.key);
        if (!keyed)
            return keyed.error();
        heard = std::move(*keyed);
    }
    const auto material = punchMaterial(heard, asked.owner, module, hits, sources, cancel);
    if (!material)
        return material.error();
    auto answers = measure::searchWish(asked.wish, advise::wishGoals(style), **material, cancel,
                                       [&](std::size_t count, const std::function<void(std::size_t)>& run) {
                                           inParallel(count, cancel, {}, run);
                                       });
    if (cancel.isCancelled())
        return Error{ErrorCode::Cancelled, "The search for ways was stopped."};
    const auto* element = s.element(asked.owner);
    const auto tops = measure::measureTops(**material);
    if (asked.key == session::kNoId && element != nullptr && measure::areHeld(tops, element->role))
        for (auto& answer : answers)
            answer.heldMs = tops.heldMs;
    return answers;
}

Session withWay(Session s, const WishAsked& asked, const WishAnswer& answer) {
    constexpr double kMostMakeupDb = 24;
    session::Id last = session::kNoId;
    if (s.tempo.beatsS.empty())
        s.tempo.beatsS = answer.way.beatsS;
    for (const auto& settings : answer.way.modules) {
        const auto id = std::visit(
            [&](const auto& known) { return session::addModule(s, asked.owner, known); }, settings);
        if (std::holds_alternative<dsp::PumpSettings>(settings)) {
            session::Id next = s.nextId;
            s = session::withModule(std::move(s), id, [&](session::Module& m) {
                session::renumberItems(m, [&next] { return next++; });
            });
            s.nextId = next;
        }
        if (!std::holds_alternative<dsp::CompressorSettings>(settings))
            continue;
        last = id;
        if (asked.key != session::kNoId)
            if (auto keyed = session::withKey(s, asked.owner, id, asked.key))
                s = std::move(*keyed);
    }
    // What is taken out under a key, or of a part, is not to be given back.
    if (last == session::kNoId || asked.wish == Wish::Duck || asked.wish == Wish::DeHarsh)
        return s;
    return session::withModule(std::move(s), last, [&](session::Module& m) {
        auto& compressor = std::get<dsp::CompressorSettings>(m.settings);
        compressor.makeup = dsp::CompressorMakeup::Matched;
        // As the value is stored and typed.
        compressor.makeupDb =
            std::clamp(std::round(10 * answer.measured.matchDb) / 10, -kMostMakeupDb, kMostMakeupDb);
    });
}

std::string wayInWords(const measure::WishWay& way) {
    std::string text(way.words);
    for (std::size_t i = 0; i < way.modules.size(); ++i)
        text += fmt::format("{}{}", i == 0 ? ": " : "; then ",
                            std::visit([](const auto& known) { return inWords(known); }, way.modules[i]));
    return text;
}

std::string answerInWords(Wish wish, const WishAnswer& answer, const advise::HouseStyle& style,
                          const std::string& spillName) {
    const auto& m = answer.measured;
    const auto goals = advise::wishGoals(style);
    std::string text = wayInWords(answer.way);
    text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
    text += m.isReached ? fmt::format(" gives {:.1f} dB of {} ({:.1f} dB are wished for)", m.reachedDb,
                                      measure::wishWords(wish), m.goalDb)
            : m.reachedDb < m.goalDb
                ? fmt::format(" comes to {:.1f} dB of {}, not to the {:.1f} dB that are wished for",
                              m.reachedDb, measure::wishWords(wish), m.goalDb)
                : fmt::format(" gives {:.1f} dB of {} at too high a price", m.reachedDb,
                              measure::wishWords(wish));
    addChange(text, "the first 10 ms", m.keptAttackDb);
    if (m.recoveredPercent < 99.5)
        text += fmt::format(", has let go before {:.0f} % of the hits", m.recoveredPercent);
    addChange(text, "ghosts", m.ghostsDb);
    if (m.spillDrum >= 0 && m.spillDb > 0)
        addChange(text, spillName.empty() ? "spill" : "spill of " + spillName, m.spillDb);
    if (wish == Wish::DeHarsh && m.otherDb < -goals.otherLossDb)
        addChange(text, "what lies under 2 kHz", m.otherDb);
    const bool isOfPeaks = wish == Wish::Snap || wish == Wish::Even || wish == Wish::Control;
    if (answer.heldMs > 0 && isOfPeaks)
        text +=
            fmt::format("; it comes with its tops held for {:.0f} ms: it was limited or saturated before, "
                        "and its peaks are better left alone",
                        answer.heldMs);
    return text + ".";
}

} // namespace cask::kit
