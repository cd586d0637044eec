#include "core/layers/strike_edits.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace cask::layers {
namespace {

double usualVelocity(const std::vector<Strike>& strikes, const std::string& hitClass) {
    std::vector<double> velocities;
    for (const auto& strike : strikes)
        if (strike.hitClass == hitClass)
            velocities.push_back(strike.velocity);
    if (velocities.empty())
        return hitClass == "accent" ? 120 : hitClass == "ghost" ? 40 : 96;
    const auto middle = velocities.begin() + static_cast<std::ptrdiff_t>(velocities.size() / 2);
    std::nth_element(velocities.begin(), middle, velocities.end());
    return *middle;
}

int usualNote(const std::vector<Strike>& strikes) {
    std::map<int, int> counts;
    for (const auto& strike : strikes)
        ++counts[strike.note];
    const auto most = std::max_element(counts.begin(), counts.end(),
                                       [](const auto& a, const auto& b) { return a.second < b.second; });
    return most == counts.end() ? -1 : most->first;
}

void sort(std::vector<Strike>& strikes) {
    std::stable_sort(strikes.begin(), strikes.end(),
                     [](const Strike& a, const Strike& b) { return a.timeS < b.timeS; });
}

} // namespace

int strikeMeant(const Stack& stack, const StrikeEdit& edit) {
    if (edit.kind == StrikeEdit::Kind::Add)
        return -1;
    int meant = -1;
    double nearest = kStrikeReachS;
    for (const std::size_t i : ownStrikes(stack))
        if (const double away = std::abs(stack.strikes[i].timeS - edit.timeS); away <= nearest) {
            nearest = away;
            meant = static_cast<int>(i);
        }
    return meant;
}

Stack withStrikeEdits(Stack stack, const std::vector<StrikeEdit>& edits, int* applied) {
    // All are meant of the strikes as they were: what one moves must not be what another means.
    const Stack whole = stack;
    const auto& before = whole.strikes;
    std::vector<Strike> own;
    for (const std::size_t i : ownStrikes(whole))
        own.push_back(before[i]);
    std::vector<bool> goes(before.size(), false);
    int count = 0;
    for (const auto& edit : edits) {
        if (edit.kind == StrikeEdit::Kind::Add) {
            const std::string hitClass = edit.hitClass.empty() ? "normal" : edit.hitClass;
            stack.strikes.push_back(
                {std::max(0.0, edit.timeS), usualVelocity(own, hitClass), hitClass, usualNote(own)});
            ++count;
            continue;
        }
        const int meant = strikeMeant(whole, edit);
        if (meant < 0)
            continue;
        const auto at = static_cast<std::size_t>(meant);
        ++count;
        if (edit.kind == StrikeEdit::Kind::Remove) {
            goes[at] = true;
        } else if (edit.kind == StrikeEdit::Kind::Move) {
            stack.strikes[at].timeS = std::max(0.0, before[at].timeS + edit.byS);
        } else {
            stack.strikes[at].hitClass = edit.hitClass;
            stack.strikes[at].velocity = usualVelocity(own, edit.hitClass);
        }
    }
    std::vector<Strike> kept;
    for (std::size_t i = 0; i < stack.strikes.size(); ++i)
        if (i >= goes.size() || !goes[i])
            kept.push_back(stack.strikes[i]);
    sort(kept);
    stack.strikes = std::move(kept);
    constexpr double kRingS = 1;
    if (stack.lengthS > 0 && !stack.strikes.empty())
        stack.lengthS = std::max(stack.lengthS, stack.strikes.back().timeS + kRingS);
    if (applied != nullptr)
        *applied = count;
    return stack;
}

Stack withSharedStrikes(Stack other, const Stack& before, const Stack& edited) {
    std::set<int> notes;
    for (const Stack* stack : {&before, &edited})
        for (const std::size_t i : ownStrikes(*stack))
            notes.insert(stack->strikes[i].note);
    const auto isShared = [&](int note) {
        return std::any_of(other.strikes.begin(), other.strikes.end(),
                           [&](const Strike& strike) { return strike.note == note; }) ||
               std::any_of(other.layers.begin(), other.layers.end(), [&](const Layer& layer) {
                   return layer.rule.lowNote >= 0 && meansNote(layer.rule, note);
               });
    };
    std::erase_if(notes, [&](int note) { return !isShared(note); });
    std::erase_if(other.strikes, [&](const Strike& strike) { return notes.contains(strike.note); });
    for (const std::size_t i : ownStrikes(edited))
        if (notes.contains(edited.strikes[i].note))
            other.strikes.push_back(edited.strikes[i]);
    sort(other.strikes);
    if (other.lengthS > 0)
        other.lengthS = std::max(other.lengthS, edited.lengthS);
    return other;
}

} // namespace cask::layers
