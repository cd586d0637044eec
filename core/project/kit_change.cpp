#include "core/project/kit_change.h"

#include "core/dsp/eq_settings.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/measure/look/sound_look.h"
#include "core/measure/statistics.h"
#include "core/project/hit_files.h"
#include "core/project/source_energy.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"
#include "core/session/session_store.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <set>

namespace cask::project {
namespace {

namespace fs = std::filesystem;
using session::Id;
using session::Session;

constexpr Id kTriedIds = 1'400'000'000; // far above those of any session
constexpr double kLeastShare = 0.1;     // of the hits that a threshold means otherwise
constexpr double kNarrowQ = 2.5;
constexpr double kSameOctaves = 1.0 / 12;
constexpr double kNearOctaves = 1.0 / 6;

struct Played {
    Id element = session::kNoId;
    layers::Stack stack;
    std::shared_ptr<layers::StackSource> source;
};

/// The elements that play one pattern.
Result<std::vector<Played>> playedOf(const Session& s, const fs::path& folder, Id element,
                                     const CancelToken& cancel) {
    std::vector<Played> all;
    for (const auto& e : s.elements) {
        const auto* file = s.file(e->channels.front().file);
        const auto path = file == nullptr ? fs::path() : session::resolvePath(*file, folder);
        if (!layers::isStackFile(path))
            continue;
        auto stack = layers::readStack(path);
        if (!stack)
            return stack.error();
        all.push_back({e->id, std::move(*stack), nullptr});
    }
    const auto own =
        std::find_if(all.begin(), all.end(), [&](const auto& played) { return played.element == element; });
    if (own == all.end())
        return Error{ErrorCode::NotFound, "That element is recorded: a kit plays patterns."};
    const std::string pattern = own->stack.pattern;
    std::erase_if(all, [&](const auto& played) {
        return pattern.empty() ? played.element != element : played.stack.pattern != pattern;
    });
    for (auto& played : all) {
        auto source = layers::StackSource::make(played.stack, s.sampleRateHz, cancel);
        if (!source)
            return source.error();
        played.source = *source;
    }
    return all;
}

/// A strike that says none has the note of its element's drum.
int noteOf(const layers::Strike& strike, Role role) {
    return strike.note >= 0 ? strike.note : midiNote(role);
}

/// What its elements are struck by, as a pattern.
layers::Pattern patternOf(const Session& s, const std::vector<Played>& all) {
    layers::Pattern pattern;
    pattern.tempi = {{0, 0, 120}};
    pattern.metres = {{0, 4, 4}};
    constexpr int kChannelOfDrums = 9;
    std::set<std::pair<double, int>> known;
    for (const auto& played : all) {
        const Role role = s.element(played.element)->role;
        for (const std::size_t i : layers::ownStrikes(played.stack)) {
            const auto& strike = played.stack.strikes[i];
            const int note = noteOf(strike, role);
            if (known.emplace(strike.timeS, note).second)
                pattern.strokes.push_back({strike.timeS, 2 * strike.timeS, note,
                                           static_cast<int>(std::lround(strike.velocity)), kChannelOfDrums});
        }
    }
    std::stable_sort(pattern.strokes.begin(), pattern.strokes.end(),
                     [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    pattern.lengthBeats = pattern.strokes.empty() ? 0 : pattern.strokes.back().beat;
    return pattern;
}

/// Its own strikes, and where the new sounds have spill those of the others.
std::vector<layers::Strike> strikesFor(const layers::Stack& before, const layers::Stack& planned) {
    std::vector<layers::Strike> strikes;
    std::set<int> notes;
    for (const std::size_t i : layers::ownStrikes(before)) {
        strikes.push_back(before.strikes[i]);
        notes.insert(before.strikes[i].note);
    }
    if (layers::hasSpill(planned))
        for (const auto& strike : planned.strikes)
            if (!notes.contains(strike.note))
                strikes.push_back(strike);
    std::stable_sort(strikes.begin(), strikes.end(),
                     [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    return strikes;
}

/// The layers that are of a stack's kit: those that were added are not.
bool isOfKit(const layers::Layer& layer, const layers::Layer& first) {
    if (!first.kit.empty())
        return !layer.kit.empty() && layer.kit.parent_path() == first.kit.parent_path();
    return !layer.sounds.empty() && !first.sounds.empty() &&
           layer.sounds.front().file.parent_path() == first.sounds.front().file.parent_path();
}

/// Peak within 20 ms of each of its own strikes, dBFS.
std::vector<double> levelsOf(const layers::Stack& stack, AudioSource& source, double rateHz) {
    std::vector<double> levels;
    std::vector<float> piece(static_cast<std::size_t>(0.021 * rateHz));
    for (const std::size_t i : layers::ownStrikes(stack)) {
        float peak = 1e-9F;
        for (int c = 0; c < source.channels(); ++c) {
            (void)source.read(c, secondsToFrames(stack.strikes[i].timeS - 0.001, rateHz), piece);
            for (const float x : piece)
                peak = std::max(peak, std::fabs(x));
        }
        levels.push_back(linearToDb(static_cast<double>(peak)));
    }
    return levels;
}

/// Of its loudest strike; nothing where it has none.
std::optional<double> fundamentalOf(const layers::Stack& stack, AudioSource& source, double rateHz) {
    const auto own = layers::ownStrikes(stack);
    const auto loudest = std::max_element(own.begin(), own.end(), [&](std::size_t a, std::size_t b) {
        return stack.strikes[a].velocity < stack.strikes[b].velocity;
    });
    if (loudest == own.end())
        return std::nullopt;
    const double atS = stack.strikes[*loudest].timeS;
    double untilS = atS + 1;
    for (const std::size_t i : own)
        if (stack.strikes[i].timeS > atS + 0.05)
            untilS = std::min(untilS, stack.strikes[i].timeS - 0.01);
    measure::Sound sound;
    for (int c = 0; c < source.channels(); ++c) {
        auto& side = sound.emplace_back(static_cast<std::size_t>((untilS - atS) * rateHz));
        (void)source.read(c, secondsToFrames(atS, rateHz), side);
    }
    const auto look = measure::lookOf(sound, rateHz);
    return look && look->fundamentalHz > 0 ? std::optional(look->fundamentalHz) : std::nullopt;
}

std::size_t over(const std::vector<double>& levels, double thresholdDb) {
    return static_cast<std::size_t>(
        std::count_if(levels.begin(), levels.end(), [&](double level) { return level >= thresholdDb; }));
}

class MisfitFinder {
  public:
    MisfitFinder(const Session& s, const Played& before, const ChangedElement& after,
                 std::vector<Misfit>& found)
        : m_e(*s.element(before.element)), m_found(found),
          m_before(levelsOf(before.stack, *before.source, s.sampleRateHz)),
          m_after(levelsOf(after.stack, *after.source, s.sampleRateHz)),
          m_beforeHz(fundamentalOf(before.stack, *before.source, s.sampleRateHz)),
          m_afterHz(fundamentalOf(after.stack, *after.source, s.sampleRateHz)) {
        for (auto* levels : {&m_before, &m_after})
            for (double& level : *levels)
                level += m_e.input.trimDb;
    }

    void find() {
        for (const auto& module : m_e.chain) {
            if (!module.isOn || module.key != session::kNoId)
                continue;
            if (const auto* gate = std::get_if<dsp::GateSettings>(&module.settings))
                threshold(module.id, "open_db", "gate opens", gate->openDb);
            else if (const auto* compressor = std::get_if<dsp::CompressorSettings>(&module.settings))
                threshold(module.id, "threshold_db", "compressor begins", compressor->thresholdDb);
            else if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings))
                for (const auto& band : eq->bands)
                    frequency(module.id, band);
        }
    }

  private:
    /// One that means clearly more or fewer of the hits than before.
    void threshold(Id module, const char* value, const char* what, double db) {
        if (m_before.empty() || m_before.size() != m_after.size())
            return;
        const auto was = over(m_before, db);
        const auto is = over(m_after, db);
        const auto apart = was > is ? was - is : is - was;
        if (static_cast<double>(apart) < std::max(1.0, kLeastShare * static_cast<double>(m_before.size())))
            return;
        auto before = m_before;
        auto after = m_after;
        const double moved = measure::median(after) - measure::median(before);
        m_found.push_back({m_e.id, module, session::kNoId, value, db, std::round(2 * (db + moved)) / 2,
                           fmt::format("The {} of {} at {:.1f} dBFS: {} of {} hits reach it, {} did before.",
                                       what, m_e.name, db, is, m_after.size(), was)});
    }

    /// A narrow band at the old fundamental.
    void frequency(Id module, const dsp::EqBand& band) {
        const bool isNarrow = band.kind == dsp::FilterKind::Bell && band.q >= kNarrowQ && band.gainDb != 0;
        if (!band.isOn || !isNarrow || !m_beforeHz || !m_afterHz ||
            std::abs(std::log2(band.frequencyHz / *m_beforeHz)) > kNearOctaves ||
            std::abs(std::log2(*m_afterHz / *m_beforeHz)) < kSameOctaves)
            return;
        m_found.push_back(
            {m_e.id, module, band.id, "frequency_hz", band.frequencyHz,
             std::round(band.frequencyHz * *m_afterHz / *m_beforeHz),
             fmt::format("The band of {} at {:.0f} Hz was at the fundamental, {:.0f} Hz; that of "
                         "the new sound is {:.0f} Hz.",
                         m_e.name, band.frequencyHz, *m_beforeHz, *m_afterHz)});
    }

    const session::Element& m_e;
    std::vector<Misfit>& m_found;
    std::vector<double> m_before, m_after;
    std::optional<double> m_beforeHz, m_afterHz;
};

/// The stack with the layers of another kit in the place of its own, as loud as it was.
Result<ChangedElement> changed(const Played& played, const layers::Stack& planned, double rateHz,
                               const CancelToken& cancel) {
    ChangedElement made{played.element, played.stack, nullptr, 0};
    made.stack.strikes = strikesFor(played.stack, planned);
    const layers::Layer first = played.stack.layers.empty() ? layers::Layer{} : played.stack.layers.front();
    std::erase_if(made.stack.layers, [&](const auto& layer) { return isOfKit(layer, first); });
    const auto others = made.stack.layers;
    const auto make = [&]() -> Status {
        made.stack.layers = planned.layers;
        for (auto& layer : made.stack.layers)
            layer.gainDb += made.gainDb;
        made.stack.layers.insert(made.stack.layers.end(), others.begin(), others.end());
        auto source = layers::StackSource::make(made.stack, rateHz, cancel);
        if (!source)
            return source.error();
        made.source = *source;
        return Done{};
    };
    if (auto done = make(); !done)
        return done.error();
    // What was added stays at its level: the new sounds alone are matched, twice where others play too.
    for (int round = 0; round < (others.empty() ? 1 : 3); ++round) {
        const double wasDb = sourceEnergyDb(*played.source, rateHz);
        const double isDb = sourceEnergyDb(*made.source, rateHz);
        if (wasDb <= kSilentSourceDb || isDb <= kSilentSourceDb)
            break;
        made.gainDb = std::clamp(made.gainDb + wasDb - isDb, -60.0, 24.0);
        if (auto done = make(); !done)
            return done.error();
    }
    return made;
}

} // namespace

Result<KitChange> planKitChange(const Session& s, const fs::path& sessionFolder, Id element,
                                const KitSounds& kit, const CancelToken& cancel, const ProgressFn& progress) {
    const auto all = playedOf(s, sessionFolder, element, cancel);
    if (!all)
        return all.error();
    const auto pattern = patternOf(s, *all);
    KitChange change;
    change.notes = kit.notes;
    const auto stacks = stacksOf(pattern, all->front().stack.pattern, kit);
    for (std::size_t i = 0; i < all->size(); ++i) {
        const Played& played = (*all)[i];
        const Role role = s.element(played.element)->role;
        const bool hearsAll = role == Role::Overhead || role == Role::Room;
        const auto own = layers::ownStrikes(played.stack);
        const auto found = std::find_if(stacks.begin(), stacks.end(), [&](const PlannedStack& planned) {
            if (hearsAll || planned.drum.notes.empty())
                return hearsAll && planned.drum.role == role;
            return std::any_of(own.begin(), own.end(), [&](std::size_t n) {
                return std::find(planned.drum.notes.begin(), planned.drum.notes.end(),
                                 noteOf(played.stack.strikes[n], role)) != planned.drum.notes.end();
            });
        });
        if (found == stacks.end() || found->stack.layers.empty()) {
            if (hearsAll)
                change.silent.push_back(played.element);
            else
                change.notes.push_back(
                    fmt::format("The kit has no sound for {}; it stays as it is.", s.nameOf(played.element)));
            continue;
        }
        auto made = changed(played, found->stack, s.sampleRateHz, cancel);
        if (!made)
            return made.error();
        MisfitFinder(s, played, *made, change.misfits).find();
        change.elements.push_back(std::move(*made));
        if (progress)
            progress(static_cast<double>(i + 1) / static_cast<double>(all->size()));
    }
    if (change.elements.empty())
        return Error{ErrorCode::Empty, "The kit has no sound for any drum of the pattern."};
    return change;
}

Id triedFileId(Id element) {
    return kTriedIds + element;
}

Session withTriedKit(Session s, const KitChange& change) {
    for (const auto& one : change.elements) {
        if (s.element(one.element) == nullptr)
            continue;
        session::SourceFile file;
        file.id = triedFileId(one.element);
        file.channels = one.source->channels();
        file.frames = one.source->frames();
        file.sampleRateHz = s.sampleRateHz;
        s.files.emplace_back(std::move(file));
        s = session::withElement(std::move(s), one.element, [&](session::Element& e) {
            e.channels.clear();
            for (int c = 0; c < one.source->channels(); ++c)
                e.channels.push_back({triedFileId(one.element), c, {}});
        });
    }
    return session::withMute(std::move(s), change.silent, true);
}

Result<std::vector<ChangedStack>> writeKitChange(const Session& s, const fs::path& sessionFolder,
                                                 const KitChange& change, const CancelToken& cancel) {
    std::vector<ChangedStack> written;
    for (const auto& one : change.elements) {
        const auto* e = s.element(one.element);
        if (e == nullptr)
            return Error{ErrorCode::NotFound, "An element of the pattern is there no more; the kit stays."};
        auto stack = writeStack(one.stack, s.sampleRateHz, sessionFolder, e->name, cancel);
        if (!stack)
            return stack.error();
        written.push_back({e->channels.front().file, std::move(*stack)});
    }
    return written;
}

Session withKitChange(Session s, const KitChange& change, const std::vector<ChangedStack>& written,
                      bool fits) {
    s = withChangedStacks(std::move(s), written);
    s = session::withMute(std::move(s), change.silent, true);
    for (const auto& misfit : change.misfits)
        if (fits)
            s = session::withModule(std::move(s), misfit.module, [&](session::Module& module) {
                if (auto* gate = std::get_if<dsp::GateSettings>(&module.settings)) {
                    gate->closeDb += misfit.would - gate->openDb;
                    gate->openDb = misfit.would;
                } else if (auto* compressor = std::get_if<dsp::CompressorSettings>(&module.settings)) {
                    compressor->thresholdDb = misfit.would;
                } else if (auto* eq = std::get_if<dsp::EqSettings>(&module.settings)) {
                    for (auto& band : eq->bands)
                        if (band.id == misfit.item)
                            band.frequencyHz = misfit.would;
                }
            });
    return s;
}

} // namespace cask::project
