#include "core/session/sections.h"

#include "core/session/output_changes.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace cask::session {
namespace {

constexpr double kSameS = 0.01;

auto holding(std::vector<Section>& sections, double atS) {
    return std::find_if(sections.begin(), sections.end(),
                        [&](const Section& x) { return atS >= x.startS && atS < x.endS; });
}

} // namespace

const Section* sectionAt(const Session& s, double atS) {
    for (const auto& section : s.sections)
        if (atS >= section.startS && atS < section.endS)
            return &section;
    return nullptr;
}

Session withSectionFrom(Session s, double atS, const std::string& name) {
    atS = std::max(0.0, atS);
    for (auto& section : s.sections) {
        if (std::abs(section.startS - atS) < kSameS) {
            section.name = name;
            return s;
        }
    }
    double endS = framesToSeconds(s.lengthFrames(), s.sampleRateHz);
    for (const auto& section : s.sections)
        if (section.startS > atS)
            endS = std::min(endS, section.startS);
    if (endS - atS < kSameS)
        return s;
    if (const auto before = holding(s.sections, atS); before != s.sections.end()) {
        endS = before->endS;
        before->endS = atS;
    }
    s.sections.push_back({name, atS, endS});
    std::sort(s.sections.begin(), s.sections.end(),
              [](const Section& a, const Section& b) { return a.startS < b.startS; });
    return s;
}

Session withSectionNamed(Session s, double atS, const std::string& name) {
    const auto at = holding(s.sections, atS);
    if (at == s.sections.end() || name.empty())
        return s;
    const std::string before = std::exchange(at->name, name);
    const bool stays = std::any_of(s.sections.begin(), s.sections.end(),
                                   [&](const Section& section) { return section.name == before; });
    // What is other in it stays so.
    const auto rename = [&](auto& owner) {
        renameSection(owner.out.changes, before, name, stays);
        for (auto& module : owner.chain)
            renameSection(module.changes, before, name, stays);
    };
    for (auto& e : s.elements)
        e.edit([&](Element& element) { rename(element); });
    for (auto& b : s.buses)
        b.edit([&](Bus& bus) { rename(bus); });
    return s;
}

Session withoutSectionAt(Session s, double atS) {
    const auto at = holding(s.sections, atS);
    if (at == s.sections.end())
        return s;
    if (at != s.sections.begin() && std::abs((at - 1)->endS - at->startS) < kSameS)
        (at - 1)->endS = at->endS;
    s.sections.erase(at);
    return s;
}

} // namespace cask::session
