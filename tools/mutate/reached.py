"""Which tests run which lines of src: what reached.cpp wrote down, told by file and line."""
import array
import bisect
import collections
import pathlib
import subprocess
import sys


def all_places(program):
    """The addresses behind every call of __sanitizer_cov_trace_pc, as reached.cpp counts them."""
    symbols = subprocess.run(["nm", program], check=True, capture_output=True, text=True).stdout
    hook = next(int(line.split()[0], 16) for line in symbols.splitlines() if line.endswith(" __sanitizer_cov_trace_pc"))
    for line in subprocess.run(["readelf", "-SW", program], check=True, capture_output=True, text=True).stdout.splitlines():
        words = line.replace("[", " ").replace("]", " ").split()
        if len(words) > 5 and words[1] == ".text":
            base, begin, size = (int(word, 16) for word in words[3:6])
    code = pathlib.Path(program).read_bytes()[begin : begin + size]
    places, at = [], code.find(b"\xe8")
    while at >= 0:
        behind = base + at + 5
        if behind + int.from_bytes(code[at + 1 : at + 5], "little", signed=True) == hook:
            places.append(behind)
        at = code.find(b"\xe8", at + 1)
    return places


def lines_of(program, places, tree):
    """The (path below tree, line) of each address; None where it is not of src."""
    asked = "".join(f"{place - 1:#x}\n" for place in places)
    said = subprocess.run(["addr2line", "-e", program], input=asked, check=True, capture_output=True, text=True).stdout
    found, known = {}, {}
    for place, told in zip(places, said.splitlines()):
        if told not in known:
            path, _, line = told.partition(" ")[0].rpartition(":")
            inside = path.startswith(f"{tree}/src/") and line.isdigit() and line != "0"
            known[told] = (pathlib.Path(path).relative_to(tree), int(line)) if inside else None
        found[place] = known[told]
    return found


def written(folder):
    """(program, test, its seconds where they are said, addresses) of each record that reached.cpp wrote there."""
    for path in sorted(folder.iterdir()):
        data, at = path.read_bytes(), 0
        while at < len(data):
            end = data.index(b"\n", at)
            size = 4 * int.from_bytes(data[end + 1 : end + 5], sys.byteorder)
            places = data[end + 5 : end + 5 + size]
            if len(places) < size:  # killed meanwhile, or kept from writing: what a test does to bexto-cli
                break
            test, _, milliseconds = data[at:end].decode().partition(" ")
            yield path.name.rpartition(".")[0], test, int(milliseconds or 0) / 1000, array.array("I", places)
            at = end + 5 + size


class Reached:
    def __init__(self, tree, programs, folder):
        """Of the programs that were run with BEXTO_REACHED set to the folder, built from the sources in tree."""
        self.tests = collections.defaultdict(dict)  # path -> line -> names of the tests that run it, perhaps none
        self.cost = collections.Counter()  # test -> how many places it runs
        self.seconds = collections.Counter()  # of each test, beside all others
        told = {}
        for program in programs:
            told[pathlib.Path(program).name] = lines_of(program, all_places(program), tree)
        for line in {line for places in told.values() for line in places.values() if line}:
            self.tests[line[0]][line[1]] = set()
        for program, test, seconds, places in written(folder):
            self.cost[test] += len(places)
            self.seconds[test] += seconds
            for line in {told[program].get(place) for place in places} - {None} if program in told else ():
                self.tests[line[0]][line[1]].add(test)
        self.ordered = {path: sorted(lines) for path, lines in self.tests.items()}

    def of(self, path, line):
        """The tests that run the line, the one that runs least first. A line need not begin a block of code: so those of its
        neighbours above and below count too."""
        lines = self.ordered.get(path, [])
        above, below = bisect.bisect_right(lines, line), bisect.bisect_left(lines, line)
        near = {n for n in lines[max(0, above - 1) : above] + lines[below : below + 1] if abs(n - line) <= 6}
        return sorted(set().union(*(self.tests[path][n] for n in near)), key=lambda test: self.cost[test])
