#include "tests/support/takes_score.h"

#include "core/base/units.h"
#include "core/measure/statistics.h"
#include "tests/support/take_truth.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <fstream>
#include <set>
#include <stdexcept>

namespace cask::test {
namespace {

namespace fs = std::filesystem;

/// Pairs of two sorted lists within a tolerance, one to one, nearest first in time.
std::vector<std::pair<std::size_t, std::size_t>> matched(const std::vector<double>& a,
                                                         const std::vector<double>& b, double toleranceS) {
    std::vector<std::pair<std::size_t, std::size_t>> pairs;
    std::size_t j = 0;
    for (std::size_t i = 0; i < a.size(); ++i) {
        while (j < b.size() && b[j] < a[i] - toleranceS)
            ++j;
        // A later one may be nearer, unless the next stroke wants it.
        std::size_t best = j;
        while (best + 1 < b.size() && std::abs(b[best + 1] - a[i]) < std::abs(b[best] - a[i]) &&
               (i + 1 == a.size() || std::abs(b[best + 1] - a[i]) < std::abs(b[best + 1] - a[i + 1])))
            ++best;
        if (best < b.size() && std::abs(b[best] - a[i]) <= toleranceS) {
            pairs.emplace_back(i, best);
            j = best + 1;
        }
    }
    return pairs;
}

bool isNear(const std::vector<double>& times, double t, double toleranceS) {
    const auto it = std::lower_bound(times.begin(), times.end(), t - toleranceS);
    return it != times.end() && *it <= t + toleranceS;
}

HitCounts scoreDrum(const Json& truth, const std::string& drum, const std::vector<double>& found) {
    constexpr double kNearS = 0.010;
    constexpr double kVeryNearS = 0.003;
    constexpr double kClearDb = 3;
    const auto& hits = truth["elements"][drum]["hits"];
    std::vector<double> times;
    for (const auto& hit : hits)
        times.push_back(hit["time_s"]);
    HitCounts counts;
    const auto pairs = matched(times, found, kNearS);
    counts.found = static_cast<int>(pairs.size());
    counts.missed = static_cast<int>(times.size() - pairs.size());
    counts.extra = static_cast<int>(found.size() - pairs.size());
    std::set<std::size_t> got;
    std::set<std::size_t> used;
    for (const auto& [i, j] : pairs) {
        got.insert(i);
        used.insert(j);
    }
    for (std::size_t i = 0; i < times.size(); ++i)
        if (hits[i]["class"] == "ghost")
            counts.ghosts.add(got.count(i) > 0);
    for (std::size_t i = 0; i < times.size(); ++i)
        if (hits[i].value("margin_db", 99.0) >= kClearDb) {
            ++counts.clear;
            counts.near += isNear(found, times[i], kVeryNearS) ? 1 : 0;
        }
    const auto others = othersIn(truth, drum);
    for (std::size_t j = 0; j < found.size(); ++j)
        counts.others += used.count(j) == 0 && isNear(others, found[j], kNearS) ? 1 : 0;
    return counts;
}

/// An element's name, or the common part of a joined pair's.
bool isOf(const Json& finding, const std::string& stem) {
    std::vector<std::string> names{finding["element"]};
    if (!finding["proposal"].is_null())
        for (const auto& change : finding["proposal"]["changes"]) {
            const std::string path = change["path"];
            names.push_back(path.substr(0, path.find('/')));
        }
    return std::any_of(names.begin(), names.end(), [&](const std::string& name) {
        return name == stem || (name.size() >= 2 && stem.rfind(name, 0) == 0);
    });
}

double numberOf(const Json& finding, const char* name) {
    return finding["numbers"].contains(name) ? finding["numbers"][name]["value"].get<double>() : 0;
}

bool answers(const Json& finding, const Json& fault) {
    const std::string kind = fault["kind"];
    const std::string id = finding["id"];
    const auto begins = [&](const char* word) { return id.rfind(word, 0) == 0; };
    const auto isAt = [&](double share) {
        const double hz = numberOf(finding, "frequency");
        return hz > 0 && std::abs(hz / fault["freq_hz"].get<double>() - 1) <= share;
    };
    if (kind == "polarity")
        return finding["sentence"].get<std::string>().find("inverted polarity") != std::string::npos;
    if (kind == "late")
        return std::abs(numberOf(finding, "late") - fault["late_ms"].get<double>()) <= 3;
    if (kind == "clip")
        return begins("clipped-");
    if (kind == "dc" || kind == "hum")
        return begins((kind + "-").c_str());
    if (kind == "mute")
        return begins("silent-");
    if (kind == "ring")
        return begins("ring-") && isAt(0.02);
    if (kind == "box")
        return begins("box-") && isAt(0.2);
    if (kind == "tom_hum")
        return (begins("sympathy-") || begins("ring-")) && isAt(0.05);
    return false;
}

void scoreFindings(const std::string& take, const Json& truth, const Json& findings, TakesScore& score) {
    std::vector<Json> shown;
    int wanting = 0;
    for (const auto& f : findings)
        if (!f.value("folded", false)) {
            shown.push_back(f);
            wanting += f["severity"] != "note" ? 1 : 0;
        }
    score.findings.push_back(wanting);
    if (truth["problems"].empty())
        score.findingsOfSound.push_back(wanting);
    std::set<std::string> touched;
    for (const auto& fault : truth["problems"]) {
        const auto stem = stemOf(truth, fault["mic"]);
        touched.insert(stem);
        const std::string kind = fault["kind"];
        if (kind == "rate44" || kind == "short")
            continue;
        const bool isFound = std::any_of(shown.begin(), shown.end(), [&](const Json& f) {
            return f["severity"] != "note" && isOf(f, stem) && answers(f, fault);
        });
        score.faults[kind].add(isFound);
        if (!isFound)
            score.missedFaults.push_back(fmt::format("{} {} {}", take, kind, stem));
    }
    for (const auto& f : shown)
        // Two microphones of one drum are made of one sample here: "the same sound" is no mistake.
        if (f["severity"] == "fault" && f["id"].get<std::string>().rfind("same-", 0) != 0 &&
            std::none_of(touched.begin(), touched.end(), [&](const auto& stem) { return isOf(f, stem); }))
            score.falseFaults.push_back(
                fmt::format("{} {} {}", take, f["id"].get<std::string>(), f["sentence"].get<std::string>()));
}

double energyOf(const std::vector<float>& x, std::size_t from, std::size_t to) {
    double sum = 1e-14;
    for (std::size_t n = from; n < std::min(to, x.size()); ++n)
        sum += static_cast<double>(x[n]) * x[n];
    return sum;
}

void scoreGates(const Json& truth, const Json& findings, const std::string& session, const fs::path& folder,
                TakesScore& score) {
    std::vector<std::string> apply{"apply", session};
    std::set<std::string> gated;
    for (const auto& f : findings)
        if (f["id"].get<std::string>().rfind("gate-", 0) == 0 && !f["proposal"].is_null()) {
            apply.push_back(f["id"]);
            gated.insert(f["element"]);
        }
    if (gated.empty())
        return;
    const auto render = [&](const char* name) {
        must({"render", session, "--out", folder / name, "--stems", "elements", "--format", "wav32f"});
    };
    render("before");
    must(apply);
    render("after");
    const auto fileOf = [&](const char* name, const std::string& stem) {
        for (const auto& entry : fs::directory_iterator(folder / name))
            if (entry.path().extension() == ".wav" && entry.path().stem().string().ends_with(stem))
                return entry.path();
        return fs::path();
    };
    for (const auto& [drum, element] : truth["elements"].items()) {
        if (element["close_mic"].is_null() || !element["scored"].get<bool>())
            continue;
        const auto stem = stemOf(truth, element["close_mic"]);
        if (gated.count(stem) == 0 || fileOf("before", stem).empty())
            continue;
        double rate = 0;
        const auto x = firstChannel(fileOf("before", stem), rate);
        const auto y = firstChannel(fileOf("after", stem), rate);
        const auto frame = [&](double s) { return static_cast<std::size_t>(std::max(0.0, s * rate)); };
        std::vector<bool> isOwn(x.size(), false);
        for (const auto& hit : element["hits"]) {
            const double t = hit["time_s"];
            const auto from = frame(t - 0.001);
            const auto to = from + frame(0.020);
            const bool isKept = powerToDb(energyOf(y, from, to) / energyOf(x, from, to)) > -3;
            score.kept.add(isKept);
            if (hit["class"] == "ghost")
                score.ghostsKept.add(isKept);
            for (std::size_t n = frame(t - 0.006); n < std::min(x.size(), frame(t + 0.25)); ++n)
                isOwn[n] = true;
        }
        double was = 1e-14;
        double is = 1e-14;
        for (std::size_t n = 0; n < std::min(x.size(), y.size()); ++n)
            if (!isOwn[n]) {
                was += static_cast<double>(x[n]) * x[n];
                is += static_cast<double>(y[n]) * y[n];
            }
        score.betweenDb.push_back(powerToDb(is / was));
    }
}

/// The drum of a mix that a drum of the truth is told as.
std::string toldAs(const std::string& drum) {
    for (const char* name : {"kick", "snare", "hat", "ride", "crash"})
        if (drum.rfind(name, 0) == 0)
            return name;
    return "tom";
}

/// One file that holds all drums. Ghosts may be found or not.
void scoreMix(const std::string& take, const Json& truth, const Json& hits, TakesScore& score) {
    constexpr double kNearS = 0.020;
    std::map<std::string, std::vector<std::pair<double, bool>>> played;
    for (const auto& [drum, element] : truth["elements"].items())
        for (const auto& hit : element["hits"])
            played[toldAs(drum)].emplace_back(hit["time_s"], hit["class"] == "ghost");
    for (const char* drum : {"kick", "snare", "hat", "tom"}) {
        auto& strokes = played[drum];
        std::sort(strokes.begin(), strokes.end());
        std::vector<double> times;
        for (const auto& stroke : strokes)
            times.push_back(stroke.first);
        std::vector<double> found;
        for (const auto& hit : hits["hits"])
            if (hit["owner"] == drum)
                found.push_back(hit["time_s"]);
        std::sort(found.begin(), found.end());
        const auto pairs = matched(times, found, kNearS);
        HitCounts counts;
        counts.extra = static_cast<int>(found.size() - pairs.size());
        counts.missed = static_cast<int>(
            std::count_if(strokes.begin(), strokes.end(), [](const auto& s) { return !s.second; }));
        for (const auto& pair : pairs)
            if (!strokes[pair.first].second) {
                ++counts.found;
                --counts.missed;
            }
        score.drums[take + " " + drum] = counts;
        score.mixed[drum].add(counts);
    }
}

void scoreTake(const fs::path& take, bool gates, TakesScore& score) {
    const Json truth = truthOf(take);
    const auto folder = fs::temp_directory_path() / ("cask-take-" + take.filename().string());
    fs::remove_all(folder);
    fs::create_directories(folder);
    const std::string session = folder / "S.cask";
    must({"new", session, take});
    const Json hits = Json::parse(must({"hits", session, "--json", "--own"}));
    const std::string name = take.filename();
    if (truth.contains("mix")) {
        scoreMix(name, truth, hits, score);
        fs::remove_all(folder);
        return;
    }
    for (const auto& [drum, element] : truth["elements"].items()) {
        if (element["close_mic"].is_null() || !element["scored"].get<bool>())
            continue;
        const auto stem = stemOf(truth, element["close_mic"]);
        std::vector<double> found;
        for (const auto& hit : hits["hits"])
            if (hit["element"] == stem && hit["own"].get<bool>())
                found.push_back(hit["time_s"]);
        std::sort(found.begin(), found.end());
        const auto counts = scoreDrum(truth, drum, found);
        score.drums[name + " " + drum] = counts;
        score.hits.add(counts);
    }
    const Json findings = Json::parse(must({"advise", session, "--json"}))["findings"];
    scoreFindings(name, truth, findings, score);
    if (gates)
        scoreGates(truth, findings, session, folder, score);
    fs::remove_all(folder);
}

double ofRank(std::vector<int> x, double share) {
    std::sort(x.begin(), x.end());
    return x.empty() ? 0 : x[static_cast<std::size_t>(share * static_cast<double>(x.size() - 1))];
}

} // namespace

void HitCounts::add(const HitCounts& o) {
    found += o.found;
    extra += o.extra;
    missed += o.missed;
    near += o.near;
    clear += o.clear;
    others += o.others;
    ghosts.right += o.ghosts.right;
    ghosts.of += o.ghosts.of;
}

std::string TakesScore::text() const {
    std::string text;
    std::vector<std::pair<double, std::string>> worst;
    for (const auto& [name, counts] : drums)
        if (counts.found + counts.missed >= 20 && counts.f() < 0.9)
            worst.emplace_back(counts.f(),
                               fmt::format("{} F {:.2f} (-{} +{} of {})", name, counts.f(), counts.missed,
                                           counts.extra, counts.found + counts.missed));
    std::sort(worst.begin(), worst.end());
    for (const auto& [f, line] : worst)
        text += "  under 0.90: " + line + "\n";
    for (const auto& missed : missedFaults)
        text += "  missed: " + missed + "\n";
    for (const auto& wrong : falseFaults)
        text += "  false: " + wrong.substr(0, 120) + "\n";
    text += fmt::format(
        "hits: F at 10 ms {:.3f} (-{} +{} of {}), clear ones within 3 ms {:.3f}, ghosts {:.3f} of {}, "
        "given to their owner {:.3f}\n",
        hits.f(), hits.missed, hits.extra, hits.found + hits.missed,
        hits.clear > 0 ? static_cast<double>(hits.near) / hits.clear : 1.0, hits.ghosts.share(),
        hits.ghosts.of,
        hits.found + hits.others > 0 ? static_cast<double>(hits.found) / (hits.found + hits.others) : 1.0);
    for (const auto& [drum, counts] : mixed)
        text += fmt::format("{} in mixes: F at 20 ms {:.3f} (-{} +{} of {})\n", drum, counts.f(),
                            counts.missed, counts.extra, counts.found + counts.missed);
    Share all;
    text += "faults:";
    for (const auto& [kind, share] : faults) {
        text += fmt::format(" {} {}/{}", kind, share.right, share.of);
        all.right += share.right;
        all.of += share.of;
    }
    text += fmt::format("; {} of {} ({:.1f} %), {} false\n", all.right, all.of, 100 * all.share(),
                        falseFaults.size());
    text += fmt::format(
        "findings wanting action: median {:.0f} a take, of {} takes without a fault {:.0f}, at most {:.0f}\n",
        ofRank(findings, 0.5), findingsOfSound.size(), ofRank(findingsOfSound, 0.5),
        ofRank(findingsOfSound, 1));
    if (!betweenDb.empty())
        text += fmt::format(
            "gates: {} proposed, own hits kept {} of {}, ghosts {} of {}, between hits {:.1f} dB (median)\n",
            betweenDb.size(), kept.right, kept.of, ghostsKept.right, ghostsKept.of,
            measure::median(betweenDb));
    return text;
}

TakesScore scoreTakes(const fs::path& root, bool gates) {
    TakesScore score;
    for (const auto& take : takesIn(root))
        scoreTake(take, gates, score);
    return score;
}

} // namespace cask::test
