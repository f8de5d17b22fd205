"""A virtual machine for the tests: QEMU in software emulation, its serial line as a growing text that can be
answered, and a hand on its keyboards."""
import codecs
import glob
import json
import os
import re
import shutil
import socket
import subprocess
import sys
import threading
import time


class Skipped(Exception):
    """What the test needs cannot be had here."""


def run(*command, **kw):
    return subprocess.run(command, check=True, text=True, stdout=subprocess.PIPE, **kw).stdout


def kernel_package():
    try:
        return re.search(r"Depends: (linux-image-\S+)", run("apt-cache", "depends", "linux-image-amd64")).group(1)
    except (subprocess.CalledProcessError, AttributeError):
        raise Skipped("the kernel's package is not known here")


def fetch_kernel(cache):
    """Unpacks the kernel that Debian's package of kernels names. Returns its folder and version."""
    package = kernel_package()
    folder = os.path.join(cache, package)
    if not os.path.exists(os.path.join(folder, "done")):
        print(f"fetching {package}", flush=True)
        shutil.rmtree(folder, ignore_errors=True)
        os.makedirs(folder)
        try:
            subprocess.run(["apt-get", "-q", "download", package], cwd=folder, check=True, stdout=subprocess.DEVNULL,
                           stderr=subprocess.DEVNULL)
        except subprocess.CalledProcessError:
            raise Skipped("the kernel's package cannot be fetched here")
        subprocess.run(["dpkg-deb", "-x", *glob.glob(folder + "/*.deb"), folder], check=True)
        version = os.listdir(folder + "/lib/modules")[0]
        subprocess.run(["depmod", "-b", folder, version], check=True)
        open(os.path.join(folder, "done"), "w").close()
    return folder, os.listdir(folder + "/lib/modules")[0]


def kernel_or_skip(cache):
    """As fetch_kernel(); where there is none the test is skipped."""
    try:
        return fetch_kernel(cache)
    except Skipped as why:
        print(f"skipped: {why}")
        sys.exit(77)


def copy_program(program, root):
    shutil.copy(program, root + "/bin/")
    for path in re.findall(r"(/\S+) \(0x", run("ldd", program)):
        # The loader where programs look for it, all others in one place.
        target = root + (os.path.dirname(path) if "ld-linux" in path else "/lib")
        os.makedirs(target, exist_ok=True)
        shutil.copy(path, target)


MODULES = ["evdev", "uinput", "uhid", "hid-generic", "usbhid", "xhci-pci"]


def make_initramfs(work, name, kernel, version, programs, commands, files, modules=MODULES):
    """A machine of busybox, these programs with what they link to, and these files; it runs the commands, and ends."""
    root = os.path.join(work, "root-" + name)
    shutil.rmtree(root, ignore_errors=True)
    for folder in ["bin", "proc", "sys", "dev", "tmp", "run", "etc", "root"]:
        os.makedirs(os.path.join(root, folder))
    shutil.copy("/bin/busybox", root + "/bin/")
    lines = ["#!/bin/busybox sh", "/bin/busybox --install -s /bin", "mount -t proc none /proc", "mount -t sysfs none /sys",
             "mount -t devtmpfs none /dev", "mkdir -p /dev/input", "export LD_LIBRARY_PATH=/lib"]
    seen = []
    for module in modules:
        listed = run("modprobe", "-d", kernel, "-S", version, "--show-depends", module)
        for path in re.findall(r"insmod (\S+)", listed):
            if path not in seen:
                seen.append(path)
                shutil.copy(path, root + "/")
                lines.append("insmod /" + os.path.basename(path))
    for program in programs:
        copy_program(program, root)
    for path, text in files.items():
        os.makedirs(os.path.dirname(f"{root}/{path}"), exist_ok=True)
        with open(f"{root}/{path}", "w") as file:
            file.write(text)
    with open(root + "/init", "w") as file:
        file.write("\n".join(lines + commands + ["echo all done", "poweroff -f"]) + "\n")
    os.chmod(root + "/init", 0o755)
    archive = os.path.join(work, name + ".gz")
    subprocess.run(f"find . | cpio -o -H newc --quiet | gzip -1 > '{archive}'", shell=True, cwd=root, check=True)
    return archive


class Stolen:
    """How much of its processors' time the host of this machine took away, from now on: where that is much, nothing happens when
    it should."""

    def __init__(self):
        self.before = self.read()

    @staticmethod
    def read():
        return [int(ticks) for ticks in open("/proc/stat").readline().split()[1:9]]

    def share(self):
        ticks = [now - then for now, then in zip(self.read(), self.before)]
        busy = sum(ticks) - ticks[3] - ticks[4]  # neither idle nor waiting
        return ticks[7] / busy if busy else 0.0


class Patience:
    """How long a machine is waited for: seconds of a processor's time that it had, so that one that is given little is waited for
    longer; and where it does nothing, several times as many on the clock."""

    IDLE = 6

    def __init__(self, process, seconds):
        self.process, self.seconds = process, seconds
        self.begin, self.used = time.monotonic(), self.processors()

    def processors(self):
        try:
            fields = open(f"/proc/{self.process.pid}/stat").read().rsplit(") ", 1)[1].split()
        except OSError:
            return 0.0
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    def over(self):
        waited = time.monotonic() - self.begin
        return self.process.poll() is not None or waited > self.IDLE * self.seconds or (
            waited > self.seconds and self.processors() - self.used > self.seconds)


class Machine:
    def __init__(self, name, work, kernel, initrd, words, *arguments, patience_s=240):
        self.log = os.path.join(work, name + ".log")
        self.patience_s = patience_s
        self.ends = control, line = [os.path.join(work, name + end) for end in [".qmp", ".serial"]]
        # A kernel that is given too little of a processor takes its timer for broken, and gives up, where it may look at it.
        # A processor that needs no other page tables for the kernel, as most of today: system calls then cost
        # what they do there, and not many times more. (With a clock that is no device, trusted by `tsc=reliable`, a machine takes
        # a fifth less; and a start of one stood still for ever.)
        self.command = ["qemu-system-x86_64", "-accel", "tcg", "-cpu", "EPYC", "-kernel", kernel, "-initrd", initrd, "-append",
                        "console=ttyS0 quiet no_timer_check mitigations=off " + words, "-nographic", "-monitor", "none",
                        "-nic", "none",
                        "-chardev", f"socket,id=serial,path={line},server=on,wait=off", "-serial", "chardev:serial",
                        "-qmp", f"unix:{control},server,nowait", "-device", "qemu-xhci,id=xhci",
                        "-device", "usb-kbd,id=kbd0,bus=xhci.0", *arguments]
        self.begin = time.monotonic()
        self.text = ""
        open(self.log, "w").close()
        self.start()

    def start(self):
        for path in self.ends:
            if os.path.exists(path):
                os.remove(path)
        self.process = subprocess.Popen(self.command, stdout=open(self.log + ".qemu", "w"), stderr=subprocess.STDOUT,
                                        stdin=subprocess.DEVNULL)
        self.qmp, self.serial = [self.connect(end) for end in self.ends]
        self.lines = self.qmp.makefile("r")
        threading.Thread(target=self.listen, args=[self.serial], daemon=True).start()
        self.ask("qmp_capabilities")

    def cut(self):
        """Its power is cut, and there again. QEMU's own reset takes three times as long to start from."""
        self.process.kill()
        self.process.wait()
        self.start()

    def connect(self, path):
        end = socket.socket(socket.AF_UNIX)
        while True:
            try:
                end.connect(path)
                return end
            except OSError:
                if self.process.poll() is not None:
                    raise RuntimeError(f"QEMU ended: {self.log}.qemu")
                time.sleep(0.05)

    def listen(self, serial):
        """The machine stops where nobody reads its serial line."""
        decoder = codecs.getincrementaldecoder("utf-8")("replace")
        with open(self.log, "a") as log:
            while True:
                try:
                    data = serial.recv(65536)
                except OSError:
                    return
                if not data:
                    return
                text = decoder.decode(data).replace("\r", "")
                self.text += text
                log.write(text)
                log.flush()

    def ask(self, what, **arguments):
        self.qmp.sendall(json.dumps({"execute": what, "arguments": arguments}).encode())
        while True:
            answer = json.loads(self.lines.readline())
            if "error" in answer:
                raise RuntimeError(answer["error"])
            if "return" in answer:
                return answer["return"]

    def patience(self, seconds=None):
        return Patience(self.process, seconds or self.patience_s)

    def await_text(self, text, since=0, patience_s=None):
        """Waits until the text has come after `since`; returns where it ends."""
        return self.await_any([text], since, patience_s)

    def await_line(self, text, since=0):
        """The same to the end of the line that it stands in."""
        return self.await_text("\n", self.await_text(text, since))

    def await_any(self, texts, since, patience_s=None):
        """The same for the first of several."""
        patience = self.patience(patience_s)
        while True:
            found = [since + self.text[since:].index(text) + len(text) for text in texts if text in self.text[since:]]
            if found:
                return min(found)
            if patience.over():
                last = "".join(f"\n| {line}" for line in self.text[-1500:].splitlines())
                raise RuntimeError(f"{' or '.join(f'`{text}`' for text in texts)} never came; the log is {self.log}:{last}")
            time.sleep(0.05)

    def press(self, presses, pause_s=0.15):
        """"+caps_lock -caps_lock", in QEMU's names; "a" is both."""
        for press in presses.split():
            for down in ["+", "-"] if press[0] not in "+-" else [press[0]]:
                key = {"down": down == "+", "key": {"type": "qcode", "data": press.lstrip("+-")}}
                self.ask("input-send-event", events=[{"type": "key", "data": key}])
                # Held shortly: a busy machine would make a repeat of it.
                time.sleep(min(pause_s, 0.04) if down == "+" else pause_s)

    def end(self):
        self.process.kill()
        self.process.wait()
        print(f"the machine ran {time.monotonic() - self.begin:.0f} s; its log is {self.log}", flush=True)
