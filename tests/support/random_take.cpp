#include "tests/support/random_take.h"

#include "core/base/units.h"
#include "core/demo/demo_kit.h"
#include "core/demo/random.h"
#include "core/demo/room.h"
#include "core/dsp/kernels.h"

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

/// A drum of the take: how it is made and where it stands.
struct Piece {
    std::string name;
    Drum model = Drum::Kick;
    Point place;
    double stretch = 1; ///< resampling of the model: lower and longer above 1
    double tiltDb = 0;  ///< highs against lows
    double softenS = 0; ///< a slower rise
    double gain = 1;
};

struct Kit {
    std::vector<Piece> pieces;
    demo::Tuning tuning;
    demo::RoomSize room;
};

double jitter(Random& r, double by) {
    return r.between(-by, by);
}

Kit makeKit(const TakeRecipe&, Random& r) {
    Kit kit;
    kit.room.size = {r.between(3.5, 12), r.between(4, 15), r.between(2.3, 6)};
    kit.room.wall = r.between(0.25, 0.75);
    kit.room.decayS = r.between(0.25, 1.6);
    kit.tuning.kickHz = r.between(44, 72);
    kit.tuning.snareHz = r.between(150, 260);
    kit.tuning.snareRingHz = kit.tuning.snareHz * r.between(1.9, 2.6);
    kit.tuning.rackHz = r.between(105, 170);
    kit.tuning.rackBoxHz = r.between(300, 450);
    kit.tuning.floorHz = r.between(62, 100);
    const double side = r.uniform() < 0.2 ? -1 : 1; // some play left-handed
    const double x0 = kit.room.size.x / 2;
    const double y0 = kit.room.size.y * 0.45;
    const auto place = [&](double x, double y, double z) {
        return Point{x0 + side * x + jitter(r, 0.06), y0 + y + jitter(r, 0.06), z + jitter(r, 0.05)};
    };
    const auto add = [&](const char* name, Drum model, Point at) {
        kit.pieces.push_back({name, model, at, r.between(0.85, 1.2), jitter(r, 6),
                              model == Drum::Kick ? r.between(0, 0.003) : 0, dbToLinear(jitter(r, 3))});
    };
    add("kick", Drum::Kick, place(0, 0.35, 0.35));
    add("snare", Drum::Snare, place(0.33, -0.05, 0.75));
    add("hat", Drum::Hat, place(0.75, 0.02, 0.98));
    add("open hat", Drum::OpenHat, kit.pieces.back().place);
    kit.pieces.back() = {
        "open hat", Drum::OpenHat,     kit.pieces[2].place, kit.pieces[2].stretch, kit.pieces[2].tiltDb,
        0,          kit.pieces[2].gain};
    add("rack tom 1", Drum::RackTom, place(0.12, 0.35, 0.95));
    add("rack tom 2", Drum::RackTom, place(-0.25, 0.33, 0.93));
    kit.pieces.back().stretch *= 1.25;
    add("floor tom", Drum::FloorTom, place(-0.6, -0.1, 0.65));
    add("crash", Drum::Crash, place(0.7, 0.6, 1.4));
    add("ride", Drum::Ride, place(-0.75, 0.4, 1.15));
    return kit;
}

/// Straight-line interpolation at another speed; ends with silence.
std::vector<float> stretched(const std::vector<float>& x, double by) {
    std::vector<float> out(static_cast<std::size_t>(static_cast<double>(x.size()) * by));
    for (std::size_t n = 0; n < out.size(); ++n) {
        const double at = static_cast<double>(n) / by;
        const auto i = static_cast<std::size_t>(at);
        if (i + 1 < x.size())
            out[n] = static_cast<float>(x[i] + (at - static_cast<double>(i)) * (x[i + 1] - x[i]));
    }
    return out;
}

void tilt(std::vector<float>& x, double db, double rate) {
    const auto a = static_cast<float>(1 - std::exp(-2 * kPi * 900 / rate));
    const auto high = static_cast<float>(dbToLinear(db / 2));
    const auto low = static_cast<float>(dbToLinear(-db / 2));
    float z = 0;
    for (float& v : x) {
        z += a * (v - z);
        v = low * z + high * (v - z);
    }
}

struct Sound {
    std::vector<float> top;
    std::vector<float> underside;
};

Sound strike(const Piece& piece, const demo::Tuning& tuning, double velocity, double rate, Random& r) {
    auto made = demo::synthesise({piece.model, 0, velocity, "normal"}, tuning, rate, r);
    Sound s{stretched(made.top, piece.stretch), {}};
    s.underside = made.underside.empty() ? s.top : stretched(made.underside, piece.stretch);
    for (auto* x : {&s.top, &s.underside}) {
        tilt(*x, piece.tiltDb, rate);
        const auto soft = static_cast<std::size_t>(piece.softenS * rate);
        for (std::size_t n = 0; n < soft && n < x->size(); ++n)
            (*x)[n] *= static_cast<float>(
                0.5 - 0.5 * std::cos(kPi * static_cast<double>(n) / static_cast<double>(soft)));
        for (float& v : *x)
            v *= static_cast<float>(piece.gain);
    }
    return s;
}

/// A piece's strokes from soft to hard, some of each; an event takes one near its force and brings it there.
/// Making every stroke anew would take most of a test's time.
class StrokeStore {
  public:
    StrokeStore(const Piece& piece, const demo::Tuning& tuning, double rate, Random& r) {
        for (int level = 0; level < kLevels; ++level)
            for (int i = 0; i < kEach; ++i)
                m_sounds.push_back(strike(piece, tuning, velocityOf(level), rate, r));
    }
    [[nodiscard]] const Sound& take(double velocity, double& gain, Random& r) const {
        const double at = std::log(velocity / kSoftest) / std::log(1 / kSoftest) * (kLevels - 1);
        const int level = std::clamp(static_cast<int>(std::lround(at)), 0, kLevels - 1);
        gain = velocity / velocityOf(level);
        return m_sounds[static_cast<std::size_t>(level * kEach) + r.next() % kEach];
    }

  private:
    static constexpr int kLevels = 9;
    static constexpr int kEach = 3;
    static constexpr double kSoftest = 0.04;
    static double velocityOf(int level) {
        return kSoftest * std::pow(1 / kSoftest, static_cast<double>(level) / (kLevels - 1));
    }
    std::vector<Sound> m_sounds;
};

/// First sample within 20 dB of the greatest of the 20 ms that follow, on a 1 ms envelope.
double onsetOf(const std::vector<float>& x, double rate) {
    const auto look = std::min(x.size(), static_cast<std::size_t>(0.03 * rate));
    float peak = 0;
    for (std::size_t n = 0; n < look; ++n)
        peak = std::max(peak, std::fabs(x[n]));
    for (std::size_t n = 0; n < look; ++n)
        if (std::fabs(x[n]) >= 0.1F * peak)
            return static_cast<double>(n) / rate;
    return 0;
}

struct Event {
    std::size_t piece;
    double timeS;
    double velocity;
    std::string kind;
};

class Player {
  public:
    Player(const Kit& kit, const TakeRecipe& recipe, RandomTake& take, Random& r)
        : m_kit(kit), m_recipe(recipe), m_take(take), m_r(r), m_spreadS(r.between(0.0015, 0.008)) {
        for (std::size_t p = 0; p < kit.pieces.size(); ++p)
            m_feelS[kit.pieces[p].name] = jitter(r, 0.006);
        if (recipe.isWithoutSpill && r.uniform() < 0.5)
            m_spreadS = 0;
        m_ghost = dbToLinear(recipe.ghostDb);
        m_hasHatsOnly = r.uniform() < 0.3;
    }

    void hit(const std::string& name, double sixteenth, double velocity, const std::string& kind = "normal",
             double extraS = 0) {
        std::size_t p = 0;
        while (m_kit.pieces[p].name != name)
            ++p;
        const double spread = m_spreadS * std::clamp(m_r.normal(), -2.5, 2.5);
        add(p, timeOf(sixteenth) + (m_spreadS > 0 ? m_feelS[name] : 0) + spread + extraS,
            velocity * dbToLinear(jitter(m_r, 1.2)), kind);
    }
    void add(std::size_t piece, double timeS, double velocity, const std::string& kind) {
        if (timeS > 0.02 && timeS < m_recipe.seconds - 0.3)
            m_events.push_back({piece, timeS, std::clamp(velocity, 0.01, 1.0), kind});
    }
    void flam(const std::string& name, double sixteenth, double velocity) {
        hit(name, sixteenth, velocity, "accent");
        const Event main = m_events.empty() ? Event{0, 0, 0, ""} : m_events.back();
        add(main.piece, main.timeS - m_r.between(0.016, 0.034), velocity * m_r.between(0.3, 0.6), "flam");
    }
    void roll(const std::string& name, double sixteenth, int count) {
        const double each = std::max(0.055, 60 / m_take.tempoBpm / 8) * m_r.between(0.98, 1.02);
        std::size_t p = 0;
        while (m_kit.pieces[p].name != name)
            ++p;
        const double start = timeOf(sixteenth);
        for (int i = 0; i < count; ++i)
            add(p, start + i * each + 0.002 * m_r.normal(),
                (0.35 + 0.3 * i / count) * dbToLinear(jitter(m_r, 2)), "roll");
    }
    /// Seconds of a place in sixteenths; the second eighth of a beat swings.
    [[nodiscard]] double timeOf(double sixteenth) const {
        const double beatS = 60 / m_take.tempoBpm;
        const double beat = std::floor(sixteenth / 4);
        const double in = sixteenth / 4 - beat;
        const double swing = m_take.swingPercent / 100;
        const double bent = in < 0.5 ? in * 2 * swing : swing + (in - 0.5) * 2 * (1 - swing);
        return m_take.firstBarS + (beat + bent) * beatS;
    }
    void play();
    [[nodiscard]] std::vector<Event> events() {
        std::sort(m_events.begin(), m_events.end(),
                  [](const Event& a, const Event& b) { return a.timeS < b.timeS; });
        // One hand does not strike a drum twice within 12 ms.
        std::vector<Event> kept;
        std::map<std::size_t, double> last;
        for (const auto& e : m_events) {
            if (last.count(e.piece) != 0 && e.timeS - last[e.piece] < 0.014)
                continue;
            last[e.piece] = e.timeS;
            kept.push_back(e);
        }
        return kept;
    }

  private:
    void bar(int index, bool fills);
    void fill(double from);

    const Kit& m_kit;
    const TakeRecipe& m_recipe;
    RandomTake& m_take;
    Random& m_r;
    double m_spreadS;
    double m_ghost = 0.12;
    bool m_hasHatsOnly = false;
    std::map<std::string, double> m_feelS;
    std::vector<Event> m_events;
};

void Player::fill(double from) {
    const char* const order[] = {"snare", "rack tom 1", "rack tom 2", "floor tom"};
    for (int s = 0; s < 8; ++s) {
        const char* name = order[std::min(3, s / 2)];
        if (m_r.uniform() < 0.85)
            hit(name, from + s, m_r.between(0.55, 1), s % 2 == 0 ? "accent" : "normal");
    }
    if (m_r.uniform() < 0.5)
        hit("kick", from + 4, 0.8);
}

void Player::bar(int index, bool fills) {
    const double b = index * 16.0;
    const std::string& g = m_recipe.groove;
    const bool isChorus = !m_hasHatsOnly && (index / 4) % 2 == 1;
    const std::string time = isChorus ? "ride" : "hat";
    const double end = fills ? 8 : 16;
    const double hatStep = g == "sixteenths" || g == "ghosts" ? 1 : g == "train" ? 4 : 2;
    for (double s = 0; s < end && g != "toms"; s += hatStep) {
        const bool isOn = std::fmod(s, 4) == 0;
        if (!isChorus && s == 14 && m_r.uniform() < 0.4)
            hit("open hat", b + s, 0.7, "accent");
        else
            hit(time, b + s, isOn ? m_r.between(0.6, 0.9) : m_r.between(0.3, 0.55),
                isOn ? "accent" : "normal");
    }
    if (g == "toms")
        for (double s = 0; s < end; s += 2)
            hit(std::fmod(s, 8) < 4 ? "floor tom" : "rack tom 1", b + s, m_r.between(0.4, 0.9));
    if (isChorus && index % 4 == 0)
        hit("crash", b, 0.9, "accent");
    const bool isHalf = g == "halftime";
    for (double s = 0; s < end; s += 2) {
        if (s == 0 || (g == "fast" ? true : m_r.uniform() < (std::fmod(s, 8) == 4 ? 0.05 : 0.3)))
            hit("kick", b + s, s == 0 ? m_r.between(0.85, 1) : m_r.between(0.55, 0.9),
                s == 0 ? "accent" : "normal");
        else if (g == "sixteenths" && m_r.uniform() < 0.3)
            hit("kick", b + s + 1, m_r.between(0.5, 0.8));
    }
    for (const double s : {4.0, 12.0}) {
        const double at = isHalf ? 8 : s;
        if (at >= end || (isHalf && s == 12))
            continue;
        if (m_r.uniform() < 0.12)
            flam("snare", b + at, m_r.between(0.8, 1));
        else
            hit("snare", b + at, m_r.between(0.8, 1), "accent");
    }
    const double ghosts = g == "ghosts" || g == "train" ? 0.7 : g == "fast" ? 0 : 0.22;
    for (double s = 1; s < end; s += 1)
        if (std::fmod(s, 8) != 4 && m_r.uniform() < ghosts)
            hit("snare", b + s, m_ghost * dbToLinear(jitter(m_r, 3)), "ghost");
    if (!fills && m_r.uniform() < 0.15) {
        hit("snare", b + 11.0, m_ghost * 1.3, "drag");
        hit("snare", b + 11.0, m_ghost * 1.5, "drag", m_r.between(0.035, 0.05));
    }
    if (fills) {
        if (m_r.uniform() < 0.3)
            roll("snare", b + 8, 12);
        else
            fill(b + 8);
        hit("crash", b + 16, m_r.between(0.7, 1), "accent");
    }
}

void Player::play() {
    const double barS = 240 / m_take.tempoBpm;
    const int bars = static_cast<int>((m_recipe.seconds - m_take.firstBarS) / barS) + 1;
    for (int i = 0; i < bars; ++i)
        bar(i, i % 4 == 3);
}

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

RandomTake makeRandomTake(const TakeRecipe& recipe) {
    const dsp::DenormalGuard guard; // silence between strokes would take most of the time
    RandomTake take;
    take.recipe = recipe;
    Random r(recipe.seed);
    const double rate = recipe.sampleRateHz;
    const Kit kit = makeKit(recipe, r);
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
        if (piece.name != "open hat")
            take.drums.push_back(piece.name);
        drumOfPiece.push_back(piece.name == "open hat" ? drumOfPiece.back()
                                                       : static_cast<int>(take.drums.size()) - 1);
    }
    Player player(kit, recipe, take, r);
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
