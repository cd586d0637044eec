#!/usr/bin/env python3
"""Judges `crowd` on sampled takes: each microphone muted in turn, worked out here by filters in time.

usage: judge_crowd.py CLI FOLDER_OF_TAKES [-v]

Said: how far the most that the sum loses without an element lies from what is worked out, and how often both agree on
who changes nothing. One microphone of each take is turned down so far that it does not matter."""
import argparse
import json
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import soundfile as sf
from scipy.signal import butter, sosfiltfilt

THIRDS = 1000 * 2.0 ** (np.arange(-16, 14) / 3)
STEP_S = 0.085  # of the windows that the program looks through
PLAYS_DB, COUNTS_DB = 15, 50


def powers(x, rate):
    step = int(STEP_S * rate)
    return (x[:len(x) // step * step].reshape(-1, step, x.shape[1]) ** 2).mean(axis=(1, 2))


def most_lost_db(sounds, i, rate):
    level = powers(sounds[i], rate)
    plays = level >= level.max() * 10 ** (-PLAYS_DB / 10)
    whole, rest = sum(sounds), sum(s for k, s in enumerate(sounds) if k != i)
    lost, loud = [], []
    for hz in THIRDS:
        edges = hz * 2 ** (-1 / 6), min(hz * 2 ** (1 / 6), 0.49 * rate)
        sos = butter(2, edges, "bandpass", fs=rate, output="sos")
        with_it, without = (powers(sosfiltfilt(sos, x, axis=0), rate)[plays].sum() for x in (whole, rest))
        loud.append(with_it)
        lost.append(10 * np.log10((with_it + 1e-30) / (without + 1e-30)))
    counts = np.array(loud) >= max(loud) * 10 ** (-COUNTS_DB / 10)
    return max(np.array(lost)[counts])


def main():
    ap = argparse.ArgumentParser()
    ap.add_argument("cli")
    ap.add_argument("takes")
    ap.add_argument("-v", action="store_true")
    a = ap.parse_args()
    off, agree = [], []
    for take in sorted(p for p in Path(a.takes).iterdir() if p.is_dir()):
        files = sorted(take.glob("*.wav")) or sorted(take.glob("*/*.wav"))
        if len(files) < 3:
            continue
        with tempfile.TemporaryDirectory() as folder:
            session = Path(folder) / "S.cask"
            subprocess.run([a.cli, "new", session, *files], check=True, capture_output=True)
            elements = [e["element"] for e in json.loads(subprocess.run(
                [a.cli, "crowd", session, "--json"], check=True, capture_output=True).stdout)["elements"]]
            quiet = elements[len(elements) // 2]
            subprocess.run([a.cli, "set", session, f"{quiet}/level_db", "--", "-45"], check=True, capture_output=True)
            said = json.loads(subprocess.run([a.cli, "crowd", session, "--json"], check=True, capture_output=True).stdout)
            out = Path(folder) / "out"
            subprocess.run([a.cli, "render", session, "--out", out, "--stems", "elements", "--names", "{name}", "--format",
                            "wav32f"], check=True, capture_output=True)
            stems = {f.stem: sf.read(f, always_2d=True) for f in out.glob("*.wav")}
            rate = next(iter(stems.values()))[1]
            sounds = [stems[n][0] for n in elements]
            for k, one in enumerate(said["elements"]):
                if one["silent"]:
                    continue
                known = most_lost_db(sounds, k, rate)
                off.append(min(20, one["most_lost_db"]) - min(20, known))
                agree.append((known < 1) == one["changes_nothing"])
                if a.v:
                    print(f"{take.name} {one['element']}: {one['most_lost_db']:.1f} dB at {one['most_lost_hz']:.0f} Hz, "
                          f"known {known:.1f} dB")
    off = np.abs(off)
    print(f"{len(off)} elements: off by {np.median(off):.2f} dB (median), {np.percentile(off, 95):.2f} (95 %); "
          f"who changes nothing agrees in {sum(agree)} of {len(agree)}")


if __name__ == "__main__":
    main()
