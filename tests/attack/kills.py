"""Kills each writing command at every call that changes the disk, and plays disks that forget what was not synced."""
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


def kill_at_every_call(attack):
    """Idle kills do not count: each hits just before a write, sync, rename, unlink or new file."""
    report = attack.report
    wanted = attack.times(60, 1000)
    session, sources = start(attack)
    for which in range(len(commands(attack, session, sources))):
        session, sources = start(attack)
        name, arguments, root = commands(attack, session, sources)[which]
        calls, _ = count_calls(attack, arguments, root)
        every = list(range(1, len(calls) + 1))
        # The small commands are hit at each call again and again; the long ones at calls spread over all.
        places = (every * (wanted // max(1, len(every)) + 1))[:wanted] if len(every) <= wanted else sorted(
            attack.rng.sample(every, wanted))
        # The state before is made once and copied: making it is the slow part.
        session, sources = start(attack)
        keep = attack.path("kept state")
        shutil.rmtree(keep, ignore_errors=True)
        shutil.copytree(session, keep)
        before, content = state(session), sums(sources)
        for place in places:
            shutil.rmtree(session)
            shutil.copytree(keep, session)
            for left in ("killed new.cask", "killed out"):
                shutil.rmtree(attack.path(left), ignore_errors=True)
            what = f"{name} killed at call {place} of {len(calls)}"
            ran = run(attack.cli, *arguments,
                      env={"LD_PRELOAD": attack.shim, "CASK_FAULT_ROOT": root, "CASK_FAULT_KILL_AT": str(place)})
            report.runs += 1
            report.expect(ran.code in (-9, 0), f"{what}: {ran.code} {ran.err}")
            try:
                now = state(session)
                made = state(attack.path("killed new.cask"))
            except ValueError as error:
                report.expect(False, f"{what}: a session is broken: {error}")
                continue
            level = next(e for e in now["elements"] if e["name"] == "Kick")["output"]["level_db"]
            report.expect(now == before or level == {"set": -7, "restore": 0}.get(name, -2), f"{what}: a state in between")
            report.expect(made is None or len(made["elements"]) == 2, f"{what}: half a new session")
            report.expect(sums(sources) == content, f"{what}: a source was changed")
            check_delivery(report, attack.path("killed out"), what)
            # The next one works, and clears away what was left.
            after = run(attack.cli, *(arguments + ["--overwrite"] if name in ("render", "hits") else arguments))
            behaves(report, after, f"{what}, again")
            expected = (0, 1) if name == "new" and made is not None else (0,)
            report.expect(after.code in expected, f"{what}, again: {after.code} {after.err}")
            left = [os.path.join(p, f) for p, _, files in os.walk(root) for f in files
                    if f.endswith(".part") and os.sep + "cache" not in p]
            report.expect(not left, f"{what}: {left} stays")
        print(f"  {name}: {len(places)} kills over {len(calls)} calls", flush=True)


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
