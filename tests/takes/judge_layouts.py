#!/usr/bin/env python3
"""Folders of sampled one-shots, named and laid out in many ways, as kits: does each note strike its own drum?

usage: judge_layouts.py CLI [--count N] [--salt S] [--font small|large] [--layout NAME] [--varied] [-v]

Each kit holds some of twenty drums, several strokes of each at several strengths, with three toms or more, two crashes and
percussion. A pattern strikes each drum once. Said, by layout: notes whose sounds are those of their drum and no others, and
neighbours among them that lie in order of their strength. --varied: no stroke is the sound of another one at another
strength: each has up to 15 cents and four bells of up to 4 dB of its own, and the softer the fewer highs.
"""
import argparse
import collections
import json
import pathlib
import subprocess
import tempfile

import numpy as np
import soundfile as sf

from judge_folders import energy_db, midi
from make_takes import filtered, pass_of, random_bell, seeded
from sampler import FONTS, RATE, Sampler

# note: full name, short name
DRUMS = {36: ("Kick", "BD"), 38: ("Snare", "SD"), 37: ("Side Stick", "XStick"), 39: ("Clap", "Clap"),
         42: ("Closed Hat", "HH closed"), 44: ("Pedal Hat", "HH foot"), 46: ("Open Hat", "HH open"),
         50: ("High Tom", "HT"), 47: ("Mid Tom", "MT"), 43: ("Low Tom", "LT"), 49: ("Crash", "CR"),
         52: ("China", "China"), 55: ("Splash", "Splash"), 51: ("Ride", "RD"), 53: ("Ride Bell", "RD bell"),
         54: ("Tambourine", "Tamb"), 56: ("Cowbell", "Cowbell"), 63: ("Conga High", "Conga hi"),
         64: ("Conga Low", "Conga lo")}
TOMS = {50: 1, 47: 2, 43: 3}
PROGRAMS = (0, 8, 16, 24, 25, 32, 40)
DYNAMICS = ("pp", "p", "mf", "f", "ff", "fff")
WORDS = ("ghost", "soft", "medium", "hard", "hardest")


def numbered(note):
    return f"Tom {TOMS[note]}" if note in TOMS else DRUMS[note][1]


def nested(note):
    words = DRUMS[note][0].split()
    return "/".join(words[::-1] if words[-1] in ("Hat", "Tom") else words)


# the file of stroke k, softest first, in turn r of so many
LAYOUTS = {
    "names, numbers": (1, lambda note, k, r: f"{DRUMS[note][0]} {k + 1:02d}.wav"),
    "numbered toms, velocities": (1, lambda note, k, r: f"{numbered(note)} v{20 * k + 10}.wav"),
    "folders, numbers": (1, lambda note, k, r: f"{numbered(note)}/{k + 1:02d}.wav"),
    "folders, strengths": (2, lambda note, k, r: f"{DRUMS[note][0]}/{WORDS[k]}/{r + 1}.wav"),
    "short names, dynamics, turns": (2, lambda note, k, r: f"{DRUMS[note][1]}_{DYNAMICS[k]}_rr{r + 1}.wav"),
    "kit in front": (1, lambda note, k, r: f"Oak Room {DRUMS[note][0]} {k + 1}.wav"),
    "run together": (2, lambda note, k, r: f"{DRUMS[note][0].replace(' ', '')}_V{k + 1}_RR{r + 1}.wav"),
    "a file each": (0, lambda note, k, r: f"{numbered(note)}.wav"),
    "folders in folders": (1, lambda note, k, r: f"{nested(note)}/{k + 1:02d}.wav"),
    "no names": (1, lambda note, k, r: f"{(note * 7919 + k * 104729) % 99991:05d}.wav"),
}


def stroke_of_its_own(x, v, rng):
    at = np.arange(0, len(x) - 1, 2 ** (rng.uniform(-15, 15) / 1200))
    x = np.interp(at, np.arange(len(x)), x)
    return filtered(x, *(random_bell(rng, 4, 2) for _ in range(4)), pass_of("low", 20000 * (v / 127) ** 0.7))


def main():
    ap = argparse.ArgumentParser()
    ap.add_argument("cli")
    ap.add_argument("--count", type=int, default=14)
    ap.add_argument("--salt", type=int, default=1)
    ap.add_argument("--font", choices=FONTS, default="large")
    ap.add_argument("--layout", choices=LAYOUTS, help="this one alone")
    ap.add_argument("--varied", action="store_true")
    ap.add_argument("-v", action="store_true")
    a = ap.parse_args()
    own, ordered = collections.defaultdict(list), collections.defaultdict(list)
    with tempfile.TemporaryDirectory() as temporary:
        sampler = Sampler(FONTS[a.font], pathlib.Path(tempfile.gettempdir()) / "ember-cask-strokes")
        for i in range(a.count):
            rng = seeded("layout", a.salt, i)
            layout = a.layout or list(LAYOUTS)[i % len(LAYOUTS)]
            program = int(rng.choice(PROGRAMS))
            root = pathlib.Path(temporary) / f"Kit {i}"
            strengths, notes = {}, []
            for note in DRUMS:
                made = sampler.strokes(program, note)
                if not made or rng.random() < 0.2:
                    continue
                notes.append(note)
                chosen = sorted(made)
                many = min(len(chosen) // 2, int(rng.integers(2, 4)))
                turns, path = LAYOUTS[layout]
                many, turns = (many, turns) if turns else (1, 1)
                for k in range(many):
                    for r in range(turns):
                        v = chosen[(2 * k + r) * len(chosen) // (2 * many)]
                        x = np.asarray(made[v], float)
                        if a.varied:
                            x = stroke_of_its_own(x, v, rng)
                        x *= 10 ** ((10 - energy_db(x)) / 20 + 2 * np.log10(v / 127))
                        file = root / path(note, k, r)
                        file.parent.mkdir(parents=True, exist_ok=True)
                        strengths[str(file.relative_to(root))] = (note, k)
                        sf.write(file, x, RATE, subtype="FLOAT")
            beat = pathlib.Path(temporary) / f"Beat {i}.mid"
            beat.write_bytes(midi([(0.5 + k, n, 100) for k, n in enumerate(notes)]))
            session = pathlib.Path(temporary) / f"S{i}.cask"
            subprocess.run([a.cli, "pattern", beat, "--kit", root, "--into", session], check=True, capture_output=True)
            layers = [l for f in (session / "layers").glob("*.stack.json") for l in json.loads(f.read_text())["layers"]]
            for note in notes:
                sounds = [s for l in layers if l["rule"]["low_note"] <= note <= l["rule"]["high_note"] for s in l["sounds"]]
                found = [strengths[str(pathlib.Path(s["file"]).resolve().relative_to(root.resolve()))] for s in
                         sorted(sounds, key=lambda s: s.get("low_velocity", 0))]
                right = sum(n == note for n, _ in strengths.values())
                own[layout].append(len(found) == right and all(n == note for n, _ in found))
                ordered[layout] += [x[1] <= y[1] for x, y in zip(found, found[1:])]
                if a.v and not own[layout][-1]:
                    print(f"kit {i} ({layout}): {DRUMS[note][0]} is struck by {sorted(counted(found))} of {right}")
    for layout in own:
        print(f"{layout}: {sum(own[layout])} of {len(own[layout])} notes by their own drum, "
              f"{sum(ordered[layout])} of {len(ordered[layout])} neighbours in order")


def counted(found):
    return [f"{n} x {DRUMS[d][0]}" for d, n in collections.Counter(note for note, _ in found).items()]


if __name__ == "__main__":
    main()
