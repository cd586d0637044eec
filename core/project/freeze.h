// Elements and buses played from their render while nothing changes that they hang on, to spare the
// processor.
#pragma once

#include <core/base/audio_source.h>
#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <core/session/session.h>
#include <filesystem>
#include <map>
#include <memory>
#include <string>

namespace cask::project {

/// Names the sound of an element or bus after its chain and before its level: by the content of its files,
/// its chain, all that feeds it or that it listens to, sections and tempo. Not by its own level and sends,
/// nor by names. Empty: it can't be frozen (the master, what is not there).
[[nodiscard]] std::string freezeKey(const session::Session& s, session::Id what);

/// The id by which an engine finds the frozen sound: of no file of a session.
[[nodiscard]] session::Id frozenFileId(session::Id what);

/// Where a frozen sound lies. The folder may be deleted.
[[nodiscard]] std::filesystem::path frozenFile(const std::filesystem::path& cacheFolder,
                                               const std::string& key);

/// Renders it there, from the session's start to kFreezeTailS behind its end; one that is there is taken.
/// Without success nothing is left behind.
inline constexpr double kFreezeTailS = 4;
[[nodiscard]] Result<std::filesystem::path> freeze(const session::Session& s, session::Id what,
                                                   const graph::SourceLookup& sources,
                                                   const std::filesystem::path& cacheFolder,
                                                   const CancelToken& cancel = {},
                                                   const ProgressFn& progress = {});

struct FrozenSound {
    std::string key;
    int channels = 1;
    Frames frames = 0;
    friend bool operator==(const FrozenSound&, const FrozenSound&) = default;
};
/// By element or bus.
using FrozenSounds = std::map<session::Id, FrozenSound>;

/// The session in which every one whose key is still right is played from its render: its chain is gone, and
/// so is everything that nothing else needs. The others stay as they are; while something is soloed, all
/// buses do. It sounds as before, to the bit where no chain is latent; else compressors behind it, which step
/// every few frames, begin to count elsewhere (under -85 dB).
[[nodiscard]] session::Session withFrozen(session::Session s, const FrozenSounds& frozen);
/// Those of them that are.
[[nodiscard]] std::vector<session::Id> playedFrozen(const session::Session& s, const FrozenSounds& frozen);

/// What is frozen is remembered beside the cache, not in the session: it changes no sound.
[[nodiscard]] std::vector<session::Id> readFrozen(const std::filesystem::path& cacheFolder);
[[nodiscard]] Status writeFrozen(const std::filesystem::path& cacheFolder,
                                 const std::vector<session::Id>& frozen);

} // namespace cask::project
