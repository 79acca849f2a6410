#!/usr/bin/env python3
"""Writes what the exhibition, the board and the radio set of the demo do.

- egret-keypad.hid: a keypad of 17 keys that report how deep they are, 0 to 255.
- otter-switches.hid: a desk of 24 switches and a lever, on a joystick's report descriptor.
- heron-radio-set.hid: a keyboard (report 1) and a trackball (report 2) over one radio, whose
  trackball shakes (output report 3).
- otter-desk.csv: the pins, the encoder and the ADC of a desk of buttons on a board.
- shake.csv: what the crane's control sends back.
usage: make-demos.py RECORDINGS LOGS"""
import math
import random
import sys

KEYPAD = bytes.fromhex(
    "05010907a101"                    # generic desktop, keypad
    "050719532963" "150026ff00"       # the keypad's 17 keys, 0 to 255
    "75089511" "8102" "c0")
SWITCHES = bytes.fromhex(
    "05010904a101"                    # generic desktop, joystick
    "0509190129181500250175019518" "8102"  # 24 buttons
    "05020 9bb".replace(" ", "") +    # simulation, throttle
    "26ff03" "75109501" "8102" "c0")
RADIO = bytes.fromhex(
    "05010906a101" "8501"             # a keyboard, report 1
    "050719e029e71500250175019508" "8102"
    "950675082 5651900296581 00".replace(" ", "") + "c0"
    "05010902a101" "8502" "0901a100"  # a mouse, report 2
    "0509190129031500250175019503" "8102" "75059501" "8101"
    "05010930093109381581257f75089503" "8106" "c0"
    "0600ff0901" "8503" "150026ff0075089501" "9102"  # its motor, report 3
    "c0")


def line(seconds, report):
    return "E: %06d.%06d %d %s\n" % (int(seconds), round(seconds % 1 * 1e6), len(report),
                                     " ".join("%02x" % b for b in report))


def head(name, bus, product, descriptor):
    return "D: 0\nN: %s\nI: %d 1209 %04x\nR: %d %s\n" % (
        name, bus, product, len(descriptor), " ".join("%02x" % b for b in descriptor))


def keypad():
    """Keys go down over 30 ms and come up over 20 ms."""
    presses = [(0.4, 0x5d, 0.5, 255), (1.2, 0x5f, 0.4, 140), (1.9, 0x61, 0.4, 255),
               (2.6, 0x57, 0.2, 255), (3.0, 0x58, 0.1, 255), (3.3, 0x5d, 0.3, 200)]
    text, last = head("Egret keypad", 3, 0x0011, KEYPAD), None
    for step in range(1000):
        t = step * 0.004
        depth = [0] * 17
        for at, usage, hold, most in presses:
            if at <= t < at + hold:
                depth[usage - 0x53] = min(most, round((t - at) / 0.03 * most))
            elif at + hold <= t < at + hold + 0.02:
                depth[usage - 0x53] = round((1 - (t - at - hold) / 0.02) * most)
        report = bytes(depth)
        if report != last:
            text += line(t, report)
        last = report
    return text


def switches():
    """Two people: one works the switches with the left hand, one the lever."""
    taps = [(0.6, 0, 0.1), (0.75, 1, 0.1), (1.0, 2, 0.3), (1.5, 3, 0.05), (1.58, 3, 0.05),
            (2.2, 11, 0.4), (2.4, 12, 0.2), (3.1, 5, 0.003), (3.5, 23, 0.2)]
    text, last = head("Otter switches", 3, 0x0012, SWITCHES), None
    for step in range(4000):
        t = step * 0.001
        bits = 0
        for at, button, hold in taps:
            if at <= t < at + hold:
                bits |= 1 << button
        lever = round(512 + 511 * math.sin(t * 1.5)) // 8 * 8
        report = bits.to_bytes(3, "little") + lever.to_bytes(2, "little")
        if report != last:
            text += line(t, report)
        last = report
    return text


def radio():
    text = head("Heron radio set", 5, 0x0013, RADIO)
    keys = [(0.30, 0x04, 0.20), (0.45, 0x16, 0.20), (0.90, 0x2c, 0.05), (1.10, 0x2c, 0.05),
            (1.60, 0x28, 0.10), (2.00, 0xe1, 0.80), (2.20, 0x0b, 0.10), (2.45, 0x12, 0.10)]
    events = []
    for at, usage, hold in keys:
        events += [(at, usage, True), (at + hold, usage, False)]
    down, lines = [], []
    for t, usage, is_down in sorted(events):
        down = down + [usage] if is_down else [k for k in down if k != usage]
        modifiers = sum(1 << (k - 0xe0) for k in down if k >= 0xe0)
        plain = [k for k in down if k < 0xe0]
        lines.append((t, bytes([1, modifiers] + (plain + [0] * 6)[:6])))
    for step in range(400):
        t = step * 0.0075
        x = round(10 * math.sin(t * 3)) if 0.5 < t < 2.5 else 0
        y = round(6 * math.cos(t * 5)) if 1.0 < t < 2.0 else 0
        button = 1 if 1.3 <= t < 1.4 else 0
        if x or y or 1.3 <= t < 1.42:
            lines.append((t, bytes([2, button, x & 255, y & 255, 0])))
    return text + "".join(line(t, report) for t, report in sorted(lines))


def desk():
    """Buttons that bounce, an encoder that is turned, a lever with noise; a row whenever one of
    them is another."""
    dice = random.Random(1)
    rows = {}

    def put(t, column, value):
        rows.setdefault(round(t, 5), {})[column] = value

    def press(column, at, hold, bounce=0.002):
        for edge, level in ((at, 0), (at + hold, 1)):
            t = edge
            for k in range(3):
                put(t, column, level if k % 2 == 0 else 1 - level)
                t += bounce / 3
            put(edge + bounce, column, level)
    press("pin2", 0.30, 0.15)
    press("pin3", 0.60, 0.10)
    press("pin2", 0.90, 0.40)
    press("pin4", 1.00, 0.20)
    for glitch in (1.50, 1.55, 1.60):   # too short to be a finger
        put(glitch, "pin2", 0)
        put(glitch + 0.001, "pin2", 1)
    a = b = 1
    t = 1.8
    for detent in range(9):             # six clicks one way, three back
        forwards = detent < 6
        order = ["pin5", "pin6"] if forwards else ["pin6", "pin5"]
        for level in (0, 1):
            for pin in order:
                put(t, pin, level)
                if dice.random() < 0.5:
                    put(t + 0.0010, pin, 1 - level)
                    put(t + 0.0020, pin, level)
                t += 0.006
        t += 0.03
    for step in range(400):
        t = step * 0.01
        x = 2048 + round(1900 * math.sin(t * 2)) if 0.5 < t < 3.6 else 2048
        put(t, "adc0", max(0, min(4095, x + dice.randint(-2, 2))))
        put(t, "adc1", max(0, min(4095, 2048 + round(900 * math.sin(t * 3)) + dice.randint(-2, 2))))
    names = ["pin2", "pin3", "pin4", "pin5", "pin6", "adc0", "adc1"]
    now = {n: 1 if n.startswith("pin") else 2048 for n in names}
    text = "time," + ",".join(names) + "\n"
    for t in sorted(rows):
        now.update(rows[t])
        text += "%.5f,%s\n" % (t, ",".join(str(now[n]) for n in names))
    return text


SHAKE = """# What the crane's control sends back: the spreader has landed, the load swings.
0.50, crane.rumble.strong, 100%
0.62, crane.rumble.strong, 0%
1.40, crane.rumble.weak, 40%
1.80, crane.rumble.weak, 80%
2.30, crane.rumble.weak, 0%
2.50, cabin.light.caps_lock, 100%
"""


def main():
    recordings, logs = sys.argv[1:3]
    for path, text in ((recordings + "/egret-keypad.hid", keypad()),
                       (recordings + "/otter-switches.hid", switches()),
                       (recordings + "/heron-radio-set.hid", radio()),
                       (logs + "/otter-desk.csv", desk()), (logs + "/shake.csv", SHAKE)):
        with open(path, "w") as file:
            file.write(text)


main()
