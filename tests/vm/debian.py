"""A whole Debian for the tests: its disk, what is installed on it, and a machine whose serial line is root's shell."""
import glob
import hashlib
import os
import re
import shutil
import subprocess
import time

from machine import Machine, Skipped, kernel_package, make_initramfs

PACKAGES = ("systemd,systemd-sysv,udev,kmod,dbus,linux-image-amd64,kbd,libpam-systemd,libevdev2,libjansson4,libjson-c5,libxkbcommon0,"
            "libyaml-0-2,xkb-data,libinput-tools")
# A shell on the serial line; nothing that runs by itself, and nothing that gives up because the host is slow.
SETUP = r"""
mkdir -p etc/systemd/system/serial-getty@ttyS0.service.d
printf '[Service]\nExecStart=\nExecStart=-/sbin/agetty --autologin root --keep-baud 115200 ttyS0 vt102\n' \
    > etc/systemd/system/serial-getty@ttyS0.service.d/auto.conf
echo hide > etc/hostname
echo '/dev/vda / ext4 defaults 0 1' > etc/fstab
chroot . passwd -d root
chroot . useradd -m warden
chroot . useradd -m visitor
mkdir -p etc/systemd/system.conf.d
printf '[Manager]\nDefaultTimeoutStartSec=1h\nDefaultDeviceTimeoutSec=1h\n' > etc/systemd/system.conf.d/patient.conf
for unit in apt-daily.timer apt-daily-upgrade.timer e2scrub_all.timer e2scrub_reap.service fstrim.timer dpkg-db-backup.timer \
    systemd-networkd-wait-online.service systemd-binfmt.service proc-sys-fs-binfmt_misc.automount dev-hugepages.mount \
    dev-mqueue.mount sys-fs-fuse-connections.mount systemd-pstore.service modprobe@efi_pstore.service modprobe@fuse.service \
    modprobe@loop.service modprobe@dm_mod.service; do ln -sf /dev/null etc/systemd/system/$unit; done
"""
TYPED = "/run/typed"  # on no disk
# All that an initramfs has to do for such a disk.
MOUNT = ["mount -t ext4 /dev/vda /root", "for folder in dev proc sys; do mount -o move /$folder /root/$folder; done",
         "exec env -i switch_root /root /sbin/init"]
WHO = "journalctl -b -u lurkd --no-pager -o short-unix | grep seat0 | tail -n 1"




def build_disk(work, name="debian", packages="", setup="", size="1800M"):
    """Returns disk, kernel and initrd: of a Debian with what all have, and with more. Kept under a key of what went into it."""
    packages, setup = ",".join(filter(None, [PACKAGES, packages])), SETUP + setup
    key = hashlib.sha256((packages + setup + kernel_package() + str(MOUNT)).encode()).hexdigest()[:12]
    folder = os.path.join(work, f"{name}-{key}")
    if not os.path.exists(folder + "/done"):
        if os.geteuid():
            raise Skipped("a disk is built as root only")
        print(f"building the disk of {name}: some minutes", flush=True)
        for old in glob.glob(f"{work}/{name}-*"):
            shutil.rmtree(old)
        os.makedirs(folder)
        root, log = folder + "/root", open(folder + "/log", "w")
        sources = "".join(open(path).read() + "\n" for path in glob.glob("/etc/apt/sources.list.d/*.sources"))
        if os.path.exists("/etc/apt/sources.list"):
            sources += open("/etc/apt/sources.list").read()
        options = [f"--aptopt={path}" for path in glob.glob("/etc/apt/apt.conf.d/99*")]
        made = subprocess.run(["mmdebstrap", "--variant=apt", *options, "--include=" + packages, "bookworm", root, "-"],
                              input=sources, text=True, stdout=log, stderr=log)
        if made.returncode:
            raise Skipped(f"the Debian cannot be had here; the log is {folder}/log")
        subprocess.run(["sh", "-e", "-c", setup], cwd=root, check=True, stdout=log, stderr=log)
        shutil.copy(glob.glob(f"{root}/boot/vmlinuz-*")[0], f"{folder}/vmlinuz")
        make_initramfs(folder, "initrd", root, os.listdir(f"{root}/lib/modules")[0], [], MOUNT, {},
                       ["virtio_pci", "virtio_blk", "ext4", "crc32c_generic"])
        print("making the file system", flush=True)
        subprocess.run(["mkfs.ext4", "-q", "-d", root, folder + "/disk", size], check=True, stdout=log, stderr=log)
        shutil.rmtree(root)
        shutil.rmtree(folder + "/root-initrd")
        open(folder + "/done", "w").close()
    return folder + "/disk", folder + "/vmlinuz", folder + "/initrd.gz"


def build_payload(build, work, name, but=("-dev_", "-pictures_", "-agent_"), programs=("vm_probe",)):
    """The packages but some, the same again as a later version, and programs of the tests, as one archive."""
    folder = os.path.join(work, "payload-" + name)
    shutil.rmtree(folder, ignore_errors=True)
    os.makedirs(folder + "/now")
    os.makedirs(folder + "/later")
    for package in glob.glob(f"{build}/packages/*.deb"):
        if any(part in package for part in but):
            continue
        shutil.copy(package, folder + "/now/")
        root = folder + "/unpacked"
        subprocess.run(["dpkg-deb", "-R", package, root], check=True)
        control = open(root + "/DEBIAN/control").read()
        with open(root + "/DEBIAN/control", "w") as file:
            file.write(re.sub(r"^Version: (.*)$", r"Version: \1+later", control, flags=re.M))
        subprocess.run(["dpkg-deb", "--root-owner-group", "-b", root, folder + "/later/"], check=True, stdout=subprocess.DEVNULL)
        shutil.rmtree(root)
    for program in programs:
        shutil.copy(f"{build}/tests/{program}", folder)
    subprocess.run(["tar", "-cf", f"../payload-{name}.tar", "."], cwd=folder, check=True)
    return os.path.join(work, f"payload-{name}.tar")


class Debian(Machine):
    """A machine whose serial line is root's shell."""

    failed = 0
    checks = 0
    usb = ["kbd0"]  # what is plugged in

    def log_in(self):
        self.await_text("root@hide", self.seen, 900)
        self.serial.sendall(b"exec env PS1= PS2= TERM=dumb DEBIAN_FRONTEND=noninteractive sh\nstty -echo cols 500; systemctl is-system-running --wait >/dev/null; "
                            b"echo shell-''ready\n")
        self.seen = self.await_text("shell-ready\n", self.seen)

    seen = 0

    def cut(self):
        print("power cut", flush=True)
        self.seen = len(self.text)
        self.usb = Debian.usb
        super().cut()
        self.log_in()

    def sh(self, command, fine=True, patience_s=120):
        begin = len(self.text)
        self.serial.sendall(f"( {command} ) </dev/null\necho \"[status $?]\"\n".encode())
        end = self.await_text("[status ", begin, patience_s)
        end = self.await_text("]", end)
        told, status = re.match(r"(.*)\[status (\d+)\]$", self.text[begin:end], re.S).groups()
        if fine and status != "0":
            raise RuntimeError(f"status {status}, told {told.strip()[-600:]!r}: {command}")
        return told.strip()

    def check(self, what, fine, told=""):
        self.checks += 1
        self.failed += not fine
        print(f"{'OK' if fine else 'FAILED'}: {what}" + (f": {told}" if told else ""), flush=True)

    def has(self, command, wanted, what=None, fine=True):
        told = self.sh(command, fine)
        self.check(what or command, wanted in told, next((l for l in told.splitlines() if wanted in l), told[-600:]).strip())

    def again(self, attempt, wanted):
        """What an attempt gives, made anew where it differs in nothing but repeats: the kernel repeats a key while the
        host holds the machine up."""
        for _ in range(4):
            got = attempt()
            if got == wanted or not re.fullmatch("".join(re.escape(c) + "+" for c in wanted), got):
                break
            print(f"repeated: {got!r}", flush=True)
        return got

    def at_login_prompt(self, presses, wanted, when, console=1, prompt="login:"):
        """What stands behind a text console's prompt after the presses; taken back afterwards."""
        def shown():
            screen = self.sh(f"fold -w $(stty -F /dev/tty{console} size | cut -d' ' -f2) /dev/vcs{console}")
            return (re.findall(prompt + r" ?(\S*)", screen) or [screen[-200:]])[-1]

        def attempt():
            self.press(presses)
            self.wait_for(lambda: len(shown()) >= len(wanted))
            got = shown()
            self.press(" ".join(["backspace"] * max(len(wanted), min(len(got), 20))), 0.05)
            return got
        got = self.again(attempt, wanted)
        self.check(f"at the {prompt} prompt {when}: pressed {presses}, arrived {got}", got == wanted)

    def sits_down(self, name, console=1):
        """Somebody logs in at a text console, and is there."""
        self.sh(f"chvt {console}")
        self.until(f"cat /dev/vcs{console}", "login:")
        self.press(" ".join(name) + " ret", 0.08)
        self.until(f"loginctl show-user {name} -p State", "State=active")
        self.until(f"cat /dev/vcs{console}", "$")
        self.until(WHO, f"user {self.sh('id -u ' + name)},")

    def read_console(self):
        self.sh(f"systemctl stop getty@tty1; rm -f {TYPED}")
        self.sh(f"setsid sh -c 'exec </dev/tty1; stty raw -echo; exec cat >> {TYPED}' >/dev/null 2>&1 &")
        self.until(f"stty -F /dev/tty1 -a; ls {TYPED}", TYPED)

    def types(self, presses, wanted, when, repeated="(?!)"):
        """Presses give the wanted text; where that is said, with one of its keys repeated."""
        def attempt():
            self.sh(f": > {TYPED}")
            self.press(presses)
            read = f"tr -d '\\0' < {TYPED} | tr '\\r' '~'; echo"  # the serial line loses carriage returns
            self.wait_for(lambda: len(self.sh(read)) >= len(wanted))
            return self.sh(read)
        got = self.again(attempt, wanted)
        self.check(f"{when}: pressed {presses}, arrived {got!r}", got == wanted or re.fullmatch(repeated, got) is not None)

    def wait_for(self, fine, patience_s=15):
        patience = self.patience(patience_s)
        while not fine() and not patience.over():
            time.sleep(0.3)

    def until(self, command, wanted, patience_s=300):
        """Until that says so, and what it said: nothing that comes next has to hurry, or to be waited for longer."""
        told = []

        def said():
            told[:] = [self.sh(command, fine=False)]
            return wanted in told[0]
        self.wait_for(said, patience_s)
        return told[0]

    def runs(self, what, patience_s=90):
        """Whether the service runs, or does once systemd has started it again."""
        self.wait_for(lambda: self.sh("systemctl is-active lurkd", fine=False) == "active", patience_s)
        self.has("systemctl is-active lurkd", "active", what, fine=False)

    def promise(self, what, kept, told):
        """A figure that a busy host can spoil: said, and nothing fails for it."""
        print(f"{'kept' if kept else 'NOT KEPT here'}: {what}: {told}", flush=True)

    def service(self):
        return self.sh("systemctl show -p MainPID --value lurkd")
