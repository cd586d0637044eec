#include "core/demo/performance.h"

#include "core/demo/random.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace cask::demo {
namespace {

constexpr double kLeadInS = 0.5;

/// Writes strokes at places of the grid, sixteen to the bar.
class Player {
  public:
    Player(Performance& p, Random& random) : m_p(p), m_random(random) {}

    void hit(Drum drum, int bar, double sixteenth, double velocity, std::string_view kind = "normal") {
        // Each limb has its own feel: the snare lies a little back, the hat pushes.
        const double feelS = drum == Drum::Snare ? 0.004 : drum == Drum::Hat ? -0.002 : 0;
        const double time =
            kLeadInS + (bar * 16 + sixteenth) * m_p.beatS() / 4 + feelS + 0.0035 * m_random.normal();
        const double strength = std::clamp(velocity * (1 + 0.06 * m_random.normal()), 0.02, 1.0);
        m_p.strokes.push_back({drum, std::max(0.05, time), strength, kind});
    }
    void flam(int bar, double sixteenth, double velocity) {
        hit(Drum::Snare, bar, sixteenth, velocity, "accent");
        const Stroke main = m_p.strokes.back();
        m_p.strokes.push_back(
            {Drum::Snare, main.timeS - m_random.between(0.022, 0.03), velocity * 0.35, "flam"});
    }

  private:
    Performance& m_p;
    Random& m_random;
};

void playVerseBar(Player& play, int bar, bool fills) {
    for (int s = 0; s < 16; s += 2)
        if (!fills || s < 10)
            play.hit(Drum::Hat, bar, s, s % 4 == 0 ? 0.75 : 0.45, s % 4 == 0 ? "accent" : "normal");
    play.hit(Drum::Kick, bar, 0, 0.95, "accent");
    play.hit(Drum::Kick, bar, bar % 2 == 0 ? 7 : 6, 0.75);
    play.hit(Drum::Kick, bar, 10, 0.85);
    play.hit(Drum::Snare, bar, 4, 0.9, "accent");
    if (!fills)
        play.hit(Drum::Snare, bar, 12, 0.92, "accent");
    // Ghosts 16 to 20 dB under the backbeat.
    play.hit(Drum::Snare, bar, 7, 0.12, "ghost");
    if (bar % 2 == 1)
        play.hit(Drum::Snare, bar, 9, 0.1, "ghost");
    if (!fills)
        play.hit(Drum::Snare, bar, 15, 0.14, "ghost");
    if (bar == 3)
        play.hit(Drum::OpenHat, bar, 14, 0.6, "accent");
}

void playFill(Player& play, int bar, bool isLast) {
    play.hit(Drum::Snare, bar, 10, 0.7);
    play.hit(Drum::Snare, bar, 11, 0.55);
    play.hit(Drum::RackTom, bar, 12, 0.85, "accent");
    play.hit(Drum::RackTom, bar, 13, 0.7);
    play.hit(Drum::FloorTom, bar, 14, 0.9, "accent");
    play.hit(Drum::FloorTom, bar, 15, isLast ? 1.0 : 0.8, "accent");
}

void playChorusBar(Player& play, int bar, bool fills) {
    if (bar % 4 == 0)
        play.hit(Drum::Crash, bar, 0, 0.9, "accent");
    for (int s = 0; s < 16; s += 2)
        if (!fills || s < 10)
            play.hit(bar < 12 ? Drum::Ride : (s == 14 ? Drum::OpenHat : Drum::Hat), bar, s,
                     s % 4 == 0 ? 0.8 : 0.55, s % 4 == 0 ? "accent" : "normal");
    for (const int s : {0, 3, 8, 10})
        play.hit(Drum::Kick, bar, s, s == 0 ? 1.0 : 0.85, s == 0 ? "accent" : "normal");
    if (bar == 11)
        play.flam(bar, 4, 0.95);
    else
        play.hit(Drum::Snare, bar, 4, 0.97, "accent");
    if (!fills)
        play.hit(Drum::Snare, bar, 12, 1.0, "accent");
    if (bar == 10 || bar == 13) {
        play.hit(Drum::Snare, bar, 11, 0.16, "drag");
        play.hit(Drum::Snare, bar, 11.4, 0.18, "drag");
    }
    if (!fills && bar % 2 == 0)
        play.hit(Drum::Snare, bar, 7, 0.13, "ghost");
    if (bar == 14)
        play.hit(Drum::RackTom, bar, 15, 0.6);
}

} // namespace

std::string_view drumName(Drum drum) {
    constexpr std::array<std::string_view, kDrums> kNames = {"kick",     "snare",     "hat",   "open hat",
                                                             "rack tom", "floor tom", "crash", "ride"};
    return kNames[static_cast<std::size_t>(drum)];
}

Performance playDemo(unsigned long long seed) {
    Performance p;
    Random random(seed);
    Player play(p, random);
    const double barS = 4 * p.beatS();
    p.verseStartS = kLeadInS;
    p.chorusStartS = kLeadInS + 8 * barS;
    p.endS = kLeadInS + p.bars * barS;
    for (int bar = 0; bar < 8; ++bar)
        playVerseBar(play, bar, bar == 7);
    playFill(play, 7, false);
    for (int bar = 8; bar < 16; ++bar)
        playChorusBar(play, bar, bar == 15);
    playFill(play, 15, true);
    play.hit(Drum::Crash, 16, 0, 1.0, "accent");
    play.hit(Drum::Kick, 16, 0, 1.0, "accent");
    std::sort(p.strokes.begin(), p.strokes.end(),
              [](const Stroke& a, const Stroke& b) { return a.timeS < b.timeS; });
    return p;
}

} // namespace cask::demo
