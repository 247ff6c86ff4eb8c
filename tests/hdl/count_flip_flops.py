#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Counts the flip-flops of a Verilog source: the bits of every reg that is assigned on a clock edge, and memories.

usage: count_flip_flops.py FILE.v MOST
"""
import re
import sys

source = re.sub(r"//[^\n]*", "", open(sys.argv[1]).read())
most = int(sys.argv[2])
clocked = "".join(re.findall(r"always @\((?:pos|neg)edge tck\) begin(.*?)\n  end\n", source, re.S))
assigned = set(re.findall(r"\b(\w+)(?:\[[^\]]*\])?\s*<=", clocked))
for group in re.findall(r"\{([\w,\s]+)\}\s*<=", clocked):
    assigned |= set(re.findall(r"\w+", group))
bits = {}
for width, names in re.findall(r"\breg\b[ \t]*(\[\d+:\d+\])?[ \t]*([^;)\n]+)", source):
    high, low = (map(int, re.findall(r"\d+", width)) if width else (0, 0))
    for name in filter(None, map(str.strip, names.split(","))):
        if "[" in name:
            sys.exit("a memory: " + name.strip())
        bits[name.strip()] = high - low + 1
missing = assigned - set(bits)
total = sum(bits[name] for name in assigned if name in bits)
print(f"{total} flip-flops in {len(assigned)} registers; at most {most}")
if missing:
    sys.exit("not declared as far as this reads: " + ", ".join(sorted(missing)))
sys.exit(total > most or total < 20)
