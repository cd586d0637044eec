// Scores what Tone finds on generated takes: fundamentals, planted rings and what the proposed cuts make of
// them, planted boxiness, harshness and hum, and what is found where nothing was planted.
// Arguments: number of takes (default 48), salt of their recipes (default the one that limits were fitted
// to), "ranges" to print where these drums have their sound, as the "tone_ranges" of a house style.
#include "core/advise/advise.h"
#include "core/advise/house_style_files.h"
#include "core/dsp/eq_design.h"
#include "core/kit_measures/tones.h"
#include "core/measure/tone/hum.h"
#include "core/measure/tone/hump.h"
#include "core/media/offline_source.h"
#include "core/session/intake.h"
#include "tests/support/hit_score.h"
#include "tests/support/random_take.h"

#include <fmt/format.h>

#include <cmath>
#include <cstdlib>
#include <map>

namespace {

using namespace cask;

constexpr float kRealRoomDb = 3;

struct Count {
    int found = 0;
    int of = 0;
    void add(bool isFound) {
        found += isFound;
        ++of;
    }
    [[nodiscard]] std::string text() const { return fmt::format("{} of {}", found, of); }
};

struct Score {
    Count sure, right, rings, boxFound, boxFalse, harshFound, harshFalse, humFound, humFalse, ringEnds,
        ringSoft, quietElsewhere;
    Count outOfRange;
    int falseRings = 0;
    int microphones = 0;
    double worstRing = 0;
    std::map<Role, std::vector<measure::ToneShape>> shapes;
};

/// A take as a session with its sound in memory.
struct Loaded {
    session::Session session;
    graph::SourceLookup lookup;
    advise::HitAnalysis hits;
};

Loaded load(const test::RandomTake& take) {
    Loaded loaded;
    std::vector<session::IntakeFile> files;
    std::vector<std::shared_ptr<AudioSource>> sources;
    for (const auto& m : take.microphones) {
        files.push_back({"/memory/" + m.name, m.name + ".wav", static_cast<Frames>(m.channels[0].size()),
                         static_cast<int>(m.channels.size()), take.recipe.sampleRateHz, "memory",
                         std::nullopt});
        sources.push_back(std::make_shared<media::MemorySource>(m.channels));
    }
    loaded.session = session::withFiles(session::emptySession(take.recipe.sampleRateHz), files);
    auto& s = loaded.session;
    std::map<session::Id, std::shared_ptr<AudioSource>> map;
    for (std::size_t i = 0; i < s.files.size(); ++i)
        map[s.files[i]->id] = sources[i];
    for (std::size_t i = 0; i < s.elements.size(); ++i)
        s.elements[i].edit([&](session::Element& e) { e.role = take.microphones[i].role; });
    loaded.lookup = [map](session::Id id) { return map.at(id); };
    for (const auto& e : s.elements)
        loaded.hits.elements.push_back(e->id);
    const auto trails = test::trailsOf(take);
    loaded.hits.hits = measure::findKitHits(trails.inputs);
    return loaded;
}

measure::Spectrum lifted(const measure::Spectrum& own, double hz, double rate) {
    dsp::EqBand band;
    band.frequencyHz = hz;
    band.gainDb = 9;
    band.q = 1.2;
    return measure::filtered(own, [&, eq = dsp::EqSettings{{band}}](double f) {
        return f < 0.49 * rate ? dsp::responseDb(eq, f, rate) : 0.0;
    });
}

void scoreHumps(const measure::Spectrum& own, Role role, int number, double rate, Score& score) {
    if (own.bandDb.empty())
        return;
    const advise::HouseStyle style;
    const double most = advise::allowedBoxDb(style, role);
    const double mostHarsh = advise::allowedHarshDb(style, role);
    const bool isBoxyAnyway = role == Role::RackTom; // all made-up ones have a box mode
    if (!isBoxyAnyway)
        score.boxFalse.add(measure::measureBoxiness(own).excessDb >= most);
    score.boxFound.add(measure::measureBoxiness(lifted(own, 280 + 34 * (number % 5), rate)).excessDb >= most);
    score.harshFalse.add(measure::measureHarshness(own).excessDb >= mostHarsh);
    score.harshFound.add(measure::measureHarshness(lifted(own, 2400 + 450 * (number % 5), rate)).excessDb >=
                         mostHarsh);
}

/// The proposed cut kept, measured behind it.
void scoreCut(const Loaded& loaded, const advise::ToneMeasure& tone, double ringHz, Score& score) {
    advise::KitMeasures measures;
    measures.tones = {tone};
    for (const auto& finding : advise::toneFindings(loaded.session, measures, {})) {
        if (!finding.id.starts_with("ring-") || !finding.proposal ||
            std::abs(finding.numbers[0].value / ringHz - 1) > 0.02)
            continue;
        // As soft 0.15 s after a hit as if it ended with its surroundings, within 3 dB.
        for (std::size_t i = 0; i < tone.ringCuts.size(); ++i)
            if (const auto& ring = tone.partials.rings[i]; std::abs(ring.hz / ringHz - 1) < 0.02)
                score.ringSoft.add(tone.ringCuts[i].endsMs <= 1.2 * tone.ringCuts[i].aroundMs ||
                                   tone.ringCuts[i].softerDb >
                                       60 * 120 * (1 / ring.aroundMs - 1 / ring.decayMs) - 3);
        const auto mended = finding.proposal->apply(loaded.session);
        const auto after = kit::measureTones(mended, loaded.hits, loaded.lookup);
        for (const auto& t : *after)
            if (t.element == tone.element && t.after)
                for (const auto& ring : t.after->rings)
                    if (std::abs(ring.hz / ringHz - 1) < 0.02)
                        score.ringEnds.add(ring.afterMs <= 1.2 * ring.aroundMs);
        const auto* eq = session::findModule<dsp::EqSettings>(*mended.chain(tone.element));
        const auto& settings = std::get<dsp::EqSettings>(eq->settings);
        double worst = 0;
        for (const double ratio : {0.5, 0.75, 1.33, 2.0, 4.0})
            worst = std::max(worst, std::abs(dsp::responseDb(settings, ratio * ringHz, 48000)));
        score.quietElsewhere.add(worst < 1);
        return;
    }
}

void scoreTake(const test::RandomTake& take, int number, Score& score) {
    const auto loaded = load(take);
    const auto tones = kit::measureTones(loaded.session, loaded.hits, loaded.lookup);
    for (const auto& tone : *tones) {
        const auto i = static_cast<std::size_t>(loaded.hits.inputOf(tone.element));
        const auto& microphone = take.microphones[i];
        if (const auto shape = measure::shapeOf(tone.spectra.own)) {
            score.shapes[microphone.role].push_back(*shape);
            if (const auto usual = advise::standardStyle().references.of(microphone.role))
                score.outOfRange.add(
                    !measure::outOfRange(*shape, usual->range, 3, tone.lowestOwnHz()).empty());
        }
        auto x = microphone.channels[0];
        score.humFalse.add(measure::measureHum(x, take.recipe.sampleRateHz).mainsHz > 0);
        for (std::size_t n = 0; n < x.size(); ++n) {
            const double phase = 2 * kPi * static_cast<double>(n) / take.recipe.sampleRateHz;
            x[n] +=
                static_cast<float>(dbToLinear(-60) * (std::sin(50 * phase) + 0.5 * std::sin(150 * phase)));
        }
        score.humFound.add(measure::measureHum(x, take.recipe.sampleRateHz).mainsHz == 50);
        if (microphone.drum < 0 || microphone.role == Role::SnareBottom)
            continue;
        const auto& truth = take.tones[static_cast<std::size_t>(microphone.drum)];
        if (truth.fundamentalHz == 0)
            continue;
        ++score.microphones;
        const auto& fundamental = tone.partials.fundamental;
        score.sure.add(tone.isNoteSure());
        if (tone.isNoteSure())
            score.right.add(std::abs(fundamental.hz / truth.fundamentalHz - 1) < 0.02);
        bool isFound = false;
        for (const auto& ring : tone.partials.rings) {
            const double error = truth.ringHz > 0 ? std::abs(ring.hz / truth.ringHz - 1) : 1;
            isFound = isFound || error < 0.02;
            score.falseRings += error >= 0.02;
            if (error < 0.02)
                score.worstRing = std::max(score.worstRing, error);
        }
        if (truth.ringHz > 0)
            score.rings.add(isFound);
        if (isFound)
            scoreCut(loaded, tone, truth.ringHz, score);
        scoreHumps(tone.spectra.own, microphone.role, number, take.recipe.sampleRateHz, score);
    }
}

} // namespace

int main(int argc, char** argv) {
    const int takes = argc > 1 ? std::atoi(argv[1]) : 48;
    const auto recipes =
        argc > 2 ? test::takeRecipes(std::strtoull(argv[2], nullptr, 10)) : test::takeRecipes();
    Score score;
    for (int i = 0; i < std::min(takes, static_cast<int>(recipes.size())); ++i)
        scoreTake(test::makeRandomTake(recipes[static_cast<std::size_t>(i)]), i, score);
    if (argc > 3 && std::string_view(argv[3]) == "ranges") {
        advise::HouseStyle style;
        for (const auto& [role, shapes] : score.shapes) {
            auto& range = style.references.ranges[role] = measure::rangeOf(shapes);
            for (float& db : range.fromDb) // real drums differ more than made-up ones
                db -= kRealRoomDb;
            for (float& db : range.toDb)
                db += kRealRoomDb;
        }
        fmt::print("{}", advise::houseStyleToJson(style));
        return 0;
    }
    fmt::print("{} takes, {} microphones of tuned drums\n", takes, score.microphones);
    fmt::print("fundamentals: {} sure, {} of these right within 2 %\n", score.sure.text(),
               score.right.text());
    fmt::print("planted rings: {} found, frequency within {:.2f} %, {} false\n", score.rings.text(),
               100 * score.worstRing, score.falseRings);
    fmt::print("after the proposed cut: {} end with their surroundings (within 20 %), {} do or are as soft "
               "after 0.15 s as if they did, {} leave all else within 1 dB\n",
               score.ringEnds.text(), score.ringSoft.text(), score.quietElsewhere.text());
    fmt::print("boxiness, 9 dB planted: {} found, {} false without\n", score.boxFound.text(),
               score.boxFalse.text());
    fmt::print("harshness, 9 dB planted: {} found, {} false without\n", score.harshFound.text(),
               score.harshFalse.text());
    fmt::print("hum at -60 dBFS planted: {} found, {} false without\n", score.humFound.text(),
               score.humFalse.text());
    fmt::print("out of the shipped ranges by 3 dB over an octave: {}\n", score.outOfRange.text());
    return 0;
}
