// Teaches the ear for one-shots (core/measure/look/shot_ear), and judges it on sounds that were no lessons:
// folders of ROLE/NAME.wav as tests/takes/make_shots.py makes them. Arguments: OUT FOLDER... [--judge
// FOLDER...]. By hand; what it wrote last is resources/ear/shot_ear.txt.
#include "bench/teach_net.h"
#include "core/base/parallel.h"
#include "core/base/role.h"
#include "core/layers/drums_by_ear.h"
#include "core/layers/one_shot.h"
#include "core/measure/look/shot_ear.h"
#include "tests/support/random_kit.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <optional>

namespace {

using namespace cask;
using namespace cask::measure;
namespace fs = std::filesystem;

std::optional<ShotKind> kindOf(Role role) {
    static const std::map<Role, ShotKind> kKinds = {
        {Role::KickIn, ShotKind::Kick},          {Role::SnareTop, ShotKind::Snare},
        {Role::SideStick, ShotKind::SideStick},  {Role::Clap, ShotKind::Clap},
        {Role::ClosedHat, ShotKind::ClosedHat},  {Role::OpenHat, ShotKind::OpenHat},
        {Role::RackTom, ShotKind::Tom},          {Role::FloorTom, ShotKind::Tom},
        {Role::Crash, ShotKind::Crash},          {Role::Ride, ShotKind::Ride},
        {Role::Percussion, ShotKind::Percussion}};
    const auto known = kKinds.find(role);
    return known == kKinds.end() ? std::nullopt : std::optional(known->second);
}

struct Shot {
    ShotKind kind{};
    SoundLook look;
};

std::vector<Shot> shotsIn(const std::vector<fs::path>& folders) {
    std::vector<std::pair<fs::path, ShotKind>> files;
    for (const auto& folder : folders)
        for (const auto& own : fs::directory_iterator(folder))
            if (const auto role = roleFromId(own.path().filename().string()); role && kindOf(*role))
                for (const auto& file : fs::directory_iterator(own.path()))
                    files.emplace_back(file.path(), *kindOf(*role));
    std::sort(files.begin(), files.end());
    std::vector<std::optional<SoundLook>> looks(files.size());
    inParallel(files.size(), [&](std::size_t i) {
        if (const auto shot = layers::readOneShot(files[i].first))
            looks[i] = lookOf(shot->sound, shot->rateHz);
    });
    std::vector<Shot> shots;
    for (std::size_t i = 0; i < files.size(); ++i)
        if (looks[i])
            shots.push_back({files[i].second, *looks[i]});
    return shots;
}

/// Strokes of made-up kits, three of each drum.
std::vector<Shot> madeShots() {
    constexpr std::size_t kKits = 40;
    constexpr double kRate = 48000;
    std::vector<std::vector<Shot>> made(kKits);
    inParallel(kKits, [&](std::size_t k) {
        demo::Random r(9000 + k);
        const auto kit = test::makeKit(r);
        for (const auto& piece : kit.pieces) {
            const auto kind = kindOf(guessRoleFromName(piece.name).role);
            if (!kind)
                continue;
            const test::StrokeStore store(piece, kit.tuning, kRate, r);
            for (const double velocity : {0.15, 0.5, 0.95}) {
                double gain = 1;
                if (const auto look = lookOf({store.take(velocity, gain, r).top}, kRate))
                    made[k].push_back({*kind, *look});
            }
        }
    });
    std::vector<Shot> shots;
    for (const auto& some : made)
        shots.insert(shots.end(), some.begin(), some.end());
    return shots;
}

/// As many of each kind count as much.
bench::Lessons lessonsOf(const std::vector<Shot>& shots) {
    std::array<float, kShotKinds> count{};
    for (const auto& shot : shots)
        ++count[static_cast<std::size_t>(shot.kind)];
    bench::Lessons lessons(kShotKinds);
    for (const auto& shot : shots) {
        const auto kind = static_cast<std::size_t>(shot.kind);
        ShotShares truth{};
        truth[kind] = 1;
        ShotShares weight;
        weight.fill(std::min(4.0F, static_cast<float>(shots.size()) / (kShotKinds * count[kind])));
        lessons.add(shotNumbers(shot.look), truth, weight);
    }
    return lessons;
}

void judge(const std::vector<StrokeNet>& ear, const std::vector<Shot>& shots) {
    static constexpr const char* kNames[kShotKinds] = {"kick", "snare", "stick", "clap", "closed",
                                                       "open", "tom",   "crash", "ride", "perc"};
    std::array<std::array<int, kShotKinds>, kShotKinds> heard{};
    int right = 0;
    int sure = 0;
    int sureRight = 0;
    int byRule = 0;
    for (const auto& shot : shots) {
        const auto shares = shotShares(ear, shot.look);
        const auto best = std::max_element(shares.begin(), shares.end());
        const auto kind = static_cast<std::size_t>(best - shares.begin());
        ++heard[static_cast<std::size_t>(shot.kind)][kind];
        const bool isRight = kind == static_cast<std::size_t>(shot.kind);
        right += isRight;
        sure += *best >= 0.5F;
        sureRight += *best >= 0.5F && isRight;
        byRule += kindOf(layers::guessRoleOfLooks(std::span(&shot.look, 1)).role) == shot.kind;
    }
    fmt::print("{} of {} right; sure of {}, {} of them right; as it is now {}\n", right, shots.size(), sure,
               sureRight, byRule);
    fmt::print("{:>8}", "");
    for (const char* name : kNames)
        fmt::print("{:>7}", name);
    for (std::size_t k = 0; k < kShotKinds; ++k) {
        fmt::print("\n{:>8}", kNames[k]);
        for (const int count : heard[k])
            fmt::print("{:>7}", count);
    }
    fmt::print("\n");
}

} // namespace

int main(int argc, char** argv) {
    std::vector<fs::path> taught;
    std::vector<fs::path> judged;
    bool isJudging = false;
    for (int i = 2; i < argc; ++i)
        if (std::string_view(argv[i]) == "--judge")
            isJudging = true;
        else
            (isJudging ? judged : taught).emplace_back(argv[i]);
    if (taught.empty()) {
        fmt::print(stderr, "teach_shot_ear OUT FOLDER... [--judge FOLDER...]\n");
        return 2;
    }
    auto shots = shotsIn(taught);
    const auto made = madeShots();
    shots.insert(shots.end(), made.begin(), made.end());
    const auto lessons = lessonsOf(shots);
    std::vector<StrokeNet> ear(2);
    inParallel(ear.size(),
               [&](std::size_t n) { ear[n] = bench::teach(lessons, static_cast<unsigned>(n + 1), 0); });
    fmt::print("{} lessons\n", lessons.count());
    std::ofstream(argv[1]) << writeShotEar(ear);
    for (const auto& folder : judged) {
        fmt::print("{}: ", folder.string());
        judge(ear, shotsIn({folder}));
    }
    return 0;
}
