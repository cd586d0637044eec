#include "core/advise/house_style.h"

#include "core/measure/punch/wishes.h"
#include "core/session/field_rows.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <array>
#include <cmath>
#include <regex>

namespace cask::advise {
namespace {

using session::Unit;
using Json = nlohmann::ordered_json;

constexpr std::string_view kStyleFormat = "ember-cask house style";
constexpr int kStyleVersion = 1;

// Stored names in the order of PairSchool: do not change.
constexpr std::array<std::string_view, 3> kSchools = {"leave", "flip", "align"};
constexpr std::array<std::string_view, 3> kSchoolWords = {"leave the natural delays", "invert polarity only",
                                                          "align"};

constexpr std::array<std::string_view, 4> kGateSchools = {"hard", "gentle", "highs", "none"};
constexpr std::array<std::string_view, 4> kGateSchoolWords = {"hard gate", "gentle floor",
                                                              "expander on the highs only", "no gate"};
constexpr std::array<std::string_view, 3> kKeeps = {"accents", "normals", "ghosts"};
constexpr std::array<std::string_view, 3> kKeepsWords = {"accents only", "normal hits too", "ghosts too"};

constexpr std::array<std::string_view, 3> kToneSchools = {"narrow", "broad", "moving"};
constexpr std::array<std::string_view, 3> kToneSchoolWords = {"narrow cuts", "broad and gentle ones",
                                                              "bands that move"};

template <auto Member, std::size_t N>
constexpr auto choice(std::string_view id, std::string_view words,
                      const std::array<std::string_view, N>& stored,
                      const std::array<std::string_view, N>& read, double standard, std::string_view help) {
    return session::row<Member>({id, words, session::ParameterKind::Choice, Unit::None, 0,
                                 static_cast<double>(N - 1), standard, session::Scale::Linear, 1, stored,
                                 help, read});
}

template <auto Member>
constexpr auto school(std::string_view id, std::string_view words, std::string_view help) {
    return session::row<Member>({id, words, session::ParameterKind::Choice, Unit::None, 0, 2, 1,
                                 session::Scale::Linear, 1, kSchools, help, kSchoolWords});
}

using S = HouseStyle;
using session::number;

constexpr std::array kFields = {
    school<&S::nearPairs>("near_pairs", "microphones of one drum",
                          "What is proposed when two of them do not add up."),
    school<&S::overheadPairs>("overhead_pairs", "drums against overheads",
                              "What is proposed when a drum and the overheads do not add up."),
    number<&S::leastGainDb>("least_gain_db", "worth a move", Unit::Decibel, {0, 12, 1.5}, 0.5,
                            "Gain of the sum below 200 Hz from which a flip or shift is proposed."),
    number<&S::leastSurePercent>("least_sure_percent", "confidence of a delay", Unit::Percent, {0, 100, 35},
                                 5, "Pairs whose delay is less certain are passed over."),
    number<&S::leastDcPercent>("least_dc_percent", "constant offset", Unit::Percent, {0.001, 10, 0.1}, 0.05,
                               "Offset from which it is spoken of, of full scale."),
    number<&S::clippedPlaces>("clipped_places", "clipped places", Unit::None, {1, 1000, 3}, 1,
                              "How many places make a file count as clipped."),
    number<&S::leastGapMs>("least_gap_ms", "silent gap", Unit::Milliseconds, {500, 60000, 1000}, 100,
                           "Digital silence amid a recording from which it is spoken of."),
    number<&S::roleSurePercent>("role_sure_percent", "confidence of a role", Unit::Percent, {0, 100, 60}, 5,
                                "Roles guessed with less are asked about."),
    number<&S::headroomKickDb>("headroom_kick_db", "headroom, kick", Unit::Decibel, {-40, 0, -10}, 1,
                               "True peak at the master that the kick alone may reach, dBTP."),
    number<&S::headroomKitDb>("headroom_kit_db", "headroom, kit", Unit::Decibel, {-40, 0, -8}, 1,
                              "The same for the kit."),
    number<&S::headroomBassDb>("headroom_bass_db", "headroom, kit and bass", Unit::Decibel, {-40, 0, -7}, 1,
                               "The same for kit and bass."),
    number<&S::headroomMasterDb>("headroom_master_db", "headroom, master", Unit::Decibel, {-40, 0, -6}, 1,
                                 "The same for all that is heard."),
    number<&S::balanceKickLu>("balance_kick_lu", "balance: kick", Unit::Decibel, {-40, 12, -1}, 0.5,
                              "Loudness of the kick's own hits in the sum against the snare's, LU."),
    number<&S::balanceHatLu>("balance_hat_lu", "balance: hats", Unit::Decibel, {-40, 12, -9}, 0.5,
                             "The same for hats."),
    number<&S::balanceTomLu>("balance_tom_lu", "balance: toms", Unit::Decibel, {-40, 12, -1}, 0.5,
                             "The same for toms."),
    number<&S::balanceRideLu>("balance_ride_lu", "balance: ride", Unit::Decibel, {-40, 12, -8}, 0.5,
                              "The same for the ride."),
    number<&S::balanceCrashLu>("balance_crash_lu", "balance: crash", Unit::Decibel, {-40, 12, -5}, 0.5,
                               "The same for crashes."),
    number<&S::balancePercussionLu>("balance_percussion_lu", "balance: percussion", Unit::Decibel,
                                    {-40, 12, -7}, 0.5, "The same for percussion, side-stick and claps."),
    number<&S::balanceBassLu>("balance_bass_lu", "balance: bass", Unit::Decibel, {-40, 12, -3}, 0.5,
                              "Integrated loudness of the bass against the snare's own hits, LU."),
    number<&S::balanceMusicLu>("balance_music_lu", "balance: music", Unit::Decibel, {-40, 12, -4}, 0.5,
                               "The same for music."),
    number<&S::balanceVoiceLu>("balance_voice_lu", "balance: voice", Unit::Decibel, {-40, 12, 0}, 0.5,
                               "The same for voices."),
    number<&S::balanceLoopLu>("balance_loop_lu", "balance: loops", Unit::Decibel, {-40, 12, -4}, 0.5,
                              "The same for loops."),
    number<&S::balanceEffectLu>("balance_effect_lu", "balance: effects", Unit::Decibel, {-40, 12, -10}, 0.5,
                                "The same for effects."),
    number<&S::balanceSecondDb>("balance_second_db", "balance: further microphones", Unit::Decibel,
                                {-40, 12, -6}, 0.5,
                                "Of one drum against its first microphone, by the drum's own hits."),
    number<&S::balanceOverheadsDb>("balance_overheads_db", "balance: overheads", Unit::Decibel, {-40, 0, -10},
                                   0.5,
                                   "Drums in the overheads against all of them, where no cymbal without a "
                                   "microphone of its own says how loud the overheads should be."),
    number<&S::balanceRoomsDb>("balance_rooms_db", "balance: rooms", Unit::Decibel, {-40, 0, -14}, 0.5,
                               "Drums in the room microphones against all of them."),
    number<&S::balanceSpreadPercent>("balance_spread_percent", "balance: spread", Unit::Percent, {0, 100, 60},
                                     5, "How far from the centre the outermost drum is panned."),
    number<&S::hitSurePercent>("hit_sure_percent", "confidence of a hit", Unit::Percent, {0, 100, 50}, 5,
                               "Hits found with less are to be looked at."),
    number<&S::unsureHitsPercent>("unsure_hits_percent", "unsure hits", Unit::Percent, {0, 100, 5}, 1,
                                  "Share of unsure hits from which an element is spoken of."),
    number<&S::gateRoomDb>("gate_room_db", "room for a gate", Unit::Decibel, {0, 40, 6}, 1,
                           "Distance from spill to the softest own hits that a gate by level needs."),
    number<&S::grossTimingMs>("gross_timing_ms", "gross timing", Unit::Milliseconds, {5, 200, 25}, 1,
                              "Least error from the grid that is named; less is feel."),
    number<&S::driftPercent>("drift_percent", "drift", Unit::Percent, {0, 20, 2}, 0.5,
                             "Difference between the fastest and the slowest stretch that is named."),
    choice<&S::gateSchool>("gate_school", "approach to gates", kGateSchools, kGateSchoolWords, 1,
                           "Which gate is proposed."),
    choice<&S::gateKeeps>("gate_keeps", "a gate keeps", kKeeps, kKeepsWords, 2,
                          "Own hits that a gate must let pass."),
    number<&S::gateSpillDownDb>("gate_spill_down_db", "spill down by", Unit::Decibel, {3, 90, 9}, 1,
                                "The floor is no deeper than this needs."),
    number<&S::gateLowestFloorDb>("gate_lowest_floor_db", "deepest floor", Unit::Decibel, {-90, -3, -18}, 1,
                                  "A gate never closes further; -90 dB is silence."),
    number<&S::gateLostWeight>("gate_lost_weight", "weight of a lost hit", Unit::None, {0, 100, 8}, 1,
                               "What losing all own hits costs."),
    number<&S::gateOpenedWeight>("gate_opened_weight", "weight of spill let through", Unit::None, {0, 100, 1},
                                 0.5, "What it costs when all spill opens the gate."),
    number<&S::gateTailWeight>("gate_tail_weight", "weight of cut tails", Unit::None, {0, 100, 0.5}, 0.25,
                               "What tails that lose 12 dB cost."),
    number<&S::gateWorthDb>("gate_worth_db", "spill worth a gate", Unit::Decibel, {-80, 0, -36}, 1,
                            "Softer spill, against own accents, is left alone."),
    choice<&S::toneSchool>("tone_school", "approach to cuts", kToneSchools, kToneSchoolWords, 0,
                           "How rings and humps are taken away."),
    number<&S::lowCutLossDb>("low_cut_loss_db", "a low cut may cost", Unit::Decibel, {0.1, 3, 0.5}, 0.1,
                             "Energy of its own hits that an element may lose."),
    number<&S::boxKickDb>("box_kick_db", "boxiness of kicks", Unit::Decibel, {0, 40, 7}, 1,
                          "Hump from 280 to 500 Hz over its surroundings that is still fine."),
    number<&S::boxSnareDb>("box_snare_db", "boxiness of snares", Unit::Decibel, {0, 40, 12.5}, 1,
                           "The same for snares, whose shell sounds there."),
    number<&S::boxTomDb>("box_tom_db", "boxiness of toms", Unit::Decibel, {0, 40, 12.5}, 1,
                         "The same for toms."),
    number<&S::harshKickDb>(
        "harsh_kick_db", "harshness of kicks", Unit::Decibel, {0, 40, 29}, 1,
        "Hump from 2 to 5 kHz, as the ear weighs it, that is still fine: beaters click there."),
    number<&S::harshSnareDb>("harsh_snare_db", "harshness of snares", Unit::Decibel, {0, 40, 23}, 1,
                             "The same for snares, whose crack lies there."),
    number<&S::harshTomDb>("harsh_tom_db", "harshness of toms", Unit::Decibel, {0, 40, 25}, 1,
                           "The same for toms."),
    number<&S::humDb>("hum_db", "hum", Unit::Decibel, {-100, 0, -70}, 1,
                      "Level of mains hum from which it is spoken of, dBFS."),
    number<&S::sympathyPercent>("sympathy_percent", "rings in sympathy", Unit::Percent, {5, 100, 50}, 5,
                                "Share of other drums' hits after which a drum's own note is heard."),
    number<&S::conflictPercent>("conflict_percent", "competition", Unit::Percent, {1, 100, 12}, 1,
                                "Share of their moments in which two elements mask each other."),
    number<&S::rangeDb>("range_db", "out of the range", Unit::Decibel, {0.5, 20, 3}, 0.5,
                        "Distance from the range of your references, over an octave, that is spoken of."),
    number<&S::attackLossDb>(
        "attack_loss_db", "beginnings lost", Unit::Decibel, {0.5, 12, 2}, 0.5,
        "What a compressor takes off the first 10 ms of hits, from which it is spoken of."),
    number<&S::recoverPercent>("recover_percent", "recovery", Unit::Percent, {0, 100, 50}, 5,
                               "Share of hits before which a compressor should have let go."),
    number<&S::busDepthDb>(
        "bus_depth_db", "compression of a bus", Unit::Decibel, {1, 24, 6}, 0.5,
        "Gain reduction on the middle hit that is still fine where the bus is no parallel path."),
    number<&S::driverPercent>("driver_percent", "drives a bus", Unit::Percent, {20, 100, 60}, 5,
                              "Share of a bus's gain reduction that one element may have."),
    number<&S::raisedDb>("raised_db", "spill raised", Unit::Decibel, {0.5, 24, 3}, 0.5,
                         "What a compressor raises spill by, from which it is spoken of."),
    number<&S::pumpedDb>("pumped_db", "pumping", Unit::Decibel, {0.5, 24, 2}, 0.5,
                         "What other drums' hits move a compressor's gain by, from which it is spoken of."),
    number<&S::bentDb>("bent_db", "bent lows", Unit::Decibel, {-80, 0, -26}, 1,
                       "Overtones that a compressor makes of a drum's lowest note, against the note, from "
                       "which they are spoken of."),
    number<&S::undoneDb>("undone_db", "punch undone", Unit::Decibel, {0.2, 12, 1}, 0.1,
                         "Punch of kick and snare that a bus takes back, from which it is spoken of."),
    number<&S::standDb>("stand_db", "hits stand out", Unit::Decibel, {-24, 24, 0}, 0.5,
                        "How far the first 10 ms of kick and snare should stand over everything else."),
    number<&S::cymbalsRaisedDb>("cymbals_raised_db", "cymbals raised", Unit::Decibel, {0.5, 12, 2}, 0.5,
                                "What saturation or a parallel path may raise cymbals by, against the "
                                "shells."),
    number<&S::aliasDb>("alias_db", "aliases", Unit::Decibel, {-120, -20, -60}, 1,
                        "Aliases of a saturation that are still fine, against what comes out."),
    number<&S::combDipDb>("comb_dip_db", "combing", Unit::Decibel, {0.5, 24, 3}, 0.5,
                          "What a parallel path may take away at the note of kick or snare."),
    number<&S::pushBentDb>("push_bent_db", "pushed: bent", Unit::Decibel, {-60, 0, -15}, 1,
                           "A pushed drum breaks where what is new in its hits stands over this."),
    number<&S::pushCrestDb>("push_crest_db", "pushed: crest", Unit::Decibel, {0.5, 24, 4}, 0.5,
                            "Or where its hits have lost so much crest."),
    number<&S::pushClarityDb>("push_clarity_db", "pushed: clarity", Unit::Decibel, {0.5, 24, 4}, 0.5,
                              "Or where its first 10 ms stand out so much less."),
    number<&S::wishSnapDb>(
        "wish_snap_db", "wish: snap", Unit::Decibel, {0.5, 24, 2}, 0.5,
        "A wish for snap is fulfilled when the first 10 ms of hits have gained so much on what follows."),
    number<&S::wishThickDb>("wish_thick_db", "wish: thick", Unit::Decibel, {0.5, 24, 2}, 0.5,
                            "When what follows the first 10 ms has gained so much on them."),
    number<&S::wishEvenDb>("wish_even_db", "wish: even", Unit::Decibel, {0.5, 24, 3}, 0.5,
                           "When the range of the hits' peaks is so much less, or down to 3 dB."),
    number<&S::wishGlueDb>("wish_glue_db", "wish: glue", Unit::Decibel, {0.5, 24, 1}, 0.5,
                           "When what lies between hits has come up to them by so much."),
    number<&S::wishControlDb>("wish_control_db", "wish: control", Unit::Decibel, {0.5, 24, 3}, 0.5,
                              "When the strongest peaks are so much lower, at equal loudness."),
    number<&S::wishTailDb>("wish_tail_db", "wish: tame the tail", Unit::Decibel, {0.5, 24, 3}, 0.5,
                           "When tails are so much softer against the beginnings."),
    number<&S::wishDuckDb>("wish_duck_db", "wish: duck", Unit::Decibel, {0.5, 24, 4}, 0.5,
                           "When it makes so much room under each hit of the other."),
    number<&S::wishHarshDb>(
        "wish_harsh_db", "wish: de-harsh", Unit::Decibel, {0.5, 24, 2}, 0.5,
        "When the strongest hits are so much softer from 3 to 9 kHz, and the rest is not."),
    number<&S::wishKeptDb>(
        "wish_kept_db", "wish: beginnings kept", Unit::Decibel, {-12, 0, -1}, 0.5,
        "What the first 10 ms may lose at equal loudness where snap, glue or tame tails are wished for."),
    number<&S::foldBelow>("fold_below", "small findings", Unit::Decibel, {0, 20, 1}, 0.25,
                          "Findings that change less than this are shown only when asked for."),
};

} // namespace

namespace {

double ofDrum(Role role, double kick, double snare, double tom) {
    switch (role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
        return kick;
    case Role::SnareTop:
    case Role::SnareBottom:
        return snare;
    default:
        return tom;
    }
}

} // namespace

double allowedBoxDb(const HouseStyle& style, Role role) {
    return ofDrum(role, style.boxKickDb, style.boxSnareDb, style.boxTomDb);
}

double allowedHarshDb(const HouseStyle& style, Role role) {
    return ofDrum(role, style.harshKickDb, style.harshSnareDb, style.harshTomDb);
}

double headroomTargetDb(const HouseStyle& style, Rung rung) {
    switch (rung) {
    case Rung::Kick:
        return style.headroomKickDb;
    case Rung::Kit:
        return style.headroomKitDb;
    case Rung::KitAndBass:
        return style.headroomBassDb;
    case Rung::Master:
        break;
    }
    return style.headroomMasterDb;
}

double balanceLu(const HouseStyle& style, Role role) {
    switch (role) {
    case Role::KickIn:
    case Role::KickOut:
    case Role::SubKick:
        return style.balanceKickLu;
    case Role::ClosedHat:
    case Role::OpenHat:
        return style.balanceHatLu;
    case Role::RackTom:
    case Role::FloorTom:
        return style.balanceTomLu;
    case Role::Ride:
        return style.balanceRideLu;
    case Role::Crash:
        return style.balanceCrashLu;
    case Role::Percussion:
    case Role::SideStick:
    case Role::Clap:
        return style.balancePercussionLu;
    case Role::Bass:
        return style.balanceBassLu;
    case Role::Music:
        return style.balanceMusicLu;
    case Role::Voice:
        return style.balanceVoiceLu;
    case Role::Loop:
        return style.balanceLoopLu;
    case Role::Effect:
        return style.balanceEffectLu;
    default:
        return 0; // the snare, which all others go by
    }
}

measure::PushLimits pushLimits(const HouseStyle& style) {
    return {style.pushBentDb, style.pushCrestDb, style.pushClarityDb};
}

measure::WishGoals wishGoals(const HouseStyle& style) {
    measure::WishGoals goals;
    goals.snapDb = style.wishSnapDb;
    goals.thickDb = style.wishThickDb;
    goals.evenDb = style.wishEvenDb;
    goals.glueDb = style.wishGlueDb;
    goals.controlDb = style.wishControlDb;
    goals.tailDb = style.wishTailDb;
    goals.duckDb = style.wishDuckDb;
    goals.harshDb = style.wishHarshDb;
    goals.keptAttackDb = style.wishKeptDb;
    return goals;
}

measure::GateWeights gateWeights(const HouseStyle& style) {
    measure::GateWeights weights;
    weights.lost = style.gateLostWeight;
    weights.opened = style.gateOpenedWeight;
    weights.tail = style.gateTailWeight;
    return weights;
}

std::span<const session::Field<HouseStyle>> houseStyleFields() {
    return kFields;
}

Result<HouseStyle> houseStyleFromJson(std::string_view text, const std::string& where) {
    const auto bad = [&](const std::string& what) {
        return Error{ErrorCode::BadFormat, fmt::format("{} is no house style: {}.", where, what)};
    };
    const Json json = Json::parse(text, nullptr, false, true);
    if (json.is_discarded() || !json.is_object())
        return bad("it is not a JSON object");
    const auto textAt = [&](const char* key) {
        const auto it = json.find(key);
        return it != json.end() && it->is_string() ? it->get<std::string>() : std::string();
    };
    if (textAt("format") != kStyleFormat)
        return bad(fmt::format("its \"format\" is not \"{}\"", kStyleFormat));
    const auto version = json.find("version");
    if (version == json.end() || !version->is_number_integer() || version->get<long long>() != kStyleVersion)
        return bad(fmt::format("only version {} can be read", kStyleVersion));
    HouseStyle style;
    style.id = textAt("id");
    style.name = textAt("name");
    style.words = textAt("words");
    if (style.id.empty() || style.name.empty())
        return bad("it needs an \"id\" and a \"name\"");
    for (const auto& field : kFields) {
        const auto it = json.find(std::string(field.info.id));
        if (it == json.end())
            continue;
        std::string typed;
        if (it->is_string())
            typed = it->get<std::string>();
        else if (it->is_number())
            typed = fmt::format("{}", it->get<double>());
        const auto value = session::parseValue(field.info, typed);
        if (!value)
            return bad(fmt::format("\"{}\": {}", field.info.id, value.error().message));
        field.set(style, *value);
    }
    auto ranges = readToneRanges(json);
    if (!ranges)
        return bad(ranges.error().message);
    style.references.ranges = *std::move(ranges);
    return style;
}

std::string houseStyleToJson(const HouseStyle& style) {
    Json json{{"format", kStyleFormat},
              {"version", kStyleVersion},
              {"id", style.id},
              {"name", style.name},
              {"words", style.words}};
    for (const auto& field : kFields) {
        const double value = field.get(style);
        if (field.info.kind == session::ParameterKind::Choice)
            json[std::string(field.info.id)] = field.info.choices[static_cast<std::size_t>(value)];
        else
            json[std::string(field.info.id)] = value;
    }
    writeToneRanges(style.references, json);
    // A list of numbers stands on one line. (Strings hold no line breaks in JSON.)
    std::string text = json.dump(2);
    text = std::regex_replace(text, std::regex("([\\[,])\\n\\s+(?=-?[0-9])"), "$1 ");
    text = std::regex_replace(text, std::regex("([0-9])\\n\\s+\\]"), "$1 ]");
    return text + "\n";
}

} // namespace cask::advise
