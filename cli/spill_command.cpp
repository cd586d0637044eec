#include "cli/commands.h"

#include <fmt/format.h>

#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

struct SpillOptions {
    std::string folder;
    bool asJson = false;
    bool asCsv = false;
};

/// The first characters of a name; a character is never cut.
std::string shortened(const std::string& text, std::size_t most) {
    std::size_t count = 0;
    for (std::size_t i = 0; i < text.size(); ++i)
        if ((static_cast<unsigned char>(text[i]) & 0xC0U) != 0x80U && count++ == most)
            return text.substr(0, i);
    return text;
}

/// Inputs that belong to the kit: context hears none of it.
bool isShown(const session::Session& s, const kit::HitAnalysis& a, std::size_t input) {
    return roleInfo(s.element(a.elements[input])->role).group != RoleGroup::Context;
}

std::string cellText(const measure::SpillCell& cell) {
    if (cell.count == 0)
        return "-";
    return fmt::format("{}{:.1f}", cell.isDrowned ? "<" : "", cell.levelDb);
}

int spill(Streams& streams, const SpillOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto found = findHits(streams, *s, o.folder);
    if (!found)
        return fail(streams, found.error());
    const auto& a = *found->analysis;
    const auto nameOf = [&](std::size_t input) { return s->nameOf(a.elements[input]); };
    nlohmann::ordered_json cells = nlohmann::ordered_json::array();
    nlohmann::ordered_json rooms = nlohmann::ordered_json::array();
    if (o.asCsv)
        streams.out << "drum,microphone,level_db,spread_db,hits,drowned\n";
    else if (!o.asJson) {
        streams.out << fmt::format("{:<16}", "drum");
        for (std::size_t i = 0; i < a.elements.size(); ++i)
            if (isShown(*s, a, i))
                streams.out << fmt::format(" {:>12}", shortened(nameOf(i), 12));
        streams.out << '\n';
    }
    for (std::size_t d = 0; d < a.spill.cells.size(); ++d) {
        const auto& drum = a.hits.kit.drums[d];
        if (!drum.isMiked())
            continue;
        if (!o.asCsv && !o.asJson)
            streams.out << fmt::format("{:<16}", shortened(drum.name, 16));
        for (std::size_t i = 0; i < a.elements.size(); ++i) {
            if (!isShown(*s, a, i))
                continue;
            const auto& cell = a.spill.cells[d][i];
            if (o.asCsv)
                streams.out << fmt::format("\"{}\",\"{}\",{:.1f},{:.1f},{},{}\n", drum.name, nameOf(i),
                                           cell.levelDb, cell.spreadDb, cell.count, cell.isDrowned ? 1 : 0);
            else if (o.asJson)
                cells.push_back({{"drum", drum.name},
                                 {"microphone", nameOf(i)},
                                 {"level_db", cell.levelDb},
                                 {"spread_db", cell.spreadDb},
                                 {"hits", cell.count},
                                 {"drowned", cell.isDrowned}});
            else
                streams.out << fmt::format(" {:>12}", cellText(cell));
        }
        if (!o.asCsv && !o.asJson)
            streams.out << '\n';
    }
    for (std::size_t i = 0; i < a.elements.size() && o.asJson; ++i) {
        if (!isShown(*s, a, i))
            continue;
        const auto& room = a.spill.rooms[i];
        rooms.push_back(
            {{"microphone", nameOf(i)},
             {"floor_db", room.floorDb},
             {"own_accents_db", room.ownDb},
             {"softest_own_db", room.softestDb},
             {"loudest_spill_db", room.spillDb},
             {"loudest_spill_of",
              room.spillDrum < 0 ? "" : a.hits.kit.drums[static_cast<std::size_t>(room.spillDrum)].name}});
    }
    if (o.asJson)
        printJson(streams.out, {{"spill", std::move(cells)}, {"microphones", std::move(rooms)}});
    return found->hasProblems ? kBadInput : kDone;
}

} // namespace

void addSpillCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "spill",
        "How loud each drum is in each microphone against its own, dB (median where it plays alone)");
    const auto o = std::make_shared<SpillOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_flag("--csv", o->asCsv,
                      "Table on standard output: drum,microphone,level_db,spread_db,hits,drowned");
    command->add_flag("--json", o->asJson, "JSON on standard output, with what a gate has to work with");
    command->callback([&streams, &exitCode, o] { exitCode = spill(streams, *o); });
}

} // namespace cask::cli
