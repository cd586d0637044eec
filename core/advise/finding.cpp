#include "core/advise/finding.h"

#include "core/session/parameter_path.h"

#include <map>

namespace cask::advise {

double numberOf(const Finding& finding, std::string_view name) {
    for (const auto& number : finding.numbers)
        if (number.name == name)
            return number.value;
    return 0;
}

session::Session withDismissal(session::Session s, const std::string& finding, const std::string& reason) {
    std::erase_if(s.dismissals, [&](const session::Dismissal& d) { return d.finding == finding; });
    if (!reason.empty())
        s.dismissals.push_back({finding, reason, {}});
    return s;
}

std::vector<ValueChange> changesBetween(const session::Session& before, const session::Session& after) {
    std::map<std::string, std::string> old;
    for (auto& v : session::listValues(before))
        old[std::move(v.path)] = std::move(v.value);
    std::vector<ValueChange> changes;
    for (const auto& v : session::listValues(after)) {
        const auto it = old.find(v.path);
        if (it == old.end() && !v.isStandard)
            changes.push_back({v.path, {}, v.value});
        else if (it != old.end() && it->second != v.value)
            changes.push_back({v.path, it->second, v.value});
    }
    return changes;
}

std::string inWords(const ValueChange& c) {
    return c.before.empty() ? c.path + ": " + c.after : c.path + ": " + c.before + " becomes " + c.after;
}

} // namespace cask::advise
