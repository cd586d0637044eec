#include "engine/live/live_voices.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::engine {
namespace {

constexpr std::size_t kMostNotes = 128;
constexpr double kRingS = 10; // of delays and filters of a chain
const std::vector<LiveSetup::Beat> kNoBeats;

measure::Sound tick(double hz, double rateHz) {
    constexpr double kTickS = 0.03;
    std::vector<float> x(static_cast<std::size_t>(kTickS * rateHz));
    for (std::size_t n = 0; n < x.size(); ++n) {
        const double t = static_cast<double>(n) / rateHz;
        x[n] = static_cast<float>(std::sin(2 * kPi * hz * t) * std::exp(-t / 0.006));
    }
    return {x};
}

} // namespace

LiveVoices::LiveVoices(double sampleRateHz)
    : m_ringFrames(secondsToFrames(kRingS, sampleRateHz)), m_turns(kMostNotes, 0),
      m_fadeFrames(static_cast<int>(std::lround(0.001 * layers::StackSource::kChokeMs * sampleRateHz))),
      m_click(tick(1200, sampleRateHz)), m_firstClick(tick(1800, sampleRateHz)) {}

void LiveVoices::take(LiveSetup* setup) noexcept {
    for (auto& voice : m_voices)
        if (voice.sound != nullptr && voice.of != nullptr)
            fade(voice);
    if (m_setup != nullptr)
        for (auto& place : m_old)
            if (place == nullptr) { // were there ever more, one would leak rather than be freed here
                place = m_setup;
                break;
            }
    m_setup = setup;
    std::fill(m_turns.begin(), m_turns.end(), 0);
}

LiveChain* LiveVoices::takeChain(LiveChain* chain) noexcept {
    if (chain != nullptr && m_chain != nullptr) {
        if (m_chain->goOnWith(*chain))
            return chain;
        chain->goOnFrom(*m_chain);
    }
    return std::exchange(m_chain, chain);
}

LiveSetup* LiveVoices::takeGarbage() noexcept {
    for (auto& place : m_old) {
        if (place == nullptr)
            continue;
        const auto isOfIt = [&](const Sounding& v) { return v.sound != nullptr && v.of == place; };
        if (std::none_of(m_voices.begin(), m_voices.end(), isOfIt) &&
            std::none_of(m_fading.begin(), m_fading.end(), isOfIt))
            return std::exchange(place, nullptr);
    }
    return nullptr;
}

void LiveVoices::fade(Sounding& voice) noexcept {
    if (voice.fadeLeft == 0)
        voice.fadeLeft = m_fadeFrames;
}

void LiveVoices::start(const measure::Sound& sound, Frames from, int wait, float left, float right,
                       int chokedBy, const LiveSetup* of) noexcept {
    auto free =
        std::find_if(m_voices.begin(), m_voices.end(), [](const Sounding& v) { return v.sound == nullptr; });
    if (free == m_voices.end()) {
        free = std::min_element(m_voices.begin(), m_voices.end(),
                                [](const Sounding& a, const Sounding& b) { return a.number < b.number; });
        const auto rest = std::find_if(m_fading.begin(), m_fading.end(),
                                       [](const Sounding& v) { return v.sound == nullptr; });
        if (rest != m_fading.end()) {
            *rest = *free;
            fade(*rest);
        }
    }
    *free = {&sound, of, from, wait, 0, left, right, chokedBy, m_strokes};
}

void LiveVoices::strike(int note, int velocity) noexcept {
    if (m_setup == nullptr || m_setup->kit == nullptr)
        return;
    ++m_strokes;
    const int place = m_setup->kit->placeOf(note);
    const auto voices =
        m_setup->kit->voices(place, velocity, m_turns[static_cast<std::size_t>(place) % m_turns.size()]++);
    // What begins now ends what its group chokes, but not what begins with it.
    for (const auto& begins : voices)
        if (begins.chokeGroup != 0)
            for (auto& voice : m_voices)
                if (voice.sound != nullptr && voice.chokedBy == begins.chokeGroup &&
                    voice.number != m_strokes)
                    fade(voice);
    for (const auto& begins : voices)
        start(*begins.sound, begins.from, static_cast<int>(begins.wait), m_setup->gain * begins.left,
              m_setup->gain * begins.right, begins.chokedBy, m_setup);
}

void LiveVoices::play(float* out, int frames, Frames from, std::span<const Timed> strokes) noexcept {
    // Cut where something begins, so that it does not matter how it is cut otherwise.
    const auto& beats = m_setup == nullptr || from == kStopped ? kNoBeats : m_setup->beats;
    auto beat = std::lower_bound(beats.begin(), beats.end(), from,
                                 [](const LiveSetup::Beat& b, Frames at) { return b.at < at; });
    auto stroke = strokes.begin();
    for (int done = 0; done < frames;) {
        for (; stroke != strokes.end() && stroke->offset <= done; ++stroke)
            strike(stroke->note, stroke->velocity);
        for (; beat != beats.end() && beat->at <= from + done; ++beat) {
            ++m_strokes;
            start(beat->isFirst ? m_firstClick : m_click, 0, 0, m_setup->clickGain, m_setup->clickGain, 0,
                  nullptr);
        }
        int next = std::min(frames, done + LiveChain::kMostFrames);
        if (stroke != strokes.end())
            next = std::min(next, stroke->offset);
        if (beat != beats.end())
            next = static_cast<int>(std::min<Frames>(next, beat->at - from));
        render(out + 2 * done, next - done, from == kStopped ? kStopped : from + done);
        done = next;
    }
}

void LiveVoices::add(Sounding& voice, float* out, int frames) noexcept {
    const auto& left = voice.sound->front();
    const auto& right = voice.sound->back();
    const auto length = static_cast<Frames>(left.size());
    for (int n = 0; n < frames; ++n) {
        float gain = 1;
        if (voice.fadeLeft > 0) {
            const float share =
                (static_cast<float>(m_fadeFrames - voice.fadeLeft) + 0.5F) / static_cast<float>(m_fadeFrames);
            gain = 0.5F + 0.5F * std::cos(static_cast<float>(kPi) * share);
            if (--voice.fadeLeft == 0) {
                voice.sound = nullptr;
                return;
            }
        }
        if (voice.wait > 0) {
            --voice.wait;
            continue;
        }
        if (voice.at >= length) {
            voice.sound = nullptr;
            return;
        }
        out[2 * n] += gain * voice.left * left[static_cast<std::size_t>(voice.at)];
        out[2 * n + 1] += gain * voice.right * right[static_cast<std::size_t>(voice.at)];
        ++voice.at;
    }
}

void LiveVoices::render(float* out, int frames, Frames at) noexcept {
    if (m_chain != nullptr)
        std::fill_n(m_own.begin(), 2 * frames, 0.0F);
    bool isOwn = false;
    const auto addAll = [&](auto& voices) {
        for (auto& voice : voices)
            if (voice.sound != nullptr) {
                const bool goesThrough = m_chain != nullptr && voice.of != nullptr; // a click does not
                isOwn = isOwn || goesThrough;
                add(voice, goesThrough ? m_own.data() : out, frames);
            }
    };
    addAll(m_voices);
    addAll(m_fading);
    m_quietFrames = isOwn ? 0 : m_quietFrames + frames;
    if (m_chain == nullptr || m_quietFrames > m_ringFrames)
        return;
    m_chain->process(m_own.data(), frames, at == kStopped ? m_chainAt : at);
    m_chainAt += frames;
    for (int i = 0; i < 2 * frames; ++i)
        out[i] += m_own[static_cast<std::size_t>(i)];
}

int LiveVoices::sounding() const noexcept {
    const auto isOn = [](const Sounding& v) { return v.sound != nullptr; };
    return static_cast<int>(std::count_if(m_voices.begin(), m_voices.end(), isOn) +
                            std::count_if(m_fading.begin(), m_fading.end(), isOn));
}

void LiveVoices::clear() {
    m_voices = {};
    m_fading = {};
    delete std::exchange(m_setup, nullptr);
    delete std::exchange(m_chain, nullptr);
    for (auto& old : m_old)
        delete std::exchange(old, nullptr);
}

} // namespace cask::engine
