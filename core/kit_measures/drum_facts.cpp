#include "core/kit_measures/drum_facts.h"

namespace cask::kit {

session::DrumFacts drumFacts(const session::Session& s, const advise::HitAnalysis* hits,
                             const advise::ToneMeasure* tone, session::Id owner) {
    session::DrumFacts facts;
    if (s.tempo.bpm > 0)
        facts.bpm = s.tempo.bpm;
    else if (hits != nullptr && hits->tempo.isKnown)
        facts.bpm = hits->tempo.bpm;
    const auto* e = s.element(owner);
    if (e == nullptr)
        return facts;
    const int input = hits == nullptr ? -1 : hits->inputOf(owner);
    if (input >= 0 && static_cast<std::size_t>(input) < hits->spill.rooms.size())
        if (const double db = hits->spill.rooms[static_cast<std::size_t>(input)].ownDb; db > kSilenceDb)
            facts.ownDb = db + e->input.trimDb;
    if (tone != nullptr && tone->isNoteSure() && tone->partials.fundamental.hz > 0)
        facts.noteHz = tone->partials.fundamental.hz;
    return facts;
}

session::DrumFacts drumFacts(const session::Session& s, const advise::KitMeasures& measures,
                             session::Id owner) {
    const advise::ToneMeasure* tone = nullptr;
    for (const auto& t : measures.tones)
        if (t.element == owner)
            tone = &t;
    return drumFacts(s, measures.hits.get(), tone, owner);
}

} // namespace cask::kit
