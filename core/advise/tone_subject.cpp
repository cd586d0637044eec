#include "core/advise/tone_subject.h"

#include "core/dsp/eq_design.h"
#include "core/session/edits.h"

#include <algorithm>

namespace cask::advise {
namespace {

using dsp::EqBand;
using session::Id;
using session::Session;

constexpr double kHeardBeforeS = 0.1;
constexpr double kHeardAfterS = 2.5;

/// What the equalisers that are on do already.
std::vector<dsp::SvfCoefficients> sectionsNow(const Session& s, Id element) {
    std::vector<dsp::SvfCoefficients> sections;
    for (const auto& module : *s.chain(element))
        if (const auto* eq = std::get_if<dsp::EqSettings>(&module.settings); eq != nullptr && module.isOn) {
            auto moved = *eq; // bands that go down when it is loud have done so
            for (auto& band : moved.bands)
                if (band.isDynamic() && band.dynamics == dsp::Dynamics::Above)
                    band.gainDb += band.rangeDb;
            for (const auto& section : dsp::designEq(moved, s.sampleRateHz))
                sections.push_back(section);
        }
    return sections;
}

} // namespace

ToneSubject::ToneSubject(const Session& s, const ToneMeasure& t, const HitAnalysis* hits,
                         const HouseStyle& st)
    : session(s), tone(t), style(st), m_hits(hits), m_now(sectionsNow(s, t.element)) {}

double ToneSubject::doneDb(double hz) const {
    return dsp::responseDb(m_now, hz, session.sampleRateHz);
}

Finding ToneSubject::finding(const std::string& id, Severity severity, std::string sentence) const {
    Finding f;
    f.id = id;
    f.stage = Stage::Tone;
    f.element = tone.element;
    f.severity = severity;
    f.sentence = std::move(sentence);
    f.hearing = loudestHit();
    return f;
}

std::optional<Hearing> ToneSubject::loudestHit() const {
    const int input = m_hits == nullptr ? -1 : m_hits->inputOf(tone.element);
    const measure::HeardHit* loudest = nullptr;
    if (input >= 0)
        for (const auto& hit : m_hits->hits.heard)
            if (hit.input == input && hit.isOwn && (loudest == nullptr || hit.levelDb > loudest->levelDb))
                loudest = &hit;
    if (loudest == nullptr)
        return std::nullopt;
    return Hearing{
        {tone.element}, std::max(0.0, loudest->timeS - kHeardBeforeS), loudest->timeS + kHeardAfterS};
}

Proposal ToneSubject::adding(const EqBand& band, std::string words) const {
    return {std::move(words), [element = tone.element, band](session::Session s) {
                session::addBand(s, element, band);
                return s;
            }};
}

double ToneSubject::changeDb(const measure::Spectrum& spectrum, const EqBand& band) const {
    return measure::energyChangeDb(spectrum, responseOf(band));
}

std::function<double(double)> ToneSubject::responseOf(EqBand band) const {
    if (band.isDynamic())
        band.gainDb += band.rangeDb;
    return [sections = dsp::designBand(band, session.sampleRateHz), rate = session.sampleRateHz](double hz) {
        return dsp::responseDb(sections, hz, rate);
    };
}

} // namespace cask::advise
