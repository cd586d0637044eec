// Devices that are played: MIDI inputs of this machine.
#pragma once

#include <core/base/result.h>
#include <engine/live/live_voices.h>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace cask::engine {

/// Takes strokes as they come, on the device's own thread.
using StrokeSink = std::function<void(const LiveStroke&)>;

/// Something that plays strokes while it exists.
class StrokeInput {
  public:
    StrokeInput() = default;
    StrokeInput(const StrokeInput&) = delete;
    StrokeInput& operator=(const StrokeInput&) = delete;
    virtual ~StrokeInput() = default;
};

/// Names of the inputs; none where the machine has no MIDI.
[[nodiscard]] std::vector<std::string> midiInputs();
/// Opens one by its name. An error where it is not there, or can't be opened.
[[nodiscard]] Result<std::unique_ptr<StrokeInput>> openMidiInput(const std::string& name, StrokeSink sink);

/// A stroke of a message, whatever its channel; nothing of what is no note that begins.
[[nodiscard]] std::optional<LiveStroke> strokeOf(std::span<const unsigned char> message);

} // namespace cask::engine
