#!/usr/bin/env python3
"""Writes what a worn grip of the demo does while somebody calibrates it: lapwing-grip.hid.

Its stick rests off its middle, reaches no end, and stands in an eight-sided gate whose notches are a
few degrees off; its trigger rests at 22 of 255 and ends early; its gyro turns by itself. At first the
stick is turned around, rests in each notch and is let go a dozen times; then the trigger is pressed;
then the grip lies still, and is turned twice about each axis.
usage: make-grip.py RECORDINGS"""
import math
import random
import sys

GRIP = bytes.fromhex(
    "05010905a101"
    "0509190129081500250175019508" "8102"  # eight buttons
    "050109300931" "26ff0f75109502" "8102"  # a stick of 12 bits
    "050209c509c4" "26ff0075089502" "8102"  # two triggers
    "950c8103"                        # 12 bytes of which it tells nothing
    "c0")
RATE = 125
UNIT = 0.061      # degrees a second
PULL = 0.000244   # g
dice = random.Random(7)
text = []
now = 0.0
state = {"x": 0.0, "y": 0.0, "trigger": 0.0, "turn": (0, 0, 0), "held": True}


NOTCHES = [45 * k + off for k, off in enumerate((2.1, -3.0, 1.2, 3.4, -1.8, 2.6, -2.9, 0.7))]


def report():
    global now
    x, y = state["x"], state["y"]
    noise = [dice.gauss(0, 0.003) for _ in range(2)]
    raw_x = 2048 + 2047 * (0.062 + 0.72 * (x if x > 0 else 0.94 * x) + noise[0])
    raw_y = 2048 + 2047 * (-0.041 + 0.61 * (y if y > 0 else 1.06 * y) + noise[1])
    trigger = 22 + 206 * state["trigger"] + dice.gauss(0, 0.7)
    if dice.random() < 0.0006:
        trigger = dice.uniform(0, 255)
    shake = [9 * math.sin(2 * math.pi * f * now) if state["held"] else 0 for f in (5.1, 6.3, 4.4)]
    rates = [bias + scale * turn + s + dice.gauss(0, 0.08) for bias, scale, turn, s in
             zip((1.34, -0.82, 0.47), (1.021, 0.984, 1.008), state["turn"], shake)]
    pulls = [dice.gauss(v, 0.004) for v in (0.02, 1.01, -0.03)]
    values = [0] + [min(4095, max(0, round(v))) for v in (raw_x, raw_y)]
    data = bytes([values[0]]) + values[1].to_bytes(2, "little") + values[2].to_bytes(2, "little")
    data += bytes([0, min(255, max(0, round(trigger)))])
    for value, unit in zip(rates + pulls, [UNIT] * 3 + [PULL] * 3):
        data += min(32767, max(-32768, round(value / unit))).to_bytes(2, "little", signed=True)
    text.append("E: %06d.%06d %d %s\n" % (int(now), round(now % 1 * 1e6), len(data),
                                          " ".join("%02x" % b for b in data)))
    now = round((now + 1 / RATE) * 1e6) / 1e6


def waits(seconds):
    for _ in range(round(seconds * RATE)):
        report()


def smooth(share):
    return share ** 3 * (10 - 15 * share + 6 * share * share)


def goes(x, y, seconds):
    from_x, from_y = state["x"], state["y"]
    steps = max(1, round(seconds * RATE))
    for step in range(1, steps + 1):
        share = smooth(step / steps)
        state["x"], state["y"] = from_x + (x - from_x) * share, from_y + (y - from_y) * share
        report()


def at_rim(angle, share=1.0):
    """The gate's corners stand where its notches are."""
    angle %= 360
    before = max((n for n in NOTCHES if n <= angle), default=NOTCHES[-1] - 360)
    after = min((n for n in NOTCHES if n > angle), default=NOTCHES[0] + 360)
    half = math.radians((after - before) / 2)
    reach = share * math.cos(half) / math.cos(math.radians(angle - before) - half)
    return reach * math.sin(math.radians(angle)), -reach * math.cos(math.radians(angle))


def turns(count, a_second):
    begin = dice.uniform(0, 360)
    goes(*at_rim(begin), 0.25)
    for step in range(round(abs(count) / a_second * RATE)):
        state["x"], state["y"] = at_rim(begin + math.copysign(360 * step / RATE * a_second, count))
        report()


def lets_go(angle, share):
    goes(*at_rim(angle, share), 0.2)
    waits(0.12)
    from_x, from_y = state["x"], state["y"]
    own, damping = 2 * math.pi * 18.5, 0.22
    fast = own * math.sqrt(1 - damping ** 2)
    rest_x, rest_y = (dice.uniform(-0.006, 0.006) for _ in range(2))
    for step in range(1, round(0.45 * RATE)):
        t = step / RATE
        left = math.exp(-damping * own * t) * (math.cos(fast * t) + damping * own / fast * math.sin(fast * t))
        state["x"], state["y"] = rest_x + (from_x - rest_x) * left, rest_y + (from_y - rest_y) * left
        report()
    state["x"], state["y"] = rest_x, rest_y


def presses():
    for step in range(round(0.25 * RATE)):
        state["trigger"] = smooth(step / (0.25 * RATE))
        report()
    state["trigger"] = 1
    waits(0.25)
    for step in range(round(0.2 * RATE)):
        state["trigger"] = 1 - smooth(step / (0.2 * RATE))
        report()
    state["trigger"] = 0
    waits(0.5)


def turns_about(axis, degrees, seconds):
    before = 0
    for step in range(1, round(seconds * RATE) + 1):
        share = smooth(step / (seconds * RATE))
        turn = [3 * math.sin(2 * math.pi * step / (seconds * RATE) * (k + 1)) for k in range(3)]
        turn[axis] = (share - before) * degrees * RATE
        state["turn"] = tuple(turn)
        before = share
        report()
    state["turn"] = (0, 0, 0)
    waits(1.2)


waits(1.2)
turns(4, 0.5)
lets_go(200, 0.95)
turns(-3, 0.6)
for number in (0, 3, 6, 1, 4, 7, 2, 5):
    goes(*at_rim(NOTCHES[number]), 0.3)
    waits(0.75)
for number in range(12):
    lets_go(37 * number + dice.uniform(-9, 9), dice.uniform(0.6, 1))
waits(0.5)
for _ in range(4):
    presses()
state["held"] = False
waits(5.5)
for number, axis in enumerate((1, 0, 2)):
    turns_about(axis, 720 if number != 1 else -720, 3.2)
open(sys.argv[1] + "/lapwing-grip.hid", "w").write(
    "D: 0\nN: Lapwing grip\nI: 3 1209 0031\nR: %d %s\n" % (len(GRIP), " ".join("%02x" % b for b in GRIP))
    + "".join(text))
