#!/usr/bin/env python3
"""Writes the demo's recordings: a made-up keyboard and a made-up trackball that work the crane.

The keyboard reports every key as one bit; the trackball has a report ID and packs two motions of 12
bits into three bytes. usage: make-crane.py FOLDER"""
import math
import sys

KEYBOARD = bytes.fromhex(
    "05010906a101"              # generic desktop, keyboard
    "050719e029e71500250175019508" "8102"  # eight modifiers
    "1904296f956c8102"          # 108 keys, one bit each
    "95047501" "8101"           # four bits of padding
    "c0")
TRACKBALL = bytes.fromhex(
    "05010902a101" "8501"       # generic desktop, mouse; report 1
    "0901a100"
    "0509190129051500250175019505" "8102"  # five buttons
    "75039501" "8101"
    "05010930093116" "01f8" "26" "ff07" "750c9502" "8106"  # x, y: -2047 to 2047 in 12 bits
    "0938" "1581257f75089501" "8106"       # wheel
    "c0c0")
KEYS = {c: 4 + i for i, c in enumerate("abcdefghijklmnopqrstuvwxyz")}
KEYS |= {"enter": 0x28, "space": 0x2c, "right": 0x4f, "left": 0x50, "down": 0x51, "up": 0x52}


def line(seconds, report):
    return "E: %06d.%06d %d %s\n" % (int(seconds), round(seconds % 1 * 1e6), len(report),
                                     " ".join("%02x" % b for b in report))


def head(name, product, descriptor):
    return "D: 0\nN: %s\nI: 3 1209 %04x\nR: %d %s\n" % (
        name, product, len(descriptor), " ".join("%02x" % b for b in descriptor))


def keyboard(events):
    bits, shift, out = 0, 0, []
    for seconds, key, down in sorted(events, key=lambda e: e[0]):
        if key == "shift":
            shift = 2 if down else 0
        elif down:
            bits |= 1 << (KEYS[key] - 4)
        else:
            bits &= ~(1 << (KEYS[key] - 4))
        out.append(line(seconds, bytes([shift]) + bits.to_bytes(14, "little")))
    return "".join(out)


def ball(until):
    out = []
    for step in range(int(until / 0.004)):
        t = step * 0.004
        x = y = wheel = 0
        if 0.9 <= t < 2.1:      # a slow roll to the right and down, then back
            x = round(9 * math.sin((t - 0.9) / 1.2 * 2 * math.pi))
            y = round(5 * math.sin((t - 0.9) / 1.2 * math.pi))
        if 2.6 <= t < 3.4:      # the camera is turned
            x = round(6 * math.cos(t * 9))
            y = -3
        if step in (675, 700, 725):
            wheel = 1
        buttons = 1 if 1.50 <= t < 1.503 or 2.2 <= t < 2.4 else 0
        buttons |= 2 if 2.45 <= t < 2.52 or 3.0 <= t < 3.1 else 0
        pair = (x & 0xfff) | (y & 0xfff) << 12
        out.append((t, bytes([1, buttons]) + pair.to_bytes(3, "little") + bytes([wheel])))
    still = bytes([1, 0, 0, 0, 0, 0])
    text, last = "", None
    for t, report in out:       # like a real one, it only speaks when there is something to say
        if report != still or last != still:
            text += line(t, report)
        last = report
    return text


def tap(at, key, hold):
    return [(at, key, True), (at + hold, key, False)]


def main():
    folder = sys.argv[1]
    events = tap(0.10, "w", 0.75) + tap(0.30, "d", 0.40) + tap(1.00, "a", 0.30)
    events += tap(0.50, "space", 0.12) + tap(1.20, "q", 0.003) + tap(1.26, "q", 0.003)
    events += tap(1.60, "up", 0.20) + tap(1.70, "right", 0.25) + tap(2.00, "e", 0.08)
    events += tap(2.55, "shift", 0.95) + tap(3.55, "r", 0.30) + tap(3.70, "f", 0.20)
    events += tap(3.80, "enter", 0.05) + tap(3.90, "s", 0.25)
    with open(folder + "/otter-keyboard.hid", "w") as file:
        file.write(head("Otter 108 keyboard", 0x0005, KEYBOARD) + keyboard(events))
    with open(folder + "/dory-trackball.hid", "w") as file:
        file.write(head("Dory trackball", 0x0004, TRACKBALL) + ball(4.2))


main()
