#include "core/project/hit_files.h"

#include "core/base/file_system.h"
#include "core/project/delivery.h"
#include "core/project/outbox.h"
#include "core/project/played_files.h"
#include "core/session/session_store.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <functional>

namespace cask::project {
namespace {

using Json = nlohmann::ordered_json;
using measure::HitClass;

std::string quoted(const std::string& text) {
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"')
            out += '"';
        out += c;
    }
    return out + '"';
}

} // namespace

std::vector<HitRow> hitRows(const session::Session& s, const HitAnalysis& a, bool ownOnly) {
    std::vector<HitRow> rows;
    for (const auto& h : a.hits.heard) {
        if (ownOnly && !h.isOwn)
            continue;
        const auto* e = s.element(a.elements[static_cast<std::size_t>(h.input)]);
        if (e == nullptr) // it went since the hits were found
            continue;
        HitRow row;
        row.element = e->name;
        row.role = roleInfo(e->role).id;
        row.timeS = h.timeS;
        row.levelDb = h.levelDb;
        row.owner = a.ownerOf(h, s);
        row.confidence = h.confidence;
        row.isOwn = h.isOwn;
        if (h.stroke >= 0) {
            const auto& stroke = a.hits.strokes[static_cast<std::size_t>(h.stroke)];
            row.velocity = stroke.velocity;
            row.hitClass = measure::hitClassName(stroke.hitClass);
        } else {
            row.hitClass = measure::hitClassName(HitClass::Normal);
        }
        rows.push_back(std::move(row));
    }
    std::stable_sort(rows.begin(), rows.end(),
                     [](const HitRow& x, const HitRow& y) { return x.timeS < y.timeS; });
    return rows;
}

std::string hitsToCsv(const std::vector<HitRow>& rows) {
    std::string csv = "element,role,time_s,level_db,velocity,class,owner,confidence\n";
    for (const auto& r : rows)
        csv += fmt::format("{},{},{:.6f},{:.2f},{:.3f},{},{},{:.3f}\n", quoted(r.element), r.role, r.timeS,
                           r.levelDb, r.velocity, r.hitClass, quoted(r.owner), r.confidence);
    return csv;
}

std::string hitsToJson(const session::Session& s, const HitAnalysis& a, const std::vector<HitRow>& rows) {
    Json hits = Json::array();
    for (const auto& r : rows)
        hits.push_back({{"element", r.element},
                        {"role", r.role},
                        {"time_s", r.timeS},
                        {"level_db", r.levelDb},
                        {"velocity", r.velocity},
                        {"class", r.hitClass},
                        {"owner", r.owner},
                        {"own", r.isOwn},
                        {"confidence", r.confidence}});
    Json drums = Json::array();
    for (std::size_t d = 0; d < a.hits.kit.drums.size(); ++d) {
        const auto& drum = a.hits.kit.drums[d];
        const auto& timing = a.timing.drums[d];
        const auto count = std::count_if(a.hits.strokes.begin(), a.hits.strokes.end(),
                                         [&](const auto& h) { return h.drum == static_cast<int>(d); });
        if (count == 0)
            continue;
        drums.push_back({{"name", drum.name},
                         {"hits", count},
                         {"feel_ms", timing.feelMs},
                         {"spread_ms", timing.spreadMs},
                         {"gross_errors", timing.gross.size()}});
    }
    const auto& t = a.tempo;
    Json tempo = t.isKnown ? Json{{"bpm", t.bpm},
                                  {"confidence", t.confidence},
                                  {"drift_percent", t.driftPercent},
                                  {"beats_per_bar", t.beatsPerBar},
                                  {"first_bar_s", t.firstBarS},
                                  {"swing_percent", t.swingPercent},
                                  {"swing_on", t.isSwingOnSixteenths ? "sixteenths" : "eighths"}}
                           : Json(nullptr);
    return Json{{"session", s.name},
                {"tempo", std::move(tempo)},
                {"drums", std::move(drums)},
                {"hits", std::move(hits)}}
               .dump(2, ' ', false, Json::error_handler_t::replace) +
           "\n";
}

std::string hitsInWords(const session::Session& s, const HitAnalysis& a) {
    std::string text;
    const auto& t = a.tempo;
    if (t.isKnown)
        text +=
            fmt::format("{:.2f} BPM (confidence {:.0f} %), {} a bar, first bar at {:.3f} s, drift "
                        "{:.2f} %, {}\n",
                        t.bpm, 100 * t.confidence, t.beatsPerBar, t.firstBarS, t.driftPercent,
                        t.swingPercent < 53 ? std::string("straight")
                                            : fmt::format("swing {:.0f} % on {}", t.swingPercent,
                                                          t.isSwingOnSixteenths ? "sixteenths" : "eighths"));
    else
        text += "No tempo was found.\n";
    for (std::size_t i = 0; i < a.elements.size(); ++i)
        if (a.hits.lagS[i] != 0)
            text += fmt::format("{} is {:.1f} ms {} against the rest.\n", s.nameOf(a.elements[i]),
                                std::abs(1000 * a.hits.lagS[i]), a.hits.lagS[i] > 0 ? "late" : "early");
    text += fmt::format("{:<20} {:>6} {:>8} {:>7} {:>7} {:>6} {:>6} {:>10} {:>10}\n", "drum", "hits",
                        "accents", "normal", "ghosts", "flams", "rolls", "feel ms", "spread ms");
    for (std::size_t d = 0; d < a.hits.kit.drums.size(); ++d) {
        std::array<int, measure::kHitClasses> count{};
        int all = 0;
        for (const auto& stroke : a.hits.strokes)
            if (stroke.drum == static_cast<int>(d)) {
                ++count[static_cast<std::size_t>(stroke.hitClass)];
                ++all;
            }
        if (all == 0)
            continue;
        text += fmt::format("{:<20} {:>6} {:>8} {:>7} {:>7} {:>6} {:>6} {:>+10.1f} {:>10.1f}\n",
                            a.hits.kit.drums[d].name, all, count[0], count[1], count[2], count[3], count[4],
                            a.timing.drums[d].feelMs, a.timing.drums[d].spreadMs);
    }
    return text;
}

std::string hitsToLabels(const HitAnalysis& a, session::Id element) {
    const int input = a.inputOf(element);
    std::vector<const measure::HeardHit*> own;
    for (const auto& h : a.hits.heard)
        if (h.input == input && h.isOwn)
            own.push_back(&h);
    std::string text;
    constexpr double kLongestS = 0.1;
    for (std::size_t i = 0; i < own.size(); ++i) {
        const double endS = std::min(own[i]->timeS + kLongestS, i + 1 < own.size() ? own[i + 1]->timeS : 1e9);
        const std::string_view name =
            own[i]->stroke >= 0
                ? measure::hitClassName(a.hits.strokes[static_cast<std::size_t>(own[i]->stroke)].hitClass)
                : std::string_view("hit");
        text += fmt::format("{:.6f}\t{:.6f}\t{}\n", own[i]->timeS, endS, name);
    }
    return text;
}

Result<std::vector<std::filesystem::path>> writeHitFiles(const session::Session& s, const HitAnalysis& a,
                                                         const std::filesystem::path& sessionFolder,
                                                         const std::filesystem::path& folder, bool cues,
                                                         IfExists ifExists, const CancelToken& cancel) {
    const auto sources = project::protectedFiles(s, sessionFolder);
    auto outbox = Outbox::open(folder, {ifExists, &sources});
    if (!outbox)
        return outbox.error();
    const auto rows = hitRows(s, a, false);
    // Every name first, then the work.
    std::vector<std::pair<std::filesystem::path, std::function<Status(const std::filesystem::path&)>>> jobs;
    const auto add = [&](const std::string& name,
                         std::function<Status(const std::filesystem::path&)> write) -> Status {
        auto place = outbox->place(name);
        if (!place)
            return place.error();
        jobs.emplace_back(*place, std::move(write));
        return Done{};
    };
    const auto text = [](auto make) {
        return [make](const std::filesystem::path& path) {
            return diskFileSystem().writeAtomically(path, make());
        };
    };
    if (auto status = add("hits.csv", text([&] { return hitsToCsv(rows); })); !status)
        return status.error();
    if (auto status = add("hits.json", text([&] { return hitsToJson(s, a, rows); })); !status)
        return status.error();
    if (auto status = add("hits.mid", [&](const auto& path) { return writeMidi(a, path); }); !status)
        return status.error();
    for (std::size_t i = 0; i < a.elements.size(); ++i) {
        if (a.hits.kit.drumOf[i] < 0)
            continue;
        const auto element = a.elements[i];
        const std::string name = fileNameFor(s.nameOf(element)) + " - hits";
        if (auto status = add(name + ".txt", text([&a, element] { return hitsToLabels(a, element); }));
            !status)
            return status.error();
        if (!cues)
            continue;
        if (auto status =
                add(name + ".wav",
                    [&, element](const auto& path) { return writeCues(s, a, element, sessionFolder, path); });
            !status)
            return status.error();
    }
    for (const auto& [path, write] : jobs) {
        if (cancel.isCancelled())
            return Error{ErrorCode::Cancelled, "Writing the hits was stopped."};
        if (auto status = write(path); !status)
            return status.error();
    }
    if (auto delivered = outbox->deliver(); !delivered)
        return delivered.error();
    return outbox->paths();
}

} // namespace cask::project
