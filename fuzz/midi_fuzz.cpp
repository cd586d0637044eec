// Any bytes as a MIDI file: an error or a pattern that can be judged.
#include "core/layers/midi_pattern.h"
#include "core/layers/pattern_judge.h"
#include "fuzz/accepted.h"

#include <cstdint>
#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace cask::layers;
    const auto pattern = midiPattern({data, size}, "fuzz");
    cask::fuzz::count(pattern.ok());
    if (pattern) {
        double lastS = 0;
        for (const auto& stroke : pattern->strokes) {
            if (!(stroke.timeS >= lastS) || stroke.note > 127 || stroke.velocity < 1)
                std::abort();
            lastS = stroke.timeS;
        }
        (void)judgePattern(*pattern, generalMidiMap());
    }
    return 0;
}
