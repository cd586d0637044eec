// What counts as worth saying, and which way of working is proposed: a named, editable set of thresholds.
#pragma once

#include <core/advise/tone_reference.h>
#include <core/base/headroom.h>
#include <core/base/result.h>
#include <core/measure/drive/push.h>
#include <core/measure/gate/gate_search.h>
#include <core/session/parameters.h>
#include <string>
#include <string_view>

namespace cask::measure {
struct WishGoals;
}

namespace cask::advise {

/// What is proposed for two microphones that hear one drum at different times.
enum class PairSchool { Leave, Flip, Align };
/// How spill is kept down.
enum class GateSchool { Hard, Gentle, Highs, None };
/// How what is ugly is taken away: by narrow cuts of just the depth and width that are needed, by few broad
/// and gentle ones, or by bands that move only when it is loud.
enum class ToneSchool { Narrow, Broad, Moving };

struct HouseStyle {
    std::string id = "natural"; ///< stored in sessions
    std::string name = "Natural";
    std::string words; ///< what it stands for, one or two sentences
    // Intake
    PairSchool nearPairs = PairSchool::Flip;
    PairSchool overheadPairs = PairSchool::Flip;
    double leastGainDb = 1.5;     ///< of the sum below 200 Hz, for a move to be proposed
    double leastSurePercent = 35; ///< confidence of a pair's delay, for it to be spoken of
    double leastDcPercent = 0.1;  ///< of full scale
    double clippedPlaces = 3;     ///< from so many on
    double leastGapMs = 1000;     ///< of digital silence amid a recording's noise
    double roleSurePercent = 60;  ///< below: asked
    // Balance: true peaks at the master that are still fine, dBTP
    double headroomKickDb = -10; ///< with the kick alone
    double headroomKitDb = -8;
    double headroomBassDb = -7; ///< kit and bass
    double headroomMasterDb = -6;
    // Rough balance: loudness of own hits in the sum, LU against the snare's
    double balanceKickLu = -1;
    double balanceHatLu = -9;
    double balanceTomLu = -1;
    double balanceRideLu = -8;
    double balanceCrashLu = -5;
    double balancePercussionLu = -7;
    double balanceBassLu = -3; ///< integrated loudness, of this and what follows
    double balanceMusicLu = -4;
    double balanceVoiceLu = 0;
    double balanceLoopLu = -4;
    double balanceEffectLu = -10;
    double balanceSecondDb = -6;      ///< a drum's further microphones under its first
    double balanceOverheadsDb = -10;  ///< drums in the overheads, where no cymbal says how loud these are
    double balanceRoomsDb = -14;      ///< drums in the rooms
    double balanceSpreadPercent = 60; ///< how far from the centre the outermost drum stands
    // Hits
    double hitSurePercent = 50;   ///< hits below are looked at again ...
    double unsureHitsPercent = 5; ///< ... when so many of an element's are
    double gateRoomDb = 6;        ///< between the softest own hits and spill, for a gate by level alone
    double grossTimingMs = 25;    ///< least error from the grid that is named
    double driftPercent = 2;      ///< fastest against slowest stretch
    // Clean
    GateSchool gateSchool = GateSchool::Gentle;
    measure::GateWants gateKeeps = measure::GateWants::Ghosts;
    double gateSpillDownDb = 9; ///< wanted, where the floor allows it
    double gateLowestFloorDb = -18;
    double gateLostWeight = 8;   ///< of an own hit lost, against ...
    double gateOpenedWeight = 1; ///< ... a hit of another drum let through
    double gateTailWeight = 0.5;
    double gateWorthDb = -36; ///< spill softer than this against own accents is left alone
    // Tone
    ToneSchool toneSchool = ToneSchool::Narrow;
    double lowCutLossDb = 0.5; ///< of own hits' energy, at most
    // Humps that are still fine, a little over what two packages of sampled drums have.
    double boxKickDb = 7; ///< from 280 to 500 Hz (measure::measureBoxiness)
    double boxSnareDb = 12.5;
    double boxTomDb = 12.5;
    double harshKickDb = 29; ///< from 2 to 5 kHz (measure::measureHarshness): a beater clicks there
    double harshSnareDb = 23;
    double harshTomDb = 25;
    double humDb = -70;          ///< from which hum is spoken of, dBFS
    double sympathyPercent = 50; ///< of other drums' hits after which a drum hums along
    double conflictPercent = 12; ///< of the moments of two elements, from which their conflict is spoken of
    double rangeDb = 3;          ///< out of the range of three or more own references, over an octave
    // Punch
    double attackLossDb = 2;    ///< off the first 10 ms at equal loudness, from which it is spoken of
    double recoverPercent = 50; ///< of hits before which a compressor should have let go, at least
    double busDepthDb = 6;      ///< on the middle hit of a bus that is no parallel path
    double driverPercent = 60;  ///< of a bus's gain reduction that one element may have
    double raisedDb = 3;        ///< spill that a compressor raises, from which it is spoken of
    double pumpedDb = 2;        ///< gain that another drum's hits move, from which it is spoken of
    double bentDb = -26;        ///< overtones that a compressor makes of a drum's lowest note
    double undoneDb = 1;        ///< of punch that a bus takes back, from which it is spoken of
    double standDb = 0;         ///< of the first 10 ms of kick and snare over all else, at least
    // Drive
    double cymbalsRaisedDb = 2; ///< against the shells, from which it is spoken of
    double aliasDb = -60;       ///< of a saturation, against what comes out
    double combDipDb = 3;       ///< of a path at the note of kick or snare
    double pushBentDb = -15;    ///< of what is new in a hit, where a pushed drum breaks
    double pushCrestDb = 4;     ///< crest that it may lose
    double pushClarityDb = 4;   ///< and of its first 10 ms over what is before
    // Wishes (measure/punch/wishes.h)
    double wishSnapDb = 2;
    double wishThickDb = 2;
    double wishEvenDb = 3;
    double wishGlueDb = 1;
    double wishControlDb = 3;
    double wishTailDb = 3;
    double wishDuckDb = 4;
    double wishHarshDb = 2;
    double wishKeptDb = -1;
    double foldBelow = 1; ///< findings of less weight (weights.h) are shown only when asked for
    ToneReferences references;
    friend bool operator==(const HouseStyle&, const HouseStyle&) = default;
};

/// How high a hump the style allows a drum (measure::measureBoxiness, measureHarshness).
[[nodiscard]] double allowedBoxDb(const HouseStyle& style, Role role);
[[nodiscard]] double allowedHarshDb(const HouseStyle& style, Role role);

[[nodiscard]] double headroomTargetDb(const HouseStyle& style, Rung rung);

/// How loud an element of this role is against the snare's own hits in a rough balance, LU.
[[nodiscard]] double balanceLu(const HouseStyle& style, Role role);

[[nodiscard]] measure::GateWeights gateWeights(const HouseStyle& style);
[[nodiscard]] measure::WishGoals wishGoals(const HouseStyle& style);
[[nodiscard]] measure::PushLimits pushLimits(const HouseStyle& style);

/// Every value of a style, for JSON, display and documentation.
[[nodiscard]] std::span<const session::Field<HouseStyle>> houseStyleFields();

/// Reads a style; missing values are those of HouseStyle. Errors name `where` and the value.
[[nodiscard]] Result<HouseStyle> houseStyleFromJson(std::string_view text, const std::string& where);
[[nodiscard]] std::string houseStyleToJson(const HouseStyle& style);

} // namespace cask::advise
