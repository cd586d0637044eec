// A sound that is heard in a session before it is taken into it.
#pragma once

#include <core/base/audio_source.h>
#include <core/base/progress.h>
#include <core/base/result.h>
#include <core/layers/layer.h>
#include <core/project/source_energy.h>
#include <core/session/session.h>
#include <filesystem>
#include <functional>
#include <memory>
#include <vector>

namespace cask::project {

/// By itself; struck by an element's strikes instead of its own sound; struck beside that.
enum class TrialPlace { Alone, Instead, With };

struct TrialQuestion {
    std::filesystem::path sound; ///< a one-shot, or an SFZ kit
    TrialPlace place = TrialPlace::Alone;
    session::Id element = session::kNoId; ///< not asked for Alone
    /// That strike it; of an element that plays a stack, its own do.
    std::vector<layers::Strike> strikes = {};
    double atS = 0; ///< of the session, where it is heard alone
};

struct SoundTrial {
    /// The session in which it is heard; of any session with the same elements.
    std::function<session::Session(session::Session)> change;
    /// What the file that `change` adds sounds like, and its id. Reading it takes no file and no lock.
    std::shared_ptr<AudioSource> source;
    session::Id file = session::kNoId;
    double soundDb = 0;   ///< that make the sound as loud as what it is compared with
    double elementDb = 0; ///< of the element, so that both together are as loud as it was alone
    double toS = 0;       ///< of one alone: where it has ended
};

/// Loudness is the energy of the first kMeasuredS seconds as BS.1770 weighs it: of the element's own sound;
/// alone, kAloneDb under that of 1 s at full scale, and never over full scale. Errors: a sound that can't be
/// read, an element without strikes.
inline constexpr double kTrialAloneDb = -24;
[[nodiscard]] Result<SoundTrial> trySound(const session::Session& s,
                                          const std::filesystem::path& sessionFolder,
                                          const TrialQuestion& question, const CancelToken& cancel = {});

} // namespace cask::project
