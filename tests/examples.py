"""The examples, as someone builds them who has the library installed: examples.py BUILD EXAMPLES

The library is installed into a folder of its own; each example is built with what pkg-config says, and prints
what its first comment promises. What the docs show of them is what they are."""
import glob
import os
import re
import subprocess
import sys
import tempfile


def shown_wrongly(folder, sources):
    """How many pieces of C on a page of the docs are in no example."""
    wrong, shown = 0, 0
    examples = [open(source).read() for source in sources]
    for page in glob.glob(os.path.join(folder, "../docs/*.md")):
        for piece in re.findall(r"^```c\n(.*?)^```$", open(page).read(), re.M | re.S):
            shown += 1
            if not any(piece in example for example in examples):
                wrong += 1
                print(f"{page}: in no example:\n{piece}")
    return wrong + (shown == 0)


LIBRARIES = {"desk": "lurk-desk", "text": "lurk-desk", "form": "lurk-desk", "layout": "lurk-desk", "profile": "lurk-desk",
             "linux": "lurk-linux", "work": "lurk-work"}


def flags_of(environment, *words):
    return subprocess.run(["pkg-config", "--cflags", *words], check=True, text=True, env=environment, stdout=subprocess.PIPE).stdout.split()


def headers_stand_alone(root, environment):
    """Each public header by itself, for a C and for a C++ compiler."""
    failed = 0
    flags = flags_of(environment, "lurk-work", "lurk-linux")
    folder = os.path.join(root, glob.glob(root + "/**/include/lurk", recursive=True)[0], "..")
    for header in sorted(glob.glob(folder + "/lurk/**/*.h", recursive=True)):
        name = os.path.relpath(header, folder)
        for compiler in (["cc", "-std=c11"], ["c++", "-std=c++17"]):
            done = subprocess.run([*compiler, "-x", "c" if compiler[0] == "cc" else "c++", "-Wall", "-Wextra", "-Werror", "-fsyntax-only", *flags, "-"],
                                  input=f"#include <{name}>\nint main(void) {{ return 0; }}\n", text=True, stderr=subprocess.PIPE)
            if done.returncode:
                failed += 1
                print(f"{name} with {compiler[0]}:\n{done.stderr[:600]}")
    return failed


def main():
    build, folder = sys.argv[1:3]
    failed = 0
    with tempfile.TemporaryDirectory() as root:
        subprocess.run(["meson", "install", "-C", build, "--no-rebuild", "--quiet", "--destdir", root], check=True,
                       stdout=subprocess.DEVNULL)
        (package,) = glob.glob(root + "/**/lurk.pc", recursive=True)
        environment = {**os.environ, "PKG_CONFIG_PATH": os.path.dirname(package), "PKG_CONFIG_SYSROOT_DIR": root}
        library = os.path.dirname(os.path.dirname(package))
        failed += headers_stand_alone(root, environment)
        sources = sorted(glob.glob(folder + "/*.c"))
        for source in sources:
            text = open(source).read()
            used = {"lurk", *(LIBRARIES[room] for room in re.findall(r"#include <lurk/(\w+)/", text))}
            flags = flags_of(environment, "--libs", *sorted(used))
            promise = re.search(r"\$ (sudo )?\./.*", text)
            wanted = "".join(line + "\n" for line in re.findall(r"^ \* (.*)$", text[promise.end():].split("*/")[0], re.M))
            program = os.path.join(root, "program")
            subprocess.run(["cc", "-std=gnu11", "-Wall", "-Wextra", "-Wpedantic", "-Werror", source, *flags, "-o", program], check=True)
            if promise[1]:
                continue  # for a machine with keyboards: the virtual machine runs it
            done = subprocess.run([program], text=True, stdout=subprocess.PIPE, env={**os.environ, "LD_LIBRARY_PATH": library})
            if done.returncode or done.stdout != wanted:
                failed += 1
                print(f"{source}: status {done.returncode}\n{done.stdout}wanted:\n{wanted}")
        print(f"{len(sources) - failed} examples as they say, {failed} not")
    return failed or shown_wrongly(folder, sources) or len(sources) < 8


sys.exit(main())
