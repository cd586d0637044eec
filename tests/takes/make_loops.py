"""make_loops.py TAKES OUT [--mix plain|balanced|overheads]: one stereo file of each take under TAKES/sessions.

TAKES is a folder as docs/formats/takes.md describes it; OUT/sessions/NAME gets `Drums.wav` and the take's truth.json.
plain: all microphones at their own level, close ones panned by drum. balanced: each close microphone brought to the peak that
such a drum has in a mix. overheads: the balanced mix with the overheads 9 dB up. Microphones that are dead stay dead."""
import argparse
import json
import os

import numpy as np
import soundfile as sf

PEAK_DB = {"kick": -6, "snare": -7, "hat": -19, "ride": -18, "tom": -9, "crash": -16, "oh": -14, "room": -20}
PAN = {"hat": 0.35, "ride": -0.4, "tom_rack": 0.25, "tom_mid": -0.1, "tom_floor": -0.4}


def kind_of(mic):
    for kind in PEAK_DB:
        if mic.startswith(kind):
            return kind
    return "oh" if mic.startswith("over") else "snare"


def side_of(mic):
    """-1 left, 1 right, a close microphone's place otherwise."""
    if mic.endswith(("_L", "_l", "left")):
        return -1.0
    if mic.endswith(("_R", "_r", "right")):
        return 1.0
    return next((p for name, p in PAN.items() if mic.startswith(name)), 0.0)


def mix_take(folder, truth, mix):
    rate = truth["sample_rate"]
    total = None
    for mic, stem in truth["stems"].items():
        x, file_rate = sf.read(os.path.join(folder, stem["file"]), always_2d=True)
        if file_rate != rate:
            x = np.stack([np.interp(np.arange(int(len(x) * rate / file_rate)) * file_rate / rate, np.arange(len(x)), c)
                          for c in x.T], axis=1)
        x = x[:, min(stem.get("channel", 0), x.shape[1] - 1)]
        peak = np.abs(x).max()
        if peak <= 0:
            continue
        kind = kind_of(mic)
        gain = 1.0
        if mix != "plain":
            gain = 10 ** ((PEAK_DB[kind] + (9 if mix == "overheads" and kind == "oh" else 0)) / 20) / peak
        pan = side_of(mic)
        if mic.startswith(("oh", "over", "room")) and stem.get("polarity", 1) < 0:
            gain = -gain
        left, right = np.cos((pan + 1) * np.pi / 4), np.sin((pan + 1) * np.pi / 4)
        wide = np.stack([left * x, right * x], axis=1) * gain
        if total is None:
            total = wide
        else:
            n = max(len(total), len(wide))
            total = np.pad(total, ((0, n - len(total)), (0, 0))) + np.pad(wide, ((0, n - len(wide)), (0, 0)))
    return total * (0.8 / np.abs(total).max()), rate


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("takes")
    parser.add_argument("out")
    parser.add_argument("--mix", choices=["plain", "balanced", "overheads"], default="balanced")
    args = parser.parse_args()
    root = os.path.join(args.takes, "sessions")
    for name in sorted(os.listdir(root)):
        folder = os.path.join(root, name)
        path = os.path.join(folder, "truth.json")
        if not os.path.exists(path) or name.startswith("stems"):
            continue
        truth = json.load(open(path))
        out = os.path.join(args.out, "sessions", name)
        os.makedirs(out, exist_ok=True)
        sound, rate = mix_take(folder, truth, args.mix)
        sf.write(os.path.join(out, "Drums.wav"), sound, rate, subtype="PCM_24")
        truth["mix"] = "Drums.wav"
        with open(os.path.join(out, "truth.json"), "w") as file:
            json.dump(truth, file)


if __name__ == "__main__":
    main()
