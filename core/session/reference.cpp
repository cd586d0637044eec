#include "core/session/reference.h"

#include "core/session/kinds.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace cask::session {
namespace {

using Json = nlohmann::ordered_json;

Json schemaOf(const ParameterInfo& info) {
    if (info.kind == ParameterKind::Switch)
        return {{"type", "boolean"}};
    if (info.kind == ParameterKind::Choice)
        return {{"enum", info.choices}};
    return {{"type", "number"}, {"minimum", info.least}, {"maximum", info.most}};
}

Json ridesSchema() {
    const Json point = {{"type", "array"}, {"minItems", 2}, {"maxItems", 2}, {"items", {{"type", "number"}}}};
    return {{"type", "array"},
            {"items",
             {{"type", "object"},
              {"required", {"value", "points"}},
              {"properties",
               {{"value", {{"type", "string"}}}, {"points", {{"type", "array"}, {"items", point}}}}}}}};
}

Json changesSchema(Json values) {
    return {{"type", "array"},
            {"items",
             {{"type", "object"},
              {"required", {"section", "values"}},
              {"properties",
               {{"section", {{"type", "string"}}},
                {"glide_ms", {{"type", "number"}, {"minimum", 0}, {"maximum", 10000}}},
                {"values", std::move(values)}}}}}};
}

template <class T> Json kindSchema() {
    Json properties{{"id", {{"type", "integer"}}},
                    {"on", {{"type", "boolean"}}},
                    {"type", {{"const", KindOf<T>::id}}},
                    {"ordinal", {{"type", "integer"}, {"minimum", 1}}}};
    Json values{{"type", "object"}, {"properties", Json::object()}};
    for (const auto& f : KindOf<T>::fields) {
        properties[std::string(f.info.id)] = schemaOf(f.info);
        if (f.info.glides)
            values["properties"][std::string(f.info.id)] = schemaOf(f.info);
    }
    if constexpr (KindOf<T>::hearsKey) {
        properties["key"] = {{"type", "integer"}};
        properties["key_tap"] = schemaOf(keyTapInfo());
    }
    if constexpr (HasItems<T>) {
        Json item{{"type", "object"}, {"required", {"id"}}, {"properties", {{"id", {{"type", "integer"}}}}}};
        for (const auto& f : KindOf<T>::itemFields) {
            item["properties"][std::string(f.info.id)] = schemaOf(f.info);
            if (f.info.glides)
                values["patternProperties"][fmt::format("^[0-9]+/{}$", f.info.id)] = schemaOf(f.info);
        }
        properties[std::string(KindOf<T>::itemsId)] = {{"type", "array"}, {"items", std::move(item)}};
    }
    properties["changes"] = changesSchema(std::move(values));
    properties["rides"] = ridesSchema();
    return {{"type", "object"}, {"required", {"id", "type"}}, {"properties", std::move(properties)}};
}

std::string rangeText(const ParameterInfo& info) {
    if (info.kind == ParameterKind::Switch)
        return "on, off";
    if (info.kind == ParameterKind::Choice)
        return fmt::format("{}", fmt::join(info.choices, ", "));
    return fmt::format("{} to {}", formatValue(info, info.least), formatValue(info, info.most));
}

template <class Fields> std::string rows(const std::string& prefix, const Fields& fields) {
    std::string text;
    for (const auto& f : fields)
        text += fmt::format("| `{}{}` | {} | {} | {} | {} | {} |\n", prefix, f.info.id, f.info.words,
                            rangeText(f.info), formatValue(f.info, f.info.standard),
                            f.info.glides ? "yes" : "", f.info.help);
    return text;
}

constexpr std::string_view kHead = "| path | name | range | standard | by section | meaning |\n"
                                   "|---|---|---|---|---|---|\n";

template <class T> std::string kindText() {
    const std::string prefix = fmt::format("NAME/{}/", KindOf<T>::id);
    std::string text = fmt::format("\n## {} (`{}`)\n", KindOf<T>::words, KindOf<T>::id);
    text += fmt::format(
        "`{0}on`, `{0}remove`{1}.\n\n{2}", prefix,
        KindOf<T>::hearsKey
            ? fmt::format(", `{0}key` (an element, a bus, or `own`), `{0}key_tap` (where an "
                          "element is listened to: `source`, as its file is, or `chain`, after "
                          "its chain and before its level; standard `{1}`)",
                          prefix, keyTapInfo().choices[static_cast<std::size_t>(standardKeyTap<T>())])
            : "",
        kHead);
    text += rows(prefix, KindOf<T>::fields);
    if constexpr (HasItems<T>) {
        text +=
            fmt::format("\n`{0}add` with a {1} adds one of its {2}, `{0}N/remove` takes one away; N counts "
                        "from 1.\n\n{3}",
                        prefix, KindOf<T>::itemFields[0].info.words, KindOf<T>::itemsId, kHead);
        text += rows(prefix + "N/", KindOf<T>::itemFields);
    }
    return text;
}

} // namespace

std::string moduleSchema() {
    Json schemas = Json::array();
    Json known = Json::array();
    forEachKind([&]<class T>(std::type_identity<T>) {
        schemas.push_back(kindSchema<T>());
        known.push_back(KindOf<T>::id);
    });
    schemas.push_back({{"type", "object"}, {"properties", {{"type", {{"not", {{"enum", known}}}}}}}});
    return Json{{"anyOf", std::move(schemas)}}.dump(2);
}

std::string parameterPage() {
    std::string text = "# Parameters\n\n"
                       "Written by `ember-cask-cli parameters` from the program's own tables. `set SESSION "
                       "PATH VALUE` sets a value as a person types it.\n"
                       "The second and further modules of a kind are `NAME/KIND#2/...`. Where *by section* "
                       "says yes, `NAME/KIND/section/SECTION/...` gives the\n"
                       "value that holds while a section of that name lasts, reached within `.../glide_ms`; "
                       "`.../remove` takes all of them back; `NAME/KIND/ride/...` is its way through time "
                       "(seconds and change: "
                       "`0:0 2.5:+3`). Of an output it is `NAME/section/SECTION/level_db` and "
                       "`NAME/section/SECTION/send/BUS/level_db`.\n"
                       "\n## Input of an element\n\n";
    text += kHead;
    text += rows("NAME/", inputFields());
    text += fmt::format("\n## Output of an element or bus\n`NAME/bus` is its output, a bus, "
                        "`NAME/role` what an element "
                        "is.\n\n{}",
                        kHead);
    text += rows("NAME/", outputFields());
    text += rows("NAME/send/BUS/", sendFields());
    forEachKind([&]<class T>(std::type_identity<T>) { text += kindText<T>(); });
    return text;
}

} // namespace cask::session
