#!/usr/bin/env python3
"""Attacks the command line: odd, mutated and hostile files and sessions, kills at every call that changes the disk,
disks that forget what was not synced, several writers at once, full and read-only disks.

usage: attack.py --cli PROGRAM --shim LIBRARY [--window PROGRAM] [--long] [--seed N] [--only PART]
"""
import argparse
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time

import kills
import odd_files
from runs import Report, as_nobody, behaves, run, small_files, sums


class Attack:
    def __init__(self, options, report, folder):
        self.cli, self.shim, self.window, self.long = options.cli, options.shim, options.window, options.long
        self.inside = options.inside
        self.rng = random.Random(options.seed)
        self.report, self.folder = report, folder
        os.chmod(folder, 0o755)

    def times(self, short, long):
        return long if self.long else short

    def path(self, *names):
        return os.path.join(self.folder, *names)

    def fresh(self, name):
        shutil.rmtree(self.path(name), ignore_errors=True)
        os.makedirs(self.path(name))
        return self.path(name)

    def kit(self, name="kit"):
        """A session of two files beside their folder; returns (session, folder of its sources)."""
        sources = self.fresh(name)
        for n, file in enumerate(("Kick.wav", "Snare Top.wav")):
            odd_files.write(os.path.join(sources, file), odd_files.wav(1, seed=n + 1))
        session = self.path(name + ".cask")
        shutil.rmtree(session, ignore_errors=True)
        made = run(self.cli, "new", session, sources)
        self.report.expect(made.code == 0, f"new: {made.err}")
        return session, sources

    def odd_sounds(self):
        for path, said in odd_files.odd_sounds(self.fresh("odd")):
            name = os.path.basename(path)[:40]
            session = self.path("odd.cask")
            shutil.rmtree(session, ignore_errors=True)
            made = run(self.cli, "new", session, path)
            behaves(self.report, made, f"new {name}")
            self.report.expect(said in made.err if said else made.err == "", f"new {name} says: {made.err[:300]}")
            if made.code == 0:
                for command in (["check"], ["check", "--json"], ["hits", "--csv"], ["render", "--out", self.path("odd out")]):
                    behaves(self.report, run(self.cli, command[0], session, *command[1:]), f"{command} {name}")
                shutil.rmtree(self.path("odd out"), ignore_errors=True)

    def mutated_sounds(self):
        originals = [open(path, "rb").read() for path in odd_files.coded(self.fresh("coded"))]
        endings = ("wav", "flac", "ogg", "opus", "mp3", "aiff", "caf", "w64")
        for n in range(self.times(96, 1984)):
            which = n % len(originals)
            folder = self.fresh("mutated")
            path = odd_files.write(os.path.join(folder, "m." + endings[which]),
                                   odd_files.mutated(self.rng, originals[which]))
            before = sums(folder)
            session = self.path("mutated.cask")
            shutil.rmtree(session, ignore_errors=True)
            made = run(self.cli, "new", session, path)
            behaves(self.report, made, f"new, mutation {n} of {endings[which]}")
            if made.code == 0:
                behaves(self.report, run(self.cli, "check", session), f"check, mutation {n} of {endings[which]}")
                rendered = run(self.cli, "render", session, "--out", self.path("mutated out"))
                behaves(self.report, rendered, f"render, mutation {n} of {endings[which]}")
                shutil.rmtree(self.path("mutated out"), ignore_errors=True)
            self.report.expect(sums(folder) == before, f"mutation {n}: the source was changed")

    def damaged_sessions(self):
        session, sources = self.kit("damaged")
        text = open(os.path.join(session, "session.json"), encoding="utf-8").read()
        before = sums(sources)
        cases = odd_files.hostile_sessions(text)
        cases += [(f"damage {n}", odd_files.damaged_session(self.rng, text)) for n in range(self.times(60, 790))]
        for name, data in cases:
            odd_files.write(os.path.join(session, "session.json"), data)
            for command in (["set"], ["check"], ["render", "--out", self.path("damaged out")],
                            ["set", "Kick/level_db", "-3"]):
                ran = run(self.cli, command[0], session, *command[1:])
                behaves(self.report, ran, f"{command[0]} with {name}")
                if ran.code == 1 and command[0] != "set":
                    continue
                if ran.code == 1 and len(command) > 1:
                    kept = open(os.path.join(session, "session.json"), "rb").read()
                    versions = sums(os.path.join(session, "versions")) if kept != data else {}
                    self.report.expect(kept == data or versions, f"{name}: a damaged session was written over")
            shutil.rmtree(self.path("damaged out"), ignore_errors=True)
            shutil.rmtree(os.path.join(session, "versions"), ignore_errors=True)
        self.report.expect(sums(sources) == before, "damaged sessions: a source was changed")

    def writers(self):
        session, _ = self.kit("writers")
        for n in range(1, self.times(25, 1000) + 1):
            both = [subprocess.Popen([self.cli, "set", session, f"{name}/level_db", str(-(n % 50) - 0.5)],
                                     stderr=subprocess.DEVNULL) for name in ("Kick", "Snare Top")]
            codes = [process.wait() for process in both]
            self.report.runs += 2
            listed = run(self.cli, "set", session, "--json")
            values = json.loads(listed.out) if listed.code == 0 else {}
            for name, code in zip(("Kick", "Snare Top"), codes):
                value = values.get(f"{name}/level_db", "")
                self.report.expect(code == 0 and value.replace("\u2212", "-").startswith(str(-(n % 50) - 0.5)),
                                   f"pair {n}: {name} ended with {code} and is {value!r}")

    def full_disks(self):
        session, sources = self.kit("full")
        before = sums(sources)
        for bytes_ in (0, 100, 1000, 5000, 20000, 100000):
            for command in (["set", session, "Kick/level_db", "-2"], ["render", session, "--out", self.path("full out")],
                            ["new", self.path("full new.cask"), sources], ["hits", session, "--out", self.path("full out")]):
                whole = open(os.path.join(session, "session.json"), "rb").read()
                ran = run(self.cli, *command, limits=small_files(bytes_))
                behaves(self.report, ran, f"{command[0]} with {bytes_} bytes a file")
                now = open(os.path.join(session, "session.json"), "rb").read()
                json.loads(now)
                self.report.expect(ran.code == 0 or now == whole, f"{command[0]} failed and changed the session")
                left = [name for _, _, names in os.walk(self.folder) for name in names if name.endswith(".part")]
                self.report.expect(not left, f"{command[0]} left {left}")
                for folder in ("full out", "full new.cask"):
                    shutil.rmtree(self.path(folder), ignore_errors=True)
        with open("/dev/full", "wb") as full:
            for command in (["hits", session, "--csv"], ["check", session, "--json"], ["set", session]):
                self.report.expect(run(self.cli, *command, stdout=full).code == 1, f"{command} to a full device is no success")
        # A disk that can only be read: nothing is lost, reading works.
        for path, folders, names in os.walk(session):
            for name in folders + names:
                full = os.path.join(path, name)
                os.chmod(full, 0o555 if os.path.isdir(full) else 0o444)
        os.chmod(session, 0o555)
        for command in (["set", session], ["set", session, "Kick/level_db", "-2"], ["check", session],
                        ["render", session, "--out", os.path.join(session, "out")]):
            ran = run(self.cli, *command, limits=as_nobody, env={"XDG_CACHE_HOME": tempfile.gettempdir()})
            behaves(self.report, ran, f"{command[0]} on a read-only session")
            writes = len(command) > 2
            self.report.expect(ran.code == (1 if writes else 0), f"{command[0]} on a read-only session: {ran.code} {ran.err}")
        os.chmod(session, 0o755)
        os.chmod(session, 0o000)
        behaves(self.report, run(self.cli, "check", session, limits=as_nobody), "check without permission")
        os.chmod(session, 0o755)
        self.report.expect(sums(sources) == before, "full disks: a source was changed")

    def small_disks(self):
        """A disk of its own that is really full, in a namespace of its own; where that is not allowed, said and left out."""
        if not self.inside:
            alone = ["unshare", "--user", "--map-root-user", "--mount"]
            mounts = ["mount", "-t", "tmpfs", "-o", "size=2m", "tmpfs", self.fresh("disk")]
            if not shutil.which("unshare") or subprocess.run(alone + mounts, stderr=subprocess.DEVNULL).returncode != 0:
                print("  left out: no file system can be mounted here")
                return
            again = alone + [sys.executable, *sys.argv, "--only", "small_disks", "--inside"]
            self.report.expect(subprocess.run(again).returncode == 0, "small disks, see above")
            return
        disk = self.fresh("disk")
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=2m", "tmpfs", disk], check=True)
        outside, self.folder = self.folder, disk
        try:
            session, sources = self.kit("small")
            before = sums(sources)
            for free in (0, 4, 8, 16, 40, 100, 250, 500):
                with open(self.path("filler"), "wb") as filler:
                    left = os.statvfs(disk)
                    filler.write(b"x" * max(0, left.f_bavail * left.f_frsize - free * 1024))
                for command in (["set", session, "Kick/level_db", f"-{free / 10 + 1}"], ["render", session, "--out", self.path("out")],
                                ["new", self.path("new.cask"), sources], ["hits", session, "--out", self.path("out")]):
                    whole = open(os.path.join(session, "session.json"), "rb").read()
                    ran = run(self.cli, *command)
                    what = f"{command[0]} with {free} kB left"
                    behaves(self.report, ran, what)
                    now = open(os.path.join(session, "session.json"), "rb").read()
                    json.loads(now)
                    self.report.expect(ran.code == 0 or now == whole, f"{what} failed and changed the session")
                    self.report.expect(ran.code == 0 or "full" in ran.err and ran.err.count("Nothing was written") < 2, f"{what} says {ran.err}")
                    self.report.expect(not kills.parts_in(disk), f"{what} left {kills.parts_in(disk)}")
                    for folder in ("out", "new.cask"):
                        shutil.rmtree(self.path(folder), ignore_errors=True)
                os.remove(self.path("filler"))
            self.report.expect(sums(sources) == before, "small disks: a source was changed")
        finally:
            self.folder = outside
            subprocess.run(["umount", disk], check=False)

    def odd_places(self):
        session, sources = self.kit("odd place")
        text = os.path.join(session, "session.json")
        whole = open(text, "rb").read()

        def with_link(target):
            os.remove(text)
            os.symlink(target, text)

        def with_fifo():
            os.remove(text)
            os.mkfifo(text)

        for name, prepare in (("a link loop", lambda: with_link("session.json")), ("/dev/zero", lambda: with_link("/dev/zero")),
                              ("a pipe", with_fifo), ("a folder", lambda: (os.remove(text), os.mkdir(text)))):
            prepare()
            for command in (["check", session], ["set", session, "Kick/level_db", "-1"], ["new", session, sources]):
                ran = run(self.cli, *command)
                behaves(self.report, ran, f"{command[0]} with {name} for a session")
                self.report.expect(ran.code == 1, f"{command[0]} with {name}: {ran.code}")
            os.rmdir(text) if os.path.isdir(text) and not os.path.islink(text) else os.remove(text)
            odd_files.write(text, whole)
        loops = self.fresh("loops")
        odd_files.write(os.path.join(loops, "Kick.wav"), odd_files.wav(0.5))
        os.mkdir(os.path.join(loops, "in"))
        os.symlink("..", os.path.join(loops, "in", "again"))
        made = run(self.cli, "new", self.path("loops.cask"), loops, "--json")
        self.report.expect(made.code == 0 and len(json.loads(made.out)["elements"]) == 1, "a loop of links made copies")
        for place in ("/proc", "/dev/zero", "/sys"):
            behaves(self.report, run(self.cli, "new", self.path("place.cask"), place), f"new of {place}")
        latin = os.path.join(os.fsencode(self.fresh("latin")), b"K\xefck.wav")
        with open(latin, "wb") as file:
            file.write(odd_files.wav(0.5))
        for command in (["new", self.path("latin.cask"), self.path("latin"), "--json"], ["check", self.path("latin.cask"), "--json"],
                        ["render", self.path("latin.cask"), "--out", self.path("latin out"), "--json"]):
            ran = run(self.cli, *command)
            behaves(self.report, ran, f"{command[0]} with a name that is no UTF-8")
            self.report.expect(ran.code == 0, f"{command[0]} with a name that is no UTF-8: {ran.code} {ran.err}")
            json.loads(ran.out)

    def kill_writers(self):
        kills.kill_at_every_call(self)

    def refusing_disks(self):
        kills.refuse_every_call(self)

    def kill_windows(self):
        if self.window:
            kills.kill_windows(self)

    def forgetful_disks(self):
        kills.forget_what_was_not_synced(self)


PARTS = ("odd_sounds", "mutated_sounds", "damaged_sessions", "odd_places", "full_disks", "small_disks", "writers", "kill_writers",
         "refusing_disks", "kill_windows", "forgetful_disks")


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--cli", required=True)
    parser.add_argument("--shim", required=True)
    parser.add_argument("--window", help="the program window_victim; without it no windows are killed")
    parser.add_argument("--long", action="store_true")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", choices=PARTS)
    parser.add_argument("--inside", action="store_true", help=argparse.SUPPRESS)
    options = parser.parse_args()
    options.cli, options.shim = os.path.abspath(options.cli), os.path.abspath(options.shim)
    failed = 0
    with tempfile.TemporaryDirectory(prefix="cask-attack-") as folder:
        for part in [options.only] if options.only else PARTS:
            report = Report()
            begun = time.monotonic()
            getattr(Attack(options, report, folder), part)()
            print(f"{part}: {report.runs} runs, {len(report.failures)} failures, {time.monotonic() - begun:.0f} s", flush=True)
            failed += len(report.failures)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
