// Who plays a made-up take: grooves with a hand's spread, ghosts, flams, rolls and fills.
#pragma once

#include <algorithm>
#include <cmath>
#include <core/base/units.h>
#include <map>
#include <string>
#include <tests/support/random_kit.h>
#include <vector>

namespace cask::test {

struct Event {
    std::size_t piece;
    double timeS;
    double velocity;
    std::string kind;
};

class RandomPlayer {
  public:
    RandomPlayer(const Kit& kit, const TakeRecipe& recipe, RandomTake& take, demo::Random& r)
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
    demo::Random& m_r;
    double m_spreadS;
    double m_ghost = 0.12;
    bool m_hasHatsOnly = false;
    std::map<std::string, double> m_feelS;
    std::vector<Event> m_events;
};

} // namespace cask::test
