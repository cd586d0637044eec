#!/usr/bin/env python3
"""One-shots of sampled drums by role: OUT/ROLE/NAME.wav, as people's own sounds are, so that an ear can be taught and judged.

usage: make_shots.py OUT FONT [--salt S] [--variants N]

Each stroke of each drum of the soundfont as it is, and N times otherwise: tuned, with another tone, shorter, driven, in a
room. What is taught on one soundfont is judged on another.
"""
import argparse
import pathlib
import tempfile

import numpy as np
import soundfile as sf
from scipy.signal import fftconvolve, lfilter, resample

from make_takes import seeded
from sampler import FONTS, RATE, sampler_of

ROLES = {"kick_in": (35, 36), "snare_top": (38, 40), "side_stick": (37,), "clap": (39,), "closed_hat": (42, 44),
         "open_hat": (46,), "rack_tom": (45, 47, 48, 50), "floor_tom": (41, 43), "crash": (49, 52, 55, 57),
         "ride": (51, 53, 59), "percussion": (54, 56, 58, 60, 61, 62, 63, 64, 65, 66, 67, 68, 69, 70, 73, 75, 76, 77, 80, 81)}
PROGRAMS = (0, 8, 16, 24, 25, 32, 40)


def otherwise(x, rng):
    """The same drum as another engineer would have left it."""
    y = np.asarray(x, float)
    tuned = 2 ** (rng.uniform(-4, 4) / 12)
    y = resample(y, max(64, int(len(y) / tuned)))
    for _ in range(2):  # a shelf each way
        a = np.exp(-2 * np.pi * 10 ** rng.uniform(2, 3.8) / RATE)
        low = lfilter([1 - a], [1, -a], y)
        y = y + (10 ** (rng.uniform(-8, 8) / 20) - 1) * (low if rng.random() < 0.5 else y - low)
    t = np.arange(len(y)) / RATE
    if rng.random() < 0.4:
        y *= 10 ** (-3 * t / rng.uniform(0.15, 1.5))
    if rng.random() < 0.4:
        drive = 10 ** (rng.uniform(0, 15) / 20)
        y = np.tanh(drive * y / np.abs(y).max())
    if rng.random() < 0.35:
        long = rng.uniform(0.1, 0.8)
        n = int(long * RATE)
        tail = rng.standard_normal(n) * 10 ** (-3 * np.arange(n) / n)
        a = np.exp(-2 * np.pi * rng.uniform(2500, 9000) / RATE)
        tail = lfilter([1 - a], [1, -a], tail)
        wet = np.pad(fftconvolve(y, tail), (0, 1))
        wet *= 10 ** (rng.uniform(-26, -8) / 20) * np.abs(y).max() / np.abs(wet).max()
        y = np.pad(y, (0, n)) + wet
    return y


def main():
    ap = argparse.ArgumentParser()
    ap.add_argument("out", type=pathlib.Path)
    ap.add_argument("font", help="small, large, or a file or folder")
    ap.add_argument("--salt", type=int, default=1)
    ap.add_argument("--variants", type=int, default=2)
    a = ap.parse_args()
    sampler = sampler_of(FONTS.get(a.font, a.font), pathlib.Path(tempfile.gettempdir()) / "ember-cask-strokes")
    known = set()
    count = 0
    for role, keys in ROLES.items():
        (a.out / role).mkdir(parents=True, exist_ok=True)
        for program in PROGRAMS:
            for key in keys:
                try:
                    made = sampler.strokes(program, key)
                except (KeyError, ValueError, IndexError):  # the font has none
                    continue
                for velocity, x in made.items():
                    content = hash(np.round(np.asarray(x, float)[:4096], 4).tobytes())
                    if not np.all(np.isfinite(x)) or content in known:  # kits share recordings
                        continue
                    known.add(content)
                    rng = seeded("shot", a.salt, program, key, velocity)
                    for v in range(a.variants + 1):
                        y = np.asarray(x, float) if v == 0 else otherwise(x, rng)
                        y = y / max(1e-9, np.abs(y).max()) * 10 ** (rng.uniform(-20, -0.5) / 20)
                        sf.write(a.out / role / f"{program}-{key}-{velocity}-{v}.wav", y, RATE, subtype="PCM_24")
                        count += 1
    print(f"{count} sounds")


if __name__ == "__main__":
    main()
