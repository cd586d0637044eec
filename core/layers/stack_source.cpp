#include "core/layers/stack_source.h"

#include "core/layers/chance.h"
#include "core/layers/sfz.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <tuple>

namespace cask::layers {

class StackBuilder {
  public:
    StackBuilder(const Stack& stack, double rateHz) : m_stack(stack), m_rateHz(rateHz) {}

    Result<std::shared_ptr<StackSource>> build(const CancelToken& cancel, const ProgressFn& progress) {
        for (std::size_t i = 0; i < m_stack.layers.size(); ++i) {
            const Layer& layer = m_stack.layers[i];
            if (cancel.isCancelled())
                return Error{ErrorCode::Cancelled, "Stopped; no sounds were struck."};
            if (layer.isOn)
                if (const auto done = layer.kit.empty() ? strikeSounds(i) : strikeKit(i); !done)
                    return done.error();
            if (progress)
                progress(static_cast<double>(i + 1) / static_cast<double>(m_stack.layers.size()));
        }
        finish();
        return std::move(m_made);
    }

  private:
    /// The sound of a file under the settings of a layer, prepared once.
    Result<std::size_t> soundOf(const std::filesystem::path& file, const Layer& layer,
                                const std::string& key) {
        const auto name = std::pair(file, key);
        if (const auto found = m_known.find(name); found != m_known.end())
            return found->second;
        auto shot = m_shots.find(file);
        if (shot == m_shots.end()) {
            auto read = readOneShot(file, m_rateHz);
            if (!read)
                return read.error();
            shot = m_shots.emplace(file, std::move(*read)).first;
        }
        // Before it is made: far down, a short sound is hours long.
        const auto& sound = shot->second.sound;
        const double longer = std::max(1.0, 0.01 * layer.lengthPercent) *
                              (layer.keepsLength ? 1 : std::exp2(-layer.pitchCents / 1200));
        m_floats += longer * static_cast<double>(sound.size() * sound.front().size());
        if (m_floats > static_cast<double>(StackSource::kMostFloats))
            return Error{ErrorCode::Unsupported,
                         fmt::format("The sounds of layer \"{}\" take more than {} MB of memory; nothing was "
                                     "struck.",
                                     layer.name, (StackSource::kMostFloats >> 20U) * sizeof(float))};
        auto prepared = prepareSound(shot->second, layer);
        if (!prepared)
            return prepared.error();
        m_made->m_sounds.push_back(std::move(*prepared));
        return m_known[name] = m_made->m_sounds.size() - 1;
    }

    /// A number drawn for a strike of a layer; `what` tells draws apart.
    [[nodiscard]] static double drawn(const Layer& layer, std::size_t strike, std::uint64_t what) {
        return chanceOf(layer.rule.seed * 4 + what, strike);
    }

    void addVoice(std::size_t layerIndex, std::size_t strike, std::size_t sound, double gainDb, double pan) {
        const Layer& layer = m_stack.layers[layerIndex];
        const PreparedSound& prepared = m_made->m_sounds[sound];
        if (prepared.sound.front().empty())
            return;
        gainDb += layer.gainDb + layer.levelSpreadDb * (2 * drawn(layer, strike, 1) - 1);
        const double gain = (layer.isInverted ? -1 : 1) * dbToLinear(gainDb);
        // In the middle both sides have a gain of 1; outwards by constant power, or of two channels the
        // other side less.
        const double angle = (std::clamp(layer.pan + pan, -1.0, 1.0) + 1) * kPi / 4;
        double left = std::sqrt(2) * std::cos(angle);
        double right = std::sqrt(2) * std::sin(angle);
        if (prepared.sound.size() > 1) {
            left = std::min(1.0, left);
            right = std::min(1.0, right);
        }
        Voice voice;
        voice.strike = strike;
        voice.layer = layerIndex;
        voice.sound = sound;
        voice.start =
            secondsToFrames(m_stack.strikes[strike].timeS, m_rateHz) +
            secondsToFrames(layer.offsetMs * 0.001, m_rateHz) -
            (layer.atTransient ? prepared.transient : secondsToFrames(layer.leadMs * 0.001, m_rateHz));
        voice.left = static_cast<float>(gain * left);
        voice.right = static_cast<float>(gain * right);
        m_hasSides = m_hasSides || prepared.sound.size() > 1 || voice.left != voice.right;
        m_made->m_voices.push_back(voice);
    }

    Status strikeSounds(std::size_t layerIndex) {
        const Layer& layer = m_stack.layers[layerIndex];
        std::map<std::size_t, std::size_t> turns; // by the first of those that may play
        for (const std::size_t i : strikesOf(layer.rule, m_stack.strikes)) {
            const double velocity = m_stack.strikes[i].velocity;
            std::vector<std::size_t> able;
            for (std::size_t s = 0; s < layer.sounds.size(); ++s)
                if (velocity >= layer.sounds[s].lowVelocity && velocity <= layer.sounds[s].highVelocity)
                    able.push_back(s);
            if (able.empty())
                continue;
            const std::size_t turn =
                layer.alternatesByChance
                    ? static_cast<std::size_t>(drawn(layer, i, 2) * static_cast<double>(able.size()))
                    : turns[able.front()]++ % able.size();
            const auto sound = soundOf(layer.sounds[able[turn]].file, layer, std::to_string(layerIndex));
            if (!sound)
                return sound.error();
            const std::size_t before = m_made->m_voices.size();
            addVoice(layerIndex, i, *sound,
                     layer.sounds[able[turn]].gainDb + 0.01 * layer.followPercent * levelDbOf(velocity), 0);
            if (m_made->m_voices.size() == before)
                continue;
            m_made->m_voices.back().chokeGroup = layer.chokeGroup;
            m_made->m_voices.back().chokedBy = layer.chokedBy;
        }
        return Done{};
    }

    /// Layers of sounds choke each other: what is struck later than a sound ends it, wherever it lies.
    void chokeBetweenLayers() {
        const auto struckAt = [&](const Voice& v) {
            return secondsToFrames(m_stack.strikes[v.strike].timeS + 0.001 * m_stack.layers[v.layer].offsetMs,
                                   m_rateHz);
        };
        const auto isOfSounds = [&](const Voice& v) { return m_stack.layers[v.layer].kit.empty(); };
        std::map<int, std::vector<Frames>> chokes; // by group, by time
        for (const Voice& v : m_made->m_voices)
            if (isOfSounds(v) && v.chokeGroup != 0)
                chokes[v.chokeGroup].push_back(struckAt(v));
        for (auto& [group, times] : chokes)
            std::sort(times.begin(), times.end());
        for (Voice& v : m_made->m_voices) {
            const auto found = isOfSounds(v) ? chokes.find(v.chokedBy) : chokes.end();
            if (found == chokes.end())
                continue;
            const auto next = std::upper_bound(found->second.begin(), found->second.end(), struckAt(v));
            if (next != found->second.end())
                v.choked = *next;
        }
    }

    /// A layer with what a region of a kit adds to it.
    [[nodiscard]] static Layer ofRegion(Layer layer, const SfzRegion& region, int note, double fileRateHz) {
        constexpr double kMs = 1000;
        layer.startMs += kMs * static_cast<double>(region.fromFrame) / fileRateHz;
        if (region.toFrame < std::numeric_limits<Frames>::max() && layer.endMs == 0)
            layer.endMs = kMs * static_cast<double>(region.toFrame + 1) / fileRateHz;
        layer.pitchCents += region.tuneCents + 100.0 * (note - region.centreNote);
        layer.fadeInMs = std::max(layer.fadeInMs, kMs * region.attackS);
        if (layer.decayMs == 0 && region.decayS > 0 && region.sustain == 0) {
            layer.holdMs = kMs * region.holdS;
            layer.decayMs = kMs * region.decayS;
        }
        return layer;
    }

    Status strikeKit(std::size_t layerIndex) {
        const Layer& layer = m_stack.layers[layerIndex];
        const auto kit = readSfzKit(layer.kit);
        if (!kit)
            return kit.error();
        m_made->m_notes.insert(m_made->m_notes.end(), kit->problems.begin(), kit->problems.end());
        for (const auto& name : kit->notUnderstood)
            m_made->m_notes.push_back(
                fmt::format("{}: \"{}\" is not understood and was left out.", layer.kit.string(), name));
        std::vector<std::size_t> turns(kit->regions.size());
        std::map<int, std::vector<std::size_t>> sounding; // voices by choke group
        for (const std::size_t i : strikesOf(layer.rule, m_stack.strikes)) {
            const Strike& strike = m_stack.strikes[i];
            const int note = strike.note >= 0 ? strike.note + layer.noteShift : layer.note;
            const int velocity = static_cast<int>(std::lround(strike.velocity));
            const double chance = drawn(layer, i, 3);
            std::vector<const SfzRegion*> playing;
            for (std::size_t r = 0; r < kit->regions.size(); ++r) {
                const SfzRegion& region = kit->regions[r];
                if (note < region.lowNote || note > region.highNote || velocity < region.lowVelocity ||
                    velocity > region.highVelocity)
                    continue;
                const auto turn = static_cast<int>(turns[r]++ % static_cast<std::size_t>(region.turns)) + 1;
                if (turn == region.turn && chance >= region.lowChance && chance < region.highChance)
                    playing.push_back(&region);
            }
            // What begins now ends what its group chokes, but not what begins with it.
            for (const SfzRegion* region : playing)
                if (region->chokeGroup != 0)
                    for (const std::size_t v : std::exchange(sounding[region->chokeGroup], {}))
                        m_made->m_voices[v].choked =
                            std::min(m_made->m_voices[v].choked,
                                     secondsToFrames(strike.timeS + 0.001 * layer.offsetMs, m_rateHz));
            for (const SfzRegion* region : playing) {
                const auto file = layer.kit.parent_path() / region->sample;
                const double fileRateHz = rateOf(file);
                const auto sound =
                    soundOf(file, ofRegion(layer, *region, note, fileRateHz),
                            fmt::format("{} {} {}", layerIndex, note, region - kit->regions.data()));
                if (!sound)
                    return sound.error();
                const double share = strike.velocity * strike.velocity / (127.0 * 127.0);
                const double t = region->velocityTracking * 0.01 * layer.followPercent;
                const double tracked = t >= 0 ? 1 - t * (1 - share) : 1 + t * share;
                const std::size_t before = m_made->m_voices.size();
                addVoice(layerIndex, i, *sound, region->gainDb + linearToDb(std::max(1e-6, tracked)),
                         region->pan);
                if (m_made->m_voices.size() == before)
                    continue;
                m_made->m_voices.back().chokeGroup = region->chokeGroup;
                m_made->m_voices.back().chokedBy = region->chokedBy;
                if (region->chokedBy != 0)
                    sounding[region->chokedBy].push_back(m_made->m_voices.size() - 1);
            }
        }
        return Done{};
    }

    /// Of a file that was read or will be.
    double rateOf(const std::filesystem::path& file) {
        if (!m_shots.contains(file))
            if (auto read = readOneShot(file, m_rateHz))
                m_shots.emplace(file, std::move(*read));
        const auto found = m_shots.find(file);
        return found == m_shots.end() ? m_rateHz : found->second.fileRateHz;
    }

    void finish() {
        chokeBetweenLayers();
        StackSource& made = *m_made;
        made.m_channels = m_hasSides ? 2 : 1;
        made.m_chokeFrames = std::max<Frames>(1, secondsToFrames(0.001 * StackSource::kChokeMs, m_rateHz));
        std::stable_sort(made.m_voices.begin(), made.m_voices.end(),
                         [](const Voice& a, const Voice& b) { return a.start < b.start; });
        Frames end = 0;
        for (const Voice& v : made.m_voices) {
            const auto length = static_cast<Frames>(made.m_sounds[v.sound].sound.front().size());
            made.m_longest = std::max(made.m_longest, length);
            end = std::max(end, v.start + length);
        }
        made.m_frames =
            m_stack.lengthS > 0 ? secondsToFrames(m_stack.lengthS, m_rateHz) : std::max<Frames>(1, end);
    }

    const Stack& m_stack;
    double m_rateHz;
    std::shared_ptr<StackSource> m_made{new StackSource};
    std::map<std::filesystem::path, OneShot> m_shots;
    std::map<std::pair<std::filesystem::path, std::string>, std::size_t> m_known;
    double m_floats = 0;
    bool m_hasSides = false;
};

Result<std::shared_ptr<StackSource>>
StackSource::make(const Stack& stack, double rateHz, const CancelToken& cancel, const ProgressFn& progress) {
    return StackBuilder(stack, rateHz).build(cancel, progress);
}

bool StackSource::read(int channel, Frames start, std::span<float> out) noexcept {
    std::fill(out.begin(), out.end(), 0.0F);
    const Frames end = std::min(m_frames, start + static_cast<Frames>(out.size()));
    const auto isEarlier = [](const Voice& v, Frames at) { return v.start < at; };
    auto voice = std::lower_bound(m_voices.begin(), m_voices.end(), start - m_longest, isEarlier);
    for (; voice != m_voices.end() && voice->start < end; ++voice) {
        const measure::Sound& sound = m_sounds[voice->sound].sound;
        const auto& from = sound[std::min(sound.size() - 1, static_cast<std::size_t>(channel))];
        const float gain = channel == 0 ? voice->left : voice->right;
        const Frames first = std::max({voice->start, start, Frames{0}});
        Frames last = std::min(end, voice->start + static_cast<Frames>(from.size()));
        const Frames steady = std::min(last, voice->choked);
        for (Frames n = first; n < steady; ++n)
            out[static_cast<std::size_t>(n - start)] +=
                gain * from[static_cast<std::size_t>(n - voice->start)];
        if (voice->choked == Voice::kNever)
            continue;
        last = std::min(last, voice->choked + m_chokeFrames);
        for (Frames n = std::max(first, voice->choked); n < last; ++n) {
            const double share =
                (static_cast<double>(n - voice->choked) + 0.5) / static_cast<double>(m_chokeFrames);
            const auto falling = static_cast<float>(0.5 + 0.5 * std::cos(kPi * share));
            out[static_cast<std::size_t>(n - start)] +=
                gain * falling * from[static_cast<std::size_t>(n - voice->start)];
        }
    }
    return true;
}

} // namespace cask::layers
