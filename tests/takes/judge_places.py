#!/usr/bin/env python3
"""Judges `layer N place` on sampled one-shots: two sounds struck over a take, one of them moved and turned, and the
gain that is told held against the same sum worked out here, for every offset and both polarities.

Usage: judge_places.py CLI FOLDER_OF_ONE_SHOTS [--pairs N] [--seed N]"""
import argparse
import json
import random
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import soundfile

RATE = 48000
REACH = int(0.006 * RATE)


def lows(x, hz=200, ratio=1.3):
    size = 1 << (len(x) - 1).bit_length()
    spectrum = np.fft.rfft(x, size)
    over = (np.fft.rfftfreq(size, 1 / RATE) / hz - 1) / (ratio - 1)
    return np.fft.irfft(spectrum * np.where(over <= 0, 1, np.where(over >= 1, 0, 0.5 + 0.5 * np.cos(np.pi * over))), size)[: len(x)]


def gains(others, layer, strikes):
    """Score of each shift and polarity against no shift, dB: first 10 ms, lows of 50 ms."""
    shifts = range(-REACH, REACH + 1)
    energy = {(band, s, p): 0.0 for band in (0, 1) for s in shifts for p in (1, -1)}
    ring = int(0.02 * RATE)
    for t in strikes:
        at = int(round(t * RATE))
        span = slice(at - REACH - ring, at + int(0.05 * RATE) + REACH + ring)
        a, b = others[span], layer[span]
        for band, (x, y, frames) in enumerate(((a, b, int(0.01 * RATE)), (lows(a), lows(b), int(0.05 * RATE)))):
            o = x[ring + REACH : ring + REACH + frames]
            for s in shifts:
                l = y[ring + REACH - s : ring + REACH - s + frames]
                for p in (1, -1):
                    energy[band, s, p] += float(np.sum((o + p * l) ** 2))
    db = lambda band, s, p: 10 * np.log10(energy[band, s, p] / energy[band, 0, 1])
    return {(s, p): (db(0, s, p), db(1, s, p)) for s in shifts for p in (1, -1)}


def main():
    arguments = argparse.ArgumentParser()
    arguments.add_argument("cli")
    arguments.add_argument("sounds")
    arguments.add_argument("--pairs", type=int, default=12)
    arguments.add_argument("--seed", type=int, default=1)
    o = arguments.parse_args()
    draw = random.Random(o.seed)
    files = sorted(Path(o.sounds).rglob("*.wav"))
    run = lambda *a: subprocess.run([o.cli, *map(str, a)], capture_output=True, text=True, check=True).stdout
    best_found = told_right = 0
    worst = 0.0
    for _ in range(o.pairs):
        first, second = draw.sample(files, 2)
        with tempfile.TemporaryDirectory() as folder:
            kit = Path(folder) / "Kit.cask"
            hits = [{"time_s": 0.5 + 0.75 * i, "velocity": draw.choice([127, 90, 50])} for i in range(8)]
            (Path(folder) / "hits.json").write_text(json.dumps(hits))
            blank = Path(folder) / "Snare Top.wav"
            soundfile.write(blank, np.zeros(8 * RATE), RATE)
            run("new", kit, blank)
            run("trigger", kit, "Snare Top", "--with", first, "--hits", Path(folder) / "hits.json", "--name", "Stack")
            run("layer", kit, "Stack", "add", second)
            run("layer", kit, "Stack", 2, "offset_ms", "--", round(draw.uniform(-4, 4), 2))
            run("layer", kit, "Stack", 2, "inverted", draw.choice(["on", "off"]))
            told = json.loads(run("layer", kit, "Stack", 2, "place", "--json"))
            alone = []
            for other in (2, 1):
                run("layer", kit, "Stack", other, "on", "off")
                out = Path(folder) / f"out{other}"
                run("render", kit, "--out", out, "--stems", "tracks", "--names", "{name}", "--format", "wav32f", "--allow-missing")
                x, _ = soundfile.read(out / "Stack.wav", always_2d=True)
                alone.append(np.pad(x.mean(axis=1), (0, RATE)))
                run("layer", kit, "Stack", other, "on", "on")
            score = gains(alone[0], alone[1], [h["time_s"] for h in hits])
            best = max(a + l for a, l in score.values())
            s = int(round(told["shift_ms"] * RATE / 1000))
            attack, low = score[s, -1 if told["inverted"] else 1]
            best_found += attack + low >= best - 0.2
            off = max(abs(attack - told["attack_db"]), abs(low - told["low_db"]))
            told_right += off <= 0.1
            worst = max(worst, off)
            print(f"{first.stem[:20]:20} {second.stem[:20]:20} {told['shift_ms']:+.2f} ms {'inv' if told['inverted'] else '   '} "
                  f"gains {attack:+.2f} and {low:+.2f}, best {best:+.2f}, told {off:.3f} dB off")
    print(f"{best_found} of {o.pairs} within 0.2 dB of the exhaustive best, {told_right} told within 0.1 dB (worst {worst:.3f})")


if __name__ == "__main__":
    main()
