// An element or bus rendered to a file, and the file as an element of the session.
#pragma once

#include <core/base/new_file.h>
#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <core/session/intake.h>
#include <filesystem>
#include <string>

namespace cask::project {

/// What is rendered, and the stretch of it, frames of the session; 0 frames: to its end.
struct BouncePart {
    session::Id what = session::kNoId;
    Frames from = 0;
    Frames frames = 0;
};

/// Writes what an element or bus gives its bus, stereo after level and pan, as a file of 32-bit floats: heard
/// or not, whatever else is soloed. Errors: the master (that is an export), what is not there, what can't be
/// written. Without success nothing is left behind.
[[nodiscard]] Result<session::IntakeFile>
bounce(const session::Session& session, const graph::SourceLookup& sources, const BouncePart& part,
       const std::filesystem::path& file, const WriteRules& rules = {IfExists::Refuse, nullptr},
       const CancelToken& cancel = {}, const ProgressFn& progress = {});

/// A name in a folder that no file has yet: "Snare Top bounced.wav", "Snare Top bounced 2.wav".
[[nodiscard]] std::filesystem::path freeBounceName(const std::filesystem::path& folder,
                                                   std::string_view ofName);

/// Whether the sum stays the same when this one is muted and its file heard instead; the error says why not.
[[nodiscard]] Status canBeReplaced(const session::Session& s, session::Id what);

/// The file as an element beside what it was made of: at its place in time, at 0 dB into the same bus. With
/// `replaces` the other one is muted, so that the sum stays what it was (its sends are heard no more).
[[nodiscard]] session::WithMade withBounced(session::Session s, const session::IntakeFile& file,
                                            const BouncePart& part, const std::string& name, bool replaces);

} // namespace cask::project
