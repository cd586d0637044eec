#!/usr/bin/python3
"""Judges loops cut at their hits on sampled takes whose truth is known, heard as the session renders them.

usage: judge_loops.py CLI LOOPS [--most N] [-v]        LOOPS as make_loops.py writes them

In place: the pieces together against the loop itself (what differs, dB under it). Without the kick: what is left between
30 and 90 Hz in the 120 ms behind each kick of the truth, and above 7 kHz in the 40 ms behind each hat that stands 60 ms or
more from any kick and snare, both against the loop as it was. At another tempo: how far the level rises at each hit of the
truth that begins a piece, moved with it, against 10 ms before it - counted where it rises by 12 dB in the loop: as far,
within 6 dB.
"""
import argparse
import json
import pathlib
import subprocess
import tempfile

import numpy as np
import soundfile
from scipy import signal


def run(cli, *arguments):
    done = subprocess.run([cli, *map(str, arguments)], capture_output=True, text=True)
    if done.returncode not in (0, 1):
        raise SystemExit(f"{arguments}: {done.stderr}")
    return done.stdout


def db(power):
    return 10 * np.log10(np.maximum(power, 1e-14))


def power(x, rate, at, length):
    piece = x[max(0, int(at * rate)):int((at + length) * rate)]
    return float(np.mean(piece ** 2)) if len(piece) else 0.0


def stem(cli, session, folder, name):
    run(cli, "render", session, "--out", folder, "--stems", "tracks", "--names", "{name}", "--format", "wav32f", "--overwrite")
    x, rate = soundfile.read(pathlib.Path(folder) / f"{name}.wav", always_2d=True)
    return x.mean(axis=1), rate


def truth_times(truth, kind):
    hits = truth["elements"].get(kind, [])
    if isinstance(hits, dict):
        hits = hits.get("hits", [])
    return sorted(h["time_s"] if isinstance(h, dict) else h for h in hits)


def rises(x, rate, times):
    """By how much the level of 8 ms behind an instant is over that of 8 ms that end 10 ms before it."""
    return np.array([db(power(x, rate, t, 0.008)) - db(power(x, rate, t - 0.018, 0.008)) for t in times])


def main():
    ap = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ap.add_argument("cli")
    ap.add_argument("loops", type=pathlib.Path)
    ap.add_argument("--most", type=int, default=1000)
    ap.add_argument("-v", action="store_true")
    a = ap.parse_args()
    differs, kicks, hats, moved = [], [], [], []
    for take in sorted(p.parent for p in (a.loops / "sessions").glob("*/truth.json"))[:a.most]:
        truth = json.loads((take / "truth.json").read_text())
        with tempfile.TemporaryDirectory() as folder:
            session = f"{folder}/Loop.cask"
            run(a.cli, "new", session, take / "Drums.wav")
            run(a.cli, "set", session, "Drums/role", "loop")
            own, rate = stem(a.cli, session, folder, "Drums")
            pieces = json.loads(run(a.cli, "loop", session, "Drums", "--name", "Cut", "--json"))["pieces"]
            cut, _ = stem(a.cli, session, folder, "Cut")
            n = min(len(own), len(cut)) - int(0.02 * rate)
            first = int(0.05 * rate)
            differs.append(db(np.max(np.abs(cut[first:n] - own[first:n])) ** 2) - db(np.max(np.abs(own)) ** 2))
            run(a.cli, "loop", session, "Drums", "--name", "Hats", "--drop", "kick")
            without, _ = stem(a.cli, session, folder, "Hats")
            kick, snare, hat = (truth_times(truth, k) for k in ("kick", "snare", "hat"))
            low = signal.butter(4, [30, 90], "bandpass", fs=rate, output="sos")
            high = signal.butter(4, 7000, "highpass", fs=rate, output="sos")
            was, now = signal.sosfilt(low, own), signal.sosfilt(low, without)
            gone = [db(power(now, rate, t, 0.12)) - db(power(was, rate, t, 0.12)) for t in kick if t + 0.15 < n / rate]
            was, now = signal.sosfilt(high, own), signal.sosfilt(high, without)
            others = np.array(kick + snare)
            alone = [t for t in hat if t + 0.05 < n / rate and (len(others) == 0 or np.min(np.abs(others - t)) > 0.06)]
            kept = [db(power(now, rate, t, 0.04)) - db(power(was, rate, t, 0.04)) for t in alone]
            kicks += gone
            hats += kept
            times = sorted(kick + snare)
            got = []
            for factor in (0.85, 1.2):
                name = f"At {factor}"
                hits = json.loads(run(a.cli, "hits", session, "--json"))
                bpm = hits.get("tempo", {}).get("bpm")
                if not bpm:
                    continue
                done = json.loads(run(a.cli, "loop", session, "Drums", "--name", name, "--tempo", f"{bpm * factor:.4f}", "--json"))
                other, _ = stem(a.cli, session, folder, name)
                # Of a piece that begins with the stroke: what lies within it is not moved by itself.
                begins = np.array([p["time_s"] for p in pieces])
                at = [np.argmin(np.abs(begins - t)) for t in times]
                near = [(t, i) for t, i in zip(times, at) if abs(begins[i] - t) < 0.01]
                there = rises(other, rate, [done["pieces"][i]["time_s"] + t - begins[i] for t, i in near])
                here = rises(own, rate, [t for t, _ in near])
                clear = here > 12
                got.append(float(np.mean(there[clear] > here[clear] - 6)) if clear.any() else np.nan)
            moved += got
            if a.v:
                print(f"{take.name}: differs {differs[-1]:.1f} dB, kicks {np.median(gone) if gone else np.nan:.1f} dB, "
                      f"hats {np.median(kept) if kept else np.nan:.1f} dB, moved {got}")
    print(f"in place: at most {max(differs):.1f} dB of the loop's peak ({len(differs)} loops)")
    print(f"without the kick: 30 to 90 Hz at {len(kicks)} kicks {np.median(kicks):.1f} dB (median; nine of ten at least "
          f"{np.percentile(kicks, 90):.1f} dB down), hats alone {np.median(hats):.1f} dB ({len(hats)}; nine of ten within "
          f"{np.percentile(np.abs(hats), 90):.1f} dB)")
    print(f"at 0.85 and 1.2 times the tempo: {100 * np.nanmean(moved):.1f} % of clear strokes rise at their new time")


if __name__ == "__main__":
    main()
