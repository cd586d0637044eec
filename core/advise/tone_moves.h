// The equaliser moves that are proposed against what is ugly, in each way of working.
#pragma once

#include <core/advise/house_style.h>
#include <core/dsp/eq_settings.h>
#include <core/measure/tone/hump.h>
#include <core/measure/tone/partials.h>
#include <string>

namespace cask::advise {

/// A bell whose zeros lie on the ring's poles and whose poles die away as fast as the surroundings: for a
/// bell s^2 + (A / Q) w s + w^2 over s^2 + w s / (A Q) + w^2, a pole pair with damping term c w falls by 60
/// dB in 2 ln(1000) / (c w). So A^2 is the ratio of the two times. `deeper`: so many times that ratio, for a
/// ring that is not quite the same on every hit and leaves more behind. One that does not outlast the rest
/// is taken down to 8 dB over it.
[[nodiscard]] dsp::EqBand ringCut(const measure::Ring& ring, double deeper = 1);
/// It sounds on when what lies around it is over.
/// A ring outlasts what lies around it when it takes this many times as long.
inline constexpr double kOutlasts = 1.4;
[[nodiscard]] bool outlasts(const measure::Ring& ring);

/// A drum that rises less than this where boxiness lies is not boxy, whatever other microphones hear.
inline constexpr double kBoxAtAllDb = 3;
/// The same of a role: the microphone inside a kick hears more of the middle than all others by where it is.
[[nodiscard]] double leastBoxDb(Role role);
/// How far a microphone may lie over others that hear the same hits, in that place against its surroundings:
/// what is more is no matter of where it stands. Of 103 sampled drums 19 that were made boxy by 11 to 15 dB
/// lay 7.8 dB and more over the drum's other close microphone (6 had one) and 7.1 (toms) and 8 (kicks) over
/// the overheads, the others at most 5.7, 7.1 and 9.1.
[[nodiscard]] double allowedBoxBesideDb(Role role, bool isNear);

/// A bell as broad as the hump that takes it 2 dB under what is usual, 6 dB at most. `tooMuchDb`: over that.
[[nodiscard]] dsp::EqBand humpCut(const measure::Hump& hump, double tooMuchDb);

/// A cut as the school does it. `levelDb`: of the band on own hits.
[[nodiscard]] dsp::EqBand inSchool(dsp::EqBand cut, ToneSchool school, double levelDb);

/// As findings name it.
[[nodiscard]] std::string schoolName(ToneSchool school);

} // namespace cask::advise
