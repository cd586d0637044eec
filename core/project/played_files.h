// Stacks as files of a session: struck into the cache, like what must be converted.
#pragma once

#include <core/base/file_identity.h>
#include <core/kit_measures/hit_analysis.h>
#include <core/layers/layer.h>
#include <core/media/source_cache.h>
#include <core/project/source_check.h>
#include <core/session/intake.h>
#include <filesystem>
#include <string>

namespace cask::project {

/// The sound of a stack at a rate, 32-bit floats in `cacheFolder`, named by all that it plays. One that is
/// there is taken.
[[nodiscard]] Result<media::PreparedSource> playStack(const CheckedSource& stack, double rateHz,
                                                      const std::filesystem::path& cacheFolder,
                                                      const CancelToken& cancel = {},
                                                      const ProgressFn& progress = {});

/// What came of writing a stack.
struct WrittenStack {
    session::IntakeFile file;
    std::vector<std::string> notes; ///< of its kits, a sentence each
};
/// Plays a stack once to know that it can be, and writes it into the session's folder of layers, under a name
/// that no file there has yet.
[[nodiscard]] Result<WrittenStack> writeStack(const layers::Stack& stack, double rateHz,
                                              const std::filesystem::path& sessionFolder,
                                              const std::string& name, const CancelToken& cancel = {});

/// A file of a session that is another stack now.
struct ChangedStack {
    session::Id file = session::kNoId;
    WrittenStack written;
};
/// Writes a stack that was edited, and every other one of its pattern whose strikes follow: the edited one is
/// first. `name` is its element's.
[[nodiscard]] Result<std::vector<ChangedStack>> writeEdited(const session::Session& s,
                                                            const std::filesystem::path& sessionFolder,
                                                            session::Id file, const layers::Stack& edited,
                                                            const CancelToken& cancel = {});
[[nodiscard]] session::Session withChangedStacks(session::Session s, const std::vector<ChangedStack>& stacks);

/// What nothing may be written over: the files of a session, and all that its stacks play.
[[nodiscard]] ProtectedFiles protectedFiles(const session::Session& s,
                                            const std::filesystem::path& sessionFolder);

/// The hits of a stack: its strikes, where a layer that is on plays by its rule, each where the layer that is
/// least early or late has it. Their classes are given where the strikes tell some apart.
[[nodiscard]] std::vector<measure::GivenHit> givenHits(const layers::Stack& stack);

/// The own hits of an element as strikes: the loudest at full velocity, the others as much softer as they
/// were.
[[nodiscard]] std::vector<layers::Strike> strikesOf(const session::Session& s,
                                                    const kit::HitAnalysis& analysis, session::Id element);

/// The session with a file that is another stack now; elements that play it have as many channels as it.
[[nodiscard]] session::Session withStackFile(session::Session s, session::Id file,
                                             const session::IntakeFile& stack);

} // namespace cask::project
