#include "core/session/intake.h"

#include "core/session/edits.h"
#include "core/session/kit_order.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::session {
namespace {

std::string withoutEnding(const std::string& name) {
    const auto dot = name.find_last_of('.');
    return dot == std::string::npos || dot == 0 ? name : name.substr(0, dot);
}

std::string uniqueName(const Session& s, const std::string& wanted) {
    const auto taken = [&](const std::string& name) {
        return std::any_of(s.elements.begin(), s.elements.end(),
                           [&](const Shared<Element>& e) { return e->name == name; });
    };
    std::string name = wanted;
    for (int n = 2; taken(name); ++n)
        name = wanted + " " + std::to_string(n);
    return name;
}

/// Start of each file in seconds by its time stamp; all 0 unless every file has one and they lie within a
/// day's work.
std::vector<double> startSeconds(const std::vector<IntakeFile>& files) {
    std::vector<double> starts(files.size(), 0);
    double earliest = 1e300;
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (!files[i].timeReference || files[i].sampleRateHz <= 0)
            return std::vector<double>(files.size(), 0);
        starts[i] = static_cast<double>(*files[i].timeReference) / files[i].sampleRateHz;
        earliest = std::min(earliest, starts[i]);
    }
    for (double& start : starts) {
        start -= earliest;
        if (start > 3600)
            return std::vector<double>(files.size(), 0);
    }
    return starts;
}

struct Added {
    Id id;
    PairMark mark;
    Frames frames;
    double rate;
};

} // namespace

double commonRate(const std::vector<IntakeFile>& files) {
    std::map<double, int> counts;
    for (const auto& f : files)
        ++counts[f.sampleRateHz];
    double best = 48000;
    int most = 0;
    for (const auto& [rate, count] : counts) {
        if (count >= most && rate >= 44100 && rate <= 192000) {
            best = rate;
            most = count;
        }
    }
    return best;
}

Session withFiles(Session s, const std::vector<IntakeFile>& files) {
    const auto starts = startSeconds(files);
    std::vector<Added> added;
    for (std::size_t i = 0; i < files.size(); ++i) {
        const IntakeFile& f = files[i];
        SourceFile source;
        source.id = s.nextId++;
        source.path = f.path;
        source.frames = f.frames;
        source.channels = f.channels;
        source.sampleRateHz = f.sampleRateHz;
        source.format = f.format;
        source.timeReference = f.timeReference;
        source.contentHash = f.contentHash;
        const Id fileId = source.id;
        s.files.emplace_back(std::move(source));
        const int perElement = f.channels == 2 ? 2 : 1;
        for (int channel = 0; channel < f.channels; channel += perElement) {
            Element e;
            e.id = s.nextId++;
            std::string name = withoutEnding(f.name);
            if (f.channels > 2)
                name += " ch " + std::to_string(channel + 1);
            e.name = uniqueName(s, name);
            const RoleGuess guess = guessRoleFromName(f.name);
            e.role = guess.role;
            e.roleConfidence = guess.confidence;
            for (int c = 0; c < perElement; ++c)
                e.channels.push_back({fileId, channel + c});
            e.startFrame = std::llround(starts[i] * s.sampleRateHz);
            e.out.bus = startingBus(s, e.role);
            if (f.channels <= 2)
                added.push_back(
                    {e.id, perElement == 1 ? pairMark(f.name) : PairMark{}, f.frames, f.sampleRateHz});
            const Id id = e.id;
            s.elements.emplace_back(std::move(e));
            placeInKit(s, id);
        }
    }
    for (const auto& left : added) {
        if (left.mark.side != 'L')
            continue;
        const auto right = std::find_if(added.begin(), added.end(), [&](const Added& a) {
            return a.mark.side == 'R' && a.mark.stem == left.mark.stem && a.mark.take == left.mark.take &&
                   a.frames == left.frames && a.rate == left.rate;
        });
        if (right == added.end())
            continue;
        if (auto joined = withPairJoined(s, left.id, right->id))
            s = std::move(*joined);
    }
    return s;
}

} // namespace cask::session
