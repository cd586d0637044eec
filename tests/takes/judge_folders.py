#!/usr/bin/env python3
"""Folders of sampled one-shots as kits: told apart, put by velocity, and as loud as the pattern says.

usage: judge_folders.py CLI [--count N] [--salt S] [--font small|large] [-v]

Each folder holds several drums at several strengths, named by the drum and shuffled numbers, or, all as loud, by the drum
and the strength ("Snare v40"). A pattern strikes them at every strength. Said: drums that are found in the pattern's
element, strokes whose sound was recorded at the strength that lies nearest in order, how far the level of each stroke
lies from 40 log10(velocity / 127) under the loudest, and how far an open hat has fallen behind a closed one.
"""
import argparse
import json
import pathlib
import struct
import subprocess
import tempfile

import numpy as np
import soundfile as sf
from scipy.signal import lfilter

from make_takes import seeded
from sampler import FONTS, RATE, Sampler

DRUMS = {36: "Kick", 38: "Snare", 42: "Closed Hat", 46: "Open Hat", 41: "Floor Tom", 48: "Rack Tom", 49: "Crash"}
ELEMENTS = {36: "Kick", 38: "Snare", 42: "Hi-hat", 46: "Hi-hat"}
PROGRAMS = (0, 8, 16, 24, 25, 32, 40)
VELOCITIES = (20, 45, 70, 95, 120)
APART_S = 3.0


def midi(strokes):
    """(seconds, note, velocity) at 120 beats a minute."""
    events, last = b"", 0
    for at, note, velocity in sorted(strokes):
        tick = int(round(at * 960))
        delta, last = tick - last, tick
        parts = [delta & 127]
        while delta := delta >> 7:
            parts.insert(0, delta & 127 | 128)
        events += bytes(parts) + bytes([0x99, note, velocity])
    events += b"\x00\xff\x2f\x00"
    return b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(events)) + events


def energy_db(x):
    """K-weighted (BS.1770, its coefficients for 48 kHz), channels summed."""
    y = lfilter([1.53512485958697, -2.69169618940638, 1.19839281085285], [1, -1.69065929318241, 0.73248077421585],
                x.astype(float), axis=0)
    y = lfilter([1, -2, 1], [1, -1.99004745483398, 0.99007225036621], y, axis=0)
    return 10 * np.log10(np.sum(y ** 2) + 1e-20)


def main():
    ap = argparse.ArgumentParser()
    ap.add_argument("cli")
    ap.add_argument("--count", type=int, default=14)
    ap.add_argument("--salt", type=int, default=1)
    ap.add_argument("--font", choices=FONTS, default="large")
    ap.add_argument("-v", action="store_true")
    a = ap.parse_args()
    found, ordered, off, hats = [], [], [], []
    with tempfile.TemporaryDirectory() as temporary:
        sampler = Sampler(FONTS[a.font], pathlib.Path(tempfile.gettempdir()) / "ember-cask-strokes")
        for i in range(a.count):
            rng = seeded("folder", a.salt, i)
            program = int(rng.choice(PROGRAMS))
            folder = pathlib.Path(temporary) / f"kit {i}"
            folder.mkdir()
            is_numbered = i % 3 == 2
            strengths = {}
            for note, name in DRUMS.items():
                made = sampler.strokes(program, note)
                if not made:
                    continue
                many = min(len(made), int(rng.integers(2, 6)))
                power = rng.uniform(0.6, 1)  # how much of the strength the level follows
                chosen = sorted(rng.choice(sorted(made), many, replace=False))
                numbers = rng.permutation(many) + 1
                for v, number in zip(chosen, numbers):
                    x = np.asarray(made[v], float)
                    x *= 10 ** ((10 - energy_db(x)) / 20)  # all as loud
                    file = f"{name} v{v}.wav" if is_numbered else f"{name} {number:02d}.wav"
                    if not is_numbered:
                        x *= 10 ** (power * 2 * np.log10(v / 127))
                    strengths[file] = v
                    sf.write(folder / file, x, RATE, subtype="FLOAT")
            notes = [n for n in DRUMS if any(f.startswith(DRUMS[n]) for f in strengths)]
            strokes = [(0.5 + APART_S * k, n, v) for k, (n, v) in enumerate((n, v) for n in notes for v in VELOCITIES)]
            end = strokes[-1][0] + APART_S
            strokes += [(end, 46, 120), (end + 0.15, 42, 60)]
            (folder / "Beat.mid").write_bytes(midi(strokes))
            session = pathlib.Path(temporary) / f"S{i}.cask"
            subprocess.run([a.cli, "pattern", folder / "Beat.mid", "--kit", folder, "--into", session], check=True,
                           capture_output=True)
            out = pathlib.Path(temporary) / "out"
            subprocess.run([a.cli, "render", session, "--out", out, "--stems", "tracks", "--names", "{name}", "--format",
                            "wav32f", "--overwrite"], check=True, capture_output=True)
            stems = {f.stem: sf.read(f)[0] for f in out.glob("*.wav")}
            stacks = [json.loads(f.read_text()) for f in (session / "layers").glob("*.stack.json")]
            for note in notes:
                stack = [s for s in stacks if any(k.get("note") == note for k in s["strikes"])]
                layers = [l for s in stack for l in s["layers"] if note in range(l["rule"]["low_note"], l["rule"]["high_note"] + 1)]
                sounds = [s for l in layers for s in l["sounds"]]
                names = [pathlib.Path(s["file"]).name for s in sounds]
                own = [f for f in strengths if f.startswith(DRUMS[note])]
                found.append(sorted(names) == sorted(own))
                if a.v and not found[-1]:
                    print(f"folder {i}: {DRUMS[note]} is played by {names} of {own}")
                by_range = [strengths[n] for n, s in sorted(zip(names, sounds), key=lambda p: p[1].get("low_velocity", 0))]
                ordered += [x <= y for x, y in zip(by_range, by_range[1:])]
                if a.v and by_range != sorted(by_range):
                    print(f"folder {i}: {DRUMS[note]} by velocity {by_range}, {'numbered' if is_numbered else 'by level'}")
                name = ELEMENTS.get(note, None)
                stem = stems.get(name) if name else next((x for n, x in stems.items() if n.lower().startswith(
                    {"Floor Tom": "low floor", "Rack Tom": "high-mid", "Crash": "crash"}[DRUMS[note]])), None)
                if stem is None:
                    continue
                levels = {}
                for at, n, v in strokes[:-2]:
                    if n == note:
                        levels[v] = energy_db(stem[int((at - 0.02) * RATE):int((at + APART_S - 0.1) * RATE)])
                loudest = levels[VELOCITIES[-1]]
                if a.v:
                    for v in VELOCITIES[:-1]:
                        miss = levels[v] - loudest - 40 * np.log10(v / VELOCITIES[-1])
                        if abs(miss) > 0.5:
                            print(f"folder {i}: {DRUMS[note]} at {v} is {miss:+.2f} dB off")
                off += [levels[v] - loudest - 40 * np.log10(v / VELOCITIES[-1]) for v in VELOCITIES[:-1]]
            hat = stems["Hi-hat"]
            rings = energy_db(hat[int((end + 0.1) * RATE):int((end + 0.14) * RATE)])
            closed = [energy_db(hat[int((end + 0.15 + t) * RATE):int((end + 0.19 + t) * RATE)]) for t in (0.5,)]
            hats.append(closed[0] - rings)
    off = np.abs(off)
    print(f"{a.count} folders: drums found {sum(found)} of {len(found)}; neighbours in order {sum(ordered)} of {len(ordered)}")
    print(f"level of strokes off by {np.median(off):.2f} dB (median), {np.percentile(off, 95):.2f} (95 %), {off.max():.2f} at most")
    print(f"half a second behind a closed stroke the open hat lies {-np.median(hats):.0f} dB down (median), {-max(hats):.0f} at least")


if __name__ == "__main__":
    main()
