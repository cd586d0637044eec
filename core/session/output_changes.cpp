#include "core/session/output_changes.h"

#include "core/session/edits.h"

#include <algorithm>
#include <charconv>

namespace cask::session {
namespace {

/// Visits the value's field and what it is a member of; false when there is none.
template <class Out, class Visit> bool visitValue(Out& out, std::string_view name, const Visit& visit) {
    const auto among = [&](const auto& fields, auto& of, std::string_view id) {
        for (const auto& f : fields)
            if (f.info.id == id && f.info.glides) {
                visit(f, of);
                return true;
            }
        return false;
    };
    const auto slash = name.find('/');
    if (slash == std::string_view::npos)
        return among(outputFields(), out, name);
    Id bus = kNoId;
    if (std::from_chars(name.data(), name.data() + slash, bus).ptr != name.data() + slash)
        return false;
    for (auto& send : out.sends)
        if (send.bus == bus)
            return among(sendFields(), send, name.substr(slash + 1));
    return false;
}

} // namespace

std::optional<MovingValue> movingValue(const Output& out, std::string_view name) {
    std::optional<MovingValue> value;
    visitValue(out, name, [&](const auto& f, const auto& of) { value = {&f.info, f.get(of)}; });
    return value;
}

Output withChange(Output out, const SectionChange& change) {
    for (const auto& [name, value] : change.values)
        visitValue(out, name, [v = value](const auto& f, auto& of) { f.set(of, v); });
    return out;
}

void forgetSend(Output& out, Id bus) {
    const std::string prefix = std::to_string(bus) + "/";
    for (auto& change : out.changes)
        std::erase_if(change.values, [&](const auto& value) { return value.first.starts_with(prefix); });
    std::erase_if(out.changes, [](const SectionChange& change) { return change.values.empty(); });
    std::erase_if(out.rides, [&](const Ride& ride) { return ride.value.starts_with(prefix); });
}

void putChange(std::vector<SectionChange>& changes, const SectionChange& change) {
    const auto it = std::find_if(changes.begin(), changes.end(),
                                 [&](const SectionChange& old) { return old.section == change.section; });
    if (it == changes.end() && !change.values.empty())
        changes.push_back(change);
    else if (it != changes.end() && change.values.empty())
        changes.erase(it);
    else if (it != changes.end())
        *it = change;
}

Session withOutputChange(Session s, Id owner, const SectionChange& change) {
    return withOutput(std::move(s), owner, [&](Output& out) { putChange(out.changes, change); });
}

void renameSection(std::vector<SectionChange>& changes, const std::string& from, const std::string& to,
                   bool stays) {
    const auto of = [&](const std::string& name) {
        return std::find_if(changes.begin(), changes.end(),
                            [&](const SectionChange& change) { return change.section == name; });
    };
    if (from == to || of(from) == changes.end())
        return;
    SectionChange moved = *of(from);
    moved.section = to;
    if (!stays)
        changes.erase(of(from));
    if (of(to) == changes.end())
        changes.push_back(std::move(moved));
}

} // namespace cask::session
