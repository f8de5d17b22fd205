"""The control socket in front of a simulated desk: test_service.py DESK_SERVICE LURK DEMO [LURKD]

What the protocol answers, who may do what, and that no client can harm another; then the lurk command
through the socket, as on a real machine.
"""
import fcntl
import glob
import grp
import json
import os
import pty
import re
import resource
import select
import shutil
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import termios
import threading
import time

SERVER, LURK, DEMO = sys.argv[1:4]
WRAPPER = os.environ.get("LURK_WRAPPER", "").split()
STRANGER = 65534  # nobody
PATIENCE_S = 600  # no test waits for so long but one that fails
FOLDERS = tempfile.TemporaryDirectory(prefix="lurk-test-")  # all of them, which goes at the end
tempfile.tempdir = FOLDERS.name
os.chmod(tempfile.tempdir, 0o755)


class Service:
    def __init__(self, *more, env=()):
        self.folder = tempfile.mkdtemp(prefix="lurk-test-")
        os.chmod(self.folder, 0o755)
        for name in ["desk.yaml", "keyboards.yaml"]:
            shutil.copy(os.path.join(DEMO, name), self.folder)
        self.path = os.path.join(self.folder, "control")
        group = grp.getgrgid(os.getgid()).gr_name
        self.write("users", "root:x:0:0::/:/bin/sh\n")
        self.write("groups", f"{group}:x:{os.getgid()}:\n")
        self.process = subprocess.Popen([*WRAPPER, SERVER, self.folder, self.path, group, *more], stdin=subprocess.PIPE,
                                        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, bufsize=1,
                                        env={**os.environ, **dict(env)})
        assert self.process.stdout.readline() == "ready\n"

    def write(self, name, text):
        """Whole or not at all, as those who keep such files do."""
        with open(os.path.join(self.folder, name + ".new"), "w") as file:
            file.write(text)
        os.rename(file.name, os.path.join(self.folder, name))

    def play(self, line):
        self.process.stdin.write(line + "\n")
        assert self.process.stdout.readline() == "done\n", line

    def end(self):
        self.process.stdin.close()
        status = self.process.wait()
        shutil.rmtree(self.folder)
        assert status == 0, f"the service ended with {status}"


class Client:
    def __init__(self, service):
        self.socket = socket.socket(socket.AF_UNIX)
        self.socket.settimeout(PATIENCE_S)
        self.socket.connect(service.path)
        self.lines = self.socket.makefile("r")

    def send(self, text):
        self.socket.sendall(text.encode() if isinstance(text, str) else text)

    def line(self):
        try:
            line = self.lines.readline()
        except ConnectionResetError:  # shown out while it went on talking
            return None
        return json.loads(line) if line else None

    def ask(self, method, **params):
        self.send(json.dumps({"jsonrpc": "2.0", "id": 7, "method": method, "params": params}) + "\n")
        return self.line()

    def end(self):
        self.lines.close()
        self.socket.close()


def request(method, params="{}"):
    return '{"jsonrpc":"2.0","id":1,"method":"%s","params":%s}' % (method, params)


# A line, and what its answer holds.
LINES = [
    ("", '"code":-32700'),
    ("rubbish", '"code":-32700'),
    ('{"jsonrpc":"2.0","id":1,"method":"status"} {}', '"code":-32700'),
    ('{"jsonrpc":"2.0","id":1,"method":"status"', '"code":-32700'),
    ("[" * 50, '"code":-32700'),
    ('"status"', '"code":-32600'),
    ("[]", '"code":-32600'),
    ('[{"jsonrpc":"2.0","id":1,"method":"status"}]', '"code":-32600'),
    ('{"id":1,"method":"status"}', '"code":-32600'),
    ('{"jsonrpc":"1.0","id":1,"method":"status"}', '"code":-32600'),
    ('{"jsonrpc":"2.0","id":1,"method":7}', '"code":-32600'),
    ('{"jsonrpc":"2.0","id":{},"method":"status"}', '"code":-32600'),
    ('{"jsonrpc":"2.0","id":1,"method":"status","params":[]}', '"code":-32600'),
    (request("frobnicate"), '"code":-32601'),
    ('{"jsonrpc":"2.0","id":"a","method":"status"}', '"id":"a","result":{"version"'),
    ('{"jsonrpc":"2.0","id":null,"method":"status"}', '"result"'),
    (request("image"), '"code":-32003'),
    (request("image", '{"sequence":0}'), '"code":-32602'),
    (request("image", '{"sequence":"x"}'), '"code":-32602'),
    (request("image", '{"sequence":99}'), '"code":-32003'),
    (request("apply"), '"code":-32602'),
    (request("apply", '{"image":7}'), '"code":-32602'),
    (request("apply", '{"image":"0"}'), '"code":-32602'),
    (request("apply", '{"image":"zz"}'), '"code":-32602'),
    (request("apply", '{"image":""}'), '"code":-32002'),
    (request("apply", '{"image":"4c55524b"}'), "was cut off"),
    (request("apply", '{"image":"%s"}' % ("00" * 500000)), "is not an image"),
    (request("switch"), '"code":-32602'),
    (request("switch", '{"off":1}'), '"code":-32602'),
    (request("switch", '{"off":true,"on":true}'), "a parameter that the method does not have"),
    (request("switch", '{"off":true,"keep_locks":"false"}'), "`keep_locks` is something else: true or false"),
    (request("use", '{"previous":"false"}'), "`previous` is something else: true or false"),
    (request("use", '{"profile":"base","while_connected":0}'), "`while_connected` is something else"),
    (request("watch", '{"take":"true","seconds":9}'), "`take` is something else"),
    (request("watch", '{"take":false,"seconds":"x"}'), "`seconds` is something else"),
    (request("keep", '{"keep_locks":1}'), "`keep_locks` is something else"),
    (request("status", '{"x":1}'), '"code":-32602'),
    ('{"jsonrpc":"2.0","id":1,"method":"status\\u0000x"}', '"code":-32700'),
    ('{"jsonrpc":"2.0","id":1,"method":"switch","params":{"off\\u0000":true}}', '"code":-32700'),
    ('{"jsonrpc":"2.0","id":"\\\\u0000","method":"status"}', '"result"'),
    (request("status", "{%s}" % ",".join('"a%d":1' % i for i in range(60))), '"code":-32700'),
    (request("switch", '{"off":true}'), '"result"'),
    (request("switch", '{"off":false}'), '"result"'),
    (request("try"), "from 1 to 3600"),
    (request("try", '{"seconds":0,"image":"00"}'), '"code":-32602'),
    (request("try", '{"seconds":3601,"image":"00"}'), '"code":-32602'),
    (request("try", '{"seconds":"9","image":"00"}'), '"code":-32602'),
    (request("try", '{"seconds":9}'), '"code":-32602'),
    (request("try", '{"seconds":9,"image":"00"}'), '"code":-32002'),
    (request("keep"), '"code":-32003'),
    (request("end_try"), '"code":-32003'),
    (request("watch", '{"take":true}'), "from 1 to 60"),
    (request("watch", '{"take":true,"seconds":61}'), '"code":-32602'),
    (request("watch", '{"take":true,"seconds":60}'), "true"),
    (request("unwatch"), "true"),
    (request("layout"), "`active` is missing"),
    (request("layout", '{"active":7}'), '"code":-32602'),
    (request("layout", '{"active":"Welsh"}'), '"code":-32001'),  # root is at no screen
    (request("follow", '{"x":1}'), '"code":-32602'),
]


def what_is_answered():
    service = Service()
    client = Client(service)
    for line, wanted in LINES:
        client.send(line + "\n")
        got = client.lines.readline()
        assert wanted in got, f"{line[:100]}: {got[:300]}"
    # A notification is carried out and not answered; bytes may come one at a time.
    client.send('{"jsonrpc":"2.0","method":"switch","params":{"off":true}}\n')
    for byte in request("status").encode() + b"\n":
        client.send(bytes([byte]))
    assert client.line()["result"]["off"] is True
    client.end()
    service.end()


def the_pages_are_true():
    """docs/control.md has the methods and parameters that the service has; docs/security.md names tests that there are."""
    root = os.path.join(os.path.dirname(os.path.abspath(__file__)), "../..")
    page = open(root + "/docs/control.md").read()
    source = open(root + "/src/service/rpc.c").read()
    rows = re.findall(r"^\| `(\w+)` \| `(status|off|rules|watch)` \| (.*?) ?\|$", page, re.M)
    table = source[source.index("methods[] = {"):source.index("};", source.index("methods[] = {"))]
    assert [row[0] for row in rows] == re.findall(r"lurk_method_(\w+)", table), rows
    service = Service()
    client = Client(service)
    wrong = {"flag": "1", "number": '"1"', "text": "true"}
    for method, right, parameters in rows:
        assert re.search(r'"%s",\s*%s,' % (method, right.upper()), table), (method, right)
        needed = 0
        for name, kind, more in re.findall(r"`(\w+)`: (\w+)(, needed)?", parameters):
            client.send(request(method, '{"%s":%s}' % (name, wrong[kind])) + "\n")
            told = client.line()
            assert told["error"]["code"] == -32602 and f"`{name}` is something else" in told["error"]["message"], (method, name, told)
            needed += bool(more)
        client.send(request(method, '{"frobnicate":1}') + "\n")
        assert "does not have" in client.line()["error"]["message"], method
        client.send(request(method) + "\n")
        assert ("is missing" in str(client.line())) == bool(needed) or method == "use", method
    client.end()
    service.end()
    tests = {path: open(path).read() for folder in ("tests", "fuzz") for path in glob.glob(f"{root}/{folder}/**/*.*", recursive=True)
             if path.endswith((".c", ".py"))}
    promises = open(root + "/docs/security.md").read().split("## What never happens")[1].split("## What is hostile")[0]
    for row in re.findall(r"^\| .* \| (.*?) \|$", promises, re.M)[1:]:
        for one in row.split("; "):
            file, _, names = one.partition(": ")
            text = next((text for path, text in tests.items() if path.endswith("/" + file)), None)
            assert text is not None, one
            for name in names.split(", ") if names else []:
                assert re.search(r"(def|void|static bool) %s\(" % name, text), (file, name)


def who_follows_is_told():
    """Of each change, in few words, and once; who does not follow is not."""
    service = Service()
    client, other, third = Client(service), Client(service), Client(service)
    assert client.ask("follow")["result"] is True
    assert third.ask("follow")["result"] is True
    for off in [True, False]:
        assert "result" in other.ask("switch", off=off)
        assert client.line() == {"jsonrpc": "2.0", "method": "changed"}
    assert "result" in other.ask("switch", off=False)  # as it was
    service.play("press KeyA on wagtail")  # keys change nothing here
    assert "result" in client.ask("status")  # nothing was told before the answer
    # Who changes it is told too, and others after a plugging that brings no rules are not.
    assert third.line()["method"] == "changed" and third.line()["method"] == "changed"
    third.send('{"jsonrpc":"2.0","id":7,"method":"switch","params":{"off":true}}\n')
    lines = [third.line(), third.line()]
    assert sorted("method" in line for line in lines) == [False, True], lines
    for one in [client, other, third]:
        one.end()
    service.end()


def keys_are_shown_while_watched():
    service = Service()
    client, other = Client(service), Client(service)
    service.play("press CapsLock on wagtail")
    assert client.ask("watch")["result"] is True
    service.play("press Feather on curlew")
    events = [client.line() for _ in range(2)]
    assert [e["params"]["state"] for e in events] == ["down", "up"]
    assert events[0]["method"] == "key" and events[0]["params"]["scan"] == "hid:07:a5"
    assert client.ask("unwatch")["result"] is True
    service.play("press KeyA on wagtail")
    assert "result" in client.ask("status")  # and no key before it
    assert "result" in other.ask("status")  # who does not watch sees none
    client.end()
    other.end()
    service.end()


def a_trial_ends():
    """By itself, with the connection that began it, or not at all once it is kept."""
    service = Service()
    client, other = Client(service), Client(service)
    profile = os.path.join(service.folder, "profile.yaml")
    with open(profile, "w") as file:
        file.write("lurk: 1\nrules:\n  - swap: [CapsLock, ScrollLock]\n")
    subprocess.run([LURK, "apply", "--profile", profile], check=True, stdout=subprocess.DEVNULL,
                   env={**os.environ, "LURK_SOCKET": service.path, "LURK_DESK": ""})
    image = client.ask("image")["result"]
    assert image["sequence"] == 1
    for how in ["time", "another keeps it, then the connection ends", "end_try", "the connection ends"]:
        before = other.ask("status")["result"]["sequence"]
        assert client.ask("try", seconds=30, image=image["image"])["result"]["sequence"] == 0
        status = other.ask("status")["result"]
        assert status["trying"] is True and status["seconds_left"] == 30 and status["tried_by"] == os.getuid(), status
        assert {k["way"] for k in status["keyboards"] if k["number"] < 2} == {"relay"}, status
        if how == "time":
            service.play("wait 31s")
        elif how == "end_try":
            assert "result" in other.ask("end_try")
        else:
            if how.startswith("another"):
                assert other.ask("keep")["result"]["sequence"] == before + 1
                before += 1
            client.end()
            client = Client(service)
            client.ask("status")
        status = other.ask("status")["result"]
        assert status["trying"] is False and status["sequence"] == before, (how, status)
        assert {k["way"] for k in status["keyboards"] if k["number"] < 2} == {"table"}, status
    # Presses that are withheld reach the one who watches, and others again as soon as that one is gone.
    assert client.ask("watch", take=True, seconds=60)["result"] is True
    service.play("press KeyA on wagtail")
    assert client.line()["params"]["state"] == "down"
    assert other.ask("status")["result"]["keyboards"][0]["way"] == "table"
    client.end()
    other.end()
    service.end()


def limits():
    service = Service()
    good = Client(service)
    # Too many requests at once.
    flood = Client(service)
    def pour():
        try:
            while True:
                flood.send((request("status") + "\n") * 300)
        except OSError:
            pass

    pouring = threading.Thread(target=pour)
    pouring.start()
    got = []
    while (answer := flood.line()):
        got.append(answer)
    pouring.join()
    assert len(got) > 50 and "too many requests" in got[-1]["error"]["message"], len(got)
    flood.end()
    # A line without end.
    endless = Client(service)
    try:
        for _ in range(600):
            endless.send(b"x" * 4096)
    except OSError:
        pass
    endless.end()
    # Who asks and never reads, and who says half a line, wait for themselves only.
    deaf = Client(service)
    deaf.socket.settimeout(1)
    try:
        for _ in range(90):
            deaf.send((request("status") + "\n"))
    except OSError:
        pass
    half = Client(service)
    half.send('{"jsonrpc"')
    assert "result" in good.ask("status")
    # Too many clients of one user.
    crowd = []
    for _ in range(12):
        crowd.append(Client(service))
    assert "too many clients" in (crowd[-1].line() or {"error": {"message": "closed"}})["error"]["message"]
    for client in crowd + [deaf, half]:
        client.end()
    wait_for(lambda: answers(service))
    again = Client(service)
    assert "result" in again.ask("status")
    again.end()
    good.end()
    # Who watches and does not read is shown out; keys go on.
    watcher = Client(service)
    assert watcher.ask("watch")["result"] is True
    for _ in range(40):
        service.play('type "the quick brown fox jumps over it again and again" on wagtail')
    service.play("press KeyA on wagtail")
    last = Client(service)
    assert "result" in last.ask("status")
    last.end()
    watcher.end()
    service.end()


def who_may_do_what():
    """As root only: a stranger, the same where everyone may ask, and one who is in the group by a supplementary one."""
    if os.getuid():
        return
    for more, groups, may in [([], [], []), (["everyone"], [], ["status", "image"]),
                              ([], [os.getgid()], ["status", "image", "apply", "try", "keep", "switch", "end_try", "use", "long lines"])]:
        service = Service(*more)
        code = f"""
import os, socket, json
os.setgroups({groups!r}); os.setgid({STRANGER}); os.setuid({STRANGER})
s = socket.socket(socket.AF_UNIX); s.connect({service.path!r}); f = s.makefile("r")
allowed = []
for method in ["status", "image", "apply", "try", "keep", "switch", "end_try", "use", "watch"]:
    params = {{"off": True}} if method == "switch" else {{"image": "00"}}
    s.sendall((json.dumps(dict(jsonrpc="2.0", id=1, method=method, params=params)) + chr(10)).encode())
    if json.loads(f.readline()).get("error", {{}}).get("code") != -32001:
        allowed.append(method)
s.sendall(b"x" * 5000 + b"\\n")
allowed += ["long lines"] if "longer" not in f.readline() else []
print(json.dumps(allowed))
"""
        told = subprocess.run([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, timeout=PATIENCE_S).stdout
        allowed = json.loads(told)
        assert allowed == may, (more, groups, allowed)
        service.end()


class Person:
    """Another user's connections, all idle but for what they are asked to say."""
    CODE = """
import os, socket, sys
uid, path, groups, count = int(sys.argv[1]), sys.argv[2], [int(g) for g in sys.argv[3].split(",") if g], int(sys.argv[4])
os.setgroups(groups); os.setgid(uid); os.setuid(uid)
ends = []
for _ in range(count):
    end = socket.socket(socket.AF_UNIX); end.connect(path); ends.append(end)
print("connected", flush=True)
answers = ends[0].makefile("r")
for line in sys.stdin:
    ends[0].sendall(line.encode()); print(answers.readline(), end="", flush=True)
"""

    def __init__(self, service, uid, groups=(), count=1):
        self.process = subprocess.Popen([sys.executable, "-c", self.CODE, str(uid), service.path, ",".join(map(str, groups)), str(count)],
                                        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, bufsize=1)
        assert self.process.stdout.readline() == "connected\n"

    def ask(self, line):
        self.process.stdin.write(line + "\n")
        return self.process.stdout.readline()

    def end(self):
        self.process.communicate()


def rights_are_asked_each_time():
    """As root only: on one connection, while the group's file changes; and with more groups than anybody counts."""
    if os.getuid():
        return
    service = Service()
    group = grp.getgrgid(os.getgid()).gr_name
    service.write("users", "root:x:0:0::/:/bin/sh\nmarsh:x:12345:12345::/:/bin/sh\nreed:x:12346:4321::/:/bin/sh\n")
    marsh, change = Person(service, 12345), request("apply", '{"image":"00"}')
    for members, may in [("", False), ("marsh", True), ("reed", False), ("reed,marsh", True), ("marshall", False)]:
        service.write("groups", f"other:x:7:marsh\n{group}:x:4321:{members}\n")
        assert ("-32001" not in marsh.ask(change)) == may, (members, may)
    marsh.end()
    # Who was a member when the connection began is none once the file says so; by the first group, or by the kernel alone, one stays it.
    service.write("groups", f"{group}:x:4321:marsh\n")
    marsh, reed = Person(service, 12345, [4321]), Person(service, 12346)
    many = Person(service, 12347, [*range(5000, 5700), 4321])
    for person in (marsh, reed, many):
        assert "-32001" not in person.ask(change)
    service.write("groups", f"{group}:x:4321:\n")
    assert "-32001" in marsh.ask(change)
    assert "-32001" not in reed.ask(change) and "-32001" not in many.ask(change)
    for person in (marsh, reed, many):
        person.end()
    service.end()


def there_is_always_a_place():
    """As root only: strangers hold all they can, silently; whoever has more rights comes in, also where descriptors run out."""
    if os.getuid():
        return
    service = Service("everyone")
    crowd = [Person(service, 20000 + i, count=8) for i in range(6)]
    owner = [Client(service) for _ in range(7)]
    assert all("result" in client.ask("status") for client in owner)
    assert "result" in crowd[-1].ask(request("status"))  # and the newest of the others
    late = Person(service, 30000)
    assert "result" in late.ask(request("status"))
    folder, first = f"/proc/{service.process.pid}/fd", 0
    while os.path.exists(f"{folder}/{first}"):
        first += 1
    resource.prlimit(service.process.pid, resource.RLIMIT_NOFILE, (first, 4096))
    assert not answers(service)

    def worked():
        with open(f"/proc/{service.process.pid}/stat") as file:
            return file.read().rsplit(")", 1)[1].split()[11:13]

    for _ in range(60):  # knocking that cannot be answered does not keep it awake
        before = worked()
        time.sleep(0.3)
        if worked() == before:
            break
    assert worked() == before, "it spins"
    for person in [*crowd, late, *owner]:
        person.end()
    resource.prlimit(service.process.pid, resource.RLIMIT_NOFILE, (1024, 4096))
    wait_for(lambda: answers(service))
    service.end()


def wait_for(what):
    until = time.monotonic() + PATIENCE_S
    while not what():
        assert time.monotonic() < until, what
        time.sleep(0.05)


def answers(service):
    client = Client(service)
    try:
        return "result" in (client.ask("status") or {})
    except OSError:
        return False
    finally:
        client.end()


def memory_of(service, name):
    with open(f"/proc/{service.process.pid}/status") as file:
        return next(int(line.split()[1]) for line in file if line.startswith(name + ":"))


def memory_is_bounded():
    """Whatever is said, and whoever does not listen."""
    service = Service()
    client = Client(service)
    client.ask("status")
    before = memory_of(service, "VmRSS")
    for text in ["[" + "{}," * 340000 + "{}]", '{"a":' * 170000, "[" * 1000000, '{"jsonrpc":"2.0","id":"' + "x" * 1000000 + '","method":"status"}',
                 request("apply", '{"image":"%s"}' % ("4c" * 500000)), request("apply", '{"image":"00","profile":"%s"}' % ("y" * 900000))]:
        client.send(text + "\n")
        assert client.line() is not None
    # Half a long line each: one goes on, the others wait for it; and who can say what is short is not kept waiting.
    half = [Client(service) for _ in range(6)]
    for one in half:
        one.socket.setblocking(False)
        for _ in range(200):
            try:
                one.send(b"x" * 4096)
            except OSError:
                break
    assert "result" in client.ask("status")
    grown = memory_of(service, "VmHWM") - before
    with open(SERVER, "rb") as file:  # a sanitizer has memory of its own
        assert grown < 6 * 1024 or WRAPPER or b"__asan_init" in file.read(), f"{grown} KiB more"
    # Those that do not end their line go, and the long one that waited for them is answered.
    waiting = threading.Thread(target=client.send, args=(request("apply", '{"image":"%s"}' % ("4c" * 200000)) + "\n",))
    waiting.start()
    for one in half:
        one.end()
    waiting.join()
    assert client.line()["error"]["code"] == -32002
    client.end()
    service.end()


def each_call_on_a_file_fails():
    """Opening, writing, syncing and making of files fail in turn while a key is held: rules are applied, or the request says why not; nothing
    ends, and the next request is carried out."""
    library = os.environ.get("LURK_FAULTS_LIBRARY")
    if not library or WRAPPER:
        return
    folder = tempfile.mkdtemp(prefix="lurk-test-")
    whole, image, refused, broken, at = None, None, 0, 0, 0
    while whole is None or at <= whole:
        counted = folder + "/count"
        try:
            service = Service(env={"LD_PRELOAD": library, "LURK_FAULTS": counted, "LURK_FAULT": f"file {at}"})
        except AssertionError:  # the desk itself, without which there is none
            at, broken = at + 1, broken + 1
            continue
        client = Client(service)
        if image is None:
            with open(folder + "/profile.yaml", "w") as file:
                file.write("lurk: 1\nrules:\n  - swap: [CapsLock, ScrollLock]\n")
            subprocess.run([LURK, "apply", "--profile", folder + "/profile.yaml"], check=True, stdout=subprocess.DEVNULL,
                           env={**os.environ, "LURK_SOCKET": service.path, "LURK_DESK": "", "XDG_STATE_HOME": folder})
            image = client.ask("image")["result"]["image"]
        service.play("hold KeyA on wagtail")
        for _ in range(3):
            told = client.ask("apply", image=image)
            refused += "error" in told
            assert "result" in told or told["error"]["code"] == -32002, told
        assert "result" in client.ask("apply", image=image) or "result" in client.ask("apply", image=image), at
        service.play("release KeyA on wagtail")
        assert client.ask("status")["result"]["sequence"] >= 1, at
        client.end()
        service.process.stdin.close()
        status = service.process.wait()
        assert status in (0, 1), (at, status)  # what the desk keeps of itself may not be kept
        shutil.rmtree(service.folder)
        if whole is None:
            whole = int(open(counted).read())
        at += 1
    assert whole > 20 and refused > 5 and broken < 8, (whole, refused, broken)
    shutil.rmtree(folder)


def what_was_watched_is_wiped():
    """Of what a watcher got nothing is left when it has gone."""
    service = Service()
    client = Client(service)
    assert client.ask("watch")["result"] is True
    for _ in range(20):
        service.play('type "reed warbler" on wagtail')
        while select.select([client.socket], [], [], 0)[0]:
            assert client.socket.recv(1 << 20)
    client.end()
    other = Client(service)
    assert "result" in other.ask("status")
    found = 0
    with open(f"/proc/{service.process.pid}/maps") as maps, open(f"/proc/{service.process.pid}/mem", "rb", 0) as memory:
        for line in maps:
            area, rights = line.split()[:2]
            start, end = (int(number, 16) for number in area.split("-"))
            if rights.startswith("rw") and "[v" not in line and end - start < 1 << 28:
                memory.seek(start)
                found += memory.read(end - start).count(b'"scan":"hid:07:')
    assert found == 0, f"{found} of them"
    other.end()
    service.end()


# The command through the socket. "!" before it: it ends with a status other than 0.
COMMANDS = [
    ("status", "No rule is in force"),
    ("keyboards", "4 keyboards here"),
    ("map NumLock Tab", "NumLock now gives Tab."),
    ("apply", "In force now"),
    ("status", "two keys give Tab"),
    ("swap Control Alt --keyboard dipper --apply", "It is in force now"),
    ("show", "all of it in force"),
    ("off", "All rules are off"),
    ("status", "All rules are off: every key does its usual job. `lurk on` switches on 2 rules"),
    ("", "All rules are off"),
    ("on", "In force again: 2 rules."),
    ("undo", "Took back the last edit and its apply: Control and Alt are swapped on dipper"),
    ("status", "1 rule in force since"),
    ("swap Control Alt --keyboard dipper", "are swapped"),
    ("restore NumLock", "usual"),
    ("apply --relay", "In force now"),
    ("status --json", '"way":"relay","why":"asked for by --relay; the table would do"'),
    ("map NumLock Tab", "NumLock now gives Tab."),
    ("apply --table", "In force now"),
    ("status", "asked for by --table; but two keys give Tab, Tab and NumLock: either key's release"),
    ("!apply --table --relay", "one of --table and --relay"),
    ("!keyboards --name x --play y", "that is for simulated desks"),
]


def of_the_command(service, path=None):
    """Its environment: this service, and the files beside it."""
    kept = {name: value for name, value in os.environ.items() if name != "LURK_DESK"}
    return kept | {"LURK_SOCKET": path or service.path} | dict.fromkeys(["XDG_CONFIG_HOME", "XDG_STATE_HOME", "HOME"], service.folder)


def the_command():
    service = Service()
    environment = of_the_command(service)
    profile = ["--profile", service.folder + "/profile.yaml"]
    for command, wanted in COMMANDS:
        words = command.lstrip("!").split()
        done = subprocess.run([*WRAPPER, LURK, *words, *(profile if words else [])], stdout=subprocess.PIPE, stderr=subprocess.STDOUT,
                              text=True, env=environment)
        assert wanted in done.stdout, f"lurk {command}:\n{done.stdout}\nwanted: {wanted}"
        assert (done.returncode != 0) == command.startswith("!"), f"lurk {command}: status {done.returncode}"
    # identify waits for a press, also on a keyboard that comes meanwhile; and so do others.
    subprocess.run([LURK, "map", "F8", "F9", *profile], env=environment, stdout=subprocess.DEVNULL, check=True)
    service.play("unplug dipper")
    for words, press, wanted in [(["identify", "--count", "1"], "press Feather on curlew", "hid:07:a5"),
                                 (["identify", "--count", "1", "--json"], "press KeyA on heron", '"key":"KeyA"'),
                                 (["identify", "--count", "1"], "plug dipper by radio|press KeyA on dipper", "dipper"),
                                 (["identify", "--seconds", "1"], None, "No key arrived"),
                                 (["identify", "--missing", "--seconds", "1"], None, "Nothing arrived."),
                                 (["identify", "--take", "--count", "1"], "press KeyA on heron", "KeyA"),
                                 (["keyboards", "--off-chord"],
                                  "hold ShiftLeft on wagtail|hold ShiftRight on wagtail|hold Escape on wagtail", "It works on wagtail."),
                                 (["try", "--for", "60min"], "press F8 on wagtail", "gives F9 (line")]:
        running = subprocess.Popen([*WRAPPER, LURK, *words, *profile], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
                                   env=environment)
        out = ""
        if press:  # when it says so, they are seen
            assert any(re.match("Press|Hold it now", line) for line in running.stderr), words
            for line in press.split("|"):
                service.play(line)
        if words[0] == "try":
            while wanted not in out:
                line = running.stdout.readline()
                assert line, out
                out += line
            running.send_signal(signal.SIGINT)
        out += running.communicate(timeout=PATIENCE_S)[0]
        assert wanted in out and running.returncode == 0, (words, out)
    service.end()


def a_profile_is_chosen():
    """By the command, for a program, for as long as a connection; by a key; and what is typed is not told to anybody."""
    service = Service()
    environment = of_the_command(service)

    def lurk(*words, status=0):
        done = subprocess.run([*WRAPPER, LURK, *words], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment)
        assert done.returncode == status, (words, done.returncode, done.stdout)
        return done.stdout

    client = Client(service)

    def in_force():
        return client.ask("status")["result"]["profile"]

    lurk("map", "F12", "--use", "previous")
    lurk("profile", "new", "night", "--based-on", "base")
    lurk("map", "F6", "F16", "--profile", "night")
    assert "not applied yet" in lurk("profile", "list")
    lurk("apply")
    assert "there is no profile `nihgt`" in lurk("use", "nihgt", status=1)
    lurk("profile", "new", "guest")
    assert "guest is not applied yet" in lurk("use", "guest", status=1)
    assert "In force now: night." in lurk("use", "night")
    assert "The profile in force is night, one of 2" in lurk("status")
    assert "F6 gives F16" in lurk("status", "--rules")
    assert "In force now: base." in lurk("use", "--previous")
    assert lurk("use", "night", "--", "sh", "-c", "exit 7", status=7) == "" and in_force() == "base"
    assert "nowhere: No such file" in lurk("use", "night", "--", "nowhere", status=3) and in_force() == "base"
    other = Client(service)
    assert "result" in other.ask("use", profile="Night", while_connected=True) and in_force() == "night"
    service.play("press F12 on wagtail")
    assert in_force() == "base"
    other.end()
    other = Client(service)
    assert "result" in other.ask("use", profile="night", while_connected=True) and in_force() == "night"
    other.end()
    wait_for(lambda: in_force() == "base")
    lurk("use", "night")
    assert "It is in force now; after a reboot base is: `lurk apply --profile night`" in lurk("map", "Pause", "Insert", "--profile", "night", "--apply")
    other = Client(service)
    assert "result" in other.ask("use", profile="base", while_connected=True) and in_force() == "base"
    assert "on top of 1 from base" in lurk("apply", "--profile", "night") and in_force() == "night"
    other.end()
    assert "after a reboot night is in force" in lurk("use", "base") and in_force() == "base"
    lurk("undo")
    assert in_force() == "base"
    assert client.ask("use", profile="x")["error"]["code"] == -32003
    assert client.ask("use", profile=3)["error"]["code"] == -32602
    client.end()
    service.end()


class Between:
    """Stands between the command and the service, and ends connections: when a method is asked for, before the service has heard of
    it or when it has answered, as where it is killed."""

    def __init__(self, service):
        self.path, self.to, self.cuts = service.folder + "/between", service.path, []
        self.listener = socket.socket(socket.AF_UNIX)
        self.listener.bind(self.path)
        self.listener.listen()
        threading.Thread(target=self.accept, daemon=True).start()

    def accept(self):
        while True:
            threading.Thread(target=self.carry, args=[self.listener.accept()[0]], daemon=True).start()

    def carry(self, client):
        with client, client.makefile("rw") as asks, socket.socket(socket.AF_UNIX) as onward, onward.makefile("rw") as answers:
            onward.connect(self.to)
            for line in asks:
                cut = self.cuts.pop(0) if self.cuts and self.cuts[0][0] == json.loads(line)["method"] else None
                if cut and cut[1] == "unheard":
                    return
                answers.write(line)
                answers.flush()
                answer = answers.readline()
                if cut:
                    return
                asks.write(answer)
                asks.flush()


LOST = [  # what ends when, the command, its status, what it says, the rule in force then, versions more
    (["apply unheard"], "map F8 F9 --apply", 0, "It is in force now", "F9", 1),
    (["apply heard"], "map F8 F10 --apply", 0, "It is in force now", "F10", 1),
    (["status heard", "image unheard"], "map F8 F11 --apply", 0, "It is in force now", "F11", 1),
    (["apply unheard"] * 2, "map F8 F12 --apply", 3, "lurk: the service ended before it answered; `lurk status` tells", "F11", 0),
    ([], "status", 0, "1 difference that is not in force", "F11", 0),  # the file is as it was asked for
    (["apply heard"], "apply", 0, "In force now", "F12", 1),
    (["apply heard"] * 2, "map F8 F9 --apply", 3, "ended before it answered; `lurk status` tells", "F9", 1),
    ([], "undo", 0, "Took back the last edit", "F9", 0),  # which was kept, as was its note
    (["apply heard"] * 2, "restore --factory", 3, "lurk: the service ended before it answered", None, 1),
    (["apply heard"] * 2, "rollback", 3, "lurk: the service ended before it answered", "F9", 1),
    (["switch heard"], "off", 0, "All rules are off", None, 0),
    (["switch unheard"], "on", 0, "In force again", "F9", 0),
    (["use heard"], "use --previous", 3, "ended before it answered; `lurk status` tells", "F9", 0),
]


def an_answer_is_lost():
    """Killed when it was asked for something: said to be done where it is, and never said to be undone where nobody knows."""
    service = Service()
    between = Between(service)
    environment = of_the_command(service, between.path)
    client = Client(service)
    for cuts, words, status, says, gives, more in LOST:
        before = client.ask("status")["result"].get("sequence", 0)
        between.cuts = [tuple(cut.split()) for cut in cuts]
        done = subprocess.run([*WRAPPER, LURK, *words.split()], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment)
        told = (cuts, words, done.returncode, done.stdout)
        assert done.returncode == status and says in done.stdout and not between.cuts, told
        assert "nothing" not in done.stdout or status == 0, told
        rules = subprocess.run([*WRAPPER, LURK, "status", "--rules"], stdout=subprocess.PIPE, text=True, env=environment).stdout
        assert (f"F8 gives {gives}" if gives else "No rule is in force") in rules, (told, rules)
        assert client.ask("status")["result"].get("sequence", 0) == before + more, told
    client.end()
    service.end()


def a_disk_is_slow():
    """What is applied is in force at once, and answered when it is safe; nobody else and no key waits for that."""
    service = Service()
    environment = of_the_command(service)

    def start(words):
        return subprocess.Popen([*WRAPPER, LURK, *words.split()], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment)

    def rules():
        return set(re.findall(r"F\d+ gives F\d+", subprocess.run([*WRAPPER, LURK, "status", "--rules"], stdout=subprocess.PIPE, text=True,
                                                                  env=environment).stdout))

    client, other = Client(service), Client(service)
    service.play("slow")
    one = start("map F8 F9 --apply")
    wait_for(lambda: rules() == {"F8 gives F9"})  # asked by others, who are answered
    assert one.poll() is None
    image = client.ask("image")["result"]["image"]
    client.send(request("apply", '{"image":"%s"}' % image) + "\n" + request("status") + "\n")  # nothing new in it, and not safe yet
    service.play("press F8 on wagtail")
    service.play("stored")
    assert "result" in client.line() and client.line()["result"]["sequence"] == 1
    assert "It is in force now" in one.communicate(timeout=PATIENCE_S)[0] and one.returncode == 0
    # What would be stored as well waits for its turn, in the order in which it was asked, without a key that waits; who goes
    # meanwhile has asked nothing. Off is never waited for.
    empty = start("restore F8 --apply")
    wait_for(lambda: not rules())
    gone, third = Client(service), Client(service)
    gone.send(request("apply", '{"image":"%s"}' % image) + "\n")
    third.send(request("apply", '{"image":"%s"}' % image) + "\n" + request("status") + "\n")
    client.send(request("apply", '{"image":"%s"}' % image) + "\n")
    other.send(request("switch", '{"off":true}') + "\n")
    assert "result" in other.line()
    gone.end()
    service.play("press F8 on wagtail")
    assert not rules() and other.ask("status")["result"]["sequence"] == 2
    service.play("stored")
    assert empty.wait() == 0
    wait_for(rules)  # the third one's, whose turn it was; the client's says the same, and is not stored twice
    assert other.ask("status")["result"]["sequence"] == 3
    other.send(request("keep") + "\n")
    service.play("stored")
    assert "result" in third.line() and third.line()["result"]["sequence"] == 3
    assert "result" in client.line() and "error" in other.line()
    third.end()
    other.ask("switch", off=False)
    # What the disk did not take is in force all the same, and said; and the next apply stores it.
    failed = start("map F8 F10 --apply")
    wait_for(lambda: rules() == {"F8 gives F10"})
    service.play("unstored")
    told = failed.communicate(timeout=PATIENCE_S)[0]
    assert "lurk: in force now, but not after a reboot, since it is not stored: " in told and "nothing" not in told and failed.returncode == 3, told
    assert rules() == {"F8 gives F10"} and "F8" in open(service.folder + "/lurk/profile.yaml").read()

    def newest():
        status = client.ask("status")["result"]
        return status["slots"][status["newest"]]["error"]

    assert newest() != 0
    again = start("apply")
    wait_for(lambda: newest() == 0)
    service.play("stored")
    assert again.wait() == 0, again.communicate()
    # What is in force is told by heart.
    shutil.rmtree(service.folder + "/storage")
    now = client.ask("status")["result"]["sequence"]
    assert client.ask("image", sequence=now)["result"]["sequence"] == now
    client.end()
    other.end()
    service.end()


TRIALS = [  # what another command does while Insert gives F10 for a while; what the one that tries says then; rules in force; undone
    (None, "The trial is over: everything is as before.", ["Pause"], "edit: Insert now gives F10"),
    ("keep", "Kept: in force now.", ["Pause", "Insert"], "apply: 2 rules"),
    ("off", "All rules were switched off, and what was tried has ended.", [], "edit: Insert now gives F10"),
    ("apply", "Kept: in force now.", ["Pause", "Insert"], "apply: 2 rules"),
    ("map ScrollLock F11 --apply", "another command has put other rules into force", ["Pause", "Insert", "ScrollLock"],
     "edit and its apply: ScrollLock now gives F11"),
    ("disable Insert --apply", "another command has put other rules into force", ["Pause", "Insert"], "edit and its apply: Insert now gives nothing"),
    ("rollback 1", "The trial is over: everything is as before.", ["Pause"], "edit: Insert now gives F10"),
    ("restore --factory", "another command has put other rules into force", [], "apply: no rule at all"),
    ("use base", "The trial is over: everything is as before.", ["Pause"], "edit: Insert now gives F10"),
]


def a_trial_and_another_command():
    """Each says what became of its own, and each undo takes one thing back to what was in force before it."""
    for other, says, keys, undone in TRIALS:
        service = Service()
        environment = of_the_command(service)

        def lurk(words):
            return subprocess.run([*WRAPPER, LURK, *words.split()], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=environment)

        lurk("map Pause F9 --apply")
        lurk("map Insert F10")
        trial = subprocess.Popen([*WRAPPER, LURK, "try", "--for", "60min"], stdin=subprocess.DEVNULL, stdout=subprocess.PIPE,
                                 stderr=subprocess.STDOUT, text=True, env=environment)
        said = trial.stdout.readline() + trial.stdout.readline()
        if other:
            done = lurk(other)
            assert done.returncode == 0, (other, done)
        if not other or other == "use base":
            trial.send_signal(signal.SIGINT)
        said += trial.communicate(timeout=PATIENCE_S)[0]
        assert says in said and trial.returncode == 0, (other, said)
        lurk("on")
        told = lurk("status --rules").stdout
        for key in ("Pause", "Insert", "ScrollLock"):
            assert (key in told) == (key in keys or other == "off" and key == "Pause"), (other, key, told)
        done = lurk("undo")
        assert undone in done.stdout and done.returncode == 0, (other, done)
        if "apply" in undone:
            told = lurk("status --rules").stdout
            assert "Pause gives F9" in told and "Insert" not in told, (other, told)
        service.end()


def the_service_itself():
    """On a machine without keyboards, or with: it starts, answers, and ends when told to."""
    if len(sys.argv) < 5:
        return
    lurkd, folder = sys.argv[4], tempfile.mkdtemp(prefix="lurk-test-")
    path = folder + "/control"
    for words, status, wanted in [(["--frob"], 64, "unrecognized option"), (["more"], 64, "`more` is not expected here"),
                                  (["--state", folder, "--tables", folder + "/tables", "--socket", folder + "/nothing/control"], 1, "/nothing/control: cannot be made: No such"),
                                  (["--state", folder, "--tables", folder + "/tables", "--socket", folder + "/x" * 60], 1, "longer than a socket's path may be"),
                                  (["--help"], 0, "lurk.off"), (["--version"], 0, "lurkd 0.1")]:
        done = subprocess.run([*WRAPPER, lurkd, *words], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, timeout=PATIENCE_S)
        assert wanted in done.stdout and done.returncode == status, (words, done.returncode, done.stdout)
    # Something else lies where rules are stored.
    with open(folder + "/slot-00", "wb") as file:
        file.write(os.urandom(5000))
    running = subprocess.Popen([*WRAPPER, lurkd, "--state", folder, "--tables", folder + "/tables", "--socket", path], stderr=subprocess.PIPE, text=True)
    while running.poll() is None and not os.path.exists(path):
        time.sleep(0.05)
    told = subprocess.run([*WRAPPER, LURK, "status"], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
                          env={**os.environ, "LURK_SOCKET": path, "XDG_CONFIG_HOME": folder, "HOME": folder}).stdout
    assert "No rule is in force" in told and "An image stored earlier (slot 0) is not an image" in told, told
    running.terminate()
    log = running.communicate(timeout=PATIENCE_S)[1]
    assert running.returncode == 0 and not os.path.exists(path), (running.returncode, log)
    # Where nothing can be stored it runs all the same, and says so; what others left in its folder is in nobody's way.
    open(folder + "/tables/originals.new", "w").close()
    os.mkdir(folder + "/slot-03")
    os.mkfifo(folder + "/slot-04")
    os.symlink("/etc/passwd", folder + "/slot-05")
    for state, wanted in ((folder, "slot-03 is no plain file; it is passed over"), ("/proc/nowhere", "Nothing can be stored: /proc/nowhere: No such")):
        running = subprocess.Popen([*WRAPPER, lurkd, "--state", state, "--tables", folder + "/tables", "--socket", path], stderr=subprocess.PIPE, text=True)
        while running.poll() is None and not os.path.exists(path):
            time.sleep(0.05)
        told = subprocess.run([*WRAPPER, LURK, "status"], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
                              env={**os.environ, "LURK_SOCKET": path, "XDG_CONFIG_HOME": folder, "HOME": folder}).stdout
        assert wanted in told, told
        running.terminate()
        log = running.communicate(timeout=PATIENCE_S)[1]
        assert running.returncode == 0 and ("nothing can be stored" in log) == (state != folder), log
    shutil.rmtree(folder)


def on_a_terminal(service, rows, columns, words, press, wanted, leaves=""):
    """What a view shows on a terminal of that size, until it shows what is wanted."""
    end, terminal = pty.openpty()
    fcntl.ioctl(terminal, termios.TIOCSWINSZ, struct.pack("HHHH", rows, columns, 0, 0))
    view = subprocess.Popen([LURK, *words], stdin=terminal, stdout=terminal, stderr=terminal, env={
        **os.environ, "LURK_SOCKET": service.path, "XDG_CONFIG_HOME": service.folder, "HOME": service.folder, "TERM": "xterm"})
    os.close(terminal)
    told, pressed = "", False
    while wanted not in told and select.select([end], [], [], PATIENCE_S)[0]:
        try:
            told += os.read(end, 65536).decode(errors="replace")
        except OSError:  # it has ended
            break
        if "Press a key" in told and not pressed:
            for line in press.split("|"):
                service.play(line)
            pressed = True
    if leaves:  # by itself
        for line in leaves.split("|"):
            service.play(line)
    else:
        view.send_signal(signal.SIGINT)
    while leaves and select.select([end], [], [], PATIENCE_S)[0]:
        try:
            told += os.read(end, 65536).decode(errors="replace")
        except OSError:
            break
    view.wait(timeout=PATIENCE_S)
    os.close(end)
    assert wanted in told and not (leaves and view.returncode), (view.returncode, told[-3000:])
    return told


def the_view_draws_the_keyboard():
    service = Service()
    os.makedirs(service.folder + "/lurk", exist_ok=True)
    with open(service.folder + "/lurk/profile.yaml", "w") as file:
        file.write("lurk: 1\nlayout: gb\nrules: [{press: NumLock, gives: Tab}]\n")
    shutil.copy(os.path.join(DEMO, "keyboards.yaml"), service.folder + "/lurk")
    subprocess.run([LURK, "apply"], check=True, stdout=subprocess.DEVNULL, env={
        **os.environ, "LURK_SOCKET": service.path, "XDG_CONFIG_HOME": service.folder, "HOME": service.folder})
    told = on_a_terminal(service, 50, 120, ["identify", "--picture"], "press NumLock on wagtail", "To end: hold Escape")
    for word in ("Tab", "here", "job", "\033[7m", "Num", "Now gives Tab"):
        assert word in told, (word, told)
    # An ordinary terminal; too low, too narrow, and a width that cannot be, which is not believed.
    for rows, columns, wanted in ((24, 80, "To end: hold"), (16, 120, "has 120 and 16."), (60, 70, "has 70 and 60."), (60, 2, "To end: hold")):
        told = on_a_terminal(service, rows, columns, ["identify", "--picture"], "press KeyA on wagtail", wanted)
        assert ("┌" in told) == ("To end" in wanted), told
        assert told.split("\033[J")[-1].count("\n") < rows, told
    # It is left by a key that is held long and let go of; the same key pressed shortly is a press like another.
    told = on_a_terminal(service, 40, 120, ["identify"], "press Escape on wagtail|press KeyA on wagtail", "means a", "hold Escape on wagtail|wait 3s|release Escape on wagtail")
    assert len(re.findall(r"^.*wagtail   Escape .*down 80 ms\r$", told, re.M)) == 1 and "down 3" not in told, told[-3000:]
    told = on_a_terminal(service, 24, 70, ["picture"], "", "draws it to a file")
    assert "takes 80 columns, and this terminal has 70" in told and "┌" not in told, told
    service.end()


def main():
    failed = 0
    tests = [what_is_answered, the_pages_are_true, who_follows_is_told, keys_are_shown_while_watched, a_trial_ends, limits, who_may_do_what,
             rights_are_asked_each_time, there_is_always_a_place,
             memory_is_bounded, each_call_on_a_file_fails, what_was_watched_is_wiped, the_command, an_answer_is_lost, a_disk_is_slow,
             a_trial_and_another_command, a_profile_is_chosen, the_view_draws_the_keyboard, the_service_itself]
    tests = [test for test in tests if test.__name__ in sys.argv[4:]] or tests
    for test in tests:
        try:
            test()
        except AssertionError as error:
            failed += 1
            print(f"{test.__name__} failed, line {error.__traceback__.tb_next.tb_lineno}:\n{error}")
    print(f"{len(tests) - failed} passed, {failed} failed")
    return failed > 0


sys.exit(main())
