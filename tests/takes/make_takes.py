"""make_takes.py OUTDIR: takes of sampled drums in made-up rooms, each with its truth; docs/formats/takes.md says what is in it.

    --count N     takes (twice as many folders: NAME with planted faults, NAME-twin the same without)
    --salt S      other takes
    --font FILE   a General MIDI soundfont, or a folder of patches; may be given more than once and is then taken in turn
    --seconds T   least length of a take
    --varied      random bars besides the grooves, drums equalised, damped and tuned by chance: lessons
    --alone       also each drum's sound alone in each microphone
Needs fluidsynth, python3-numpy, python3-scipy, python3-soundfile (Debian) and a soundfont package: timgm6mb-soundfont, fluid-soundfont-gm.
"""
import argparse
import hashlib
import json
import multiprocessing
from pathlib import Path

import numpy as np
import scipy.fft as fft
import scipy.signal as signal
import soundfile as sf

import playing
from sampler import FONTS, RATE, sampler_of

SOUND = 343.0
DRUMS = ("kick", "snare", "hat", "rack", "floor", "crash", "ride")
KEYS = {"kick": (36, 35), "snare": (38, 40), "hat": (42,), "rack": (50, 48, 47), "floor": (41, 43), "crash": (49, 57),
        "ride": (51, 59)}
HATS = {"x": 42, "o": 46, "p": 44}
PROGRAMS = (0, 8, 16, 32, 40, 48)
# Where things stand, metres, seen from the player: right, ahead, up.
PLACES = {"kick": (0, .45, .3), "snare": (-.2, .2, .7), "hat": (-.6, .3, .95), "rack": (-.05, .6, .95), "floor": (.5, .15, .65),
          "crash": (-.6, .8, 1.4), "ride": (.6, .7, 1.15)}
CLOSE = {"kick_in": "kick", "kick_out": "kick", "snare_top": "snare", "snare_bottom": "snare", "hat": "hat", "rack": "rack",
         "floor": "floor", "ride": "ride"}
# Peak of each drum's accent in a close microphone against that of its own, dB: lowest and highest.
SPILL = {"kick": (-24, -12), "snare": (-20, -8), "hat": (-34, -16), "rack": (-24, -14), "floor": (-24, -14), "crash": (-26, -12),
         "ride": (-32, -18)}
LEVEL = {"hat": -6, "ride": -10, "crash": -2}  # of an accent in the overheads, against the snare's
# Within these the strokes of a varied kit die away.
DAMP_S = {"kick": (.05, .4), "snare": (.04, .3), "hat": (.03, .3), "rack": (.08, .5), "floor": (.1, .6), "crash": (.2, 1), "ride": (.15, .8)}
NAMES = {
    "english": {"kick_in": "Kick In", "kick_out": "Kick Out", "snare_top": "Snare Top", "snare_bottom": "Snare Bottom", "hat": "Hi-Hat",
                "rack": "Rack Tom", "floor": "Floor Tom", "ride": "Ride", "over": "Overhead", "room": "Room"},
    "short": {"kick_in": "03 BD in", "kick_out": "04 BD out", "snare_top": "05 SN T", "snare_bottom": "06 SN B", "hat": "07 HH",
              "rack": "08 TT1", "floor": "09 FT", "ride": "10 RD", "over": "11 OH", "room": "13 RM"},
    "french": {"kick_in": "Grosse caisse int", "kick_out": "Grosse caisse ext", "snare_top": "Caisse claire dessus",
               "snare_bottom": "Caisse claire dessous", "hat": "Charleston", "rack": "Tom alto", "floor": "Tom basse", "ride": "Ride",
               "over": "Over", "room": "Ambiance"},
    "spanish": {"kick_in": "Bombo dentro", "kick_out": "Bombo fuera", "snare_top": "Caja arriba", "snare_bottom": "Caja abajo",
                "hat": "Hi hat", "rack": "Tom aereo", "floor": "Tom base", "ride": "Ride", "over": "Aereos", "room": "Sala"},
}


def seeded(*key):
    return np.random.default_rng(int.from_bytes(hashlib.sha256(repr(key).encode()).digest()[:8], "little"))


def lin(db):
    return 10 ** (np.asarray(db, float) / 20)


def db(x):
    return float(20 * np.log10(max(float(x), 1e-9)))


def filtered(x, *sections):
    return signal.sosfilt(np.vstack(sections), x) if sections else x


def pass_of(kind, hz, order=1):
    return signal.butter(order, min(hz, 0.45 * RATE), kind, fs=RATE, output="sos")


def bell(hz, gain_db, q):
    a, w = 10 ** (gain_db / 40), 2 * np.pi * hz / RATE
    alpha, c = np.sin(w) / (2 * q), np.cos(w)
    s = np.array([1 + alpha * a, -2 * c, 1 - alpha * a, 1 + alpha / a, -2 * c, 1 - alpha / a])
    return (s / s[3])[None]


def random_bell(rng, most_db, narrowest):
    return bell(float(np.exp(rng.uniform(np.log(60), np.log(12000)))), float(rng.uniform(-most_db, most_db)),
                      float(rng.uniform(.5, narrowest)))


def onset(x):
    """Frame at which a stroke first comes within 20 dB of the peak of its first 30 ms."""
    loud = np.abs(x)
    first = int(np.argmax(loud > 0.003 * loud.max()))
    part = loud[:first + int(0.03 * RATE)]
    return int(np.argmax(part >= 0.1 * part.max()))


class Kit:
    """One drum sound for each drum; strokes differ by strength, and a little from one to the next."""

    def __init__(self, rng, sampler, varied=False):
        self.sampler = sampler
        self.program = {d: int(rng.choice(PROGRAMS)) for d in DRUMS}
        self.key = {d: int(rng.choice(KEYS[d])) for d in DRUMS}
        self.tune = {d: 2 ** (rng.uniform(-2.5, 2.5) / 12) for d in DRUMS}
        self.damp_s = {"kick": rng.uniform(0.08, 0.4)}
        self.bells = {d: [] for d in DRUMS}
        if varied:
            for d in DRUMS:
                self.tune[d] *= 2 ** (rng.uniform(-3, 3) / 12)
                self.bells[d] = [random_bell(rng, 8, 2) for _ in range(int(rng.integers(0, 4)))]
                if rng.random() < .5:
                    self.damp_s[d] = rng.uniform(*DAMP_S[d])
        self.made = {}

    def stroke(self, drum, art, level_db, variant):
        key = HATS[art] if drum == "hat" else self.key[drum]
        sounds = self.sampler.strokes(self.program[drum], key)
        wanted = 127 * 10 ** (level_db / 40)
        strength = min(sounds, key=lambda v: abs(v - wanted))
        name = (drum, art, strength, variant)
        if name not in self.made:
            r = seeded("stroke", self.program[drum], key, strength, variant)
            x = sounds[strength]
            x = signal.resample(x, int(len(x) / (self.tune[drum] * 2 ** (r.uniform(-8, 8) / 1200))))
            if drum in self.damp_s:
                t = np.arange(len(x)) / RATE
                x = x * np.exp(-np.maximum(0, t - 0.04) / self.damp_s[drum])
            tilt = r.uniform(-1, 1)
            x = x + (lin(tilt) - 1) * filtered(x, pass_of("high", 2500))
            x = filtered(x, *self.bells[drum])
            self.made[name] = x / np.abs(x).max()
        x = self.made[name]
        dull = lin(max(-5, 0.25 * level_db)) - 1  # soft strokes are duller
        x = x + dull * filtered(x, pass_of("high", 3000))
        return x / np.abs(x).max() * lin(level_db)


class Room:
    """Straight ways, walls of a box, and a late sound that is the same everywhere."""

    def __init__(self, rng, mics):
        self.size = np.array([rng.uniform(4, 9), rng.uniform(4.5, 11), rng.uniform(2.5, 4.5)])
        self.wall = rng.uniform(0.3, 0.75)
        self.decay_s = rng.uniform(0.25, 1.1)
        middle = np.array([self.size[0] / 2, self.size[1] * 0.35, 0])
        self.drums = {d: middle + p + rng.uniform(-.04, .04, 3) for d, p in PLACES.items()}
        self.mics = {}
        for m in mics:
            if m in CLOSE:
                p = self.drums[CLOSE[m]] + rng.uniform(-.03, .03, 3)
                p = p + {"kick_out": (0, rng.uniform(.25, .8), 0), "snare_bottom": (0, 0, -.15)}.get(m, (0, 0, rng.uniform(.05, .12)))
            elif m.startswith("over"):
                p = middle + [-.6 if m.endswith("l") else .6, .5, 1.9] + rng.uniform(-.15, .15, 3)
            else:
                p = np.array([self.size[0] * (.3 if m.endswith("l") else .7), self.size[1] * rng.uniform(.7, .9), 1.5])
            self.mics[m] = p

    def way(self, rng, drum, mic, n):
        """Impulse response and the delay of its straight part, s."""
        own = CLOSE.get(mic) == drum
        a, b = self.drums[drum], self.mics[mic]
        h = np.zeros(n)

        def add(distance, gain):
            at = distance / SOUND * RATE
            k = int(at)
            spread = np.arange(max(0, k - 15), min(n, k + 17))
            w = np.sinc(spread - at) * np.kaiser(33, 8)[:len(spread)]
            h[spread] += gain * w

        straight = max(0.04, float(np.linalg.norm(a - b)))
        add(straight, 1)
        wall = 0.0 if mic in CLOSE and own else self.wall * (0.25 if mic in CLOSE else 0.6)
        for axis in range(3):
            for side in (0, self.size[axis]):
                image = a.copy()
                image[axis] = 2 * side - a[axis]
                far = float(np.linalg.norm(image - b))
                add(far, wall * straight / far)
        amount = lin(rng.uniform(-34, -26) if mic in CLOSE and own else rng.uniform(-22, -14) if mic in CLOSE
                     else rng.uniform(-16, -10) if mic.startswith("over") else rng.uniform(-4, 2))
        t = np.arange(n) / RATE
        late = rng.normal(0, 1, n) * 10 ** (-3 * t / self.decay_s)
        late[:int((straight / SOUND + 0.006) * RATE)] = 0
        late = filtered(late, pass_of("low", 5500), pass_of("high", 150))
        h += amount * late / np.sqrt((late ** 2).sum() + 1e-12)
        if not own:
            h = filtered(h, pass_of("low", rng.uniform(9000, 15000) if mic.startswith("over") else rng.uniform(3000, 8000)))
        shape = {"kick_in": [bell(60, 3, .8), bell(4000, 3, .8)], "kick_out": [pass_of("low", 4000)],
                 "snare_bottom": [pass_of("high", 160)], "hat": [pass_of("high", 250, 2)]}.get(mic, [])
        return filtered(h, *shape), straight / SOUND


def plant(rng, count, mics, length_s, struck):
    """Faults for a take, one in a microphone. What nobody strikes can hum or be dead, but not be late or boxy."""
    close = [m for m in mics if m in CLOSE]
    shells = [m for m in close if CLOSE[m] in ("kick", "snare", "rack", "floor")]
    all_toms = [m for m in close if m in ("rack", "floor")]
    close = [m for m in close if CLOSE[m] in struck]
    toms = [m for m in all_toms if m in struck]
    kinds = ["clip", "clip", "dc", "late", "late", "polarity", "polarity", "mute", "ring", "box", "tom_hum", "hum"]
    faults, used = [], {}
    for kind in rng.permutation(kinds):
        if len(faults) == count:
            break
        pool = {"ring": ["snare_top"], "box": ["kick_in"] + toms, "tom_hum": all_toms,
                "hum": shells, "late": [m for m in close if m not in ("kick_out", "snare_bottom")] + ["over_r"],
                "polarity": ["snare_bottom", "over_r"] + toms, "mute": all_toms + ["hat"]}.get(kind, close)
        pool = [m for m in pool if m in mics and used.get(m, 0) == 0]
        if not pool:
            continue
        mic = str(rng.choice(pool))
        used[mic] = used.get(mic, 0) + 1
        fault = dict(kind=str(kind), mic=mic)
        if kind == "clip":
            a = rng.uniform(0.2, 0.6) * length_s
            fault.update(start_s=round(a, 3), end_s=round(a + rng.uniform(3, 6), 3), drive_db=round(rng.uniform(6, 14), 1),
                         ceiling_dbfs=round(float(rng.choice([-0.1, 0.0, rng.uniform(-9, -1)])), 2))
        elif kind == "dc":
            fault.update(offset=round(float(rng.choice([-1, 1]) * rng.uniform(.006, .04)), 4))
        elif kind == "late":
            fault.update(late_ms=round(rng.uniform(14, 30), 2))
        elif kind == "ring":
            hz = rng.uniform(420, 1100)
            fault.update(freq_hz=round(hz, 1), t60_s=round(rng.uniform(.35, .9), 2), level_db=round(rng.uniform(-17, -12), 1))
        elif kind == "box":
            fault.update(freq_hz=round(rng.uniform(320, 440), 1), gain_db=round(rng.uniform(11, 15), 1), q=round(rng.uniform(1.4, 2.4), 2))
        elif kind == "tom_hum":
            fault.update(freq_hz=round(rng.uniform(75, 150), 1), t60_s=round(rng.uniform(1.4, 2.6), 2), level_db=round(rng.uniform(-22, -15), 1))
        elif kind == "hum":
            fault.update(freq_hz=float(rng.choice([50, 60])), level_dbfs=round(rng.uniform(-54, -44), 1))
        faults.append(fault)
    return faults


def record(index, salt, font, out, twin, alone, varied, least_s):
    """Makes one take and its twin."""
    rng = seeded("take", salt, index)
    sampler = sampler_of(font, out / "strokes")
    playing.GROOVES.pop("random", None)
    groove = sorted(playing.GROOVES)[index % len(playing.GROOVES)]
    if varied and rng.random() < .6:
        groove, steps = "random", int(rng.choice([16, 16, 12, 24]))
        playing.GROOVES[groove] = (steps, playing.random_bar(rng, steps), playing.random_bar(rng, steps))
    tempo = float(rng.uniform(160, 180) if groove == "feet" else rng.uniform(70, 184) if groove == "random"
                  else rng.uniform(70, 120) if groove in ("dense", "hands") else rng.uniform(75, 150))
    mics = ["kick_in", "snare_top", "over_l", "over_r"]
    mics += [m for m, p in (("kick_out", .7), ("snare_bottom", .75), ("hat", .75), ("rack", .85), ("floor", .85), ("ride", .2))
             if rng.random() < p]
    if rng.random() < 0.6:
        mics += ["room_l", "room_r"]
    bars = 4 * int(np.ceil(least_s / (240 / tempo) / 4))
    strokes, end = playing.play(rng, groove, bars, tempo, float(rng.uniform(.4, 1.2)), float(rng.uniform(2, 9)),
                                float(rng.uniform(.54, .64)) if groove == "ride" or rng.random() < .15 else .5)
    kit, room = Kit(rng, sampler, varied), Room(rng, mics)
    n = int((end + 2) * RATE)
    size = fft.next_fast_len(n + 2 * RATE, real=True)
    faults = plant(rng, 5, mics, end, {s[0] for s in strokes})
    rings = [f for f in faults if f["kind"] == "ring"]
    dry, ringing = {d: np.zeros(size) for d in DRUMS}, np.zeros(size)
    played = {d: [] for d in DRUMS}
    for i, (d, t, level, kind, art) in enumerate(strokes):
        x = kit.stroke(d, art, level, int(rng.integers(4)))
        if art == "o":
            following = next((s[1] for s in strokes[i + 1:] if s[0] == d), t + 9)
            stop = int((following - t + 0.01) * RATE)
            x = x[:stop] * np.clip((stop - np.arange(len(x[:stop]))) / (0.015 * RATE), 0, 1)
        at = int(round(t * RATE))
        x = x[:size - at]
        dry[d][at:at + len(x)] += x
        played[d].append((t, level, kind, art, x[:RATE // 2]))
        for f in rings if d == "snare" else []:
            k = np.arange(min(size - at, int(1.3 * f["t60_s"] * RATE))) / RATE
            tone = np.sin(2 * np.pi * f["freq_hz"] * k) * 10 ** (-3 * k / f["t60_s"]) * lin(level + f["level_db"])
            o = onset(x)
            ringing[at + o:at + o + len(tone)] += tone[:size - at - o]
    spectra = {d: fft.rfft(x) for d, x in dry.items()}
    style = str(rng.choice(sorted(NAMES)))
    names = {m: NAMES[style][m] if m in CLOSE else f"{NAMES[style][m[:-2]]} {m[-1].upper()}" for m in mics}
    accent = {d: kit.stroke(d, "x", 0, 0) for d in DRUMS}
    truth = dict(session=f"take{index:02}", font=Path(font).name, groove=groove, tempo_bpm=round(tempo, 3), sample_rate=RATE,
                 stems={}, elements={}, bleed={}, problems=[])
    inverted_below = rng.random() < 0.4  # an untouched snare bottom is the other way round
    heard, alone_in, ways, rests, own_peak = {}, {}, {}, {}, {}
    for m in mics:
        own = CLOSE.get(m)
        wanted = rng.uniform(-9, -4) if own else rng.uniform(-12, -7)
        acc, own_part, bleed = np.zeros(n), np.zeros(n), {}
        for d in DRUMS:
            h, straight = room.way(rng, d, m, int((0.9 if m.startswith("room") else 0.35) * RATE))
            peak = np.abs(signal.oaconvolve(accent[d], h)[:RATE]).max()
            if own:
                level = wanted + (0 if d == own else rng.uniform(*SPILL[d]))
            else:
                level = wanted + LEVEL.get(d, rng.uniform(-6, 0) if d == "kick" else rng.uniform(-3, 1) if d != "snare" else 0)
            gain = lin(level) / peak
            if m == "snare_bottom" and inverted_below:
                gain = -gain
            ways[d, m] = (h * gain, straight)
            bleed[d] = dict(delay_ms=round(1000 * straight, 4), accent_re_own_db=round(level - wanted, 2))
            y = fft.irfft(spectra[d] * fft.rfft(h * gain, size), size)[:n]
            acc += y
            if d == own or (own is None and d == "snare"):
                own_part = own_part + y
            if alone:
                alone_in[m, d] = y.astype(np.float32)
        noise = seeded("noise", salt, index, m).normal(0, 1, n)
        noise = (noise + 3 * filtered(noise, pass_of("low", 300)))
        noise *= lin(rng.uniform(-78, -64)) / noise.std()
        headroom = min(1.0, lin(-1.5) / np.abs(acc).max())
        own_peak[m] = float(lin(wanted) * headroom)  # of an accent
        ways.update({(d, m): (ways[d, m][0] * headroom, ways[d, m][1]) for d in DRUMS})
        heard[m], rests[m] = acc * headroom + noise, (own_part * headroom, (acc - own_part) * headroom + noise)
        truth["bleed"][m] = {d: b for d, b in bleed.items() if played[d]}
        truth["stems"][m] = dict(file=names[m] + ".wav", channel=0, sample_rate=RATE, polarity=-1 if m == "snare_bottom" and inverted_below else 1,
                                 late_ms=0, muted=False)
    for d in DRUMS:
        if not played[d]:
            continue
        close = {"kick": "kick_in", "snare": "snare_top"}.get(d, d)
        close = close if close in mics else None
        m = close or "over_l"
        rows, shapes = [], {}
        for t, level, kind, art, x in played[d]:
            h, _ = ways[d, m]
            key = (art, round(level), kind)
            if key not in shapes:
                shapes[key] = onset(signal.oaconvolve(x, h[:8192])) / RATE
            at = t + shapes[key]
            i = int(at * RATE)
            a = np.abs(rests[m][0][i:i + 720]).max(initial=1e-9)
            b = max(np.abs(rests[m][1][max(0, i - 480):i + 720]).max(initial=1e-9),
                    np.abs(rests[m][0][max(0, i - 480):max(1, i - 96)]).max(initial=1e-9))
            rows.append({"time_s": round(at, 6), "level_db": round(level, 2), "class": kind, "art": art,
                         "margin_db": round(db(a / b), 1)})
        truth["elements"][d] = dict(close_mic=close, heard_in=m, scored=close is not None, count=len(rows), hits=rows)

    def faulty(m, x):
        for f in faults:
            if f["mic"] != m:
                continue
            kind = f["kind"]
            if kind == "ring":
                pass  # with the drum, in all microphones: below
            elif kind == "tom_hum":
                for d, less in (("kick", 0), ("snare", -4)):
                    for t, level, *_ in played[d]:
                        k = np.arange(int(1.3 * f["t60_s"] * RATE)) / RATE
                        at = int((t + .004) * RATE)
                        tone = np.sin(2 * np.pi * f["freq_hz"] * k) * 10 ** (-3 * k / f["t60_s"]) * (1 - np.exp(-k / .012))
                        tone *= own_peak[m] * lin(f["level_db"] + less + level)
                        x[at:at + len(tone)] += tone[:max(0, len(x) - at)]
            elif kind == "hum":
                k = 2 * np.pi * f["freq_hz"] * np.arange(len(x)) / RATE
                x = x + lin(f["level_dbfs"]) * sum(a * np.sin(h * k + h) for h, a in ((1, 1), (2, .5), (3, .35), (5, .15)))
            elif kind == "box":
                x = filtered(x, bell(f["freq_hz"], f["gain_db"], f["q"]))
                x *= min(1, lin(-1.5) / np.abs(x).max())
            elif kind == "late":
                k = int(round(f["late_ms"] * RATE / 1000))
                x = np.concatenate([x[:k] * 0, x[:len(x) - k]])
            elif kind == "polarity":
                x = -x
            elif kind == "clip":
                t = np.arange(len(x)) / RATE
                ceiling = lin(f["ceiling_dbfs"])
                x = x * min(1, lin(f["ceiling_dbfs"] - 1) / np.abs(x).max())
                edge = np.clip((t - f["start_s"]) / .02, 0, 1) * np.clip((f["end_s"] - t) / .02, 0, 1)
                y = x * lin(f["drive_db"] * edge)
                f["clipped_samples"] = int((np.abs(y) > ceiling).sum())
                if f["clipped_samples"] >= 200:  # else there was nothing loud in that passage
                    x = np.clip(y, -ceiling, ceiling)
            elif kind == "dc":
                x = x + f["offset"]
            elif kind == "mute":
                x = np.zeros(len(x))
        return x

    def write(name, with_faults):
        folder = out / "sessions" / name
        folder.mkdir(parents=True, exist_ok=True)
        for old in folder.glob("*.wav"):
            old.unlink()
        t = json.loads(json.dumps(truth))
        t["session"], t["twin_of"] = name, None if with_faults else truth["session"]
        for m in mics:
            x = heard[m].copy()
            if with_faults:
                for f in rings:
                    x += fft.irfft(fft.rfft(ringing) * fft.rfft(ways["snare", m][0], size), size)[:n]
                x = faulty(m, x)
            sf.write(folder / (names[m] + ".wav"), np.clip(x, -1, 1), RATE, subtype="PCM_24")
        if with_faults:
            # A clip that nothing reached is none.
            t["problems"] = [f for f in faults if f["kind"] != "clip" or f["clipped_samples"] >= 200]
            for f in t["problems"]:
                stem = t["stems"][f["mic"]]
                if f["kind"] == "polarity":
                    stem["polarity"] = -stem["polarity"]
                if f["kind"] == "late":
                    stem["late_ms"] = f["late_ms"]
                    t["bleed"][f["mic"]] = {d: dict(b, delay_ms=b["delay_ms"] + f["late_ms"]) for d, b in t["bleed"][f["mic"]].items()}
                    for e in t["elements"].values():
                        if e["heard_in"] == f["mic"]:
                            for h in e["hits"]:
                                h["time_s"] = round(h["time_s"] + f["late_ms"] / 1000, 6)
                if f["kind"] == "mute":
                    stem["muted"] = True
                    for e in t["elements"].values():
                        if e["close_mic"] == f["mic"]:
                            e["scored"] = False
        t["problems"] += [dict(kind="polarity", mic=m) for m in mics if t["stems"][m]["polarity"] == -1 and
                          not any(f["mic"] == m and f["kind"] == "polarity" for f in t["problems"])]
        t["problems"] = [f for f in t["problems"] if f["kind"] != "polarity" or t["stems"][f["mic"]]["polarity"] == -1]
        bass = [(s[1], 28 + 5 * (i % 3), 96, 0.3) for i, s in enumerate(strokes) if s[0] == "kick" and s[3] != "ghost"]
        if index % 3 == 0 and bass:
            line = sampler.bass(bass, n / RATE)[:n]
            sf.write(folder / "Bass DI.wav", line / np.abs(line).max() * lin(-6), RATE, subtype="PCM_24")
        (folder / "truth.json").write_text(json.dumps(t, indent=1))
        for (m, d), y in alone_in.items():
            (folder / "alone").mkdir(exist_ok=True)
            sf.write(folder / "alone" / f"{m} {d}.flac", y, RATE, subtype="PCM_24")
        return len(t["problems"])

    count = write(truth["session"], True)
    if twin:
        write(truth["session"] + "-twin", False)
    return f"{truth['session']} {groove} {tempo:.0f} bpm, {len(mics)} microphones, {count} faults"


def programme(index, salt, font, out):
    """Stems of a programmed kit: no spill, an exact grid, nothing at all between the sounds."""
    rng = seeded("stems", salt, index)
    kit = Kit(rng, sampler_of(font, out / "strokes"))
    tempo = float(rng.uniform(80, 170))
    strokes, end = playing.play(rng, str(rng.choice(["straight", "dense", "half", "offbeat", "feet"])), 8, tempo, 0.1, 0)
    step = 60 / tempo / 4
    folder = out / "sessions" / f"stems{index:02}"
    folder.mkdir(parents=True, exist_ok=True)
    truth = dict(session=folder.name, tempo_bpm=tempo, sample_rate=RATE, stems={}, elements={}, bleed={}, problems=[])
    names = {"kick": "Kick", "snare": "Snare", "hat": "Hat", "rack": "Tom Hi", "floor": "Tom Lo", "crash": "Crash", "ride": "Ride"}
    for d in DRUMS:
        mine = [s for s in strokes if s[0] == d and s[3] in ("accent", "normal", "ghost")]
        if not mine:
            continue
        x, hits = np.zeros(int((end + 2) * RATE)), []
        for _, t, level, kind, art in mine:
            t = 0.1 + round((t - 0.1) / step) * step
            y = kit.stroke(d, art, {"accent": -1, "normal": -4, "ghost": -14}[kind], 0)[:int(.3 * RATE)] * 0.7
            y[-480:] *= np.linspace(1, 0, len(y[-480:]))
            at = int(round(t * RATE))
            x[at:at + len(y)] += y[:len(x) - at]
            hits.append({"time_s": round((at + onset(y)) / RATE, 6), "level_db": level, "class": kind, "art": art, "margin_db": 60})
        sf.write(folder / (names[d] + ".wav"), np.clip(x / max(1, np.abs(x).max()), -1, 1), RATE, subtype="PCM_24")
        truth["stems"][d] = dict(file=names[d] + ".wav", channel=0, sample_rate=RATE, polarity=1, late_ms=0, muted=False)
        truth["bleed"][d] = {}
        truth["elements"][d] = dict(close_mic=d, heard_in=d, scored=True, count=len(hits), hits=hits)
    for d in truth["stems"]:
        truth["bleed"][d] = {o: dict(delay_ms=0, accent_re_own_db=0 if o == d else -120) for o in truth["elements"]}
    (folder / "truth.json").write_text(json.dumps(truth, indent=1))
    return f"{folder.name}: {len(truth['stems'])} stems"


def job(a):
    return record(*a[1:]) if a[0] == "take" else programme(*a[1:])


def main():
    ap = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ap.add_argument("outdir", type=Path)
    ap.add_argument("--count", type=int, default=40)
    ap.add_argument("--stems", type=int, default=8)
    ap.add_argument("--salt", type=int, default=1)
    ap.add_argument("--font", action="append")
    ap.add_argument("--seconds", type=float, default=24)
    ap.add_argument("--alone", action="store_true")
    ap.add_argument("--varied", action="store_true")
    ap.add_argument("--no-twins", action="store_true")
    ap.add_argument("--jobs", type=int, default=2)
    a = ap.parse_args()
    fonts = a.font or [f for f in FONTS.values() if Path(f).exists()]
    if not fonts:
        raise SystemExit("No soundfont was found: apt-get install timgm6mb-soundfont, or give --font FILE.")
    work = [("take", i, a.salt, fonts[i % len(fonts)], a.outdir, not a.no_twins, a.alone, a.varied, a.seconds) for i in range(a.count)]
    work += [("stems", i, a.salt, fonts[i % len(fonts)], a.outdir) for i in range(a.stems)]
    with multiprocessing.Pool(a.jobs) as pool:
        for line in pool.imap(job, work):
            print(line, flush=True)


if __name__ == "__main__":
    main()
