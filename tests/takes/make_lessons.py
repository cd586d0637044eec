"""make_lessons.py OUTDIR: short made-up mixes of sampled drums for bench/teach_loop_ear, each with what was struck when.

    --count N     mixes: OUTDIR/NNNN.wav, and NNNN.json with {drum: [[seconds, level dB, class, articulation], ...]}
    --salt S      other mixes
    --font FILE   a General MIDI soundfont; may be given several times and is then taken in turn
Patterns are random, not grooves: the ear is to learn how drums sound, not what is usually played. Each drum has its own equaliser, place
and level, is heard dry, in two overheads and in a room; some mixes are equalised, driven or mono. Needs what make_takes.py needs.
"""
import argparse
import json
import multiprocessing
from pathlib import Path

import numpy as np
import scipy.fft as fft
import soundfile as sf

import make_takes as takes
import playing
from sampler import FONTS, RATE, sampler_of

LEVEL = {"kick": -6, "snare": -7, "hat": -18, "ride": -18, "rack": -9, "floor": -9, "crash": -14}  # peak of an accent, dB
AIR = ("over_l", "over_r", "room_l", "room_r")


def perform(rng):
    strokes, t = [], float(rng.uniform(.3, 1))
    tempo, parts = float(rng.uniform(66, 184)), int(rng.integers(1, 3))
    for _ in range(parts):
        steps = int(rng.choice([16, 16, 12, 24]))
        playing.GROOVES["random"] = (steps, playing.random_bar(rng, steps), playing.random_bar(rng, steps))
        bars = max(2, round(14 / parts / (240 / tempo)))
        swing = .5 if rng.random() < .7 else float(rng.uniform(.54, .66))
        part, t = playing.play(rng, "random", bars, tempo, t, float(rng.uniform(1, 9)), swing)
        strokes += part
    return strokes, t


def mix(rng, dry, played, n):
    room = takes.Room(rng, AIR)
    total = np.zeros((n, 2))
    size = fft.next_fast_len(n + RATE, real=True)
    far = np.zeros((2, size // 2 + 1), complex)  # spectra of what overheads and rooms hear
    overheads, rooms = rng.uniform(-16, 0), rng.uniform(-24, -6)
    for drum, x in dry.items():
        if drum not in played:
            continue
        level = LEVEL[drum] + rng.uniform(-5, 5)
        y = takes.filtered(x, *[takes.random_bell(rng, 9, 2) for _ in range(int(rng.integers(0, 4)))])
        if rng.random() < .4:
            low, high = {"kick": (30, 80), "floor": (30, 80), "hat": (150, 500)}.get(drum, (60, 160))
            y = takes.filtered(y, takes.pass_of("high", float(rng.uniform(low, high))))
        side = rng.uniform(-.15, .15) if drum in ("kick", "snare") else rng.uniform(-.7, .7)
        if drum not in ("crash", "ride") or rng.random() < .3:  # cymbals mostly have no microphone of their own
            gain = takes.lin(level) / (np.abs(y).max() + 1e-9)
            total += np.stack([np.cos((side + 1) * np.pi / 4) * y[:n], np.sin((side + 1) * np.pi / 4) * y[:n]], axis=1) * gain
        air = overheads + level + 6 + (-8 if drum == "kick" else 0 if drum in ("snare", "rack", "floor") else rng.uniform(0, 6))
        spectrum = fft.rfft(x[:n], size) / (np.abs(x).max() + 1e-9)
        for mic in AIR:
            h, _ = room.way(rng, drum, mic, int((.9 if mic.startswith("room") else .35) * RATE))
            h *= takes.lin(air + (rooms if mic.startswith("room") else 0)) / np.sqrt((h ** 2).sum() + 1e-12)
            far[0 if mic.endswith("l") else 1] += spectrum * fft.rfft(h, size)
    total += fft.irfft(far, size).T[:n]
    bells = [takes.random_bell(rng, 5, 1.2) for _ in range(int(rng.integers(0, 3)))]
    total = np.stack([takes.filtered(c, *bells) for c in total.T], axis=1)
    total /= np.abs(total).max()
    if rng.random() < .35:
        drive = takes.lin(rng.uniform(2, 9))
        total = np.tanh(total * drive) / np.tanh(drive)
    total += rng.normal(0, 1, total.shape) * takes.lin(rng.uniform(-90, -66))
    if rng.random() < .15:
        total = total.mean(axis=1, keepdims=True)
    return total * .8 / np.abs(total).max()


def lesson(task):
    out, index, salt, font = task
    rng = takes.seeded("loop", salt, index)
    kit = takes.Kit(rng, sampler_of(font, out / "strokes"))
    for drum, (shortest, longest) in takes.DAMP_S.items():
        kit.tune[drum] *= 2 ** (rng.uniform(-4, 4) / 12)
        if rng.random() < .5:
            kit.damp_s[drum] = rng.uniform(shortest, longest)
    strokes, end = perform(rng)
    n = int((end + 2) * RATE)
    size = n + 4 * RATE
    dry, played = {d: np.zeros(size) for d in takes.DRUMS}, {}
    for i, (drum, t, level, kind, art) in enumerate(strokes):
        x = kit.stroke(drum, art, level, int(rng.integers(4)))
        if art == "o":  # an open hat ends where the next stroke closes it
            following = next((s[1] for s in strokes[i + 1:] if s[0] == drum), t + 9)
            stop = int((following - t + .01) * RATE)
            x = x[:stop] * np.clip((stop - np.arange(len(x[:stop]))) / (.015 * RATE), 0, 1)
        at = int(round(t * RATE))
        x = x[:size - at]
        dry[drum][at:at + len(x)] += x
        played.setdefault(drum, []).append((round(t + takes.onset(x) / RATE, 5), round(level, 1), kind, art))
    sf.write(out / f"{index:04}.wav", mix(rng, dry, played, n), RATE, subtype="PCM_16")
    (out / f"{index:04}.json").write_text(json.dumps(played))
    return index


def main():
    ap = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ap.add_argument("outdir", type=Path)
    ap.add_argument("--count", type=int, default=440)
    ap.add_argument("--salt", type=int, default=5)
    ap.add_argument("--font", action="append")
    a = ap.parse_args()
    fonts = a.font or [f for f in FONTS.values() if Path(f).exists()]
    if not fonts:
        raise SystemExit("No soundfont was found: apt-get install timgm6mb-soundfont, or give --font FILE.")
    a.outdir.mkdir(parents=True, exist_ok=True)
    with multiprocessing.Pool(2) as pool:
        for i in pool.imap_unordered(lesson, [(a.outdir, i, a.salt, fonts[i % len(fonts)]) for i in range(a.count)]):
            print(i, flush=True)


if __name__ == "__main__":
    main()
