#include "core/advise/tone_reference.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

namespace cask::advise {
namespace {

using Json = nlohmann::ordered_json;
using measure::kThirds;
using measure::ToneShape;

constexpr std::string_view kReferenceFormat = "ember-cask tone references";
constexpr int kReferenceVersion = 1;
constexpr double kMostDb = 200;

/// Tenths of a decibel are enough, and read better.
Json jsonOf(const ToneShape& shape) {
    Json list = Json::array();
    for (const float db : shape)
        list.push_back(std::round(10.0 * db) / 10);
    return list;
}

std::optional<ToneShape> shapeFrom(const Json& json, const char* key) {
    const auto it = json.is_object() ? json.find(key) : json.end();
    if (it == json.end() || !it->is_array() || it->size() != kThirds)
        return std::nullopt;
    ToneShape shape{};
    for (std::size_t i = 0; i < kThirds; ++i) {
        const auto& value = (*it)[i];
        if (!value.is_number() || std::abs(value.get<double>()) > kMostDb)
            return std::nullopt;
        shape[i] = static_cast<float>(value.get<double>());
    }
    return shape;
}

Error bad(const std::string& what) {
    return {ErrorCode::BadFormat, what};
}

} // namespace

std::optional<ToneReferences::Range> ToneReferences::of(Role role) const {
    std::vector<ToneShape> shapes;
    for (const auto& drum : drums)
        if (drum.role == role)
            shapes.push_back(drum.shape);
    if (static_cast<int>(shapes.size()) >= kEnough)
        return Range{measure::rangeOf(shapes), static_cast<int>(shapes.size())};
    const auto it = ranges.find(role);
    return it == ranges.end() ? std::nullopt : std::optional(Range{it->second, 0});
}

const ToneReference* ToneReferences::find(Role role, const std::string& name) const {
    const auto it = std::find_if(drums.begin(), drums.end(),
                                 [&](const auto& drum) { return drum.role == role && drum.name == name; });
    return it == drums.end() ? nullptr : &*it;
}

void ToneReferences::keep(ToneReference drum) {
    forget(drum.role, drum.name);
    drums.push_back(std::move(drum));
}

void ToneReferences::forget(Role role, const std::string& name) {
    std::erase_if(drums, [&](const auto& drum) { return drum.role == role && drum.name == name; });
}

void writeToneRanges(const ToneReferences& references, Json& json) {
    Json ranges = Json::object();
    for (const auto& [role, range] : references.ranges)
        ranges[std::string(roleInfo(role).id)] = {{"from_db", jsonOf(range.fromDb)},
                                                  {"to_db", jsonOf(range.toDb)}};
    json["tone_ranges"] = std::move(ranges);
}

Result<std::map<Role, measure::ToneRange>> readToneRanges(const Json& json) {
    std::map<Role, measure::ToneRange> ranges;
    const auto it = json.find("tone_ranges");
    if (it == json.end())
        return ranges;
    if (!it->is_object())
        return bad("\"tone_ranges\" must be an object");
    for (const auto& [id, value] : it->items()) {
        const auto role = roleFromId(id);
        const auto from = shapeFrom(value, "from_db");
        const auto to = shapeFrom(value, "to_db");
        if (!role || !from || !to)
            return bad(fmt::format(
                "\"tone_ranges\", \"{}\": wanted is a role with {} values in \"from_db\" and in \"to_db\"",
                id, kThirds));
        for (std::size_t i = 0; i < kThirds; ++i)
            if ((*from)[i] > (*to)[i])
                return bad(fmt::format(
                    "\"tone_ranges\", \"{}\": value {} of \"from_db\" is over that of \"to_db\"", id, i + 1));
        ranges[*role] = {*from, *to};
    }
    return ranges;
}

std::string referenceDrumsToJson(const std::vector<ToneReference>& drums) {
    Json list = Json::array();
    for (const auto& drum : drums)
        list.push_back({{"role", std::string(roleInfo(drum.role).id)},
                        {"name", drum.name},
                        {"shape_db", jsonOf(drum.shape)}});
    return Json{{"format", kReferenceFormat}, {"version", kReferenceVersion}, {"drums", std::move(list)}}
               .dump(2) +
           "\n";
}

Result<std::vector<ToneReference>> referenceDrumsFromJson(std::string_view text, const std::string& where) {
    const auto wrong = [&](const std::string& what) {
        return bad(fmt::format("{} holds no reference drums: {}.", where, what));
    };
    const Json json = Json::parse(text, nullptr, false, true);
    if (!json.is_object() || json.value("format", Json()) != kReferenceFormat)
        return wrong(fmt::format("its \"format\" is not \"{}\"", kReferenceFormat));
    if (json.value("version", Json()) != kReferenceVersion)
        return wrong(fmt::format("only version {} can be read", kReferenceVersion));
    const Json list = json.value("drums", Json());
    if (!list.is_array())
        return wrong("\"drums\" must be a list");
    ToneReferences references;
    for (std::size_t i = 0; i < list.size(); ++i) {
        const auto& value = list[i];
        const auto textAt = [&](const char* key) {
            return value.is_object() && value.contains(key) && value[key].is_string()
                       ? value[key].get<std::string>()
                       : std::string();
        };
        const auto role = roleFromId(textAt("role"));
        const auto shape = shapeFrom(value, "shape_db");
        if (!role || !shape || textAt("name").empty())
            return wrong(fmt::format("drum {} needs a \"role\", a \"name\" and {} values in \"shape_db\"",
                                     i + 1, kThirds));
        references.keep({*role, textAt("name"), *shape});
    }
    return references.drums;
}

} // namespace cask::advise
