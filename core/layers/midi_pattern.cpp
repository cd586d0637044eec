#include "core/layers/midi_pattern.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <optional>

namespace cask::layers {
namespace {

constexpr double kMostBeats = 100000; // a day at 70 bpm
constexpr unsigned kTempo = 0x51;
constexpr unsigned kMetre = 0x58;
constexpr unsigned kEndOfTrack = 0x2F;

/// Bytes from front to back; past their end everything is 0 and `isWhole` false. Read by ourselves: the
/// library that writes MIDI files here reads over the ends of damaged ones.
struct ByteReader {
    std::span<const unsigned char> bytes;
    bool isWhole = true;

    [[nodiscard]] bool isAtEnd() const { return bytes.empty(); }
    unsigned next() {
        if (bytes.empty()) {
            isWhole = false;
            return 0;
        }
        const unsigned byte = bytes.front();
        bytes = bytes.subspan(1);
        return byte;
    }
    unsigned number(int count) {
        unsigned value = 0;
        for (int i = 0; i < count; ++i)
            value = value << 8U | next();
        return value;
    }
    /// Seven bits a byte, at most four bytes.
    unsigned variable() {
        unsigned value = 0;
        for (int i = 0; i < 4; ++i) {
            const unsigned byte = next();
            value = value << 7U | (byte & 0x7FU);
            if ((byte & 0x80U) == 0)
                return value;
        }
        isWhole = false;
        return value;
    }
    std::span<const unsigned char> take(std::size_t count) {
        isWhole = isWhole && count <= bytes.size();
        const auto some = bytes.first(std::min(count, bytes.size()));
        bytes = bytes.subspan(some.size());
        return some;
    }
};

Error broken(const std::string& name, const char* why) {
    return {ErrorCode::BadFormat, fmt::format("{} {}; nothing was read.", name, why)};
}

void addMeta(unsigned type, std::span<const unsigned char> data, double beat, Pattern& pattern) {
    if (type == kTempo && data.size() >= 3) {
        const int micros = data[0] << 16 | data[1] << 8 | data[2];
        if (micros > 0)
            pattern.tempi.push_back({beat, 0, 60e6 / micros});
    }
    if (type == kMetre && data.size() >= 2 && data[0] > 0 && data[1] <= 6)
        pattern.metres.push_back({beat, data[0], 1 << data[1]});
}

/// Events of a track; false where it is damaged.
bool readTrack(ByteReader track, double ticksInBeat, Pattern& pattern, double& lastBeat) {
    double ticks = 0;
    unsigned status = 0;
    while (!track.isAtEnd()) {
        ticks += track.variable();
        const double beat = ticks / ticksInBeat;
        unsigned first = track.next();
        if (!track.isWhole)
            return false;
        if (beat > kMostBeats)
            return true; // nobody plays that long
        if (first == 0xFF) {
            const unsigned type = track.next();
            const auto data = track.take(track.variable());
            if (!track.isWhole)
                return false;
            addMeta(type, data, beat, pattern);
            if (type == kEndOfTrack)
                return true;
            continue;
        }
        if (first == 0xF0 || first == 0xF7) { // of the maker of an instrument
            (void)track.take(track.variable());
            if (!track.isWhole)
                return false;
            continue;
        }
        if (first >= 0xF0)
            return false; // nothing else of the system stands in a file
        if (first >= 0x80) {
            status = first;
            first = track.next();
        }
        const bool hasTwo = (status & 0xF0U) != 0xC0 && (status & 0xF0U) != 0xD0;
        const unsigned second = hasTwo ? track.next() : 0;
        if (!track.isWhole || status == 0 || first >= 0x80 || second >= 0x80)
            return false;
        lastBeat = std::max(lastBeat, beat);
        if ((status & 0xF0U) == 0x90 && second > 0)
            pattern.strokes.push_back({0, beat, static_cast<int>(first), static_cast<int>(second),
                                       static_cast<int>(status & 0x0FU)});
    }
    return true;
}

/// In time, one at each place (the last one that was written), the first at 0.
template <class Change> void settle(std::vector<Change>& changes) {
    std::stable_sort(changes.begin(), changes.end(),
                     [](const auto& a, const auto& b) { return a.beat < b.beat; });
    std::vector<Change> kept;
    for (const auto& change : changes) {
        if (!kept.empty() && kept.back().beat == change.beat)
            kept.pop_back();
        kept.push_back(change);
    }
    if (kept.empty() || kept.front().beat > 0)
        kept.insert(kept.begin(), Change{});
    changes = std::move(kept);
}

} // namespace

std::vector<double> Pattern::barLines() const {
    std::vector<double> lines;
    double at = 0;
    for (std::size_t i = 0; i < metres.size(); ++i) {
        // A bar that a change cuts short ends there.
        const double until = i + 1 < metres.size() ? metres[i + 1].beat : lengthBeats;
        for (at = metres[i].beat; at < until - 1e-9; at += metres[i].barBeats())
            lines.push_back(at);
    }
    lines.push_back(std::max(at, lengthBeats));
    return lines;
}

double Pattern::timeOf(double beat) const {
    const auto after = std::upper_bound(tempi.begin(), tempi.end(), beat,
                                        [](double b, const auto& t) { return b < t.beat; });
    const auto& tempo = after == tempi.begin() ? tempi.front() : *std::prev(after);
    return tempo.timeS + (beat - tempo.beat) * 60 / tempo.bpm;
}

Result<Pattern> midiPattern(std::span<const unsigned char> bytes, const std::string& name) {
    if (bytes.size() > kLargestMidiBytes)
        return broken(name, "is larger than 16 MB, too large for a pattern");
    constexpr unsigned kHeader = 0x4D546864; // "MThd"
    constexpr unsigned kTrack = 0x4D54726B;  // "MTrk"
    ByteReader file{bytes};
    if (file.number(4) != kHeader)
        return broken(name, "is no MIDI file");
    ByteReader header{file.take(file.number(4))};
    const unsigned format = header.number(2);
    (void)header.number(2); // how many tracks it says it has
    const unsigned division = header.number(2);
    if (!file.isWhole || !header.isWhole)
        return broken(name, "is a damaged MIDI file");
    if (format > 1)
        return broken(name, "is of a format other than 0 and 1");
    if ((division & 0x8000U) != 0)
        return broken(name, "counts time in frames of film, which is not understood");
    if (division == 0)
        return broken(name, "has a beat of no length");
    Pattern pattern;
    double lastBeat = 0;
    while (!file.isAtEnd()) {
        const unsigned kind = file.number(4);
        const auto chunk = file.take(file.number(4));
        if (!file.isWhole || (kind == kTrack && !readTrack({chunk}, division, pattern, lastBeat)))
            return broken(name, "is a damaged MIDI file");
    }
    settle(pattern.tempi);
    settle(pattern.metres);
    for (std::size_t i = 1; i < pattern.tempi.size(); ++i) {
        const auto& before = pattern.tempi[i - 1];
        pattern.tempi[i].timeS = before.timeS + (pattern.tempi[i].beat - before.beat) * 60 / before.bpm;
    }
    // To the end of the bar in which the last thing happens, a note on its line as well.
    const auto& metre = pattern.metres.back();
    const double inLast = std::max(0.0, lastBeat - metre.beat) / metre.barBeats();
    const bool strikesOnLine = !pattern.strokes.empty() && pattern.strokes.back().beat >= lastBeat - 1e-9;
    const double bars =
        std::max(1.0, strikesOnLine ? std::floor(inLast + 1e-9) + 1 : std::ceil(inLast - 1e-9));
    pattern.lengthBeats = metre.beat + bars * metre.barBeats();
    for (auto& stroke : pattern.strokes)
        stroke.timeS = pattern.timeOf(stroke.beat);
    std::stable_sort(pattern.strokes.begin(), pattern.strokes.end(),
                     [](const auto& a, const auto& b) { return a.beat < b.beat; });
    return pattern;
}

Result<Pattern> readMidiPattern(const std::filesystem::path& file) {
    std::error_code failure;
    const auto size = std::filesystem::file_size(file, failure);
    std::ifstream in(file, std::ios::binary);
    if (failure || !in)
        return Error{ErrorCode::NotReadable, fmt::format("{} can't be read; is it there?", file.string())};
    std::vector<unsigned char> bytes(std::min<std::size_t>(size, kLargestMidiBytes + 1));
    in.read(reinterpret_cast<char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
    bytes.resize(static_cast<std::size_t>(in.gcount()));
    return midiPattern(bytes, file.string());
}

} // namespace cask::layers
