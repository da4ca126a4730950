#!/usr/bin/env python3
"""Puts small faults into the program, one at a time, and says which of them the tests did not find.

    mutate.py core|window [N] [--seed S] [--only PATH-PART]
    mutate.py core|window --unreached [--only PATH-PART]     the lines that no test seems to run

Works on a copy of the sources under build/mutate, so the working tree is never touched. A fault that does not compile,
or that leaves the compiled code as it was, is not counted; nor is one that changes nothing for a user (harmless.txt).
Numbers in the window are mostly pixels that nobody's test should insist on: they are left alone. A test run that crashes or
takes much longer than usual has found the fault, and so has a test that fails and fails again when it is run alone: what is
disturbed by its neighbours has found nothing.

The tests are run once as they are, and which lines each of them runs is written down (reached.cpp, reached.py). A fault is
put to those that run its place; of the core, whose whole run takes about a minute, then to all: what several tests
share, like a decoded capture, is written down for the first of them only. Where no test seems to go, all are run: what an
exception would do on its way is said to be of the line that throws, and hides the line itself.
"""
import argparse
import hashlib
import os
import pathlib
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time

from reached import Reached

HERE = pathlib.Path(__file__).resolve().parent
ROOT = HERE.parent.parent
PLACE = ROOT / "build" / "mutate"
PARTS = {
    "core": {"sources": ["src/core", "src/live"], "tests": ["core", "cli", "live"], "then_all": True},
    "window": {"sources": ["src/ui"], "tests": ["ui"], "then_all": False},
}

# What is replaced by what. Each is tried at every place where it fits; the places are drawn by lot.
SWAPS = [
    (r" < ", " <= "), (r" <= ", " < "), (r" > ", " >= "), (r" >= ", " > "), (r" == ", " != "), (r" != ", " == "),
    (r" && ", " || "), (r" \|\| ", " && "), (r" \+ ", " - "), (r" - ", " + "), (r"\btrue\b", "false"),
    (r"\bfalse\b", "true"), (r"\+\+", "--"), (r"std::min\b", "std::max"), (r"std::max\b", "std::min"),
    (r"(?<![\w.\"'])([2-9]|[1-9]\d+)(?![\w.\"'])", lambda m: str(int(m[1]) + 1)), (r" \+= ", " -= "),
    (r"\bif \((?!const |auto |Q|std::)(.*)\)$", lambda m: f"if (!({m[1]}))"),
    (r"^(\s+)([A-Za-z_][\w.>:\-]*\(.*\);)$", lambda m: f"{m[1]};"),  # a call is left out
    (r"^(\s+)(m_\w+ = .*;)$", lambda m: f"{m[1]};"),  # a member is not set
]


def candidates(part):
    """(path, line number, text of the line with the fault) of every fault that can be put in."""
    found = []
    swaps = [s for s in SWAPS if part != "window" or "[2-9]" not in s[0]]
    for folder in PARTS[part]["sources"]:
        for path in sorted((ROOT / folder).rglob("*")):
            if path.suffix != ".cpp" and not path.name.endswith("_machine.h"):
                continue
            for number, line in enumerate(path.read_text().splitlines()):
                code = re.sub(r"//.*", "", line)
                if re.match(r"\s*(#|static_assert|assert|namespace|using|template|/?\*)", code) or not code.strip():
                    continue
                bare = re.sub(r'"(?:[^"\\]|\\.)*"', lambda m: '"' + "_" * (len(m[0]) - 2) + '"', code)
                for pattern, swap in swaps:
                    for match in re.finditer(pattern, bare):
                        changed = match.expand(swap) if isinstance(swap, str) else None
                        if changed is None:
                            real = re.match(pattern, code) if pattern.startswith("^") else re.search(pattern, code[match.start():])
                            if real is None:
                                continue
                            changed = swap(real)
                        text = code[: match.start()] + changed + code[match.end():]
                        if text != code:
                            found.append((path.relative_to(ROOT), number, text))
    return found


def harmless():
    """Why a fault changes nothing, by (path, line before, line, line with the fault): see harmless.txt."""
    known = {}
    for block in (HERE / "harmless.txt").read_text().split("\n\n")[1:]:
        path, before, was, text, why = (line.strip() for line in block.strip().splitlines())
        known[path, before, was.removeprefix("- "), text.removeprefix("+ ")] = why
    return known


def start(command, output=subprocess.DEVNULL, **more):
    return subprocess.Popen(command, stdout=output, stderr=subprocess.DEVNULL, start_new_session=True, **more)


def stop(process):
    if process.poll() is None:
        os.killpg(process.pid, 9)
        process.wait()


def all_pass(commands, limit, environments):
    """Runs them side by side, and no longer than until the first fails.
    (whether all passed, seconds, the command that failed, the tests that it named)"""
    begin = time.monotonic()
    said = [tempfile.TemporaryFile("w+", errors="replace") for _ in commands]
    running = [start(c, output=o, env=e) for c, o, e in zip(commands, said, environments)]
    good = True
    while good and any(p.poll() is None for p in running):
        time.sleep(0.1)
        good = all(p.poll() in (None, 0) for p in running) and time.monotonic() - begin < limit
    good = good and all(p.poll() == 0 for p in running)
    culprit, named = None, []
    for command, process, output in zip(commands, running, said):
        if not good and process.poll() not in (None, 0) and culprit is None:
            output.seek(0)
            culprit, named = command, re.findall(r"^\[  FAILED  \] ([\w/]+\.[\w/]+)", output.read(), re.M)
        stop(process)
        output.close()
    return good, time.monotonic() - begin, culprit, sorted(set(named))


class Bench:
    def __init__(self, part):
        self.tests = PARTS[part]["tests"]
        self.then_all = PARTS[part]["then_all"]
        self.tree = PLACE
        self.build = self.tree / "build"
        self.environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", "GTEST_FAIL_FAST": "1", "GTEST_BRIEF": "1"}
        files = subprocess.run(["git", "ls-files", "--cached", "--others", "--exclude-standard"], cwd=ROOT, check=True,
                               capture_output=True, text=True).stdout.splitlines()
        for name in files:
            source, target = ROOT / name, self.tree / name
            if not source.is_file() or (target.exists() and target.read_bytes() == source.read_bytes()):
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(source, target)
        for old in self.tree.rglob("*"):
            if old.suffix in (".cpp", ".h") and self.build not in old.parents and str(old.relative_to(self.tree)) not in files:
                old.unlink()
        # Named by what it holds: so the programs are linked again where it has changed.
        hook = self.build / f"reached_{hashlib.sha256((HERE / 'reached.cpp').read_bytes()).hexdigest()[:8]}.o"
        hook.parent.mkdir(exist_ok=True)
        subprocess.run(["g++", "-std=c++20", "-O2", "-c", str(HERE / "reached.cpp"), "-o", str(hook)], check=True)
        subprocess.run(["cmake", "--preset", "dev", "-DBEXTO_BENCH=OFF", "-DBEXTO_SOURCES_AT_ONCE=OFF",
                        "-DCMAKE_CXX_FLAGS=-O1 -g1 -fsanitize-coverage=trace-pc",
                        f"-DCMAKE_EXE_LINKER_FLAGS={hook}", f"-DBEXTO_TEST_LISTENER={HERE / 'reached_by_test.cpp'}",
                        "-S", str(self.tree), "-B", str(self.build)], cwd=self.tree, check=True, stdout=subprocess.DEVNULL)
        if not self.make():
            sys.exit("mutate: the program does not build as it is")
        self.usual = 1e6
        self.alone = []  # tests that fail beside others and pass alone
        with tempfile.TemporaryDirectory() as folder:
            good, self.usual = self.test({"BEXTO_REACHED": folder})
            if not good:
                sys.exit(f"mutate: the tests fail as they are: {self.finder}")
            programs = [self.program(t) for t in self.tests] + ([self.build / "bin" / "bexto-cli"] if "cli" in self.tests else [])
            self.reached = Reached(self.tree, programs, pathlib.Path(folder))

    def program(self, test):
        return str(self.build / "bin" / f"bexto-{test}-tests")

    def make(self):
        targets = [f"bexto-{t}-tests" for t in self.tests] + (["bexto-cli"] if "cli" in self.tests else [])
        return start(["cmake", "--build", str(self.build), "--target", *targets]).wait() == 0

    def test(self, more={}):
        """All tests in shards: those of a window wait more than they work. Its walks first, which see the most.
        (whether they pass, seconds)"""
        cores = os.cpu_count() or 1
        spent = 0.0
        for chosen, shards in [("*Walk.*-", 2 * cores), ("-*Walk.*", 4 * cores)] if self.tests == ["ui"] else [("*-", 2 * cores)]:
            good, seconds = self.passes(chosen, shards, more)
            spent += seconds
            if not good:
                return False, spent
        for t in self.tests if self.alone else []:
            if not self.passes_alone(self.program(t), self.alone, more):
                self.finder = "one of " + " ".join(self.alone)
                return False, spent
        return True, spent

    def passes(self, chosen, shards, more={}, usual=()):
        """Whether the tests that a filter chooses pass, and in how many seconds. `usual`: how long each of them takes."""
        limit = max(60, sum(usual), 4 * max(usual)) if usual else max(60, 4 * self.usual)
        while True:
            commands, environments = [], []
            for t in self.tests:
                for i in range(shards):
                    commands.append([self.program(t), "--gtest_filter=" + ":".join([chosen, *self.alone])])
                    environments.append({**self.environment, **more, "GTEST_TOTAL_SHARDS": str(shards), "GTEST_SHARD_INDEX": str(i)})
            good, seconds, culprit, named = all_pass(commands, limit, environments)
            if good:
                return True, seconds
            # Where none was named, the program died or took too long. A walk that differs has been walked again.
            if not named or all("Walk." in name for name in named) or not self.passes_alone(culprit[0], named):
                self.finder = " ".join(named) or "(a crash, or too slow)"
                return False, seconds
            self.alone += named

    def passes_alone(self, program, tests, more={}):
        return all_pass([[program, "--gtest_filter=" + ":".join(tests)]], max(60, 4 * self.usual), [{**self.environment, **more}])[0]

    def fails(self, path, line):
        near = self.reached.of(path, line)
        for begin in range(0, len(near), 200):
            some = near[begin : begin + 200]
            usual = [self.reached.seconds[test] for test in some]
            if not self.passes(":".join(some) + ":-", 2 * (os.cpu_count() or 1), usual=usual)[0]:
                return True
        if self.then_all or not near:
            return not self.test()[0]
        alone = [test for test in self.alone if test in near]
        return bool(alone) and not all(self.passes_alone(self.program(t), alone) for t in self.tests)

    def code(self):
        """What the programs are, the note of their build aside."""
        sums = []
        for t in self.tests:
            bare = self.build / "bare"
            subprocess.run(["objcopy", "-S", "--remove-section=.note.gnu.build-id", self.program(t), str(bare)], check=True)
            sums.append(hashlib.sha256(bare.read_bytes()).hexdigest())
        return sums


def main():
    parser = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    parser.add_argument("part", choices=PARTS)
    parser.add_argument("count", nargs="?", type=int, default=20)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--unreached", action="store_true", help="name the lines that no test seems to run, and put in nothing")
    parser.add_argument("--only", default="", help="in files whose path holds this")
    options = parser.parse_args()
    faults = [f for f in candidates(options.part) if options.only in str(f[0])]
    random.Random(options.seed).shuffle(faults)
    bench = Bench(options.part)
    if options.unreached:
        for path, number in sorted({f[:2] for f in faults}):
            if not bench.reached.of(path, number + 1):
                print(f"{path}:{number + 1}: {(ROOT / path).read_text().splitlines()[number].strip()}")
        return 0
    whole = bench.code()
    print(f"{options.part}: {len(faults)} faults could be put in; the tests take {bench.usual:.0f} s", flush=True)
    known = harmless()
    found, missed, nothing = 0, [], 0
    for path, number, text in faults:
        if found + len(missed) + nothing >= options.count:
            break
        place = bench.tree / path
        before = place.read_text()
        lines = before.splitlines()
        why = known.get((str(path), lines[number - 1].strip(), lines[number].strip(), text.strip()))
        if why:
            nothing += 1
            print(f"  nothing {path}:{number + 1}: {text.strip()}    {why}", flush=True)
            continue
        was, lines[number] = lines[number], text
        place.write_text("\n".join(lines) + "\n")
        try:
            if not bench.make() or bench.code() == whole:
                continue
            if bench.fails(path, number + 1):
                found += 1
                print(f"  found   {path}:{number + 1}: {text.strip()}    by {bench.finder}", flush=True)
            else:
                missed.append((path, number, was, text))
                print(f"  MISSED  {path}:{number + 1}: {was.strip()}  ->  {text.strip()}", flush=True)
        finally:
            place.write_text(before)
    tried = found + len(missed)
    print(f"{found} of {tried} found" + (f" ({100 * found // tried} %)" if tried else "") +
          (f"; {nothing} more change nothing" if nothing else ""))
    for path, number, was, text in missed:
        print(f"not found: {path}:{number + 1}\n    {was.strip()}\n    {text.strip() or '(left out)'}")
    return 0 if not tried or found >= 0.9 * tried else 1


if __name__ == "__main__":
    sys.exit(main())
