#include "core/layers/live_kit.h"

#include <algorithm>
#include <map>

namespace cask::layers {
namespace {

constexpr int kVelocities = 127;
constexpr int kMostMidiNote = 127; // a device plays no other

/// By how often strikes have them; -1 alone where there are none.
std::vector<int> notesOf(const Stack& stack) {
    std::map<int, int> counts;
    for (const auto& strike : stack.strikes)
        ++counts[strike.note];
    std::vector<int> notes;
    for (const auto& [note, count] : counts)
        if (note <= kMostMidiNote)
            notes.push_back(note);
    std::stable_sort(notes.begin(), notes.end(), [&](int a, int b) { return counts[a] > counts[b]; });
    if (notes.empty())
        notes.push_back(-1);
    return notes;
}

const char* classOf(int velocity) {
    return velocity >= LiveKit::kAccentVelocity ? "accent"
           : velocity < LiveKit::kGhostVelocity ? "ghost"
                                                : "normal";
}

} // namespace

Result<std::shared_ptr<const LiveKit>> LiveKit::make(const Stack& stack, double rateHz,
                                                     const CancelToken& cancel) {
    std::shared_ptr<LiveKit> kit(new LiveKit);
    kit->m_notes = notesOf(stack);
    // Every stroke that can come, each in a second of its own, struck like any other stack.
    Stack every;
    every.layers = stack.layers;
    for (auto& layer : every.layers) {
        layer.rule.fromS = layer.rule.toS = 0;
        layer.rule.neverInRolls = false;
    }
    for (const int note : kit->m_notes)
        for (int velocity = 1; velocity <= kVelocities; ++velocity)
            for (int turn = 0; turn < kTurns; ++turn)
                every.strikes.push_back({static_cast<double>(every.strikes.size() + 1),
                                         static_cast<double>(velocity), classOf(velocity), note});
    auto source = StackSource::make(every, rateHz, cancel);
    if (!source)
        return source.error();
    kit->m_source = *source;
    kit->m_chokeFrames = std::max<Frames>(1, secondsToFrames(0.001 * StackSource::kChokeMs, rateHz));
    auto voices = kit->m_source->voices();
    std::stable_sort(voices.begin(), voices.end(),
                     [](const auto& a, const auto& b) { return a.strike < b.strike; });
    auto next = voices.begin();
    for (std::size_t i = 0; i < every.strikes.size(); ++i) {
        kit->m_strokes.push_back(kit->m_voices.size());
        const Frames at = secondsToFrames(every.strikes[i].timeS, rateHz);
        for (; next != voices.end() && next->strike == i; ++next)
            kit->m_voices.push_back({&kit->m_source->sounds()[next->sound].sound,
                                     std::max<Frames>(0, at - next->start),
                                     std::max<Frames>(0, next->start - at), next->left, next->right,
                                     next->chokeGroup, next->chokedBy});
    }
    kit->m_strokes.push_back(kit->m_voices.size());
    return std::shared_ptr<const LiveKit>(kit);
}

int LiveKit::placeOf(int note) const noexcept {
    const auto found = std::find(m_notes.begin(), m_notes.end(), note);
    return found == m_notes.end() ? 0 : static_cast<int>(found - m_notes.begin());
}

std::span<const LiveKit::Voice> LiveKit::voices(int place, int velocity, int turn) const noexcept {
    const auto stroke = static_cast<std::size_t>(
        (place * kVelocities + std::clamp(velocity, 1, kVelocities) - 1) * kTurns + turn % kTurns);
    return std::span(m_voices).subspan(m_strokes[stroke], m_strokes[stroke + 1] - m_strokes[stroke]);
}

} // namespace cask::layers
