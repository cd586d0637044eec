"""Single drum strokes and bass notes: from a General MIDI soundfont, rendered by fluidsynth and kept as arrays, or from a folder of patches."""
import hashlib
import os
import struct
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import scipy.signal as signal
import soundfile as sf

RATE = 48000
FONTS = {"small": "/usr/share/sounds/sf2/TimGM6mb.sf2", "large": "/usr/share/sounds/sf2/FluidR3_GM.sf2"}
STRENGTHS = (24, 48, 72, 96, 112, 127)  # MIDI velocities that are rendered
APART_S = 5.0                           # between strokes of one rendering


def _midi(notes, channel, program):
    """A format 0 file of one track; notes are (seconds, key, velocity, seconds long)."""
    def number(n):
        out = [n & 127]
        while n := n >> 7:
            out.insert(0, n & 127 | 128)
        return bytes(out)

    events = [(0, bytes([0xC0 | channel, program]))]
    for at, key, velocity, long in notes:
        events += [(round(at * 1000), bytes([0x90 | channel, key, velocity])),
                   (round((at + long) * 1000), bytes([0x80 | channel, key, 0]))]
    events.sort(key=lambda e: e[0])
    track, now = b"\x00\xff\x51\x03\x0f\x42\x40", 0  # 1 s a quarter note
    for at, event in events:
        track += number(at - now) + event
        now = at
    track += b"\x00\xff\x2f\x00"
    return b"MThd" + struct.pack(">IHHH", 6, 0, 1, 1000) + b"MTrk" + struct.pack(">I", len(track)) + track


def _trimmed(x):
    """From the first sample that can be heard to the last, at a peak of 1."""
    loud = np.abs(x)
    first = int(np.argmax(loud > 0.003 * loud.max()))
    last = len(x) - int(np.argmax(loud[::-1] > 0.0005 * loud.max()))
    x = x[max(0, first - 24):last].astype(float)
    x[-480:] *= np.linspace(1, 0, len(x[-480:]))
    return x / np.abs(x).max()


class Sampler:
    """One soundfont. `folder`: where renderings are kept."""

    def __init__(self, font, folder):
        self.font, self.folder = str(font), Path(folder)
        self.folder.mkdir(parents=True, exist_ok=True)
        self.memory = {}

    def _render(self, notes, channel, program, seconds):
        name = hashlib.sha256(repr((self.font, notes, channel, program)).encode()).hexdigest()[:20]
        kept = self.folder / f"{name}.npy"
        if not kept.exists():
            with tempfile.TemporaryDirectory() as folder:
                midi, wav = Path(folder) / "n.mid", Path(folder) / "n.wav"
                midi.write_bytes(_midi(notes, channel, program))
                subprocess.run(["fluidsynth", "-ni", "-q", "-R", "0", "-C", "0", "-g", "0.5", "-r", str(RATE), "-O", "float",
                                "-T", "wav", "-F", str(wav), self.font, str(midi)], check=True, capture_output=True)
                x, _ = sf.read(wav, dtype="float32", always_2d=True)
            part = self.folder / f"{name}.{os.getpid()}.npy"
            np.save(part, np.pad(x.mean(axis=1), (0, RATE))[:int(seconds * RATE)])
            part.replace(kept)
        return np.load(kept)

    def strokes(self, program, key):
        """{velocity: stroke}, each from its first sample that can be heard, at a peak of 1."""
        if (program, key) not in self.memory:
            at = [0.25 + APART_S * i for i in range(len(STRENGTHS))]
            x = self._render([(t, key, v, APART_S - 1) for t, v in zip(at, STRENGTHS)], 9, program,
                             APART_S * (len(at) + 1))
            made = {}
            for t, v in zip(at, STRENGTHS):
                made[v] = _trimmed(x[int((t - 0.05) * RATE):int((t + APART_S - 0.3) * RATE)])
            self.memory[program, key] = made
        return self.memory[program, key]

    def bass(self, notes, seconds):
        """A bass line; notes are (seconds, key, velocity, seconds long)."""
        return self._render(tuple(notes), 0, 33, seconds).astype(float)


class Patches:
    """A folder of sampled drums, one patch (GF1 format) a key, whose name begins with the key; one recording at all strengths."""

    def __init__(self, folder):
        self.files = {int(f.name[:3]): f for f in sorted(Path(folder).glob("*.pat"))}

    def strokes(self, _program, key):
        """As Sampler's. Softer strokes are duller, as the kit makes them."""
        raw = self.files[key].read_bytes()
        at = 129 + 63 + 47  # patch, instrument and layer headers; the first sample's is next
        size, = struct.unpack_from("<I", raw, at + 8)
        rate, low, high, root = struct.unpack_from("<HIII", raw, at + 20)
        modes = raw[at + 55]
        x = np.frombuffer(raw, {0: "i1", 1: "<i2", 2: "u1", 3: "<u2"}[modes & 3], size // (1 + (modes & 1)), at + 96).astype(float)
        x = x - (0 if not modes & 2 else 32768 if modes & 1 else 128)
        x = _trimmed(signal.resample(x, int(len(x) * RATE / rate)))
        return {v: x for v in STRENGTHS}

    def bass(self, notes, seconds):
        """As Sampler's; a plain decaying tone with overtones, for there is no bass among the drums."""
        y = np.zeros(int(seconds * RATE) + RATE)
        for at, key, velocity, long in notes:
            t = np.arange(int(long * RATE)) / RATE
            hz = 440 * 2 ** ((key - 69) / 12)
            tone = sum(np.sin(2 * np.pi * hz * h * t) / h ** 1.5 for h in range(1, 9)) * np.exp(-t / 0.3) * velocity / 127
            y[int(at * RATE):int(at * RATE) + len(t)] += tone * np.minimum(1, np.minimum(t, t[::-1]) / 0.005)
        return y


def sampler_of(font, folder):
    return Patches(font) if Path(font).is_dir() else Sampler(font, folder)
