// What every part of the window works with.
#pragma once

#include "app/document/analyst.h"
#include "app/document/document.h"
#include "app/document/finding_model.h"
#include "app/document/hit_model.h"
#include "app/document/playback.h"
#include "app/document/tone_model.h"

namespace cask::app {

struct Desk {
    Document& document;
    Analyst& analyst;
    Playback& playback;
    HitModel& hits;
    ToneModel& tones;
    FindingModel& findings;
};

} // namespace cask::app
