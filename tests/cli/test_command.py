"""The command, driven as a user drives it: test_command.py LURK DATA [NAME...]"""
import fcntl
import json
import os
import pty
import re
import shlex
import shutil
import struct
import subprocess
import sys
import tempfile
import termios

LURK, DATA = os.path.abspath(sys.argv[1]), os.path.abspath(sys.argv[2])
WRAPPER = os.environ.get("LURK_WRAPPER", "").split()  # such as valgrind
HEAD = "lurk: 1\nrules:\n"
# What a terminal would do something else with than show it.
OBEYED = re.compile("[\0-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]")
EVIL = ["\033[31mred", "\x9b31mred", "\x9d0;title\x9c", "\u202egnp.x", "a\u2066b", "\x7f", "\u2028", "bell\a", "\r\033[K"]


class Desk:
    """A fresh folder with the demo's desk in it, as `hide`."""

    def __init__(self):
        self.folder = tempfile.mkdtemp(prefix="lurk-test-")

    def path(self, name):
        return os.path.join(self.folder, name)

    def write(self, name, text):
        os.makedirs(os.path.dirname(self.path(name)), exist_ok=True)
        mode = "wb" if isinstance(text, bytes) else "w"
        with open(self.path(name), mode) as file:
            file.write(text)

    def read(self, name):
        with open(self.path(name)) as file:
            return file.read()

    def want_unwritten(self, arguments):
        """Where nothing can be written to, that is said, and it was no success."""
        result = self.run(arguments, stdout="/dev/full")
        assert result.returncode == 3 and "the output could not be written" in result.stderr, (arguments, result)

    def run(self, arguments, stdin="", desk="hide", env=(), stdout=None):
        environment = {"PATH": os.environ["PATH"], "HOME": self.folder, "LSAN_OPTIONS": os.environ.get("LSAN_OPTIONS", ""), **dict(env)}
        if desk:
            environment["LURK_DESK"] = desk
        with open(stdout or os.devnull, "w") as out:
            return subprocess.run([*WRAPPER, LURK, *arguments], input=stdin, stdout=out if stdout else subprocess.PIPE,
                                  stderr=subprocess.PIPE, text=True, cwd=self.folder, env=environment)

    def want(self, arguments, status=0, out=(), err=(), stdin="", **kw):
        """Runs and checks: every text of out and err is there; `out` as one string is all of it."""
        if isinstance(arguments, str):
            arguments = arguments.split()
        result = self.run(arguments, stdin, **kw)
        told = f"lurk {' '.join(arguments)}\nstatus {result.returncode}\n{result.stdout}{result.stderr}"
        assert result.returncode == status, told
        if isinstance(out, str):
            assert result.stdout == out, f"{told}\nwanted:\n{out}"
        for text in [] if isinstance(out, str) else out:
            assert text in result.stdout, f"{told}\nwanted: {text}"
        for text in [err] if isinstance(err, str) else err:
            assert text in result.stderr, f"{told}\nwanted: {text}"
        if status > 1 and "--apply" not in arguments:
            lines = [line for line in result.stderr.splitlines() if not line.startswith("New desk")]
            assert lines, told
            assert not result.stdout or "--json" in arguments or "play" in arguments or "identify" in arguments or "decode" in arguments, told
        assert not OBEYED.search(result.stdout + result.stderr), repr(told)
        return result.stdout

    def got(self, script):
        """What the computer got while a script was played, and the text that arrived."""
        rows = [json.loads(line) for line in self.want("play --json -", stdin=script).splitlines()]
        got = []
        for event in ", ".join(r["got"] for r in rows if r["got"]).split(", "):
            repeats = re.fullmatch(r"(\d+) repeats?", event)
            if repeats and got and isinstance(got[-1], int):
                got[-1] += int(repeats[1])
            else:
                got.append(int(repeats[1]) if repeats else event)
        return ", ".join(f"{e} repeats" if isinstance(e, int) else e for e in got), "".join(r["text"] for r in rows)


def demo(desk):
    """The story is the acceptance test."""
    told = desk.want("demo", desk=None)
    assert told == open(os.path.join(DATA, "demo.txt")).read(), "the demo tells another story"


def help_everywhere(desk):
    listed = desk.want("--help", out=["Commands:", "Exit status"])
    commands = re.findall(r"^  ([a-z]+) ", listed.split("Commands:")[1], re.M)
    assert len(commands) == 33, commands
    letters = {}  # one letter, one meaning in all of them
    for command in commands:
        told = desk.want([command, "--help"], out=["Usage: lurk " + command, "xample", "--json"])
        assert "Everywhere" not in told and len(told.splitlines()) < 50, told
        for letter, word in re.findall(r"^  -(\w), --([a-z-]+)", told, re.M):
            assert letters.setdefault(letter, word) == word, (command, letter, word, letters[letter])
        desk.want_unwritten([command, "--help"])
    desk.want("--version", out=["lurk 0.1"])
    for words in ("--version", "--help", "", "status", "status --json", "show", "keyboards", "check", "picture", "resolve --list", "layout"):
        desk.want_unwritten(words.split())
    assert desk.want("map -h") == desk.want("map --help") and desk.want("-h").startswith("Lurk gives") == desk.want("--help").startswith("Lurk gives")


USED_WRONGLY = [
    ("mpa NumLock Tab", "there is no command `mpa`; did you mean `lurk map`?"),
    ("frobnicate", "there is no command `frobnicate`; `lurk --help` lists them"),
    ("map", "say which key"),
    ("map NumLock", "say what NumLock shall give: a key, a chord, `nothing`, --text TEXT, --use PROFILE or --toggle"),
    ("map F12 --profile base", "say what F12 shall give"),
    ("swap NumLock", "the second key is missing"),
    (["--desk", "", "keyboards"], "--desk takes a folder, such as --desk hide"),
    ("map F1 F2 -k heron -k wagtail", "one keyboard at a time"),
    ("map F1 F2 --force", "--force goes with --apply"),
    ("disable F1 --broken", "say on which keyboard it is broken: --broken --keyboard NAME"),
    (["map", "F7", "--text", "x\udcff"], "--text is not UTF-8"),
    ("map F1 F2 --text x", "one result: a key, --text, --toggle or --use"),
    ("map F1 --text=", "--text is empty"),
    ("map F1 --text 'чайка'", "the layout gb has no keys for ч (U+0447); these have: ru"),
    ("map F1 --use nihgt", "there is no profile `nihgt`; `lurk profile new nihgt` makes it"),
    ("profile new a.b", "`a.b` cannot be a profile's name"),
    ("profile new base", "`base` cannot be a profile's name"),
    ("profile new night --based-on bass", "there is no profile `bass` to base it on"),
    ("profile nwe", "`lurk profile list`, new, rename or remove, not `nwe`"),
    ("use", "say which profile, or --previous"),
    ("layout tpye", "`lurk layout tpye` is nothing; did you mean type?"),
    ("layout take /media/Reed.txt", "`Reed.txt` is no name for a layout: small letters, digits and _, at most 31; `lurk layout take FILE NAME` calls it otherwise"),
    ("layout frob", "did you mean list, begin, take, type, copy, after, restore, call, show, check, install, use, uninstall or pack?"),
    ("layout begin", "say what it is called: `lurk layout begin NAME`"),
    ("layout begin Tern", "`Tern` is no name for a layout: small letters, digits and _"),
    ("layout begin gb", "the system has a layout, or a part of some, that is called `gb`"),
    ("layout begin tern --from xx", "there is no layout `xx`; write one such as us, gb or de:nodeadkeys"),
    (["layout", "begin", "tern", "--words", "German"], "de is called \"German\" already, and menus tell two apart"),
    ("layout show tern --from gb", "--from and --words are for `lurk layout begin`"),
    ("layout type tern KeyM", "say which layout, which key and which sign"),
    ("layout type tern KeyM x y", "`y` is not expected here"),
    ("layout show tern", "you have no layout `tern`; `lurk layout` lists yours, `lurk layout begin NAME` makes one"),
    ("layout install ../tern", "you have no layout `../tern`"),
    ("layout uninstall ../tern", "`../tern` is no name for a layout"),
    ("use night --", "the command to run is missing behind `--`"),
    ("map NumLock Tab Insert", "`Insert` is one word too many"),
    (["map", "NumLock to Tab", "Insert"], "`Insert` is one word too many"),
    ("map NumLock -", "`-` may be what a shell left of an arrow"),
    ("map 58 Tab", "`58` is a bare number and can be read in several ways; write one: set1:58 is F12 (set 1)"),
    ("map NumLock delete", "`delete` can mean several keys"),
    ("map NumLock Tab --keyboard wagtial", "no keyboard is called `wagtial`; keyboards.yaml has heron, wagtail"),
    ("map NumLock Tab --frob", "unrecognized option '--frob'"),
    ("restore", "say which key"),
    ("restore F1 --all", "do not go together"),
    ("resolve", "say which key"),
    ("resolve --list a b", "takes one word"),
    ("decode x", "say what the bytes are"),
    ("decode --as set3 x", "takes set1, set2, hid, consumer or pairs, not `set3`"),
    ("decode --as set1", "say which file"),
    ("decode --as set1 a b", "one file at a time"),
    ("play", "say which script"),
    ("play a b", "one script at a time"),
    ("identify NumLock", "press the key instead"),
    ("show x", "`x` is not expected here"),
    ("keyboards F1", "keys go with --broken"),
    ("keyboards --broken", "say which keys"),
    ("keyboards --broken --missing F1", "one of --broken"),
    ("keyboards --broken F1", "say on which keyboard"),
    ("keyboards --broken F99 --keyboard heron", "`F99` is no key"),
    ("keyboards --broken F1 --keyboard gull", "no keyboard is called `gull`"),
    ("keyboards --name teal", "every keyboard here has a name already"),
]

COULD_NOT = [
    (["map", "F7", "F8", "--note", "x\udcff"], "the note is not UTF-8"),
    (["swap", "F7", "F8", "--note", "\udcff"], "the note is not UTF-8"),
    ("apply", "there is no such profile yet; `lurk map KEY RESULT` makes it"),
    ("play nowhere.desk", "nowhere.desk: No such file"),
    ("identify --play nowhere.desk", "nowhere.desk: No such file"),
    ("decode --as set1 nowhere", "nowhere: No such file"),
    ("map F1 F2 --profile nihgt", "there is no profile `nihgt`; `lurk profile list` lists them, `lurk profile new nihgt` makes it"),
    ("map F1 F2 --profile /proc/lurk/profile.yaml", "/proc/lurk/profile.yaml: its folder cannot be made"),
    ("--desk nowhere/x/desk keyboards", "nowhere/x/desk: no desk can be made there: No such file or directory"),
    ("show --profile .", "is a folder, not a file"),
    ("layout take nowhere", "nowhere: there is no such file"),
    ("layout take hide", "hide: is a folder, not a file"),
    ("layout take hide/desk.yaml tern", "hide/desk.yaml: it is no layout: "),
]


def used_wrongly(desk):
    desk.want("keyboards")
    for status, rows in [(2, USED_WRONGLY), (3, COULD_NOT)]:
        for arguments, message in rows:
            desk.want(arguments, status, err=message)
            # For programs the same, as the one object that is printed.
            result = desk.run(["--json", *(arguments.split() if isinstance(arguments, str) else arguments)])
            failure = json.loads(result.stdout)
            assert message in failure["error"] and failure["exit"] == status == result.returncode, (arguments, failure, message)
    assert json.loads(desk.run(["map", "-jk", "heron", "F1", "xyzzyx"]).stdout)["exit"] == 2
    assert not desk.run(["map", "-kheronj", "F1", "F2"]).stdout
    assert json.loads(desk.want("--json"))["reached"] is True and json.loads(desk.want("--json", desk=None))["reached"] is False
    assert not os.path.exists(desk.path("hide/profile.yaml")), "something was changed"
    assert os.listdir(desk.folder) == ["hide"], os.listdir(desk.folder)


def without_a_desk(desk):
    for command in ["keyboards", "status", "identify", "keyboards --name x"]:
        desk.want(command, 3, err="the service does not run, so no rule is in force", desk=None)
    desk.want("", out=["Its service does not answer", "lurk identify"], desk=None)
    desk.want("map NumLock Tab", out=["NumLock now gives Tab."], desk=None, env={"XDG_CONFIG_HOME": desk.path("c"), "XDG_STATE_HOME": desk.path("s")}.items())
    desk.want("show", out=["NumLock"], desk=None, env={"XDG_CONFIG_HOME": desk.path("c"), "XDG_STATE_HOME": desk.path("s")}.items())
    desk.want("undo", out=["Took back the last edit"], desk=None, env={"XDG_CONFIG_HOME": desk.path("c"), "XDG_STATE_HOME": desk.path("s")}.items())


def broken_files(desk):
    desk.want("keyboards")
    for name in ["profile.yaml", "keyboards.yaml", "desk.yaml"]:
        whole = desk.read("hide/" + name) if os.path.exists(desk.path("hide/" + name)) else None
        for text in ["rules: [\n", "\t\n", "a: b: c\n", b"\xff\xfe\x00l", "x: 1\n"]:
            desk.write("hide/" + name, text)
            before = open(desk.path("hide/" + name), "rb").read()
            for command in ["map NumLock Tab", "show", "apply", "try", "check", "diff", "keyboards", "restore --all"]:
                desk.want(command, 3, err=f"hide/{name}:")
            assert open(desk.path("hide/" + name), "rb").read() == before
        if whole:
            desk.write("hide/" + name, whole)
        else:
            os.remove(desk.path("hide/" + name))
    desk.write("hide/profile.yaml", HEAD + "# much\n" * 200000)
    desk.want("show", 3, err="hide/profile.yaml: larger than 1024 KiB")
    desk.write("hide/profile.yaml", HEAD + "".join(f"- {{press: 'hid:07:{i:04x}', gives: F1}}\n" for i in range(4096)))
    desk.want("apply", out=["4096 rules"])
    os.remove(desk.path("hide/profile.yaml"))
    os.rename(desk.path("hide/computer"), desk.path("hide/was"))
    os.makedirs(desk.path("hide/computer/x"))
    desk.want("play -", 3, err="hide/computer: cannot be written")
    shutil.rmtree(desk.path("hide/computer"))
    desk.write("hide/computer", "clock x\nplugged wagtail cable usb-1\nplugged nobody radio\nplugged heron\n\0\n")
    desk.want("keyboards", out=["1 keyboard here, 3 more known"])
    os.remove(desk.path("hide/computer"))
    desk.write("xkb/symbols/gb", 'xkb_symbols "basic" { broken')  # the system's own: what needs no text works
    for name in set(os.listdir(SYSTEM_LAYOUTS)) - {"symbols"}:
        os.symlink(f"{SYSTEM_LAYOUTS}/{name}", desk.path("xkb/" + name))
    system = {"XKB_CONFIG_ROOT": desk.path("xkb")}
    desk.want("keyboards", env=system, out=["4 keyboards here"])
    desk.want("play -", env=system, stdin="press KeyA on heron\n", out=["KeyA down ", "(no text arrives: there is no layout `gb`"])
    desk.want("play -", 2, env=system, stdin='type "a" on heron\n', err="-:1: this layout cannot be read: `gb`")


def edits(desk):
    """Each command that edits, with what follows from it; what edits do to rules is tested below the command."""
    for command, said in [("map 1 to 2", "Digit1 now gives Digit2."), ("map F13 -> F14", "F13 now gives F14."), (["map", "F17 -> F18"], "F17 now gives F18."), (["swap", "left alt and F19"], "AltLeft and F19 are swapped."), ("map F15 = F16", "F15 now gives F16."),
                          ("map F17 none", "F17 now gives nothing."), ("swap F18 and F19", "F18 and F19 are swapped.")]:
        desk.want(command, out=[said], desk="other")
    desk.want(["map", "F20", "--text", "->"], out=['F20 now gives the text "->".'], desk="other")
    desk.want(["map", "F17", "No action"], out=["F17 now gives nothing."], desk="other")
    desk.want("swap NumLock Control", 2, err="Control is two keys, and NumLock is one: say ControlLeft or ControlRight")
    for command, said in [("map NumLock to Tab", "NumLock now gives Tab."), ("swap Control Alt -k wagtail", "Control and Alt are swapped on wagtail, left and right."),
                          ("disable F20", "F20 now gives nothing."), ("move Delete F9 -k heron", "F9 now gives Delete on heron, and Delete gives nothing."),
                          ("off NumLock", "The rule on NumLock is switched off, and kept in the file."), ("restore F20", "F20 has its usual job again.")]:
        desk.want(command, out=[said])
    os.chmod(desk.path("hide/profile.yaml"), 0o640)
    desk.want(["map", "F1", "F2", "--note", "for the log"])
    assert os.stat(desk.path("hide/profile.yaml")).st_mode & 0o777 == 0o640
    assert sorted(os.listdir(desk.path("hide"))) == ["computer", "desk.yaml", "keyboards.yaml", "profile.yaml", "storage", "undo"]
    shown = json.loads(desk.want("show --json"))
    assert [(r["press"], r["gives"], r["swap"], r["keyboard"], r["off"], r["note"]) for r in shown["rules"]] == [
        ("NumLock", "Tab", False, None, True, ""), ("Control", "Alt", True, "wagtail", False, ""), ("Delete", "nothing", False, "heron", False, ""),
        ("F9", "Delete", False, "heron", False, ""), ("F1", "F2", False, None, False, "for the log")], shown


def what_is_said(desk):
    desk.want("map NumLock Tab", out="NumLock now gives Tab.\nBefore, it gave NumLock.\n"
              "No key gives NumLock any more. `lurk swap NumLock Tab` would keep both; `lurk map KEY NumLock` gives another key that job.\n"
              "It stands in hide/profile.yaml, line 6. Not in force yet: `lurk apply` puts it into force.\n")
    desk.want("map NumLock Insert --apply", out="NumLock now gives Insert.\nBefore, it gave Tab.\n"
              "It is in force now, and will be after a reboot.\n")
    desk.want("restore F1", 1, out="No rule changes F1: there is nothing to restore.\n")
    desk.want("restore F1 --json", 1, out='{"did":null}\n')
    desk.want("restore --all", 1, out="The profile has no rule: there is nothing to restore.\n", desk="other")
    desk.want("restore --all --apply", out=["It is in force now"], desk="other")
    desk.want("swap Control Alt -k wagtail", out=["Control and Alt are swapped on wagtail, left and right.\nIt stands"])
    desk.want("show", out=["added     Control and Alt are swapped on wagtail"])
    desk.want("status", out=["1 rule in force since 2031-05-04 05:30, from hide/profile.yaml.", "1 difference that is not in force"])
    desk.want("", out=["1 rule in force on 4 keyboards", "1 difference not in force yet", "lurk apply"])
    told = json.loads(desk.want("map F1 F2 --json"))
    findings = told["findings"]
    assert [(f["code"], f["severity"], f["line"]) for f in findings] == [("locked-out", "lock-out", 10), ("lost", "warning", 10)], findings
    assert told == {
        "did": "F1 now gives F2", "line": 10, "file": "hide/profile.yaml", "before": "F1", "findings": findings, "applied": False, "in_force": False}
    desk.want("undo --json")
    status = json.loads(desk.want("status --json"))
    assert status["rules"] == 1 and status["after_reboot"] and len(status["keyboards"]) == 4
    assert {k["keyboard"]: k["way"] for k in json.loads(desk.want("apply --json"))["keyboards"]} == {
        "heron": "relay", "wagtail": "relay", "curlew": "relay", "dipper": "plain"}
    desk.want("keyboards", out=["heron     built in, PS/2, controller port 0  1      relay  built-in"])
    desk.write("hide/profile.yaml", HEAD + "- press: F1\n  gives: {text: teal}\n- press: F2\n  gives: F3\n  off: true\n")
    desk.want("show", out=['the text "teal"', "F3 (switched off)"])
    desk.write("hide/profile.yaml", HEAD + "- press: F1\n  gives: {text: чиж}\n")
    desk.want("show", out=['the text "чиж" (no keys for it)'])
    desk.want("apply", 1, err="refused, and nothing is changed", out=["cannot-type"])
    desk.want("apply --force", 3, err="hide/profile.yaml:4:17: the layout has no keys for `ч` (U+0447); these have: ru")
    desk.want("map F5 F6", out=["F5 now gives F6."])
    desk.want("map F5 F7 --apply", 1, err="refused, and nothing is changed")


def refused_edits(desk):
    """An edit with --apply that is refused leaves all as it was, and says one thing; a key that is stuck is silenced."""
    told = desk.want("map Backspace KeyA --apply", 1, err="refused, and nothing is changed", out=["No key gives Backspace any more"])
    assert "now gives" not in told and "line" not in told and not os.path.exists(desk.path("hide/profile.yaml")), told
    desk.want("undo", 1, out=["There is nothing to undo."])
    desk.want("map Backspace KeyA --apply --force", out=["Backspace now gives KeyA.", "It is in force now"])
    desk.want("undo", out=["In force now: no rule. hide/profile.yaml is as before it, too."])
    desk.want("disable Backspace --apply", 1, out=["silenced all the same on the one keyboard that has it: --keyboard NAME."])
    desk.want("keyboards --keyboard wagtail --broken Backspace")
    desk.want("keyboards --keyboard dipper --broken Backspace")
    desk.want("map Backspace KeyA --apply -k heron", 1, err="refused")
    desk.want("disable Backspace --broken --apply -k heron",
              out=["Backspace now gives nothing on heron; it is noted as broken.", "No key gives Backspace any more.",
                   "`lurk move Backspace NEWKEY --keyboard heron` gives its job to another key.", "It is in force now"])
    desk.want("move Backspace Pause -k heron --apply", out=["Pause now gives Backspace on heron, and Backspace gives nothing."])
    desk.want("move Backspace ScrollLock -k heron --apply", out=["Pause has its usual job again"])
    assert desk.got("press Backspace on heron\npress Pause\npress ScrollLock")[0] == "Pause down, Pause up, Backspace down, Backspace up"
    desk.want("undo", out=["Took back the last edit and its apply: ScrollLock now", "Before that: edit and its apply: Pause now gives Backspace on heron"])
    desk.want("undo", out=["Before that: edit and its apply: Backspace now gives nothing on heron; it is noted as broken"])
    desk.want("undo", out=["Before that: edit: On dipper these are broken"])
    assert "heron: {built-in: true}" in desk.read("hide/keyboards.yaml") and not os.path.exists(desk.path("hide/profile.yaml"))


def undo(desk):
    desk.want("undo", 1, out=["There is nothing to undo."])
    desk.want("map NumLock Tab")
    desk.want("apply")
    desk.want("map F8 F9")
    desk.want("apply")
    desk.want("undo", out=["Took back the last apply: 2 rules.", "the rules of before it"])
    assert desk.got("press NumLock on wagtail\npress F8")[0] == "Tab down, Tab up, F8 down, F8 up"
    desk.want("undo", out=["Took back the last edit: F8 now gives F9."])
    desk.want("undo", out=["Took back the last apply: 1 rule.", "In force now: no rule."])
    desk.want("apply", out=["`lurk undo` takes this back."])
    # With nothing new there is no version more, and nothing to take back.
    versions, steps = desk.want("versions"), os.listdir(desk.path("hide/undo"))
    desk.want("apply", out=["In force now", "Nothing in it is new, so there is no new version."])
    assert desk.want("versions") == versions and os.listdir(desk.path("hide/undo")) == steps
    desk.write("hide/profile.yaml", desk.read("hide/profile.yaml").replace("gives: Tab", "gives: Insert"))
    desk.want("apply")
    # An apply of which nobody knows: the step before it is not what is in force.
    os.unlink(desk.path("hide/undo/" + sorted(os.listdir(desk.path("hide/undo")))[-1]))
    desk.write("hide/profile.yaml", desk.read("hide/profile.yaml") + "# by hand\n")
    desk.want("undo", 3, err="what is in force is not what the last apply put there")
    desk.want("map F3 F4")
    desk.write("hide/profile.yaml", desk.read("hide/profile.yaml") + "# by hand\n")
    desk.want("undo", 3, err="hide/profile.yaml was changed by someone else since the last edit (F3 now gives F4)")
    newest = sorted(os.listdir(desk.path("hide/undo")))[-1]
    desk.write("hide/undo/" + newest, "edit\n")
    desk.want("undo", 3, err="damaged")
    for i in range(60):
        desk.want(f"map F1 F{i % 12 + 2}")
    assert len(os.listdir(desk.path("hide/undo"))) <= 50


def names(desk):
    desk.want("keyboards")
    desk.write("hide/keyboards.yaml", "# mine\nkeyboards:\n")
    desk.want("keyboards", out=["(Wagtail desk keyboard)", "Some have no name of yours"])
    desk.want("keyboards --name teal", 2, err="several keyboards have no name yet")
    desk.want("keyboards --name teal --play -", stdin="press F1 on wagtail", out=["Wagtail desk keyboard is now called teal."])
    desk.want("keyboards --name dove --play -", 2, stdin="press F1 on wagtail", err="is called teal already")
    desk.want("keyboards --name dove --play -", 2, stdin="wait 1s", err="no key was pressed")
    desk.want("keyboards --name dove --play -", 2, stdin="press F77 on wagtail", err="this keyboard has no key `F77`")
    desk.want("keyboards --name -", 2, stdin="", err="several")
    desk.want("keyboards --name heron --play -", stdin="press F1 on heron")
    desk.want("keyboards --name a:b --play -", 2, stdin="press F1 on curlew", err="this keyboard has no key `F1`")
    desk.want("keyboards --name a/b --play -", 2, stdin="press Feather on curlew", err="`a/b` is no name for a keyboard")
    desk.want("keyboards --keyboard heron --broken Delete")
    desk.want("keyboards --keyboard heron --broken Insert F9 insert", out=["On heron these are broken: Delete, Insert, F9."])
    before = desk.read("hide/keyboards.yaml")
    desk.want("keyboards --keyboard heron --broken F9 Delete", 1, err="on heron these are broken already: Delete, Insert, F9")
    # However many there are, each is there.
    keys = [f"F{n}" for n in range(1, 25)] + [f"Numpad{n}" for n in range(10)] + [f"Digit{n}" for n in range(10)] + [f"Key{c}" for c in "ABCDEFGHIJKLMNOPQRSTUVWXYZ"]
    nicks = ", ".join(f'Nick{n}: "hid:07:{n + 4:02x}"' for n in range(59))
    desk.write("hide/keyboards.yaml", f'keyboards:\n  wagtail: {{usb: "fade:0001", nicknames: {{{nicks}}}}}\n')
    desk.want(["keyboards", "--keyboard", "wagtail", "--broken", *keys])
    desk.want("keyboards --keyboard wagtail --nickname hid:07:50=Nick59")
    text = desk.read("hide/keyboards.yaml")
    assert all(re.search(rf"[ \[]{key}[,\]]", text) for key in keys) and text.count("Nick") == 60, text
    desk.write("hide/keyboards.yaml", before)
    assert desk.read("hide/keyboards.yaml") == (
        '# mine\nkeyboards:\n  teal: {usb: "fade:0001"}\n  heron: {built-in: true, broken: [Delete, Insert, F9]}\n')
    desk.want("keyboards", out=["broken Delete, Insert, F9"])
    rows = [json.loads(line) for line in desk.want("keyboards --json").splitlines()]
    assert [r["keyboard"] for r in rows] == ["heron", "teal", "Curlew pad", "Dipper travel keyboard"]


TWINS = """desk: 1
layout: gb
keyboards:
  left: {calls-itself: Teal pad, wired: usb, product: "fade:0011", place: usb-1}
  right: {calls-itself: Teal pad, wired: usb, product: "fade:0011", place: usb-2}
  one: {calls-itself: Teal pad, wired: usb, product: "fade:0012", place: usb-3, serial: S1}
  two: {calls-itself: Teal pad, wired: usb, product: "fade:0012", place: usb-4, serial: S2}
"""


def equal_keyboards(desk):
    """Each gets a name of its own, by what tells it from the other, and rules are for that one alone."""
    desk.write("hide/desk.yaml", TWINS)
    desk.want("keyboards", out=["Two call themselves Teal pad, and say the same of themselves: only their places, usb-1 and usb-2, tell them apart."])
    for pad, name, said in [("left", "dove", "it is known by its place, usb-1"), ("right", "gull", "by its place, usb-2"), ("two", "tern", "is now called tern.")]:
        desk.want(f"keyboards --name {name} --play -", stdin=f"press F1 on {pad}", out=[said])
    assert desk.read("hide/keyboards.yaml").endswith('  dove: {usb: "fade:0011", place: usb-1}\n  gull: {usb: "fade:0011", place: usb-2}\n'
                                                     '  tern: {usb: "fade:0012", serial: S2}\n'), desk.read("hide/keyboards.yaml")
    assert "Two call" not in desk.want("keyboards")
    desk.want("map F1 F7 -k gull --apply")
    assert desk.got("press F1 on left\npress F1 on right")[0] == "F1 down, F1 up, F7 down, F7 up"
    # Meant by what it calls itself, or by its place; it gets a name by that, in the same step.
    desk.want("map F2 F3 -k teal", 2, err="several keyboards here call themselves `teal`; say which by its place")
    desk.want("map F2 F3 -k usb-3", out=["Teal pad is now called teal-pad.\nF2 now gives F3 on teal-pad."])
    assert '  teal-pad: {usb: "fade:0012", serial: S1}\n' in desk.read("hide/keyboards.yaml")
    desk.want("undo", out=["F2 now gives F3 on teal-pad"])
    assert "teal-pad:" not in desk.read("hide/keyboards.yaml") and "F2" not in desk.read("hide/profile.yaml")
    desk.want("picture -k usb-3", 3, err="Teal pad has no name yet; `lurk keyboards --name NAME` gives it one")
    # Named, or said to be odd, without a press.
    desk.want("keyboards --name wren -k teal", 2, err="several keyboards here call themselves `teal`")
    desk.want("keyboards -k usb-3 --press-only F9", out=["Teal pad is now called teal-pad.\nOn teal-pad these are press-only: F9.\n"])
    desk.want("undo")
    assert "teal-pad:" not in desk.read("hide/keyboards.yaml")
    desk.want("keyboards --name wren -k usb-3", out=["Teal pad is now called wren."])
    desk.want("keyboards --name owl -k wren", 2, err="is called wren already")
    desk.want("undo")
    # Named before there was a second one: that gets a name of its own all the same; and a name that a rule has is given anew.
    desk.write("hide/keyboards.yaml", 'keyboards:\n  both: {usb: "fade:0011"}\n')
    desk.want("apply", 3, err="no keyboard is called `gull`")
    desk.want("keyboards --name gull --play -", stdin="press F1 on right", out=["by its place, usb-2"])
    desk.want("apply")
    assert desk.got("press F1 on left\npress F1 on right")[0] == "F1 down, F1 up, F7 down, F7 up"
    desk.want("keyboards --name gulp --play -", 2, stdin="press F1 on right", err="is called gull already")


CHORD = "hold {} on {}\n" + "hold {}\n" * 2 + "wait 3s\nrelease {}\n"


def a_chord_that_can_be_sent(desk):
    """A keyboard that lacks a key of the off chord: said when that is known, another is offered, and none is shown that it has not."""
    cannot = "{} cannot send ShiftLeft, ShiftRight and Escape, which switch all rules off: {}. Another keyboard can, or `lurk keyboards --keyboard {} --off-chord {}` chooses others.\n"
    pad = cannot.format("curlew", "it does not have all of them", "curlew", "NumLock NumpadEnter")
    broken = cannot.format("heron", "one of them is broken", "heron", "ControlLeft ControlRight")
    desk.want("keyboards", out=[pad])
    assert broken in desk.want("keyboards -k heron --broken Escape") and pad not in desk.want("keyboards -k heron --broken F9")
    desk.want("map F8 F9 -k heron")
    desk.want("check", out=["[no-off-chord]", "`lurk keyboards --keyboard heron --off-chord ControlLeft ControlRight` takes others."])
    desk.want("picture -k heron", out=["All rules off: `lurk off`; no chord of this keyboard does that."])
    for keys, on, status, said in [("ShiftLeft ShiftRight Escape", "wagtail", 0, "It works on wagtail."), ("ShiftLeft ShiftRight Tab", "heron", 1, broken),
                                   ("ShiftLeft ShiftRight Tab", "wagtail", 1, "Only 2 of ShiftLeft"), ("Tab KeyA KeyB", "wagtail", 1, "It was not pressed.")]:
        one, two, three = keys.split()
        desk.want("keyboards --off-chord", status, stdin=CHORD.format(one, on, two, three, three), out=[said])
    desk.want("keyboards -k curlew --off-chord NumLock NumpadEnter")
    assert pad not in desk.want("keyboards")
    desk.want("keyboards --off-chord", stdin="hold NumLock on curlew\nhold NumpadEnter\nwait 3s\nrelease NumLock\n",
              out=["On curlew it is NumLock and NumpadEnter.", "It works on curlew."])


# A script, what the computer got, and the text that arrived (layout gb). First the rules of RULES.
PLAYS = [
    ("press KeyA on wagtail", "KeyA down, KeyA up", "a"),
    ("press Digit3 on wagtail\nhold ShiftLeft\npress Digit3\nrelease ShiftLeft",
     "Digit3 down, Digit3 up, ShiftLeft down, Digit3 down, Digit3 up, ShiftLeft up", "3£"),
    ('type "A#" on dipper', "ShiftLeft down, KeyA down, KeyA up, ShiftLeft up, Backslash down, Backslash up", "A#"),
    ("press Fn on wagtail", "", ""),
    ("press Tern on wagtail\npress Gull", "F13 down, F13 up, F13 down, F13 up", ""),
    ("press Feather on curlew", "LaunchMail down, LaunchMail up", ""),
    ("press KnobRight on curlew\npress KnobClick", "AudioVolumeUp down, AudioVolumeUp up, MediaRecord down, MediaRecord up", ""),
    ("press Perch on heron\npress Perch", "F13 down, F13 up, F13 down, F13 up", ""),
    ("wait 21s", "", ""),  # End presses itself, and gives nothing
    ("press Pause on heron", "End down, End up", ""),
    # Seven at once: the seventh does not arrive before another is released.
    ("\n".join(f"hold Key{k} on wagtail" for k in "ASDFJKL") + "\nrelease KeyA\n" +
     "\n".join(f"release Key{k}" for k in "SDFJKL"),
     "KeyA down, KeyS down, KeyD down, KeyF down, KeyJ down, KeyK down, 5 repeats, KeyA up, KeyL down, KeyS up, KeyD up, "
     "4 repeats, KeyF up, 3 repeats, KeyJ up, 4 repeats, KeyK up, 4 repeats, KeyL up", "asdfj" + "k" * 6 + "l" * 16),
    ("press KeyA on wagtail for 1s", "KeyA down, 23 repeats, KeyA up", "a" * 24),
    # The keyboard repeats by itself on the wire; relayed, the computer repeats for it.
    ("press KeyA on heron for 1s", "KeyA down, 23 repeats, KeyA up", "a" * 24),
    ("press PrintScreen on heron\nhold AltLeft\npress PrintScreen\nrelease AltLeft",
     "PrintScreen down, PrintScreen up, AltLeft down, PrintScreen down, PrintScreen up, AltLeft up", ""),
    # With Control it sends another code, and is the same key.
    ("press Pause on heron\nhold ControlLeft\npress Pause\nrelease ControlLeft",
     "End down, End up, ControlLeft down, End down, End up, ControlLeft up", ""),
    ("press ControlLeft on dipper\nunplug dipper\nplug dipper by radio\npress ControlLeft on dipper",
     "AltLeft down, AltLeft up, AltLeft down, AltLeft up", ""),
    ("hold NumLock on wagtail\nunplug wagtail\nwait 1s\nplug wagtail in usb-5\npress AltLeft on wagtail",
     "Tab down, Tab up, AltLeft down, AltLeft up", "⇥"),
    ("hold NumLock on wagtail\nreboot\npress NumLock on wagtail", "Tab down, Tab down, Tab up", "⇥⇥"),
    ("press NumLock on curlew\npress Numpad7", "Tab down, Tab up, Numpad7 down, Numpad7 up", "⇥"),
]
RULES = ["map NumLock Tab", "swap Control Alt -k dipper", "map hid:07:a5 LaunchMail -k curlew",
         "map AudioVolumeMute MediaRecord -k curlew", "move End Pause -k heron",
         "keyboards -k heron --press-only F13", "apply"]


def plays(desk):
    assert desk.got("press KeyA on heron for 1s") == ("KeyA down, 6 repeats, KeyA up", "a" * 7)
    for command in RULES:
        desk.want(command)
    for script, got, text in PLAYS:
        here = desk.got(script)
        # Between two plays fingers are off all keys, and keyboards back on their cables.
        if "radio" in script:
            desk.got("unplug dipper\nplug dipper")
        assert here == (got, text), (script, here)
    bad = [("jump", "a script has press, hold"), ("press", "this is written `press KEY"), ("press Q1 on wagtail", "has no key `Q1`"),
           ("press F1 on gull", "no keyboard on this desk is called `gull`"), ("wait x", "a time such as 80ms"),
           ("plug wagtail", "already plugged in"), ("unplug heron\npress F1 on heron", "not plugged in"),
           ("plug heron\nplug wagtail by radio", "already plugged in: `wagtail`"), ("cut x", "`cut power`"),
           ("cut power after x bytes", "a number of bytes"), ("cut power\nwait 1s", "the power is off"), ("power off", "`power on`"),
           ('type "x', "a closing quote"), ('type "é" on heron', "cannot type"), ("a b c d e f g h i j", "too many words"),
           ("press F1 at once", "not understood from `at`"), ("x" * 600, "a line of more than")]
    for script, message in bad:
        desk.want("play -", 2, stdin=script + "\n", err=["-:", message])


def power_and_storage(desk):
    desk.want("map NumLock Tab --apply")
    desk.want("map F8 F9")
    for at in [0, 1, 40, 400]:
        got = desk.got(f"cut power after {at} bytes\napply\npower on\npress NumLock on wagtail\npress F8")[0]
        assert got == "Tab down, Tab up, F8 down, F8 up", (at, got)
    desk.want("status", out=["An image stored earlier (slot 1)"])
    desk.want("", out=["An image stored earlier (slot 1) was cut off, or has grown; the newest good one is used"])
    assert json.loads(desk.want("status --json"))["bad_slots"][0]["slot"] == 1
    image = bytearray(open(desk.path("hide/storage/slot-00"), "rb").read())
    image[60] ^= 16
    desk.write("hide/storage/slot-00", bytes(image))
    desk.want("status", out=["No rule is in force"], err="nothing that is stored can be read")
    desk.want("apply", out=["In force now"])
    assert desk.got("press F8 on heron")[0] == "F9 down, F9 up"
    image[4] = 9
    desk.write("hide/storage/slot-01", bytes(image))
    desk.want("status", out=["was written by a later version"])


def identify(desk):
    for command in RULES[:-1]:
        desk.want(command)
    desk.want("apply")
    rows = [json.loads(line) for line in desk.want(
        "identify --json", stdin="press NumLock on wagtail\npress Feather on curlew\nhold KeyA on wagtail\nwait 21s\n").splitlines()]
    assert [(r["keyboard"], r["key"], r["scan"], r["gives"], r["released"]) for r in rows] == [
        ("wagtail", "NumLock", "hid:07:53", "Tab", True), ("curlew", "hid:07:a5", "hid:07:a5", "LaunchMail", True),
        ("heron", "End", "set1:e04f", "nothing", True), ("wagtail", "KeyA", "hid:07:04", "KeyA", False)]
    desk.want("identify", stdin="press NumLock on wagtail\n",
              out="wagtail   NumLock           hid:07:53    means NumLock          gives Tab (line 6)          down 80 ms\n")
    desk.want("identify", stdin="press Fn on wagtail\n", out=["No key arrived."])
    desk.want("identify", 2, stdin="jump\n", err="-:1:")
    everything = "".join(open(os.path.join(folder, name), "rb").read().decode("latin1")
                         for folder, _, files in os.walk(desk.folder) for name in files)
    desk.want("identify", stdin='type "heronpassword" on dipper\n')
    for folder, _, files in os.walk(desk.folder):
        for name in files:
            assert b"heronpassword" not in open(os.path.join(folder, name), "rb").read(), "what was typed was stored"
    assert everything


# Options, a script, the status, what is said.
CONCLUSIONS = [
    ("--compare", "press Tern on wagtail\npress Gull", 0, ["The same code both times: F13 on wagtail, scan code hid:07:68.",
                                                          "no program can tell them apart, and a rule changes both"]),
    ("--compare --json", "press Tern on wagtail\npress Gull", 0, ['"conclusion":"same code"']),
    ("--missing", "press Fn on wagtail", 0, ["Nothing arrived.", "none can give it a job", "the keyboard's own lock or layer"]),
    ("--missing", "press Tab on wagtail", 0, ["It arrives: Tab on wagtail, scan code hid:07:2b."]),
    ("--hands-off", "wait 61s", 1, ["It presses itself, 3 times: End on heron", "`lurk move End NEWKEY --keyboard heron`"]),
    ("--hands-off", "wait 5s", 0, ["No key pressed itself."]),
    ("", "press Feather on curlew", 0, ["It can have a job all the same: lurk map hid:07:a5 KEY"]),
    ("", "press KnobClick on curlew", 0, [", from its second interface"]),
    ("", "hold KeyA on wagtail", 0, ["pressed, not released"]),
    ("", "press Perch on heron\nwait 2s\npress KeyA", 0, ["tells Lurk that it never is.\nheron     KeyA"]),
    ("", "press Perch on heron\npress KeyA\npress Perch", 0, ["It never said that it came up", "--press-only F13"]),
    ("", "press Delete on heron for 1s", 0, ["down 1000 ms, repeated"]),
    ("--rule --gives F14", "press Feather on curlew", 0, ["hid:07:a5 now gives F14 on curlew."]),
    ("--rule", "press NumLock on wagtail\npress Insert", 0, ["NumLock now gives Insert on wagtail.", "Not in force yet"]),
    ("--rule --keep", "press NumLock on wagtail\npress Insert", 0, ["NumLock now gives Insert on wagtail.", "It is in force now"]),
    ("--rule --gives nothing", "press Delete on heron", 0, ["Delete now gives nothing on heron."]),
]


def conclusions(desk):
    for number, (options, script, status, wanted) in enumerate(CONCLUSIONS):
        desk.want(f"identify {options}", status, stdin=script + "\n", out=wanted, desk=f"desk{number}")
    for options, script, error in [
            ("--compare", "press Tern on wagtail", "no key arrived"), ("--rule --gives", "", "requires an argument"),
            ("--rule --gives Entre", "press Tab on heron", "`Entre` is no key; did you mean Enter?"),
            ("--rule", "press Tab on heron\nhold KeyA\npress KeyB\nrelease KeyA", "a chord is modifiers and one key"),
            ("--rule", "press Tab on heron\npress Tab", "--gives NAME"), ("--rule --missing", "", "one of --compare"),
            ("--gives Tab", "", "--gives and --keep go with --rule"), ("--take --seconds 61", "", "--take for 60 seconds at most")]:
        result = desk.run(f"identify {options}".split(), script + "\n")
        assert result.returncode and error in result.stderr, (options, script, result.stdout, result.stderr)


def check(desk):
    desk.want("keyboards")
    for look in ["show", "check", "diff"]:
        desk.want(look, out="No profile yet: `lurk map KEY RESULT` makes hide/profile.yaml.\n")
    desk.want("check /nowhere.yaml", 3, err="/nowhere.yaml: there is no such profile")
    for rules, code, severity in [("- {press: NumLock, gives: Tab}\n- {press: NumLock, gives: Insert}", "same-press", "error"),
                                  ("- {press: any Enter, gives: nothing}", "locked-out", "lock-out"), ("- {press: Pause, gives: Pause}", "no-change", "warning")]:
        desk.write("hide/profile.yaml", HEAD + rules + "\n")
        refused = severity != "warning"
        told = json.loads(desk.want("check --json", status=refused))
        first = told["findings"][0]
        assert (first["code"], first["severity"], told["refused"]) == (code, severity, refused), told
        desk.want("apply", refused)
    desk.write("hide/profile.yaml", HEAD + "- {press: NumLock, gives: Tab}\n")
    desk.want("check", out=["1 warning", "No key gives NumLock any more.", "Applied, it would change this:\n  added     NumLock gives Tab"])
    desk.want("apply", out=["1 warning: `lurk check` tells it."])
    desk.want("check", out=["in the 1 rule of hide/profile.yaml."])
    desk.want("disable Backspace")
    desk.want("apply", 1, out=["lock-out  line 4    No key gives Backspace any more."], err="refused, and nothing is changed")
    desk.want("try", 1, stdin="wait 1s\n", err="refused")
    desk.want("map Delete nothing --apply", 1, err="refused")
    desk.want("status", out=["1 rule in force"])
    desk.want("apply --force", out=["In force now"])
    desk.want("apply", out=["In force now"])  # what could not be done before is not taken away


def findings_bar_only_applying(desk):
    """Two rules for one key: what looks, repairs and goes back works, and says what is wrong once; only applying refuses."""
    twice = HEAD + "- {press: F7, gives: F8}\n- {press: F7, gives: F9}\n"
    wrong = "hide/profile.yaml:4:3: this rule (F7) and the one on line 3 are for the same key and equally specific"
    desk.want("map F13 F14 --apply")
    for command in ["off", "on", "show", "status", "diff", "versions", "picture", "reach F1", "keyboards", "profile list", "rollback 1", "use base",
                    "map F3 F4", "restore F7", "map F7 F5", "off F7", "swap F7 F6", "restore --factory", "undo"]:
        desk.write("hide/profile.yaml", twice)
        result = desk.run(command.split())
        told = result.stdout + result.stderr
        assert result.returncode in (0, 1) and told.count(wrong) <= 1, (command, told)
        if command in ["restore F7", "map F7 F5", "off F7", "swap F7 F6"]:  # repaired by that
            desk.want("show", err="")
            assert wrong not in desk.run(["show"]).stderr, command
    for command in ["apply", "try", "map F3 F4 --apply"]:
        desk.write("hide/profile.yaml", twice)
        told = desk.want(command, 1, err="refused, and nothing is changed: these rules cannot be meant so", out=["the same press: F7.  [same-press]"])
        assert "--force" not in told and desk.read("hide/profile.yaml") == twice, told
    desk.want("move F7 F6", 3, err=[wrong, "which job F7 has is not clear before that is mended"])
    desk.want("apply --force", 3, err="the rules on lines 3 and 4 are for the same key")


def try_and_keep(desk):
    desk.want("keep", 1, err="nothing is being tried")
    desk.want("map NumLock Tab --apply")
    desk.want("map NumLock Insert")
    press = "press NumLock on wagtail\n"
    told = desk.want("try", stdin=press + "wait 31s\n" + press, out=["Trying 1 rule", "nothing is stored", "The trial is over"])
    assert [re.search(r"gives (\w+)", line)[1] for line in told.splitlines() if line.startswith("wagtail")] == ["Insert", "Tab"], told
    assert desk.got(press.strip())[0] == "Tab down, Tab up"
    desk.want("try --for 5min", stdin=press + "wait 299s\n" + press, out=["for 300 seconds"])
    # The chord switches off what is tried, and what was in force, and on again.
    chord = "hold ShiftLeft on wagtail\nhold ShiftRight\nhold Escape\nwait 2s\nrelease Escape\nrelease ShiftRight\nrelease ShiftLeft\n"
    desk.want("try", stdin=chord, out=["All rules were switched off"])
    desk.want("on")
    assert desk.got(chord + press + chord + press)[0].endswith("NumLock down, NumLock up, Tab down, Tab up")
    desk.want("try", stdin=press + "keep\nwait 31s\n" + press, out=["Kept: in force now"])
    assert desk.got(press.strip())[0] == "Insert down, Insert up"
    desk.want("undo", out=["Took back the last apply"])
    assert desk.got(press.strip())[0] == "Tab down, Tab up"
    for words in ["try --for", "try --for 0s", "try --for 2h", "try --for 61min", "try --for -5s", "try now"]:
        assert desk.run(words.split()).returncode == 2, words
    desk.want("play -", 2, stdin="keep\n", err="nothing is being tried")


def versions(desk):
    desk.want("versions", out=["Nothing was applied yet"])
    desk.want("rollback", 1, err="there is no version before")
    for i, command in enumerate(["map NumLock Insert", "map NumLock Escape", "swap Control Alt -k wagtail", "restore NumLock"]):
        desk.want(command + " --apply")
    rows = [json.loads(line) for line in desk.want("versions --json").splitlines()]
    assert [(r["version"], r["rules"], r["in_force"]) for r in rows] == [(4, 1, True), (3, 2, False), (2, 1, False), (1, 1, False)], rows
    assert [r["changed"] for r in rows] == ["removed: NumLock gives Escape", "added: Control and Alt are swapped on wagtail",
                                            "changed: NumLock gives Escape", "the first"], rows
    desk.want("diff", out="The file and what is in force are the same.\n")
    desk.want("diff 1 2", out="From version 1 to 2:\n  changed   NumLock gives Escape (before: NumLock gives Insert)\n")
    desk.want("diff 2", out=["added     Control and Alt are swapped on wagtail", "removed   NumLock gives Escape"])
    desk.want("rollback 2", out=["Version 2 is in force again, as version 5.", "The file has not changed."])
    desk.want("diff", out=["Applying the file would change this:", "removed   NumLock gives Escape"])
    desk.want("undo", out=["Took back the last apply: version 2 again."])
    desk.want("rollback", out=["Version 5 is in force again"])
    desk.want("rollback 7", 1, err="version 7 is in force already")
    for words, error in [("diff 99", "version 99 is not kept"), ("rollback 99", "version 99 is not kept"), ("diff x", "is not a version's number"),
                         ("rollback 1 2", "is not a version's number"), ("diff 1 2 3", "one too many"), ("rollback 0", "is not a version's")]:
        desk.want(words, 2, err=error)
    for i in range(14):
        desk.want(f"map Pause F{13 + i % 2} --apply")
    rows = [json.loads(line) for line in desk.want("versions --json").splitlines()]
    assert len(rows) == 16 and rows[0]["version"] == 21 and rows[-1]["changed"] == "what came before is not kept"
    desk.want("restore --factory", out=["No rule is in force any more, now and after every reboot"])
    assert desk.got("reboot\npress Pause on wagtail")[0] == "Pause down, Pause up"
    desk.want("rollback", out=["Version 21 is in force again"])
    # A broken file bars no way back.
    desk.write("hide/profile.yaml", "lurk: 1\nrules: [\n")
    for way, wanted in [("versions", "in force"), ("rollback 20", "Version 20 is in force again"), ("undo", "Took back the last apply"),
                        ("off", "All rules are off"), ("restore --factory", "No rule is in force any more"), ("status", "No rule is in force")]:
        desk.want(way, out=[wanted], err="" if way == "off" else "hide/profile.yaml:3:1: something is missing before this: a value, or a closing ] or }; that file is left out")
    desk.want("apply", 3, err="hide/profile.yaml:3:1")


def reach(desk):
    for command in ["swap Control Alt -k wagtail", "disable Delete -k heron", "map Pause Delete -k heron", "map hid:07:a5 Delete -k curlew"]:
        desk.want(command)
    desk.want("reach Control+Alt+Delete", out=["as the rules are now:", "wagtail   Control+Alt+Delete",
                                               "nothing gives ControlLeft; it has no such key"])
    told = desk.want("reach Control+Alt+Delete --profile hide/profile.yaml", out=["if the file were applied:"])
    assert "wagtail   Alt+Control+Delete" in told and "heron     Control+Alt+Pause" in told, told
    desk.want("reach Delete -p hide/profile.yaml", out=["curlew    hid:07:a5"])
    desk.want("disable F10 --apply")
    desk.want("reach F10", 1, out=["nothing gives F10: line 17 gives that key another job", "It cannot be reached"])
    rows = [json.loads(line) for line in desk.want("reach F10 --json", 1).splitlines()]
    assert len(rows) == 4 and rows[0]["press"] is None and "line 17" in rows[0]["why_not"]
    for words, error in [("reach", "say which key"), ("reach xyzzyx", "is no key"), ("reach any Enter", "one word too many"), ("reach hid:07:a5", "is not one key")]:
        desk.want(words, 2, err=error)
    desk.want("map Shift+6 --text # --apply")
    desk.want("reach Shift+6", 1, out=["gives that key another job"])
    # In whichever profile is in force.
    for command in ["profile new night --based-on base", "map ScrollLock KeyY --profile night", "apply", "use night"]:
        desk.want(command)
    desk.want("reach KeyY", out=["wagtail   KeyY, or ScrollLock"])
    desk.want("use base")
    assert "ScrollLock" not in desk.want("reach KeyY")


def off_and_on(desk):
    desk.want("map NumLock Insert")
    desk.want("map F8 F9 --apply")
    desk.want("off NumLock --apply", out=["The rule on NumLock is switched off, and kept in the file.", "It is in force now"])
    assert desk.read("hide/profile.yaml").count("off: true") == 1
    assert desk.got("press NumLock on wagtail\npress F8")[0] == "NumLock down, NumLock up, F9 down, F9 up"
    desk.want("off NumLock", 1, err="no rule on NumLock is switched on")
    desk.want("on NumLock --apply", out=["The rule on NumLock is switched on."])
    assert desk.got("press NumLock on wagtail")[0] == "Insert down, Insert up"
    desk.want("on F8", 1, err="no rule on F8 is switched off")
    desk.want("off NumLock F8", 2, err="one word too many")
    # All of it, from call to call and in scripts, until a start of the computer.
    press = "press F8 on wagtail\n"
    desk.want("off", out=["All rules are off"])
    desk.want("status", out=["All rules are off: every key does its usual job. `lurk on` switches on 2 rules"])
    assert desk.got(press + "on\n" + press + "off\n" + press)[0] == "F8 down, F8 up, F9 down, F9 up, F8 down, F8 up"
    desk.want("status", out=["All rules are off"])
    assert desk.got("reboot\n" + press)[0] == "F9 down, F9 up"
    desk.want("off")
    desk.want("apply", out=["In force now"])
    assert desk.got(press)[0] == "F9 down, F9 up"
    desk.write("hide/mode", "of 99\noff\n")  # of rules that are gone, and rubbish
    desk.want("status", out=["2 rules in force"])
    desk.write("hide/mode", b"of 2\nprofile " + b"x" * 5000 + b"\n\xff\0off")
    desk.want("status", out=["2 rules in force"])
    desk.want("off NumLock -k curlew", 1, err="no rule on NumLock on curlew is switched on")


def sharing(desk):
    desk.want("keyboards")
    desk.want("keyboards --keyboard curlew --nickname hid:07:a5=Feather", out=["hid:07:a5 on curlew is called Feather"])
    desk.want("map feather F13", out=["hid:07:a5 now gives F13 on curlew."])
    desk.want("identify", stdin="press Feather on curlew\n", out=["curlew    Feather           hid:07:a5"])
    desk.want("show", out=["hid:07:a5 (Feather)"])
    for nickname, error in [("hid:07:a6=Enter", "`Enter` names a key already"), ("hid:07:a6=", "as in --nickname"), ("hid:07:a6=a/b", "is no nickname"),
                            ("xyzzyx=Reed", "is no key"), ("Shift+KeyA=Reed", "stands for one key")]:
        desk.want(f"keyboards --keyboard curlew --nickname {nickname}", 2, err=error)
    desk.want("keyboards --nickname hid:07:a6=Reed", 2, err="say on which keyboard")
    desk.want("keyboards --describe --keyboard curlew", out=['  # calls itself "Curlew pad"; says that it has 20 keys\n',
                                                             '  curlew: {usb: "fade:0002", nicknames: {Feather: "hid:07:a5"}}\n'])
    desk.want("keyboards --describe --json", 2, err="writes YAML")
    desk.got("unplug dipper")
    desk.want("keyboards --describe --keyboard dipper", 1, err="no such keyboard is here")
    desk.got("plug dipper")
    desk.want("keyboards --keyboard wagtail --off-chord ControlLeft KeyQ", out=["On wagtail the off-chord is ControlLeft, KeyQ."])
    desk.want("keyboards --keyboard wagtail --off-chord ControlLeft ControlRight", out=["ControlLeft, ControlRight."])
    desk.want("keyboards", out=["off chord ControlLeft+ControlRight"])
    for keys in ("Tab", "Tab Tab", "KeyA KeyB KeyC KeyD KeyE"):
        desk.want("keyboards --keyboard wagtail --off-chord " + keys, 2, err="an off chord is 2 to 4 different keys")
    # A profile from someone else: its keyboards are matched, said, or refused; and judged in words before it is applied.
    desk.write("theirs/profile.yaml", HEAD + "- {press: Insert, gives: Home, keyboard: Grebe}\n- {swap: [Control, Alt], keyboard: wagtail}\n")
    desk.want("check theirs/profile.yaml", 1, out=["error     line 3    No keyboard is called Grebe.  [unknown-keyboard]", "`--mine NAME=MINE`",
                                                   "added     Control and Alt are swapped on wagtail"])
    desk.want("apply -p theirs/profile.yaml", 3, err="theirs/profile.yaml:3:42: no keyboard is called `Grebe`; keyboards.yaml has heron, wagtail")
    # On a terminal it is asked.
    end, terminal = pty.openpty()
    asked = subprocess.Popen([LURK, "apply", "-p", "theirs/profile.yaml"], stdin=terminal, stdout=subprocess.PIPE, stderr=terminal,
                             cwd=desk.folder, env={"PATH": os.environ["PATH"], "HOME": desk.folder, "LURK_DESK": "hide"})
    question = b""
    while not question.endswith(b") "):
        question += os.read(end, 1000)
    os.write(end, b"dipper\n")
    assert b"Insert gives Home on dipper" in asked.communicate()[0] and asked.returncode == 0
    assert b"rules for a keyboard called Grebe. Which of yours is that? (heron, wagtail, curlew, dipper)" in question.replace(b"\r\n", b" "), question
    os.close(end)
    os.close(terminal)
    assert desk.got("press Insert on dipper")[0] == "Home down, Home up"
    desk.want("check theirs/profile.yaml --mine grebe=heron", out=["added     Insert gives Home on heron"])
    desk.want("check theirs/profile.yaml --mine grebe=gull", 3, err="--mine grebe=gull: no keyboard is called `gull`")
    desk.want("check theirs/profile.yaml --mine grebe", 2, err="is written --mine NAME=MINE")
    desk.want("apply -p theirs/profile.yaml --mine Grebe=heron", out=["In force now"])
    assert desk.got("press Insert on heron\npress AltLeft on wagtail")[0] == "Home down, Home up, ControlLeft down, ControlLeft up"
    # The same keyboard by another connection.
    os.remove(desk.path("hide/profile.yaml"))
    desk.write("hide/keyboards.yaml", "keyboards:\n  heron: {built-in: true}\n  dipper: {usb: \"fade:0003\"}\n")
    desk.got("unplug dipper\nplug dipper by radio")
    desk.want("keyboards --same-as dipper --play -", stdin="press KeyA on dipper\n", out=["Dipper travel keyboard is the same keyboard as dipper."])
    assert '  dipper: [{usb: "fade:0003"}, {bluetooth: "fade:8003"}]' in desk.read("hide/keyboards.yaml")
    desk.want("keyboards --same-as dipper --play -", 2, stdin="press KeyA on dipper\n", err="is called dipper already")
    desk.want("keyboards --same-as gull --play -", 2, stdin="", err="no keyboard is called `gull`")


def help_back(desk):
    desk.want("help back", out=["There is always a way back:", "lurk undo", "both Shift keys and Escape", "lurk.off"])
    assert all({"when", "way"} == set(json.loads(line)) for line in desk.want("help back --json").splitlines())
    desk.want("help", out=["Commands:"], desk=None)
    desk.want("help map", out=["Give a key another job."], desk=None)
    desk.want("help maps", 2, err="did you mean `lurk map`?", desk=None)
    desk.want("help map swap", 2, err="one too many", desk=None)


def what_changed_comes_first(desk):
    """Also where much did; keyboards that no rule touches are one line."""
    desk.write("hide/profile.yaml", HEAD)
    desk.want("show", out="No rule in hide/profile.yaml.\n")
    for i in range(1, 11):
        desk.want(f"map F{i} F{i + 10} -k heron")
    untouched = "No rule changes a key of wagtail, curlew or dipper.\n"
    first = "".join(f"  added     F{i} gives F{i + 10} on heron\n" for i in range(1, 9))
    assert desk.want("show").startswith("10 rules in hide/profile.yaml. What is in force differs; `lurk apply` changes this:\n" + first +
                                        "  and 2 more: `lurk diff` lists them\nAll of the file:\n"), desk.want("show")
    told = desk.want("apply --force", out=[untouched])
    assert told.startswith("In force now, and again after every reboot: 10 rules from hide/profile.yaml.\n" + first + "  and 2 more\n  keyboard"), told
    assert desk.want("show").startswith("10 rules in hide/profile.yaml, all of it in force:\n  key")
    desk.want("restore F1")
    told = desk.want("status", out=["hide/profile.yaml has 1 difference that is not in force", untouched])
    assert told.index("1 difference") < told.index("  heron") < told.index(untouched), told
    desk.want("off")
    desk.want("status", out=["No rule changes a key of heron, wagtail, curlew or dipper.\n"])
    os.remove(desk.path("hide/profile.yaml"))
    desk.want("show", out=["No profile yet", "What is in force differs:\n  removed   F1 gives F11 on heron\n"])


def resolve(desk):
    def rows(*words):
        return [json.loads(line) for line in desk.want(["resolve", "--json", *words], desk=None).splitlines()]

    assert rows("lmeta") == [{"key": "MetaLeft", "evdev": 125, "evdev_name": "KEY_LEFTMETA", "meaning": "Meta", "side": "left",
                              "set1": ["e05b"], "set2": ["e01f"], "hid": ["07:e3"]}]
    assert rows("hid:07:a5") == [{"key": "hid:07:a5", "evdev": 0, "evdev_name": "", "meaning": "", "side": "",
                                  "set1": [], "set2": [], "hid": ["07:a5"]}]
    assert rows("set2:8f")[0]["set2"] == ["8f"]
    assert rows("raw:0x70039")[0]["key"] == "CapsLock"
    assert [r["key"] for r in rows("Alt", "any Enter", "shift+3")] == [
        "AltLeft", "AltRight", "Enter", "NumpadEnter", "ShiftLeft", "ShiftRight", "Digit3"]
    assert [(r["reading"], r["key"]) for r in rows("e05b", "0x15b", "5be0")] == [
        ("set 1", "MetaLeft"), ("set 1, nine bits", "MetaLeft"), ("set 1, bytes swapped", "MetaLeft")]
    assert len(rows("--list")) == 504
    assert {r["key"] for r in rows("--list", "VOLUMEU")} == {"AudioVolumeUp"}
    desk.want("resolve CapsLock", out="key       event code       meaning   set 1  set 2  HID\n"
              "CapsLock  58 KEY_CAPSLOCK  CapsLock  3a     58     07:39\n", desk=None)
    desk.want("resolve search", out=["`search` can mean several keys.", "BrowserSearch  217", "Find           136"], desk=None)
    told = desk.want("resolve 58", out=["event code", "5 more readings, less likely: `lurk resolve --all 58`."], desk=None)
    assert len(told.splitlines()) == 6 and "display" not in told, told
    assert len(desk.want("resolve 58 --all", desk=None).splitlines()) == len(rows("58")) + 1 == 10
    assert "more" not in desk.want("resolve 3a", out=["display keycode, hex"], desk=None)
    desk.want("keyboards --nickname hid:07:a5=Plover --keyboard curlew")
    desk.want("resolve plover", out=["Plover: hid:07:a5 on curlew.\n"])
    desk.want("resolve plover", 1, err="is no key", desk=None, env={"XDG_CONFIG_HOME": desk.path("none")}.items())
    desk.want("resolve xyzzyx CapsLock", 1, out=["CapsLock"], err="`xyzzyx` is no key", desk=None)
    desk.want("resolve --list xyzzyx", 1, err="no key has `xyzzyx`", desk=None)
    # How a character is typed comes first: on the British layout of the desk.
    for sign, how in [("#", "Backslash"), ("£", "Shift with Digit3"), ("€", "AltRight with Digit4"), ("7", "Digit7"),
                      ("Æ", "Shift and AltRight with KeyA"), ("ñ", "AltRight with BracketRight, then KeyN")]:
        told = desk.want(["resolve", sign])
        assert told.startswith(f"`{sign}`: {how}.\n"), told
    assert json.loads(desk.want(["resolve", "ñ", "--json"]))["typed"].endswith("then KeyN")
    desk.want("resolve ж", 1, err="no key of the layout types `ж`")
    # A dead key is called by its cap as well, and a code without a name is one all the same.
    desk.write("hide/profile.yaml", "lurk: 1\nlayout: de\nrules:\n")
    for sign, key in [("^", "Backquote (`^` here)"), ("Shift+´", 'Shift+Equal ("`" here)'), ("°", "Shift+Backquote (`°` here)")]:
        desk.want(["map", sign, "Tab"], out=[f"{key} now gives Tab."])
    desk.want("resolve e076", 1, err="the scan code of no key that has a name; write of which set it is, set1:e076 or set2:e076", desk=None)


def decode(desk):
    for stream, kind in [("ps2-set1", "set1"), ("ps2-set2", "set2"), ("usb-boot-report", "hid")]:
        wanted = [line.split("\t") for line in open(f"{DATA}/{stream}.events.tsv").read().splitlines()[1:]]
        told = [json.loads(line) for line in desk.want(["decode", "--json", "--as", kind, f"{DATA}/{stream}.wire"]).splitlines()]
        assert [(str(e["evdev"]), e["state"]) for e in told] == [(code, state) for _, code, _, state in wanted]
        wire = bytes.fromhex(open(f"{DATA}/{stream}.wire").read())
        desk.write("wire", wire)
        binary = desk.want(["decode", "--json", "--binary", "--as", kind, "wire"])
        assert [json.loads(line) for line in binary.splitlines()] == told
    desk.want("decode --as set1 -", stdin="3a 3a ba # caps\n0x9e\n", out="down  CapsLock             set1:3a\nup    CapsLock             set1:3a\n",
              err=["1 bytes came to nothing", "1 repeats"])
    desk.want("decode --as consumer -", stdin="e9 00\n00 00\n", out=["down  AudioVolumeUp        hid:0c:e9"])
    desk.want("decode --as hid -", 3, stdin="00 00 3\n", err="-:1:7: `3` is no byte")
    desk.want("decode --as hid -", 3, stdin="00" * 2000, err="a line of more than")
    # A table of pairs: as it is pasted, as a file, malformed; and what rules are as one, read again.
    table = "00,00,00,00,00,00,00,00,\\\n  02,00,00,00,0f,00,45,00,00,00,00,00\n"
    for stdin in [table, "Table=hex:" + table, "02 00 0f004500, 00 00 00 00"]:
        desk.want("decode --as pairs -", stdin=stdin, out=["NumLock  Tab  lurk map NumLock Tab"])
    desk.want(["decode", "--as", "pairs", "5b e0"], out=["key\nMetaLeft\n"])
    desk.want(["decode", "--as", "pairs", "02 00 0f 00 45"], 1, err="byte 5 is left over")
    desk.want(["decode", "--as", "pairs", "05 00 0f 00 45 00 00 00 00 00"], 1, err="its count says 5 pairs, and 2 are there")
    desk.want(["decode", "--as", "pairs", "zz"], 3, err="zz: No such file")
    desk.want("decode --as pairs -", 1, stdin="", err="no pairs")
    for rule in ["map NumLock Tab", "swap Control Meta", "map Pause Insert", "map F9 nothing", "map F8 --text teal", "map F7 F6 --keyboard heron"]:
        desk.want(rule)
    told = desk.want("show --pairs", 1, out=["F9            nothing       00 00 43 00"],
                     err=["Pause gives Insert: a key of it has no code", "it types text", "F7 gives F6 on heron: it is for one keyboard"])
    whole = "".join(line for line in told.split("at the end:\n")[1].splitlines())
    rules = [line.split("lurk map ")[1] for line in desk.want(["decode", "--as", "pairs", whole]).splitlines()[1:]]
    assert sorted(rules) == ["ControlLeft MetaLeft", "ControlRight MetaRight", "F9 nothing", "MetaLeft ControlLeft", "MetaRight ControlRight", "NumLock Tab"]


def without_a_program(desk):
    """Rules as entries for udev: shown, listed, taken over, and what cannot be said so."""
    desk.want("hwdb print", 3, err="there is no such profile yet")
    for rule in ["map NumLock Tab --keyboard curlew", "swap Control Meta --keyboard dipper", "map Shift+6 --text °"]:
        desk.want(rule)
    text = desk.want("hwdb print", out=["\nevdev:input:b0003vFADEp0002*\n KEYBOARD_KEY_70053=tab\n"], err=["line 11   Shift+Digit6 gives the text"])
    desk.write("pad.hwdb", text + "\nevdev:name:Pad:*\n KEYBOARD_KEY_1=f1\n\nevdev:input:b0003vBEEFp0001*\n KEYBOARD_KEY_70004=b\n"
               "\nevdev:atkbd:*\n KEYBOARD_KEY_3a=!insert\n KEYBOARD_KEY_3b=xyzzyx\n")
    path = desk.path("pad.hwdb")
    listed = [json.loads(line) for line in desk.want(["hwdb", "list", path, "--json"]).splitlines()]
    assert [listed[0][key] for key in ("keyboard", "key", "gives", "line")] == ["curlew", "NumLock", "Tab", 5], listed[0]
    desk.want(["hwdb", "list", path], out=["udev changes these keys by itself:", "all by PS/2", "Insert, as a tap", "(no key of that name)",
                                           "USB beef:0001", "evdev:name:Pad:*"])
    desk.want("restore --all")
    desk.want(["hwdb", "take", path], out=["10 rules taken over from"],
              err=["for evdev:name:Pad:*: not taken over", "for USB beef:0001: not taken over: no keyboard of that kind has a name yet",
                   "for all by PS/2: taken over; that this keyboard never sends", "for all by PS/2: not taken over: it names no key"])
    desk.want("show", out=["NumLock", "Tab", "curlew", "CapsLock", "Insert", "heron"])
    desk.want("undo", out=["10 rules taken over"])
    desk.want("hwdb write", 3, err="a simulated desk has no udev")
    desk.want("hwdb remove", 3, err="a simulated desk has no udev")
    desk.want("hwdb list /nowhere/x", 3, err="/nowhere/x: No such file or directory")
    desk.want("hwdb take", 2, err="say which file")
    desk.want("hwdb wirte", 2, err="not `wirte`")
    desk.want("hwdb list a b", 2, err="`b` is not expected here")
    desk.want("hwdb print --partly", 2, err="--partly and --force go with `write`")
    desk.want("hwdb", out=["No key is changed by entries of udev's"])


def profiles(desk):
    """Beside the base: listed, edited, applied together, compared, and judged."""
    for command in ["map NumLock Insert", "profile new night --based-on base", "map W PageUp --profile night"]:
        desk.want(command)
    desk.want("apply", 1, out=["No key gives KeyW any more, and none types `w`, `W`"], err="lurk: in the profile night:")
    desk.want("map F12 --use night")
    desk.want("check", out=["No key of the profile night leads out of it again.  [no-way-back]", "`lurk map KEY --use previous` in it leads back"])
    desk.want("map F12 --use previous --profile night")
    desk.want("apply", out=["In force now, and again after every reboot: 2 rules"])
    desk.want("map NumLock Tab --profile night")
    desk.want("diff", out=["added     night: NumLock gives Tab"])
    desk.want("show --profile night", out=["3 rules in hide/profiles/night.yaml", "F12      F12      the profile before"])
    desk.want("check night")
    desk.want("map F9 F10 --profile night --apply", out=["It is applied, and in force when the profile night is: `lurk use night`."])

    def listed(*wanted):
        rows = [json.loads(line) for line in desk.want("profile list --json").splitlines()]
        assert [(p["profile"], p["rules"], p["based_on"], p["applied"], p["in_force"]) for p in rows] == list(wanted), rows

    listed(("base", 2, "", True, True), ("night", 4, "base", True, False))
    desk.want("diff --profile night", out=["changed   the profile night is in force after a reboot (before: base)\n"])
    desk.want("apply --profile night", out=["In force now, and again after every reboot: 4 rules from hide/profiles/night.yaml, on top of 2 from base.\n"])
    listed(("base", 2, "", True, False), ("night", 4, "base", True, True))
    desk.want("status", out=["6 rules in force since 2031-05-04 05:30, from hide/profiles/night.yaml.", "The profile in force is night, one of 2"])
    desk.want("use base", out=["In force now: base. `lurk use --previous` switches back"])
    desk.want("use nihgt", 1, err="there is no profile `nihgt`")
    listed(("base", 2, "", True, True), ("night", 4, "base", True, False))
    assert "Tab" in desk.want(["use", "night", "--", LURK, "play", "-"], stdin="press NumLock on wagtail\n")
    listed(("base", 2, "", True, True), ("night", 4, "base", True, False))
    desk.want("use --previous", out=["In force now: night."])
    told = json.loads(desk.want("map Pause Insert --apply --json"))
    assert told["applied"] and told["in_force"], told
    desk.want("undo", out=["Took back the last edit and its apply"])
    listed(("base", 2, "", True, False), ("night", 4, "base", True, True))
    desk.want("play -", stdin="press NumLock on wagtail\nuse previous\npress NumLock\n", out=["Tab down", "Insert down"])
    desk.want("undo", out=["Took back the last apply"])
    listed(("base", 2, "", True, True), ("night", 4, "base", True, False))
    desk.want("play -", stdin="press NumLock on wagtail\nuse night\npress NumLock\nuse nowhere\n", status=2,
              out=["Insert down", "Tab down"], err="-:4: no profile was applied that is called `nowhere`")
    desk.want("undo")
    desk.want("undo", out=["Took back"])
    desk.write("hide/profiles/night.yaml", "rules: [\n")
    desk.want("apply", 3, err="hide/profiles/night.yaml:")
    desk.want("status", err="hide/profiles/night.yaml:", status=0)
    desk.write("hide/profiles/night.yaml", HEAD + "layout: nowhere\n")
    desk.want("show", 3, err="nowhere")


COMPLETIONS = [
    ("picture --codes h", ["hid"]), ("keyboards --form c", ["compact"]), ("picture --form compact,j", ["compact,jis"]),
    ("picture --layout esp", []), ("picture --layout gb", ["gb"]), ("picture --layout de:ne", ["de:neo"]),
    ("picture --pap", ["--paper"]),
    ("ma", ["map"]), ("map Caps", ["CapsLock"]), ("map CapsLock noth", ["nothing"]), ("map --ke", ["--keyboard"]),
    ("map NumLock Tab --keyboard wag", ["wagtail"]), ("use n", ["night"]), ("profile n", ["new"]), ("use --pr", ["--previous", "--profile"]),
    ("swap meta", ["Meta", "MetaLeft", "MetaRight"]), ("map F12 --use ", ["base", "night"]), ("xyz", []), ("help rev", []),
    ("--d", ["--desk"]), ("nowhere 'x", []), ("layout un", ["uninstall"]), ("layout show t", ["tern"]), ("layout type tern Caps", ["CapsLock"]),
    ("layout begin t", []), ("picture --layout ter", ["tern"]), ("layout begin x --from de:ne", ["de:neo"])]
SHELLS = {
    "bash": """source {folder}/lurk.bash; COMP_WORDS=({words}); COMP_CWORD={last}; _lurk; printf '%s\\n' "${{COMPREPLY[@]}}" """,
    "fish": """source {folder}/lurk.fish; complete -C '{line}'""",
    "zsh": """compadd() {{ shift 2; print -l -- $@ }}; _files() {{ }}; words=({words}); CURRENT={count}; source {folder}/_lurk""",
}


def renaming(desk):
    """A profile's name is another one wherever others speak of it; one that others need stays; all of it is one step."""
    def files():
        return {path: desk.read("hide/" + path) for path in ["profile.yaml", *("profiles/" + name for name in sorted(os.listdir(desk.path("hide/profiles"))))]}
    for command in ["profile new dusk --based-on base", "profile new late --based-on dusk", "map F12 --use dusk", "map F11 --use dusk",
                    "map F11 --use late -p dusk", "map F10 --use dusk -p late", "map Pause --text dusk"]:
        desk.want(command)
    before = files()
    for words, status, error in [("rename dusk late", 3, "late.yaml is there already"), ("rename dusk base", 2, "cannot be a profile's name"),
                                 ("rename gull tern", 2, "there is no profile `gull`"), ("rename base tern", 2, "base is the profile that all others"),
                                 ("remove base", 2, "base is the profile"), ("remove gull", 2, "there is no profile"), ("rename dusk a/b", 2, "cannot be"),
                                 ("remove late", 1, "line 7 of the profile dusk leads to it"), ("remove dusk", 1, "line 7 of the profile base leads to it"),
                                 ("rename dusk", 2, "say what dusk is called"), ("remove", 2, "say which profile"), ("list x", 2, "`x` is not expected"),
                                 ("remove a b", 2, "`b` is not expected"), ("rneame a", 2, "not `rneame`")]:
        desk.want("profile " + words, status, err=error)
        assert files() == before, words
    desk.want("profile rename DUSK twilight", out=["The profile DUSK is called twilight from now on"])
    told = files()
    assert sorted(told) == ["profile.yaml", "profiles/late.yaml", "profiles/twilight.yaml"] and "dusk" not in re.sub("(?m)^#.*|text: dusk", "", "".join(told.values())), told
    assert told["profile.yaml"].count("twilight") == 2 and "text: dusk" in told["profile.yaml"] and "name: twilight\n" in told["profiles/twilight.yaml"]
    desk.want("apply")
    desk.want(["play", "-"], stdin="press F12 on wagtail\n")  # its key leads where it led
    desk.want("use late", out=["In force now: late."])
    desk.want("use twilight", out=["In force now: twilight."])
    desk.want("undo", out=["Took back the last apply"])
    desk.want("undo", out=["Took back the last edit: the profile dusk is called twilight."])
    assert files() == before
    # Where the rest cannot be done nothing is: one of the files is no file that can be replaced.
    os.rename(desk.path("hide/profiles/late.yaml"), desk.path("late.yaml"))
    os.symlink("/dev/full", desk.path("hide/profiles/late.yaml"))
    desk.want("profile rename dusk twilight", 3)
    os.unlink(desk.path("hide/profiles/late.yaml"))
    os.rename(desk.path("late.yaml"), desk.path("hide/profiles/late.yaml"))
    assert files() == before
    desk.want("restore F11 -p dusk")
    desk.want("profile remove late", out=["The profile late is removed."])
    assert "profiles/late.yaml" not in files()
    desk.want("undo")
    assert files()["profiles/late.yaml"] == before["profiles/late.yaml"]
    desk.want("profile remove late --json", out=['"removed":"late"'])
    desk.write("hide/profiles/late.yaml", "lurk: 1\n")
    desk.want("undo", 3, err="was changed by someone else since the last edit")


# What somebody could send, and what is said of it; {} stands for a layout that would be taken.
GOOD = 'symbols: |\n  xkb_symbols "x" { include "gb" name[Group1] = "Gull"; };\n'
SENT = [
    ("", "it has no layout: `symbols:` is its XKB symbols file"),
    ("symbols: [a]\n", "`symbols:` takes one text"),
    (GOOD.replace("gb", "../../../../../../etc/passwd"), "it includes `../../../../../../etc/passwd`, a file outside of XKB's folders"),
    (GOOD.replace("gb", "/etc/passwd"), "it includes `/etc/passwd`, a file outside of XKB's folders"),
    (GOOD.replace("gb", "gull"), "it is no layout: what it includes comes back to `gull`, without an end"),
    (GOOD.replace("gb", "tern"), "it is no layout: "),
    (GOOD + "name: ../gull\n", "`../gull` is no name for a layout"),
    (GOOD + "name: gb\n", "the system has a layout, or a part of some, that is called `gb`"),
    (GOOD + "about: |\n  one\n  two\n", "`about:` takes one line"),
    (GOOD + 'keyboard: "\\e[2J"\n', "`keyboard:` takes one line"),
    (GOOD + "script: rm\n", "script"),
    (GOOD + 'compose: |\n  include "/etc/passwd"\n', "after dead keys: line 1: only what one sign gives after a dead key"),
    (GOOD + 'compose: |\n  # fine\n  <Multi_key> <a> : "x"\n', "after dead keys: line 2: only what"),
    (GOOD + 'compose: |\n  <dead_acute> <a> <b> : "x"\n', "after dead keys: line 1: only what"),
    (GOOD + "compose: |\n  <dead_acute> <a> x\n", "after dead keys: line 1: it gives nothing"),
    (GOOD + "compose: |\n  # Lurk: end of the layout gull\n", "after dead keys: line 1: only what"),
    (GOOD + "compose: |\n  <dead_acute> <a> : dead_acute\n", "after dead keys: line 1: it gives nothing"),
    (GOOD + "profile: |\n  lurk: 1\n  rules:\n    - press: Nokey\n", "its rules: profile:"),
    (GOOD + "profile: |\n  lurk: 1\n  run: x\n", "its rules: profile:"),
    (GOOD + "about: " + "x" * 2000000, "1024"),
    (GOOD + "about: \0", "it is no text"),
    (GOOD + "about: &a [*a]", "gull.yaml:"),
]


def a_layout_in_one_file(desk):
    """Sent to somebody: all of it arrives, read in words before; nothing of what is hostile does, and nothing comes into force by itself."""
    desk.want("layout begin tern --from gb --words Tern")
    for words in ("type tern AltRight+M ♂", "type tern J ArrowLeft", "type tern K dead_caron", "after tern dead_caron q \"\\"):
        desk.want("layout " + words)
    desk.want("layout begin knot --from gb --rules", out=["No rule in hide/profile.yaml gives a text."])
    desk.want("undo")
    desk.want("layout pack tern tern.yaml --rules", 3, err="hide/profile.yaml has no rules that could go along")
    desk.want("profile new night --based-on base")
    desk.want("map F12 --use night")
    desk.want("map F11 Insert --profile night")
    desk.want("layout pack tern tern.yaml --rules", 3, err="hide/profile.yaml: a key of it leads to the profile night, which would not go along")
    desk.want("layout pack tern tern.yaml --rules --profile night", 3, err="is based on base, which would not go along")
    for _ in range(3):
        desk.want("undo")
    desk.want(["map", "F9", "--text", "seen 3"])
    desk.want("map F10 Insert --keyboard heron")
    desk.want(["layout", "pack", "tern", "tern.yaml", "--rules", "--about", "Signs: the log's, # all", "--for", "Heron"], out=["tern.yaml has the layout tern in it, what comes after its dead keys, and the rules of your profile."])
    desk.want("layout pack tern tern.yaml", 3, err="tern.yaml is there already; write it under another name")
    desk.want("layout pack tern no/where.yaml", 3, err="there is no folder no")
    shutil.copytree(desk.path("hide"), desk.path("friend"), ignore=lambda folder, names: ["layouts", "profile.yaml", "keyboards.yaml", "undo"])
    told = desk.want("layout show ./tern.yaml", desk="friend", out=['tern, "Tern", is English (UK) but for this:', "dead caron, then q", "About it: Signs: the log's, # all", "Meant for: Heron",
                     "2 rules would become a profile by themselves", "F10 gives Insert on heron", "`lurk layout take ./tern.yaml` makes it yours"])
    assert "switched off" not in told and not os.path.exists(desk.path("friend/layouts"))
    told = json.loads(desk.want("layout show ./tern.yaml --json", desk="friend"))
    assert told["about"] == "Signs: the log's, # all" and told["rules"][1] == "F10 gives Insert on heron"
    desk.want("layout take tern.yaml", desk="friend", out=["tern is a layout of yours now", "Its rules are friend/layouts/rules/tern.yaml, and not in force: `lurk check"])
    for part in ("symbols/tern", "compose/tern"):
        assert desk.read("friend/layouts/" + part) == desk.read("hide/layouts/" + part)
    assert desk.read("friend/layouts/rules/tern.yaml") == desk.read("hide/profile.yaml")
    desk.want("show", desk="friend", out=["No profile yet"])
    desk.want("check friend/layouts/rules/tern.yaml", 1, desk="friend", out=["No keyboard is called heron.", "--mine"])
    desk.want("layout install tern", desk="friend", out=["friend/xkb"])
    desk.want("layout take tern.yaml", 3, desk="friend", err="friend/layouts/symbols/tern is there already")
    desk.want("layout take tern.yaml gull", desk="friend", out=["gull is a layout of yours now"])
    for _ in range(3):
        desk.want("undo", desk="friend")
    assert not any(names for _, _, names in os.walk(desk.path("friend/layouts")))
    before = sorted(os.walk(desk.path("friend")))
    for text, said in SENT:
        desk.write("gull.yaml", "lurk-layout: 1\n" + ("" if "name:" in text.replace("name[", "") else "name: gull\n") + text)
        for words in ("show ./gull.yaml", "check ./gull.yaml", "take gull.yaml"):
            result = desk.run(["layout", *words.split()], desk="friend")
            assert result.returncode in (2, 3) and said in result.stderr and result.stderr.count("\n") == 1 and len(result.stderr) < 900, f"{words}: {text[:200]}\n{result.stderr}"
    for version in ("2", "[]", "1\nlurk-layout: 1"):
        desk.write("gull.yaml", f"lurk-layout: {version}\nname: gull\n{GOOD}")
        assert desk.run(["layout", "take", "gull.yaml"], desk="friend").returncode == 3
    assert sorted(os.walk(desk.path("friend"))) == before
    desk.write("gull.yaml", "lurk-layout: 1\nname: gull\n" + GOOD)
    desk.want("layout take gull.yaml", desk="friend", out=["gull is a layout of yours now"])
    desk.want("layout renew", 2, desk="friend", err="`sudo lurk layout renew`")
    # For other systems, and back: what neither form can say is said.
    # From what rules type already.
    for words in (["map", "F8", "--text", "½"], ["map", "AltRight+F7", "--text", "ŧ"], ["map", "Control+F6", "--text", "§"]):
        desk.want(words)
    desk.want("layout begin knot --from gb --rules", out=["knot begins as English (UK)", '  F8 gives the text "½"\n', '  AltRight+F7 gives the text "ŧ"\n', "Not in it: F9 gives the text \"seen 3\"; it gives more than one sign.",
              'Not in it: Control+F6 gives the text "§"; a layout chooses with Shift and AltRight alone.', "until `lurk restore KEY`"])
    told = json.loads(desk.want("layout show knot --json"))["changes"]
    assert {"press": "F8", "types": "½", "instead_of": "F8"} in told and {"press": "AltRight+F7", "types": "ŧ", "instead_of": "F7"} in told, told
    desk.want("undo")
    assert not os.path.exists(desk.path("hide/layouts/symbols/knot"))
    desk.want("layout pack tern tern.xml --rules", 2, err="an LDML keyboard has no place for")
    desk.want("layout pack tern tern.xml", out=["tern.xml is the layout tern as an LDML keyboard", "Left out, as that cannot say it:\n  KeyJ types Left, which is no text"])
    desk.want("layout pack tern tern.xml", 3, err="tern.xml is there already")
    # What a person's own Compose file has goes to nobody; with the layout's lines in it, it is told as without.
    desk.write(".XCompose", 'include "%L"\n<dead_caron> <x> : "secret"\n# Lurk: after dead keys of the layout tern\n<dead_caron> <q> : "q"\n# Lurk: end of the layout tern\n')
    os.remove(desk.path("tern.xml"))
    desk.want("layout pack tern tern.xml")
    assert "secret" not in desk.read("tern.xml") and "dead_caron}q" in desk.read("tern.xml")
    desk.want("layout show tern", out=['dead caron, then q  "\\          nothing'])
    os.remove(desk.path(".XCompose"))
    told = json.loads(desk.want("layout show tern.xml --json", desk="friend"))
    assert {"press": "AltRight+KeyM", "types": "♂", "instead_of": "m"} in told["changes"] and told["layout"] == "tern"
    desk.want("layout take tern.xml from_ldml", desk="friend", out=["from_ldml is a layout of yours now"])
    desk.want("layout type from_ldml AltRight+J ✓", desk="friend", out=["AltRight+KeyJ types ✓ in from_ldml now"])
    desk.write("tern.xml", desk.read("tern.xml").replace("<keys>", '<keys><key id="m" output="mm"/>'))
    desk.want("layout show tern.xml", desk="friend", out=["Left out, as a layout of one's own cannot say it:\n  the key `m` types `mm`, which is no one sign"])
    desk.write("tern.xml", "<keyboard3>")
    for words in ("show", "take"):
        desk.want(f"layout {words} tern.xml", 3, desk="friend", err="tern.xml: it is no LDML keyboard")


SYSTEM_LAYOUTS = subprocess.run(["pkg-config", "--variable=xkb_base", "xkeyboard-config"], capture_output=True, text=True).stdout.strip() or "/usr/share/X11/xkb"


def everybodys_layouts(desk):
    """The X server's own files get what everybody has, and are as their package has them afterwards; also after a new version of that."""
    packaged, system = desk.path("packaged"), desk.path("system")
    shutil.copytree(SYSTEM_LAYOUTS, packaged)
    shutil.copytree(SYSTEM_LAYOUTS, system)
    def lurk(words, status=0, **kw):
        return desk.want("layout " + words, status, desk=None, env={"XDG_CONFIG_HOME": desk.folder, "XDG_STATE_HOME": desk.folder, "LURK_AGENT": "/nowhere",
                         "XKB_CONFIG_EXTRA_PATH": desk.path("xkb"), "XKB_CONFIG_ROOT": system}, **kw)
    def extra():
        """What differs from the package's files; each file that all may read."""
        found = subprocess.run(["diff", "-rq", packaged, system], capture_output=True, text=True).stdout
        return [name for name in ("symbols: tern", "rules/evdev.xml", "symbols: knot") if name in found], found.count("\n")
    both = ["symbols: tern", "rules/evdev.xml"], 2
    lurk("begin tern --from gb --words Tern")
    lurk("type tern K κ")
    old = os.umask(0o077)
    lurk("install tern", out=["xkb, and", "desktops list it", "For the whole computer, its text console too"])
    os.umask(old)
    assert extra() == both
    for path in ("xkb/symbols", "xkb/symbols/tern", "xkb/rules/evdev.xml", "system/symbols/tern"):
        assert os.stat(desk.path(path)).st_mode & 0o444 == 0o444, path
    lurk("type tern J ю")  # the working copy counts here, not what the system has of it
    assert json.loads(lurk("show tern --json"))["x_server"] == "changed-since"
    lurk("install tern", out=["tern is installed"])
    lurk("install tern", out=["tern is installed already"])
    assert desk.read("system/symbols/tern") == desk.read("lurk/layouts/symbols/tern")
    lurk("renew", out="")
    # A new version of the package, and this one's own going.
    for back in (lambda: shutil.copy(packaged + "/rules/evdev.xml", system + "/rules/evdev.xml"), lambda: os.remove(system + "/symbols/tern"), lambda: lurk("withdraw")):
        back()
        lurk("renew", out=["have tern again."])
        assert extra() == both
    lurk("withdraw", out=["have tern no more; its file stays."])
    assert extra() == ([], 0) and os.path.exists(desk.path("xkb/symbols/tern"))
    lurk("withdraw", out="")
    # The new version has one of that name: it stays.
    desk.write("system/symbols/tern", 'xkb_symbols "x" { include "fr" };')
    for words in ("renew", "install tern"):
        lurk(words, 3, err="system/symbols/tern is there already, and no earlier version of yours")
    lurk("uninstall tern", out=["tern is taken"])
    assert "fr" in desk.read("system/symbols/tern")
    os.remove(desk.path("system/symbols/tern"))
    # What nobody added is the system's, whoever asks for what.
    for name in ("gb", "us", "latin", "inet", "tern"):
        lurk("uninstall " + name, 1, err=f"no layout `{name}` is installed")
    desk.write("xkb/symbols/gb", 'xkb_symbols "x" { key <AB07> { [ m ] }; }; xkb_symbols "y" { };')
    desk.write("xkb/rules/evdev.xml", OTHERS.replace("gull", "gb"))
    lurk("withdraw", out="")
    lurk("uninstall gb", out=["gb is taken"])
    assert extra() == ([], 0)
    os.remove(desk.path("xkb/rules/evdev.xml"))
    # Whole or not at all: the last of the four files cannot be written.
    shutil.move(system + "/rules/evdev.xml", desk.path("kept"))
    os.symlink("/dev/full", system + "/rules/evdev.xml")
    lurk("install tern", 3)
    os.remove(system + "/rules/evdev.xml")
    os.makedirs(system + "/rules/evdev.xml/in/the/way")
    lurk("install tern", 3)
    shutil.rmtree(system + "/rules/evdev.xml")
    shutil.move(desk.path("kept"), system + "/rules/evdev.xml")
    assert extra() == ([], 0) and os.listdir(desk.path("xkb/symbols")) == []
    lurk("install tern")
    desk.want("undo", desk=None, env={"XDG_CONFIG_HOME": desk.folder, "XDG_STATE_HOME": desk.folder})
    assert extra() == ([], 0)
    # Several at once, also with what a package calls: each waits for the others.
    names = ["gull", "knot", "ruff", "tern"]
    for name in names[:3]:
        lurk(f"begin {name} --from gb --words {name}")
    for verb in ("install", "uninstall"):
        def at_once(words):
            return subprocess.Popen([LURK, "layout", *words], env={"PATH": os.environ["PATH"], "LSAN_OPTIONS": os.environ.get("LSAN_OPTIONS", ""), "HOME": desk.folder, "XDG_CONFIG_HOME": desk.folder, "XDG_STATE_HOME": desk.folder, "LURK_AGENT": "/nowhere",
                                    "XKB_CONFIG_EXTRA_PATH": desk.path("xkb"), "XKB_CONFIG_ROOT": system}, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
        running = [at_once(words) for name in names for words in ([verb, name], ["renew"])]
        for process in running:
            told = process.communicate()[0]
            assert process.returncode == 0, told
        assert desk.read("system/rules/evdev.xml").count("<name>") - desk.read("packaged/rules/evdev.xml").count("<name>") == (len(names) if verb == "install" else 0)
    assert extra() == ([], 0)
    if os.getuid():
        os.chmod(system + "/symbols", 0o555)
        lurk("install tern", out=["The X server and the text console have it not"])
        os.chmod(system + "/symbols", 0o755)


def completion(desk):
    """What the command says may come next, and each shell that is here with it."""
    desk.want("keyboards")
    desk.want("profile new night")
    desk.want("layout begin tern --from gb")
    for line, wanted in COMPLETIONS:
        words = line.split(" ")
        assert desk.want(["complete", "--", *words]).split() == wanted, (line, desk.want(["complete", "--", *words]))
    assert not os.path.exists(desk.path("nowhere"))
    desk.want("complete -- map F", desk="nowhere")
    assert not os.path.exists(desk.path("nowhere"))
    folder = os.path.join(os.path.dirname(os.path.abspath(__file__)), "../../data/completion")
    for shell, script in SHELLS.items():
        if not shutil.which(shell):
            continue
        for line, wanted in [("map Caps", "CapsLock"), ("use n", "night")]:
            words = ["lurk", *line.split(" ")]
            text = script.format(folder=folder, words=" ".join(words), last=len(words) - 1, count=len(words), line=" ".join(words))
            environment = {**os.environ, "PATH": os.path.dirname(LURK) + ":" + os.environ["PATH"], "LURK_DESK": "hide", "HOME": desk.folder}
            done = subprocess.run([shell, "-c", text], cwd=desk.folder, env=environment, capture_output=True, text=True)
            assert done.stdout.split() == [wanted] and not done.stderr, (shell, line, done.stdout, done.stderr)


def recipes(desk):
    """Each recipe of the page, as it stands there."""
    page = open(os.path.join(os.path.dirname(os.path.abspath(__file__)), "../../docs/recipes.md")).read()
    wrong = []
    for number, recipe in enumerate(page.split("\n## ")[1:]):
        shutil.rmtree(desk.path("hide"), ignore_errors=True)
        desk.want("keyboards")
        for line in re.findall(r"^    (.*)$", recipe, re.M):
            if line.startswith("lurk "):
                desk.want(shlex.split(line)[1:])
            else:
                subprocess.run(line, shell=True, check=True, cwd=desk.folder)
        (presses, what, wanted), = re.findall(r"^Pressed `(.*)`, it (types|gives) `(.*)`\.$", recipe, re.M)
        told = desk.want(["play", "--json", "-"], stdin=presses.replace("; ", "\n") + "\n")
        rows = [json.loads(line) for line in told.splitlines()]
        cells = [row["text" if what == "types" else "got"] for row in rows]
        got = "".join(cells) if what == "types" else ", ".join(cell for cell in cells if cell)
        if got != wanted:
            wrong.append((recipe.splitlines()[0], got, wanted))
    assert not wrong and number > 10, wrong


TYPED = [  # after `lurk layout begin tern --from gb --words Tern`
    ("type tern AltRight+M ♂", 0, ["AltRight+KeyM types ♂ in tern now, and no longer µ.", "No key types `µ` any more", "`lurk layout install tern`"]),
    ("type tern AltRight+M ♂", 1, "AltRight+KeyM types ♂ in tern already"),
    ("type tern µ ♂", 1, "AltRight+KeyM types ♂ in tern already"),  # where the base has it
    ("type tern чайка x", 2, "`чайка` is no key"),
    ("type tern ч x", 2, "no key of the layout types `ч`"),
    ("type tern ¬ …", 0, ["Shift+Backquote types … in tern now, and no longer ¬."]),
    ("type tern # nothing", 0, ["Backslash types nothing in tern now, and no longer #.", "No key types `#` any more, which Backslash did"]),
    ("type tern AltRight+Space U+202F", 0, ["AltRight+Space types U+202F in tern now, and no longer space."]),
    ("type tern hid:07:10 x", 2, "`hid:07:10` is not one key"),
    ("type tern Control+M x", 2, "tern: what a key types is chosen with Shift, AltRight or both; nothing is changed"),
    ("type tern M seen", 2, "`lurk map KEY --text 'seen'`"),
    ("type tern ShiftLeft x", 2, "ShiftLeft is a modifier; to make it another key is a rule's work: `lurk map ShiftLeft RESULT`"),
    ("check tern", 1, ["3 things to know of tern:", "`lurk layout type tern KEY '#'` gives it to another key, `lurk layout restore tern Backslash` that key back",
                       "and programs and passwords need it.  [lost-sign]"]),
    ("restore tern Backslash", 0, ["Backslash types what it does in English (UK) in tern now, with Shift and AltRight too."]),
    ("restore tern Backslash", 1, "Backslash types what it does in English (UK) in tern already"),
    ("check tern", 0, ["2 things to know of tern:"]),
    ("type tern AltRight+Shift+M U+1F426", 0, ["Shift+AltRight+KeyM types 🐦 in tern now, and no longer º."]),
    ("check tern", 0, ["4 things to know of tern:", "The text console cannot type `🐦`, which Shift+AltRight+KeyM does.  [not-on-console]"]),
    ("type tern AltRight+Shift+M º", 0, ["º in tern now"]),
    ("check tern", 0, ["2 things to know of tern:"]),
    ("copy tern KeyX Digit4", 0, ["KeyX types what Digit4 does in tern now, with Shift and AltRight too.", "`lurk layout check tern` tells what got lost."]),
    ("copy tern KeyX Digit4", 1, "KeyX types what Digit4 does in tern already"),
    ("copy tern KeyX ShiftLeft", 2, "ShiftLeft is a modifier, which is a rule's work: `lurk map KeyX ShiftLeft`; nothing is changed"),
    ("copy tern ShiftLeft KeyX", 2, "ShiftLeft is a modifier"),
    ("copy tern F13 KeyX", 2, "the system says what F13 types"),
    ("show tern", 0, ["  KeyX                 4       x", "  Shift+KeyX           $       X", "  AltRight+KeyX        €       »"]),
    ("restore tern KeyX", 0, ["KeyX types what it does in English (UK) in tern now"]),
    ("show tern", 0, ['tern, "Tern", is English (UK) but for this:', "AltRight+KeyM    ♂       µ", "No desktop has it yet: `lurk layout install tern` gives it to them."]),
    ("", 0, ['tern, "Tern": English (UK) with 3 changes; no desktop has it yet']),
    ("call tern Gull", 0, ['tern is called "Gull" now; `lurk layout install tern` says so to menus.']),
    ("call tern Gull", 1, 'tern is "Gull" in menus already'),
    ("call tern German", 2, 'de is called "German" already, and menus tell two apart by their words; nothing is changed'),
    ("call tern Tern", 0, ['"Tern"']),
    ("begin tern", 3, "hide/layouts/symbols/tern is there already"),
    ("after tern dead_caron q ɋ", 0, ["dead caron, then q types ɋ in tern now."]),
    ("after tern dead_caron q ɋ", 1, "dead caron, then q types ɋ in tern already"),
    ("after tern dead_caron s \"\\", 0, ["dead caron, then s types \"\\ in tern now."]),
    ("after tern dead_caron s nothing", 0, ["dead caron, then s types what it does without a layout of one's own in tern now."]),
    ("after tern dead_caron s nothing", 1, "dead caron, then s types what it does without a layout of one's own in tern already"),
    ("after tern dead_caron q heron", 2, "at most four characters; a text is a rule's work: `lurk map KEY --text TEXT`; nothing is changed"),
    ("after tern q q q", 2, "`q` is no dead key"),
    ("after tern dead_caron ShiftLeft q", 2, "`ShiftLeft` is a modifier"),
    ("after tern dead_acute dead_diaeresis q", 2, "waits for a third sign; that would be lost"),
    ("after tern dead_psili v ν", 0, ["dead abovecomma, then v types ν in tern now."]),
    ("check tern", 0, ["No key types dead abovecomma, after which it has signs of its own.  [unbegun]", "`lurk layout type tern KEY 'dead abovecomma'` gives it to a key"]),
    ("after tern dead_psili v nothing", 0, ["dead abovecomma, then v types"]),
    ("show tern", 0, ["  dead caron, then q  ɋ       nothing"]),
    ("check tern", 0, ["The text console has no lines of your own for what comes after dead caron.  [not-composed]"]),
    ("begin wren --from nothing", 0, ["wren begins as a keyboard without letters, in ", 'menu, as "wren"']),
    ("check wren", 1, ["1 thing to know of wren:\n  No key types `!`, nor 80 more of ASCII, and programs and passwords need it.  [missing-sign]",
                       "`lurk layout type wren KEY '!'` gives it to a key"]),
    ("type wren KeyQ dead_greek", 0, ["KeyQ types dead greek in wren now.\n"]),
    ("type wren KeyW AudioVolumeMute", 0, ["KeyW types XF86AudioMute in wren now."]),
    ("type wren KeyE Undo", 0, ["KeyE types Undo in wren now."]),
    ("type wren KeyR ArrowLeft", 0, ["KeyR types Left in wren now."]),
    ("type wren KeyT F17", 0, ["KeyT types "]),
    ("check wren", 1, ["4 things to know of wren:", "cannot type Undo, which KeyE does", "cannot type dead greek, which KeyQ does.  [not-on-console]", "cannot type XF86AudioMute, which KeyW does.  [not-on-console]"]),
    ("check wren --json", 1, ['"code":"missing-sign","needed":true', '"more":80']),
    ("show wren", 0, ['wren, "wren", is a keyboard without letters but for this:', "  KeyQ   dead greek     nothing"]),
    ("uninstall tern", 1, "no layout `tern` is installed in hide/xkb"),
]
OTHERS = """<?xml version="1.0"?>
<!DOCTYPE xkbConfigRegistry SYSTEM "xkb.dtd">
<xkbConfigRegistry version="1.1"><!-- mine: </layoutList> <layout><name>tern</name></layout> -->
<modelList></modelList>
<layoutList>\t<layout><configItem><name>gull</name><description>Gull &amp; co</description></configItem></layout></layoutList>
</xkbConfigRegistry>"""


# What somebody wrote, with a line that looks like the beginning of Lurk's.
COMPOSE = 'include "%L"\n# Lurk: after dead keys of the layout tern\n<Multi_key> <g> <u> : "gull" # mine\n'


def own_layouts(desk):
    """From beginning one to having it in a menu and out of it again, each step taken back; what others have there stays byte for byte."""
    def listed():
        return desk.read("hide/xkb/rules/evdev.xml")
    desk.want("layout", out=["None yet: `lurk layout begin NAME`"])
    desk.want("layout begin tern --from gb --words Tern", out=["tern begins as English (UK), in hide/layouts/symbols/tern.", 'menu, as "Tern".'])
    for words, status, wanted in TYPED:
        desk.want("layout " + words, status, **({"out" if isinstance(wanted, list) else "err": wanted}))
    desk.want("picture --layout tern --with AltRight", out=["layout Tern", "♂"])
    # What differs stands out, beside what it was; labels for that, with what got lost.
    caps = {c["key"]: c for c in json.loads(desk.want("picture --layout tern --json"))["caps"]}
    changed = {key for key, c in caps.items() if c["own"]}
    assert changed == {row["press"].split("+")[-1] for row in json.loads(desk.want("layout show tern --json"))["changes"]}, changed
    desk.want("picture --layout tern --before-after", out=["English (UK):", "Tern:", "┃", "not as in the layout it begins from", "AltRight+KeyM types ♂ instead of µ"])
    desk.want("picture --layout tern --with AltRight", out=["┃♂   ┃", "┃µ   ┃"])
    desk.want("picture --layout tern --labels -o labels.svg", out=[f"{len(changed)} labels"])
    assert "lost: ¬" in desk.read("labels.svg")
    # A desk may have it, and a profile: texts and names follow it.
    plain = desk.read("hide/desk.yaml")
    desk.write("hide/desk.yaml", plain.replace("layout: gb", "layout: tern"))
    desk.want(["map", "F9", "--text", "♂…"])
    desk.want("resolve …", out=["`…`: Shift with Backquote."])
    desk.want("apply")
    assert desk.got("press F9 on wagtail\nhold ShiftLeft\npress Backquote\nrelease ShiftLeft\n")[1] == "♂……"
    desk.write("hide/desk.yaml", plain)
    desk.want("check", 1, out=["The layout gb has no key for a character of this text: ♂"])
    desk.write("hide/profile.yaml", desk.read("hide/profile.yaml").replace("lurk: 1", "lurk: 1\nlayout: tern"))
    desk.want("check", out=["Characters and texts are those of the layout tern (Tern)"])
    desk.want("restore --all --apply")
    desk.write("hide/xkb/rules/evdev.xml", OTHERS)
    desk.write("hide/XCompose", COMPOSE)
    for _ in range(2):
        desk.want("layout install tern", out=["hide/xkb", 'and "Tern" in the menu of layouts.', "`lurk layout uninstall tern` takes it away"])
    assert desk.read("hide/xkb/symbols/tern") == desk.read("hide/layouts/symbols/tern") and listed().count("<name>tern</name>") == 2 and "Gull &amp; co" in listed()
    assert json.loads(desk.want("layout show tern --json"))["desktops"] == "installed"
    assert desk.read("hide/XCompose") == COMPOSE + '# Lurk: after dead keys of the layout tern\n<dead_caron> <q> : "ɋ"\n# Lurk: end of the layout tern\n'
    desk.want("layout after tern dead_caron z ʒ")
    assert json.loads(desk.want("layout show tern --json"))["desktops"] == "changed-since"
    desk.want("layout type tern N ν", out=["Desktops have it as it was: `lurk layout install tern` gives them this."])
    desk.want("layout install tern", out=["tern is installed in hide/xkb"])
    desk.want("layout uninstall tern", out=["tern is taken from the menu of layouts."])
    assert listed() == OTHERS and os.listdir(desk.path("hide/xkb/symbols")) == [] and desk.read("hide/XCompose") == COMPOSE
    desk.want("undo", out=["Took back the last edit: the layout tern out of menus.", "is as before it"])
    assert "<name>tern</name>" in listed().replace(OTHERS.split("-->")[0], "")
    for _ in range(4):
        desk.want("undo")
    assert desk.read("hide/XCompose") == COMPOSE
    assert listed() == OTHERS and "ν" not in desk.read("hide/layouts/symbols/tern")
    # Where nobody has a list yet there is none again afterwards.
    os.remove(desk.path("hide/XCompose"))
    shutil.rmtree(desk.path("hide/xkb"))
    desk.want("layout install tern --json", out=['"desktops":"installed"'])
    desk.want("layout uninstall tern --json", out=['{"uninstalled":"tern"}'])
    assert not any(names for _, _, names in os.walk(desk.path("hide/xkb"))) and not os.path.exists(desk.path("hide/XCompose"))
    # Somebody's Compose file that cannot be read is in the way of who has lines for it, and of nobody else.
    os.mkdir(desk.path("hide/XCompose"))
    for words, status in (("install tern", 3), ("after tern dead_caron q nothing", 0), ("install tern", 0), ("uninstall tern", 0), ("after tern dead_caron q ɋ", 0)):
        desk.want("layout " + words, status)
    os.rmdir(desk.path("hide/XCompose"))
    # What is in the way stays: a list that desktops cannot read, another's layout, a folder without rights.
    for bad in ("", "<xkbConfigRegistry>", OTHERS.replace("</layoutList>\n", "\n"), OTHERS.replace("layoutList", "optionList")):
        desk.write("hide/xkb/rules/evdev.xml", bad)
        desk.want("layout install tern", 3, err="hide/xkb/rules/evdev.xml: it is no list of layouts that desktops can read; nothing is installed")
        assert listed() == bad and not os.path.exists(desk.path("hide/xkb/symbols/tern"))
    desk.write("hide/xkb/rules/evdev.xml", OTHERS)
    desk.write("hide/xkb/symbols/tern", 'xkb_symbols "x" { include "fr" };')
    desk.want("layout install tern", 3, err="hide/xkb/symbols/tern is there already, and no earlier version of yours")
    assert listed() == OTHERS
    os.remove(desk.path("hide/xkb/symbols/tern"))
    os.symlink("/dev/full", desk.path("hide/xkb/symbols/tern"))
    desk.want("layout install tern", 3)
    assert listed() == OTHERS
    # From a friend, and beside one's own.
    shutil.copy(desk.path("hide/layouts/symbols/tern"), desk.path("friend"))
    desk.want("layout take friend", out=['friend is a layout of yours now: "Tern", in hide/layouts/symbols/friend.'])
    desk.want("layout take friend", 3, err="friend is there already")
    shutil.copy(desk.path("friend"), desk.path("Reed.txt"))
    desk.want("layout take Reed.txt", 2, err="`Reed.txt` is no name for a layout: small letters, digits and _, at most 31; `lurk layout take FILE NAME` calls it otherwise")
    for name in ("../../../../../../" + desk.path("taken"), "../taken", "a/b", "gb"):
        desk.want(["layout", "take", "friend", name], 2, err="layout")
    assert not os.path.exists(desk.path("taken")) and sorted(os.listdir(desk.path("hide/layouts"))) == ["compose", "symbols"]
    desk.want("layout begin knot --from tern", out=["knot begins as "])
    desk.want("layout type knot K κ")
    desk.want("layout check knot", out=["2 things to know of knot:", "No key types `k` any more, which KeyK did, and programs", "No key types `Κ`, the capital that Shift+KeyK would.  [no-capital]"], status=1)
    os.remove(desk.path("hide/xkb/symbols/tern"))
    desk.want("layout install knot", 3, err="knot begins as tern, which desktops do not have; `lurk layout install tern` first")
    for name in ("tern", "knot"):
        desk.want("layout install " + name)
    desk.want("layout uninstall tern", 3, err="knot begins as tern: `lurk layout uninstall knot` first")
    desk.want("layout uninstall knot")
    # Broken by hand, and what never ends: each is one line, and the others are listed.
    desk.write("hide/layouts/symbols/torn", 'xkb_symbols "x" { include "gb"')
    desk.write("hide/layouts/symbols/round", 'xkb_symbols "x" { include "tern" include "round" };')
    desk.want("layout show torn", 3, err="hide/layouts/symbols/torn: it is no layout: ")
    desk.want("layout show round", 3, err="what it includes comes back to `round`, without an end")
    desk.want("layout", out=["tern, ", "friend, "], err=["torn: it is no layout", "round: it is no layout"])
    desk.want("picture --layout torn", 2, err="it is no layout")
    # Where somebody put such a one before desktops, nobody here falls over it.
    desk.write(".config/xkb/symbols/whirl", 'xkb_symbols "x" { include "gb" include "whirl" };')
    desk.want("picture --layout whirl", 2, err="there is no layout `whirl`")
    desk.want("layout begin pool --from whirl", 2, err="there is no layout `whirl`")
    # Many edits at once: each that says so has arrived.
    running = [subprocess.Popen([*WRAPPER, LURK, "--desk", "hide", "layout", "type", "tern", key, "✓"], cwd=desk.folder, stdout=subprocess.PIPE,
                                stderr=subprocess.PIPE, text=True, env={"PATH": os.environ["PATH"], "HOME": desk.folder,
                                                                                     "LSAN_OPTIONS": os.environ.get("LSAN_OPTIONS", "")}) for key in KEYS[:8]]
    done = [(key, *one.communicate(), one.returncode) for key, one in zip(KEYS, running)]
    changes = [row["press"] for row in json.loads(desk.want("layout show tern --json"))["changes"]]
    for key, out, err, status in done:
        assert status == 0 and key in changes, (key, out, err, status, changes)


KEYS = [f"Key{letter}" for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ"][:20]


def two_at_once(desk):
    """Of many edits at once each arrives; and one that started from what is not there any more changes nothing."""
    environment = {"PATH": os.environ["PATH"], "XDG_CONFIG_HOME": desk.folder, "XDG_STATE_HOME": desk.folder}
    own = {"desk": None, "env": environment}
    desk.want("map Pause Tab", **own)
    running = [subprocess.Popen([*WRAPPER, LURK, "map", key, "Tab"], cwd=desk.folder, env=environment, stdout=subprocess.PIPE,
                                stderr=subprocess.PIPE, text=True) for key in KEYS]
    for key, one in zip(KEYS, running):
        out, err = one.communicate()
        assert one.returncode == 0 and f"{key} now gives Tab." in out, (key, out, err)
    text = desk.read("lurk/profile.yaml")
    assert all(f"press: {key}\n" in text for key in KEYS) and text.count("gives: Tab") == len(KEYS) + 1, text
    for i in range(len(KEYS) + 1):  # and each can be taken back
        desk.want("undo", out=["Took back the last edit"], **own)
    assert sorted(os.listdir(desk.path("lurk"))) == ["undo"]
    # In force as well, in two profiles: each that says so is in force, and can be taken back, by many at once.
    def at_once(commands):
        running = [subprocess.Popen([*WRAPPER, LURK, "--desk", "hide", *words.split()], cwd=desk.folder, env=environment, stdout=subprocess.PIPE,
                                    stderr=subprocess.PIPE, text=True) for words in commands]
        for words, one in zip(commands, running):
            told = one.communicate()
            assert one.returncode == 0, (words, told)

    desk.want("map Pause Tab --apply")
    desk.want("profile new night")
    desk.want("apply")
    keys = [f"F{n}" for n in range(7, 11)]  # who waits is not held up for ever: few
    at_once([f"map {key} Tab --apply{' --profile night' if i % 3 == 0 else ''}" for i, key in enumerate(keys)])
    for i, key in enumerate(keys):
        assert f"  {key} " in desk.want(f"show --profile {'night' if i % 3 == 0 else 'base'}"), key
    desk.want("diff", out=["are the same"])
    at_once(["undo"] * len(keys))
    desk.want("status", out=["1 rule in force"])
    desk.want("diff", out=["are the same"])
    # Whoever holds the folder for ever holds nobody up for ever.
    desk.want("map Pause Tab", **own)
    folder = os.open(desk.path("lurk"), os.O_RDONLY)
    fcntl.flock(folder, fcntl.LOCK_EX)
    desk.want("map KeyA Tab", **own)
    os.close(folder)


def whose_files(desk):
    """Copies are as private as what they are of; new files have the rights that the caller gives them."""
    profile, undo = desk.path("lurk/profile.yaml"), desk.path("lurk/undo")
    own = {"desk": None, "env": {"XDG_CONFIG_HOME": desk.folder, "XDG_STATE_HOME": desk.folder}}
    for mask, mode in ((0o022, 0o644), (0o077, 0o600), (0o027, 0o640)):
        before = os.umask(mask)
        desk.want("map KeyA Tab", **own)
        os.umask(before)
        assert os.stat(profile).st_mode & 0o7777 == mode, oct(os.stat(profile).st_mode)
        desk.want("undo", **own)
    desk.want("map KeyA Tab", **own)
    for mode in (0o640, 0o600, 0o6755):
        os.chmod(profile, mode)
        desk.want("map KeyB Tab", **own)
        desk.want("restore KeyB", **own)
        assert os.stat(profile).st_mode & 0o7777 == mode & 0o777, oct(os.stat(profile).st_mode)
    for name in os.listdir(undo):
        assert os.stat(os.path.join(undo, name)).st_mode & 0o7777 == 0o600, name
    # A link stays one, also to what is not there yet.
    os.remove(profile)
    os.makedirs(desk.path("kept/safe"))
    os.symlink("../kept/link", profile)
    os.symlink("safe/profile.yaml", desk.path("kept/link"))
    desk.want("map KeyA Tab", **own)
    desk.want("map KeyB Tab", **own)
    assert os.path.islink(profile) and "KeyB" in desk.read("kept/safe/profile.yaml")
    # What is no file is said, and not waited for.
    os.remove(profile)
    os.mkfifo(profile)
    desk.want("show", 3, err=["profile.yaml: is a pipe, not a file"], **own)
    desk.want("map KeyA Tab", 3, err=["is a pipe"], **own)


def on_a_pty(desk, words, columns=120, **env):
    """What a terminal gets."""
    end, terminal = pty.openpty()
    fcntl.ioctl(terminal, termios.TIOCSWINSZ, struct.pack("HHHH", 50, columns, 0, 0))
    running = subprocess.Popen([LURK, *words], stdin=subprocess.DEVNULL, stdout=terminal, stderr=terminal, cwd=desk.folder,
                               env={"PATH": os.environ["PATH"], "HOME": desk.folder, "LURK_DESK": "hide", "TERM": "xterm", **env})
    os.close(terminal)
    told = b""
    while True:
        try:
            some = os.read(end, 65536)
        except OSError:
            some = b""
        if not some:
            break
        told += some
    running.wait()
    os.close(end)
    return told.decode(errors="surrogateescape")


def nothing_is_too_wide(desk):
    """On a terminal lines are broken at blanks, tables fold, and nothing of it is lost; for programs all is as long as it is."""
    for command in ["keyboards --keyboard curlew --nickname hid:07:a5=Feather", "map Feather LaunchMail --note 'the tide table is asked for by mail'",
                    "map NumLock Tab", "map Shift+6 --text °", "map Backslash 'Control+Alt+Shift+F13'", "swap Control Meta -k dipper",
                    "map F9 --text 'seen 3 teal and a wigeon, flying to the north of the hide'", "apply", "map F8 F7", "disable KeyA"]:
        desk.want(shlex.split(command))
    looks = ["show", "check", "status", "status --rules", "diff", "versions", "keyboards", "keyboards --describe", "reach Backslash", "reach £", "resolve 58",
             "resolve Backslash", "resolve --list volume", "hwdb", "apply", "", "profile list", "help back", "map xyzzyx F1", "--help", "map --help",
             "undo", "off", "on", "show --pairs", "check --json", "status --json"]
    for columns in (80, 48, 200):
        for look in looks if columns > 48 else looks[:9]:
            told = re.sub("\033\\[[0-9;]*m", "", on_a_pty(desk, shlex.split(look), columns)).replace("\r", "")
            lines = told.splitlines()
            if "--json" in look:
                assert len(lines) <= 8 and all(json.loads(line) for line in lines), told
            elif columns >= 80 or "help" not in look:
                wide = [line for line in lines if len(line) > columns and " " in line.strip()]
                assert not wide, (look, columns, wide)
            if look in ("show", "check", "diff", "reach £"):  # all is there, in whatever order the cells of a row are told
                piped = desk.run(shlex.split(look))
                told, piped = told.split(), (piped.stdout + piped.stderr).split()
                assert columns < 80 and len("".join(told)) == len("".join(piped)) or sorted(told) == sorted(piped), (look, columns, told, piped)


def nothing_is_obeyed(desk):
    """Whatever is in names, paths, notes, words and files: a terminal shows it, and JSON has it for programs all the same."""
    desk.want("keyboards")
    for evil in ("".join(EVIL), EVIL[1]):
        quoted = json.dumps(evil).replace("\\u007f", "\\x7f")
        desk.write("hide/profile.yaml", f"lurk: 1\nname: {quoted}\nrules:\n  - press: F1\n    gives: {{text: {quoted}}}\n    note: {quoted}\n"
                   f"  - press: F2\n    gives: F3\n    note: {quoted}\n    off: true\n  - press: KeyA\n    gives: KeyB\n    note: {quoted}\n")
        desk.write("hide/keyboards.yaml", f"keyboards:\n  wagtail: {{usb: \"fade:0001\", serial: {quoted}}}\n  heron: {{built-in: true}}\n")
        for command in ["show", "status", "check", "diff", "reach", "apply", "versions", "keyboards", "picture", "profile list", "undo", "overview"]:
            for words in (command.split(), [*command.split(), "--json"]):
                words = [] if words == ["overview"] else words
                told = desk.run(words)
                assert not OBEYED.search(told.stdout + told.stderr), (words, told)
            told = re.sub(r"\033\[[0127]m", "", on_a_pty(desk, command.split() if command != "overview" else [])).replace("\r\n", "\n")
            assert not OBEYED.search(told), (command, told)
        for words in [[evil], ["map", evil, "F1"], ["map", "F1", evil], ["map", "F1", "F2", evil], ["map", "F1", "--" + evil], ["resolve", evil],
                      ["show", "--profile", f"nowhere/{evil}/x.yaml"], ["map", "F4", "F5", "--note", evil], ["map", "F4", "--text", evil],
                      ["keyboards", "--name", evil], ["map", "F4", "F5", "--keyboard", evil], ["use", evil], ["profile", "new", evil],
                      ["play", evil], ["decode", evil], ["picture", "--layout", evil], ["--desk", evil + "/x", "status"], ["help", evil],
                      ["map", "F4", "--use", evil], ["complete", "--", "map", evil]]:
            for more in ([], ["--json"]):
                told = desk.run([*words, *more])
                assert not OBEYED.search(told.stdout + told.stderr), (words, told)
    shutil.rmtree(desk.path("hide"))
    desk.want("keyboards")
    desk.write("hide/profile.yaml", 'lurk: 1\nname: "\\u202ex\\x9b"\nrules: [{press: F1, gives: F2, note: "\\x85"}]\n')
    assert json.loads(desk.want("show --json"))["rules"][0]["note"] == "\x85"


FLIP = """
import os, sys
os.setgid(12345); os.setuid(12345); os.chdir(sys.argv[1])
print("ready", flush=True)
while True:
    for make in (lambda: os.symlink(sys.argv[2], "new"), lambda: open("new", "w").write("lurk: 1\\nrules:\\n")):
        make()
        os.rename("new", "profile.yaml")
"""


def root_in_somebodys_folder(desk):
    """As root only: links that lead out of it, also such as are put there meanwhile, lead nowhere; what is made is its owner's."""
    if os.getuid():
        return
    os.chmod(desk.folder, 0o755)
    own = {"desk": None, "env": {"XDG_CONFIG_HOME": desk.folder, "XDG_STATE_HOME": desk.folder}}
    home, secret = desk.path("home"), desk.path("secret.yaml")
    os.makedirs(home + "/.config/lurk")
    desk.write("secret.yaml", "lurk: 1\nrules:\n")
    os.chmod(secret, 0o600)
    for folder in ("", "/.config", "/.config/lurk"):
        os.chown(home + folder, 12345, 12345)
    profile = home + "/.config/lurk/profile.yaml"
    desk.want(["map", "KeyA", "Tab", "--profile", profile], **own)
    assert os.stat(profile).st_uid == 12345 and os.stat(profile).st_gid == 12345
    for where, link in ((profile, secret), (home + "/.config/lurk/other", desk.folder)):
        subprocess.run(["rm", "-rf", where], check=True)
        os.symlink(link, where)
        os.lchown(where, 12345, 12345)
    for path in (profile, home + "/.config/lurk/other/secret.yaml", home + "/.config/lurk/other/made/profile.yaml"):
        assert desk.run(["map", "KeyA", "Tab", "--profile", path], **own).returncode == 3
        assert "KeyA" not in desk.read("secret.yaml") and not os.path.exists(desk.path("made"))
    desk.want(["show", "--profile", profile], 3, err=["profile.yaml: Permission denied"], **own)
    os.remove(profile)
    flipping = subprocess.Popen([sys.executable, "-c", FLIP, os.path.dirname(profile), secret], stdout=subprocess.PIPE, text=True)
    assert flipping.stdout.readline() == "ready\n"
    for i in range(150):
        desk.run(["map", KEYS[i % 20], "Tab", "--profile", profile], **own)
    flipping.kill()
    flipping.wait()
    assert desk.read("secret.yaml") == "lurk: 1\nrules:\n" and os.stat(secret).st_uid == 0
    for folder, folders, names in os.walk(home):
        for name in folders + names:
            assert os.lstat(os.path.join(folder, name)).st_uid == 12345, name


FAULTY = ["map KeyC Tab", "map NumLock nothing", "swap F1 F2", "restore NumLock", "undo", "profile new night", "keyboards --keyboard heron --broken Delete",
          "map KeyC Tab --apply", "apply", "show", "status", "check", "off NumLock", "layout type tern KeyM ✓", "layout install tern"]


def faults(desk):
    """Each allocation, and each opening, writing, syncing, renaming and making of a file fails in turn, in every job: a line says so, and
    files are as they were or as they should be."""
    library = os.environ.get("LURK_FAULTS_LIBRARY")
    if not library or WRAPPER:
        return
    own = {"XDG_STATE_HOME": desk.folder, "LURK_FAULTS": desk.path("count"), "LD_PRELOAD": library}
    desk.want("keyboards")
    desk.want("map NumLock Tab --apply")
    desk.want("map F4 F5")
    for name in ("tern", "gull"):
        desk.want(["layout", "begin", name, "--from", "gb", "--words", name])
    desk.want("layout install gull")
    shutil.move(desk.path("hide"), desk.path("before"))
    most, ran = int(os.environ.get("LURK_FAULT_RUNS", "4")), 0

    def files(desk_folder="hide"):
        found = {}
        for folder, _, names in os.walk(desk.path(desk_folder)):
            for name in names:
                path = os.path.join(folder, name)
                if ".yaml" in name or "/layouts" in folder or "/xkb" in folder:
                    found[os.path.relpath(path, desk.path(desk_folder))] = open(path, "rb").read()
        return found

    def run(command, kind, at):
        shutil.rmtree(desk.path("hide"), ignore_errors=True)
        shutil.copytree(desk.path("before"), desk.path("hide"))
        return desk.run(command.split(), env={**own, "LURK_FAULT": f"{kind} {at}"}.items())

    for command in FAULTY:
        for kind in ("memory", "file"):
            whole = run(command, kind, 0)
            assert whole.returncode in (0, 1), (command, whole)
            count, after = int(desk.read("count")), files()
            before = files("before")
            for at in range(1, count + 1, max(1, 2 * count // most if command.startswith("layout") else count // most)):
                done = run(command, kind, at)
                told = (command, kind, at, done)
                ran += 1
                assert done.returncode in (0, 1, 3), told
                assert done.returncode != 3 or 1 <= len(done.stderr.splitlines()) <= 3 and done.stderr.startswith("lurk: "), told
                now = files()
                for name in {*before, *after, *now}:
                    assert now.get(name) in (before.get(name), after.get(name)), (told, name, now.get(name))
                if done.returncode == 0 and "cannot be undone" not in done.stderr:
                    assert now == after, told
    print(f"{ran} faults")


def power_goes(desk):
    """Before each writing, syncing, renaming and making of a file while a layout is installed for everybody, or taken away: each of the
    four files is the old or the new one, no list names a layout that is not there, and the same command again ends it."""
    library = os.environ.get("LURK_FAULTS_LIBRARY")
    if not library or WRAPPER:
        return
    system = desk.path("system")
    os.makedirs(system + "/rules")
    for name in os.listdir(SYSTEM_LAYOUTS):
        if name != "rules":
            os.symlink(f"{SYSTEM_LAYOUTS}/{name}", f"{system}/{name}")
    os.remove(system + "/symbols")
    os.mkdir(system + "/symbols")
    for name in os.listdir(SYSTEM_LAYOUTS + "/symbols"):
        os.symlink(f"{SYSTEM_LAYOUTS}/symbols/{name}", f"{system}/symbols/{name}")
    for name in os.listdir(SYSTEM_LAYOUTS + "/rules"):
        shutil.copy(f"{SYSTEM_LAYOUTS}/rules/{name}", f"{system}/rules/{name}")
    env = {"XDG_CONFIG_HOME": desk.folder, "XDG_STATE_HOME": desk.folder, "LURK_AGENT": "/nowhere", "XKB_CONFIG_EXTRA_PATH": desk.path("xkb"), "XKB_CONFIG_ROOT": system}
    places = {path: desk.path(path) for path in ("xkb/symbols/tern", "xkb/rules/evdev.xml", "system/symbols/tern", "system/rules/evdev.xml")}

    def now():
        return {path: open(place, "rb").read() if os.path.exists(place) else None for path, place in places.items()}

    def put(files):
        for path, place in places.items():
            if files[path] is None and os.path.exists(place):
                os.remove(place)
            elif files[path] is not None:
                desk.write(path, files[path])

    desk.want("layout begin tern --from gb --words Tern", desk=None, env=env)
    without, ran = now(), 0
    desk.want("layout install tern", desk=None, env=env)
    installed = now()
    for command, before, after in (("install", without, installed), ("uninstall", installed, without)):
        put(before)
        faulty = {**env, "LD_PRELOAD": library, "LURK_FAULTS": desk.path("count")}
        assert desk.run(["layout", command, "tern"], desk=None, env={**faulty, "LURK_FAULT": "power 0"}).returncode == 0
        count = int(desk.read("count"))
        for at in range(1, count + 1, max(1, count // (2 * int(os.environ.get("LURK_FAULT_RUNS", "4"))))):
            put(before)
            done = desk.run(["layout", command, "tern"], desk=None, env={**faulty, "LURK_FAULT": f"power {at}"})
            assert done.returncode == -9, (command, at, done)
            ran += 1
            files = now()
            for path in places:
                assert files[path] in (before[path], after[path]), (command, at, path)
            for folder in ("xkb", "system"):
                listed = files[folder + "/rules/evdev.xml"]
                assert files[folder + "/symbols/tern"] is not None or b"<name>tern<" not in (listed or b""), (command, at, folder)
            desk.want(f"layout {command} tern", 0 if files != after else (0 if command == "install" else 1), desk=None, env=env)
            assert now() == after, (command, at)
    print(f"the power went {ran} times")


def main():
    tests = [demo, help_everywhere, used_wrongly, without_a_desk, broken_files, edits, what_is_said, refused_edits, undo, names, equal_keyboards, a_chord_that_can_be_sent,
             plays, power_and_storage, identify, conclusions, check, findings_bar_only_applying, what_changed_comes_first, try_and_keep, versions, reach, off_and_on, sharing, help_back,
             resolve, decode, without_a_program, profiles, renaming, own_layouts, a_layout_in_one_file, everybodys_layouts, completion, recipes, nothing_is_too_wide]
    hostile = [faults, power_goes, two_at_once, whose_files, root_in_somebodys_folder, nothing_is_obeyed]  # in a run of their own, beside these
    failed = 0
    if sys.argv[3:] == ["hostile"]:
        tests = hostile
    elif sys.argv[3:]:
        tests = [test for test in tests + hostile if test.__name__ in sys.argv[3:]]
    for test in tests:
        desk = Desk()
        try:
            test(desk)
        except AssertionError as error:
            failed += 1
            print(f"{test.__name__} failed:\n{error}")
        finally:
            shutil.rmtree(desk.folder)
    print(f"{len(tests) - failed} passed, {failed} failed")
    return failed > 0


sys.exit(main())
