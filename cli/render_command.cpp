#include "cli/commands.h"
#include "core/project/delivery.h"
#include "core/project/offline_sources.h"
#include "core/project/played_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

struct RenderOptions {
    std::string folder;
    std::string out;
    bool mix = false;
    std::string stems = "none";
    std::string section;
    double fromS = 0;
    double toS = 0;
    bool withTails = false;
    std::string format = "wav24";
    std::string names;
    double rateHz = 0;
    bool noDither = false;
    int threads = 2;
    bool overwrites = false;
    bool allowsMissing = false;
    bool json = false;
};

const std::map<std::string, project::Stems> kStems = {{"none", project::Stems::None},
                                                      {"elements", project::Stems::Elements},
                                                      {"buses", project::Stems::Buses},
                                                      {"master", project::Stems::MasterInputs},
                                                      {"tracks", project::Stems::Tracks}};

/// A stretch of the session, frames; 0 frames: to its end.
struct Part {
    Frames from = 0;
    Frames frames = 0;
};

Result<Part> partOf(const session::Session& s, const RenderOptions& o) {
    double from = o.fromS;
    double to = o.toS;
    if (!o.section.empty()) {
        const auto found = std::find_if(s.sections.begin(), s.sections.end(),
                                        [&](const auto& section) { return section.name == o.section; });
        if (found == s.sections.end())
            return Error{ErrorCode::NotFound, fmt::format("There is no section \"{}\".", o.section)};
        from = found->startS;
        to = found->endS;
    }
    if (to != 0 && to <= from)
        return Error{ErrorCode::BadValue,
                     fmt::format("{:g} s to {:g} s holds nothing: the end must lie after "
                                 "the beginning.",
                                 from, to)};
    const Frames begin = secondsToFrames(from, s.sampleRateHz);
    return Part{begin, to == 0 ? 0 : secondsToFrames(to, s.sampleRateHz) - begin};
}

int render(Streams& streams, const RenderOptions& o) {
    const auto s = openSession(streams, o.folder);
    if (!s)
        return fail(streams, s.error());
    const auto sources =
        project::openOfflineSources(*s, o.folder, streams.cancel, progressTo(streams, "Opening files"));
    if (!sources)
        return fail(streams, sources.error());
    for (const auto& problem : sources->problems)
        streams.err << problem << (o.allowsMissing ? " It is silent in what is rendered.\n" : "\n");
    if (!sources->problems.empty() && !o.allowsMissing)
        return fail(streams,
                    {ErrorCode::NotReadable,
                     "Nothing was rendered; --allow-missing renders silence in place of such files."});
    const auto protectedFiles = project::protectedFiles(*s, o.folder);
    project::DeliveryOptions d;
    d.rules = {o.overwrites ? IfExists::Replace : IfExists::Refuse, &protectedFiles};
    d.missing = sources->problems;
    d.stems = kStems.at(o.stems);
    d.withTails = o.withTails;
    d.namePattern = o.names;
    const auto part = partOf(*s, o);
    if (!part)
        return fail(streams, part.error());
    d.from = part->from;
    d.frames = part->frames;
    d.mix = o.mix || d.stems == project::Stems::None;
    d.file.container = o.format.starts_with("flac") ? media::Container::Flac : media::Container::Wav;
    d.file.sampleFormat = o.format.ends_with("16")   ? media::SampleFormat::Pcm16
                          : o.format.ends_with("24") ? media::SampleFormat::Pcm24
                                                     : media::SampleFormat::Float32;
    d.file.dither = !o.noDither;
    d.sampleRateHz = o.rateHz;
    d.threads = o.threads;
    const auto report =
        project::deliver(*s, sources->lookup(), o.out, d, streams.cancel, progressTo(streams, "Rendering"));
    if (!report)
        return failWriting(streams, report.error());
    for (const auto& note : report->notes)
        streams.err << note << '\n';
    nlohmann::ordered_json files = nlohmann::ordered_json::array();
    for (const auto& f : report->files) {
        files.push_back({{"file", f.path.string()},
                         {"bytes", f.bytes},
                         {"sha256", f.sha256},
                         {"frames", f.frames},
                         {"integrated_lufs", f.integratedLufs},
                         {"true_peak_db", f.truePeakDb},
                         {"clipped_samples", f.clippedSamples}});
        if (!o.json)
            streams.out << fmt::format("{}  {:.1f} LUFS, {:.1f} dBTP\n", f.path.string(), f.integratedLufs,
                                       f.truePeakDb);
    }
    if (o.json)
        printJson(streams.out, {{"files", std::move(files)},
                                {"manifest", report->manifest.string()},
                                {"complete", report->isComplete},
                                {"sound_s", report->soundS},
                                {"wall_s", report->wallS},
                                {"notes", report->notes},
                                {"missing", sources->problems}});
    else
        streams.out << fmt::format("{:.1f} s of sound in {:.2f} s ({:.0f} times real time)\n", report->soundS,
                                   report->wallS, report->soundS / std::max(1e-6, report->wallS));
    return sources->problems.empty() ? kDone : kBadInput;
}

} // namespace

void addRenderCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand("render", "Writes the mix and stems");
    const auto o = std::make_shared<RenderOptions>();
    command->add_option("SESSION", o->folder, "Session folder")->required();
    command->add_option("--out", o->out, "Folder for the files")->required();
    command->add_flag("--mix", o->mix, "The mix (also when no stems are asked for)");
    command
        ->add_option(
            "--stems", o->stems,
            "elements or buses (after level and pan), master (what enters it: sums to the mix before "
            "its chain) or tracks (elements before level and pan, under the names of their files)")
        ->check(CLI::IsMember(kStems))
        ->expected(0, 1)
        ->default_str("elements");
    command->add_flag("--tails", o->withTails, "Tracks go on to the end of the session");
    auto* section = command->add_option("--section", o->section, "This section alone");
    command->add_option("--from", o->fromS, "From this second on")
        ->check(CLI::NonNegativeNumber)
        ->excludes(section);
    command->add_option("--to", o->toS, "To this second")->check(CLI::PositiveNumber)->excludes(section);
    command->add_option("--format", o->format, "wav16, wav24, wav32f, flac16 or flac24")
        ->check(CLI::IsMember({"wav16", "wav24", "wav32f", "flac16", "flac24"}));
    command->add_option("--names", o->names,
                        "How files are called: text with {session}, {name}, {file}, {role}, {bus}, {number} "
                        "(default: \"{session} - {name}\", of tracks \"{file}\")");
    command->add_option("--rate", o->rateHz, "Sample rate of the files, Hz (default: the session's)")
        ->check(CLI::Range(8000.0, 384000.0));
    command->add_flag("--no-dither", o->noDither, "Round without dither when reducing to 16 or 24 bits");
    command->add_option("--threads", o->threads, "Threads to render with")->check(CLI::Range(1, 64));
    command->add_flag("--overwrite", o->overwrites, "Replace files of the same names (never a source)");
    command->add_flag("--allow-missing", o->allowsMissing,
                      "Render silence in place of sources that are missing, broken or changed");
    command->add_flag("--json", o->json, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = render(streams, *o); });
}

} // namespace cask::cli
