// What all findings about one element's tone need.
#pragma once

#include <core/advise/advise.h>
#include <core/dsp/section_design.h>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace cask::advise {

/// One element's tone in its session. Lives as long as what it is made of.
class ToneSubject {
  public:
    ToneSubject(const session::Session& s, const ToneMeasure& tone, const HitAnalysis* hits,
                const HouseStyle& style);

    const session::Session& session;
    const ToneMeasure& tone;
    const HouseStyle& style;

    [[nodiscard]] std::string name() const { return session.nameOf(tone.element); }
    [[nodiscard]] Role role() const { return session.element(tone.element)->role; }
    /// Of the equalisers as they are, dB.
    [[nodiscard]] double doneDb(double hz) const;
    /// Of a move, dB by Hz.
    [[nodiscard]] std::function<double(double)> responseOf(dsp::EqBand band) const;
    /// Change of a spectrum's energy by a move, dB.
    [[nodiscard]] double changeDb(const measure::Spectrum& spectrum, const dsp::EqBand& band) const;
    [[nodiscard]] Finding finding(const std::string& id, Severity severity, std::string sentence) const;
    [[nodiscard]] Proposal adding(const dsp::EqBand& band, std::string words) const;

  private:
    /// The element alone, from just before its loudest own hit on.
    [[nodiscard]] std::optional<Hearing> loudestHit() const;

    const HitAnalysis* m_hits;
    std::vector<dsp::SvfCoefficients> m_now;
};

/// `cuts`: gets the cut of each ring, by the finding's id.
void addRings(const ToneSubject& subject, std::vector<Finding>& findings,
              std::map<std::string, dsp::EqBand>& cuts);
void addBoxiness(const ToneSubject& subject, std::vector<Finding>& findings);
void addHarshness(const ToneSubject& subject, std::vector<Finding>& findings);

} // namespace cask::advise
