"""Runs the command line under limits, and says what must never happen."""
import hashlib
import os
import resource
import signal
import subprocess
import threading
import time

MOST_SECONDS = 60
MOST_MEMORY_KB = 1_000_000


class Report:
    def __init__(self):
        self.runs = 0
        self.failures = []

    def expect(self, condition, what):
        if not condition:
            self.failures.append(what)
            print("FAILED:", what[:600], flush=True)
        return condition


class Ran:
    def __init__(self, code, out, err, seconds, memory_kb):
        self.code, self.out, self.err, self.seconds, self.memory_kb = code, out, err, seconds, memory_kb


def run(program, *arguments, env=None, limits=None, stdout=None):
    """Starts a command and waits; its most memory is told by the system."""
    begun = time.monotonic()
    # Pipes: a limit on the size of files must not reach what the command says.
    process = subprocess.Popen([program, *arguments], stdout=stdout or subprocess.PIPE, stderr=subprocess.PIPE,
                               stdin=subprocess.DEVNULL, env={**os.environ, **(env or {})}, preexec_fn=limits)
    texts = {}

    def read(name, pipe):
        texts[name] = pipe.read().decode(errors="replace")
        pipe.close()

    readers = [threading.Thread(target=read, args=(name, pipe))
               for name, pipe in (("out", process.stdout), ("err", process.stderr)) if pipe]
    for reader in readers:
        reader.start()
    deadline = begun + MOST_SECONDS
    late = False
    while True:
        pid, status, usage = os.wait4(process.pid, os.WNOHANG)
        if pid:
            break
        if time.monotonic() > deadline and not late:
            late = True
            process.kill()
        time.sleep(0.002)
    process.returncode = 0  # it has been waited for
    for reader in readers:
        reader.join()
    code = "time" if late else os.waitstatus_to_exitcode(status)
    return Ran(code, texts.get("out", ""), texts.get("err", ""), time.monotonic() - begun, usage.ru_maxrss)


def behaves(report, ran, what):
    """No crash, no hang, no flood of memory; a problem is a sentence."""
    report.runs += 1
    ok = report.expect(ran.code in (0, 1, 2), f"{what}: ended with {ran.code}: {ran.err[-300:]}")
    ok &= report.expect(ran.memory_kb < MOST_MEMORY_KB, f"{what}: took {ran.memory_kb // 1024} MB")
    if ran.code == 1:
        ok &= report.expect(ran.err.strip() != "" or ran.out.strip() != "", f"{what}: failed without a word")
    for line in ran.err.splitlines():
        ok &= report.expect(not line.rstrip().endswith("..") and "should not happen" not in line, f"{what}: says {line!r}")
    return ok


def sums(folder):
    """The content of every file below a folder."""
    found = {}
    for path, _, names in os.walk(folder):
        for name in names:
            full = os.path.join(path, name)
            if os.path.isfile(full) and not os.path.islink(full):
                with open(full, "rb") as file:
                    found[full] = hashlib.sha256(file.read()).hexdigest()
    return found


def small_files(most_bytes):
    """Each file may grow to so many bytes: what a full disk and a quota do to a writer."""
    def limit():
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (most_bytes, most_bytes))
    return limit


def as_nobody():
    """Permissions mean something only to those who are not root."""
    if os.getuid() == 0:
        os.setgid(65534)
        os.setuid(65534)
