"""Lurk in desktops' sessions: desktop.py BUILD

A Debian where one person logs in at a graphical login, into X with a window manager, and another one at a text console,
and starts a Wayland compositor. Keys are pressed from outside, and read in the session's terminal or in a viewer of events.
desktop.py BUILD disk only makes the disk; desktop.py BUILD PART... runs some parts.
"""
import base64
import os
import random
import re
import shlex
import shutil
import sys
import threading
import time

from debian import Debian, build_disk, build_payload
from machine import Skipped

PACKAGES = ("xserver-xorg-core,xserver-xorg-input-libinput,lightdm,lightdm-gtk-greeter,x11-xserver-utils,libxkbfile1,xterm,"
            "openbox,python3-xdg,i3lock,sway,swaylock,foot,dunst,libinput-tools,fonts-dejavu-core,libxkbcommon-x11-0,libxcb-xkb1,libwayland-client0,libglib2.0-0,libxkbregistry0,libx11-data,"
            "dbus-user-session,console-setup,kbd")
# Two people, whose layouts are not the computer's.
SETUP = r"""
for name in warden visitor; do chroot . passwd -d $name; done
rm -f etc/systemd/system/display-manager.service
printf '[Seat:*]\ngreeter-hide-users=true\ngreeter-show-manual-login=true\nuser-session=openbox\n' > etc/lightdm/lightdm.conf
printf 'XKBLAYOUT="gb"\nXKBMODEL="pc105"\n' > etc/default/keyboard
"""
READ = "sh -c 'stty raw -echo; exec cat >> typed'"
FILES = {
    "warden/.xsessionrc": """
echo layouts us,de ,nodeadkeys | /usr/local/bin/desktop x
xset r rate 400 20
""",
    "warden/.config/openbox/autostart": f"LC_ALL=C.UTF-8 xterm -u8 -maximized -e {READ} &\ndunst &\n",
    "visitor/.config/sway/config": f"""
input type:keyboard {{
    xkb_layout us,de
    xkb_variant ,nodeadkeys
    xkb_options grp:alts_toggle
}}
exec systemctl --user import-environment WAYLAND_DISPLAY SWAYSOCK && systemctl --user start sway-session.target
exec dunst
exec foot {READ}
""",
    # The terminal tells of each key, also of its release: "[97;1:3u" behind an escape.
    "visitor/view": "stty raw -echo; printf '\\033[>11u'; exec cat > events\n",
    # No graphics card is here, nor what stands in for one.
    "visitor/go": "LC_ALL=C.UTF-8 WLR_RENDERER=pixman WLR_NO_HARDWARE_CURSORS=1 exec sway > sway.log 2>&1\n",
    "visitor/.config/systemd/user/sway-session.target": """
[Unit]
BindsTo=graphical-session.target
Wants=graphical-session-pre.target
After=graphical-session-pre.target
""",
}
# To the layout of that number, as the desktop itself lets one. swaymsg gives up after 3 s, which a busy host takes; the compositor
# does it all the same, and what it did is waited for.
SWITCH = {"warden": "echo active {} | /usr/local/bin/desktop x",
          "visitor": "swaymsg input type:keyboard xkb_switch_layout {} || true"}
NOW = "Texts follow the layout that is active: now "


class Desktop(Debian):
    def as_person(self, name, command, fine=True, patience_s=120):
        """In the session of that person."""
        bus = "XDG_RUNTIME_DIR=/run/user/$(id -u) DBUS_SESSION_BUS_ADDRESS=unix:path=/run/user/$(id -u)/bus "
        session = bus + {"warden": "DISPLAY=:0", "visitor": "WAYLAND_DISPLAY=wayland-1 SWAYSOCK=$(ls /run/user/$(id -u)/sway-ipc.*)"}[name]
        return self.sh(f"su - {name} -c {shlex.quote(f'export {session}; {command}')} 2>&1", fine, patience_s)

    def until_says(self, name, wanted, what):
        """Status does, to that person, once all is known."""
        told = []

        def said():
            told[:] = [self.as_person(name, "lurk status", fine=False)]
            return wanted in told[0]
        self.wait_for(said, 120)
        self.check(what, wanted in told[0], "" if wanted in told[0] else told[0])

    def until_begun(self, name):
        self.until(f"test -e /home/{name}/typed && pgrep -u {name} -f lurk-agent >/dev/null && echo begun", "begun")

    def switch(self, name, layout):
        self.as_person(name, SWITCH[name].format(layout))

    def gives(self, name, presses, wanted, when):
        def attempt():
            self.sh(f": > /home/{name}/typed")
            self.press(presses)
            read = f"tr '\\r\\033' '~^' < /home/{name}/typed; echo"
            self.wait_for(lambda: len(self.sh(read)) >= len(wanted))
            return self.sh(read)
        got = self.again(attempt, wanted)
        self.check(f"{when}: pressed {presses}, arrived {got!r}", got == wanted)

    def picture(self, name):
        """What the screen shows, for who looks; no test."""
        self.ask("screendump", filename=os.path.join(os.path.dirname(self.log), name + ".png"), format="png")


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


def graphical_login(m):
    """Rules of one's own begin with the session: until then the computer's hold alone. F gives d then, and W still w."""
    m.sits_down("warden")
    m.sh("su - warden -c 'lurk swap KeyQ KeyW --apply'; loginctl terminate-user warden")
    m.until("cat /dev/vcs1", "login:")
    m.sh("echo warden:wz | chpasswd; lurk swap KeyD KeyF --apply")
    log = "/var/log/lightdm/lightdm.log"

    def logged_in():
        m.sh("systemctl restart lightdm")
        m.until(f"cat {log}", "Prompt greeter with 1 message")
        m.press("w a r f e n ret", 0.08)
        m.until(f"sed -n '/authentication for warden/,$p' {log}", "Prompt greeter with 1 message", 20)
        m.picture("greeter")
        m.press("w z ret")
        m.wait_for(lambda: m.sh("pgrep -u warden -x openbox", fine=False), 30)
        return m.sh("pgrep -u warden -x openbox", fine=False)
    m.wait_for(logged_in, 300)
    m.check("logged in, by a name and a password as the computer's rules alone let one type it", m.sh("pgrep -u warden -x openbox", fine=False))
    m.until_begun("warden")
    m.sh("lurk restore --all --apply")


def x_session(m):
    follows(m, "warden")
    settings_stay(m, "warden")
    m.as_person("warden", "echo layouts us,fr | /usr/local/bin/desktop x")
    m.switch("warden", 1)
    m.until_says("warden", "which they were not made for", "a layout that the rules were not made for is said")
    m.gives("warden", "q f9 y", "zy", "nothing wrong is typed")
    m.as_person("warden", "lurk apply")
    m.gives("warden", "z f9", f"w{TEXT}", "applied anew: it is typed")
    m.as_person("warden", "echo layouts us,de ,nodeadkeys | /usr/local/bin/desktop x; lurk apply")
    m.switch("warden", 0)


def wayland_session(m):
    m.sits_down("visitor", 2)
    m.press("s h spc g o ret", 0.08)
    m.until_begun("visitor")
    follows(m, "visitor")
    m.press("+alt +alt_r -alt_r -alt")
    m.until_says("visitor", NOW + "de:nodeadkeys", "the desktop's own keys switch")
    m.gives("visitor", "z f9 q", f"y{TEXT}w", "and texts follow")
    m.switch("visitor", 0)


OWN = ["begin reedbed --from us --words \"Reed bed\"", "type reedbed AltRight+M ♂", "type reedbed K \"dead caron\"", "type reedbed J ArrowLeft", "type reedbed Shift+J §",
       "install reedbed"]


def own_layout(m):
    """A layout of one's own, by the compositor's own words: each level, a dead key, an arrow on a letter, texts; the old one again; none left."""
    name = "visitor"
    for words in OWN:
        told = m.as_person(name, "XDG_CURRENT_DESKTOP=sway lurk layout " + words)
    m.check("installing says how sway takes it", "`lurk layout use reedbed`" in told, told)
    told = m.as_person(name, "lurk layout use reedbed,de:nodeadkeys")
    m.check("the session types with it at once, and the way back is said", "types with reedbed,de:nodeadkeys now" in told and "`lurk layout use us,de:nodeadkeys` goes back" in told, told)
    m.until_says(name, "now, reedbed (Reed bed), which they were not made for", "the session has it, by its words")
    m.gives(name, "m +shift m -shift +alt_r m -alt_r +shift j -shift", "mM♂§", "a layout of one's own, each level")
    m.gives(name, "k s z", "šz", "its dead key")
    m.gives(name, "j", "^[D", "its arrow")
    m.as_person(name, "lurk apply")
    m.gives(name, "z f9", f"z{TEXT}", "texts follow it")
    m.switch(name, 1)
    m.until_says(name, NOW + "de:nodeadkeys", "switched to the old one")
    m.gives(name, "z j +alt_r m -alt_r", "yjµ", "where all is as it was")
    m.switch(name, 0)
    m.as_person(name, f"pkill -x foot; lurk layout after reedbed dead_caron q ɋ; lurk layout install reedbed; swaymsg exec \"foot {READ}\" || true")
    m.until(f"pgrep -u {name} -x foot >/dev/null && pgrep -u {name} -x cat >/dev/null && echo begun", "begun")
    m.press("x")  # Q and W are swapped here; the first press after a window comes may be lost
    m.gives(name, "k w", "ɋ", "a program that starts now has what comes after dead keys")
    m.as_person(name, "lurk layout use us,de:nodeadkeys; lurk layout uninstall reedbed; lurk apply")
    m.has(f"find /home/{name}/.config/xkb -type f; echo none", "none", "none of its files is left")
    m.gives(name, "j k", "jk", "without it")
    m.sh("lurk layout begin ouse --from gb && lurk layout type ouse N ν && lurk layout install ouse")
    m.as_person(name, "lurk layout use ouse,de:nodeadkeys --seconds 3600 >used 2>&1 </dev/null &")
    m.until(f"grep -c 'types with ouse,de:nodeadkeys' /home/{name}/used", "1")
    m.gives(name, "n m", "νm", "the computer's, for everybody, for a while")
    m.sh(f"pkill -INT -u {name} -x lurk")
    m.until(f"grep -c 'And with us,de:nodeadkeys again' /home/{name}/used", "1")
    m.gives(name, "n m", "nm", "which ends with the layouts of before")
    m.sh("lurk layout uninstall ouse")
    m.until_says(name, NOW + "us", "and without it")


# A version of the layouts' package that is later by its number alone, of the files that are there.
LATER = r"""
cd /root && mkdir -p pack/DEBIAN && lurk layout withdraw && dpkg -L xkb-data | while read f; do if test -f $f || test -h $f; then cp -P --parents $f pack; fi; done
printf 'Package: xkb-data\nVersion: %s+later\nArchitecture: all\nMaintainer: Logging desk <desk@hide.invalid>\nDescription: layouts\n' \
    $(dpkg-query -W -f '${Version}' xkb-data) > pack/DEBIAN/control
dpkg-deb --root-owner-group -Znone -b pack later.deb && lurk layout renew
"""
SUMS = "find /usr/share/X11/xkb -type f | sort | xargs md5sum | md5sum"


def own_layout_for_all(m):
    """Everybody's, in an X session and on a text console; over an upgrade of the system's layouts; and these as they were."""
    name, before = "warden", m.sh(SUMS)
    text = "b@c.d/y-#"  # of signs that dune still types
    m.as_person(name, f'lurk map F9 --text "{text}" --apply')
    for words in ("begin dune --from gb --words Dune", "type dune N ν", "copy dune KeyX Digit4", "type dune K 'dead acute'", "type dune J ArrowLeft", "install dune"):
        told = m.sh("lurk layout " + words)
    m.check("installing says what the whole computer needs", 'XKBLAYOUT="dune" in /etc/default/keyboard' in told, told)
    m.sh("chvt 7")

    def in_the_session(when):
        m.as_person(name, "lurk layout use us,de")
        told = m.as_person(name, "lurk layout use dune,de")
        m.check(f"the session takes it {when}", "types with dune,de now" in told and "`lurk layout use us,de` goes back" in told, told)
        m.until_says(name, "dune (Dune)", f"the X server has it {when}, by its words")
        m.gives(name, "n x k a j +shift n -shift", "ν4á^[DN", f"each key of it {when}")
        m.as_person(name, "lurk apply")
        m.gives(name, "x f9", f"4{text}", f"texts follow it {when}")
        m.switch(name, 1)
        m.gives(name, "n x z", "nxy", f"the old one beside it {when}")
    in_the_session("at once")
    m.sh(LATER)
    m.has("dpkg -i /root/later.deb 2>&1", "Processing triggers for lurk", "an upgrade of the layouts' package calls Lurk")
    m.has("grep -c '<name>dune<' /usr/share/X11/xkb/rules/evdev.xml", "1", "and its menu has it again")
    in_the_session("after the upgrade")
    m.sh("sed -i s/^XKBLAYOUT=.*/XKBLAYOUT=dune/ /etc/default/keyboard; chvt 1; setupcon --keyboard-only --force")
    m.read_console()
    m.types("n x k a", "ν4á", "on the text console")
    m.sh("sed -i s/^XKBLAYOUT=.*/XKBLAYOUT=gb/ /etc/default/keyboard; setupcon --keyboard-only --force; systemctl start getty@tty1; chvt 7")
    m.as_person(name, "lurk layout use us,de:nodeadkeys")
    m.sh("lurk layout uninstall dune")
    m.check("the system's files are as they were", m.sh(SUMS) == before)
    m.switch(name, 0)  # as the session was, for what comes after
    m.as_person(name, f'lurk map F9 --text "{TEXT}" --apply')
    m.until_says(name, NOW + "us", "the session is as it was")


CONSOLES = {"warden": 7, "visitor": 2}


def comes_back(m, name):
    """That it has the screen again sway notices with some key, and loses that one, also where no Lurk is."""
    m.sh(f"chvt {CONSOLES[name]}")

    def said():
        m.press("shift")
        return NOW + "us" in m.as_person(name, "lurk status", fine=False)
    m.wait_for(said, 120)
    m.until_says(name, NOW + "us", f"{name} is back: the agent there tells again")


def between(m):
    """From one session to the other, and back, with keys held and a text on its way: each has its own rules and its own layout,
    and nothing of the one before."""
    for name in ["warden", "visitor"] * 2:
        m.press("f9 +shift +q +f9")
        m.sh(f"chvt {CONSOLES[name]}")
        m.press("-q -f9 -shift")
        comes_back(m, name)
        m.until("/root/p/vm_probe down 1 0", "keys down: 0", 60)
        m.has("/root/p/vm_probe down 1 0", "keys down: 0", "no key is left down", fine=False)
        m.gives(name, "z f9 q", f"z{TEXT}w", f"{name}: rules and layout are that session's")


def shown(m, name):
    """Each change is shown by the desktop, in the place of the last."""
    def newest():
        told = m.as_person(name, "dunstctl close-all; dunstctl history", fine=False)
        return (re.findall(r'"summary" : \{\s*"type" : "s",\s*"data" : "(.*)"', told) or [""])[0]
    for command, wanted in [("lurk off", "All rules are off"), ("lurk on", "Rules are on again"), ("lurk try --for 1s </dev/null", "The trial is over"),
                            ("/usr/libexec/lurk/lurk-agent --show lurk off", "All rules are off"), ("lurk on", "Rules are on again")]:
        m.as_person(name, command, fine=False)
        if command == "lurk off":
            m.wait_for(lambda: "displayed: 1" in m.as_person(name, "dunstctl count", fine=False), 30)
            m.picture(f"shown-{name}")
        m.wait_for(lambda: newest() == wanted, 60)
        m.check(f"{name}: {command} is shown", newest() == wanted, newest())


LOCK = {"warden": "i3lock", "visitor": "swaylock -f"}


def locked(m, name):
    """One's own rules hold at one's own locked screen: it takes the password as it is typed anywhere in the session."""
    m.sh(f"echo {name}:wz | chpasswd; : > /home/{name}/typed")
    m.as_person(name, LOCK[name])
    lock = LOCK[name].split()[0]
    m.has(f"pgrep -x {lock} >/dev/null && echo locked", "locked", f"{name}: the screen is locked")
    m.picture(f"locked-{name}")

    def opened():
        m.press("q z ret")
        m.wait_for(lambda: not m.sh(f"pgrep -x {lock}", fine=False), 15)
        return not m.sh(f"pgrep -x {lock}", fine=False)
    m.wait_for(opened, 60)
    m.check(f"{name}: it takes the password", not m.sh(f"pgrep -x {lock}", fine=False))
    m.check(f"{name}: no program got any of it", m.sh(f"cat /home/{name}/typed") == "")


# A window that gets every key; "38+ 38-" of what it tells; which of these is what: the two that are swapped count as one.
VIEWER = {
    "warden": ("xset r off; /usr/local/bin/desktop keys > events 2>&1 &", "{ print }",
               {"24": "q", "25": "q", "38": "a", "52": "z", "50": "shift", "37": "ctrl", "56": "b"}),
    "visitor": ("swaymsg exec foot sh view",
                r'BEGIN { RS = "\033" } /u$/ { n = split(substr($0, 2, length($0) - 2), f, /[;:]/); e = /:/ ? f[n] : 1; '
                r'if (e != 2) print f[1] (e == 3 ? "-" : "+") }',
                {"113": "q", "119": "q", "97": "a", "122": "z", "57441": "shift", "57442": "ctrl", "98": "b"}),
}
CHANGES = ["off", "on", "apply --relay", "apply --profile plain.yaml", "apply"]
KEYS = {"q": ["q"], "w": ["q"], "a": ["a"], "z": ["z"], "shift": ["shift"], "ctrl": ["ctrl"], "+shift a -shift": ["shift", "a"], "+a +q -a -q": ["a", "q"]}


def changes(m, name, rounds=100):
    """Rules change while keys are pressed: programs get each press once, and its release, whatever becomes of the rules."""
    viewer, awk, names = VIEWER[name]
    m.sh(f"printf 'lurk: 1\nlayout: us\nrules:\n  - swap: [KeyQ, KeyW]\n' > /home/{name}/plain.yaml; chown {name} /home/{name}/plain.yaml; "
         f"printf '%s' {shlex.quote(awk)} > /root/words")
    m.as_person(name, viewer)

    def got():
        told = m.sh(f"awk -f /root/words /home/{name}/events | tr '\n' ' '", fine=False)
        return [(names.get(key, key), way) for key, way in re.findall(r"(\d+)([+-])", told)]

    def until_marked(begin):
        """A key marks where what counts begins and ends: what arrived since, and where it ends."""
        m.press("b")
        m.wait_for(lambda: ("b", "-") in got()[begin:], 120)
        keys = got()
        return keys, keys.index(("b", "+"), begin)
    m.wait_for(lambda: (m.press("shift"), got())[1], 120)  # it has the focus then
    begin = until_marked(0)[1] + 2
    sent, over = [], threading.Event()

    def press():
        while not over.is_set():
            one = random.choice(list(KEYS))
            m.press(one, 0.06)
            sent.append((time.time(), KEYS[one]))
    pressing = threading.Thread(target=press)
    pressing.start()
    words = " && ".join("lurk " + change for change in CHANGES)
    try:
        m.as_person(name, f"i=0; while [ $i -lt {rounds} ]; do {words} || exit 1; date +%s.%N; i=$((i+1)); done > changes.log", patience_s=3000)
    finally:
        over.set()
        pressing.join()
    wanted = [(when, key) for when, keys in sent for key in keys]
    keys, end = until_marked(begin)
    down, twice, arrived = set(), 0, []
    for key, way in keys[begin:end]:
        twice += (key in down) == (way == "+")
        arrived += [key] if way == "+" else []
        (down.add if way == "+" else down.discard)(key)
    odd = next((i for i, (one, (_, other)) in enumerate(zip(arrived, wanted)) if one != other), min(len(arrived), len(wanted)))
    where = "" if odd == len(wanted) == len(arrived) else f"; first {wanted[odd - 3:odd + 4]} came as {arrived[odd - 3:odd + 4]}"
    m.check(f"{name}: {rounds * len(CHANGES)} changes while {len(wanted)} keys were pressed: each arrives once, and none is left down",
            not where and not twice and not down,
            f"{len(arrived)} arrived, {twice} pressed or released twice, {len(down)} left down{where}")
    m.sh("pkill -f 'desktop keys'; pkill -f 'foot sh view'", fine=False)


def warden_s_changes(m):
    comes_back(m, "warden")
    changes(m, "warden")


def visitor_s_changes(m):
    comes_back(m, "visitor")
    changes(m, "visitor")


def seen_and_locked(m):
    for name in CONSOLES:
        comes_back(m, name)
        shown(m, name)
        locked(m, name)


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


def touchpad_waits(m):
    """A laptop's touchpad waits while one types on its own keyboard, and so for what stands in for that; not for one on a cable."""
    m.sh("(/root/p/vm_probe touchpad 0 600 >/dev/null &); (setsid timeout 600 libinput debug-events --verbose > /root/events 2>&1 &)")
    told = "'dwt activated with Probe touchpad<->.*' /root/events"
    m.until(f"grep -c {told}", "2")
    own = m.sh(f"grep -o {told}", fine=False).splitlines()
    m.check("a touchpad is paired with a laptop's keyboard, and with what stands in for it",
            len(own) == 2 and all(line.endswith("AT Translated Set 2 keyboard") for line in own), own)
    m.sh("pkill vm_probe; pkill -f debug-events", fine=False)


def settings_stay(m, name):
    """What the person has set for the keyboard holds whatever becomes of the rules."""
    for change in ["lurk off", "lurk on", "lurk apply --relay", "lurk use --previous", "lurk apply"]:
        m.as_person(name, change, fine=False)
        m.has(f"su - {name} -c 'DISPLAY=:0 xset q'", "auto repeat delay:  400    repeat rate:  20", f"the repeat rate stays after {change}")
        m.gives(name, "z f9" if change != "lurk off" else "z", f"z{TEXT}" if change != "lurk off" else "z", f"and the layout, after {change}")


PARTS = [one_keyboard, touchpad_waits, graphical_login, x_session, own_layout_for_all, wayland_session, own_layout, between, seen_and_locked, warden_s_changes, visitor_s_changes]


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
    payload = build_payload(build, work, "desktop", ("-dev_", "-pictures_"), ["desktop", "vm_probe"])
    m = Desktop("desktop", work, kernel, initrd, "root=/dev/vda rw", "-smp", "2", "-m", "2048", "-vga", "virtio",
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
