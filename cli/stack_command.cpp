// One-shots judged as a stack, without a session.
#include "cli/commands.h"
#include "core/layers/one_shot.h"
#include "core/measure/stack/stack_judge.h"
#include "core/media/audio_writer.h"
#include "core/project/outbox.h"

#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kMostLayers = 64;

struct StackOptions {
    std::vector<std::string> files;
    std::string out, name = "Stack";
    int key = 36;
    bool overwrites = false;
    bool asJson = false;
};

double rounded(double value, double steps) {
    return std::round(steps * value) / steps;
}

Json toJson(const std::string& file, const measure::LayerPart& part) {
    Json thirds = Json::array();
    for (const double share : part.thirdShares)
        thirds.push_back(rounded(share, 1e4));
    return {{"file", file},
            {"shift_ms", rounded(part.alignment.shiftMs, 1e3)},
            {"inverted", part.alignment.isInverted},
            {"same_sound", part.alignment.isCopy},
            {"gain_db", inHundredths(part.gainDb)},
            {"low_share", rounded(part.lowShare, 1e4)},
            {"low_cut", part.lowCut ? Json{{"hz", part.lowCut->hz},
                                           {"attack_db", inHundredths(part.lowCut->attackDb)},
                                           {"low_attack_db", inHundredths(part.lowCut->lowAttackDb)}}
                                    : Json(nullptr)},
            {"onset_ms", rounded(part.onsetMs, 1e3)},
            {"length_ms", rounded(part.lengthMs, 10)},
            {"peak_db", inHundredths(part.peakDb)},
            {"attack_share", rounded(part.attackShare, 1e4)},
            {"body_share", rounded(part.bodyShare, 1e4)},
            {"tail_share", rounded(part.tailShare, 1e4)},
            {"lost_without_db", inHundredths(part.lostDb)},
            {"most_lost_db", inHundredths(part.mostLostDb)},
            {"most_lost_hz", inHundredths(part.mostLostHz)},
            {"third_shares", std::move(thirds)}};
}

void print(std::ostream& out, const std::vector<std::string>& files, const measure::StackJudgement& judged) {
    std::size_t widest = 0;
    for (const auto& file : files)
        widest = std::max(widest, file.size());
    for (std::size_t i = 0; i < files.size(); ++i) {
        const auto& part = judged.layers[i];
        out << fmt::format("{:<{}}  ", files[i], widest);
        if (part.peakDb <= kSilenceDb) {
            out << "silent\n";
            continue;
        }
        if (i > 0)
            out << fmt::format("{:+.2f} ms{}{}, ", part.alignment.shiftMs,
                               part.alignment.isInverted ? ", polarity inverted" : "",
                               part.alignment.isCopy ? ", the same sound" : ", by its onset");
        out << fmt::format("{:.0f} % of the lows, {:.0f} % of the attack, {:.0f} % of the tail; without it "
                           "{:.1f} dB softer, {:.1f} dB at {:.0f} Hz\n",
                           100 * part.lowShare, 100 * part.attackShare, 100 * part.tailShare, part.lostDb,
                           part.mostLostDb, part.mostLostHz);
    }
    for (std::size_t i = 0; i < files.size(); ++i)
        if (const auto& cut = judged.layers[i].lowCut)
            out << fmt::format(
                "{} shares the lows: a high-pass at {:.0f} Hz leaves them to the owner; the attack "
                "changes by {:+.1f} dB, its lows by {:+.1f} dB.\n",
                files[i], cut->hz, cut->attackDb, cut->lowAttackDb);
    if (judged.lowEndOwner >= 0)
        out << fmt::format("{} owns the low end.\n", files[static_cast<std::size_t>(judged.lowEndOwner)]);
    else
        out << "Nothing here has a low end.\n";
    if (judged.strongest >= 0 && files.size() > 1)
        out << fmt::format("First 10 ms against {} alone: {:+.1f} dB as they are, {:+.1f} dB in line; below "
                           "200 Hz {:+.1f} and {:+.1f} dB.\n",
                           files[static_cast<std::size_t>(judged.strongest)], judged.attackDb,
                           judged.attackInLineDb, judged.lowAttackDb, judged.lowAttackInLineDb);
}

/// Layers in line with the first, each as a file, their sum, and a kit that plays them together.
Result<std::vector<std::filesystem::path>> writeFiles(const StackOptions& o,
                                                      const std::vector<measure::Sound>& sounds,
                                                      const measure::StackJudgement& judged, double rateHz) {
    std::vector<Frames> moved;
    for (const auto& part : judged.layers)
        moved.push_back(std::llround(0.001 * part.alignment.shiftMs * rateHz));
    const Frames earliest = *std::min_element(moved.begin(), moved.end());
    std::size_t channels = 1;
    std::size_t frames = 0;
    for (std::size_t i = 0; i < sounds.size(); ++i) {
        moved[i] -= earliest;
        channels = std::max(channels, sounds[i].size());
        frames = std::max(frames, sounds[i].front().size() + static_cast<std::size_t>(moved[i]));
    }
    ProtectedFiles sources;
    for (const auto& file : o.files)
        sources.add(file);
    auto outbox =
        project::Outbox::open(o.out, {o.overwrites ? IfExists::Replace : IfExists::Refuse, &sources});
    if (!outbox)
        return outbox.error();
    const auto write = [&](const std::string& name, const std::vector<float>& interleaved) -> Status {
        const auto place = outbox->place(name);
        if (!place)
            return place.error();
        media::WriteOptions format;
        format.sampleFormat = media::SampleFormat::Float32;
        auto writer = media::AudioWriter::create(*place, rateHz, static_cast<int>(channels), format);
        if (!writer)
            return writer.error();
        if (auto done = writer->write(interleaved); !done)
            return done;
        return writer->commit();
    };
    std::vector<float> sum(frames * channels, 0.0F);
    std::string kit = "// Layers in line with the first; written by Ember Cask.\n";
    for (std::size_t i = 0; i < sounds.size(); ++i) {
        std::vector<float> layer(frames * channels, 0.0F);
        const float sign = judged.layers[i].alignment.isInverted ? -1.0F : 1.0F;
        const auto from = static_cast<std::size_t>(moved[i]);
        for (std::size_t c = 0; c < channels; ++c) {
            const auto& sound = sounds[i][std::min(c, sounds[i].size() - 1)];
            for (std::size_t n = 0; n < sound.size(); ++n)
                layer[(from + n) * channels + c] = sign * sound[n];
        }
        for (std::size_t n = 0; n < sum.size(); ++n)
            sum[n] += layer[n];
        const std::string name =
            fmt::format("{} - {} {}.wav", o.name, i + 1, std::filesystem::path(o.files[i]).stem().string());
        if (auto done = write(name, layer); !done)
            return done.error();
        kit +=
            fmt::format("<region> key={0} pitch_keycenter={0} loop_mode=one_shot sample={1}\n", o.key, name);
    }
    if (auto done = write(o.name + ".wav", sum); !done)
        return done.error();
    const auto place = outbox->place(o.name + ".sfz");
    if (!place)
        return place.error();
    if (auto done = diskFileSystem().writeAtomically(*place, kit); !done)
        return done.error();
    if (auto done = outbox->deliver(); !done)
        return done.error();
    return outbox->paths();
}

int stack(Streams& streams, const StackOptions& o) {
    if (o.files.size() > kMostLayers)
        return fail(streams,
                    {ErrorCode::BadValue,
                     fmt::format("{} files are too many for a stack; {} are the most. Nothing was judged.",
                                 o.files.size(), kMostLayers)});
    std::vector<measure::Sound> sounds;
    double rateHz = 0;
    for (const auto& file : o.files) {
        auto shot = layers::readOneShot(file, rateHz);
        if (!shot)
            return fail(streams, {shot.error().code, shot.error().message + " Nothing was judged."});
        rateHz = shot->rateHz; // that of the first
        sounds.push_back(std::move(shot->sound));
    }
    const auto judged = measure::judgeStack(sounds, rateHz, streams.cancel);
    if (streams.cancel.isCancelled())
        return fail(streams, {ErrorCode::Cancelled, "Stopped; nothing was judged."});
    Json written = Json::array();
    if (!o.out.empty()) {
        const auto files = writeFiles(o, sounds, judged, rateHz);
        if (!files)
            return failWriting(streams, files.error());
        for (const auto& file : *files) {
            written.push_back(file.string());
            streams.err << "wrote " << file.string() << '\n';
        }
    }
    if (!o.asJson) {
        print(streams.out, o.files, judged);
        return kDone;
    }
    Json list = Json::array();
    for (std::size_t i = 0; i < o.files.size(); ++i)
        list.push_back(toJson(o.files[i], judged.layers[i]));
    Json centres = Json::array();
    for (const double hz : measure::stackThirdsHz())
        centres.push_back(inHundredths(hz));
    const auto nameOf = [&](int layer) {
        return layer < 0 ? Json(nullptr) : Json(o.files[static_cast<std::size_t>(layer)]);
    };
    Json told{{"layers", std::move(list)},
              {"low_end_owner", nameOf(judged.lowEndOwner)},
              {"low_end_below_hz", measure::StackJudgement::kLowHz},
              {"strongest_attack", nameOf(judged.strongest)},
              {"attack_db", inHundredths(judged.attackDb)},
              {"attack_in_line_db", inHundredths(judged.attackInLineDb)},
              {"low_attack_db", inHundredths(judged.lowAttackDb)},
              {"low_attack_in_line_db", inHundredths(judged.lowAttackInLineDb)},
              {"thirds_hz", std::move(centres)}};
    if (!o.out.empty())
        told["files"] = std::move(written);
    printJson(streams.out, told);
    return kDone;
}

} // namespace

void addStackCommand(CLI::App& app, Streams& streams, int& exitCode) {
    auto* command = app.add_subcommand(
        "stack",
        "Judges one-shots as layers of one drum: shifts and polarity, who owns the lows, who is heard");
    const auto o = std::make_shared<StackOptions>();
    command
        ->add_option("FILES", o->files,
                     "Sound files of one stroke each; the others are put in line with the first")
        ->required();
    command->add_option("--out", o->out,
                        "Writes the layers in line, their sum and a kit (SFZ) into this folder");
    command->add_option("--name", o->name, "Of these files (default: Stack)");
    command->add_option("--key", o->key, "Note of the kit")->check(CLI::Range(0, 127));
    command->add_flag("--overwrite", o->overwrites, "Replaces files of the same names");
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = stack(streams, *o); });
}

} // namespace cask::cli
