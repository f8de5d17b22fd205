"""Runs test programs on a real kernel: quick.py BUILD PROGRAM...

Debian's stock kernel, a small initramfs of busybox with the programs and what they link to, QEMU in
software emulation. What the programs print is shown; the status is theirs. The kernel is kept in
BUILD/vm under its package's name; where it cannot be fetched the status is 77.
"""
import glob
import os
import re
import shutil
import subprocess
import sys
import time

MODULES = ["evdev", "uinput", "uhid", "hid-generic"]
TIMEOUT_S = 240


def run(*command, **kw):
    return subprocess.run(command, check=True, text=True, stdout=subprocess.PIPE, **kw).stdout


def fetch_kernel(cache):
    depends = run("apt-cache", "depends", "linux-image-amd64")
    package = re.search(r"Depends: (linux-image-\S+)", depends).group(1)
    folder = os.path.join(cache, package)
    if not os.path.exists(os.path.join(folder, "done")):
        print(f"fetching {package}", flush=True)
        shutil.rmtree(folder, ignore_errors=True)
        os.makedirs(folder)
        subprocess.run(["apt-get", "-q", "download", package], cwd=folder, check=True, stdout=subprocess.DEVNULL,
                       stderr=subprocess.DEVNULL)
        subprocess.run(["dpkg-deb", "-x", *glob.glob(folder + "/*.deb"), folder], check=True)
        version = os.listdir(folder + "/lib/modules")[0]
        subprocess.run(["depmod", "-b", folder, version], check=True)
        open(os.path.join(folder, "done"), "w").close()
    return folder, os.listdir(folder + "/lib/modules")[0]


def copy_program(program, root):
    shutil.copy(program, root + "/bin/")
    for path in re.findall(r"(/\S+) \(0x", run("ldd", program)):
        # The loader where programs look for it, all others in one place.
        target = root + (os.path.dirname(path) if "ld-linux" in path else "/lib")
        os.makedirs(target, exist_ok=True)
        shutil.copy(path, target)


def make_initramfs(work, kernel, version, programs):
    root = os.path.join(work, "root")
    shutil.rmtree(root, ignore_errors=True)
    for folder in ["bin", "proc", "sys", "dev", "tmp"]:
        os.makedirs(os.path.join(root, folder))
    shutil.copy("/bin/busybox", root + "/bin/")
    lines = ["#!/bin/busybox sh", "/bin/busybox --install -s /bin", "mount -t proc none /proc", "mount -t sysfs none /sys",
             "mount -t devtmpfs none /dev", "mkdir -p /dev/input",
             "export LD_LIBRARY_PATH=/lib"]
    seen = []
    for module in MODULES:
        listed = run("modprobe", "-d", kernel, "-S", version, "--show-depends", module)
        for path in re.findall(r"insmod (\S+)", listed):
            if path not in seen:
                seen.append(path)
                shutil.copy(path, root + "/")
                lines.append("insmod /" + os.path.basename(path))
    for program in programs:
        copy_program(program, root)
        lines.append(f"/bin/{os.path.basename(program)} 2>&1; echo \"status of {os.path.basename(program)}: $?\"")
    lines += ["echo all done", "poweroff -f"]
    with open(root + "/init", "w") as file:
        file.write("\n".join(lines) + "\n")
    os.chmod(root + "/init", 0o755)
    archive = os.path.join(work, "initrd.gz")
    subprocess.run(f"find . | cpio -o -H newc --quiet | gzip -1 > '{archive}'", shell=True, cwd=root, check=True)
    return archive


def boot(kernel, version, archive, log):
    command = ["qemu-system-x86_64", "-accel", "tcg", "-m", "256", "-kernel", f"{kernel}/boot/vmlinuz-{version}", "-initrd", archive,
               "-append", "console=ttyS0 quiet panic=-1", "-nographic", "-no-reboot", "-monitor", "none"]
    with open(log, "w") as file:
        process = subprocess.Popen(command, stdout=file, stderr=subprocess.STDOUT, stdin=subprocess.DEVNULL)
        try:
            process.wait(TIMEOUT_S)
        except subprocess.TimeoutExpired:
            process.kill()
    return open(log, errors="replace").read().replace("\r", "")


def main():
    build, programs = sys.argv[1], sys.argv[2:]
    work = os.path.abspath(os.path.join(build, "vm"))
    os.makedirs(work, exist_ok=True)
    try:
        kernel, version = fetch_kernel(work)
    except (subprocess.CalledProcessError, AttributeError):
        print("skipped: the kernel's package cannot be fetched here")
        sys.exit(77)
    archive = make_initramfs(work, kernel, version, programs)
    print(f"booting {version}", flush=True)
    start = time.monotonic()
    told = boot(kernel, version, archive, os.path.join(work, "serial.log"))
    print("\n".join(line for line in told.splitlines() if re.match(r"\[[ =]|status of|.*(ERROR|LINE)", line)))
    print(f"the machine ran {time.monotonic() - start:.0f} s; its log is {work}/serial.log")
    statuses = re.findall(r"^status of \S+: (\d+)", told, re.M)
    if len(statuses) != len(programs) or any(status != "0" for status in statuses):
        sys.exit(1)


main()
