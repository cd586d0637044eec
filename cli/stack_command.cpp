// One-shots judged as a stack, without a session.
#include "cli/commands.h"
#include "core/measure/stack/stack_judge.h"
#include "core/media/audio_reader.h"
#include "core/media/resampler.h"

#include <fmt/format.h>

#include <algorithm>
#include <memory>
#include <ostream>

namespace cask::cli {
namespace {

using Json = nlohmann::ordered_json;

constexpr double kLongestS = 60;
constexpr std::size_t kMostLayers = 64;

struct StackOptions {
    std::vector<std::string> files;
    bool asJson = false;
};

/// The whole file at a rate; 0: its own, which is then said.
Result<measure::Sound> readOneShot(const std::string& path, double& rateHz) {
    auto reader = media::AudioReader::open(path);
    if (!reader)
        return reader.error();
    const auto& info = reader->info();
    const double ownHz = info.sampleRateHz;
    const int channels = info.channels;
    const auto most = secondsToFrames(kLongestS, ownHz);
    std::vector<float> interleaved;
    std::vector<float> piece(static_cast<std::size_t>(16384 * channels));
    for (Frames read = 0; (read = reader->read(piece)) > 0;) {
        interleaved.insert(interleaved.end(), piece.begin(), piece.begin() + read * channels);
        if (static_cast<Frames>(interleaved.size()) > most * channels)
            return Error{ErrorCode::BadValue,
                         fmt::format("{} is longer than {:.0f} s, so it is no one-shot; nothing was judged.",
                                     path, kLongestS)};
    }
    if (const auto state = reader->state(); !state)
        return state.error();
    if (rateHz <= 0)
        rateHz = ownHz;
    if (rateHz != ownHz) {
        auto resampler = media::Resampler::create(ownHz, rateHz, channels);
        if (!resampler)
            return resampler.error();
        std::vector<float> converted;
        for (const auto& some : {std::span<const float>(interleaved), std::span<const float>()}) {
            const auto out = resampler->process(some);
            converted.insert(converted.end(), out.begin(), out.end());
        }
        interleaved = std::move(converted);
    }
    measure::Sound sound(static_cast<std::size_t>(channels));
    for (std::size_t n = 0; n < interleaved.size(); ++n)
        sound[n % sound.size()].push_back(interleaved[n]);
    if (sound.front().empty())
        return Error{ErrorCode::BadValue, fmt::format("{} has no sound in it; nothing was judged.", path)};
    return sound;
}

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

int stack(Streams& streams, const StackOptions& o) {
    if (o.files.size() > kMostLayers)
        return fail(streams,
                    {ErrorCode::BadValue,
                     fmt::format("{} files are too many for a stack; {} are the most. Nothing was judged.",
                                 o.files.size(), kMostLayers)});
    std::vector<measure::Sound> layers;
    double rateHz = 0;
    for (const auto& file : o.files) {
        auto sound = readOneShot(file, rateHz);
        if (!sound)
            return fail(streams, sound.error());
        layers.push_back(std::move(*sound));
    }
    const auto judged = measure::judgeStack(layers, rateHz, streams.cancel);
    if (streams.cancel.isCancelled())
        return fail(streams, {ErrorCode::Cancelled, "Stopped; nothing was judged."});
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
    printJson(streams.out, {{"layers", std::move(list)},
                            {"low_end_owner", nameOf(judged.lowEndOwner)},
                            {"low_end_below_hz", measure::StackJudgement::kLowHz},
                            {"strongest_attack", nameOf(judged.strongest)},
                            {"attack_db", inHundredths(judged.attackDb)},
                            {"attack_in_line_db", inHundredths(judged.attackInLineDb)},
                            {"low_attack_db", inHundredths(judged.lowAttackDb)},
                            {"low_attack_in_line_db", inHundredths(judged.lowAttackInLineDb)},
                            {"thirds_hz", std::move(centres)}});
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
    command->add_flag("--json", o->asJson, "JSON on standard output");
    command->callback([&streams, &exitCode, o] { exitCode = stack(streams, *o); });
}

} // namespace cask::cli
