// Files become elements: roles guessed, pairs joined, time stamps honoured, buses assigned.
#pragma once

#include <core/session/session.h>
#include <optional>
#include <string>
#include <vector>

namespace cask::session {

/// SourceFile::format of what is played by layers.
inline constexpr const char* kStackFormat = "stack";

/// What is known of a file when it is taken in.
struct IntakeFile {
    std::string path;
    std::string name; ///< without folder
    Frames frames = 0;
    int channels = 1;
    double sampleRateHz = 0;
    std::string format;
    std::optional<Frames> timeReference;
    std::string contentHash = {};
};

/// The rate that most of the files have; 48000 when there is none.
[[nodiscard]] double commonRate(const std::vector<IntakeFile>& files);

/// Mono and stereo files give one element each, files with more channels one per channel. "... L" and "... R"
/// of the same length become a pair. With time stamps in all files the earliest starts at 0 and the rest as
/// far behind it as their stamps say.
[[nodiscard]] Session withFiles(Session s, const std::vector<IntakeFile>& files);

/// What an element that the program made itself is.
struct MadeElement {
    std::string name; ///< where it is taken, that of the file stays
    Role role = Role::Unknown;
    Id bus = kNoId;
    Frames startFrame = 0;
};
struct WithMade {
    Session session;
    Id element = kNoId;
};
/// A file of one or two channels as one element at 0 dB.
[[nodiscard]] WithMade withMadeElement(Session s, const IntakeFile& file, const MadeElement& made);

} // namespace cask::session
