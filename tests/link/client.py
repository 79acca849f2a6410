"""A client of the link, written from docs/link.md and schema/link.proto alone; it shares no code with the library.

    host = Host(Stream(path))       # or Report(path), Service(path), Tty(path)
    host.hello()
    print(host.fact('BUILD').name)
"""
import hashlib
import os
import random
import select
import socket
import struct
import termios
import time
import tty
import zlib

import link_pb2 as link

PATIENCE = 0.2  # seconds until the same is said again


class Refused(Exception):
    """The adapter does not do it: `answer` says why."""

    def __init__(self, answer):
        super().__init__('%s: %s' % (link.What.Name(answer.what), link.Result.Name(answer.result)))
        self.answer = answer


def stuffed(message):
    """The frame of a message in a stream: its CRC-32, Consistent Overhead Byte Stuffing, a 0."""
    data = message + struct.pack('<I', zlib.crc32(message))
    return b''.join(bytes([len(piece) + 1]) + piece for piece in data.split(b'\0')) + b'\0'


def unstuffed(frame):
    """The message in a frame without its 0, or None where it is broken."""
    data, at = b'', 0
    while at < len(frame):
        code = frame[at]
        if code == 0 or at + code > len(frame):
            return None
        data += frame[at + 1:at + code]
        at += code
        if at < len(frame) and code < 255:
            data += b'\0'
    message, checksum = data[:-4], data[-4:]
    return message if message and struct.pack('<I', zlib.crc32(message)) == checksum else None


class Bytes:
    """A stream of bytes."""

    def __init__(self, file):
        self.file, self.came = file, b''

    def say(self, message):
        frame = stuffed(message)
        while frame:
            frame = frame[os.write(self.file, frame):]

    def hear(self, until):
        while True:
            while b'\0' in self.came:
                frame, self.came = self.came.split(b'\0', 1)
                message = unstuffed(frame)
                if message:
                    return message
            left = until - time.monotonic()
            if left <= 0 or not select.select([self.file], [], [], left)[0]:
                return None
            more = os.read(self.file, 4096)
            if not more:
                raise OSError('the other side has gone')
            self.came += more


class Stream(Bytes):
    def __init__(self, path):
        self.socket = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self.socket.connect(path)
        super().__init__(self.socket.fileno())


class Tty(Bytes):
    def __init__(self, path):
        file = os.open(path, os.O_RDWR | os.O_NOCTTY)
        tty.setraw(file, termios.TCSANOW)
        termios.tcflush(file, termios.TCIOFLUSH)
        super().__init__(file)


class Packets:
    def __init__(self, path):
        self.socket = socket.socket(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self.socket.connect(path)


class Report(Packets):
    """Feature reports: 64 bytes set, one byte asks for those that are to be got."""
    ID = 0x59

    def say(self, message):
        self.socket.send(bytes([self.ID, len(message)]) + message.ljust(62, b'\0'))

    def hear(self, until):
        while time.monotonic() < until:
            self.socket.send(bytes([self.ID]))
            report = self.socket.recv(64)
            if report[1]:
                return report[2:2 + report[1]]
            time.sleep(0.001)
        return None


class Service(Packets):
    """Values that are written, and those that are told."""

    def say(self, message):
        self.socket.send(message)

    def hear(self, until):
        left = until - time.monotonic()
        if left <= 0 or not select.select([self.socket], [], [], left)[0]:
            return None
        return self.socket.recv(256)


class Host:
    def __init__(self, way):
        self.way, self.token = way, 0
        self.number = random.randrange(1, 1 << 20)
        self.asked = 0  # frames that were said, those again among them

    def exchange(self, message, patience=10):
        """Says a message until its answer comes."""
        end = time.monotonic() + patience
        while time.monotonic() < end:
            self.way.say(message.SerializeToString())
            self.asked += 1
            until = time.monotonic() + PATIENCE
            while (heard := self.way.hear(until)) is not None:
                answer = link.Message.FromString(heard)
                is_stray = answer.result == link.RESULT_SESSION and answer.token != message.token
                if answer.number == message.number and not is_stray:
                    return answer
                if isinstance(self.way, Report):
                    time.sleep(0.001)
        raise TimeoutError(link.What.Name(message.what))

    def ask(self, what, **fields):
        """Asks, and waits where the adapter is busy; any result but done is an error."""
        while True:
            self.number += 1
            message = link.Message(number=self.number, what=link.What.Value('WHAT_' + what), token=self.token, **fields)
            answer = self.exchange(message)
            if answer.result == link.RESULT_BUSY:
                time.sleep(min(answer.wait_ms, 1000) / 1000)
                continue
            if answer.result != link.RESULT_DONE:
                raise Refused(answer)
            return answer

    def hello(self):
        self.token = 0
        answer = self.ask('HELLO', checksum=random.randrange(1, 1 << 32))
        self.token = answer.token
        self.chunk = self.fact('CHUNK').value

    def fact(self, name):
        return self.ask('FACT', index=link.Fact.Value('FACT_' + name))

    def unlock(self, press):
        """Asks for a press, which `press(number)` brings about."""
        pressed = False
        while True:
            try:
                self.ask('UNLOCK')
                return
            except Refused as refused:
                if refused.answer.result != link.RESULT_PRESS:
                    raise
                if not pressed:
                    press(refused.answer.value)
                pressed = True
                time.sleep(0.02)

    def about(self, kind, slot=0):
        """What is kept there, or None."""
        try:
            return self.ask('SLOT', kind=kind, slot=slot)
        except Refused as refused:
            if refused.answer.result != link.RESULT_FAILED:
                raise
            return None

    def read(self, kind, slot=0):
        about, data = self.about(kind, slot), b''
        while about and len(data) < about.size:
            piece = self.ask('READ', kind=kind, slot=slot, offset=len(data), size=self.chunk,
                             generation=about.generation).chunk
            data += piece
        if about and zlib.crc32(data) != about.checksum:
            raise ValueError('the content is not what its checksum says')
        return data

    def write(self, data):
        at = 0
        while at < len(data):
            at = self.ask('WRITE', offset=at, chunk=data[at:at + self.chunk]).offset

    def generation(self, kind, slot=0):
        about = self.about(kind, slot)
        return about.generation if about else 0

    def put(self, slot, name, program, text=b'', kept=b''):
        data, generation = program + text + kept, self.generation(1, slot)
        self.ask('STAGE', slot=slot, size=len(program), value=len(text), index=len(kept), checksum=zlib.crc32(data),
                 generation=generation)
        self.write(data)
        return self.ask('COMMIT', slot=slot, name=name, generation=generation)

    def put_record(self, kind, record, generation):
        self.ask('STAGE', kind=kind, size=len(record), checksum=zlib.crc32(record))
        self.write(record)
        try:
            return self.ask('COMMIT', kind=kind, generation=generation)
        except Refused as refused:
            if refused.answer.result != link.RESULT_CHANGED:
                raise
            return self.ask('COMMIT', kind=kind, generation=refused.answer.generation)

    def digest(self, kind, slot=0):
        return self.ask('DIGEST', kind=kind, slot=slot, generation=self.generation(kind or 1, slot)).chunk

    def backup(self):
        """Everything that is kept: (kind, place) to what is there."""
        kept = {}
        for slot in range(1, self.fact('SLOTS').value + 1):
            about = self.about(1, slot)
            if about:
                kept['slot', slot] = (about.name, self.read(1, slot), self.read(2, slot), self.read(3, slot))
        for place in range(1, 17):
            if self.about(5, place):
                kept['calibration', place] = self.read(5, place)
        kept['settings', 0] = self.read(4)
        return kept

    def restore(self, kept):
        for slot in range(1, self.fact('SLOTS').value + 1):
            if ('slot', slot) in kept:
                self.put(slot, *kept['slot', slot])
            elif self.about(1, slot):
                self.ask('ERASE', slot=slot, generation=self.generation(1, slot))
        for (kind, place), record in kept.items():
            if kind == 'calibration':
                self.put_record(5, record, self.generation(5, place))
        if kept['settings', 0]:
            self.put_record(4, kept['settings', 0], self.generation(4))


def digest_of_slot(name, program, text, kept):
    """What `digest` tells of a slot, as docs/link.md says it."""
    name = name.encode()
    head = struct.pack('<IIBB', len(program), len(text), len(name), len(kept))
    return hashlib.sha256(head + name + kept + program + text).digest()
