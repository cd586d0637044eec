// The few moves that do most in minutes, one value each.
#pragma once

#include <array>
#include <core/base/stage.h>
#include <core/session/parameters.h>
#include <core/session/session.h>
#include <optional>
#include <string_view>

namespace cask::session {

enum class QuickMove { Level, Pan, HighPass, Attack, Sustain, Pump, Width };
inline constexpr std::array kQuickMoves = {QuickMove::Level,  QuickMove::Pan,     QuickMove::HighPass,
                                           QuickMove::Attack, QuickMove::Sustain, QuickMove::Pump,
                                           QuickMove::Width};
/// A high-pass at or under this is none.
inline constexpr double kNoHighPassHz = 10;

/// Ducked under another element or bus by up to so much: by a compressor that listens to it. 0 takes that
/// out.
[[nodiscard]] Session withDuck(Session s, Id element, Id key, double rangeDb);

/// How it is read and typed, with its range.
[[nodiscard]] const ParameterInfo& quickInfo(QuickMove move);
/// What plays with the kit (bass, music, voice) does not pump on the grid: its pump is to duck under the
/// kick, by a compressor that listens to it and takes so much at the most. The kick's microphone; none where
/// the move is a pump.
[[nodiscard]] Id duckKeyOf(const Session& s, Id element);
/// The value that an element has; of what it does not have yet the one that does nothing. Nothing where the
/// move makes no sense: width of a mono element.
[[nodiscard]] std::optional<double> quickValue(const Session& s, Id element, QuickMove move);
/// The session with that value. Modules are made where they are needed: a high-pass in the first equaliser, a
/// transient shaper, a pump or a keyed compressor; a value that does nothing takes such a one out again when
/// it is all that it does.
[[nodiscard]] Session withQuickMove(Session s, Id element, QuickMove move, double value);
/// The session as if the move had never been made on the element: what it does is measured against that.
[[nodiscard]] Session withoutQuickMove(Session s, Id element, QuickMove move);
/// Stage whose bench has all of it.
[[nodiscard]] Stage benchOf(QuickMove move);

} // namespace cask::session
