// One table of all parameters: it serves display, typing, JSON, the command line and the documentation.
#pragma once

#include <core/base/result.h>
#include <core/session/session.h>
#include <span>
#include <string>
#include <string_view>

namespace cask::session {

/// DecibelSpan: a width or a distance, which has no sign.
enum class Unit {
    None,
    Ratio,
    Decibel,
    DecibelSpan,
    Hertz,
    Milliseconds,
    Percent,
    Q,
    DecibelPerOctave,
    Pan,
    Cents
};
enum class Scale { Linear, Logarithmic };
enum class ParameterKind { Number, Switch, Choice };

struct ParameterInfo {
    std::string_view id;    ///< stored: do not change
    std::string_view words; ///< as people read it
    ParameterKind kind = ParameterKind::Number;
    Unit unit = Unit::None;
    double least = 0;
    double most = 1;
    double standard = 0;
    Scale scale = Scale::Linear;
    double step = 1; ///< of an arrow key; on a logarithmic scale a factor minus one
    std::span<const std::string_view> choices = {};     ///< stored names of a choice
    std::string_view help = {};                         ///< one sentence for the manual and tool tips
    std::span<const std::string_view> choiceWords = {}; ///< the choices as people read them
    /// What the choices were called before: may be typed for ever.
    std::span<const std::string_view> olderWords = {};
    /// A change is heard as a glide, not as another sound faded in; so it may also be other in a section.
    bool glides = false;
    /// How the greatest value is read; may be typed. Empty: as any other.
    std::string_view mostWords = {};
};

/// A parameter of a settings struct. Switches and choices are numbers here: 0/1, or the index of the choice.
template <class T> struct Field {
    ParameterInfo info;
    double (*get)(const T&);
    void (*set)(T&, double);
};

[[nodiscard]] std::span<const Field<InputSettings>> inputFields();
[[nodiscard]] std::span<const Field<Output>> outputFields();
[[nodiscard]] std::span<const Field<Send>> sendFields();
/// Of a parallel path, besides its output and chain.
[[nodiscard]] std::span<const Field<ParallelPath>> pathFields();

/// The field with this id. REQUIRES: it exists.
template <class T>
[[nodiscard]] const Field<T>& field(std::span<const Field<T>> fields, std::string_view id) {
    for (const auto& f : fields)
        if (f.info.id == id)
            return f;
    std::abort();
}

/// Into the range; a switch to 0 or 1, a choice to a whole index. Not-a-number becomes the standard value.
[[nodiscard]] double clampValue(const ParameterInfo& info, double value);
/// "350 Hz", "1.20 kHz", "-4.0 dB", "L 30", "on", "high-pass".
[[nodiscard]] std::string formatValue(const ParameterInfo& info, double value);
/// Reads what a person types: "1.2k", "350 Hz", "-4dB", "3 ms", "0.2 s", "R 20", "centre", "on"; a frequency
/// also as a note ("A1", "F#2", "Bb2"; A4 is 440 Hz). Out of range is an error that names the range.
[[nodiscard]] Result<double> parseValue(const ParameterInfo& info, std::string_view text);
/// 0 to 1 along the parameter's scale, and back.
[[nodiscard]] double toShare(const ParameterInfo& info, double value);
[[nodiscard]] double fromShare(const ParameterInfo& info, double share);
/// One arrow key up or down.
[[nodiscard]] double nudged(const ParameterInfo& info, double value, double steps);
/// Bands with a gain, a width, a slope: which of an equaliser band's fields mean something.
[[nodiscard]] bool appliesTo(std::string_view eqFieldId, dsp::FilterKind kind);
[[nodiscard]] std::string_view filterKindWords(dsp::FilterKind kind);

} // namespace cask::session
