#include "tests/support/random_take.h"

#include "core/base/units.h"
#include "core/demo/demo_kit.h"
#include "core/demo/random.h"
#include "core/demo/room.h"
#include "core/dsp/kernels.h"
#include "tests/support/random_kit.h"
#include "tests/support/random_player.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>

namespace cask::test {
namespace {

using demo::Drum;
using demo::Point;
using demo::Random;

constexpr double kSoundSpeed = 343;

struct Placed {
    TakeMicrophone microphone;
    std::vector<demo::Microphone> at; // one per channel
    std::vector<std::size_t> own;     // pieces
    bool hearsUnderside = false;
    double headroomDb = -6;
};

std::vector<Placed> placeMicrophones(const Kit& kit, const TakeRecipe& recipe, RandomTake& take, Random& r) {
    std::vector<Placed> all;
    const auto drumOf = [&](const std::string& name) {
        for (std::size_t d = 0; d < take.drums.size(); ++d)
            if (take.drums[d] == name)
                return static_cast<int>(d);
        return -1;
    };
    const auto close = [&](const char* name, Role role, const std::string& piece, double above, bool under) {
        Placed p;
        p.microphone.name = name;
        p.microphone.role = role;
        p.microphone.drum = drumOf(piece);
        for (std::size_t i = 0; i < kit.pieces.size(); ++i)
            if (kit.pieces[i].name == piece || (piece == "hat" && kit.pieces[i].name == "open hat"))
                p.own.push_back(i);
        const Point at = kit.pieces[p.own.front()].place;
        p.at = {{{at.x + jitter(r, 0.06), at.y + jitter(r, 0.06), at.z + above * r.between(0.7, 1.4)},
                 1,
                 r.between(0.02, 0.12),
                 0.012 * recipe.reverb,
                 r.between(4500, 11000)}};
        p.hearsUnderside = under;
        p.headroomDb = r.between(-16, -2);
        all.push_back(std::move(p));
    };
    close("Kick In", Role::KickIn, "kick", 0.02, false);
    if (recipe.hasSecondMicrophones && !recipe.isMinimal)
        close("Kick Out", Role::KickOut, "kick", 0.05, true);
    close("Snare Top", Role::SnareTop, "snare", 0.08, false);
    if (recipe.hasSecondMicrophones && !recipe.isMinimal)
        close("Snare Bottom", Role::SnareBottom, "snare", -0.12, true);
    if (recipe.hasHatMicrophone && !recipe.isMinimal)
        close("Hat", Role::ClosedHat, "hat", 0.12, false);
    if (recipe.hasTomMicrophones && !recipe.isMinimal) {
        close("Rack Tom 1", Role::RackTom, "rack tom 1", 0.08, false);
        close("Rack Tom 2", Role::RackTom, "rack tom 2", 0.08, false);
        close("Floor Tom", Role::FloorTom, "floor tom", 0.09, false);
    }
    if (recipe.isWithoutSpill) {
        close("Ride", Role::Ride, "ride", 0.1, false);
        close("Crash", Role::Crash, "crash", 0.1, false);
        return all;
    }
    const auto far = [&](const char* name, Role role, double y, double z, double spread, double reflections,
                         double reverb) {
        Placed p;
        p.microphone.name = name;
        p.microphone.role = role;
        const double x = kit.room.size.x / 2;
        for (const double side : {-1.0, 1.0})
            p.at.push_back({{x + side * spread + jitter(r, 0.1), y, z}, 1, reflections, reverb, 16000});
        p.headroomDb = r.between(-14, -3);
        all.push_back(std::move(p));
    };
    const double y0 = kit.room.size.y * 0.45;
    far("Overheads", Role::Overhead, y0 + jitter(r, 0.3), r.between(1.7, 2.2), r.between(0.15, 0.9),
        r.between(0.3, 0.7), 0.03 * recipe.reverb);
    if (recipe.hasRoomMicrophones && !recipe.isMinimal)
        far("Room", Role::Room, std::min(kit.room.size.y - 0.4, y0 + r.between(1.5, 5)), r.between(0.8, 2),
            r.between(0.5, 1.5), 0.7, 0.16 * recipe.reverb);
    return all;
}

double distance(const Point& a, const Point& b) {
    return std::hypot(a.x - b.x, a.y - b.y, a.z - b.z);
}

float peakAround(const std::vector<float>& x, double timeS, double rate) {
    const auto from = static_cast<std::size_t>(std::max(0.0, timeS) * rate);
    float peak = 0;
    for (std::size_t n = from; n < std::min(x.size(), from + static_cast<std::size_t>(0.025 * rate)); ++n)
        peak = std::max(peak, std::fabs(x[n]));
    return peak;
}

} // namespace

std::vector<TakeRecipe> takeRecipes(unsigned long long salt) {
    const char* const grooves[] = {"rock",  "sixteenths", "shuffle",  "ghosts",
                                   "train", "toms",       "halftime", "fast"};
    std::vector<TakeRecipe> all;
    Random r(salt);
    for (int i = 0; i < 48; ++i) {
        TakeRecipe recipe;
        recipe.seed = (salt == 77 ? 1000 : 100000 * salt) + static_cast<unsigned long long>(i) * 17;
        recipe.groove = grooves[i % 8];
        const int rates[] = {48000, 48000, 44100, 48000, 96000, 48000};
        recipe.sampleRateHz = rates[i % 6];
        recipe.spillDb = r.between(-24, -14);
        recipe.ghostDb = r.between(-24, -14);
        recipe.noiseDb = r.between(-85, -60);
        recipe.reverb = r.between(0.3, 2);
        recipe.hasHatMicrophone = r.uniform() < 0.75;
        recipe.hasTomMicrophones = r.uniform() < 0.8;
        recipe.hasRoomMicrophones = r.uniform() < 0.6;
        recipe.hasSecondMicrophones = r.uniform() < 0.7;
        recipe.isMinimal = i % 8 == 5 ? false : r.uniform() < 0.15;
        recipe.isWithoutSpill = i % 12 == 11;
        if (i % 10 == 9)
            recipe.lateFileMs = r.between(3, 25);
        all.push_back(recipe);
    }
    return all;
}

namespace {

TrueTone toneOf(const Piece& piece, const demo::Tuning& t) {
    switch (piece.model) {
    case demo::Drum::Kick:
        return {t.kickHz / piece.stretch, 0};
    case demo::Drum::Snare:
        return {t.snareHz / piece.stretch, t.snareRingHz / piece.stretch};
    case demo::Drum::RackTom:
        return {t.rackHz / piece.stretch, 0};
    case demo::Drum::FloorTom:
        return {t.floorHz / piece.stretch, 0};
    default:
        return {};
    }
}

} // namespace

RandomTake makeRandomTake(const TakeRecipe& recipe) {
    const dsp::DenormalGuard guard; // silence between strokes would take most of the time
    RandomTake take;
    take.recipe = recipe;
    Random r(recipe.seed);
    const double rate = recipe.sampleRateHz;
    const Kit kit = makeKit(r);
    take.tempoBpm = recipe.groove == "fast" ? r.between(160, 190) : r.between(60, 165);
    if (recipe.groove == "sixteenths" || recipe.groove == "ghosts" || recipe.groove == "train")
        take.tempoBpm = r.between(66, 118);
    take.swingPercent = recipe.groove == "shuffle" ? r.between(57, 67) : 50;
    take.firstBarS = r.between(0.15, 0.8);
    take.difficulty = recipe.isWithoutSpill  ? "stems without spill"
                      : recipe.isMinimal     ? "kick, snare, overheads"
                      : recipe.spillDb > -17 ? "spill -14 to -17 dB"
                      : recipe.spillDb > -20 ? "spill -17 to -20 dB"
                                             : "spill -20 to -24 dB";
    // An open hat is the hat's.
    std::vector<int> drumOfPiece;
    for (const auto& piece : kit.pieces) {
        if (piece.name != "open hat") {
            take.drums.push_back(piece.name);
            take.tones.push_back(toneOf(piece, kit.tuning));
        }
        drumOfPiece.push_back(piece.name == "open hat" ? drumOfPiece.back()
                                                       : static_cast<int>(take.drums.size()) - 1);
    }
    RandomPlayer player(kit, recipe, take, r);
    player.play();
    const auto events = player.events();

    const auto frames = static_cast<std::size_t>(recipe.seconds * rate);
    std::vector<std::vector<float>> top(kit.pieces.size(), std::vector<float>(frames));
    std::vector<std::vector<float>> under = top;
    std::vector<std::unique_ptr<StrokeStore>> stores(kit.pieces.size());
    for (const auto& e : events) {
        auto& store = stores[e.piece];
        if (store == nullptr)
            store = std::make_unique<StrokeStore>(kit.pieces[e.piece], kit.tuning, rate, r);
        double gain = 1;
        const Sound& s = store->take(e.velocity, gain, r);
        const auto g = static_cast<float>(gain);
        const auto start = static_cast<std::size_t>(std::llround(e.timeS * rate));
        for (std::size_t n = 0; n < s.top.size() && start + n < frames; ++n)
            top[e.piece][start + n] += g * s.top[n];
        for (std::size_t n = 0; n < s.underside.size() && start + n < frames; ++n)
            under[e.piece][start + n] += g * s.underside[n];
        take.hits.push_back(
            {drumOfPiece[e.piece], e.timeS, e.velocity, e.kind, e.timeS + onsetOf(s.top, rate)});
    }
    std::vector<float> feed(frames);
    for (const auto& x : top)
        for (std::size_t n = 0; n < frames; ++n)
            feed[n] += 0.25F * x[n];
    const auto late = demo::lateSound(feed, kit.room, rate);

    auto placed = placeMicrophones(kit, recipe, take, r);
    take.delayS.assign(take.drums.size(), std::vector<double>(placed.size()));
    for (std::size_t m = 0; m < placed.size(); ++m) {
        Placed& p = placed[m];
        const bool isLate =
            recipe.lateFileMs > 0 && p.microphone.name == (recipe.hasHatMicrophone ? "Hat" : "Rack Tom 1");
        const double fileS = isLate ? recipe.lateFileMs * 0.001 : 0;
        for (std::size_t i = 0; i < kit.pieces.size(); ++i)
            take.delayS[static_cast<std::size_t>(drumOfPiece[i])][m] =
                fileS + std::max(0.04, distance(kit.pieces[i].place, p.at.front().at)) / kSoundSpeed;
        for (std::size_t c = 0; c < p.at.size(); ++c) {
            std::vector<float> own(frames);
            std::vector<float> spill(frames);
            for (std::size_t i = 0; i < kit.pieces.size(); ++i) {
                const bool isOwn = std::find(p.own.begin(), p.own.end(), i) != p.own.end();
                if (stores[i] == nullptr || (recipe.isWithoutSpill && !isOwn))
                    continue;
                demo::addHeard(p.hearsUnderside && isOwn ? under[i] : top[i], kit.pieces[i].place, p.at[c],
                               kit.room, isOwn, 1, rate, isOwn || p.own.empty() ? own : spill);
            }
            // Spill as the recipe says: the strongest hat against the strongest snare in the snare's
            // microphone; elsewhere about the same for the strongest of all other drums.
            double spillGain = 1;
            if (!p.own.empty() && !recipe.isWithoutSpill) {
                const float ownPeak = *std::max_element(own.begin(), own.end());
                float strongest = 0;
                for (const auto& e : events)
                    if (p.microphone.role != Role::SnareTop || kit.pieces[e.piece].name == "hat")
                        strongest = std::max(strongest, peakAround(spill, e.timeS, rate));
                const double goal =
                    p.microphone.role == Role::SnareTop ? recipe.spillDb : recipe.spillDb + r.between(-4, 8);
                if (strongest > 0 && ownPeak > 0)
                    spillGain = std::min(dbToLinear(goal) * ownPeak / strongest, 3.0);
            }
            const double lateGain = recipe.isWithoutSpill ? 0 : p.at[c].reverb;
            std::vector<float> alone;
            if (recipe.keepsOwn && !p.own.empty())
                alone = own;
            auto& out = own;
            for (std::size_t n = 0; n < frames; ++n)
                out[n] += static_cast<float>(spillGain * spill[n] + lateGain * late[c % 2][n]);
            float peak = 1e-6F;
            for (const float v : out)
                peak = std::max(peak, std::fabs(v));
            const auto scale = static_cast<float>(dbToLinear(p.headroomDb)) / peak;
            const auto noise = static_cast<float>(dbToLinear(recipe.isWithoutSpill ? -120 : recipe.noiseDb));
            for (float& v : out)
                v = v * scale + noise * r.noise();
            for (float& v : alone)
                v *= scale;
            if (recipe.keepsOwn)
                p.microphone.own.push_back(std::move(alone));
            if (isLate) {
                const auto by = static_cast<std::ptrdiff_t>(std::llround(fileS * rate));
                std::rotate(out.begin(), out.end() - by, out.end());
            }
            p.microphone.channels.push_back(std::move(out));
        }
        take.microphones.push_back(std::move(p.microphone));
    }
    return take;
}

RandomTake demoAsTake(unsigned long long seed) {
    auto demo = demo::makeDemoTake(seed);
    RandomTake take;
    take.difficulty = "demo kit";
    take.tempoBpm = demo.performance.tempoBpm;
    take.firstBarS = demo.performance.verseStartS;
    take.recipe.sampleRateHz = demo.sampleRateHz;
    take.drums = {"kick", "snare", "hat", "rack tom", "floor tom", "crash", "ride"};
    const auto drumOf = [](Drum d) {
        switch (d) {
        case Drum::Kick:
            return 0;
        case Drum::Snare:
            return 1;
        case Drum::Hat:
        case Drum::OpenHat:
            return 2;
        case Drum::RackTom:
            return 3;
        case Drum::FloorTom:
            return 4;
        case Drum::Crash:
            return 5;
        case Drum::Ride:
            return 6;
        }
        return -1;
    };
    for (const auto& stroke : demo.performance.strokes)
        take.hits.push_back(
            {drumOf(stroke.drum), stroke.timeS, stroke.velocity, std::string(stroke.kind), stroke.timeS});
    struct Mic {
        const char* name;
        Role role;
        int drum;
        double wayS;
    };
    const Mic mics[] = {
        {"Kick In", Role::KickIn, 0, 0.0003},     {"Kick Out", Role::KickOut, 0, 0.0045},
        {"Snare Top", Role::SnareTop, 1, 0.0003}, {"Snare Bottom", Role::SnareBottom, 1, 0.0004},
        {"Hat", Role::ClosedHat, 2, 0.0005},      {"Rack Tom", Role::RackTom, 3, 0.0004},
        {"Floor Tom", Role::FloorTom, 4, 0.0004}, {"Overheads", Role::Overhead, -1, 0.0035},
        {"Room", Role::Room, -1, 0.011}};
    take.delayS.assign(take.drums.size(), {});
    for (const auto& mic : mics) {
        for (auto& track : demo.tracks)
            if (track.name == mic.name)
                take.microphones.push_back({mic.name, mic.role, mic.drum, std::move(track.channels), 0});
        for (std::size_t d = 0; d < take.drums.size(); ++d)
            take.delayS[d].push_back(static_cast<int>(d) == mic.drum || mic.drum < 0 ? mic.wayS : 0.0025);
    }
    return take;
}

} // namespace cask::test
