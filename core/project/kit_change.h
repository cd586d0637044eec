// Another kit for a pattern that is played already: as loud as the one before, and what no longer fits it.
#pragma once

#include <core/base/audio_source.h>
#include <core/project/programmed_kit.h>
#include <memory>

namespace cask::project {

/// A value of a chain that was set for another sound.
struct Misfit {
    session::Id element = session::kNoId;
    session::Id module = session::kNoId;
    session::Id item = session::kNoId; ///< a band of an equaliser
    std::string value;                 ///< open_db, threshold_db, frequency_hz
    double now = 0;
    double would = 0;   ///< fits the new sound as this one fitted the old one
    std::string reason; ///< a sentence
};

/// An element with the sounds of another kit.
struct ChangedElement {
    session::Id element = session::kNoId;
    layers::Stack stack;
    std::shared_ptr<AudioSource> source;
    double gainDb = 0; ///< of the new sounds, so that the element is as loud as before; within `stack`
};

struct KitChange {
    std::vector<ChangedElement> elements;
    std::vector<session::Id> silent; ///< microphones that the new kit has not: they are muted
    std::vector<Misfit> misfits;
    std::vector<std::string> notes; ///< what the new kit has no sound for, a sentence each
};

/// Of all elements that play the pattern of one. Layers that were added to a drum stay. A drum that the kit
/// has no sound for stays as it is. Loudness is the energy of the first kTrialMeasuredS seconds as BS.1770
/// weighs it. Errors: no played element, what can't be read.
[[nodiscard]] Result<KitChange> planKitChange(const session::Session& s,
                                              const std::filesystem::path& sessionFolder, session::Id element,
                                              const KitSounds& kit, const CancelToken& cancel = {},
                                              const ProgressFn& progress = {});

/// The session in which it is heard. The sound of an element is found under triedFileId().
[[nodiscard]] session::Session withTriedKit(session::Session s, const KitChange& change);
[[nodiscard]] session::Id triedFileId(session::Id element);

/// Writes the stacks, and gives the session that plays them. `fits` also sets every misfit to what would fit.
[[nodiscard]] Result<std::vector<ChangedStack>> writeKitChange(const session::Session& s,
                                                               const std::filesystem::path& sessionFolder,
                                                               const KitChange& change,
                                                               const CancelToken& cancel = {});
[[nodiscard]] session::Session withKitChange(session::Session s, const KitChange& change,
                                             const std::vector<ChangedStack>& written, bool fits);

} // namespace cask::project
