"""The Linux port on a real kernel: quick.py BUILD

Debian's stock kernel, a small initramfs of busybox with the test programs and what they link to, QEMU in
software emulation. First the contract of all ports runs on keyboards made with uhid. Then keys of QEMU's
own USB and PS/2 keyboards are pressed from outside, by the kernel's real drivers, under rules that go
into force by table and by relay, and what programs get is compared. The kernel is kept in
BUILD/vm under its package's name; where it cannot be fetched the status is 77.
"""
import glob
import json
import os
import re
import shutil
import socket
import subprocess
import sys
import time

MODULES = ["evdev", "uinput", "uhid", "hid-generic", "usbhid", "xhci-pci"]
TIMEOUT_S = 240
USB, PS2 = "USB", "PS/2"

# Rules (with `crash`, whoever put them into force then dies), the keyboard pressed and its way, the
# presses from outside (QEMU's names), what programs get.
SCENES = [
    ("Alt<>Meta; Delete>nothing", USB, "table", "+alt -alt +delete -delete +meta_r -meta_r +a -a",
     "MetaLeft+ MetaLeft- AltRight+ AltRight- KeyA+ KeyA-"),
    # What a dead process left in the table is taken back by the next.
    ("KeyA<>KeyB; Tab>nothing crash", USB, "table", "+a -a +tab -tab", "KeyB+ KeyB-"),
    ("", USB, "plain", "+a -a +b -b +tab -tab +alt -alt", "KeyA+ KeyA- KeyB+ KeyB- Tab+ Tab- AltLeft+ AltLeft-"),
    # And a keyboard that it had taken is plain at once.
    ("CapsLock>Enter crash", USB, "relay", "+caps_lock -caps_lock", "Enter+ Enter-"),
    ("CapsLock>Enter; AudioVolumeMute>Space", USB, "relay", "+caps_lock +ret -caps_lock -ret +a -a",
     "Enter+ Enter- KeyA+ KeyA-"),
    # A lock that a rule gives: the console sets the light on the virtual node, the taken source shows it.
    ("CapsLock>Enter; F11>CapsLock", USB, "relay", "+f11 -f11", "CapsLock+ CapsLock- light:USB light:PS/2"),
    ("CapsLock<>Escape; set1:e053>Tab; Tab>nothing", PS2, "table", "+caps_lock -caps_lock +esc -esc +delete -delete +tab -tab",
     "Escape+ Escape- CapsLock+ CapsLock- Tab+ Tab- light:PS/2"),
    ("CapsLock>Enter", PS2, "relay", "+caps_lock +ret -ret -caps_lock +print -print +pause -pause",
     "Enter+ Enter- PrintScreen+ PrintScreen- Pause+ Pause-"),
]


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


def guest_words(rules):
    return f"'{rules[:-6]}' crash" if rules.endswith(" crash") else f"'{rules}'"


def make_initramfs(work, kernel, version, contract, guest):
    root = os.path.join(work, "root")
    shutil.rmtree(root, ignore_errors=True)
    for folder in ["bin", "proc", "sys", "dev", "tmp"]:
        os.makedirs(os.path.join(root, folder))
    shutil.copy("/bin/busybox", root + "/bin/")
    lines = ["#!/bin/busybox sh", "/bin/busybox --install -s /bin", "mount -t proc none /proc", "mount -t sysfs none /sys",
             "mount -t devtmpfs none /dev", "mkdir -p /dev/input", "export LD_LIBRARY_PATH=/lib"]
    seen = []
    for module in MODULES:
        listed = run("modprobe", "-d", kernel, "-S", version, "--show-depends", module)
        for path in re.findall(r"insmod (\S+)", listed):
            if path not in seen:
                seen.append(path)
                shutil.copy(path, root + "/")
                lines.append("insmod /" + os.path.basename(path))
    copy_program(contract, root)
    copy_program(guest, root)
    lines.append(f"/bin/{os.path.basename(contract)} 2>&1; echo \"status of the contract: $?\"; sleep 1")
    for number, scene in enumerate(SCENES):
        lines.append(f"echo scene {number}; /bin/{os.path.basename(guest)} {guest_words(scene[0])} 2>&1; echo end of scene {number}; sleep 1")
    lines += ["echo all done", "poweroff -f"]
    with open(root + "/init", "w") as file:
        file.write("\n".join(lines) + "\n")
    os.chmod(root + "/init", 0o755)
    archive = os.path.join(work, "initrd.gz")
    subprocess.run(f"find . | cpio -o -H newc --quiet | gzip -1 > '{archive}'", shell=True, cwd=root, check=True)
    return archive


class Machine:
    """A virtual machine, its serial line as a growing text, and a hand on its keyboards."""

    def __init__(self, kernel, version, archive, work):
        self.log = os.path.join(work, "serial.log")
        control = os.path.join(work, "qmp.sock")
        if os.path.exists(control):
            os.remove(control)
        command = ["qemu-system-x86_64", "-accel", "tcg", "-m", "256", "-kernel", f"{kernel}/boot/vmlinuz-{version}",
                   "-initrd", archive, "-append", "console=ttyS0 quiet panic=-1", "-nographic", "-no-reboot", "-monitor", "none",
                   "-qmp", f"unix:{control},server,nowait", "-device", "qemu-xhci,id=xhci", "-device", "usb-kbd,id=kbd0,bus=xhci.0"]
        self.start = time.monotonic()
        self.process = subprocess.Popen(command, stdout=open(self.log, "w"), stderr=subprocess.STDOUT, stdin=subprocess.DEVNULL)
        while not os.path.exists(control):
            time.sleep(0.1)
        self.qmp = socket.socket(socket.AF_UNIX)
        self.qmp.connect(control)
        self.lines = self.qmp.makefile("r")
        self.ask("qmp_capabilities")

    def ask(self, what, **arguments):
        self.qmp.sendall(json.dumps({"execute": what, "arguments": arguments}).encode())
        while True:
            answer = json.loads(self.lines.readline())
            if "error" in answer:
                raise RuntimeError(answer["error"])
            if "return" in answer:
                return

    def told(self):
        return open(self.log, errors="replace").read().replace("\r", "")

    def await_text(self, text):
        while text not in self.told():
            if self.process.poll() is not None or time.monotonic() - self.start > TIMEOUT_S:
                raise RuntimeError(f"`{text}` never came")
            time.sleep(0.2)

    def press(self, presses):
        for press in presses.split():
            key = {"down": press[0] == "+", "key": {"type": "qcode", "data": press[1:]}}
            self.ask("input-send-event", events=[{"type": "key", "data": key}])
            time.sleep(0.15)


def play(machine, number):
    """Returns whether programs got what they should."""
    rules, bus, way, presses, wanted = SCENES[number]
    machine.await_text(f"scene {number}\n")
    if bus == PS2 and (number == 0 or SCENES[number - 1][1] == USB):
        machine.ask("device_del", id="kbd0")  # what is pressed then goes to the PS/2 keyboard
    while "ready" not in machine.told().split(f"scene {number}\n")[1]:
        machine.await_text("ready")
        time.sleep(0.2)
    time.sleep(1)
    machine.press(presses + " +f12 -f12")
    machine.await_text(f"end of scene {number}")
    told = machine.told().split(f"scene {number}\n")[1]
    got = " ".join(key for key in re.findall(r"^got (\S+)", told, re.M) if not key.startswith("F12"))
    by_way = re.search(rf"^keyboard .*, {bus}, .*: {way}$", told, re.M)
    fine = got == wanted and by_way
    print(f"{'OK' if fine else 'FAILED'}: {rules}, {bus}, {way}: pressed {presses}, got {got}", flush=True)
    if not by_way:
        print("\n".join(re.findall(r"^keyboard .*", told, re.M)))
    return fine


def main():
    build = sys.argv[1]
    work = os.path.abspath(os.path.join(build, "vm"))
    os.makedirs(work, exist_ok=True)
    try:
        kernel, version = fetch_kernel(work)
    except (subprocess.CalledProcessError, AttributeError):
        print("skipped: the kernel's package cannot be fetched here")
        sys.exit(77)
    archive = make_initramfs(work, kernel, version, f"{build}/tests/test_contract_linux", f"{build}/tests/vm_guest")
    print(f"booting {version}", flush=True)
    machine = Machine(kernel, version, archive, work)
    try:
        machine.await_text("status of the contract: ")
        print("\n".join(line for line in machine.told().splitlines() if re.match(r"\[ +(OK|FAILED|ERROR|PASSED|LINE) ", line)))
        fine = "status of the contract: 0" in machine.told()
        for number in range(len(SCENES)):
            fine = play(machine, number) and fine
        machine.await_text("all done")
    finally:
        machine.process.kill()
        print(f"the machine ran {time.monotonic() - machine.start:.0f} s; its log is {machine.log}")
    sys.exit(0 if fine else 1)


main()
