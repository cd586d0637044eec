// What a delivery has files of, and how they are called.
#include "core/base/utf8.h"
#include "core/project/delivery.h"

#include <fmt/format.h>

#include <optional>
#include <set>

namespace cask::project {

namespace fs = std::filesystem;

std::vector<session::Id> stemsOf(const session::Session& s, Stems stems) {
    std::vector<session::Id> ids;
    if (stems == Stems::Elements || stems == Stems::Tracks)
        for (const auto& e : s.elements)
            if (isMixed(e->role)) // references and clicks are never delivered
                ids.push_back(e->id);
    if (stems == Stems::Buses)
        for (const auto& b : s.buses)
            if (!b->isMaster)
                ids.push_back(b->id);
    if (stems == Stems::MasterInputs) {
        const auto add = [&](const auto& owners) {
            for (const auto& owner : owners)
                if (owner->out.bus == s.master().id)
                    ids.push_back(owner->id);
        };
        add(s.elements);
        add(s.buses);
        std::erase_if(ids, [&](session::Id id) {
            const auto* e = s.element(id);
            return e != nullptr && !isMixed(e->role);
        });
    }
    return ids;
}

std::string fileNameFor(std::string_view name) {
    std::string clean;
    for (const char c : name)
        clean.push_back(c == '/' || c == '\\' || c == ':' || c == '*' || c == '?' || c == '"' || c == '<' ||
                                c == '>' || c == '|' || static_cast<unsigned char>(c) < 32
                            ? '_'
                            : c);
    while (!clean.empty() && (clean.back() == '.' || clean.back() == ' '))
        clean.pop_back();
    while (!clean.empty() && clean.front() == '.')
        clean.erase(clean.begin());
    // File systems take 255 bytes; leave room for the ending and do not cut a character in two.
    constexpr std::size_t kMost = 200;
    if (clean.size() > kMost) {
        std::size_t cut = kMost;
        while (cut > 0 && (static_cast<unsigned char>(clean[cut]) & 0xC0U) == 0x80U)
            --cut;
        clean.resize(cut);
    }
    return clean.empty() ? "untitled" : clean;
}

namespace {

/// Of an element's file; of what was joined or split its own name.
std::string originalName(const session::Session& s, const session::Element& e) {
    const auto* file = s.file(e.channels.front().file);
    const bool isWholeFile = file != nullptr && static_cast<int>(e.channels.size()) == file->channels;
    return isWholeFile ? toUtf8(fs::path(file->path).stem().string()) : e.name;
}

/// What a word of a pattern stands for; nothing when it is not known. `id`: none for the mix.
std::optional<std::string> patternWord(const session::Session& s, session::Id id, int number,
                                       std::string_view word) {
    const auto* e = s.element(id);
    const auto* out = s.output(id);
    const std::string name = id == session::kNoId ? "mix" : s.nameOf(id);
    if (word == "session")
        return s.name;
    if (word == "name")
        return name;
    if (word == "number")
        return fmt::format("{:02}", number);
    if (word == "file")
        return e != nullptr ? originalName(s, *e) : name;
    if (word == "role")
        return e != nullptr ? std::string(roleInfo(e->role).name) : out != nullptr ? "bus" : "mix";
    if (word == "bus")
        return out != nullptr && out->bus != session::kNoId ? s.nameOf(out->bus) : s.master().name;
    return std::nullopt;
}

Result<std::string> patternName(const session::Session& s, session::Id id, int number,
                                const std::string& pattern) {
    std::string name;
    for (std::size_t at = 0; at < pattern.size();) {
        if (pattern[at] != '{') {
            name += pattern[at++];
            continue;
        }
        const auto end = pattern.find('}', at);
        const std::string word = pattern.substr(at + 1, end == std::string::npos ? end : end - at - 1);
        const auto text = end == std::string::npos ? std::nullopt : patternWord(s, id, number, word);
        if (!text)
            return Error{
                ErrorCode::BadValue,
                fmt::format("\"{{{}\" in the names of the files is not known; there are {{session}}, "
                            "{{name}}, {{file}}, {{role}}, {{bus}} and {{number}}.",
                            word + (end == std::string::npos ? "" : "}"))};
        name += *text;
        at = end + 1;
    }
    return fileNameFor(name);
}

} // namespace

Result<std::vector<std::string>> deliveryNames(const session::Session& s, const DeliveryOptions& o) {
    const std::string ending = o.file.container == media::Container::Flac ? ".flac" : ".wav";
    const std::string ofStems = !o.namePattern.empty()     ? o.namePattern
                                : o.stems == Stems::Tracks ? "{file}"
                                                           : "{session} - {name}";
    std::vector<session::Id> ids = stemsOf(s, o.stems);
    if (o.mix)
        ids.insert(ids.begin(), session::kNoId);
    std::vector<std::string> names;
    std::set<std::string> taken;
    for (const session::Id id : ids) {
        const bool isMix = id == session::kNoId;
        const auto wanted = patternName(s, id, static_cast<int>(names.size()) + 1,
                                        isMix && o.namePattern.empty() ? "{session} - {name}" : ofStems);
        if (!wanted)
            return wanted.error();
        std::string name = *wanted;
        for (int n = 2; !taken.insert(name).second; ++n)
            name = *wanted + " " + std::to_string(n);
        names.push_back(name + ending);
    }
    return names;
}

} // namespace cask::project
