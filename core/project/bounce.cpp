#include "core/project/bounce.h"

#include "core/base/file_system.h"
#include "core/graph/offline_render.h"
#include "core/media/verify_file.h"
#include "core/project/delivery.h"
#include "core/session/hearing.h"

#include <fmt/format.h>

namespace cask::project {
namespace {

namespace fs = std::filesystem;

/// Heard, whatever is muted or soloed: of a bus also what reaches it stays as it is.
session::Session audible(const session::Session& s, session::Id what) {
    return session::withMute(session::withoutSolos(s), {what}, false);
}

} // namespace

Result<session::IntakeFile> bounce(const session::Session& session, const graph::SourceLookup& sources,
                                   const BouncePart& part, const fs::path& file, const WriteRules& rules,
                                   const CancelToken& cancel, const ProgressFn& progress) {
    if (session.output(part.what) == nullptr)
        return Error{ErrorCode::NotFound, "What was to be rendered is not in the session any more."};
    if (part.what == session.master().id)
        return Error{ErrorCode::BadValue, "The master can't be an element of its own session; export it."};
    if (const auto may = mayWrite(file, rules); !may)
        return may.error();
    media::WriteOptions format;
    format.sampleFormat = media::SampleFormat::Float32;
    auto writer = media::AudioWriter::create(file, session.sampleRateHz, 2, format, rules);
    if (!writer)
        return writer.error();
    graph::RenderOptions options;
    options.from = part.from;
    options.frames = part.frames;
    options.stems = {part.what};
    const auto rendered = graph::renderOffline(
        audible(session, part.what), sources, options,
        [&](int track, std::span<const float> block) -> Status {
            return track == 1 ? writer->write(block) : Status(Done{});
        },
        cancel, progress);
    if (!rendered)
        return rendered.error();
    if (const auto done = writer->commit(); !done)
        return done.error();
    const auto verified = media::verifyFile(file, cancel);
    if (!verified)
        return verified.error();
    const auto& info = verified->info;
    return session::IntakeFile{file.string(),
                               file.filename().string(),
                               info.frames,
                               info.channels,
                               info.sampleRateHz,
                               info.format,
                               {},
                               verified->contentHash};
}

fs::path freeBounceName(const fs::path& folder, std::string_view ofName) {
    const std::string name = fileNameFor(fmt::format("{} bounced", ofName));
    fs::path path = folder / (name + ".wav");
    for (int n = 2; diskFileSystem().exists(path); ++n)
        path = folder / fmt::format("{} {}.wav", name, n);
    return path;
}

Status canBeReplaced(const session::Session& s, session::Id what) {
    if (const auto* bus = s.bus(what); bus != nullptr && bus->path && bus->path->isEqualGain)
        return Error{
            ErrorCode::BadValue,
            fmt::format("{} has equal gain: muted, it would leave {} louder. Turn equal gain off, or "
                        "keep both.",
                        bus->name, s.nameOf(bus->path->of))};
    return Done{};
}

session::WithMade withBounced(session::Session s, const session::IntakeFile& file, const BouncePart& part,
                              const std::string& name, bool replaces) {
    const session::Element* of = s.element(part.what);
    const session::MadeElement made{name, of != nullptr ? of->role : Role::Loop, s.output(part.what)->bus,
                                    part.from};
    auto with = session::withMadeElement(std::move(s), file, made);
    if (replaces)
        with.session = session::withMute(std::move(with.session), {part.what}, true);
    return with;
}

} // namespace cask::project
