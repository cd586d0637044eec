// Measures made by hand, of a kit that has no fault.
#pragma once

#include "core/advise/advise.h"
#include "core/advise/house_style_files.h"
#include "core/session/edits.h"

#include <gtest/gtest.h>

#include <algorithm>

namespace cask::advise {

using measure::DrumHit;
using session::Id;
using session::Session;

/// Kick in, kick out, snare top and overheads, all sound, with ten kicks and ten snares.
class AdviseTest : public testing::Test {
  protected:
    AdviseTest() {
        int input = 0;
        for (const auto& [name, role] :
             {std::pair("Kick In", Role::KickIn), std::pair("Kick Out", Role::KickOut),
              std::pair("Snare", Role::SnareTop), std::pair("Over", Role::Overhead)}) {
            session::SourceFile file;
            file.id = m_session.nextId++;
            file.path = std::string(name) + ".wav";
            session::Element e;
            e.id = m_session.nextId++;
            e.name = name;
            e.role = role;
            e.roleConfidence = 1;
            e.channels = {{file.id, 0}};
            auto analysis = std::make_shared<measure::FileAnalysis>();
            analysis->facts.levels.peakDb = -6;
            analysis->facts.levels.rmsDb = -30;
            analysis->facts.levels.noiseFloorDb = -70;
            analysis->facts.arrivals = 20;
            analysis->facts.framesRead = 480000;
            m_facts.push_back(&analysis->facts);
            m_measures.files[file.id].analysis = analysis;
            m_files.push_back(file.id);
            m_ids.push_back(e.id);
            m_hits->elements.push_back(e.id);
            m_session.files.emplace_back(std::move(file));
            m_session.elements.emplace_back(std::move(e));
            ++input;
        }
        auto& hits = m_hits->hits;
        hits.inputs = input;
        hits.lagS.assign(static_cast<std::size_t>(input), 0);
        hits.kit.drums = {{"Kick In", Role::KickIn, {0, 1}}, {"Snare", Role::SnareTop, {2}}};
        hits.kit.drumOf = {0, 0, 1, -1};
        for (int n = 0; n < 20; ++n) {
            DrumHit hit;
            hit.drum = n % 2;
            hit.timeS = 0.5 * n;
            hit.confidence = 0.9;
            hit.isAlone = true;
            hits.strokes.push_back(hit);
            hits.heard.push_back({hit.drum == 0 ? 0 : 2, hit.drum, n, true, hit.timeS, -10, 0.9});
        }
        m_hits->spill.rooms.resize(4);
        m_hits->timing.errorMs.assign(20, 0);
        m_hits->timing.drums.resize(2);
        m_hits->tempo.isKnown = true;
        m_hits->tempo.confidence = 0.9;
        m_hits->tempo.bpm = 120;
        for (int beat = 0; beat < 21; ++beat)
            m_hits->tempo.beatsS.push_back(0.5 * beat);
        m_measures.hits = m_hits;
    }

    [[nodiscard]] std::vector<Finding> run(const HouseStyle& style = HouseStyle()) const {
        return advise(m_session, m_measures, style);
    }
    /// The only finding. An empty one, with a failure, when there is none or more.
    [[nodiscard]] Finding only(const HouseStyle& style = HouseStyle()) const {
        auto found = run(style);
        EXPECT_EQ(found.size(), 1U);
        for (const auto& f : found)
            SCOPED_TRACE(f.sentence);
        return found.empty() ? Finding() : found.front();
    }
    [[nodiscard]] static bool says(const Finding& f, const std::string& words) {
        return f.sentence.find(words) != std::string::npos;
    }
    [[nodiscard]] session::InputSettings inputAfter(const Finding& f, Id id) const {
        return f.proposal->apply(m_session).element(id)->input;
    }
    static measure::Alignment pair(double delayMs, bool isInverted, double now, double flipped,
                                   double moved) {
        measure::Alignment a;
        a.hits = 10;
        a.delayMs = delayMs;
        a.isInverted = isInverted;
        a.confidence = 0.9;
        a.lowSumDb = now;
        a.lowSumFlippedDb = flipped;
        a.lowSumMovedDb = moved;
        return a;
    }

    Session m_session = session::emptySession();
    KitMeasures m_measures;
    std::shared_ptr<HitAnalysis> m_hits = std::make_shared<HitAnalysis>();
    std::vector<measure::FileFacts*> m_facts;
    std::vector<Id> m_files;
    std::vector<Id> m_ids; // kick in, kick out, snare, over
};

} // namespace cask::advise
