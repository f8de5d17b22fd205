"""Fingers that never rest, on a real kernel: press.py BUILD [CHANGES [SEED]]

Inside the machine vm_press has keyboards made with uhid, the service and readers as programs are; from outside
keys of QEMU's own USB and PS/2 keyboards are pressed meanwhile. What vm_press judges is printed.
"""
import os
import random
import re
import sys
import threading
import time

from machine import Machine, kernel_or_skip, make_initramfs

KEYS = ["a", "b", "shift", "ctrl", "alt", "caps_lock", "f1", "f9", "3", "u"]


class Hand:
    """Presses from outside, on whichever of QEMU's keyboards it has: another one now and then."""

    def __init__(self, machine):
        self.machine, self.down, self.usb = machine, set(), True
        self.rests, self.ends, self.resting = threading.Event(), threading.Event(), threading.Event()
        self.rests.set()
        self.random = random.Random(1)
        self.events = 0
        self.thread = threading.Thread(target=self.go, daemon=True)
        self.thread.start()

    def move(self, key, down):
        self.machine.press(("+" if down else "-") + key, 0)
        (self.down.add if down else self.down.discard)(key)
        self.events += 1

    def go(self):
        while not self.ends.is_set():
            if self.rests.is_set():
                for key in list(self.down):
                    self.move(key, False)
                self.resting.set()
                time.sleep(0.01)
                continue
            self.resting.clear()
            key = self.random.choice(KEYS)
            if key in self.down or len(self.down) < 3:
                self.move(key, key not in self.down)
            time.sleep(self.random.uniform(0.005, 0.06))

    def rest(self):
        self.resting.clear()
        self.rests.set()
        self.resting.wait()

    def change_keyboards(self):
        """While it rests: what is pressed goes to the USB keyboard while there is one."""
        if self.usb:
            self.machine.ask("device_del", id="kbd0")
        else:
            self.machine.ask("device_add", driver="usb-kbd", id="kbd0", bus="xhci.0")
        self.usb = not self.usb


def main():
    build = sys.argv[1]
    changes = int(sys.argv[2]) if len(sys.argv) > 2 else 2000
    seed = int(sys.argv[3]) if len(sys.argv) > 3 else 1
    work = os.path.abspath(os.path.join(build, "vm"))
    os.makedirs(work, exist_ok=True)
    kernel, version = kernel_or_skip(work)
    archive = make_initramfs(work, "press", kernel, version, [os.path.join(build, p) for p in ["tests/vm_press", "lurkd"]],
                             [f"vm_press lurkd {seed} {changes} 2>&1; echo \"status of press: $?\"; tail -n 3 /tmp/press.log"], {})
    machine = Machine("press", work, f"{kernel}/boot/vmlinuz-{version}", archive, "panic=-1 i8042.debug=1 i8042.unmask_kbd_data=1", "-m", "256", "-smp", "2", "-no-reboot")
    hand, seen, rests = Hand(machine), 0, 0
    try:
        while True:
            seen = machine.await_any(["now rest\n", "go on\n", "status of press: "], seen, 240)
            if machine.text[:seen].endswith("go on\n"):
                hand.rests.clear()
                continue
            if not machine.text[:seen].endswith("now rest\n"):
                break
            hand.rest()
            rests += 1
            if rests % 10 == 0:
                hand.change_keyboards()
            machine.serial.sendall(b"\n")
        machine.await_text("\n", seen)
        hand.ends.set()
        told = machine.text
    finally:
        machine.end()
    print("\n".join(re.findall(r"^(?:press|changes):.*", told, re.M)[-30:]), flush=True)
    print(f"and {hand.events} presses and releases from outside", flush=True)
    sys.exit(0 if "status of press: 0" in told else 1)


main()
