#!/usr/bin/python3
"""Judges sounds struck by found hits on takes whose truth is known: a click struck by every close-miked drum, heard as
the session renders it, beside what the analysis found and what was played.

usage: judge_triggers.py CLI TAKES [--most N] [-v]

A strike is a sample of the rendered track that is not silent. Doubles: strikes of one drum within 5 ms.
"""
import argparse
import json
import pathlib
import subprocess
import tempfile

import numpy as np
import soundfile

NEAR_S = 0.010


def run(cli, *arguments):
    done = subprocess.run([cli, *map(str, arguments)], capture_output=True, text=True)
    if done.returncode not in (0, 1):
        raise SystemExit(f"{arguments}: {done.stderr}")
    return done.stdout


def main():
    ap = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ap.add_argument("cli")
    ap.add_argument("takes", type=pathlib.Path)
    ap.add_argument("--most", type=int, default=1000)
    ap.add_argument("-v", action="store_true")
    a = ap.parse_args()
    total = {"drums": 0, "played": 0, "found": 0, "struck": 0, "doubles": 0, "right": 0, "as_found": 0}
    late = []
    takes = sorted(p.parent for p in (a.takes / "sessions").glob("*/truth.json") if not p.parent.name.endswith("twin"))
    for take in takes[:a.most]:
        truth = json.loads((take / "truth.json").read_text())
        with tempfile.TemporaryDirectory() as folder:
            base = pathlib.Path(folder) / "S.cask"
            click = pathlib.Path(folder) / "Click.wav"
            run(a.cli, "new", base, *sorted(take.glob("*.wav")))
            rate = json.loads((base / "session.json").read_text())["sample_rate_hz"]
            soundfile.write(click, np.concatenate([[0.5], np.zeros(99)]), int(rate), subtype="FLOAT")
            hits = json.loads(run(a.cli, "hits", base, "--json", "--own"))["hits"]
            counts = {}
            for hit in hits:
                counts[hit["element"]] = counts.get(hit["element"], 0) + 1
            struck = {}
            stems = truth.get("stems", {})
            for drum, element in truth["elements"].items():
                # The microphone that stands at this drum: by the truth, else by its name.
                mic = element.get("close_mic") or drum
                file = stems.get(mic, {}).get("file") if stems else None
                name = pathlib.Path(file).stem if file else None
                if not name:
                    wanted = {"kick": "Kick In", "snare": "Snare Top"}.get(drum, drum)
                    name = next((n for n in counts if n.lower() == wanted.lower()), None)
                if name not in counts or not element["hits"]:
                    continue
                told = run(a.cli, "trigger", base, name, "--with", click, "--json")
                if told:
                    struck[json.loads(told)["element"]] = (name, element["hits"])
            out = pathlib.Path(folder) / "out"
            run(a.cli, "render", base, "--out", out, "--stems", "tracks", "--names", "{name}", "--format", "wav32f")
            for made, (name, played) in struck.items():
                x, _ = soundfile.read(out / f"{made}.wav", always_2d=True)
                at = np.flatnonzero(x[:, 0]) / rate
                true = np.array(sorted(h["time_s"] for h in played))
                near = [np.abs(true - t).min() for t in at]
                total["drums"] += 1
                total["played"] += len(true)
                total["found"] += counts[name]
                total["struck"] += len(at)
                total["as_found"] += len(at) == counts[name]
                total["doubles"] += int((np.diff(at) < 0.005).sum())
                total["right"] += sum(d <= NEAR_S for d in near)
                late += [1000 * (t - true[np.abs(true - t).argmin()]) for t, d in zip(at, near) if d <= NEAR_S]
                if a.v:
                    print(take.name, name, f"played {len(true)}, found {counts[name]}, struck {len(at)}", flush=True)
    print(f"{total['drums']} drums: {total['played']} strokes played, {total['found']} found, {total['struck']} struck; as "
          f"many as found on {total['as_found']}; doubles {total['doubles']}; within {1000 * NEAR_S:.0f} ms of a played "
          f"stroke {total['right']}; median {np.median(np.abs(late)):.2f} ms from it")


if __name__ == "__main__":
    main()
