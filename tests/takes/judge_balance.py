#!/usr/bin/python3
"""Judges the rough balance on takes that were made with --alone: every drum's sound alone, through the levels
and pans that the balance gives, against the loudness it says it comes to.

usage: judge_balance.py CLI TAKES [-v]

A drum's loudness is the mean over its own hits (no ghosts) of the BS.1770 loudness of 400 ms from the hit on, of
the drum alone in all microphones. The files of alone/ stand before headroom and faults: each microphone's gain
and polarity are those with which the sum of its drums fits the file that the session has.
"""
import json
import pathlib
import subprocess
import sys
import tempfile

import numpy as np
import soundfile
from scipy.signal import lfilter

WINDOW_S = 0.4
FEWEST_HITS = 3


def k_weighted(x, rate):
    """ITU-R BS.1770-4: shelf, then high-pass, at any rate by their analogue prototypes."""
    f0, gain, q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    k, vh = np.tan(np.pi * f0 / rate), 10 ** (gain / 20)
    vb = vh ** 0.4996667741545416
    a0 = 1 + k / q + k * k
    x = lfilter(np.array([vh + vb * k / q + k * k, 2 * (k * k - vh), vh - vb * k / q + k * k]) / a0,
                [1, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0], x, axis=0)
    f0, q = 38.13547087602444, 0.5003270373238773
    k = np.tan(np.pi * f0 / rate)
    a0 = 1 + k / q + k * k
    return lfilter([1, -2, 1], [1, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0], x, axis=0)


def run(cli, *arguments):
    done = subprocess.run([cli, *map(str, arguments)], capture_output=True, text=True)
    if done.returncode not in (0, 1):
        sys.exit(f"{arguments}: {done.stderr}")
    return done.stdout


def stereo(x):
    return x.reshape(len(x), -1)


def placed(x, level_db, pan, side):
    """Constant power for mono, balance for a side of a stereo element (docs of the parameters)."""
    if side:
        sides = [min(1, 1 - pan), 0] if side == "L" else [0, min(1, 1 + pan)]
        x = x[:, :1] * sides
    elif x.shape[1] == 1:
        angle = (pan + 1) * np.pi / 4
        x = np.column_stack([x[:, 0] * np.cos(angle), x[:, 0] * np.sin(angle)])
    return x * 10 ** (level_db / 20)


def padded(x, frames):
    return np.pad(x[:frames], ((0, max(0, frames - len(x))), (0, 0)))


def judge(cli, take, verbose):
    truth = json.loads((take / "truth.json").read_text())
    with tempfile.TemporaryDirectory() as folder:
        session = pathlib.Path(folder) / "S.cask"
        run(cli, "new", session, *sorted(take.glob("*.wav")))
        made = json.loads(run(cli, "balance", session, "--apply", "--json"))
        values = dict(line.split(" = ", 1) for line in run(cli, "set", session).splitlines() if " = " in line)

    def value(name, what):
        text = values[f"{name}/{what}"]
        if what == "pan":
            if text.lower().startswith("c"):
                return 0.0
            return (-1 if text[0] == "L" else 1) * float("".join(c for c in text if c.isdigit() or c == ".")) / 100
        return float(text.split()[0].replace("\u2212", "-"))

    mics = {}
    for mic, stem in truth["stems"].items():
        name, side = pathlib.Path(stem["file"]).stem, ""
        if f"{name}/level_db" not in values and name[-1] in "LR":
            name, side = name[:-1].rstrip(" _-."), name[-1]
        if f"{name}/level_db" not in values:
            continue
        drums = {p.stem[len(mic) + 1:]: p for p in (take / "alone").glob(f"{mic} *.flac")}
        sound, rate = soundfile.read(take / stem["file"], always_2d=True)
        alone = {}
        for drum, path in drums.items():
            x, rate_alone = soundfile.read(path, always_2d=True)
            if rate_alone != rate:
                return None
            alone[drum] = padded(x, len(sound))
        late = int(round(stem.get("late_ms", 0) * 0.001 * rate))
        total = np.roll(sum(alone.values()), late, axis=0) if alone else None
        if total is None or not np.any(total):
            continue
        gain = float(np.sum(total * sound) / np.sum(total * total))
        fit = abs(gain) * np.sqrt(np.sum(total * total) / max(1e-20, np.sum(sound * sound)))
        mics[mic] = (name, late, gain, fit, alone, side)
    rows = []
    for drum in made["drums"]:
        element = drum["element"]
        names = [d for d, e in truth["elements"].items()
                 if e["close_mic"] and pathlib.Path(truth["stems"][e["close_mic"]]["file"]).stem == element]
        if not names or element is None:
            continue
        name = names[0]
        frames = max(len(next(iter(m[4].values()))) for m in mics.values())
        mix = np.zeros((frames, 2))
        for mic, (file, late, gain, fit, alone, side) in mics.items():
            if name in alone:
                part = placed(np.roll(alone[name], late, axis=0) * gain, value(file, "level_db"), value(file, "pan"),
                              side)
                mix[:] += padded(part, frames)
        heard = k_weighted(mix, rate)
        powers = []
        for hit in truth["elements"][name]["hits"]:
            at = int(hit["time_s"] * rate)
            if hit["class"] != "ghost" and 0 <= at < frames - int(WINDOW_S * rate):
                powers.append(np.sum(np.mean(heard[at:at + int(WINDOW_S * rate)] ** 2, axis=0)))
        if len(powers) < FEWEST_HITS:
            continue
        lufs = -0.691 + 10 * np.log10(np.mean(powers))
        rows.append((take.name, name, drum["led_by_own"], drum["target_lufs"], drum["after_lufs"], lufs,
                     any(note.startswith(element + " ") for note in made["notes"])))
    kit = [r for r in made["headroom"] if r["heard"] == "kit"][0]
    if verbose:
        print(take.name, "kit", round(kit["after"], 2), "of", kit["target_true_peak_db"],
              {m: round(v[3], 3) for m, v in mics.items()})
        for row in rows:
            print("   %-10s %s target %.1f told %.1f is %.1f: %+.1f LU%s" %
                  (row[1], "led" if row[2] else "carried", row[3], row[4], row[5], row[5] - row[3],
                   " (named)" if row[6] else ""))
    return rows, abs(kit["after"] - kit["target_true_peak_db"])


def main():
    verbose = "-v" in sys.argv
    cli, root = [a for a in sys.argv[1:] if a != "-v"][:2]
    rows, kits = [], []
    for take in sorted((pathlib.Path(root) / "sessions").iterdir()):
        if (take / "alone").is_dir():
            done = judge(cli, take, verbose)
            if done:
                rows += done[0]
                kits.append(done[1])
    led = [r for r in rows if r[2] and not r[6]]
    off = [abs(r[5] - r[3]) for r in led]
    told = [abs(r[5] - r[4]) for r in rows]
    named = [r for r in rows if r[6]]
    silent = [r for r in rows if not r[6] and not r[2] and abs(r[5] - r[3]) > 1.5]
    print(f"{len(kits)} takes: kit within 1 dB of its headroom target in {sum(k <= 1 for k in kits)}, at most {max(kits):.2f} dB off")
    print(f"{len(rows)} drums with a microphone: {len(led)} led by it, of these within 1.5 LU of the target {sum(o <= 1.5 for o in off)}, at most {max(off):.1f} LU off")
    print(f"named {len(named)}; carried by others, off by more and not named {len(silent)}; told against measured: median {np.median(told):.2f}, at most {max(told):.1f} LU")


if __name__ == "__main__":
    main()
