"""The agent in a desktop's session: test_agent.py AGENT LURK DESKTOP [NAME...]

Which layouts it finds, and which it tells the service to be active, and when, on an X server (Xvfb), on a Wayland
compositor with each desktop that can be asked there, and where any of that is stuck, broken or away.
"""
import json
import os
import re
import shutil
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import threading
import time

AGENT, LURK, DESKTOP = (os.path.abspath(path) for path in sys.argv[1:4])
PATIENCE_S = 600  # no test waits for so long but one that fails
FOLDER = tempfile.mkdtemp(prefix="lurk-agent-")
US, GERMAN, FRENCH = "English (US)", "German (no dead keys)", "French"
PLAIN = {name: value for name, value in os.environ.items()
         if name not in ["DISPLAY", "WAYLAND_DISPLAY", "SSH_CONNECTION", "SWAYSOCK", "XDG_CURRENT_DESKTOP", "XDG_SESSION_ID"]}
PLAIN |= {"XDG_RUNTIME_DIR": FOLDER, "XDG_CONFIG_HOME": FOLDER, "XDG_STATE_HOME": FOLDER, "LURK_AGENT": AGENT, "LC_ALL": "C.UTF-8"}


class Mover:
    """The helper: what it stands for is moved by lines."""

    def __init__(self, *what, env=PLAIN):
        self.process = subprocess.Popen([DESKTOP, *what], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, bufsize=1, env=env)
        self.answered()

    def answered(self):
        assert self.process.stdout.readline() == "done\n", self.process.args

    def do(self, line):
        self.process.stdin.write(line + "\n")
        self.answered()

    def next(self):
        """What a notification says, once there is one."""
        self.process.stdin.write("next\n")
        said = self.process.stdout.readline().strip()
        self.answered()
        return said

    def end(self):
        self.process.kill()
        self.process.wait()


class Service:
    """In the place of the real one: what it is told."""

    def __init__(self, name="control"):
        self.path = os.path.join(FOLDER, name)
        self.listener = socket.socket(socket.AF_UNIX)
        self.listener.settimeout(PATIENCE_S)
        self.listener.bind(self.path)
        self.listener.listen()

    def accept(self):
        self.connection = self.listener.accept()[0]
        self.connection.settimeout(PATIENCE_S)
        self.lines = self.connection.makefile()
        assert json.loads(self.lines.readline()) == {"jsonrpc": "2.0", "method": "follow"}
        self.answer_status()

    def answer_status(self, **status):
        """A question about what is in force."""
        line = json.loads(self.lines.readline())
        assert line == {"jsonrpc": "2.0", "method": "status", "id": 1}, line
        self.send({"jsonrpc": "2.0", "id": 1, "result": {"off": False, "trying": False, "sequence": 1, "profile": "base", "keyboards": []} | status})

    def send(self, value):
        self.connection.sendall(json.dumps(value).encode() + b"\n")

    def changes(self, **status):
        self.send({"jsonrpc": "2.0", "method": "changed"})
        self.answer_status(**status)

    def told(self):
        line = json.loads(self.lines.readline())
        assert line["method"] == "layout" and "id" not in line and list(line["params"]) == ["active"], line
        return line["params"]["active"]

    def wants(self, words):
        told = self.told()
        assert told == words, f"told {told!r}, not {words!r}"

    def comes_to(self, words):
        """Some of the way there may be told."""
        while self.told() != words:
            pass

    def end(self):
        self.listener.close()
        if hasattr(self, "connection"):
            self.lines.close()
            self.connection.close()
        os.unlink(self.path)


def layouts(env):
    done = subprocess.run([AGENT, "--layouts"], capture_output=True, text=True, env=env, timeout=PATIENCE_S)
    return done.stdout.split("\n", 1)[0] if done.returncode == 0 else (done.returncode, done.stderr.strip())


def start(service, env):
    agent = subprocess.Popen([AGENT, "--socket", service.path], env=env)
    service.accept()
    return agent


def ends(agent):
    assert agent.wait(PATIENCE_S) == 0


def stop(agent):
    agent.send_signal(signal.SIGTERM)
    ends(agent)


# ---- X ---------------------------------------------------------------------------------------------------------------


class X:
    def __init__(self):
        ours, theirs = os.pipe()
        self.process = subprocess.Popen(["Xvfb", "-displayfd", str(theirs), "-noreset", "-nolisten", "tcp", "-screen", "0", "320x240x24"],
                                        pass_fds=[theirs], stderr=subprocess.DEVNULL, env=PLAIN)
        os.close(theirs)
        with os.fdopen(ours) as told:
            number = told.readline()
        assert number.endswith("\n"), "no X server"
        self.env = PLAIN | {"DISPLAY": ":" + number.strip()}

    def end(self):
        self.process.terminate()
        self.process.wait()


def x_tells_each_change():
    x, service = X(), Service()
    mover = Mover("x", env=x.env)
    mover.do("layouts us,de ,nodeadkeys")
    assert layouts(x.env) == "x11 0"
    agent = start(service, x.env)
    service.wants(US)
    mover.do("active 1")
    service.wants(GERMAN)
    assert layouts(x.env) == "x11 1"
    # A second one in the session ends at once, and tells nothing.
    assert subprocess.run([AGENT, "--socket", service.path], env=x.env, timeout=PATIENCE_S).returncode == 0
    mover.do("active 0")
    service.wants(US)
    mover.do("layouts fr")
    service.comes_to(FRENCH)
    # The service is away for a while: told again when it is back, and what changed meanwhile.
    service.end()
    mover.do("layouts us,de ,nodeadkeys")
    mover.do("active 1")
    service = Service()
    service.accept()
    service.wants(GERMAN)
    # The X server is gone, and so is the agent.
    x.end()
    ends(agent)
    mover.end()
    service.end()


def check_json(env):
    done = subprocess.run([LURK, "check", "--json"], capture_output=True, text=True, env=env, timeout=PATIENCE_S)
    return json.loads(done.stdout)


def write_profile(text):
    os.makedirs(os.path.join(FOLDER, "lurk"), exist_ok=True)
    with open(os.path.join(FOLDER, "lurk", "profile.yaml"), "w") as file:
        file.write(text)


def the_command_takes_the_sessions():
    """Which layout counts for the command, by the environment and by who answers."""
    x = X()
    mover = Mover("x", env=x.env)
    mover.do("layouts us,de ,nodeadkeys")
    mover.do("active 1")
    rule = "- {press: Shift+F9, gives: {text: 'ß'}}\n- {press: Shift+F8, gives: {text: 'ab'}}\n"
    write_profile("lurk: 1\nrules:\n" + rule)
    got = check_json(x.env)
    assert (got["layout"], got["layout_from"], got["layouts"], got["layout_assumed"]) == ("de:nodeadkeys", "session", ["us", "de:nodeadkeys"], False), got
    lacks = [f for f in got["findings"] if f["code"] == "layout-lacks"]
    assert [(f["line"], "us" in f["what"], f["to_do"]) for f in lacks] == [(3, True, "It is typed while de:nodeadkeys is active.")], lacks
    # What no layout of the session has is refused; what the profile says goes before.
    write_profile("lurk: 1\nrules:\n- {press: Shift+F9, gives: {text: 'ψ'}}\n")
    assert [f["code"] for f in check_json(x.env)["findings"]] == ["cannot-type"]
    write_profile("lurk: 1\nlayout: us\nrules:\n" + rule)
    got = check_json(x.env)
    assert (got["layout"], got["layout_from"]) == ("us", "profile") and [f["code"] for f in got["findings"]] == ["cannot-type"], got
    # Not through ssh, not another computer's display, not without the agent, not where it is stuck or lies.
    write_profile("lurk: 1\nrules:\n" + rule)
    for more in [{"SSH_CONNECTION": "192.0.2.1 1 192.0.2.2 22"}, {"DISPLAY": "192.0.2.1:0"}, {"LURK_AGENT": FOLDER + "/none"},
                 {"LURK_AGENT": "/bin/true"}, {"LURK_AGENT": "/bin/false"}, {"LURK_AGENT": "/bin/echo"}, {"DISPLAY": ":79999"}]:
        assert check_json(x.env | more).get("layout_from") in ["system", None], more
    mover.end()
    x.end()


# ---- Wayland ---------------------------------------------------------------------------------------------------------


def wayland(more=()):
    return PLAIN | {"WAYLAND_DISPLAY": "wayland-test"} | dict(more)


def a_compositor_alone():
    """One layout is active; of several nobody knows which."""
    env, service = wayland(), Service()
    assert layouts(env) == (1, "lurk-agent: the compositor at wayland-test does not answer")
    mover = Mover("compositor", "wayland-test")
    assert layouts(env) == (1, "lurk-agent: the session has no keyboard")
    agent = start(service, env)
    service.wants("")
    mover.do("layouts us")
    service.wants(US)
    assert layouts(env) == "wayland 0"
    mover.do("layouts us,de ,nodeadkeys")
    service.wants("")
    assert layouts(env) == "wayland -"
    write_profile("lurk: 1\nrules:\n- {press: Shift+F9, gives: {text: 'ab'}}\n")
    got = check_json(env)
    assert got["layout_assumed"] and [f["code"] for f in got["findings"]] == ["assumed-layout"], got
    mover.do("layouts fr")
    service.wants(FRENCH)
    # A keymap that is none changes nothing, nor does a keyboard that goes.
    mover.do("junk")
    mover.do("unplug")
    mover.do("layouts us")
    service.wants(US)
    mover.end()
    ends(agent)
    service.end()


class Sway:
    """Its socket, with inputs as they are given."""

    def __init__(self):
        self.path = os.path.join(FOLDER, "sway")
        self.listener = socket.socket(socket.AF_UNIX)
        self.listener.bind(self.path)
        self.listener.listen()
        self.inputs, self.subscribers, self.lock = [], [], threading.Lock()
        self.commands, self.obeys = [], lambda layouts, variants: None
        self.server = threading.Thread(target=self.serve, daemon=True)
        self.server.start()

    def end(self):
        """Nobody waits at a descriptor that is another one's later."""
        self.listener.shutdown(socket.SHUT_RDWR)
        self.server.join()
        self.listener.close()
        os.unlink(self.path)

    def serve(self):
        while True:
            try:
                connection = self.listener.accept()[0]
            except OSError:
                return
            threading.Thread(target=self.talk, args=[connection], daemon=True).start()

    @staticmethod
    def send(connection, kind, value):
        text = json.dumps(value).encode()
        connection.sendall(b"i3-ipc" + struct.pack("=II", len(text), kind) + text)

    def talk(self, connection):
        stream = connection.makefile("rb")
        while header := self.read_header(stream):
            length, kind = struct.unpack("=II", header[6:])
            text = stream.read(length).decode()
            if kind == 0:
                self.commands.append(text)
                answer = self.obeys(*(re.findall(name + ' "(.*?)"', text)[-1] for name in ("xkb_layout", "xkb_variant"))) or [{"success": True}] * 3
                self.send(connection, kind, answer)
                continue
            with self.lock:
                if kind == 2:
                    self.subscribers.append(connection)
                try:
                    self.send(connection, kind, {"success": True} if kind == 2 else self.inputs)
                except BrokenPipeError:  # it did not wait
                    return

    @staticmethod
    def read_header(stream):
        try:
            return stream.read(14)
        except ConnectionResetError:
            return b""

    def set(self, *active):
        with self.lock:
            self.inputs = [{"type": "pointer"}] + [{"type": "keyboard", "xkb_active_layout_name": words} for words in active]
            for connection in self.subscribers:
                try:
                    self.send(connection, 0x80000015, {"change": "xkb_layout"})
                except OSError:
                    pass


def uses(words, status, said, env, err=""):
    done = subprocess.run([LURK, "layout", "use", *words.split()], capture_output=True, text=True, env=env, timeout=PATIENCE_S)
    assert done.returncode == status and said in done.stdout and err in done.stderr, (words, done)


def x_types_with_another():
    """`lurk layout use` where only the X server has layouts: it has them, with its model and options, and the agent tells."""
    x, service = X(), Service()
    mover = Mover("x", env=x.env)
    mover.do("layouts us,de ,nodeadkeys")
    mover.do("active 1")
    agent = start(service, x.env)
    service.wants(GERMAN)
    mover.do("rules evdev pc104 us,de ,nodeadkeys compose:menu,grp:alt_shift_toggle")
    uses("French", 0, "This session types with fr now, until it ends or reads its settings anew.\n`lurk layout use us,de:nodeadkeys` goes back.\n", x.env)
    service.comes_to(FRENCH)
    mover.do("has evdev pc104 fr - compose:menu,grp:alt_shift_toggle")
    uses("gb,us --seconds 1", 0, "And with fr again.\n", x.env)
    # What comes back has the active one, too.
    uses("us,de:nodeadkeys", 0, "", x.env)
    mover.do("active 1")
    uses("fr --seconds 1", 0, "And with us,de:nodeadkeys again.\n", x.env)
    assert layouts(x.env) == "x11 1"
    for active in ["2", "-1", "4294967296", "x"]:
        done = subprocess.run([AGENT, "--use", "us,fr", "--active", active], capture_output=True, text=True, env=x.env, timeout=PATIENCE_S)
        assert done.returncode == 1 and done.stderr.startswith("lurk-agent: "), done
    assert layouts(x.env) == "x11 1"
    for rules in ["../evil", "..", "unheard"]:
        mover.do(f"rules {rules} pc104 fr - -")
        uses("us,de:nodeadkeys", 0, "This session types with", x.env)
        mover.do("has evdev pc104 us,de ,nodeadkeys -")
        uses("fr", 0, "", x.env)
    uses("us,de:nodeadkeys", 0, "", x.env)
    assert layouts(x.env) == "x11 0"
    uses("us,fr,gb,dk,de", 3, "", x.env, err="an X server has 4 layouts in turn at most")
    subprocess.run([LURK, "layout", "begin", "heath", "--from", "gb"], check=True, stdout=subprocess.DEVNULL, env=x.env)
    subprocess.run([LURK, "layout", "install", "heath"], check=True, stdout=subprocess.DEVNULL, env=x.env)
    uses("us,heath", 3, "", x.env, err="the X server has no such layouts: it reads those that are there for everybody (`sudo lurk layout install NAME`)")
    assert layouts(x.env) == "x11 0"
    for desktop in ["GNOME", "ubuntu:GNOME", "KDE"]:  # it would take its own back at any time
        uses("gb", 1, "", x.env | {"XDG_CURRENT_DESKTOP": desktop}, err="no program can switch the layout of this session")
    uses("gb", 0, "This session types with gb now", x.env | {"XDG_CURRENT_DESKTOP": "XFCE"})
    x.end()
    ends(agent)
    uses("us", 3, "", x.env, err="does not answer")
    mover.end()
    service.end()


def sway_types_with_another():
    """The same by sway: for good, for a while, back; where it refuses, does something else, or is not there."""
    mover, sway = Mover("compositor", "wayland-test"), Sway()
    mover.do("layouts us,de ,nodeadkeys")
    env = wayland({"SWAYSOCK": sway.path})
    sway.set(US)
    sway.obeys = lambda layouts, variants: mover.do(f"layouts {layouts} {variants}".rstrip())

    def use(words, status, said, env=env, err=""):
        uses(words, status, said, env, err)

    use("fr", 0, "This session types with fr now, until it ends or reads its settings anew.\n`lurk layout use us,de:nodeadkeys` goes back.\n")
    assert sway.commands == ['input type:keyboard xkb_variant ""; input type:keyboard xkb_layout "fr"']
    use("us,de:nodeadkeys", 0, "`lurk layout use fr` goes back.")
    assert sway.commands[-1].endswith('xkb_layout "us,de"; input type:keyboard xkb_variant ",nodeadkeys"')
    use("us,de:nodeadkeys", 0, "This session types with us,de:nodeadkeys now")
    use("fr --seconds 1", 0, "This session types with fr, for 1 second; Ctrl+C ends it.\nAnd with us,de:nodeadkeys again.\n")
    assert 'xkb_layout "us,de"' in sway.commands[-1] and 'xkb_layout "fr"' in sway.commands[-2]
    sway.set(GERMAN)
    use("fr --seconds 1", 0, "And with us,de:nodeadkeys again.\n")
    assert sway.commands[-1].endswith('; input type:keyboard xkb_switch_layout 1') and "switch" not in sway.commands[-2]
    sway.set(US)
    ended = subprocess.Popen([LURK, "layout", "use", "fr", "--seconds", "3600"], stdout=subprocess.PIPE, text=True, env=env)
    assert ended.stdout.readline().startswith("This session types with fr")
    ended.send_signal(signal.SIGINT)
    assert (ended.stdout.read(), ended.wait(PATIENCE_S)) == ("And with us,de:nodeadkeys again.\n", 0)
    use("fr --json", 0, '{"types_with":"fr","before":"us,de:nodeadkeys"}')
    # One's own, once desktops have it, alone and beside another.
    for words in ["begin tern --from gb --words Tern", "type tern KeyM ✓"]:
        subprocess.run([LURK, "layout", *words.split()], check=True, stdout=subprocess.DEVNULL, env=env)
    use("tern", 2, "", err="no desktop has tern as it is now: `lurk layout install tern`")
    subprocess.run([LURK, "layout", "install", "tern"], check=True, stdout=subprocess.DEVNULL, env=env)
    use("tern,us", 0, "This session types with tern,us now")
    use("tern", 0, "This session types with tern now, until it ends or reads its settings anew.\n`lurk layout use tern,us` goes back.\n")
    use("Danish", 0, "This session types with dk now, until it ends or reads its settings anew.\n`lurk layout use tern` goes back.\n")
    use("Tern", 0, "This session types with tern now")
    use("fr", 0, "`lurk layout use tern` goes back.")
    # Nothing that is no name of a layout ever gets there.
    count = len(sway.commands)
    for words in ['fr"; exec /bin/true', "xx", "fr;", "fr,", ",", "us,xx", "--", "de:xx", "Sternish"]:
        use(words, 2, "", err="lurk")
    for words in ['fr"', "fr; exec x", "", "a" * 300, "fr\nx"]:
        done = subprocess.run([AGENT, "--use", words], capture_output=True, text=True, env=env, timeout=PATIENCE_S)
        assert (done.returncode, done.stderr) == (1, "lurk-agent: these are no names\n"), done
    assert len(sway.commands) == count
    use(",".join(["us"] * 90), 3, "", err="lurk: these are no names")  # more than anybody takes is not cut
    assert len(sway.commands) == count
    sway.obeys = lambda layouts, variants: [{"success": True}, {"success": False, "error": "no such\x1b[31m keymap"}]
    use("gb", 3, "", err="lurk: sway says: no such")
    sway.obeys = lambda layouts, variants: [{"success": True}] * 3  # and does nothing
    use("gb", 3, "", err="the desktop took gb, and types with fr all the same")
    sway.obeys = lambda layouts, variants: "what"
    use("gb", 3, "", err="sway answers nothing that is understood")
    sway.obeys = lambda layouts, variants: mover.do(f"layouts {layouts}")
    left = subprocess.Popen([LURK, "layout", "use", "us", "--seconds", "3600"], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=env)
    assert left.stdout.readline().startswith("This session types with us,")
    sway.end()
    left.send_signal(signal.SIGINT)
    assert left.communicate()[1] == "lurk: the desktop is not there any more; `lurk layout use fr` goes back\n" and left.returncode == 3
    use("gb", 1, "", env=wayland({"SWAYSOCK": FOLDER + "/none"}), err="no program can switch the layout of this session")
    use("gb", 1, "", env=PLAIN, err="no program can switch the layout of this session")
    use("gb", 3, "", env=env | {"LURK_AGENT": FOLDER + "/nowhere"}, err="lurk-agent, which speaks with the desktop, does not answer")
    use("gb", 3, "", env=env | {"LURK_AGENT": "/bin/false"}, err="lurk-agent, which speaks with the desktop, does not answer")
    use("gb", 2, "", env=env | {"LURK_DESK": FOLDER + "/desk"}, err="a simulated desk has no session")
    mover.end()


def sway_tells():
    mover, sway, service = Mover("compositor", "wayland-test"), Sway(), Service()
    mover.do("layouts us,de ,nodeadkeys")
    env = wayland({"SWAYSOCK": sway.path})
    sway.set(US, US)
    assert layouts(env) == "wayland 0"
    agent = start(service, env)
    service.wants(US)
    sway.set(GERMAN, GERMAN)
    service.wants(GERMAN)
    sway.set(GERMAN, US)  # two keyboards, and not the same
    service.wants("")
    sway.set(US)
    service.wants(US)
    sway.set("Faroese")
    service.wants("")
    stop(agent)
    mover.end()
    sway.end()
    service.end()
    # A socket that is not there, or says nothing at all.
    mover = Mover("compositor", "wayland-test")
    mover.do("layouts us,de ,nodeadkeys")
    assert layouts(wayland({"SWAYSOCK": FOLDER + "/none"})) == "wayland -"
    silent = socket.socket(socket.AF_UNIX)
    silent.bind(FOLDER + "/silent")
    silent.listen()
    assert layouts(wayland({"SWAYSOCK": FOLDER + "/silent"})) == "wayland -"
    mover.end()


class Bus:
    def __init__(self):
        config = os.path.join(FOLDER, "bus.conf")
        with open(config, "w") as file:
            file.write(f"""<busconfig><type>session</type><listen>unix:path={FOLDER}/bus</listen>
                <policy context="default"><allow send_destination="*" eavesdrop="true"/><allow eavesdrop="true"/><allow own="*"/></policy></busconfig>""")
        self.process = subprocess.Popen(["dbus-daemon", "--config-file", config, "--print-address", "--nofork"], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
                                        text=True, env=PLAIN)
        self.address = self.process.stdout.readline().strip()

    def end(self):
        self.process.kill()
        self.process.wait()
        os.unlink(os.path.join(FOLDER, "bus"))


def kde_tells():
    bus, mover, service = Bus(), Mover("compositor", "wayland-test"), Service()
    mover.do("layouts us,de ,nodeadkeys")
    env = wayland({"XDG_CURRENT_DESKTOP": "KDE", "DBUS_SESSION_BUS_ADDRESS": bus.address})
    assert layouts(env) == "wayland -"  # its service is not there yet
    kde = Mover("kde", env=env)
    kde.do("active 1")
    assert layouts(env) == "wayland 1"
    agent = start(service, env)
    service.wants(GERMAN)
    kde.do("active 0")
    service.wants(US)
    kde.do("active 7")
    service.wants("")
    stop(agent)
    for one in [kde, mover, bus, service]:
        one.end()


def gnome_tells():
    mover, service = Mover("compositor", "wayland-test"), Service()
    mover.do("layouts us,de ,nodeadkeys")
    env = wayland({"XDG_CURRENT_DESKTOP": "ubuntu:GNOME", "GSETTINGS_BACKEND": "keyfile", "DBUS_SESSION_BUS_ADDRESS": "unix:path=/nowhere"})
    folder = os.path.join(FOLDER, "glib-2.0", "settings")
    os.makedirs(folder, exist_ok=True)

    def settings(**values):
        with open(os.path.join(folder, "keyfile.new"), "w") as file:
            file.write("[org/gnome/desktop/input-sources]\n" + "".join(f"{name.replace('_', '-')}={value}\n" for name, value in values.items()))
        os.rename(file.name, os.path.join(folder, "keyfile"))

    both = "[('xkb', 'us'), ('xkb', 'de+nodeadkeys')]"
    assert layouts(env) == "wayland -"
    settings(sources=both)
    assert layouts(env) == "wayland 0"
    agent = start(service, env)
    service.wants(US)
    settings(sources=both, mru_sources="[('xkb', 'de+nodeadkeys'), ('xkb', 'us')]")
    service.wants(GERMAN)
    settings(sources=both, mru_sources="[('ibus', 'anthy')]")
    service.wants("")
    settings(sources=both, mru_sources="[('xkb', 'us')]")
    service.wants(US)
    settings(sources=both, mru_sources="[('xkb', 'us')]", per_window="true")
    service.wants("")
    stop(agent)
    mover.end()
    service.end()


# ---- What is shown ---------------------------------------------------------------------------------------------------


def what_changed_is_shown():
    bus, mover, service = Bus(), Mover("compositor", "wayland-test"), Service()
    mover.do("layouts us")
    env = wayland({"DBUS_SESSION_BUS_ADDRESS": bus.address})
    shown = Mover("notifications", env=env)
    agent = start(service, env)
    service.wants(US)
    rows = [
        ({"off": True}, "0|All rules are off|Every key does its usual job. “lurk on” switches them on again."),
        ({}, "7|Rules are on again|"),
        ({"profile": "night", "sequence": 4}, "7|Profile night|Its rules are in force now."),
        ({"profile": "night", "trying": True, "seconds_left": 30}, "7|Rules are being tried|For 30 seconds; then all is as before."),
        ({"profile": "night", "sequence": 4}, "7|The trial is over|All is as it was before."),
        ({"trying": True, "seconds_left": 5}, "7|Rules are being tried|For 5 seconds; then all is as before."),
        ({"sequence": 5}, "7|The rules that were tried stay|"),
        # Of the computer's, while one's own are as they were: what came of it does not show.
        ({"sequence": 5, "trying": True, "seconds_left": 9}, "7|Rules are being tried|For 9 seconds; then all is as before."),
        ({"sequence": 5}, "7|The trial is over|"),
        ({"sequence": 5, "keyboards": [{"name": "Dipper", "trouble": 0}, {"name": "<b>Heron</b> & co", "trouble": 12}]},
         "7|Rules are not in force|&lt;b&gt;Heron&lt;/b&gt; &amp; co: "),
    ]
    for status, wanted in rows:
        service.changes(**status)
        got = shown.next()
        assert got == wanted or (wanted.endswith(": ") and got.startswith(wanted) and len(got) > len(wanted)), got
    # The same again is nothing new, nor is what was so when the service came back; many changes are one question.
    service.changes(**rows[-1][0])
    service.end()
    service = Service()
    service.accept()
    service.wants(US)
    service.changes(off=True)
    assert shown.next().startswith("7|All rules are off|")
    service.send({"jsonrpc": "2.0", "method": "changed"})
    service.send({"jsonrpc": "2.0", "method": "changed"})
    service.send({"jsonrpc": "2.0", "method": "changed"})
    service.answer_status()
    assert shown.next().startswith("7|Rules are on again|")
    service.answer_status()
    # What is no message of the protocol's ends nothing; an endless line ends the connection.
    for line in [b"\n", b"[]\n", b"{\n", b'{"method":7}\n', b'{"result":[]}\n', b'{"jsonrpc":"2.0","id":1,"result":{"keyboards":{},"off":0}}\n']:
        service.connection.sendall(line)
    service.changes(off=True)
    assert shown.next().startswith("7|All rules are off|")
    try:
        service.connection.sendall(b"x" * (2 << 20))
    except OSError:
        pass
    service.lines.close()
    service.connection.close()
    service.accept()
    service.wants(US)
    stop(agent)
    # Not where the person does not want any.
    os.makedirs(os.path.join(FOLDER, "lurk"), exist_ok=True)
    with open(os.path.join(FOLDER, "lurk", "agent.conf"), "w") as file:
        file.write("[agent]\nnotifications=false\n")
    agent = start(service, env)
    service.wants(US)
    service.changes(off=True)
    os.unlink(file.name)
    stop(agent)
    agent = start(service, env)
    service.wants(US)
    service.changes(trying=True, seconds_left=9)
    got = shown.next()
    assert got == "0|Rules are being tried|For 9 seconds; then all is as before.", got
    stop(agent)
    # What a menu's entry did: why not, in any case; that it did, where nobody else shows it.
    for words, status, wanted in [(["printf", "All <off>\\n"], 0, "0|Done|All &lt;off&gt;"),
                                  (["sh", "-c", "echo no -- such; echo why >&2; exit 3"], 1, "0|That could not be done|why")]:
        done = subprocess.run([AGENT, "--show", *words], env=env, capture_output=True, timeout=PATIENCE_S)
        assert done.returncode == status and shown.next() == wanted, (done, wanted)
    agent = start(service, env)
    service.wants(US)
    state, programs = os.path.join(FOLDER, "state"), os.path.join(FOLDER, "programs")
    os.mkdir(programs)
    with open(programs + "/lurk", "w") as file:
        # Asked so that it asks no display, which may be stuck.
        file.write(f"#!/bin/sh\n[ -z \"$DISPLAY$WAYLAND_DISPLAY\" ] && exec cat {state}\necho $$\n")
    os.chmod(file.name, 0o755)
    env["PATH"] = programs + ":" + os.environ["PATH"]
    assert subprocess.run([AGENT, "--show", "sh", "-c", f"echo off > {state}; echo Off"], env=env).returncode == 0
    assert subprocess.run([AGENT, "--show", FOLDER + "/none"], env=env).returncode == 127
    service.changes(off=True)
    assert shown.next().startswith("0|All rules are off|")
    # It was so already: nothing changes, so nobody else shows it.
    assert subprocess.run([AGENT, "--show", "echo", "Off"], env=env).returncode == 0
    assert shown.next() == "0|Done|Off"
    stop(agent)
    for one in [shown, mover, bus, service]:
        one.end()


# ---- Neither ---------------------------------------------------------------------------------------------------------


def no_session():
    why = "lurk-agent: no session of a desktop is here: neither WAYLAND_DISPLAY nor a DISPLAY of this computer is set"
    for more in [{}, {"DISPLAY": "192.0.2.1:0"}, {"DISPLAY": ":0", "SSH_CONNECTION": "x"}, {"WAYLAND_DISPLAY": "wayland-test", "SSH_CONNECTION": "x"}]:
        assert layouts(PLAIN | more) == (os.EX_CONFIG, why), more
        assert subprocess.run([AGENT], env=PLAIN | more, capture_output=True).returncode == os.EX_CONFIG
    for words, what in [(["--layout"], "Unknown option --layout"), (["now"], "`now` is not expected here"),
                        (["--show"], "--show takes a command, as in lurk-agent --show lurk off")]:
        done = subprocess.run([AGENT, *words], capture_output=True, text=True, env=PLAIN)
        assert done.returncode == 1 and done.stderr == f"lurk-agent: {what}\n", done
    # A display that is stuck: it ends by itself, and the command goes on without it.
    stuck = socket.socket(socket.AF_UNIX)
    stuck.bind(os.path.join(FOLDER, "wayland-stuck"))
    stuck.listen()
    env = PLAIN | {"WAYLAND_DISPLAY": "wayland-stuck"}
    assert subprocess.run([AGENT, "--layouts"], env=env, capture_output=True).returncode == -signal.SIGALRM
    write_profile("lurk: 1\nrules:\n- {press: Shift+F9, gives: {text: 'ab'}}\n")
    assert check_json(env).get("layout_from") in ["system", None]


TESTS = [x_tells_each_change, x_types_with_another, the_command_takes_the_sessions, a_compositor_alone, sway_tells, sway_types_with_another, kde_tells, gnome_tells, what_changed_is_shown,
         no_session]
try:
    for test in TESTS:
        if not sys.argv[4:] or test.__name__ in sys.argv[4:]:
            test()
            print("ok", test.__name__, flush=True)
finally:
    shutil.rmtree(FOLDER)
