#include "tests/support/random_player.h"

namespace cask::test {

void RandomPlayer::fill(double from) {
    const char* const order[] = {"snare", "rack tom 1", "rack tom 2", "floor tom"};
    for (int s = 0; s < 8; ++s) {
        const char* name = order[std::min(3, s / 2)];
        if (m_r.uniform() < 0.85)
            hit(name, from + s, m_r.between(0.55, 1), s % 2 == 0 ? "accent" : "normal");
    }
    if (m_r.uniform() < 0.5)
        hit("kick", from + 4, 0.8);
}

void RandomPlayer::bar(int index, bool fills) {
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

void RandomPlayer::play() {
    const double barS = 240 / m_take.tempoBpm;
    const int bars = static_cast<int>((m_recipe.seconds - m_take.firstBarS) / barS) + 1;
    for (int i = 0; i < bars; ++i)
        bar(i, i % 4 == 3);
}

} // namespace cask::test
