#!/usr/bin/python3
"""Judges making a kit denser on sampled takes: what `dense` says of each way, against renders of the whole take
before and after, measured here.

usage: judge_density.py CLI TAKES [--by DB] [-v]

Density: BS.1770 integrated loudness under the true peak (8 times the rate). Cymbals: median change of the energy
above 5 kHz between hits of kicks, snares and toms (120 ms after one until the next) against that of the hits'
first 120 ms, by the takes' truth. A way holds where it is within half a decibel of what was wanted and raises
cymbals by no more than the style allows (2 dB).
"""
import argparse
import json
import pathlib
import shutil
import subprocess
import sys
import tempfile

import numpy as np
import soundfile
from scipy.signal import butter, resample_poly, sosfilt

from judge_balance import k_weighted

SHELLS = ("kick", "snare", "tom")
CONTEXT = ("bass", "music", "voice")
ALLOWED_DB = 2.0
NEAR_DB = 0.5


def run(cli, *arguments):
    done = subprocess.run([cli, *map(str, arguments)], capture_output=True, text=True)
    if done.returncode not in (0, 1):
        sys.exit(f"{arguments}: {done.stderr}")
    return done.stdout


def loudness(x, rate):
    heard = k_weighted(x, rate) ** 2
    step = int(0.1 * rate)
    steps = np.array([heard[i:i + step].mean(axis=0).sum() for i in range(0, len(heard) - step, step)])
    blocks = np.convolve(steps, np.ones(4) / 4, "valid")
    blocks = blocks[blocks > 10 ** ((-70 + 0.691) / 10)]
    blocks = blocks[blocks > blocks.mean() * 0.1]
    return -0.691 + 10 * np.log10(blocks.mean())


def density(x, rate):
    peak = max(np.abs(resample_poly(x[:, c], 8, 1)).max() for c in range(x.shape[1]))
    return loudness(x, rate) - 20 * np.log10(peak)


def cymbals(before, after, rate, hits):
    sos = butter(4, 5000, "highpass", fs=rate, output="sos")

    def change(a, b, places):
        db = []
        for start, end in places:
            was, now = np.mean(a[start:end] ** 2), np.mean(b[start:end] ** 2)
            if was > 1e-9 and now > 1e-9:
                db.append(10 * np.log10(now / was))
        return float(np.median(db)) if len(db) >= 3 else None

    at = [int(t * rate) for t in hits]
    first = int(0.12 * rate)
    own = [(a, min(a + first, b)) for a, b in zip(at, at[1:] + [len(before)])]
    gaps = [(a + first, b - int(0.01 * rate)) for a, b in zip(at, at[1:] + [len(before)])
            if b - a > first + int(0.05 * rate)]
    loud = change(before, after, own)
    high = change(sosfilt(sos, before, axis=0), sosfilt(sos, after, axis=0), gaps)
    return None if loud is None or high is None else high - loud


def mix_of(cli, session, folder):
    out = pathlib.Path(folder)
    run(cli, "render", session, "--out", out, "--mix", "--format", "wav32f", "--overwrite")
    file = next(out.glob("*.wav"))
    return soundfile.read(file, always_2d=True)


def main():
    ap = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ap.add_argument("cli")
    ap.add_argument("takes", type=pathlib.Path)
    ap.add_argument("--by", type=float, default=2)
    ap.add_argument("--most", type=int, default=1000)
    ap.add_argument("-v", action="store_true")
    a = ap.parse_args()
    rows = []
    equal = []  # loudness of a blended path against the dry sound, LU
    takes = sorted(p.parent for p in (a.takes / "sessions").glob("*/truth.json") if not p.parent.name.endswith("twin"))
    takes = takes[:a.most]
    for take in takes:
        truth = json.loads((take / "truth.json").read_text())
        hits = sorted(h["time_s"] for name, e in truth["elements"].items()
                      if any(word in name.lower() for word in SHELLS) for h in e["hits"])
        with tempfile.TemporaryDirectory() as folder:
            base = pathlib.Path(folder) / "S.cask"
            run(a.cli, "new", base, *sorted(take.glob("*.wav")))
            run(a.cli, "balance", base, "--apply")
            for path, value in json.loads(run(a.cli, "set", base, "--json")).items():
                if path.endswith("/role") and value in CONTEXT:
                    run(a.cli, "set", base, path[:-4] + "muted", "on")
            before, rate = mix_of(a.cli, base, pathlib.Path(folder) / "before")
            for approach in ("bus", "elements", "path"):
                copy = pathlib.Path(folder) / f"{approach}.cask"
                shutil.copytree(base, copy)
                told = json.loads(run(a.cli, "dense", copy, "--by", a.by, "--approach", approach, "--apply", "--json"))
                if not told["ways"]:
                    continue
                way = told["ways"][0]
                if not told["applied"]:
                    rows.append((take.name, approach, False, None, None, way["denser_db"], way["cymbals_db"]))
                    continue
                after, _ = mix_of(a.cli, copy, pathlib.Path(folder) / approach)
                n = min(len(before), len(after))
                if approach == "path":
                    equal.append(loudness(after[:n], rate) - loudness(before[:n], rate))
                rows.append((take.name, approach, True,
                             density(after[:n], rate) - density(before[:n], rate),
                             cymbals(before[:n], after[:n], rate, hits), way["denser_db"], way["cymbals_db"]))
        if a.v:
            for row in rows[-3:]:
                print(*("%.2f" % v if isinstance(v, float) else v for v in row), flush=True)
    names = sorted({row[0] for row in rows})

    def holds(row):
        return row[2] and abs(row[3] - a.by) <= NEAR_DB and (row[4] is None or row[4] <= ALLOWED_DB)

    for approach in ("bus", "elements", "path"):
        mine = [row for row in rows if row[1] == approach]
        reached = [row for row in mine if row[2]]
        near = [row for row in reached if abs(row[3] - a.by) <= NEAR_DB]
        print(f"{approach}: reached {len(reached)} of {len(mine)}, within {NEAR_DB} dB on the whole take {len(near)}, "
              f"and cymbals within {ALLOWED_DB} dB {sum(holds(row) for row in mine)}")
    if equal:
        print(f"equal gain: {np.median(np.abs(equal)):.3f} LU off (median), at most {np.max(np.abs(equal)):.3f}, "
              f"within 0.1 LU {sum(abs(e) <= 0.1 for e in equal)} of {len(equal)}")
    best = 0
    for name in names:
        # What is proposed first: reached, cymbals as told within the style, the order of the program.
        mine = [row for row in rows if row[0] == name and row[2]]
        mine.sort(key=lambda row: (row[6] > ALLOWED_DB, max(0, row[6])))
        best += bool(mine) and holds(mine[0])
    print(f"the way proposed first holds on {best} of {len(names)} takes")


if __name__ == "__main__":
    main()
