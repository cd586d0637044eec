#include "engine/live/midi_ports.h"

#include <RtMidi.h>
#include <utility>

namespace cask::engine {
namespace {

constexpr const char* kClient = "Ember Cask";

class MidiInput final : public StrokeInput {
  public:
    explicit MidiInput(StrokeSink sink) : m_sink(std::move(sink)), m_in(RtMidi::UNSPECIFIED, kClient) {
        m_in.setCallback(&MidiInput::take, this);
        m_in.ignoreTypes(true, true, true);
    }
    bool open(const std::string& name) {
        for (unsigned port = 0; port < m_in.getPortCount(); ++port)
            if (m_in.getPortName(port) == name) {
                m_in.openPort(port, "Strokes");
                return m_in.isPortOpen();
            }
        return false;
    }

  private:
    static void take(double, std::vector<unsigned char>* message, void* self) {
        if (message == nullptr)
            return;
        if (auto stroke = strokeOf(*message)) {
            stroke->at = std::chrono::steady_clock::now();
            static_cast<MidiInput*>(self)->m_sink(*stroke);
        }
    }
    StrokeSink m_sink;
    RtMidiIn m_in; // last: its thread ends before the sink goes
};

} // namespace

std::optional<LiveStroke> strokeOf(std::span<const unsigned char> message) {
    constexpr unsigned kNoteOn = 0x90;
    if (message.size() < 3 || (message[0] & 0xF0U) != kNoteOn || message[1] > 127 || message[2] > 127 ||
        message[2] == 0)
        return std::nullopt;
    return LiveStroke{message[1], message[2], {}};
}

std::vector<std::string> midiInputs() {
    std::vector<std::string> names;
    try {
        RtMidiIn in(RtMidi::UNSPECIFIED, kClient);
        in.setErrorCallback([](RtMidiError::Type, const std::string&, void*) {}, nullptr);
        for (unsigned port = 0; port < in.getPortCount(); ++port)
            names.push_back(in.getPortName(port));
    } catch (const RtMidiError&) { // a machine without MIDI has no inputs
        names.clear();
    }
    return names;
}

Result<std::unique_ptr<StrokeInput>> openMidiInput(const std::string& name, StrokeSink sink) {
    try {
        auto input = std::make_unique<MidiInput>(std::move(sink));
        if (input->open(name))
            return std::unique_ptr<StrokeInput>(std::move(input));
        return Error{ErrorCode::NotFound, name + " is not there; nothing is played by hand."};
    } catch (const RtMidiError& error) {
        return Error{ErrorCode::NotReadable,
                     name + " can't be opened: " + error.getMessage() + ". Nothing is played by hand."};
    }
}

} // namespace cask::engine
