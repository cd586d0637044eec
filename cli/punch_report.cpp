#include "cli/punch_report.h"

#include "core/session/kinds.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;
using advise::KitMeasures;
using advise::PunchMeasure;
using session::Session;

double thousandths(double x) {
    return std::round(1000 * x) / 1000;
}

/// What is told of the whole take and of each section.
Json numbersOf(const measure::Compression& c, const measure::ShapeChange& shapes, bool isKeyed) {
    Json json{{"hits", c.hits.size()},
              {"middle_change_db", thousandths(c.middleChangeDb())},
              {"followed", c.followed},
              {"recovered", c.recovered}};
    if (isKeyed || shapes.hits == 0) // the shapes of its own hits are not compared
        return json;
    json["match_db"] = thousandths(shapes.matchDb);
    json["kept_attack_db"] = thousandths(shapes.keptAttackDb);
    json["punch_before_db"] = thousandths(shapes.punchBeforeDb);
    json["punch_after_db"] = thousandths(shapes.punchAfterDb);
    json["sustain_db"] = thousandths(shapes.sustainDb);
    json["decay_before_ms"] = thousandths(shapes.decayBeforeMs);
    json["decay_after_ms"] = thousandths(shapes.decayAfterMs);
    json["crest_before_db"] = thousandths(shapes.crestBeforeDb);
    json["crest_after_db"] = thousandths(shapes.crestAfterDb);
    json["range_before_db"] = thousandths(shapes.rangeBeforeDb);
    json["range_after_db"] = thousandths(shapes.rangeAfterDb);
    json["ghosts_db"] = thousandths(shapes.ghostsDb);
    return json;
}

Json eachHit(const measure::Compression& c) {
    Json list = Json::array();
    for (const auto& hit : c.hits)
        list.push_back({{"time_s", thousandths(hit.timeS)},
                        {"level_db", thousandths(hit.levelDb)},
                        {"change_db", thousandths(hit.changeDb)},
                        {"change_at_ms", thousandths(hit.changeAtMs)},
                        {"left_db", thousandths(hit.leftDb)},
                        {"peak_before_db", thousandths(hit.beforeDb)},
                        {"peak_after_db", thousandths(hit.afterDb)}});
    return list;
}

Json compressorOf(const Session& s, const KitMeasures& measures, const PunchMeasure& punch) {
    const auto drum = [&](int which) {
        return measures.hits == nullptr || which < 0 ? std::string("others")
                                                     : measures.hits->nameOf(which, s);
    };
    Json json{{"in", s.nameOf(punch.owner)}, {"keyed", punch.isKeyed}, {"parallel", punch.isParallel}};
    json.update(numbersOf(punch.compression, punch.shapes, punch.isKeyed));
    json["spill"] = Json::array();
    for (const auto& spill : punch.shapes.spill)
        json["spill"].push_back(
            {{"drum", drum(spill.drum)}, {"hits", spill.hits}, {"change_db", thousandths(spill.changeDb)}});
    json["moved_by_others"] = Json::array();
    for (const auto& pumped : punch.compression.pumped)
        json["moved_by_others"].push_back({{"drum", drum(pumped.drum)},
                                           {"hits", pumped.hits},
                                           {"share", thousandths(pumped.share())},
                                           {"change_db", thousandths(pumped.movedDb)}});
    json["driven_by"] = Json::array();
    for (const auto& driver : punch.drivers)
        json["driven_by"].push_back(
            {{"element", s.nameOf(driver.element)}, {"percent", thousandths(driver.percent)}});
    if (punch.heldMs > 0)
        json["tops_held_before_ms"] = thousandths(punch.heldMs);
    if (punch.noteHz > 0) {
        json["note_hz"] = thousandths(punch.noteHz);
        json["overtones_db"] = thousandths(punch.bentDb);
    }
    json["sections"] = Json::array();
    for (const auto& section : s.sections) {
        const std::array stretch{measure::MaterialStretch{section.name, section.startS, section.endS}};
        const auto part = within(punch.compression, stretch);
        if (part.hits.empty())
            continue;
        Json of{{"section", section.name}, {"start_s", section.startS}};
        of.update(numbersOf(part, within(punch.shapes, stretch), punch.isKeyed));
        json["sections"].push_back(std::move(of));
    }
    json["each_hit"] = eachHit(punch.compression);
    return json;
}

} // namespace

Json punchAsJson(const Session& s, const KitMeasures& measures) {
    Json json{{"compressors", Json::array()}, {"buses", Json::array()}, {"stands", Json::array()}};
    for (const auto& punch : measures.punch.compressors)
        json["compressors"].push_back(compressorOf(s, measures, punch));
    for (const auto& bus : measures.punch.buses) {
        Json won = Json::array();
        for (const auto& one : bus.won)
            won.push_back({{"element", s.nameOf(one.element)}, {"punch_db", thousandths(one.db)}});
        json["buses"].push_back({{"bus", s.nameOf(bus.bus)},
                                 {"hits", bus.hits},
                                 {"punch_change_db", thousandths(bus.changeDb)},
                                 {"won_before", std::move(won)}});
    }
    for (const auto& stand : measures.punch.stands)
        json["stands"].push_back({{"element", s.nameOf(stand.element)},
                                  {"hits", stand.hits},
                                  {"over_db", thousandths(stand.overDb)},
                                  {"over_low_db", thousandths(stand.bandDb[0])},
                                  {"over_middle_db", thousandths(stand.bandDb[1])},
                                  {"over_high_db", thousandths(stand.bandDb[2])}});
    return json;
}

void printPunch(std::ostream& out, const Session& s, const KitMeasures& measures) {
    const auto& punch = measures.punch;
    if (punch.compressors.empty() && punch.buses.empty())
        out << "No compressor is on.\n";
    const auto line = [&](const std::string& name, const measure::Compression& c,
                          const measure::ShapeChange& shapes) {
        out << fmt::format("{:<24} {:>5} {:>9.1f} {:>6}/{:<5} {:>9.1f} {:>8.1f} {:>8.1f}\n", name,
                           c.hits.size(), c.middleChangeDb(), c.recovered, c.followed, shapes.keptAttackDb,
                           shapes.punchBeforeDb, shapes.punchAfterDb);
    };
    if (!punch.compressors.empty())
        out << fmt::format("{:<24} {:>5} {:>9} {:>12} {:>9} {:>8} {:>8}\n", "compressor in", "hits",
                           "gain dB", "let go", "first 10", "punch", "after");
    for (const auto& one : punch.compressors) {
        line(s.nameOf(one.owner), one.compression, one.shapes);
        for (const auto& section : s.sections) {
            const std::array stretch{measure::MaterialStretch{section.name, section.startS, section.endS}};
            if (const auto part = within(one.compression, stretch); !part.hits.empty())
                line("  " + section.name, part, within(one.shapes, stretch));
        }
    }
    for (const auto& bus : punch.buses)
        out << fmt::format("{} changes the punch of kick and snare by {:.1f} dB.\n", s.nameOf(bus.bus),
                           bus.changeDb);
    for (const auto& stand : punch.stands)
        out << fmt::format("The first 10 ms of {} stand {:.1f} dB {} everything else.\n",
                           s.nameOf(stand.element), std::abs(stand.overDb),
                           stand.overDb < 0 ? "under" : "over");
}

} // namespace cask::cli
