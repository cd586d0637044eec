"""Kills each writing command at every call that changes the disk, and plays disks that forget what was not synced."""
import errno
import json
import os
import shutil
import subprocess
import threading
import time

from runs import behaves, run, sums


def commands(attack, session, sources):
    """Every writing command: (name, arguments, what it writes)."""
    return [
        ("set", ["set", session, "Kick/level_db", "-7"], session),
        ("new", ["new", attack.path("killed new.cask"), sources], attack.path("killed new.cask")),
        ("render", ["render", session, "--out", attack.path("killed out"), "--stems", "elements", "--mix"],
         attack.path("killed out")),
        ("hits", ["hits", session, "--out", attack.path("killed out"), "--cues"], attack.path("killed out")),
        ("restore", ["restore", session, "000001.json"], session),
        ("relink", ["relink", session, "Kick.wav"], session),
    ]


def state(folder):
    """The saved session, or None; anything that is no whole JSON raises."""
    path = os.path.join(folder, "session.json")
    if not os.path.exists(path):
        return None
    with open(path, encoding="utf-8") as file:
        return json.load(file)


def start(attack):
    session, sources = attack.kit("killed")
    for level in ("-1", "-2"):
        run(attack.cli, "set", session, "Kick/level_db", level)
    for name in ("killed new.cask", "killed out"):
        shutil.rmtree(attack.path(name), ignore_errors=True)
    return session, sources


def count_calls(attack, arguments, root):
    log = attack.fresh("calls")
    run(attack.cli, *arguments, env={"LD_PRELOAD": attack.shim, "CASK_FAULT_ROOT": root, "CASK_FAULT_LOG": log})
    with open(os.path.join(log, "log"), encoding="utf-8", errors="surrogateescape") as file:
        return [line.rstrip("\n").split("\t") for line in file], log


def check_delivery(report, folder, what):
    """A manifest vouches only for what is there in full."""
    for name in os.listdir(folder) if os.path.isdir(folder) else []:
        if name.endswith(" - delivery.json"):
            with open(os.path.join(folder, name), encoding="utf-8") as file:
                manifest = json.load(file)
            content = sums(folder)
            for entry in manifest["files"]:
                report.expect(content.get(os.path.join(folder, entry["file"])) == entry["sha256"],
                              f"{what}: the manifest names {entry['file']}, which is not whole")


class Target:
    """One writing command, and the state that it starts from each time."""

    def __init__(self, attack, which):
        self.attack, self.report = attack, attack.report
        self.session, sources = start(attack)
        self.name, self.arguments, self.root = commands(attack, self.session, sources)[which]
        self.calls, _ = count_calls(attack, self.arguments, self.root)
        self.session, self.sources = start(attack)
        # The state before is made once and copied: making it is the slow part.
        self.keep = attack.path("kept state")
        shutil.rmtree(self.keep, ignore_errors=True)
        shutil.copytree(self.session, self.keep)
        self.before, self.content = state(self.session), sums(self.sources)

    def places(self, wanted):
        """The small commands are hit at each call again and again; the long ones at calls spread over all."""
        every = list(range(1, len(self.calls) + 1))
        if self.attack.long:  # each call at least twenty times
            wanted = max(wanted, 20 * len(every))
        return (every * (wanted // max(1, len(every)) + 1))[:wanted] if len(every) <= wanted else sorted(
            self.attack.rng.sample(every, wanted))

    def run(self, **fault):
        shutil.rmtree(self.session)
        shutil.copytree(self.keep, self.session)
        for left in ("killed new.cask", "killed out"):
            shutil.rmtree(self.attack.path(left), ignore_errors=True)
        names = {f"CASK_FAULT_{name.upper()}": str(value) for name, value in fault.items()}
        return run(self.attack.cli, *self.arguments,
                   env={"LD_PRELOAD": self.attack.shim, "CASK_FAULT_ROOT": self.root, **names})

    def is_sound(self, what):
        """The state is the old or the new one, sources are as they were; returns whether it is the new one."""
        report, made = self.report, None
        try:
            now = state(self.session)
            made = state(self.attack.path("killed new.cask"))
        except ValueError as error:
            report.expect(False, f"{what}: a session is broken: {error}")
            return False
        level = next(e for e in now["elements"] if e["name"] == "Kick")["output"]["level_db"]
        wanted = {"set": -7, "restore": 0}.get(self.name, -2)
        report.expect(now == self.before or level == wanted, f"{what}: a state in between")
        report.expect(made is None or len(made["elements"]) == 2, f"{what}: half a new session")
        report.expect(sums(self.sources) == self.content, f"{what}: a source was changed")
        check_delivery(report, self.attack.path("killed out"), what)
        if self.name in ("set", "restore"):
            return level == wanted
        return made is not None if self.name == "new" else os.path.isdir(self.attack.path("killed out"))

    def works_again(self, what, was_made):
        """The next command works, and clears away what was left."""
        again = self.arguments + ["--overwrite"] if self.name in ("render", "hits") else self.arguments
        after = run(self.attack.cli, *again)
        behaves(self.report, after, f"{what}, again")
        expected = (0, 1) if self.name == "new" and was_made else (0,)
        self.report.expect(after.code in expected, f"{what}, again: {after.code} {after.err}")
        left = parts_in(self.root)
        self.report.expect(not left, f"{what}: {left} stays")


def parts_in(root):
    return [os.path.join(p, f) for p, _, files in os.walk(root) for f in files
            if f.endswith(".part") and os.sep + "cache" not in p]


def kill_at_every_call(attack):
    """Idle kills do not count: each hits just before a write, sync, rename, unlink or new file."""
    for which in range(6):
        target = Target(attack, which)
        places = target.places(attack.times(60, 1000))
        for place in places:
            what = f"{target.name} killed at call {place} of {len(target.calls)}"
            ran = target.run(kill_at=place)
            attack.report.runs += 1
            attack.report.expect(ran.code in (-9, 0), f"{what}: {ran.code} {ran.err}")
            target.works_again(what, target.is_sound(what))
        print(f"  {target.name}: {len(places)} kills over {len(target.calls)} calls", flush=True)


def refuse_every_call(attack):
    """From one call on the disk is full, the quota used up, or the disk broken: said, and nothing is lost or left."""
    reasons = {errno.ENOSPC: "the disk is full", errno.EDQUOT: "the disk quota is used up", errno.EIO: "the disk reports an error"}
    for which in range(6):
        target = Target(attack, which)
        places = target.places(attack.times(40, 600))
        for n, place in enumerate(places):
            number = list(reasons)[(n + n // len(target.calls)) % len(reasons)]
            what = f"{target.name} with {reasons[number]} from call {place} ({target.calls[place - 1][1]}) of {len(target.calls)}"
            ran = target.run(fail_at=place, errno=number)
            behaves(attack.report, ran, what)
            is_new = target.is_sound(what)
            if ran.code == 0:
                attack.report.expect(is_new or target.name == "relink", f"{what}: ended well, but nothing is there")
            else:
                attack.report.expect(reasons[number] in ran.err, f"{what}: says {ran.err[-300:]!r}")
                attack.report.expect(not parts_in(target.root), f"{what}: {parts_in(target.root)} is left")
            target.works_again(what, is_new)
        print(f"  {target.name}: refused {len(places)} times over {len(target.calls)} calls", flush=True)


def kill_windows(attack):
    """A window that is edited by keys every 0.1 to 1.5 s is killed at any time: the last 2 s of edits may be lost."""
    report = attack.report
    worst = 0.0
    # A loaded machine writes later: what the promise is held to is what the program decides on.
    slack_s = 0.5
    for n in range(attack.times(6, 200)):
        session, _ = attack.kit("window")
        victim = subprocess.Popen([attack.window, session, str(n)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
                                  env={**os.environ, "HOME": attack.folder, "XDG_DATA_HOME": attack.path("data"),
                                       "XDG_CONFIG_HOME": attack.path("config")})
        edits = []

        def listen():
            for line in victim.stdout:
                edits.append((time.monotonic(), float(line.split()[1])))

        listener = threading.Thread(target=listen)
        listener.start()
        while not edits and victim.poll() is None:
            time.sleep(0.01)
        time.sleep(attack.rng.uniform(0.2, 7))
        killed = time.monotonic()
        victim.kill()
        victim.wait()
        listener.join()
        report.runs += 1
        found = []
        for name in ("autosave.json", "session.json"):
            path = os.path.join(session, name)
            if os.path.exists(path):
                with open(path, encoding="utf-8") as file:
                    found.append(json.load(file)["elements"][0]["output"]["level_db"])
        values = [value for _, value in edits]
        # The last edit that is safe; before the first one the session is as it was.
        safe = max((i for i, value in enumerate(values) if abs(value - found[0]) < 1e-6), default=-1)
        lost = [at for at, _ in edits[safe + 1:]]
        age = killed - lost[0] if lost else 0.0
        worst = max(worst, age)
        report.expect(age <= 2 + slack_s, f"window {n}: an edit made {age:.2f} s before the kill is lost")
    print(f"  the oldest edit that was lost was made {worst:.2f} s before its kill", flush=True)


class Disk:
    """Files and folders as they are, and as they would be after a power cut: only what was synced is sure."""

    def __init__(self):
        self.content = {}       # by file number, as written
        self.synced = {}        # by file number, as forced to the disk
        self.names = {}         # path -> file number, as seen
        self.sure_names = {}    # path -> file number, as forced to the disk with its folder
        self.next = 0

    def play(self, call, log):
        number, what, path, other, offset, _ = call
        if what == "create":
            self.names[path] = self.next
            self.content[self.next] = b""
            self.next += 1
        elif what == "write" and path in self.names:
            with open(os.path.join(log, f"data-{number}"), "rb") as file:
                data = file.read()
            file = self.names[path]
            old = self.content[file].ljust(int(offset), b"\0")
            self.content[file] = old[:int(offset)] + data + old[int(offset) + len(data):]
        elif what == "sync":
            if path in self.names:
                self.synced[self.names[path]] = self.content[self.names[path]]
            else:  # a folder: its entries are sure now
                for known in [p for p in self.sure_names if os.path.dirname(p) == path and p not in self.names]:
                    del self.sure_names[known]
                for known, file in self.names.items():
                    if os.path.dirname(known) == path:
                        self.sure_names[known] = file
        elif what == "rename" and path in self.names:
            self.names[other] = self.names.pop(path)
        elif what == "unlink":
            self.names.pop(path, None)

    def after_power_cut(self, with_new_names):
        """The worst of two disks: one forgets names that were not synced, one keeps them and forgets what is in them."""
        names = self.names if with_new_names else self.sure_names
        return {path: self.synced.get(file, b"") for path, file in names.items()}


def forget_what_was_not_synced(attack):
    report = attack.report
    session, sources = start(attack)
    for which in range(len(commands(attack, session, sources))):
        session, sources = start(attack)
        name, arguments, root = commands(attack, session, sources)[which]
        target = attack.path("killed new.cask") if name == "new" else session
        text_path = os.path.join(target, "session.json")
        before = open(text_path, "rb").read() if os.path.exists(text_path) else None
        disk = Disk()
        for path, _, files in os.walk(root):  # what was there is safely there
            for file in files:
                full = os.path.join(path, file)
                with open(full, "rb") as opened:
                    disk.content[disk.next] = disk.synced[disk.next] = opened.read()
                disk.names[full] = disk.sure_names[full] = disk.next
                disk.next += 1
        calls, log = count_calls(attack, arguments, root)
        after = open(text_path, "rb").read()
        for call in calls + [None]:  # a power cut before each call, and after the last
            for with_new_names in (False, True):
                there = disk.after_power_cut(with_new_names)
                what = f"{name}, power cut before call {call[0] if call else 'none: it had ended'}"
                report.runs += 1
                found = there.get(text_path)
                if root != target:
                    pass  # this command leaves the session alone
                elif call is None:
                    report.expect(found == after, f"{what}: what was said to be done is gone")
                else:
                    report.expect(found in (before, after), f"{what}: session.json is neither old nor new: {str(found)[:60]}")
                manifests = [path for path in there if path.endswith(" - delivery.json") and os.path.dirname(path) == root]
                for path in manifests:
                    try:
                        manifest = json.loads(there[path])
                    except ValueError:
                        report.expect(False, f"{what}: the manifest is broken")
                        continue
                    for entry in manifest["files"]:
                        size = len(there.get(os.path.join(root, entry["file"]), b""))
                        report.expect(size == entry["bytes"], f"{what}: the manifest vouches for {entry['file']}: {size}")
                if call is None and name == "render":
                    report.expect(len(manifests) == 1, f"{what}: the delivery is gone")
            if call:
                disk.play(call, log)
        print(f"  {name}: {len(calls)} calls", flush=True)
