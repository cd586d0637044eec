#include "core/project/sound_trial.h"

#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/measure/stack/stack_judge.h"
#include "core/project/offline_sources.h"
#include "core/project/source_energy.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "core/session/intake.h"
#include "core/session/routing.h"
#include "core/session/session_store.h"
#include "core/session/states.h"

#include <algorithm>
#include <cmath>

namespace cask::project {
namespace {

using session::Id;
using session::Session;

constexpr double kSilentDb = kSilentSourceDb;

Error silentError(const std::filesystem::path& sound) {
    return {ErrorCode::Empty, sound.string() + " is silent; there is nothing to hear."};
}

float peakOf(const measure::Sound& sound) {
    float peak = 0;
    for (const auto& channel : sound)
        for (const float x : channel)
            peak = std::max(peak, std::fabs(x));
    return peak;
}

/// What the element plays as it is in the session: its channels, from its start on.
measure::Sound soundOf(const session::Element& e, const OfflineSources& sources, double rateHz) {
    measure::Sound sound;
    for (const auto& channel : e.channels) {
        const auto found = sources.sources.find(channel.file);
        if (found == sources.sources.end() || found->second == nullptr)
            continue;
        const Frames most = secondsToFrames(kTrialMeasuredS, rateHz);
        auto& side = sound.emplace_back(
            static_cast<std::size_t>(std::clamp<Frames>(found->second->frames() + e.startFrame, 0, most)));
        (void)found->second->read(channel.channel, -e.startFrame, side);
    }
    return onBothSides(std::move(sound));
}

measure::Sound sumOf(measure::Sound a, const measure::Sound& b, double gainDb) {
    const auto gain = static_cast<float>(dbToLinear(gainDb));
    for (std::size_t c = 0; c < std::min(a.size(), b.size()); ++c) {
        a[c].resize(std::max(a[c].size(), b[c].size()));
        for (std::size_t n = 0; n < b[c].size(); ++n)
            a[c][n] += gain * b[c][n];
    }
    return a;
}

session::IntakeFile fileOf(const AudioSource& source, double rateHz, const std::filesystem::path& sound) {
    return {sound.string(),
            sound.filename().string(),
            source.frames(),
            source.channels(),
            rateHz,
            session::kStackFormat,
            {},
            {}};
}

/// The session with a file of the trial's, as an element of its own; both their ids.
struct WithTrial {
    Session session;
    Id element = session::kNoId;
    Id file = session::kNoId;
};
WithTrial withTrial(Session s, const session::IntakeFile& file, const session::MadeElement& made) {
    auto with = session::withMadeElement(std::move(s), file, made);
    const Id id = with.session.element(with.element)->channels.front().file;
    return {std::move(with.session), with.element, id};
}

Result<SoundTrial> alone(const Session& s, const TrialQuestion& q) {
    const double rate = s.sampleRateHz;
    layers::Stack stack{{{q.atS, 127, "normal", -1}}, 0, {layers::layerOf({q.sound})}};
    stack.layers.front().atTransient = false;
    auto source = layers::StackSource::make(stack, rate);
    if (!source)
        return source.error();
    const Frames from = secondsToFrames(q.atS, rate);
    const auto sound = beginningOf(**source, rate, from);
    if (soundEnergyDb(sound, rate) < kSilentDb)
        return silentError(q.sound);
    SoundTrial trial;
    trial.soundDb = std::min(kTrialAloneDb - (soundEnergyDb(sound, rate) - linearToDb(std::sqrt(2 * rate))),
                             -linearToDb(std::max(1e-9, static_cast<double>(peakOf(sound)))));
    stack.layers.front().gainDb = trial.soundDb;
    source = layers::StackSource::make(stack, rate);
    if (!source)
        return source.error();
    trial.source = *source;
    trial.toS = framesToSeconds((*source)->frames(), rate);
    const auto file = fileOf(**source, rate, q.sound);
    trial.file = withTrial(s, file, {}).file;
    trial.change = [file](Session session) {
        session = session::untouched(session, session::Untouched::FilesAsTheyCame);
        const session::MadeElement made{{}, Role::Unknown, session.master().id, 0};
        auto with = withTrial(std::move(session), file, made);
        return session::withSoloOnly(std::move(with.session), {with.element});
    };
    return trial;
}

} // namespace

Result<SoundTrial> trySound(const Session& s, const std::filesystem::path& sessionFolder,
                            const TrialQuestion& q, const CancelToken& cancel) {
    if (q.place == TrialPlace::Alone)
        return alone(s, q);
    const auto* e = s.element(q.element);
    if (e == nullptr)
        return Error{ErrorCode::NotFound, "Choose an element whose hits are to strike the sound."};
    const double rate = s.sampleRateHz;
    const auto* own = s.file(e->channels.front().file);
    const auto path = own == nullptr ? std::filesystem::path() : session::resolvePath(*own, sessionFolder);
    layers::Stack stack;
    stack.strikes = q.strikes;
    std::vector<layers::Layer> others;
    Frames start = 0;
    if (layers::isStackFile(path)) {
        const auto read = layers::readStack(path);
        if (!read)
            return read.error();
        stack.strikes = read->strikes;
        stack.lengthS = read->lengthS;
        others = read->layers;
        start = e->startFrame;
    }
    if (stack.strikes.empty())
        return Error{ErrorCode::Empty, e->name + " has no hits that could strike a sound."};
    const auto sources = openOfflineSources(s, sessionFolder, cancel);
    if (!sources)
        return sources.error();
    const auto before = soundOf(*e, *sources, rate);
    const double beforeDb = soundEnergyDb(before, rate);

    SoundTrial trial;
    stack.layers = {layers::layerOf({q.sound})};
    auto source = layers::StackSource::make(stack, rate, cancel);
    if (!source)
        return source.error();
    auto struck = beginningOf(**source, rate);
    const double struckDb = soundEnergyDb(struck, rate);
    if (struckDb < kSilentDb)
        return silentError(q.sound);
    trial.soundDb = beforeDb < kSilentDb ? 0 : beforeDb - struckDb;
    if (q.place == TrialPlace::With && beforeDb >= kSilentDb) {
        if (start > 0) // as it lies in the session
            for (auto& side : struck)
                side.insert(side.begin(), static_cast<std::size_t>(start), 0.0F);
        trial.elementDb = beforeDb - soundEnergyDb(sumOf(before, struck, trial.soundDb), rate);
    }
    // Within a stack it is one more layer, under the same chain; beside a recorded sound it is an element.
    const bool isOneMore = q.place == TrialPlace::With && !others.empty();
    stack.layers.front().gainDb = trial.soundDb + trial.elementDb;
    if (isOneMore)
        for (auto& layer : others) {
            layer.gainDb += trial.elementDb;
            stack.layers.push_back(layer);
        }
    source = layers::StackSource::make(stack, rate, cancel);
    if (!source)
        return source.error();
    trial.source = *source;
    const auto file = fileOf(**source, rate, q.sound);
    trial.file = withTrial(s, file, {}).file;
    const bool takesPlace = q.place == TrialPlace::Instead || isOneMore;
    trial.change = [file, id = q.element, start, takesPlace, elementDb = trial.elementDb](Session session) {
        const auto* element = session.element(id);
        if (element == nullptr)
            return session;
        const auto out = element->out;
        auto with = withTrial(session, file, {{}, element->role, out.bus, start});
        if (takesPlace) {
            const auto channels = with.session.element(with.element)->channels;
            with.session = session::withElement(std::move(with.session), id, [&](session::Element& heard) {
                heard.channels = channels;
                heard.startFrame = start;
            });
            return session::withoutElement(std::move(with.session), with.element);
        }
        with.session = session::withOutput(std::move(with.session), with.element,
                                           [&](session::Output& heard) { heard = out; });
        return session::withOutput(std::move(with.session), id,
                                   [&](session::Output& heard) { heard.levelDb += elementDb; });
    };
    return trial;
}

} // namespace cask::project
