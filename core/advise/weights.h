// What a finding is worth: how much acting on it changes in the mix.
#pragma once

#include <core/advise/finding.h>
#include <core/advise/house_style.h>
#include <core/advise/kit_measures.h>
#include <vector>

namespace cask::advise {

/// Gives each finding its weight, and folds advice of less than the style's `foldBelow`; faults and notes are
/// never folded.
///
/// Weight = D * 2^((L - L0) / 10): D is the change in dB that its proposal (or what it warns of) makes, L the
/// level of what changes, own hits or spill, median peak in dBFS with trim and level counted, L0 that of the
/// loudest element. 10 dB softer counts half, as loudness does. What is wrong with a file as a whole has a
/// fixed D and is not scaled: a soft file that is broken is broken. docs/manual/findings.md lists all D.
void weigh(std::vector<Finding>& findings, const session::Session& session, const KitMeasures& measures,
           const HouseStyle& style);

} // namespace cask::advise
