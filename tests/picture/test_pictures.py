"""Pictures, compared by what is where: test_pictures.py LURK DATA [NAME...]; LURK_RECORD=1 takes them as right."""
import itertools
import json
import math
import os
import random
import re
import shutil
import struct
import subprocess
import sys
import tempfile
import unicodedata
import xml.etree.ElementTree as ElementTree

LURK, DATA = os.path.abspath(sys.argv[1]), os.path.abspath(sys.argv[2])
SVG = "{http://www.w3.org/2000/svg}"
FORMS = ["full", "no-keypad", "compact", "pad"]
LAYOUTS = ["us", "gb", "de", "fr", "jp", "ru", "ar"]
PROFILE = """lurk: 1
name: hide desk
layout: gb
rules:
  - {press: CapsLock, gives: Insert, note: the next field of the log}
  - {swap: [Control, Meta], keyboard: wagtail}
  - {press: Delete, gives: nothing, keyboard: heron}
  - {press: "hid:07:a5", gives: LaunchMail, keyboard: curlew}
  - {press: Shift+Digit6, gives: {text: "°"}}
  - {press: Control+Alt+Digit6, gives: Digit4}
  - {press: Pause, gives: Meta+KeyC}
  - {press: ScrollLock, gives: {text: "two avocets & <one> spoonbill, by the far reeds"}}
  - {press: F9, gives: [Control+KeyK, Control+KeyC]}
  - {press: "set1:57", gives: F1, keyboard: heron}
  - {press: only KeyH, gives: KeyJ}
  - {press: F5, gives: {rules: toggle}}
  - {press: F6, gives: Numpad7}
  - {press: F7, gives: LaunchControlPanel}
  - {press: AudioVolumeMute, gives: MediaRecord, keyboard: curlew}
"""


class Desk:
    folders = []

    def __init__(self, profile=PROFILE):
        self.folder = tempfile.mkdtemp(prefix="lurk-pictures-")
        Desk.folders.append(self.folder)
        self.run("keyboards")
        self.run("keyboards --keyboard heron --broken KeyX")
        if profile:
            self.write("hide/profile.yaml", profile)

    def write(self, name, text):
        with open(os.path.join(self.folder, name), "w") as file:
            file.write(text)

    def run(self, arguments, status=0, columns=80, **environment):
        words = arguments.split() if isinstance(arguments, str) else arguments
        result = subprocess.run([LURK, *words], capture_output=True, cwd=self.folder, env={
            "PATH": os.environ["PATH"], "HOME": self.folder, "LURK_DESK": "hide", "COLUMNS": str(columns),
            "LSAN_OPTIONS": os.environ.get("LSAN_OPTIONS", ""), **environment})
        told = (result.stdout + result.stderr).decode(errors="replace")
        assert result.returncode == status, f"lurk {arguments}: {result.returncode}\n{told}"
        return told

    def picture(self, arguments, name="p.svg"):
        self.run(["picture", "-o", name, *arguments.split()])
        return os.path.join(self.folder, name)


# ---- Reading a picture -------------------------------------------------------------------------------------

def numbers(path):
    return [tuple(map(float, pair)) for pair in re.findall(r"(-?[\d.]+),(-?[\d.]+)", path)]


def box_of_path(element):
    points = numbers(element.get("d"))
    xs, ys = [x for x, _ in points], [y for _, y in points]
    return min(xs), min(ys), max(xs), max(ys)


def box_of_text(element):
    """From the top of its capitals to its baseline: what goes below is as much as a line leaves free."""
    size, width = float(element.get("font-size")), float(element.get("textLength"))
    x = float(element.get("x")) - {"start": 0, "middle": 0.5, "end": 1}[element.get("text-anchor", "start")] * width
    y = float(element.get("y"))
    return x, y - 0.73 * size, x + width, y


def inside(inner, outer, slack=0.05):
    return (inner[0] >= outer[0] - slack and inner[1] >= outer[1] - slack
            and inner[2] <= outer[2] + slack and inner[3] <= outer[3] + slack)


def overlap(a, b, slack=0.05):
    return min(a[2], b[2]) - max(a[0], b[0]) > slack and min(a[3], b[3]) - max(a[1], b[1]) > slack


def luminance(colour):
    parts = [int(colour[i:i + 2], 16) / 255 for i in (1, 3, 5)]
    parts = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def contrast(a, b):
    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


class Cap:
    def __init__(self, group):
        self.classes = group.get("class").split()
        self.name = group.find(SVG + "title").text
        self.paths = group.findall(SVG + "path")
        self.box = box_of_path(self.paths[0])
        self.round = self.is_round()
        self.texts = group.findall(SVG + "text")
        self.words = [t.text for t in self.texts]
        self.cracks = [box_of_path(p) for p in self.paths[1:] if re.sub("[^A-Z]", "", p.get("d")) == "M" + 9 * "L"]
        # What a text stands on: the face, and lines of hatching.
        self.grounds = {self.paths[0].get("fill")} | {p.get("stroke") for p in self.paths[1:]
                                                      if "nothing" in self.classes and p.get("stroke-width") == "0.5"}


    def is_round(self):
        """No straight line in its outline that is longer than nothing."""
        points = numbers(self.paths[0].get("d"))
        steps = re.findall(r"[A-Z]", self.paths[0].get("d"))
        at, last, straight = 0, None, 0
        for step in steps:
            count = {"C": 3, "Z": 0}.get(step, 1)
            if step == "L":
                straight = max(straight, math.dist(last, points[at]))
            at += count
            last = points[at - 1]
        return straight < 0.1


def read(path):
    root = ElementTree.parse(path).getroot()
    return root, [Cap(g) for g in root.iter(SVG + "g") if "cap" in g.get("class").split()]


def must_be_sound(path, about):
    """Whatever it shows: everything in its place, nothing on something else, all of it readable."""
    root, caps = read(path)
    _, _, width, height = map(float, root.get("viewBox").split())
    paper = root.find(SVG + "rect").get("fill")
    for cap in caps:
        told = f"{about}: {cap.name}"
        assert cap.texts, f"{told}: an empty cap"
        boxes = [box_of_text(t) for t in cap.texts]
        for text, box in zip(cap.texts, boxes):
            assert text.text and "\t" not in text.text, f"{told}: {text.text!r}"
            assert inside(box, cap.box), f"{told}: {text.text} at {box} leaves {cap.box}"
            for x, y in itertools.product(box[::2], box[1::2]) if cap.round else ():
                middle = ((cap.box[0] + cap.box[2]) / 2, (cap.box[1] + cap.box[3]) / 2)
                assert math.hypot(x - middle[0], y - middle[1]) <= (cap.box[2] - cap.box[0]) / 2, f"{told}: {text.text} leaves the knob"
            assert float(text.get("font-size")) >= 1.2, f"{told}: {text.text} is too small to read"
            for crack in cap.cracks:
                assert not overlap(box, crack, slack=-0.4), f"{told}: {text.text} touches the crack"
            for ground in cap.grounds:
                ratio = contrast(text.get("fill"), ground)
                assert ratio >= 4.5, f"{told}: {text.text}: contrast {ratio:.1f} on {ground}"
        for (i, a), (j, b) in itertools.combinations(enumerate(boxes), 2):
            assert not overlap(a, b), f"{told}: {cap.words[i]!r} lies on {cap.words[j]!r}"
    for a, b in itertools.combinations(caps, 2):
        # Around a tall Enter the box is larger than the cap.
        if "Enter" not in (a.name, b.name):
            assert not overlap(a.box, b.box), f"{about}: {a.name} lies on {b.name}"
    captions = [t for t in root.findall(SVG + "text")]
    boxes = [box_of_text(t) for t in captions]
    for text, box in zip(captions, boxes):
        assert inside(box, (0, 0, width, height)), f"{about}: {text.text} leaves the page"
        assert contrast(text.get("fill"), paper) >= 4.5, f"{about}: {text.text}"
    for (i, a), (j, b) in itertools.combinations(enumerate(boxes), 2):
        assert not overlap(a, b), f"{about}: {captions[i].text} lies on {captions[j].text}"
    return caps


# ---- Tests -------------------------------------------------------------------------------------------------

def every_form_and_layout(desk):
    # Colours do not depend on the layout.
    for form, layout, dark in itertools.product(FORMS, LAYOUTS, ("", "--dark")):
        if dark and layout not in ("gb", "ar"):
            continue
        caps = must_be_sound(desk.picture(f"--keyboard wagtail --form {form} --layout {layout} {dark}"), (form, layout, dark))
        changed = {c.name for c in caps if "changed" in c.classes}
        assert {"CapsLock", "Pause", "F6"} <= changed, (form, layout, changed)


def every_kind(desk):
    for arguments in ("--keyboard heron", "--keyboard curlew", "--keyboard heron --before-after", "--with Shift",
                      "--with Control+Alt --dark", "--with AltRight --layout de", "--codes scan", "--codes hid",
                      "--codes evdev --dark", "--codes names --form compact,ansi", "--codes meaning --form no-keypad,jis",
                      "--card --keyboard wagtail", "--card --paper letter --keyboard curlew"):
        must_be_sound(desk.picture(arguments), arguments)


# What a cap says: its texts, and how it is marked.
FACES = [
    ("--keyboard heron", "CapsLock", "changed", ["Caps Lock", "Insert"]),
    ("--keyboard heron", "Delete", "nothing", ["Delete", "nothing"]),
    ("--keyboard heron", "F11", "changed by-code", ["F11", "F1"]),
    ("--keyboard heron", "KeyX", "broken", ["broken", "X", "»", ">"]),
    ("--keyboard heron", "BrightnessUp", "absent", ["Bright", "+"]),
    ("--keyboard heron", "Digit6", "with", ["Ctrl+Alt: 4", "6", "°", "¾"]),
    ("--keyboard heron --with Shift", "Digit6", "changed with", ["Shift: °", "6", "°"]),
    ("--keyboard heron --with Shift", "ShiftLeft", "held", ["held", "Shift"]),
    ("--keyboard heron --with Control+Alt", "Digit6", "changed with", ["Shift: °", "6", "4"]),
    ("--keyboard heron", "Pause", "changed", ["Pause", "Meta+", "C"]),
    ("--keyboard wagtail", "ControlLeft", "swapped", ["Control", "Meta", "1"]),
    ("--keyboard wagtail", "MetaRight", "swapped", ["Meta", "Control", "2"]),
    ("--keyboard wagtail", "F5", "changed", ["F5", "rules", "on/off"]),
    ("--keyboard wagtail", "F6", "changed", ["F6", "Num 7"]),
    ("--keyboard wagtail", "F7", "changed", ["F7", "Launch", "Control", "Panel"]),
    ("--keyboard wagtail", "F9", "changed", ["F9", "Ctrl+K", "Ctrl+C"]),
    ("--keyboard wagtail --with Shift", "KeyH", "with", ["alone: J", "H"]),
    ("--keyboard wagtail", "KeyH", "changed with", ["alone", "H", "J"]),
    ("--keyboard curlew", "hid:07:a5", "changed by-code", ["hid:07:a5", "Mail"]),
    ("--keyboard wagtail --with ShiftLeft", "Digit1", "", ["!"]),
    ("--layout th", "KeyJ", "", ["◌่", "◌๋"]),
    ("--layout de", "Semicolon", "", ["Ö"]),
    ("--layout de", "KeyY", "", ["Z"]),
    ("--layout fr", "Digit2", "", ["é", "2", "~"]),
    ("--layout ar", "KeyQ", "", ["ض", "◌َ"]),
    ("--layout ar", "Pause", "changed", ["Pause", "Meta+", "C"]),
    ("--layout de", "F9", "changed", ["F9", "Ctrl+K", "Ctrl+C"]),
    ("--layout jp", "NonConvert", "", ["無変換"]),
    ("--layout ru", "KeyA", "", ["Ф"]),
    ("--codes scan", "Pause", "", ["Pause", "e11d45", "e11477"]),
    ("--codes hid", "CapsLock", "", ["Caps Lock", "07:39"]),
    ("--codes evdev", "MetaLeft", "", ["Meta", "125"]),
    ("--codes names", "BracketLeft", "", ["[", "Bracket", "Left"]),
    ("--codes meaning --keyboard wagtail", "NumpadEnter", "", ["Enter", "Enter"]),
]


def caps_say_what_keys_give(desk):
    pictures = {}
    for arguments, name, classes, words in FACES:
        if arguments not in pictures:
            pictures[arguments] = {c.name: c for c in read(desk.picture(arguments))[1]}
        cap = pictures[arguments][name]
        assert " ".join(cap.classes[1:]) == classes, (arguments, name, cap.classes)
        # Legends of upper levels may follow.
        assert cap.words[:len(words)] == words, (arguments, name, cap.words)


def without_colour(desk):
    """Told apart by shapes and words: no two marks look the same in black and white."""
    looks = {}
    for cap in read(desk.picture("--keyboard heron"))[1] + read(desk.picture("--keyboard wagtail"))[1]:
        kind = tuple(sorted(set(cap.classes) - {"cap"}))
        look = (cap.paths[0].get("stroke-width"), cap.paths[0].get("stroke-dasharray"), len(cap.paths),
                len([p for p in cap.paths if p.get("fill") != "none"]),
                len([p for p in cap.paths if "C" in p.get("d")]))
        looks.setdefault(kind, look)
    assert len(looks) >= 7, looks
    assert len(set(looks.values())) == len(looks), looks


def golden(desk):
    """Which caps, which texts, where: in millimetres, to a tenth."""
    told = []
    for arguments in ("--keyboard heron", "--keyboard curlew --dark", "--keyboard wagtail --with Shift",
                      "--keyboard heron --before-after", "--codes scan --form pad", "--labels --keyboard wagtail", "--card --keyboard heron"):
        root = ElementTree.parse(desk.picture(arguments)).getroot()
        told.append(f"== picture {arguments}: {root.get('width')} x {root.get('height')}")
        for group in root.iter(SVG + "g"):
            if group.get("class") != "keyboard":
                box = box_of_path(group.find(SVG + "path"))
                words = " | ".join(t.text for t in group.findall(SVG + "text"))
                told.append(f"{group.get('class')} {group.find(SVG + 'title').text} "
                            f"{' '.join(f'{v:.1f}' for v in box)}: {words}")
        told += [f"text: {t.text}" for t in root.findall(SVG + "text")]
    path = os.path.join(DATA, "pictures.txt")
    if os.environ.get("LURK_RECORD"):
        with open(path, "w") as file:
            file.write("\n".join(told) + "\n")
    with open(path) as file:
        right = file.read().splitlines()
    for now, then in itertools.zip_longest(told, right):
        assert now == then, f"now:   {now}\nright: {then}\n(./dev record takes what is now as right)"


def labels_are_true(desk):
    root = ElementTree.parse(desk.picture("--labels --keyboard wagtail")).getroot()
    groups = {g.find(SVG + "title").text: g for g in root.iter(SVG + "g")}
    left, top, right, bottom = box_of_path(groups["50 mm"].find(SVG + "path"))
    assert (round(right - left, 3), bottom - top) == (50, 0)
    assert root.get("width") == "210mm" and root.get("height") == "297mm"
    for name, units in (("CapsLock", 1.75), ("Pause", 1), ("ControlLeft", 1.25)):
        x1, y1, x2, y2 = box_of_path(groups[name].find(SVG + "path"))
        assert abs(x2 - x1 - (units * 19.05 - 6.05)) < 0.01 and abs(y2 - y1 - 13) < 0.01, name
        for text in groups[name].findall(SVG + "text")[:-1]:
            assert inside(box_of_text(text), (x1, y1, x2, y2)), name
    assert "KeyA" not in groups
    wide = [box_of_path(g.find(SVG + "path")) for g in groups.values() if g.get("class") == "label"]
    for a, b in itertools.combinations(wide, 2):
        assert not overlap(a, b)
    desk.write("hide/absent.yaml", "lurk: 1\nrules: [{press: BrightnessUp, gives: Escape}, {press: F1, gives: Escape}]\n")
    assert "1 label on 1 page" in desk.run("picture --profile hide/absent.yaml --keyboard heron --labels -o labels.pdf")
    told = desk.run("picture --labels -o labels.pdf --paper letter")
    assert "labels on 1 page. Print at 100 %" in told, told
    size = subprocess.run(["pdfinfo", "labels.pdf"], cwd=desk.folder, capture_output=True, text=True).stdout
    assert "612 x 792" in size, size


LABELS = [
    ("F5", "{text: tawny-owl}", "“tawny-owl”F5"), ("Insert", "Control+Shift+KeyL", "Ctrl+Shift+LInsert"),
    ("ScrollLock", "Control+Alt+ShiftLeft", "Ctrl+Alt+ShiftScrollLock"), ("F6", "{text: oystercatchers}", "“oystercatchers”F6"),
    ("Shift+Digit6", "{text: °}", "6°¾6lost:^⅝"), ("AltRight+KeyE", "{text: é}", "EéE"), ("Backslash", "Tab", "Tab#lost:#~`˘"),
    ("Meta+F7", "Tab", "Meta:TabF7F7"), ("Shift+Digit2", "nothing", "Shift:none2²2lost:\"⅛"),
    ("Control+Shift+KeyQ", "{text: two avocets and one spoonbill}", None),
    ("F9", "{text: two avocets and one spoonbill by the far reeds at dawn seen with the telescope}", None)]


def labels_say_all(desk):
    """What changed stands on its label whole, or on the page; and what is lost with it."""
    rules = "".join(f"  - {{press: {press}, gives: {gives}}}\n" for press, gives, _ in LABELS)
    root = ElementTree.parse(Desk("lurk: 1\nlayout: gb\nrules:\n" + rules).picture("--labels --keyboard wagtail")).getroot()
    labels = {g.find(SVG + "title").text: "".join(t.text for t in g.findall(SVG + "text")).replace(" ", "")
              for g in root.iter(SVG + "g") if g.get("class") == "label"}
    page = [t.text for t in root.findall(SVG + "text") + root.findall(SVG + "g/" + SVG + "text")]
    for press, gives, said in LABELS:
        told = labels[press.split("+")[-1]]
        if said:
            assert told == said, (press, told)
        else:
            assert "…" in told and any(gives[7:-1] in line for line in page), (press, told, page)
    assert sum("…" in told for told in labels.values()) == sum(said is None for _, _, said in LABELS)


def pages(desk):
    """As many labels as need a second page, which only PDF has."""
    caps = [c["key"] for c in json.loads(desk.run("picture --keyboard wagtail --json"))["caps"]]
    many = Desk("lurk: 1\nrules:\n" + "".join(f"  - {{press: {key}, gives: Escape}}\n" for key in caps if key != "Escape"))
    told = many.run("picture --labels --keyboard wagtail -o l.pdf")
    assert f"{len(caps) - 1} labels on 2 pages" in told, told
    assert "takes 2 pages, which only PDF has" in many.run("picture --labels --keyboard wagtail -o l.svg", status=3)
    assert not os.path.exists(os.path.join(many.folder, "l.svg"))
    told = many.run("picture --keyboard wagtail -o p.svg") + open(os.path.join(many.folder, "p.svg")).read()
    assert f"and {len(caps) - 1 - 24} more" in told
    must_be_sound(many.picture("--card --keyboard wagtail"), "a long card")
    # All that there are are counted, and told where there is room.
    words = [f"{m}+{k}" for m in ("Control", "Alt", "Meta", "Control+Alt") for k in caps[:80]]
    many.write("hide/profile.yaml", "lurk: 1\nrules:\n" + "".join(f"  - {{press: {w}, gives: Escape}}\n" for w in words))
    assert f"and {len(words) - 24} more" in open(many.picture("--keyboard wagtail")).read()
    assert many.run("picture --keyboard wagtail").count(" gives Escape\n") == len(words)


def files_of_each_kind(desk):
    with open(desk.picture("--keyboard wagtail --layout ar", "p.png"), "rb") as file:
        head = file.read(26)
    width, height = struct.unpack(">II", head[16:24])
    assert head[:8] == b"\x89PNG\r\n\x1a\n" and 1200 < width < 2000 and 600 < height < 1000, (width, height)
    path = desk.picture("--keyboard wagtail --layout de", "p.pdf")
    text = subprocess.run(["pdftotext", path, "-"], capture_output=True, text=True).stdout
    for word in ("hide desk on wagtail", "Caps Lock", "CapsLock gives Insert", "Ö"):
        assert word in text, f"{word}: {text}"
    size = subprocess.run(["pdfinfo", path], capture_output=True, text=True).stdout
    assert "841.89 x 595.276" in size and "Pages:           1" in size, size


def columns_of(text):
    return sum(2 if unicodedata.east_asian_width(c) in "WF" else 0 if unicodedata.combining(c) or c == "\u200e" else 1
               for c in text)


RIGHT = set("╶╺─╼╾━┌┍┬┮┭┯┎┏┰┲┱┳└┕┴┶┵┷├┝┼┾┽┿┟┢╁╆╅╈┖┗┸┺┹┻┞┡╀╄╃╇┠┣╂╊╉╋┄")
LEFT = set("╴─╼╸╾━┐┬┮┑┭┯┒┰┲┓┱┳┘┴┶┙┵┷┤┼┾┥┽┿┧╁╆┪╅╈┚┸┺┛┹┻┦╀╄┩╃╇┨╂╊┫╉╋┄")


def terminals(desk):
    """Between 80 and 200 columns: it fits, its lines meet, and what fits is said."""
    for columns, (form, layout) in itertools.product((80, 97, 120, 200), itertools.product(FORMS, ("gb", "jp", "ar"))):
        told = desk.run(f"picture --keyboard wagtail --form {form} --layout {layout}", columns=columns).splitlines()
        drawn = [line for line in told if set(line) & set("│┃─━") and "another job" not in line]
        assert len(drawn) > 12, told
        for line in drawn:
            assert columns_of(line) <= columns, (columns, form, layout, line)
            for a, b in zip(line, line[1:]):
                assert (a in RIGHT) == (b in LEFT), f"{columns} {form} {layout}: {a}{b} in {line}"
    told = desk.run("picture --keyboard wagtail", columns=80)
    assert "┃Meta┃\n" in told and "┃+C  ┃\n" in told, told
    told = desk.run("picture --keyboard wagtail", columns=160)
    for word in ("┃Insert", "┃Caps Lock", "⇄1 Meta", "┃Meta+C", "Backspace", "another job", "hold ShiftLeft"):
        assert word in told, f"{word}\n{told}"
    assert "\033" not in told
    desk.write("hide/extra.yaml", "lurk: 1\nrules: [{press: 'hid:07:a5', gives: LaunchMail}, {press: AudioVolumeMute, gives: MediaRecord}]\n")
    told = desk.run("picture --profile hide/extra.yaml --keyboard curlew --form full")
    assert "┃Mail     ┃Media Re…┃\n" in told and "│0        │.   │    │\n" in told, told
    assert "░" in desk.run("picture --keyboard heron") and "×" in desk.run("picture --keyboard heron")


def lit(desk):
    desk.run("apply --force")
    for press, here, job in (("CapsLock on heron", "┃here", "┃job"), ("KeyQ on wagtail", "┃here", None)):
        result = subprocess.run([LURK, "identify", "--picture"], input=f"press {press}\n", capture_output=True, text=True,
                                cwd=desk.folder, env={**os.environ, "LURK_DESK": "hide", "COLUMNS": "80", "HOME": desk.folder}).stdout
        assert here in result and ("┃job" in result) == bool(job), result


def any_text(desk):
    """Whatever rules and names say: well-formed, in its place, readable."""
    typed = ["a", "W", "ß", "é", "<", "&", "'", '\\"', "  ", "ä" * 9]
    pieces = [*typed, "漢", "ع", "ﷺ", "\u200f", "\u202e", "🙂", "\u0301", "\\u0007", "\\t"]
    chance = random.Random(7)
    caps = [c["key"] for c in json.loads(desk.run("picture --keyboard wagtail --json"))["caps"]]

    def text(pieces, most):
        return '"' + "".join(chance.choices(pieces, k=chance.randrange(1, most))) + '"'

    for _ in range(int(os.environ.get("LURK_SOAK", "1"))):
        rules = "".join(f"  - {{press: {key}, gives: {{text: {text(typed, 40)}}}, note: {text(pieces, 60)}}}\n" for key in chance.sample(caps, 30))
        desk.write("hide/profile.yaml", f"lurk: 1\nname: {text(pieces, 60)}\nlayout: de\nrules:\n{rules}")
        for arguments in ("--keyboard wagtail", "--keyboard wagtail --card", "--form compact --layout ar --with Shift"):
            must_be_sound(desk.picture(arguments), arguments)
        assert "30 labels" in desk.run("picture --labels --keyboard wagtail -o p.pdf")
        desk.run("picture --keyboard wagtail", columns=90)


def versions(desk):
    broken = [(c.name, c.words) for c in read(desk.picture("--before-after --keyboard heron"))[1] if "broken" in c.classes]
    assert len(broken) == 2 and broken[0] == broken[1], broken
    desk.run("apply --force")
    desk.write("hide/profile.yaml", PROFILE.replace("CapsLock, gives: Insert", "CapsLock, gives: Escape"))
    assert "not in force: `lurk apply`" in desk.run("picture")
    desk.run("apply --force")
    root, caps = read(desk.picture("--before-after 1 2 --keyboard heron"))
    strong = [(c.name, c.words) for c in caps if "faint" not in c.classes]
    assert strong == [("CapsLock", ["Caps Lock", "Insert"]), ("CapsLock", ["Caps Lock", "Escape"])], strong
    assert "Version 1 on heron" in desk.run("picture 1 --keyboard heron")
    data = json.loads(desk.run("picture 1 --keyboard heron --json"))
    caps = {c["key"]: c for c in data["caps"]}
    assert caps["CapsLock"]["says"] == "Insert" and caps["CapsLock"]["mark"] == "changed"
    assert data["layout"] == "gb", data["layout"]
    assert (data["form"], data["arrangement"], caps["KeyA"]["x"], caps["KeyA"]["width"]) == ("compact", "iso", 1.75, 1)
    assert caps["KeyX"]["broken"] and caps["BrightnessUp"]["absent"]


WRONG = [
    ("-o p.jpg", 2, "`p.jpg`: a picture's file ends with .svg, .png or .pdf"),
    ("--form round", 2, "`round` is no form; write full, no-keypad, compact or pad"),
    ("--layout arabi", 2, "did you mean ara, Arabic; or "),
    ("--layout zz", 2, "there is no layout `zz`; write one such as us, gb"),
    ("--layout uk --form pad", 0, "layout English (UK)"),
    ("--with Q", 2, "`Q` is no modifier"),
    ("--codes hex", 2, "write scan, hid, evdev, names or meaning"),
    ("--labels", 2, "say where to: -o FILE.pdf"),
    ("--labels --card -o p.pdf", 2, "one of --labels, --card, --before-after and --codes"),
    ("--keyboard avocet", 3, "avocet"),
    ("99", 3, "version 99 is not kept"),
    ("1 2", 2, "two versions are compared: --before-after"),
    ("--paper a3 -o p.pdf", 2, "write a4 or letter"),
    ("-o nowhere/at/all/p.svg", 0, "p.svg"),
    ("-o hide/profile.yaml/p.svg", 3, "p.svg"),
    ("-o folder.svg", 3, "folder.svg: cannot be written: it is no plain file"),
    ("-o pipe.svg", 3, "pipe.svg: cannot be written: it is no plain file"),
    ("--labels --keyboard curlew -o p.pdf", 1, "no label to print"),
]


def forms_are_kept(desk):
    assert "full, ISO" in desk.run("picture --keyboard wagtail")
    assert "wagtail is drawn as no-keypad ansi" in desk.run("keyboards --keyboard wagtail --form no-keypad,ansi")
    assert "no-keypad, ANSI" in desk.run("picture --keyboard wagtail")
    assert "compact, ANSI" in desk.run("picture --keyboard wagtail --form compact")
    assert "`rund` is no form; write full" in desk.run("keyboards --keyboard wagtail --form rund", status=2)
    desk.write("hide/keyboards.yaml", "keyboards:\n  wagtail: {usb: \"fade:0001\", form: rund}\n")
    assert "keyboards.yaml:2:37: `form:` takes full" in desk.run("picture", status=3)


def mistakes(desk):
    empty = Desk("lurk: 1\n").run("picture", columns=120)
    assert "in force" not in empty and "without rules" not in empty, empty
    plain = Desk("lurk: 1\nrules:\n  - {press: CapsLock, gives: Insert}\n")
    os.mkdir(os.path.join(plain.folder, "folder.svg"))
    os.mkfifo(os.path.join(plain.folder, "pipe.svg"))
    for arguments, status, words in WRONG:
        assert words in plain.run(f"picture {arguments}", status=status), arguments
    assert not os.path.exists(os.path.join(plain.folder, "p.pdf"))
    if not os.path.exists("/etc/default/keyboard"):
        told = plain.run("picture", LURK_DESK="", LURK_SOCKET="nowhere", XDG_CONFIG_HOME=plain.folder)
        assert "full, ISO; layout English (US), as none is known (`--layout`)" in told and "│@" in told, told
    plain.write("hide/profile.yaml", "lurk: 1\nrules: [{press: CapsLock, gives: Entr}]\n")
    assert "profile.yaml:2" in plain.run("picture", status=3)


TESTS = [every_form_and_layout, every_kind, caps_say_what_keys_give, without_colour, golden, labels_are_true, labels_say_all, pages,
         files_of_each_kind, terminals, lit, any_text, versions, forms_are_kept, mistakes]
failed = 0
for test in TESTS:
    if len(sys.argv) > 3 and test.__name__ not in sys.argv[3:]:
        continue
    try:
        test(Desk())
        print(f"ok {test.__name__}")
    except (AssertionError, ElementTree.ParseError) as error:
        failed += 1
        print(f"{test.__name__} failed:\n{error}")
for folder in Desk.folders:
    shutil.rmtree(folder)
sys.exit(failed > 0)
