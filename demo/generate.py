#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Makes the river gauge's files in a folder: sheet, descriptions, bitstreams of two releases, calibration tables.

usage: generate.py FOLDER

Everything is invented and comes from fixed seeds: the same bytes each time.
"""
import os
import random
import shutil
import struct
import subprocess
import sys
import tempfile
import zlib

HERE = os.path.dirname(os.path.abspath(__file__))


def bitstream(size, seed, usercode, changed=(), bridge=False):
    """Pad, sync word, header, then frames, some dense, some empty, as a placed design has them, and a check sum (see
    docs/formats/bench.md). `changed` are (offset, length, seed) ranges in which a release differs."""
    rng = random.Random(seed)
    data = bytearray(b"\xff" * 32 + bytes([0x9A, 0x51, 0x6C, 0xE1]))
    while len(data) < size:
        frame = rng.randrange(3)
        length = rng.randrange(200, 900)
        if frame == 0:
            data += bytes(length)
        elif frame == 1:
            word = rng.randbytes(16)
            data += word * (length // 16)
        else:
            data += rng.randbytes(length)
    data = data[:size]
    for offset, length, other in changed:
        data[offset : offset + length] = random.Random(other).randbytes(length)
    data[36:52] = struct.pack(">IIII", 0x1F40AFFD, usercode, size - 32, 1 if bridge else 0)
    data[-4:] = struct.pack(">I", zlib.crc32(bytes(data[36:-4])))
    return bytes(data)


def fuse_file(rows, width, seed, usercode):
    """A JESD3 file of a small design: most product terms are unused, their fuses 1."""
    rng = random.Random(seed)
    fuses = [1] * (rows * width)
    for row in range(rows):
        if rng.random() < 0.55:
            for _ in range(rng.randrange(6, 40)):
                fuses[row * width + rng.randrange(width)] = 0
    lines = ["\x02River gauge sequencer, power rails in order*", "N made by demo/generate.py*", "QF%d*" % len(fuses),
             "G0*", "F1*", "U%s*" % format(usercode, "032b")]
    for row in range(rows):
        bits = "".join(str(f) for f in fuses[row * width : (row + 1) * width])
        if "0" in bits:
            lines.append("L%05d %s*" % (row * width, bits))
    fuse_sum = sum(fuses[i] << i % 8 for i in range(len(fuses))) & 0xFFFF
    text = "\n".join(lines + ["C%04X*" % fuse_sum, "\x03"])
    return text + "%04X\n" % (sum(text.encode()) & 0xFFFF)


def hex_record(kind, address, data):
    record = bytes([len(data), address >> 8, address & 0xFF, kind]) + data
    return ":%s%02X\n" % (record.hex().upper(), -sum(record) & 0xFF)


def intel_hex(pieces):
    lines = []
    upper = None
    for start, data in pieces:
        for at in range(0, len(data), 16):
            address = start + at
            if address >> 16 != upper:
                upper = address >> 16
                lines.append(hex_record(4, 0, upper.to_bytes(2, "big")))
            lines.append(hex_record(0, address & 0xFFFF, data[at : at + 16]))
    return "".join(lines) + hex_record(1, 0, b"")


def table(seed, rows):
    """A calibration table: level in millimetres, delay in nanoseconds, as 16-bit numbers that rise."""
    rng = random.Random(seed)
    out, level, delay = b"", 0, 4000
    for _ in range(rows):
        level = (level + rng.randrange(2, 9)) & 0xFFFF
        delay = (delay + rng.randrange(10, 60)) & 0xFFFF
        out += level.to_bytes(2, "little") + delay.to_bytes(2, "little")
    return out


def bitfile(payload, release, entries):
    """A bitstream with the header that parts/tarn_wrapper.json describes."""
    out = b"\xb7TARN" + release.to_bytes(2, "big")
    for tag, text in entries:
        value = text.encode() + b"\0"
        out += bytes([tag]) + len(value).to_bytes(2, "big") + value
    return out + b"\x7f" + bytes(3) + len(payload).to_bytes(4, "big") + payload


def elf(address, code):
    """A 32-bit Arm program: one segment, its vector table at the beginning."""
    head = b"\x7fELF" + bytes([1, 1, 1]) + bytes(9)
    head += struct.pack("<HHIIIIIHHHHHH", 2, 40, 1, address + 0x41, 52, 0, 0x05000000, 52, 32, 1, 0, 0, 0)
    head += struct.pack("<IIIIIIII", 1, 84, address, address, len(code), len(code), 5, 4)
    return head + code


def firmware(address, size):
    rng = random.Random(61)
    vectors = struct.pack("<II", 0x20008000, address + 0x41) + b"".join(struct.pack("<I", address + 0x81) for _ in range(14))
    return vectors + rng.randbytes(size - len(vectors))


def write(folder, name, data):
    path = os.path.join(folder, name)
    os.makedirs(os.path.dirname(path), exist_ok=True)
    with open(path, "wb") as file:
        file.write(data if isinstance(data, bytes) else data.encode())


def linked(sources, script, defines=()):
    """An ELF from assembly, by the tools for Arm; its bytes."""
    tool = "arm-none-eabi-"
    with tempfile.TemporaryDirectory() as work:
        objects = []
        for source in sources:
            objects.append(os.path.join(work, os.path.basename(source) + ".o"))
            with open(source) as lines:
                text = lines.read()
            for name, value in defines:
                text = text.replace(name, value)
            subprocess.run([tool + "as", "-o", objects[-1], "-"], input=text.encode(), check=True)
        out = os.path.join(work, "out.elf")
        subprocess.run([tool + "ld", "--no-warn-rwx-segments", "-e", "0", "-T", script, "-o", out] + objects, check=True)
        with open(out, "rb") as file:
            return file.read()


def flat(elf, size):
    """What an ELF leaves in a blank flash from address 0 on."""
    out = bytearray(b"\xff" * size)
    start, count = struct.unpack_from("<I", elf, 28)[0], struct.unpack_from("<H", elf, 44)[0]
    for i in range(count):
        kind, offset, _, address, length = struct.unpack_from("<IIIII", elf, start + 32 * i)
        if kind == 1:
            out[address : address + length] = elf[offset : offset + length]
    return bytes(out)


def float_sensor(folder):
    """The second board: one core, on SWD only; release 1 is in its flash, release 2 goes in."""
    here = os.path.join(HERE, "float")
    target = os.path.join(HERE, "..", "target")
    for name in ("float-sensor.imprimo", "bench.json", "beck_k0_core.json"):
        os.makedirs(os.path.join(folder, "float"), exist_ok=True)
        shutil.copy(os.path.join(here, name), os.path.join(folder, "float"))
    algorithm = linked([os.path.join(target, "beck_k0_flash.s")], os.path.join(target, "algorithm.ld"))
    write(folder, "float/beck_k0.flm", algorithm)
    # The same for its configuration words, which are a small flash of their own.
    words = (("Beck K0 256 KiB", "Beck K0 words"), ("0x00000000, 0x40000", "0x1FFF0000, 0x100"), ("0x1000, 0\n", "0x100, 0\n"))
    write(folder, "float/beck_k0_words.flm",
          linked([os.path.join(target, "beck_k0_flash.s")], os.path.join(target, "algorithm.ld"), words))
    write(folder, "float/beck_k0_outside.flm",
          linked([os.path.join(target, "beck_k0_outside.s")], os.path.join(target, "algorithm.ld")))
    source, script = os.path.join(here, "float_sensor.s"), os.path.join(here, "float_sensor.ld")
    releases = [linked([source], script, (("STEP", str(n)), ("RELEASE", '"%d"' % n), ("FAULTY", str(n // 3))))
                for n in (1, 2, 3)]
    write(folder, "float/float_sensor.elf", releases[1])
    write(folder, "float/float_sensor_3.elf", releases[2])
    write(folder, "float/float_curve.bin", table(71, 2048))
    old = bytearray(flat(releases[0], 0x40000))
    curve = table(72, 2048)
    old[0x20000 : 0x20000 + len(curve)] = curve
    old[0x3F000 : 0x3F018] = b"FLOAT SENSOR UNIT 0077".ljust(24, b"\xff")
    write(folder, "float/on_the_sensor.bin", bytes(old))


def supervisor(folder):
    """The supervisor of the first board, a core on its chain; release 1 is in its flash, release 2 goes in."""
    here = os.path.join(HERE, "supervisor")
    for name in ("supervisor.imprimo", "beck_k0_core.json"):
        os.makedirs(os.path.join(folder, "supervisor"), exist_ok=True)
        shutil.copy(os.path.join(here, name), os.path.join(folder, "supervisor"))
    shutil.copy(os.path.join(folder, "float", "beck_k0.flm"), os.path.join(folder, "supervisor"))
    source, script = os.path.join(here, "supervisor.s"), os.path.join(here, "supervisor.ld")
    releases = [linked([source], script, (("STEP", str(n)), ("RELEASE", '"%d"' % n))) for n in (1, 2)]
    write(folder, "supervisor/supervisor.elf", releases[1])
    write(folder, "supervisor/limits.bin", table(81, 1024))
    old = bytearray(flat(releases[0], 0x40000))
    limits = table(82, 1024)
    old[0x8000 : 0x8000 + len(limits)] = limits
    old[0x3F000 : 0x3F018] = b"SUPERVISOR UNIT 0417".ljust(24, b"\xff")
    write(folder, "supervisor/on_the_supervisor.bin", bytes(old))


def main():
    folder = sys.argv[1]
    os.makedirs(os.path.join(folder, "parts"), exist_ok=True)
    for name in ("gauge-rev-b.imprimo", "bench.json"):
        shutil.copy(os.path.join(HERE, name), folder)
    for name in sorted(os.listdir(os.path.join(HERE, "parts"))):
        shutil.copy(os.path.join(HERE, "parts", name), os.path.join(folder, "parts"))

    # Release 2 is what goes in, release 1 what the flash holds: the correlator's design differs in a few regions, the
    # fallback was built anew and is shorter, one calibration table is new and one was corrected.
    size = 0x120A40
    changes = [(0x0A8000, 0x15000, 21), (0x10A200, 0x2E00, 22), (0x064018, 24, 23)]
    write(folder, "echo_correlator.bin", bitstream(size, 1, 0x52320002, changes))
    write(folder, "release-1/echo_correlator.bin", bitstream(size, 1, 0x52320001))
    write(folder, "fallback.bin", bitstream(0x2E800, 2, 0x5232F002))
    write(folder, "release-1/fallback.bin", bitstream(0x32C00, 3, 0x5232F001))

    # The bridge that makes the correlator lead to its flash, and the sequencer's fuses.
    write(folder, "cores/tarn_t40_bridge.bin", bitstream(0xA400, 5, 0xB21D6E01, bridge=True))
    shutil.copy(os.path.join(HERE, "cores", "tarn_t40_bridge.json"), os.path.join(folder, "cores"))
    write(folder, "sequencer.jed", fuse_file(96, 128, 51, 0x5E0A0002))

    # What the sheet does not place: firmware for the supervisor, and the next release as the maker's tool leaves it.
    write(folder, "supervisor.elf", elf(0, firmware(0, 0xA400)))
    header = [(1, "echo_correlator, two paths"), (2, "TARN_T40"), (3, "2026-11-20"), (9, "not shown")]
    write(folder, "next/echo_correlator.tarn", bitfile(bitstream(size, 1, 0x52320003, changes + [(0x0F0000, 0x1800, 24)]), 3, header))

    levels, echoes, trim = table(31, 1024), table(32, 1024), table(33, 512)
    write(folder, "gauge_cal.hex", intel_hex([(0x6A0000, levels), (0x6A1000, echoes), (0x6A2000, trim)]))
    write(folder, "release-1/gauge_cal.bin", levels + table(34, 1024) + b"\xff" * 2048)
    station = "station 0417\nreach: Alder Weir, left bank\nheight of datum: 41.280 m\ninstalled by: nobody real\n"
    write(folder, "release-1/station.txt", station)
    identity = b"RIVER GAUGE UNIT 000417\0".ljust(64, b"\xff") + random.Random(41).randbytes(192)
    write(folder, "release-1/unit_identity.bin", identity)
    float_sensor(folder)
    supervisor(folder)


if __name__ == "__main__":
    main()
