#!/usr/bin/python3
"""Judges what a finished mix tells of its drums' levels on takes whose stems are known (docs/formats/takes.md).

usage: judge_references.py CLI TAKES [-v]

For every session of stems (no spill): kick, snare and hat are mixed with the faders of one of them moved, and
`reference` is asked how loud snare and hat are against the kick. Known answers: what the fader was moved by, and
the peaks of 20 ms after the strokes in the stems themselves (median of the louder half, as the measure says).
"""
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np
import soundfile

FADERS_DB = [-6, -3, 3, 6]
DRUMS = ["snare", "hat"]


def run(cli, *arguments):
    done = subprocess.run([cli, *map(str, arguments)], capture_output=True, text=True)
    if done.returncode not in (0, 1):
        sys.exit(f"{arguments}: {done.stderr}")
    return done.stdout


def stem_of(truth, drum):
    for name, element in truth["elements"].items():
        if drum in name.lower() and element.get("close_mic"):
            return element["close_mic"], element["hits"]
    return None, None


def known_level(folder, truth, stem, hits):
    info = truth["stems"][stem]
    x, rate = soundfile.read(folder / info["file"], always_2d=True)
    x = x[:, info.get("channel", 0)]
    peaks = []
    for hit in hits:
        at = int(hit["time_s"] * rate)
        piece = np.abs(x[max(0, at - int(0.002 * rate)):at + int(0.02 * rate)])
        if len(piece) and piece.max() > 0:
            peaks.append(20 * np.log10(piece.max()))
    peaks.sort(reverse=True)
    half = peaks[:(len(peaks) + 1) // 2]
    return half[len(half) // 2]


def told(cli, session):
    mix = json.loads(run(cli, "reference", session, "--json"))["mixes"][0]
    return {d["drum"]: d["against_kick_db"] for d in mix["drums"]}


def main():
    cli, takes = sys.argv[1], pathlib.Path(sys.argv[2])
    moved, absolute = {d: [] for d in DRUMS}, {d: [] for d in DRUMS}
    missing = 0
    for folder in sorted((takes / "sessions").glob("stems*")):
        truth = json.loads((folder / "truth.json").read_text())
        stems = {d: stem_of(truth, d) for d in ["kick", *DRUMS]}
        if any(stem is None for stem, _ in stems.values()):
            continue
        with tempfile.TemporaryDirectory() as work:
            session = pathlib.Path(work) / "s.cask"
            files = {d: folder / truth["stems"][stem]["file"] for d, (stem, _) in stems.items()}
            run(cli, "new", session, *files.values())
            for d in files:
                run(cli, "set", session, f"{files[d].stem}/level_db", "0")
            plain = told(cli, session)
            levels = {d: known_level(folder, truth, stem, hits) for d, (stem, hits) in stems.items()}
            for d in DRUMS:
                if plain.get(d) is None:
                    missing += 1
                    continue
                absolute[d].append(plain[d] - (levels[d] - levels["kick"]))
                for by in FADERS_DB:
                    run(cli, "set", session, "--", f"{files[d].stem}/level_db", by)
                    now = told(cli, session).get(d)
                    if now is None:
                        missing += 1
                    else:
                        moved[d].append(now - plain[d] - by)
                run(cli, "set", session, f"{files[d].stem}/level_db", "0")
            if "-v" in sys.argv:
                print(folder.name, plain, {d: round(levels[d] - levels["kick"], 1) for d in DRUMS})
    for d in DRUMS:
        for what, errors in (("follows its fader", moved[d]), ("against the stems", absolute[d])):
            if errors:
                e = np.abs(errors)
                print(f"{d} {what}: median error {np.median(e):.2f} dB, 90 % within {np.percentile(e, 90):.2f} dB, "
                      f"worst {e.max():.2f} dB of {len(e)}")
    print(f"not found: {missing}")


main()
