#!/usr/bin/env python3
"""The rooms of the source and what may stand in them: rooms.py BUILD

Includes and calls go downwards only, no files of a room call each other in a circle, and no file is long unless it is
listed here with what it holds. Who calls whom is read from the objects of the build.
"""
import collections
import glob
import os
import re
import subprocess
import sys

# From the bottom: each may use what stands before it.
ORDER = ["core", "text", "form", "layout", "profile", "port", "picture", "service", "agent", "work", "tell", "terminal", "cli"]
LONGEST = 600
LONG = {
    "src/core/check.c": "the sources of keys, and the judging of rules by them",
    "src/port/linux/linux.c": "grouping nodes to keyboards, waiting, and the port's calls",
    "src/port/sim/sim.c": "the wires, the computer's programs, storage, and the port's calls",
    "src/port/sim/computer.c": "a session on the desk, and the lines of a script",
    "src/profile/profile.c": "reading, and writing an image",
    "src/profile/edit.c": "edits of any YAML that a person may have written",
    "src/picture/face.c": "what stands on each cap",
    "src/service/control.c": "connections: places, lines in and out",
}
# Put before the C library's own: everybody's allocations end there.
EVERYWHERE = {"src/cli/memory.c"}


# Public headers stand in folders of their library: which room these are of.
PUBLIC = {"desk": "port", "linux": "port"}


def room(path):
    """Of a source, or of a header by the name that it is included by: include/lurk/*.h are the core's."""
    parts = path.removeprefix("src/").removeprefix("include/").split("/")
    if parts[0] != "lurk":
        return parts[0]
    return PUBLIC.get(parts[1], parts[1]) if len(parts) > 2 else "core"


def includes_go_down():
    for path in sorted(glob.glob("src/**/*.[ch]", recursive=True) + glob.glob("include/**/*.h", recursive=True)):
        for name in re.findall(r'^#include "([\w/]+\.h)"', open(path).read(), re.M):
            if ORDER.index(room(name)) > ORDER.index(room(path)):
                yield f"{path} includes {name}, which stands above {room(path)}"


def calls(build):
    """File to the files whose functions or data it uses."""
    defined, used = {}, collections.defaultdict(set)
    for source in sorted(glob.glob("src/**/*.c", recursive=True)):
        objects = glob.glob(f"{build}/*.p/{source.replace('/', '_')}.o")
        if not objects:
            continue
        for line in subprocess.run(["nm", "-P", objects[0]], capture_output=True, text=True, check=True).stdout.splitlines():
            name, kind = line.split()[:2]
            if kind == "U":
                used[source].add(name)
            elif kind.isupper():
                defined[name] = source
    return {source: {defined[name] for name in names if name in defined and defined[name] not in EVERYWHERE} - {source} for source, names in used.items()}


def calls_go_down(graph):
    for source, others in sorted(graph.items()):
        for other in sorted(others):
            if ORDER.index(room(other)) > ORDER.index(room(source)):
                yield f"{source} calls {other}, which stands above {room(source)}"


def no_circles(graph):
    """Tarjan's strongly connected components."""
    index, low, stack, found = {}, {}, [], []

    def visit(v):
        index[v] = low[v] = len(index)
        stack.append(v)
        for w in sorted(graph.get(v, ())):
            if w not in index:
                visit(w)
            if w in stack:
                low[v] = min(low[v], low[w])
        if low[v] == index[v]:
            part = [stack.pop()]
            while part[-1] != v:
                part.append(stack.pop())
            if len(part) > 1:
                found.append(sorted(part))

    for v in sorted(graph):
        if v not in index:
            visit(v)
    for part in found:
        yield "call each other in a circle: " + ", ".join(part)


def lengths():
    for path in sorted(glob.glob("src/**/*.[ch]", recursive=True)):
        count = len(open(path).read().splitlines())
        if count > LONGEST and path not in LONG:
            yield f"{path} has {count} lines; more than {LONGEST} need a reason"
    for path in LONG:
        if not os.path.exists(path) or len(open(path).read().splitlines()) <= LONGEST:
            yield f"{path} needs no reason any more"


def main():
    graph = calls(sys.argv[1])
    found = [*includes_go_down(), *calls_go_down(graph), *no_circles(graph), *lengths()]
    print("\n".join(found) or "the rooms are as they should be")
    return bool(found)


sys.exit(main())
