#include "core/layers/sfz.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <fstream>
#include <map>
#include <optional>
#include <ranges>
#include <set>

namespace cask::layers {
namespace {

namespace fs = std::filesystem;

constexpr int kDeepestInclude = 8;
constexpr int kMostIncludes = 256;                      // in all: a file may include itself
constexpr std::size_t kMostProblems = 100;              // told; more tell nothing new
constexpr std::size_t kLongestLine = 65536;             // once names are replaced
constexpr std::size_t kMostText = 4 * kLargestSfzBytes; // with all that is included and defined

using Opcodes = std::map<std::string, std::string, std::less<>>;

bool isSpace(char c) {
    return c == ' ' || c == '\t' || c == '\r' || c == '\n';
}
bool isOfName(char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
}

std::string trimmed(std::string_view text) {
    while (!text.empty() && isSpace(text.front()))
        text.remove_prefix(1);
    while (!text.empty() && isSpace(text.back()))
        text.remove_suffix(1);
    return std::string(text);
}

std::optional<double> numberOf(std::string_view text) {
    double value = 0;
    if (!text.empty() && text.front() == '+')
        text.remove_prefix(1);
    const auto [end, failure] = std::from_chars(text.data(), text.data() + text.size(), value);
    return failure == std::errc() && end == text.data() + text.size() && std::isfinite(value)
               ? std::optional(value)
               : std::nullopt;
}

/// 36, or c2, f#3, eb1 (c4 is 60).
std::optional<int> noteOf(std::string_view text) {
    if (const auto number = numberOf(text))
        return *number >= -1 && *number <= 127 ? std::optional(static_cast<int>(*number)) : std::nullopt;
    constexpr std::string_view kLetters = "c d ef g a b";
    if (text.size() < 2)
        return std::nullopt;
    const char letter = text[0] >= 'A' && text[0] <= 'G' ? static_cast<char>(text[0] + 32) : text[0];
    const auto place = letter == ' ' ? std::string_view::npos : kLetters.find(letter);
    if (place == std::string_view::npos)
        return std::nullopt;
    text.remove_prefix(1);
    int note = static_cast<int>(place);
    if (text.front() == '#' || text.front() == 'b') {
        note += text.front() == '#' ? 1 : -1;
        text.remove_prefix(1);
    }
    const auto octave = numberOf(text);
    if (!octave || std::abs(*octave) > 10)
        return std::nullopt;
    note += 12 * (static_cast<int>(*octave) + 1);
    return note >= 0 && note <= 127 ? std::optional(note) : std::nullopt;
}

/// Text with what it includes and defines in place, without comments.
class Expander {
  public:
    Expander(const std::string& name, const SfzReader& included, SfzKit& kit)
        : m_name(name), m_included(included), m_kit(kit) {}

    void add(std::string_view text, int depth = 0) {
        while (!text.empty()) {
            const auto end = std::min(text.find('\n'), text.size());
            addLine(text.substr(0, end), depth);
            text.remove_prefix(std::min(end + 1, text.size()));
        }
    }
    [[nodiscard]] const std::string& text() const { return m_text; }

  private:
    void addLine(std::string_view line, int depth) {
        line = line.substr(0, line.find("//"));
        const std::string stripped = trimmed(line);
        if (stripped.starts_with("#define"))
            define(std::string_view(stripped).substr(7));
        else if (stripped.starts_with("#include"))
            include(std::string_view(stripped).substr(8), depth);
        else if (m_text.size() < kMostText)
            m_text += replaced(line) + '\n';
    }
    void define(std::string_view rest) {
        const std::string text = trimmed(rest);
        const auto space = text.find_first_of(" \t");
        if (text.starts_with('$') && space != std::string::npos)
            m_defined[text.substr(0, space)] = trimmed(std::string_view(text).substr(space));
    }
    void include(std::string_view rest, int depth) {
        const std::string path = trimmed(rest);
        if (path.size() < 3 || path.front() != '"' || path.back() != '"')
            return;
        const std::string file = path.substr(1, path.size() - 2);
        const auto found = depth < kDeepestInclude && m_included && ++m_includes <= kMostIncludes
                               ? m_included(file)
                               : Result<std::string>(Error{ErrorCode::NotFound, ""});
        if (found && m_text.size() < kMostText)
            add(*found, depth + 1);
        else if (m_kit.problems.size() < kMostProblems)
            m_kit.problems.push_back(
                fmt::format("{} includes {}, which can't be read; it is left out.", m_name, file));
    }
    /// Longer names first, so that $KEY does not eat $KEYS.
    [[nodiscard]] std::string replaced(std::string_view line) const {
        std::string text(line);
        for (auto it = m_defined.rbegin(); it != m_defined.rend(); ++it)
            for (std::size_t at = 0;
                 (at = text.find(it->first, at)) != std::string::npos && text.size() < 65536;
                 at += it->second.size())
                text.replace(at, it->first.size(), it->second);
        return text;
    }

    const std::string& m_name;
    const SfzReader& m_included;
    SfzKit& m_kit;
    std::map<std::string, std::string>
        m_defined; ///< in order, so that a name stands before what begins with it
    std::string m_text;
    int m_includes = 0;
};

class Parser {
  public:
    Parser(const std::string& name, SfzKit& kit) : m_name(name), m_kit(kit) {}

    void run(std::string_view text) {
        std::string header;
        for (std::size_t at = 0; at < text.size();) {
            if (isSpace(text[at])) {
                ++at;
            } else if (text[at] == '<') {
                closeRegion(header);
                const auto end = std::min(text.find('>', at), text.size());
                header = trimmed(text.substr(at + 1, end - at - 1));
                open(header);
                at = std::min(end + 1, text.size());
            } else {
                at = readOpcode(text, at, header);
            }
        }
        closeRegion(header);
    }

  private:
    /// What stands in a wider header holds for all below, until the next one like it.
    void open(const std::string& header) {
        constexpr std::array<std::string_view, 4> kOrder = {"global", "master", "group", "region"};
        const auto level = std::find(kOrder.begin(), kOrder.end(), header);
        for (auto below = level; below != kOrder.end(); ++below)
            m_levels[static_cast<std::size_t>(below - kOrder.begin())].clear();
    }
    Opcodes* opcodesOf(const std::string& header) {
        if (header == "control")
            return &m_control;
        constexpr std::array<std::string_view, 4> kOrder = {"global", "master", "group", "region"};
        const auto level = std::find(kOrder.begin(), kOrder.end(), header);
        return level == kOrder.end() ? nullptr : &m_levels[static_cast<std::size_t>(level - kOrder.begin())];
    }
    /// name=value; a value ends where the line does, or before the next name=, or before a header.
    std::size_t readOpcode(std::string_view text, std::size_t at, const std::string& header) {
        std::size_t end = at;
        while (end < text.size() && isOfName(text[end]))
            ++end;
        if (end == at || end >= text.size() || text[end] != '=') {
            while (end < text.size() && !isSpace(text[end]) && text[end] != '<')
                ++end;
            return std::max(end, at + 1);
        }
        const std::string opcode(text.substr(at, end - at));
        const std::size_t from = end + 1;
        std::size_t to = from;
        while (to < text.size() && text[to] != '\n' && text[to] != '<') {
            if (isSpace(text[to])) {
                std::size_t next = to;
                while (next < text.size() && (text[next] == ' ' || text[next] == '\t'))
                    ++next;
                std::size_t nameEnd = next;
                while (nameEnd < text.size() && isOfName(text[nameEnd]))
                    ++nameEnd;
                if (nameEnd > next && nameEnd < text.size() && text[nameEnd] == '=')
                    break;
            }
            ++to;
        }
        if (auto* opcodes = opcodesOf(header))
            (*opcodes)[opcode] = trimmed(text.substr(from, to - from));
        return to;
    }

    void closeRegion(const std::string& header) {
        if (header != "region" || m_kit.regions.size() >= kMostRegions)
            return;
        SfzRegion region;
        std::string sample;
        for (const auto& level : m_levels)
            for (const auto& [opcode, value] : level)
                if (opcode == "sample")
                    sample = value;
                else
                    set(region, opcode, value);
        if (sample.empty()) {
            tell(fmt::format("{} has a region without a sample; it is left out.", m_name));
            return;
        }
        const auto path = m_control.find("default_path");
        std::string whole = (path != m_control.end() ? path->second : std::string()) + sample;
        std::replace(whole.begin(), whole.end(), '\\', '/');
        const auto normal = fs::path(whole).lexically_normal();
        if (normal.is_absolute() || normal.begin() == normal.end() || *normal.begin() == "..") {
            tell(fmt::format("{} names the sample {}, which lies outside of its folder; it is left out.",
                             m_name, whole));
            return;
        }
        region.sample = normal;
        m_kit.regions.push_back(std::move(region));
    }

    void tell(std::string problem) {
        if (m_kit.problems.size() < kMostProblems)
            m_kit.problems.push_back(std::move(problem));
    }
    void refuse(const std::string& opcode, const std::string& value) {
        tell(
            fmt::format("{} sets {} to {}, which can't be read; it stays as it was.", m_name, opcode, value));
    }
    void set(SfzRegion& region, const std::string& opcode, const std::string& value) {
        const auto note = [&](std::initializer_list<int*> to) {
            const auto found = noteOf(value);
            for (int* one : to)
                if (found)
                    *one = *found;
            if (!found)
                refuse(opcode, value);
        };
        const auto number = [&](double low, double high, const auto& act) {
            const auto found = numberOf(value);
            found&&* found >= low&&* found <= high ? act(*found) : refuse(opcode, value);
        };
        const auto whole = [&](int low, int high, int& to) {
            number(low, high, [&](double v) { to = static_cast<int>(v); });
        };
        const auto real = [&](double low, double high, double scale, double& to) {
            number(low, high, [&](double v) { to = scale * v; });
        };
        constexpr double kMostFrames = 1e10;
        if (opcode == "key")
            note({&region.lowNote, &region.highNote, &region.centreNote});
        else if (opcode == "lokey")
            note({&region.lowNote});
        else if (opcode == "hikey")
            note({&region.highNote});
        else if (opcode == "pitch_keycenter")
            note({&region.centreNote});
        else if (opcode == "lovel")
            whole(0, 127, region.lowVelocity);
        else if (opcode == "hivel")
            whole(0, 127, region.highVelocity);
        else if (opcode == "seq_length")
            whole(1, 100, region.turns);
        else if (opcode == "seq_position")
            whole(1, 100, region.turn);
        else if (opcode == "lorand")
            real(0, 1, 1, region.lowChance);
        else if (opcode == "hirand")
            real(0, 1, 1, region.highChance);
        else if (opcode == "volume")
            real(-144, 48, 1, region.gainDb);
        else if (opcode == "pan")
            real(-100, 100, 0.01, region.pan);
        else if (opcode == "tune")
            number(-9600, 9600, [&](double v) { region.tuneCents += v; });
        else if (opcode == "transpose")
            number(-127, 127, [&](double v) { region.tuneCents += 100 * v; });
        else if (opcode == "amp_veltrack")
            real(-100, 100, 0.01, region.velocityTracking);
        else if (opcode == "offset")
            number(0, kMostFrames, [&](double v) { region.fromFrame = static_cast<Frames>(v); });
        else if (opcode == "end")
            number(0, kMostFrames, [&](double v) { region.toFrame = static_cast<Frames>(v); });
        else if (opcode == "ampeg_attack")
            real(0, 100, 1, region.attackS);
        else if (opcode == "ampeg_hold")
            real(0, 100, 1, region.holdS);
        else if (opcode == "ampeg_decay")
            real(0, 100, 1, region.decayS);
        else if (opcode == "ampeg_sustain")
            real(0, 100, 0.01, region.sustain);
        else if (opcode == "ampeg_release")
            real(0, 100, 1, region.releaseS);
        else if (opcode == "group")
            whole(0, std::numeric_limits<int>::max(), region.chokeGroup);
        else if (opcode == "off_by")
            whole(0, std::numeric_limits<int>::max(), region.chokedBy);
        else if (opcode == "loop_mode")
            region.isOneShot = value == "one_shot" || value == "no_loop";
        else if (std::find(m_kit.notUnderstood.begin(), m_kit.notUnderstood.end(), opcode) ==
                     m_kit.notUnderstood.end() &&
                 m_kit.notUnderstood.size() < 1000)
            m_kit.notUnderstood.push_back(opcode);
    }

    const std::string& m_name;
    SfzKit& m_kit;
    Opcodes m_control;
    std::array<Opcodes, 4> m_levels; ///< global, master, group, region
};

Result<std::string> readText(const fs::path& file) {
    std::error_code failure;
    const auto size = fs::file_size(file, failure);
    std::ifstream in(file, std::ios::binary);
    if (failure || !in)
        return Error{ErrorCode::NotReadable, fmt::format("{} can't be read; is it there?", file.string())};
    if (size > kLargestSfzBytes)
        return Error{
            ErrorCode::BadFormat,
            fmt::format("{} is larger than 8 MB, too large for a kit; nothing was read.", file.string())};
    std::string text(size, '\0');
    in.read(text.data(), static_cast<std::streamsize>(size));
    text.resize(static_cast<std::size_t>(in.gcount()));
    return text;
}

} // namespace

Result<SfzKit> sfzKit(std::string_view text, const std::string& name, const SfzReader& included) {
    SfzKit kit;
    Expander expander(name, included, kit);
    expander.add(text);
    Parser(name, kit).run(expander.text());
    if (kit.regions.empty())
        return Error{ErrorCode::BadFormat,
                     fmt::format("{} has no sample that can be played; nothing was read.", name)};
    return kit;
}

namespace {

Result<SfzKit> readKit(const fs::path& file, std::vector<fs::path>& included) {
    const auto text = readText(file);
    if (!text)
        return text.error();
    return sfzKit(*text, file.string(), [&](const fs::path& path) -> Result<std::string> {
        const auto normal = path.lexically_normal();
        if (normal.is_absolute() || normal.empty() || *normal.begin() == "..")
            return Error{ErrorCode::NotFound, ""};
        included.push_back(normal);
        return readText(file.parent_path() / normal);
    });
}

} // namespace

Result<SfzKit> readSfzKit(const fs::path& file) {
    std::vector<fs::path> included;
    return readKit(file, included);
}

std::vector<fs::path> filesOfKit(const fs::path& file) {
    std::vector<fs::path> files;
    if (const auto kit = readKit(file, files))
        for (const auto& region : kit->regions)
            files.push_back(region.sample);
    std::set<fs::path> seen = {file.filename()};
    std::erase_if(files, [&](const fs::path& path) { return !seen.insert(path).second; });
    files.push_back(file.filename());
    return files;
}

} // namespace cask::layers
