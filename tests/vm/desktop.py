"""Lurk in desktops' sessions: desktop.py BUILD

A Debian with an X server and a window manager, and a Wayland compositor, each started by a person who logs in. Keys are
pressed from outside, and read in the session's terminal. desktop.py BUILD disk only makes the disk; desktop.py BUILD PART...
runs some parts.
"""
import os
import shutil
import sys

from debian import Debian, build_disk, build_payload
from machine import Skipped

PACKAGES = ("xserver-xorg-core,xserver-xorg-input-libinput,xinit,x11-xkb-utils,x11-xserver-utils,xterm,openbox,python3-xdg,sway,foot,"
            "fonts-dejavu-core,libxkbcommon-x11-0,libxcb-xkb1,libwayland-client0,libglib2.0-0,libxkbregistry0,libx11-data,"
            "dbus-user-session")
READ = "stty raw -echo; exec cat >> typed"
# Two people, whose layouts are not the computer's.
SETUP = r"""
for name in warden visitor; do chroot . passwd -d $name; done
printf 'XKBLAYOUT="gb"\nXKBMODEL="pc105"\n' > etc/default/keyboard
cat > home/warden/.xinitrc <<'X'
setxkbmap -layout us,de -variant ,nodeadkeys -option grp:alts_toggle
xset r rate 400 20
xterm -maximized -e sh -c 'READ-warden' &
exec openbox-session
X
mkdir -p home/visitor/.config/sway home/visitor/.config/systemd/user
cat > home/visitor/.config/sway/config <<'X'
input type:keyboard {
    xkb_layout us,de
    xkb_variant ,nodeadkeys
    xkb_options grp:alts_toggle
}
exec systemctl --user import-environment WAYLAND_DISPLAY SWAYSOCK && systemctl --user start sway-session.target
exec foot sh -c 'READ-visitor'
X
printf '[Unit]\nBindsTo=graphical-session.target\nWants=graphical-session-pre.target\nAfter=graphical-session-pre.target\n' \
    > home/visitor/.config/systemd/user/sway-session.target
chroot . chown -R warden home/warden
chroot . chown -R visitor home/visitor
"""
for person in ["warden", "visitor"]:
    SETUP = SETUP.replace("READ-" + person, READ.format(name=person))
SWITCH = "+alt +alt_r -alt_r -alt"  # to the next layout
NOW = "Texts follow the layout that is active: now "


class Desktop(Debian):
    def as_person(self, name, command, fine=True):
        """In the session of that person."""
        session = {"warden": "DISPLAY=:0", "visitor": "WAYLAND_DISPLAY=wayland-1 XDG_RUNTIME_DIR=/run/user/$(id -u)"}[name]
        return self.sh(f"su - {name} -c '{session} {command}' 2>&1", fine)

    def until_says(self, name, wanted, what):
        """Status does, to that person, once all is known."""
        told = []

        def said():
            told[:] = [self.as_person(name, "lurk status", fine=False)]
            return wanted in told[0]
        self.wait_for(said, 120)
        self.check(what, wanted in told[0], "" if wanted in told[0] else told[0])

    def begins(self, name, console, words, ready):
        """Logs in at a text console, and starts a desktop by these words."""
        self.sits_down(name, console)
        self.press(" ".join({"-": "minus"}.get(c, c) for c in words) + " ret", 0.08)
        self.wait_for(lambda: self.sh(f"pgrep -u {name} -x {ready}", fine=False) != "", 300)
        self.until(f"ls /home/{name}/typed; pgrep -u {name} lurk-agent", f"/home/{name}/typed")

    def gives(self, name, presses, wanted, when):
        def attempt():
            self.sh(f": > /home/{name}/typed")
            self.press(presses)
            read = f"tr '\\r' '~' < /home/{name}/typed; echo"
            self.wait_for(lambda: len(self.sh(read)) >= len(wanted))
            return self.sh(read)
        got = self.again(attempt, wanted)
        self.check(f"{when}: pressed {presses}, arrived {got!r}", got == wanted)

    def picture(self, name):
        """What the screen shows, for who looks; no test."""
        path = os.path.join(os.path.dirname(self.log), name + ".ppm")
        self.ask("screendump", filename=path)
        return path


def install(m):
    m.sh("mkdir -p /root/p && tar -xf /dev/vdb -C /root/p")
    m.has("apt-get install -y -o Dpkg::Use-Pty=0 /root/p/now/*.deb 2>&1", "Setting up lurk-agent", "apt installs the packages")
    m.has("systemctl is-active lurkd", "active", "the service runs")


TEXT = "a@b.c/x-y#"


def follows(m, name):
    """Texts come out right in whichever layout is active."""
    m.as_person(name, f'lurk map F9 --text "{TEXT}" && lurk map F10 --text ß && lurk swap KeyQ KeyW')
    told = m.as_person(name, "lurk apply")
    m.check("apply names what a layout lacks", "The layout us has no key for ß" in told, told)
    m.until_says(name, NOW + "us (English (US)), which has no keys for some", "status says how texts are typed")
    m.gives(name, "z f9 q", f"z{TEXT}w", "in the first layout")
    m.gives(name, "f10 z", "z", "what it lacks types nothing")
    m.press(SWITCH)
    m.until_says(name, NOW + "de:nodeadkeys (German (no dead keys)).", "switched by its keys")
    m.gives(name, "z f9 q", f"y{TEXT}w", "in the second")
    m.gives(name, "f10 z", "ßy", "what that has")
    m.press(SWITCH)
    m.until_says(name, NOW + "us", "switched back")
    m.gives(name, "z f9 q", f"z{TEXT}w", "and in the first again")


def x_session(m):
    m.begins("warden", 1, "startx", "openbox")
    m.picture("x-begun")
    follows(m, "warden")
    m.as_person("warden", "setxkbmap -layout us,fr -variant , ")
    m.press(SWITCH)
    m.until_says("warden", "which they were not made for", "a layout that the rules were not made for is said")
    m.gives("warden", "q f9 y", "zy", "nothing wrong is typed")
    m.as_person("warden", "lurk apply")
    m.gives("warden", "z f9", f"w{TEXT}", "applied anew: it is typed")
    m.picture("x-done")


def wayland_session(m):
    m.begins("visitor", 2, "sway", "sway")
    m.picture("wayland-begun")
    follows(m, "visitor")
    m.picture("wayland-done")


def between(m):
    """From one session to the other, and back: each has its own rules and its own layout."""
    m.sh("chvt 1")
    m.until_says("warden", NOW, "the agent there tells again")
    m.gives("warden", "z f9", f"w{TEXT}", "back in the first session")
    m.sh("chvt 2")
    m.until_says("visitor", NOW, "and so does the other")
    m.gives("visitor", "z f9", f"z{TEXT}", "back in the second")


PARTS = [x_session, wayland_session, between]


def main():
    build, only = sys.argv[1], sys.argv[2:]
    work = os.path.abspath(os.path.join(build, "vm"))
    os.makedirs(work, exist_ok=True)
    if not shutil.which("mmdebstrap"):
        print("skipped: no mmdebstrap")
        sys.exit(77)
    try:
        disk, kernel, initrd = build_disk(work, "desktop", PACKAGES, SETUP, "3500M")
    except Skipped as why:
        print(f"skipped: {why}")
        sys.exit(77)
    if only == ["disk"]:
        return
    payload = build_payload(build, work, "desktop", ("-dev_", "-pictures_"))
    m = Desktop("desktop", work, kernel, initrd, "root=/dev/vda rw", "-smp", "2", "-m", "2048",
                "-drive", f"file={disk},if=virtio,format=raw,snapshot=on",
                "-drive", f"file={payload},if=virtio,format=raw,readonly=on", patience_s=300)
    try:
        m.log_in()
        install(m)
        for part in PARTS:
            if not only or part.__name__ in only:
                part(m)
        print(f"{m.checks - m.failed} of {m.checks} as they should be", flush=True)
    finally:
        m.end()
    sys.exit(1 if m.failed else 0)


main()
