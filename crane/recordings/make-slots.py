#!/usr/bin/env python3
"""Writes what somebody does on the Otter keyboard: who goes through three slots in the middle of work, and
who gives a winch's hook another key.

The keyboard reports up to six keys at a time. usage: make-slots.py FOLDER"""
import sys

KEYBOARD = bytes.fromhex(
    "05010906a101"                         # generic desktop, keyboard
    "050719e029e71500250175019508" "8102"  # eight modifiers
    "75089501" "8101"                      # a byte of padding
    "190029652565" "75089506" "8100" "c0")  # six keys
KEYS = {c: 4 + i for i, c in enumerate("abcdefghijklmnopqrstuvwxyz")}
KEYS |= {"enter": 0x28, "tab": 0x2b, "space": 0x2c}


def hold(key, begin, end):
    return [(begin, key, True), (end, key, False)]


def write(name, events):
    held, text = [], "D: 0\nN: Otter keyboard of six\nI: 3 1209 0009\nR: %d %s\n" % (
        len(KEYBOARD), " ".join("%02x" % b for b in KEYBOARD))
    for seconds, key, down in sorted(events, key=lambda e: e[0]):
        if down:
            held.append(KEYS[key])
        else:
            held.remove(KEYS[key])
        report = [0, 0] + (held + [0] * 6)[:6]
        text += "E: %06d.%06d 8 %s\n" % (int(seconds), round(seconds % 1 * 1e6),
                                         " ".join("%02x" % b for b in report))
    with open(sys.argv[1] + "/" + name, "w") as file:
        file.write(text)


def main():
    events = hold("w", 0.20, 1.30) + hold("space", 0.50, 0.62)
    for at in (0.90, 2.20, 3.40):           # tab and enter, together: the next slot
        events += hold("tab", at, at + 0.10) + hold("enter", at + 0.02, at + 0.11)
    events += hold("w", 1.50, 2.40) + hold("space", 1.80, 1.92)
    events += hold("w", 2.80, 3.20) + hold("space", 3.00, 3.10)
    events += hold("d", 3.80, 4.00)
    write("otter-slots.hid", events)
    write("otter-winch.hid", hold("f", 0.30, 0.40) + hold("space", 0.60, 0.70) + hold("f", 1.60, 1.70) +
          hold("space", 2.40, 2.50))


main()
