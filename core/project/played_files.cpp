#include "core/project/played_files.h"

#include "core/base/file_system.h"
#include "core/layers/loop_cut.h"
#include "core/layers/stack_file.h"
#include "core/layers/stack_source.h"
#include "core/layers/strike_edits.h"
#include "core/project/delivery.h"
#include "core/project/hit_files.h"
#include "core/project/sound_writer.h"
#include "core/session/session_store.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cask::project {

namespace fs = std::filesystem;

Result<media::PreparedSource> playStack(const CheckedSource& stack, double rateHz,
                                        const fs::path& cacheFolder, const CancelToken& cancel,
                                        const ProgressFn& progress) {
    const auto target = cacheFolder / fmt::format("{}-{:.0f}.wav", stack.contentHash, rateHz);
    if (const auto cached = media::AudioReader::open(target);
        cached && cached->info().sampleRateHz == rateHz && cached->info().channels == stack.info.channels &&
        cached->info().warnings.empty())
        return media::PreparedSource{{target, cached->info().frames}, true};
    const auto read = layers::readStack(stack.file.path);
    if (!read)
        return read.error();
    const auto source = layers::StackSource::make(*read, rateHz, cancel);
    if (!source)
        return source.error();
    if (auto made = diskFileSystem().makeFolder(cacheFolder); !made)
        return made.error();
    std::vector<int> channels;
    for (int c = 0; c < std::max(1, stack.info.channels); ++c)
        channels.push_back(c);
    if (auto written =
            writeSound(**source, {target, rateHz, 0, (*source)->frames(), channels}, cancel, progress);
        !written)
        return written.error();
    return media::PreparedSource{{target, (*source)->frames()}, true};
}

Result<WrittenStack> writeStack(const layers::Stack& stack, double rateHz, const fs::path& sessionFolder,
                                const std::string& name, const CancelToken& cancel) {
    const fs::path folder = fs::absolute(sessionFolder).lexically_normal() / "layers";
    const auto source = layers::StackSource::make(stack, rateHz, cancel);
    if (!source)
        return source.error();
    if (auto made = diskFileSystem().makeFolder(folder); !made)
        return made.error();
    const std::string plain = fileNameFor(name);
    fs::path file = folder / (plain + std::string(layers::kStackEnding));
    for (int n = 2; diskFileSystem().exists(file); ++n)
        file = folder / fmt::format("{} {}{}", plain, n, layers::kStackEnding);
    if (auto written = diskFileSystem().writeAtomically(file, layers::toJson(stack, folder)); !written)
        return written.error();
    const auto hash = contentHashOf(file);
    if (!hash)
        return hash.error();
    return WrittenStack{{session::storedPath(file, sessionFolder),
                         name + ".wav",
                         (*source)->frames(),
                         (*source)->channels(),
                         rateHz,
                         session::kStackFormat,
                         {},
                         *hash},
                        (*source)->notes()};
}

Result<std::vector<ChangedStack>> writeEdited(const session::Session& s, const fs::path& sessionFolder,
                                              session::Id file, const layers::Stack& edited,
                                              const CancelToken& cancel) {
    const auto nameOf = [&](session::Id id) {
        for (const auto& e : s.elements)
            if (e->channels.front().file == id)
                return e->name;
        return std::string("Layers");
    };
    std::vector<ChangedStack> changed;
    const auto add = [&](session::Id id, const layers::Stack& stack) -> Status {
        auto written = writeStack(stack, s.sampleRateHz, sessionFolder, nameOf(id), cancel);
        if (!written)
            return written.error();
        changed.push_back({id, std::move(*written)});
        return Done{};
    };
    if (auto done = add(file, edited); !done)
        return done.error();
    const auto* own = s.file(file);
    const auto before = own == nullptr || edited.pattern.empty()
                            ? Result<layers::Stack>(edited)
                            : layers::readStack(session::resolvePath(*own, sessionFolder));
    if (!before || before->strikes == edited.strikes)
        return changed;
    for (const auto& other : s.files) {
        const auto path = session::resolvePath(*other, sessionFolder);
        if (other->id == file || !layers::isStackFile(path))
            continue;
        const auto stack = layers::readStack(path);
        if (!stack || stack->pattern != edited.pattern)
            continue;
        const auto shared = layers::withSharedStrikes(*stack, *before, edited);
        if (shared != *stack)
            if (auto done = add(other->id, shared); !done)
                return done.error();
    }
    return changed;
}

session::Session withChangedStacks(session::Session s, const std::vector<ChangedStack>& stacks) {
    for (const auto& stack : stacks)
        s = withStackFile(std::move(s), stack.file, stack.written.file);
    return s;
}

ProtectedFiles protectedFiles(const session::Session& s, const fs::path& sessionFolder) {
    auto files = session::sourcesOf(s, sessionFolder);
    for (const auto& file : s.files)
        if (const auto path = session::resolvePath(*file, sessionFolder); layers::isStackFile(path))
            if (const auto stack = layers::readStack(path))
                for (const auto& sound : layers::filesOf(*stack))
                    files.add(sound);
    return files;
}

std::vector<measure::GivenHit> givenHits(const layers::Stack& stack) {
    std::vector<measure::GivenHit> hits;
    const auto byTime = [&] {
        std::stable_sort(hits.begin(), hits.end(),
                         [](const auto& a, const auto& b) { return a.timeS < b.timeS; });
    };
    const bool hasClasses = std::any_of(stack.strikes.begin(), stack.strikes.end(),
                                        [](const auto& strike) { return strike.hitClass != "normal"; });
    const auto classOf = [&](std::size_t i) {
        return hasClasses ? measure::hitClassFromName(stack.strikes[i].hitClass) : std::nullopt;
    };
    for (const auto& layer : stack.layers)
        if (layer.isOn)
            for (const auto& drum : layers::drumsOfLayer(layer))
                for (const auto i : layers::strikesOf(layer.rule, stack.strikes))
                    hits.push_back({stack.strikes[i].timeS + 0.001 * layer.offsetMs, classOf(i), drum});
    if (!hits.empty()) { // pieces of a loop
        byTime();
        return hits;
    }
    constexpr double kNever = 1e9;
    std::vector<double> offsetMs(stack.strikes.size(), kNever);
    for (const auto& layer : stack.layers)
        if (layer.isOn && !layer.isSpill)
            for (const auto i : layers::strikesOf(layer.rule, stack.strikes))
                if (std::abs(layer.offsetMs) < std::abs(offsetMs[i]))
                    offsetMs[i] = layer.offsetMs;
    for (std::size_t i = 0; i < stack.strikes.size(); ++i)
        if (offsetMs[i] < kNever)
            hits.push_back({stack.strikes[i].timeS + 0.001 * offsetMs[i], classOf(i)});
    byTime();
    return hits;
}

std::vector<layers::Strike> strikesOf(const session::Session& s, const kit::HitAnalysis& analysis,
                                      session::Id element) {
    std::vector<layers::Strike> strikes;
    double topDb = -200;
    const std::string name = s.nameOf(element);
    const auto rows = hitRows(s, analysis, true);
    for (const auto& row : rows)
        if (row.element == name)
            topDb = std::max(topDb, row.levelDb);
    for (const auto& row : rows)
        if (row.element == name && row.timeS >= 0)
            strikes.push_back({row.timeS, layers::velocityOf(row.levelDb - topDb), row.hitClass, -1});
    return strikes;
}

session::Session withStackFile(session::Session s, session::Id id, const session::IntakeFile& stack) {
    for (auto& file : s.files)
        if (file->id == id)
            file.edit([&](session::SourceFile& f) {
                f.path = stack.path;
                f.frames = stack.frames;
                f.channels = stack.channels;
                f.sampleRateHz = stack.sampleRateHz;
                f.contentHash = stack.contentHash;
            });
    for (auto& element : s.elements)
        if (element->channels.front().file == id)
            element.edit([&](session::Element& e) {
                e.channels.resize(static_cast<std::size_t>(stack.channels), {id, 0, {}});
                for (int c = 0; c < stack.channels; ++c)
                    e.channels[static_cast<std::size_t>(c)].channel = c;
            });
    return s;
}

} // namespace cask::project
