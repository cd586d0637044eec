// A starting balance of a whole kit from what was measured of its hits: levels and pans, each with its
// reason.
#pragma once

#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <core/base/progress.h>
#include <core/graph/plan.h>
#include <set>

namespace cask::kit {

/// From where a kit is heard: hats are on the drummer's left and on the audience's right.
enum class KitView { AsRecorded, Audience, Drummer };

/// What changes of one element.
struct BalanceStep {
    enum class What { Level, Pan };
    What what = What::Level;
    session::Id element = session::kNoId;
    double before = 0; ///< dB; of pans -1 to 1
    double after = 0;
    std::string reason; ///< a sentence
};

/// How loud a drum is by its own hits in the sum of all microphones, LUFS over 400 ms.
struct DrumLoudness {
    session::Id element = session::kNoId; ///< its first microphone; none where only others hear it
    std::string name;
    int strokes = 0;
    double targetLufs = kSilenceDb;
    double beforeLufs = kSilenceDb;
    double afterLufs = kSilenceDb;
    bool isLed = false;  ///< its own microphones are louder than all others of it
    bool isHeld = false; ///< these would bring up other drums too much
};

struct RoughBalance {
    std::vector<BalanceStep> steps; ///< of elements in their order
    std::vector<DrumLoudness> drums;
    Headroom before;
    Headroom after;
    KitView heard = KitView::AsRecorded; ///< what the overheads tell; AsRecorded: nothing sure
    bool turns = false;                  ///< the kit is turned round first
    std::vector<std::string> notes;      ///< what could not be done as wished, sentences
};

/// Listens to the whole take. The kit comes to the style's headroom target by true peak; no rung passes its
/// own where levels can help it. Muted elements stay as they are. Errors: cancelled, no element of a kit that
/// sounds.
[[nodiscard]] Result<RoughBalance>
roughBalance(const session::Session& session, const advise::HitAnalysis& hits,
             const graph::SourceLookup& sources, const advise::HouseStyle& style,
             KitView view = KitView::AsRecorded, const CancelToken& cancel = {},
             const ProgressFn& progress = {});

/// Takes the steps, those left out that are refused, by their place. Levels in sections move along.
[[nodiscard]] session::Session withBalance(session::Session session, const RoughBalance& balance,
                                           const std::set<std::size_t>& refused = {});

} // namespace cask::kit
