#include "core/project/bass_question.h"

#include "core/measure/stack/one_shot_alignment.h"
#include "core/measure/stack/stack_judge.h"
#include "core/project/offline_sources.h"
#include "core/project/played_files.h"

#include <algorithm>

namespace cask::project {
namespace {

/// A stretch of an element as its file came.
measure::Sound soundOf(const session::Element& e, const OfflineSources& sources, Frames from, Frames frames) {
    measure::Sound sound;
    for (const auto& channel : e.channels) {
        const auto found = sources.sources.find(channel.file);
        if (found == sources.sources.end() || found->second == nullptr)
            continue;
        sound.emplace_back(static_cast<std::size_t>(std::max<Frames>(0, frames)));
        (void)found->second->read(channel.channel, from - e.startFrame, sound.back());
    }
    return sound;
}

} // namespace

Result<BassQuestion> bassQuestion(const session::Session& s, const std::filesystem::path& sessionFolder,
                                  const kit::HitAnalysis& analysis, session::Id kick,
                                  const CancelToken& cancel) {
    BassQuestion question;
    question.kick = kick;
    for (const auto& e : s.elements) {
        if (question.kick == session::kNoId && isKick(e->role))
            question.kick = e->id;
        if (question.bass == session::kNoId && e->role == Role::Bass)
            question.bass = e->id;
    }
    const auto* own = s.element(question.kick);
    const auto* bass = s.element(question.bass);
    if (own == nullptr)
        return Error{ErrorCode::NotFound, "There is no kick in this session; nothing was ranked."};
    if (bass == nullptr)
        return Error{ErrorCode::NotFound, "There is no bass in this session; nothing was ranked."};
    for (const auto& strike : strikesOf(s, analysis, question.kick))
        question.strikesS.push_back(strike.timeS);
    if (question.strikesS.empty())
        return Error{ErrorCode::Empty, own->name + " has no hits of its own; nothing was ranked."};
    const auto sources = openOfflineSources(s, sessionFolder, cancel);
    if (!sources)
        return sources.error();
    const auto sound = soundOf(*bass, *sources, 0, s.lengthFrames());
    if (sound.empty())
        return Error{ErrorCode::NotFound, bass->name + " can't be read; nothing was ranked."};
    question.bassSound = measure::monoOf(sound);
    constexpr double kStrokeS = 0.3;
    std::vector<double> energies;
    for (const double at : question.strikesS)
        if (const auto stroke = soundOf(*own, *sources, secondsToFrames(at, s.sampleRateHz),
                                        secondsToFrames(kStrokeS, s.sampleRateHz));
            !stroke.empty())
            energies.push_back(measure::weightedEnergy(stroke, s.sampleRateHz));
    if (energies.empty())
        return Error{ErrorCode::NotFound, own->name + " can't be read; nothing was ranked."};
    const auto middle = energies.begin() + static_cast<std::ptrdiff_t>(energies.size() / 2);
    std::nth_element(energies.begin(), middle, energies.end());
    question.kickDb = powerToDb(std::max(1e-20, *middle));
    return question;
}

} // namespace cask::project
