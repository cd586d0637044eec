#include "core/session/kit_order.h"

#include <algorithm>

namespace cask::session {
namespace {

std::ptrdiff_t rank(const Shared<Element>& e) {
    return &roleInfo(e->role) - allRoles().data();
}

bool isBefore(const Shared<Element>& a, const Shared<Element>& b) {
    return rank(a) < rank(b);
}

auto placeOf(Session& s, Id id) {
    return std::find_if(s.elements.begin(), s.elements.end(), [&](const auto& e) { return e->id == id; });
}

} // namespace

bool isInKitOrder(const Session& s) {
    return std::is_sorted(s.elements.begin(), s.elements.end(), isBefore);
}

void placeInKit(Session& s, Id element) {
    const auto at = placeOf(s, element);
    if (at == s.elements.end())
        return;
    auto others = s;
    others.elements.erase(placeOf(others, element));
    if (!isInKitOrder(others))
        return;
    const auto moved = *at;
    others.elements.insert(std::upper_bound(others.elements.begin(), others.elements.end(), moved, isBefore),
                           moved);
    s.elements = std::move(others.elements);
}

Session inKitOrder(Session s) {
    std::stable_sort(s.elements.begin(), s.elements.end(), isBefore);
    return s;
}

Session withElementBefore(Session s, Id element, Id other) {
    const auto at = placeOf(s, element);
    if (at == s.elements.end() || element == other)
        return s;
    const auto moved = *at;
    s.elements.erase(at);
    s.elements.insert(placeOf(s, other), moved);
    return s;
}

} // namespace cask::session
