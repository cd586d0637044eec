"""Makes sound files and sessions that are odd, damaged or hostile, from a seed."""
import json
import math
import os
import random
import struct
import subprocess


def wav(seconds=1.0, rate=48000, channels=1, bits=16, seed=1, data_claim=None, riff_claim=None, byte_rate=None):
    """A WAV of decaying bursts with noise; header fields as told."""
    rng = random.Random(seed)
    frames = int(seconds * rate)
    data = bytearray()
    for n in range(frames):
        t = (n / rate) % 0.25
        x = 0.6 * math.exp(-t / 0.04) * math.sin(2 * math.pi * 180 * t) + 0.002 * (rng.random() - 0.5)
        for _ in range(channels):
            if bits == 32:
                data += struct.pack("<f", x)
            elif bits == 24:
                data += struct.pack("<i", int(x * 0x7FFFFF))[:3]
            else:
                data += struct.pack("<h", int(x * 32767))
    size = len(data) if data_claim is None else data_claim
    frame_bytes = channels * bits // 8
    header = struct.pack("<4sI4s4sIHHIIHH4sI", b"RIFF", (36 + len(data)) if riff_claim is None else riff_claim, b"WAVE",
                         b"fmt ", 16, 3 if bits == 32 else 1, channels, rate,
                         rate * frame_bytes if byte_rate is None else byte_rate, frame_bytes, bits, b"data", size)
    return header + bytes(data)


def write(path, data):
    with open(path, "wb") as file:
        file.write(data)
    return path


def coded(folder):
    """The same sound in every coding, by other programs."""
    base = write(os.path.join(folder, "base.wav"), wav(3, seed=3))
    paths = [base]
    for ending in ("flac", "ogg", "opus", "mp3", "aiff", "caf", "w64"):
        path = os.path.join(folder, "base." + ending)
        subprocess.run(["ffmpeg", "-loglevel", "error", "-y", "-i", base, path], check=True)
        paths.append(path)
    return paths


def odd_sounds(folder):
    """(name, bytes, what must be said) of files whose oddness is known: '' for nothing."""
    good = wav(1, seed=5)
    nan = struct.pack("<f", math.nan)
    floats = wav(0.2, bits=32, seed=6)
    cases = [
        ("good.wav", good, ""),
        ("empty.wav", b"", "is empty"),
        ("text.wav", b"these are words", "not a sound file"),
        ("header only.wav", wav(0, seed=1), "holds no sound"),
        ("data size zero.wav", wav(1, data_claim=0), "follow it"),
        ("data size ff.wav", wav(1, data_claim=0xFFFFFFFF), "how long it is"),
        ("riff size ff.wav", wav(1, riff_claim=0xFFFFFFFF), "how long it is"),
        ("riff size 7.wav", wav(1, riff_claim=7), "header says"),
        ("byte rate.wav", wav(1, byte_rate=1), "contradicts itself"),
        ("cut.wav", good[: len(good) // 2], "cut short"),
        ("cut in header.wav", good[:30], "."),
        ("slow.wav", wav(0.1, rate=7), "sample rate"),
        ("some nan.wav", floats[:444] + nan + floats[448:], "invalid sample"),
        ("all nan.wav", floats[:44] + nan * ((len(floats) - 44) // 4), "invalid samples"),
        ("nul.wav", bytes(5000), "not a sound file"),
        ("n" * 246 + ".wav", good, ""),
        ("name with\nline.wav", good, ""),
    ]
    return [(write(os.path.join(folder, name), data), said) for name, data, said in cases]


def mutated(rng, data):
    """A few damages of the kinds that disks and transfers make."""
    data = bytearray(data)
    for _ in range(rng.randint(1, 4)):
        if not data:
            break
        at = rng.randrange(len(data) if rng.random() < 0.4 else min(len(data), 200))
        kind = rng.randrange(6)
        if kind == 0:
            data[at] ^= 1 << rng.randrange(8)
        elif kind == 1:
            data[at:at + 4] = rng.choice([b"\xff\xff\xff\xff", b"\0\0\0\0", b"\xff\xff\xff\x7f", b"\1\0\0\0"])
        elif kind == 2:
            del data[at:at + rng.randrange(1, 5000)]
        elif kind == 3:
            data[at:at] = bytes(rng.randrange(256) for _ in range(rng.randrange(1, 64)))
        elif kind == 4:
            data = data[:at]
        else:
            n = rng.randrange(1, 3000)
            data[at:at + n] = bytes(n)
    return bytes(data)


def damaged_session(rng, text):
    """Session texts: broken bytes, odd values, odd structure. Values stay JSON half of the time."""
    if rng.random() < 0.5:
        return mutated(rng, text.encode())
    session = json.loads(text)

    def places(node, path):
        yield path
        children = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
        for key, value in children:
            yield from places(value, path + [key])

    for _ in range(rng.randint(1, 3)):
        path = rng.choice([p for p in places(session, []) if p])
        node = session
        for key in path[:-1]:
            node = node[key]
        value = rng.choice([None, True, -1, 0, 1e15, -1e15, 0.5, 1e308, "x", "\ud800", [], {}, [[]] * 50, {"a": {"b": 1}},
                            "DELETE", "DOUBLE"])
        if value == "DELETE":
            if isinstance(node, dict):
                node.pop(path[-1])
            else:
                del node[path[-1]]
        elif value == "DOUBLE" and isinstance(node, list):
            node.extend(node[:2000])
        else:
            node[path[-1]] = value
    return json.dumps(session).encode()


def hostile_sessions(text):
    """(name, bytes) of session texts made to hurt."""
    session = json.loads(text)

    def changed(change):
        copy = json.loads(text)
        change(copy)
        return json.dumps(copy).encode()

    def chained(s):
        s["buses"] = [{"id": 1000 + i, "name": "b", "output": {"bus": 1001 + i}} for i in range(20000)]
        s["buses"].append({"id": 21000, "name": "Master", "master": True})

    deep = text.encode().replace(b"{", b'{"odd":' + b"[" * 60000 + b"]" * 60000 + b",", 1)
    deep_objects = text.encode().replace(b"{", b'{"odd":' + b'{"a":' * 60000 + b"1" + b"}" * 60000 + b",", 1)
    first = session["elements"][0]["name"]
    return [
        ("deep lists", deep),
        ("deep objects", deep_objects),
        ("chained buses", changed(chained)),
        ("start 1e15", changed(lambda s: s["elements"][0].update(start_frame=10**15))),
        ("start -1e15", changed(lambda s: s["elements"][0].update(start_frame=-(10**15)))),
        ("frames 1e15", changed(lambda s: s["files"][0].update(frames=10**15))),
        ("rate 0.5", changed(lambda s: s["files"][0].update(sample_rate_hz=0.5))),
        ("session rate 1e9", changed(lambda s: s.update(sample_rate_hz=1e9))),
        ("no elements", changed(lambda s: s.update(elements=[]))),
        ("a name of a megabyte", changed(lambda s: s["elements"][0].update(name=first * 200000))),
        ("a path that is a folder", changed(lambda s: s["files"][0].update(path="/"))),
        ("a path that is a device", changed(lambda s: s["files"][0].update(path="/dev/zero"))),
        ("not UTF-8", text.encode().replace(first.encode(), first.encode() + b"\xff\xfe")),
        ("empty", b""),
        ("null", b"null"),
        ("zeros", bytes(10000)),
    ]
