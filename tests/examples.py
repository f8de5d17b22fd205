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


def main():
    build, folder = sys.argv[1:3]
    failed = 0
    with tempfile.TemporaryDirectory() as root:
        subprocess.run(["meson", "install", "-C", build, "--no-rebuild", "--quiet", "--destdir", root], check=True,
                       stdout=subprocess.DEVNULL)
        (package,) = glob.glob(root + "/**/lurk.pc", recursive=True)
        environment = {**os.environ, "PKG_CONFIG_PATH": os.path.dirname(package), "PKG_CONFIG_SYSROOT_DIR": root}
        flags = subprocess.run(["pkg-config", "--cflags", "--libs", "lurk"], check=True, text=True, env=environment,
                               stdout=subprocess.PIPE).stdout.split()
        library = os.path.dirname(os.path.dirname(package))
        sources = sorted(glob.glob(folder + "/*.c"))
        for source in sources:
            wanted = "".join(line + "\n" for line in re.findall(r"^ \* (?!\$)(.*)$", open(source).read().split("$ ./", 1)[1].split("*/")[0], re.M))
            program = os.path.join(root, "program")
            subprocess.run(["cc", "-std=c11", "-Wall", "-Wextra", "-Wpedantic", "-Werror", source, *flags, "-o", program], check=True)
            done = subprocess.run([program], text=True, stdout=subprocess.PIPE, env={**os.environ, "LD_LIBRARY_PATH": library})
            if done.returncode or done.stdout != wanted:
                failed += 1
                print(f"{source}: status {done.returncode}\n{done.stdout}wanted:\n{wanted}")
        print(f"{len(sources) - failed} examples as they say, {failed} not")
    return failed or shown_wrongly(folder, sources) or len(sources) < 5


sys.exit(main())
