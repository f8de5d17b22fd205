"""Lurk in desktops' sessions: desktop.py BUILD

A Debian with an X server and a window manager, and a Wayland compositor, each started by a person who logs in. Keys are
pressed from outside, and read in the session's terminal. desktop.py BUILD disk only makes the disk; desktop.py BUILD PART...
runs some parts.
"""
import base64
import os
import shutil
import sys

from debian import Debian, build_disk, build_payload
from machine import Skipped

PACKAGES = ("xserver-xorg-core,xserver-xorg-input-libinput,xinit,x11-xserver-utils,libxkbfile1,xterm,openbox,python3-xdg,sway,foot,"
            "fonts-dejavu-core,libxkbcommon-x11-0,libxcb-xkb1,libwayland-client0,libglib2.0-0,libxkbregistry0,libx11-data,"
            "dbus-user-session")
# Two people, whose layouts are not the computer's.
SETUP = r"""
for name in warden visitor; do chroot . passwd -d $name; done
printf 'XKBLAYOUT="gb"\nXKBMODEL="pc105"\n' > etc/default/keyboard
"""
READ = "sh -c 'stty raw -echo; exec cat >> typed'"
FILES = {
    "warden/.xinitrc": f"""
echo layouts us,de ,nodeadkeys | /usr/local/bin/desktop x
xset r rate 400 20
exec openbox-session
""",
    "warden/.config/openbox/autostart": f"LC_ALL=C.UTF-8 xterm -u8 -maximized -e {READ} &\n",
    "visitor/.config/sway/config": f"""
input type:keyboard {{
    xkb_layout us,de
    xkb_variant ,nodeadkeys
    xkb_options grp:alts_toggle
}}
exec systemctl --user import-environment WAYLAND_DISPLAY SWAYSOCK && systemctl --user start sway-session.target
exec foot {READ}
""",
    # No graphics card is here, nor what stands in for one.
    "visitor/go": "WLR_RENDERER=pixman WLR_NO_HARDWARE_CURSORS=1 exec sway > sway.log 2>&1\n",
    "visitor/.config/systemd/user/sway-session.target": """
[Unit]
BindsTo=graphical-session.target
Wants=graphical-session-pre.target
After=graphical-session-pre.target
""",
}
# To the layout of that number, as the desktop itself lets one.
SWITCH = {"warden": "echo active {} | /usr/local/bin/desktop x",
          "visitor": "swaymsg input type:keyboard xkb_switch_layout {}"}
NOW = "Texts follow the layout that is active: now "


class Desktop(Debian):
    def as_person(self, name, command, fine=True):
        """In the session of that person."""
        session = {"warden": "DISPLAY=:0",
                   "visitor": "WAYLAND_DISPLAY=wayland-1 XDG_RUNTIME_DIR=/run/user/$(id -u) SWAYSOCK=$(ls /run/user/$(id -u)/sway-ipc.*)"}[name]
        return self.sh(f"su - {name} -c 'export {session}; {command}' 2>&1", fine)

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
        self.press(" ".join({" ": "spc"}.get(c, c) for c in words) + " ret", 0.08)
        self.wait_for(lambda: self.sh(f"pgrep -u {name} -x {ready}", fine=False) != "", 300)
        print(self.sh(f"tail -n 5 /home/{name}/*.log", fine=False), flush=True)
        self.until(f"test -e /home/{name}/typed && pgrep -u {name} -f lurk-agent >/dev/null && echo begun", "begun")

    def switch(self, name, layout):
        self.as_person(name, SWITCH[name].format(layout))

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
    m.sh("install /root/p/desktop /usr/local/bin/")
    for path, text in FILES.items():
        name = path.split("/")[0]
        folder = os.path.dirname(path)
        coded = base64.b64encode(text.encode()).decode()
        m.sh(f"cd /home && su {name} -c 'mkdir -p {folder}' && echo {coded} | base64 -d > {path} && chown {name} {path}")


TEXT = "a@b.c/x-y#"


def follows(m, name):
    """Texts come out right in whichever layout is active."""
    m.as_person(name, f'lurk map F9 --text "{TEXT}" && lurk map F10 --text ß && lurk swap KeyQ KeyW')
    told = m.as_person(name, "lurk apply")
    m.check("apply names what a layout lacks", "The layout us has no key for ß" in told, told)
    m.until_says(name, NOW + "us (English (US)), which has no keys for some", "status says how texts are typed")
    m.gives(name, "z f9 q", f"z{TEXT}w", "in the first layout")
    m.gives(name, "f10 z", "z", "what it lacks types nothing")
    m.switch(name, 1)
    m.until_says(name, NOW + "de:nodeadkeys (German (no dead keys)).", "switched")
    m.gives(name, "z f9 q", f"y{TEXT}w", "in the second")
    m.gives(name, "f10 z", "ßy", "what that has")
    m.switch(name, 0)
    m.until_says(name, NOW + "us", "switched back")
    m.gives(name, "z f9 q", f"z{TEXT}w", "and in the first again")


def x_session(m):
    m.begins("warden", 1, "startx", "openbox")
    m.picture("x-begun")
    follows(m, "warden")
    settings_stay(m, "warden")
    m.as_person("warden", "echo layouts us,fr | /usr/local/bin/desktop x")
    m.switch("warden", 1)
    m.until_says("warden", "which they were not made for", "a layout that the rules were not made for is said")
    m.gives("warden", "q f9 y", "zy", "nothing wrong is typed")
    m.as_person("warden", "lurk apply")
    m.gives("warden", "z f9", f"w{TEXT}", "applied anew: it is typed")
    m.picture("x-done")


def wayland_session(m):
    m.begins("visitor", 2, "sh go", "sway")
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


PROPERTIES = "ID_BUS ID_PATH ID_VENDOR_ID ID_MODEL ID_SERIAL ID_SEAT XKBLAYOUT XKBMODEL LIBINPUT_DEVICE_GROUP ID_INPUT_KEYBOARD".split()


def one_keyboard(m):
    """What stands in for a keyboard is to udev, and so to desktops, what that keyboard is."""
    found = {}
    for path in m.sh("ls -d /sys/class/input/event*").split():
        name, phys = (m.sh(f"cat {path}/device/{what}", fine=False) for what in ["name", "phys"])
        told = m.sh(f"udevadm info -q property -p {path}")
        values = {word: value for word, _, value in (line.partition("=") for line in told.splitlines()) if word in PROPERTIES}
        found.setdefault(name, {})[phys.startswith("lurk/relay")] = values
    pairs = {name: both for name, both in found.items() if len(both) == 2}
    m.check("each keyboard has one that stands in for it, of the same name", len(pairs) >= 2, sorted(found))
    for name, both in pairs.items():
        differ = {word: (both[False].get(word), both[True].get(word)) for word in PROPERTIES if both[False].get(word) != both[True].get(word)}
        m.check(f"{name}: udev knows the same of both", not differ, differ or both[True])
    groups = [both[True].get("LIBINPUT_DEVICE_GROUP") for both in pairs.values()]
    m.check("and two keyboards are two", len(set(groups)) == len(groups) and None not in groups, groups)


def settings_stay(m, name):
    """What the person has set for the keyboard holds whatever becomes of the rules."""
    for change in ["lurk off", "lurk on", "lurk apply --relay", "lurk use --previous", "lurk apply"]:
        m.as_person(name, change, fine=False)
        m.has(f"su - {name} -c 'DISPLAY=:0 xset q'", "auto repeat delay:  400    repeat rate:  20", f"the repeat rate stays after {change}")
        m.gives(name, "z f9" if change != "lurk off" else "z", f"z{TEXT}" if change != "lurk off" else "z", f"and the layout, after {change}")


PARTS = [one_keyboard, x_session, wayland_session, between]


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
    payload = build_payload(build, work, "desktop", ("-dev_", "-pictures_"), ["desktop"])
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
