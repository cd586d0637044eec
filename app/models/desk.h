// What every part of the window works with.
#pragma once

#include "app/document/document.h"
#include "app/models/analyst.h"
#include "app/models/finding_model.h"
#include "app/models/hit_model.h"
#include "app/models/playback.h"
#include "app/models/tone_model.h"

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
