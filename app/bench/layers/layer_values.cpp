#include "app/bench/layers/layer_values.h"

#include <cmath>

namespace cask::app {
namespace {

using layers::Layer;
using session::Unit;

template <double Layer::*value> LayerValue ofLayer(const session::ParameterInfo& info, bool isMore = false) {
    return {info, [](const Layer& l) { return l.*value; }, [](Layer& l, double v) { l.*value = v; }, isMore};
}

template <double layers::LayerRule::*value> LayerValue moreOfRule(const session::ParameterInfo& info) {
    return {info, [](const Layer& l) { return l.rule.*value; }, [](Layer& l, double v) { l.rule.*value = v; },
            true};
}

} // namespace

session::ParameterInfo number(std::string_view id, std::string_view words, session::Unit unit,
                              const NumberRange& range, std::string_view help) {
    session::ParameterInfo info{id, words};
    info.unit = unit;
    info.least = range.least;
    info.most = range.most;
    info.standard = range.standard;
    info.step = range.step;
    info.help = help;
    return info;
}

const std::vector<LayerValue>& layerValues() {
    static const std::vector<LayerValue> kValues = {
        ofLayer<&Layer::gainDb>(
            number("gain_db", "gain", Unit::Decibel, {-60, 24, 0, 0.5}, "Level of the layer.")),
        ofLayer<&Layer::pan>(
            number("pan", "pan", Unit::Pan, {-1, 1, 0, 0.05}, "Both sides keep a gain of 1 in the middle.")),
        ofLayer<&Layer::offsetMs>(number("offset_ms", "offset", Unit::Milliseconds, {-100, 100, 0, 0.5},
                                         "Later than the strike; less than 0 is early.")),
        ofLayer<&Layer::pitchCents>(
            number("pitch_cents", "pitch", Unit::Cents, {-2400, 2400, 0, 10}, "By rate: lower is longer.")),
        ofLayer<&Layer::lowCutHz>(
            number("low_cut_hz", "low cut", Unit::Hertz, {0, 5000, 0, 10}, "24 dB per octave; 0 is off.")),
        ofLayer<&Layer::highCutHz>(number("high_cut_hz", "high cut", Unit::Hertz, {0, 20000, 0, 100},
                                          "24 dB per octave; 0 is off.")),
        ofLayer<&Layer::driveDb>(number("drive_db", "drive", Unit::DecibelSpan, {0, 36, 0, 1},
                                        "Bends the sound before its cuts.")),
        ofLayer<&Layer::decayMs>(number("decay_ms", "decay", Unit::Milliseconds, {0, 4000, 0, 10},
                                        "To fall by 60 dB behind the transient; 0 is as it is.")),
        ofLayer<&Layer::followPercent>(number("follow_percent", "follows", Unit::Percent, {0, 200, 100, 5},
                                              "How far it follows the levels of the strikes.")),
        ofLayer<&Layer::levelSpreadDb>(number("level_spread_db", "spread", Unit::DecibelSpan, {0, 12, 0, 0.5},
                                              "By chance up to so much louder or softer.")),
        {number("rule/every", "every", Unit::None, {1, 16, 1, 1}, "Every Nth of the strikes that are left."),
         [](const Layer& l) { return static_cast<double>(l.rule.every); },
         [](Layer& l, double v) { l.rule.every = static_cast<int>(std::lround(v)); }, false},
        {number("rule/chance_percent", "chance", Unit::Percent, {0, 100, 100, 5},
                "Of the strikes that are left; the same ones each time."),
         [](const Layer& l) { return l.rule.chancePercent; },
         [](Layer& l, double v) { l.rule.chancePercent = v; }, false},
        ofLayer<&Layer::startMs>(number("start_ms", "start", Unit::Milliseconds, {0, 2000, 0, 1},
                                        "Of the file; dragged in the picture."),
                                 true),
        ofLayer<&Layer::endMs>(
            number("end_ms", "end", Unit::Milliseconds, {0, 10000, 0, 10}, "Of the file; 0 is its end."),
            true),
        ofLayer<&Layer::fadeInMs>(
            number("fade_in_ms", "fade in", Unit::Milliseconds, {0, 500, 0, 1}, "From its start."), true),
        ofLayer<&Layer::fadeOutMs>(
            number("fade_out_ms", "fade out", Unit::Milliseconds, {0, 2000, 0, 5}, "Into its end."), true),
        ofLayer<&Layer::holdMs>(number("hold_ms", "hold", Unit::Milliseconds, {0, 2000, 0, 5},
                                       "Behind the transient, before the decay."),
                                true),
        ofLayer<&Layer::lengthPercent>(number("length_percent", "length", Unit::Percent, {25, 400, 100, 5},
                                              "Stretched, with kept pitch; its attack stays as it is."),
                                       true),
        ofLayer<&Layer::resonanceDb>(number("resonance_db", "resonance", Unit::DecibelSpan, {0, 24, 0, 0.5},
                                            "Of both cuts, at their corners."),
                                     true),
        moreOfRule<&layers::LayerRule::lowVelocity>(number("rule/low_velocity", "from velocity", Unit::None,
                                                           {0, 127, 0, 1}, "Softer strikes are left out.")),
        moreOfRule<&layers::LayerRule::highVelocity>(number("rule/high_velocity", "to velocity", Unit::None,
                                                            {0, 127, 127, 1},
                                                            "Louder strikes are left out.")),
        {number("rule/first", "beginning with", Unit::None, {1, 16, 1, 1},
                "Of every Nth: which of them is the first."),
         [](const Layer& l) { return static_cast<double>(l.rule.first); },
         [](Layer& l, double v) { l.rule.first = static_cast<int>(std::lround(v)); }, true},
    };
    return kValues;
}

} // namespace cask::app
