#include "core/session/kinds.h"

#include <algorithm>
#include <charconv>
#include <set>

namespace cask::session {

std::string_view kindId(const ModuleSettings& settings) {
    if (const auto* unknown = std::get_if<UnknownModule>(&settings))
        return unknown->type;
    std::string_view id;
    withSettings(settings, [&]<class T>(const T&) { id = KindOf<T>::id; });
    return id;
}

std::string wordsOf(const Module& module) {
    std::string words(kindId(module.settings));
    withSettings(module.settings, [&]<class T>(const T&) {
        const auto ordinal = static_cast<std::size_t>(module.ordinal);
        if constexpr (requires { KindOf<T>::placeWords; })
            if (ordinal <= KindOf<T>::placeWords.size()) {
                words = KindOf<T>::placeWords[ordinal - 1];
                return;
            }
        words = KindOf<T>::words;
        if (ordinal > 1)
            words += " " + std::to_string(ordinal);
    });
    return words;
}

std::string cellText(const ModuleSettings& settings) {
    std::string text;
    withSettings(settings, [&]<class T>(const T& known) {
        if constexpr (requires { KindOf<T>::cell(known); })
            text = KindOf<T>::cell(known);
        else
            for (const auto& f : fieldsOf<T>())
                if (text.empty() && f.info.kind == ParameterKind::Number)
                    text = formatValue(f.info, f.get(known));
    });
    return text;
}

std::optional<Stage> stageOf(const ModuleSettings& settings) {
    std::optional<Stage> stage;
    withSettings(settings, [&]<class T>(const T&) { stage = KindOf<T>::stage; });
    return stage;
}

std::vector<ModuleSettings> kindsOf(Stage stage) {
    std::vector<ModuleSettings> kinds;
    forEachKind([&]<class T>(std::type_identity<T>) {
        if (KindOf<T>::stage == stage)
            kinds.emplace_back(T{});
    });
    return kinds;
}

ChainPlace placeOf(const ModuleSettings& settings, int ordinal) {
    ChainPlace place = ChainPlace::Colour; // of one that is not understood: nobody knows
    withSettings(settings, [&]<class T>(const T&) { place = KindOf<T>::place(ordinal); });
    return place;
}

KeyTap standardKeyTap(const ModuleSettings& settings) {
    KeyTap tap = KeyTap::Source;
    withSettings(settings, [&]<class T>(const T&) { tap = standardKeyTap<T>(); });
    return tap;
}

const ParameterInfo& keyTapInfo() {
    // Stored names in the order of the enumeration: do not change.
    static constexpr std::array<std::string_view, 2> kTaps = {"source", "chain"};
    static constexpr std::array<std::string_view, 2> kTapWords = {"before its chain", "after its chain"};
    static constexpr ParameterInfo kInfo{.id = "key_tap",
                                         .words = "key tap",
                                         .kind = ParameterKind::Choice,
                                         .choices = kTaps,
                                         .help =
                                             "Where an element is listened to as a key: as its file is, or "
                                             "after its chain and before its level.",
                                         .choiceWords = kTapWords};
    return kInfo;
}

const ParameterInfo& glideInfo() {
    static constexpr ParameterInfo info{.id = "glide_ms",
                                        .words = "glide",
                                        .unit = Unit::Milliseconds,
                                        .most = 10000,
                                        .standard = 20,
                                        .step = 10};
    return info;
}

std::string pathNameOf(const Module& module) {
    std::string name(kindId(module.settings));
    return module.ordinal == 1 ? name : name + "#" + std::to_string(module.ordinal);
}

int freeOrdinal(const std::vector<Module>& chain, std::string_view kind) {
    int ordinal = 1;
    while (std::any_of(chain.begin(), chain.end(),
                       [&](const Module& m) { return m.ordinal == ordinal && kindId(m.settings) == kind; }))
        ++ordinal;
    return ordinal;
}

void giveOrdinals(std::vector<Module>& chain) {
    std::set<std::pair<std::string_view, int>> taken;
    for (auto& m : chain)
        if (m.ordinal < 1 || !taken.emplace(kindId(m.settings), m.ordinal).second)
            m.ordinal = 0;
    std::map<std::string_view, int> next;
    for (auto& m : chain) {
        if (m.ordinal > 0)
            continue;
        const auto kind = kindId(m.settings);
        int& ordinal = next[kind];
        do
            ++ordinal;
        while (taken.contains({kind, ordinal}));
        m.ordinal = ordinal;
    }
}

std::vector<const ParameterInfo*> parametersOf(const ModuleSettings& settings) {
    std::vector<const ParameterInfo*> all;
    withSettings(settings, [&]<class T>(const T&) {
        for (const auto& f : KindOf<T>::fields)
            all.push_back(&f.info);
    });
    return all;
}

std::optional<double> valueOf(const ModuleSettings& settings, std::string_view id) {
    std::optional<double> value;
    withSettings(settings, [&]<class T>(const T& known) {
        for (const auto& f : KindOf<T>::fields)
            if (f.info.id == id)
                value = f.get(known);
    });
    return value;
}

ModuleSettings withSetting(ModuleSettings settings, std::string_view id, double value) {
    withSettings(settings, [&]<class T>(T& known) {
        for (const auto& f : KindOf<T>::fields)
            if (f.info.id == id)
                f.set(known, clampValue(f.info, value));
    });
    return settings;
}

namespace {

/// "17/gain_db" as 17 and "gain_db".
std::optional<std::pair<Id, std::string_view>> splitItem(std::string_view name) {
    const auto slash = name.find('/');
    Id id = kNoId;
    if (slash == std::string_view::npos)
        return std::nullopt;
    const auto [end, error] = std::from_chars(name.data(), name.data() + slash, id);
    if (error != std::errc() || end != name.data() + slash)
        return std::nullopt;
    return std::pair(id, name.substr(slash + 1));
}

/// Calls `visit` with the field of this name and what it is a value of, when it glides.
template <class Settings, class Visit>
void withMoving(Settings& settings, std::string_view name, const Visit& visit) {
    withSettings(settings, [&]<class T>(T& known) {
        using Kind = KindOf<std::remove_const_t<T>>;
        for (const auto& f : Kind::fields)
            if (f.info.id == name && f.info.glides)
                visit(f, known);
        if constexpr (HasItems<std::remove_const_t<T>>)
            if (const auto place = splitItem(name))
                for (auto& item : Kind::items(known))
                    for (const auto& f : Kind::itemFields)
                        if (item.id == place->first && f.info.id == place->second && f.info.glides)
                            visit(f, item);
    });
}

} // namespace

std::optional<MovingValue> movingValue(const ModuleSettings& settings, std::string_view name) {
    std::optional<MovingValue> found;
    withMoving(settings, name, [&](const auto& f, const auto& of) { found = {&f.info, f.get(of)}; });
    return found;
}

ModuleSettings withChange(ModuleSettings settings, const SectionChange& change) {
    for (const auto& entry : change.values)
        withMoving(settings, entry.first, [&](const auto& f, auto& of) { f.set(of, entry.second); });
    return settings;
}

const SectionChange* changeIn(const std::vector<SectionChange>& changes, std::string_view section) {
    const auto it = std::find_if(changes.begin(), changes.end(), [&](const SectionChange& change) {
        return !section.empty() && change.section == section;
    });
    return it == changes.end() ? nullptr : &*it;
}

ModuleSettings settingsIn(const Module& module, std::string_view section) {
    const auto* change = changeIn(module.changes, section);
    return change == nullptr ? module.settings : withChange(module.settings, *change);
}

void renumberItems(Module& module, const std::function<Id()>& newId) {
    std::map<Id, Id> renamed;
    forEachItemId(module.settings, [&](Id& id) { id = renamed[id] = newId(); });
    if (renamed.empty())
        return;
    for (auto& change : module.changes) {
        std::map<std::string, double> values;
        for (const auto& [name, value] : change.values) {
            const auto place = splitItem(name);
            if (!place)
                values[name] = value;
            else if (renamed.contains(place->first))
                values[std::to_string(renamed[place->first]) + "/" + std::string(place->second)] = value;
        }
        change.values = std::move(values);
    }
    for (auto& ride : module.rides)
        if (const auto place = splitItem(ride.value); place && renamed.contains(place->first))
            ride.value = std::to_string(renamed[place->first]) + "/" + std::string(place->second);
    std::map<Id, Extra> extra;
    for (auto& [id, one] : module.bandExtra)
        if (renamed.contains(id))
            extra[renamed[id]] = std::move(one);
    module.bandExtra = std::move(extra);
}

void forgetItem(Module& module, Id item) {
    module.bandExtra.erase(item);
    for (auto& change : module.changes)
        std::erase_if(change.values, [&](const auto& value) {
            const auto place = splitItem(value.first);
            return place && place->first == item;
        });
    std::erase_if(module.changes, [](const SectionChange& change) { return change.values.empty(); });
    std::erase_if(module.rides, [&](const Ride& ride) {
        const auto place = splitItem(ride.value);
        return place && place->first == item;
    });
}

} // namespace cask::session
