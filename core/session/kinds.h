// What people and files know of each kind of module, and how to do something for every kind.
#pragma once

#include <core/session/kinds/body.h>
#include <core/session/kinds/clipper.h>
#include <core/session/kinds/compressor.h>
#include <core/session/kinds/crush.h>
#include <core/session/kinds/eq.h>
#include <core/session/kinds/gate.h>
#include <core/session/kinds/limiter.h>
#include <core/session/kinds/low_end.h>
#include <core/session/kinds/pump.h>
#include <core/session/kinds/saturation.h>
#include <core/session/kinds/transient.h>
#ifdef CASK_EXAMPLE_KIND
#include CASK_EXAMPLE_KIND
#endif
#include <core/session/session.h>
#include <functional>
#include <optional>
#include <utility>

namespace cask::session {

/// The values of a kind of module.
template <class T> [[nodiscard]] constexpr std::span<const Field<T>> fieldsOf() {
    return KindOf<T>::fields;
}

/// An item of a kind that has a list of them, and its values.
template <class T> using ItemOf = std::remove_cvref_t<decltype(KindOf<T>::items(std::declval<T&>()).front())>;
template <class T> [[nodiscard]] constexpr std::span<const Field<ItemOf<T>>> itemFieldsOf() {
    return KindOf<T>::itemFields;
}

/// Calls `visit` with std::type_identity<Settings> for every kind, in the order of the list.
template <class Visit> void forEachKind(Visit&& visit) {
    [&]<class... T>(TypeList<T...>) { (visit(std::type_identity<T>{}), ...); }(Kinds{});
}

/// Whether this is a kind's stored name, or was once.
template <class T> [[nodiscard]] constexpr bool isStoredAs(std::string_view id) {
    if constexpr (requires { KindOf<T>::olderId; })
        if (id == KindOf<T>::olderId)
            return true;
    return id == KindOf<T>::id;
}

/// Calls `visit` with std::type_identity<Settings> for the kind with this stored name. False: there is none.
template <class Visit> bool withKind(std::string_view id, Visit&& visit) {
    bool isFound = false;
    forEachKind([&]<class T>(std::type_identity<T> kind) {
        if (!isFound && isStoredAs<T>(id)) {
            isFound = true;
            visit(kind);
        }
    });
    return isFound;
}

/// Calls `visit` with the settings of a module that is understood; else nothing happens.
template <class Settings, class Visit> void withSettings(Settings& settings, Visit&& visit) {
    std::visit(
        [&]<class T>(T& known) {
            if constexpr (!std::is_same_v<std::remove_const_t<T>, UnknownModule>)
                visit(known);
        },
        settings);
}

/// Stored name of a module's kind; of one that is not understood the name that it was written with.
[[nodiscard]] std::string_view kindId(const ModuleSettings& settings);
/// As people read it in its chain: "gate", "repair", "limiter 2". Of one that is not understood its stored
/// name.
[[nodiscard]] std::string wordsOf(const Module& module);
/// What a small cell tells of a module: what its description says of it, else its first number ("6.0 dB").
[[nodiscard]] std::string cellText(const ModuleSettings& settings);
/// Step of the job whose bench shows it; nothing when it is not understood.
[[nodiscard]] std::optional<Stage> stageOf(const ModuleSettings& settings);
/// Standard settings of every kind of a step of the job.
[[nodiscard]] std::vector<ModuleSettings> kindsOf(Stage stage);
/// Where a module of this kind and ordinal goes when it is added.
[[nodiscard]] ChainPlace placeOf(const ModuleSettings& settings, int ordinal);
/// Where a kind's detectors listen to an element unless somebody says otherwise.
template <class T> [[nodiscard]] constexpr KeyTap standardKeyTap() {
    if constexpr (requires { KindOf<T>::keyTap; })
        return KindOf<T>::keyTap;
    return KeyTap::Source;
}
[[nodiscard]] KeyTap standardKeyTap(const ModuleSettings& settings);
/// "key_tap": how it is stored, typed and read.
[[nodiscard]] const ParameterInfo& keyTapInfo();
/// "glide_ms" of a section's change.
[[nodiscard]] const ParameterInfo& glideInfo();
/// As a path names it: "gate", "eq#2".
[[nodiscard]] std::string pathNameOf(const Module& module);
/// Lowest ordinal that no module of this kind has yet in the chain.
[[nodiscard]] int freeOrdinal(const std::vector<Module>& chain, std::string_view kind);
/// Gives an ordinal to every module that has none or shares one, by its rank.
void giveOrdinals(std::vector<Module>& chain);

/// The values of a module that are not those of its items.
[[nodiscard]] std::vector<const ParameterInfo*> parametersOf(const ModuleSettings& settings);
/// Nothing when it has none of that id.
[[nodiscard]] std::optional<double> valueOf(const ModuleSettings& settings, std::string_view id);
/// The settings with another value, brought into its range; the same when there is none of that id.
[[nodiscard]] ModuleSettings withSetting(ModuleSettings settings, std::string_view id, double value);

/// A value of a module that can be other in a section, by the name under which SectionChange keeps it: a
/// field's id, or an item's id and the field's ("17/gain_db").
struct MovingValue {
    const ParameterInfo* info = nullptr;
    double value = 0;
};
/// Nothing when the module has no such value, or one that does not glide.
[[nodiscard]] std::optional<MovingValue> movingValue(const ModuleSettings& settings, std::string_view name);
/// The settings that hold while a section changes some of them.
[[nodiscard]] ModuleSettings withChange(ModuleSettings settings, const SectionChange& change);

/// What a module keeps for a section; null when it keeps nothing, or the name is empty.
[[nodiscard]] const SectionChange* changeIn(const std::vector<SectionChange>& changes,
                                            std::string_view section);
/// A module's settings while a section lasts; with an empty name, where none does.
[[nodiscard]] ModuleSettings settingsIn(const Module& module, std::string_view section);

/// Gives new ids to a module's items, also where its section changes name them.
void renumberItems(Module& module, const std::function<Id()>& newId);
/// Takes out what a module keeps beside an item that is gone.
void forgetItem(Module& module, Id item);

/// Visits every id of items inside the settings: bands of an equaliser.
template <class Settings, class Visit> void forEachItemId(Settings& settings, Visit&& visit) {
    withSettings(settings, [&]<class T>(T& known) {
        if constexpr (HasItems<std::remove_const_t<T>>)
            for (auto& item : KindOf<std::remove_const_t<T>>::items(known))
                visit(item.id);
    });
}

} // namespace cask::session
