#!/usr/bin/env python3
"""Stacks of sampled one-shots with known answers, against what `stack` says of them.

usage: judge_stacks.py CLI [--count N] [--salt S] [--font small|large] [-v]

Copies: a stroke, and the same filtered, compressed, driven, cut short, at another level, place and polarity, with noise.
Others: two drums, each struck at a known place (its first sample that can be heard).
Owners: a drum as it is, with one to three others whose lows a high-pass takes away.
"""
import argparse
import json
import pathlib
import subprocess
import tempfile

import numpy as np
import soundfile as sf

from make_takes import bell, filtered, pass_of, seeded
from sampler import FONTS, RATE, Sampler

KEYS = (35, 36, 37, 38, 39, 40, 41, 42, 45, 46, 48)  # kicks, snares, claps, toms, hats
LOW_KEYS = (35, 36, 41, 43)
PROGRAMS = (0, 8, 16, 24, 25, 32, 40)


def compressed(x, rng):
    attack, release = (np.exp(-1 / (RATE * rng.uniform(*range_s))) for range_s in ((0.001, 0.01), (0.03, 0.2)))
    threshold, ratio = 10 ** (rng.uniform(-30, -12) / 20), rng.uniform(2, 10)
    level, y = 0.0, np.empty_like(x)
    for n, v in enumerate(np.abs(x)):
        c = attack if v > level else release
        level = c * level + (1 - c) * v
        y[n] = x[n] * ((level / threshold) ** (1 / ratio - 1) if level > threshold else 1)
    return y


def processed(x, rng):
    """The stroke as somebody might use it a second time, and what was done, in words."""
    did = []
    if rng.random() < 0.7:
        for _ in range(rng.integers(1, 4)):
            x = filtered(x, bell(np.exp(rng.uniform(np.log(60), np.log(10000))), rng.uniform(-12, 12), rng.uniform(0.5, 3)))
        did.append("bells")
    which = rng.random()
    if which < 0.4:
        kind, low, high = ("high", 40, 400) if which < 0.25 else ("low", 1500, 10000)
        hz, order = np.exp(rng.uniform(np.log(low), np.log(high))), int(rng.choice([1, 2, 4]))
        x = filtered(x, pass_of(kind, hz, order))
        did.append(f"{kind}-pass {hz:.0f} Hz, {6 * order} dB")
    if rng.random() < 0.5:
        x = compressed(x, rng)
        did.append("compressed")
    if rng.random() < 0.5:
        x = np.tanh(10 ** (rng.uniform(0, 24) / 20) * x / np.abs(x).max())
        did.append("driven")
    if rng.random() < 0.4:
        x = x[:int(len(x) * rng.uniform(0.3, 0.9))].copy()
        x[-240:] *= np.linspace(1, 0, len(x[-240:]))
        did.append("cut short")
    return x / np.abs(x).max() * 10 ** (rng.uniform(-18, 0) / 20), ", ".join(did)


def placed(x, rng, noise_db=(-90, -65)):
    """With silence before it and noise under it: sound and the place, in frames."""
    at = int(rng.integers(24, 1200))
    y = np.concatenate([np.zeros(at), x, np.zeros(480)])
    return y + rng.normal(0, 10 ** (rng.uniform(*noise_db) / 20), len(y)), at


def stroke(sampler, rng, keys=KEYS):
    while True:
        made = sampler.strokes(int(rng.choice(PROGRAMS)), int(rng.choice(keys)))
        if made:
            return made[int(rng.choice(list(made)))]


def judged(cli, folder, sounds):
    names = []
    for i, x in enumerate(sounds):
        names.append(str(pathlib.Path(folder) / f"{i}.wav"))
        sf.write(names[-1], x, RATE, subtype="FLOAT")
    said = subprocess.run([cli, "stack", *names, "--json"], check=True, capture_output=True)
    return json.loads(said.stdout), names


def main():
    ap = argparse.ArgumentParser()
    ap.add_argument("cli")
    ap.add_argument("--count", type=int, default=100)
    ap.add_argument("--salt", type=int, default=1)
    ap.add_argument("--font", choices=FONTS, default="large")
    ap.add_argument("-v", action="store_true")
    a = ap.parse_args()
    copies, others, owners = [], [], []
    with tempfile.TemporaryDirectory() as folder:
        sampler = Sampler(FONTS[a.font], pathlib.Path(tempfile.gettempdir()) / "ember-cask-strokes")
        for i in range(a.count):
            rng = seeded("stack", a.salt, i)
            x = stroke(sampler, rng)
            first, at = placed(x, rng)
            y, did = processed(x, rng)
            inverted = bool(rng.random() < 0.5)
            second, later = placed(-y if inverted else y, rng)
            said = judged(a.cli, folder, [first, second])[0]["layers"][1]
            off = abs(said["shift_ms"] - 1000 * (at - later) / RATE)
            copies.append((off <= 0.1, said["inverted"] == inverted))
            if a.v and not all(copies[-1]):
                print(f"copy {i}: {off:.2f} ms off, inverted {said['inverted']} for {inverted}, same sound "
                      f"{said['same_sound']}: {did}")
            other, later = placed(stroke(sampler, rng), rng)
            said = judged(a.cli, folder, [first, other])[0]["layers"][1]
            off = abs(said["shift_ms"] - 1000 * (at - later) / RATE)
            others.append(off)
            if a.v and off > 0.8:
                print(f"other {i}: {off:.2f} ms off, same sound {said['same_sound']}")
            layers = [10 ** (rng.uniform(-9, 0) / 20) * stroke(sampler, rng, LOW_KEYS)]
            for _ in range(rng.integers(1, 4)):
                layers.append(10 ** (rng.uniform(-9, 3) / 20) *
                              filtered(stroke(sampler, rng), pass_of("high", rng.uniform(200, 350), 4)))
            owner = int(rng.integers(len(layers)))
            layers[0], layers[owner] = layers[owner], layers[0]
            said, names = judged(a.cli, folder, [placed(x, rng)[0] for x in layers])
            owners.append(said["low_end_owner"] == names[owner])
            if a.v and not owners[-1]:
                print(f"owner {i}: {[layer['low_share'] for layer in said['layers']]}, should be {owner}")
    right = np.array(copies)
    print(f"copies: within 0.1 ms {right[:, 0].sum()} of {len(right)}, polarity right {right[:, 1].sum()}, both {right.all(axis=1).sum()}")
    others = np.array(others)
    print(f"others: {np.median(others):.2f} ms off (median), within 0.8 ms {(others <= 0.8).sum()} of {len(others)}")
    print(f"owner of the lows right: {sum(owners)} of {len(owners)}")


if __name__ == "__main__":
    main()
