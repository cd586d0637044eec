// How many wishes the proposed ways fulfil, measured on what the session renders with them: on takes with a
// known truth (docs/formats/takes.md). A made-up bass ducks under each take's kick. Where none is found, a
// dense list of ways is tried on all of the take, to see whether there is one. usage: wish_score DIR [TAKE
// ...]
#include "core/advise/house_style.h"
#include "core/base/parallel.h"
#include "core/base/units.h"
#include "core/kit_measures/hit_analysis.h"
#include "core/kit_measures/node_sound.h"
#include "core/kit_measures/punch.h"
#include "core/kit_measures/wishes.h"
#include "core/project/measured_files.h"
#include "core/project/offline_sources.h"
#include "core/session/edits.h"
#include "core/session/session_store.h"
#include "tests/support/signals.h"
#include "tests/support/take_truth.h"
#include "tests/support/temp_folder.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <iostream>
#include <map>

namespace {

using namespace cask;
using measure::Wish;

constexpr int kFewestHits = 8;

struct Count {
    int reached = 0;
    int asked = 0;
    int promised = 0;   ///< that the program says it reaches
    int impossible = 0; ///< missed, and the dense list has none either
    double worstKeptDb = 0;
    double worstRecoveredPercent = 100;
    double worstOffDb = 0; ///< promised against rendered
    double seconds = 0;
    std::vector<std::string> missed;
};

/// Notes of half a second, as long as the take.
std::vector<float> bassOf(double seconds, double rateHz) {
    constexpr std::array kNotesHz = {41.2, 55.0, 49.0, 61.7};
    std::vector<float> x(static_cast<std::size_t>(seconds * rateHz));
    for (std::size_t n = 0; n < x.size(); ++n) {
        const double t = static_cast<double>(n) / rateHz;
        const double hz = kNotesHz[static_cast<std::size_t>(t * 2) % kNotesHz.size()];
        const double since = std::fmod(t, 0.5);
        x[n] = static_cast<float>(0.2 * std::min(1.0, since / 0.005) * std::exp(-since / 0.8) *
                                  (std::sin(2 * kPi * hz * t) + 0.3 * std::sin(4 * kPi * hz * t)));
    }
    return x;
}

class Scorer {
  public:
    void run(const std::filesystem::path& take) {
        const test::TempFolder folder;
        const std::string where = folder / "take.cask";
        test::must({"new", where, take.string()});
        session::SessionStore store(diskFileSystem(), where);
        auto s = store.open()->session;
        const double seconds = framesToSeconds(s.lengthFrames(), s.sampleRateHz);
        test::writeWav(folder / "Made-up Bass.wav", bassOf(seconds, s.sampleRateHz), 1, s.sampleRateHz);
        std::filesystem::remove_all(where);
        test::must({"new", where, take.string(), folder / "Made-up Bass.wav"});
        s = session::SessionStore(diskFileSystem(), where).open()->session;
        const auto sources = project::openOfflineSources(s, where);
        const auto trails = project::measureTrails(s, where);
        const auto hits = kit::analyseHits(s, trails->lookup());
        if (!sources || !hits)
            throw std::runtime_error(take.string() + " can't be analysed");
        const auto lookup = sources->lookup();
        session::Id kick = session::kNoId;
        session::Id bass = session::kNoId;
        for (const auto& e : s.elements) {
            const int input = (*hits)->inputOf(e->id);
            const int drum = input < 0 ? -1 : (*hits)->hits.kit.drumOf[static_cast<std::size_t>(input)];
            int own = 0;
            for (const auto& hit : (*hits)->hits.heard)
                own += hit.input == input && hit.isOwn ? 1 : 0;
            if (e->name == "Made-up Bass")
                bass = e->id;
            if (drum < 0 || own < kFewestHits)
                continue;
            if ((e->role == Role::KickIn || e->role == Role::KickOut) && kick == session::kNoId)
                kick = e->id;
            const bool isHat = e->role == Role::ClosedHat || e->role == Role::OpenHat;
            for (const Wish wish : {Wish::Snap, Wish::Thick, Wish::Even, Wish::Control, Wish::TameTail})
                one(take, s, {e->id, wish, session::kNoId}, **hits, lookup);
            if (isHat)
                one(take, s, {e->id, Wish::DeHarsh, session::kNoId}, **hits, lookup);
        }
        for (const auto& b : s.buses)
            if (b->name == "Shells" || b->name == "Kit")
                one(take, s, {b->id, Wish::Glue, session::kNoId}, **hits, lookup);
        if (kick != session::kNoId && bass != session::kNoId)
            one(take, s, {bass, Wish::Duck, kick}, **hits, lookup);
    }

    void print() const {
        Count all;
        for (const auto& [wish, c] : m_counts) {
            fmt::print(
                "{:<14} {:>3} of {:>3} ({:.1f} %), promised {}, least kept {:.2f} dB, least recovered {:.0f} "
                "%, promise off by at most {:.2f} dB, {:.1f} s each; of the missed {} have no way in a dense "
                "list\n",
                measure::wishWords(wish), c.reached, c.asked, 100.0 * c.reached / std::max(1, c.asked),
                c.promised, c.worstKeptDb, c.worstRecoveredPercent, c.worstOffDb,
                c.seconds / std::max(1, c.asked), c.impossible);
            for (const auto& miss : c.missed)
                fmt::print("    {}\n", miss);
            all.reached += c.reached;
            all.asked += c.asked;
            all.impossible += c.impossible;
        }
        fmt::print("together {} of {} ({:.1f} %), of those that a dense list has a way for {:.1f} %\n",
                   all.reached, all.asked, 100.0 * all.reached / std::max(1, all.asked),
                   100.0 * all.reached / std::max(1, all.asked - all.impossible));
    }

  private:
    void one(const std::filesystem::path& take, const session::Session& s, const kit::WishAsked& asked,
             const kit::HitAnalysis& hits, const graph::SourceLookup& lookup) {
        const auto start = std::chrono::steady_clock::now();
        const auto answers = kit::findWays(s, asked, hits, lookup, m_style);
        Count& count = m_counts[asked.wish];
        count.seconds += std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        const std::string where = fmt::format("{} {}", take.filename().string(), s.nameOf(asked.owner));
        if (!answers || answers->empty()) {
            fmt::print(stderr, "{}: nothing to judge for {}\n", where, measure::wishWords(asked.wish));
            return;
        }
        ++count.asked;
        const auto& best = answers->front();
        count.promised += best.measured.isReached ? 1 : 0;
        // What is rendered with the way taken, from the session's start on.
        auto heard = s;
        session::Id module = session::kNoId;
        if (asked.key != session::kNoId) {
            module = session::addModule(heard, asked.owner, dsp::CompressorSettings{});
            heard = *session::withKey(heard, asked.owner, module, asked.key);
        }
        const auto before = kit::punchMaterial(heard, asked.owner, module, hits, lookup);
        const auto with = kit::withWay(s, asked, best);
        const auto after =
            kit::nodeSound(with, asked.owner, lookup, secondsToFrames((*before)->startS, s.sampleRateHz),
                           (*before)->frames());
        const auto m = measure::WishJudge(asked.wish, advise::wishGoals(m_style), **before)
                           .measure(withoutMakeup(*after, with, asked.owner));
        count.reached += m.isReached ? 1 : 0;
        fmt::print("{} {}: {} {:.2f} dB by {}\n", where, measure::wishWords(asked.wish),
                   m.isReached ? "reached" : "missed", m.reachedDb, best.way.id);
        std::fflush(stdout);
        count.worstOffDb = std::max(count.worstOffDb, std::abs(m.reachedDb - best.measured.reachedDb));
        if (m.isReached) {
            count.worstKeptDb = std::min(count.worstKeptDb, m.keptAttackDb);
            count.worstRecoveredPercent = std::min(count.worstRecoveredPercent, m.recoveredPercent);
        } else {
            const auto other = densely(asked.wish, **before);
            count.impossible += other.empty() ? 1 : 0;
            count.missed.push_back(fmt::format(
                "{}: {:.2f} of {:.1f} dB, kept {:.2f} dB, recovered {:.0f} % ({}); dense list: {}", where,
                m.reachedDb, m.goalDb, m.keptAttackDb, m.recoveredPercent, best.way.id,
                other.empty() ? "none" : other));
        }
    }

    /// Words of a way out of a dense list that reaches the wish on all of the material; empty without any.
    [[nodiscard]] std::string densely(Wish wish, const measure::HitMaterial& material) const {
        std::vector<measure::WishWay> dense;
        for (const auto& way : measure::wishWays(wish, material))
            for (const auto& near : measure::waysNear(way, 1.5))
                for (const auto& next : measure::waysNear(near, 0.75))
                    dense.push_back(next);
        const measure::WishJudge judge(wish, advise::wishGoals(m_style), material);
        std::stable_sort(dense.begin(), dense.end(),
                         [](const auto& a, const auto& b) { return a.id < b.id; }); // they run side by side
        std::vector<measure::WishMeasure> measured(dense.size());
        constexpr std::size_t kPiece = 64;
        inParallel((dense.size() + kPiece - 1) / kPiece, [&](std::size_t piece) {
            const std::size_t from = piece * kPiece;
            const auto some = std::span(dense).subspan(from, std::min(kPiece, dense.size() - from));
            std::ranges::copy(judge.measureBehind(material, some),
                              measured.begin() + static_cast<std::ptrdiff_t>(from));
        });
        for (std::size_t i = 0; i < dense.size(); ++i)
            if (measured[i].isReached)
                return kit::wayInWords(dense[i]);
        return {};
    }

    /// A gain alone is nothing that is held down.
    static measure::WishSound withoutMakeup(measure::WishSound sound, const session::Session& s,
                                            session::Id owner) {
        double db = 0;
        for (const auto& module : *s.chain(owner))
            if (const auto* c = std::get_if<dsp::CompressorSettings>(&module.settings))
                db += c->makeupDb;
        for (auto& channel : sound)
            for (float& x : channel)
                x *= static_cast<float>(dbToLinear(-db));
        return sound;
    }

    advise::HouseStyle m_style;
    std::map<Wish, Count> m_counts;
};

} // namespace

int main(int argc, char** argv) {
    if (argc < 2) {
        std::cerr << "usage: wish_score DIR [TAKE ...]\n";
        return 2;
    }
    const std::vector<std::string> wanted(argv + 2, argv + argc);
    Scorer scorer;
    for (const auto& take : cask::test::takesIn(argv[1])) {
        const auto name = take.filename().string();
        if (wanted.empty() || std::find(wanted.begin(), wanted.end(), name) != wanted.end())
            scorer.run(take);
    }
    scorer.print();
}
