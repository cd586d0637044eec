#include "core/project/loop_material.h"

#include "core/base/file_system.h"
#include "core/measure/hits/loop_hits.h"
#include "core/project/delivery.h"
#include "core/project/sound_writer.h"
#include "core/session/edits.h"
#include "core/session/hearing.h"

#include <fmt/format.h>

#include <algorithm>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

/// A folder that is taken away again unless it is kept.
class NewFolder {
  public:
    explicit NewFolder(const fs::path& wanted) : m_path(wanted) {
        for (int n = 2; diskFileSystem().exists(m_path); ++n)
            m_path = fmt::format("{} {}", wanted.string(), n);
    }
    NewFolder(const NewFolder&) = delete;
    NewFolder& operator=(const NewFolder&) = delete;
    ~NewFolder() {
        if (!m_isKept && m_isMade) {
            std::error_code ignored;
            fs::remove_all(m_path, ignored);
        }
    }
    [[nodiscard]] Status make() {
        auto made = diskFileSystem().makeFolder(m_path);
        m_isMade = static_cast<bool>(made);
        return made;
    }
    void keep() { m_isKept = true; }
    [[nodiscard]] const fs::path& path() const { return m_path; }

  private:
    fs::path m_path;
    bool m_isMade = false;
    bool m_isKept = false;
};

/// What is shifted at the input is shifted before it is cut.
double startOf(const session::Session& s, const session::Element& e) {
    return framesToSeconds(e.startFrame, s.sampleRateHz) + 0.001 * e.input.shiftMs;
}

/// A name that means nothing to a folder nor to a kit's text.
std::string plainName(std::string name) {
    const auto isPlain = [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == ' ' ||
               c == '+' || c == '-';
    };
    for (char& c : name)
        c = isPlain(c) ? c : '_';
    constexpr std::size_t kLongest = 40;
    return name.substr(0, kLongest);
}

Status writePieces(AudioSource& source, const session::Session& s, const session::Element& e,
                   const LoopPlan& plan, const fs::path& folder, const CancelToken& cancel,
                   const ProgressFn& progress) {
    std::vector<int> channels;
    for (const auto& ref : e.channels)
        channels.push_back(ref.channel);
    std::vector<std::string> files;
    for (std::size_t i = 0; i < plan.pieces.size(); ++i) {
        const auto& piece = plan.pieces[i];
        files.push_back(fmt::format("{:03} {}.wav", i + 1, plainName(piece.name())));
        const SoundPart part{folder / files.back(), s.sampleRateHz, plan.fromFrame + piece.from,
                             plan.fromFrame + piece.to, channels};
        if (auto written = writeSound(source, part, cancel); !written)
            return written;
        if (progress)
            progress(static_cast<double>(i) / static_cast<double>(plan.pieces.size()));
    }
    const auto& stack = plan.made.stack;
    for (std::size_t i = 0; i < stack.layers.size(); ++i)
        if (auto written =
                diskFileSystem().writeAtomically(stack.layers[i].kit, layers::loopKit(plan.made, i, files));
            !written)
            return written;
    return Done{};
}

} // namespace

std::vector<layers::CutHit> cutHitsOf(const session::Session& s, const kit::HitAnalysis& analysis,
                                      session::Id element) {
    std::vector<layers::CutHit> hits;
    const auto* e = s.element(element);
    const int input = analysis.inputOf(element);
    if (e == nullptr || input < 0)
        return hits;
    for (const auto& heard : analysis.hits.heard) {
        if (heard.input != input || !heard.isOwn || heard.stroke < 0)
            continue;
        const auto& drum = analysis.hits.kit.drums[static_cast<std::size_t>(heard.drum)];
        const auto ofLoop = measure::loopDrumName(drum);
        const auto& stroke = analysis.hits.strokes[static_cast<std::size_t>(heard.stroke)];
        hits.push_back({heard.timeS - startOf(s, *e), heard.levelDb, ofLoop.empty() ? drum.name : ofLoop,
                        std::string(measure::hitClassName(stroke.hitClass))});
    }
    return hits;
}

Result<LoopPlan> planLoop(const session::Session& s, const kit::HitAnalysis& analysis, Frames fileFrames,
                          const LoopWish& wish, const fs::path& folder) {
    const auto* e = s.element(wish.element);
    if (e == nullptr)
        return Error{ErrorCode::NotFound, "The loop is not in the session any more."};
    const double startS = startOf(s, *e);
    const auto frameAt = [&](double timeS) {
        return std::clamp<Frames>(secondsToFrames(timeS - startS, s.sampleRateHz), 0, fileFrames);
    };
    LoopPlan plan;
    plan.fromFrame = frameAt(wish.fromS);
    const Frames toFrame = wish.toS <= 0 ? fileFrames : std::max(plan.fromFrame, frameAt(wish.toS));
    const double cutS = framesToSeconds(plan.fromFrame, s.sampleRateHz);
    plan.startS = startS + cutS;
    auto hits = cutHitsOf(s, analysis, wish.element);
    for (auto& hit : hits)
        hit.timeS -= cutS;
    plan.pieces = layers::cutAtHits(std::move(hits), toFrame - plan.fromFrame, s.sampleRateHz);
    if (std::all_of(plan.pieces.begin(), plan.pieces.end(), [](const auto& p) { return p.drums.empty(); }))
        return Error{ErrorCode::Empty, fmt::format("{} has no hits there; nothing was cut.", e->name)};
    if (plan.pieces.size() > layers::kMostPieces)
        return Error{ErrorCode::BadValue,
                     fmt::format("{} has {} hits there; {} pieces are the most. Choose a shorter stretch.",
                                 e->name, plan.pieces.size(), layers::kMostPieces)};
    auto made = layers::loopStack(plan.pieces, plan.startS, s.sampleRateHz, analysis.tempo, wish.fit, folder);
    if (!made)
        return made.error();
    plan.made = std::move(*made);
    for (const int note : plan.made.notes)
        plan.hitS.push_back(std::find_if(plan.made.stack.strikes.begin(), plan.made.stack.strikes.end(),
                                         [&](const auto& strike) { return strike.note == note; })
                                ->timeS);
    return plan;
}

Result<CutLoop> cutLoop(const session::Session& s, const kit::HitAnalysis& analysis,
                        const graph::SourceLookup& sources, const fs::path& sessionFolder,
                        const LoopWish& wish, const CancelToken& cancel, const ProgressFn& progress) {
    const auto* e = s.element(wish.element);
    const auto source = e == nullptr ? nullptr : sources(e->channels.front().file);
    if (source == nullptr)
        return Error{ErrorCode::NotReadable, "The file of the loop can't be read; nothing was cut."};
    CutLoop loop;
    loop.name = wish.name.empty() ? e->name + " cut" : wish.name;
    const fs::path layersFolder = fs::absolute(sessionFolder).lexically_normal() / "layers";
    NewFolder folder(layersFolder / (fileNameFor(loop.name) + " pieces"));
    auto plan = planLoop(s, analysis, source->frames(), wish, folder.path());
    if (!plan)
        return plan.error();
    loop.plan = std::move(*plan);
    if (auto ready = folder.make(); !ready)
        return ready.error();
    if (auto written = writePieces(*source, s, *e, loop.plan, folder.path(), cancel, progress); !written)
        return written.error();
    auto stack = writeStack(loop.plan.made.stack, s.sampleRateHz, sessionFolder, loop.name, cancel);
    if (!stack)
        return stack.error();
    loop.written = std::move(*stack);
    folder.keep();
    return loop;
}

session::WithMade withCutLoop(session::Session s, const CutLoop& loop, session::Id of, bool replaces) {
    const session::Element before = *s.element(of);
    auto with = session::withMadeElement(std::move(s), loop.written.file,
                                         {loop.name, before.role, before.out.bus, 0});
    auto& made = with.session;
    for (auto& e : made.elements)
        if (e->id == with.element)
            e.edit([&](session::Element& cut) {
                cut.input = before.input;
                cut.input.shiftMs = 0; // the pieces stand where they were heard
                cut.roleConfidence = before.roleConfidence;
                cut.out = before.out;
                cut.chain = before.chain;
                session::giveOwnIds(made, cut.chain);
            });
    if (replaces)
        made = session::withMute(std::move(made), {of}, true);
    return with;
}

} // namespace cask::project
