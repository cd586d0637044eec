// Rows of a parameter table, made from members of a settings struct.
#pragma once

#include <array>
#include <cmath>
#include <core/session/parameters.h>
#include <span>
#include <type_traits>
#include <utility>

namespace cask::session {

template <class T, class V> T ownerOf(V T::*); // never defined: for its type

/// A row whose value is a member of the settings.
template <auto Member> constexpr auto row(const ParameterInfo& info) {
    using T = decltype(ownerOf(Member));
    using V = std::remove_cvref_t<decltype(std::declval<T>().*Member)>;
    return Field<T>{info, [](const T& s) { return static_cast<double>(s.*Member); },
                    [](T& s, double v) {
                        if constexpr (std::is_same_v<V, bool>)
                            s.*Member = v > 0.5;
                        else if constexpr (std::is_enum_v<V>)
                            s.*Member = static_cast<V>(std::lround(v));
                        else
                            s.*Member = v;
                    }};
}

struct Range {
    double least;
    double most;
    double standard;
};

template <auto Member>
constexpr auto number(std::string_view id, std::string_view words, Unit unit, Range range, double step,
                      std::string_view help, Scale scale = Scale::Linear) {
    return row<Member>({id,
                        words,
                        ParameterKind::Number,
                        unit,
                        range.least,
                        range.most,
                        range.standard,
                        scale,
                        step,
                        {},
                        help});
}

template <auto Member>
constexpr auto onOff(std::string_view id, std::string_view words, std::string_view help,
                     double standard = 0) {
    return row<Member>(
        {id, words, ParameterKind::Switch, Unit::None, 0, 1, standard, Scale::Linear, 1, {}, help});
}

template <auto Member, std::size_t N>
constexpr auto choice(std::string_view id, std::string_view words,
                      const std::array<std::string_view, N>& stored,
                      const std::array<std::string_view, N>& read, std::string_view help,
                      std::span<const std::string_view> olderWords = {}) {
    return row<Member>({id, words, ParameterKind::Choice, Unit::None, 0, static_cast<double>(N - 1), 0,
                        Scale::Linear, 1, stored, help, read, olderWords});
}

/// A row of which another than the first choice is the standard one.
template <class T> constexpr Field<T> withStandard(int index, Field<T> field) {
    field.info.standard = index;
    return field;
}

/// A row whose value glides to a new one.
template <class T> constexpr Field<T> gliding(Field<T> field) {
    field.info.glides = true;
    return field;
}

/// A row whose greatest value is read in words.
template <class T> constexpr Field<T> withMostAs(std::string_view words, Field<T> field) {
    field.info.mostWords = words;
    return field;
}

} // namespace cask::session
