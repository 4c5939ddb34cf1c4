#!/usr/bin/env python3
"""bench-splits.py PROGRAM [REFERENCE]: how near splits come to what was asked for.

Makes 18 tables of groups (some of several classes, one larger than a part, 500 classes of three, everything one
group) with tiny made-up pictures, splits each with three seeds, and prints the distance that the answer tells beside
the optimum. REFERENCE is ../shared/eval/split_reference.py, which solves an integer program (numpy, scipy); without it
the distances are printed alone. Needs nothing else but Python.
"""
import csv
import json
import random
import struct
import subprocess
import sys
import tempfile
import zlib
from pathlib import Path

PARTS = 'train=70%,validation=15%,test=15%'


def tables():
    """Name and rows (class, group) of each table."""
    draw = random.Random(5)
    for number in range(14):
        rows, groups, classes = [], draw.choice([12, 30, 80, 200, 390]), draw.choice([2, 3, 5, 12])
        for group in range(groups):
            size = draw.choice([1, 1, 2, 3, 5, 9, 14, 30]) if number % 2 else draw.randint(1, 12)
            of = [draw.randrange(classes)]
            if number % 3 == 2 and draw.random() < .3:
                of.append(draw.randrange(classes))
            rows += [(f'herb-{draw.choice(of)}', f'g{group}' if size > 1 else '') for _ in range(size)]
        yield f'random {number}', rows
    yield 'one group', [('bay', 'g1')] * 30
    yield '500 of 3', [(f'herb-{n}', '') for n in range(500) for _ in range(3)]
    yield 'group above part', [('bay', 'g1')] * 80 + [('bay', '')] * 20 + [('dill', '')] * 40 + [('dill', 'g2')] * 9
    yield '40 of 10', [(f'herb-{n:02}', '') for n in range(40) for _ in range(10)]


def png(number):
    """A picture of 2 x 2 pixels that no other number has."""
    def chunk(kind, data):
        body = kind + data
        return struct.pack('>I', len(data)) + body + struct.pack('>I', zlib.crc32(body))
    value = struct.pack('>Q', number)
    rows = b'\0' + value[2:8] + b'\0' + bytes(6)
    head = struct.pack('>IIBBBBB', 2, 2, 8, 2, 0, 0, 0)
    return b'\x89PNG\r\n\x1a\n' + chunk(b'IHDR', head) + chunk(b'IDAT', zlib.compress(rows)) + chunk(b'IEND', b'')


def main():
    program, reference = sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else None
    worse = 0
    for name, rows in tables():
        with tempfile.TemporaryDirectory() as folder:
            folder = Path(folder)
            with open(folder / 'table.csv', 'w', newline='') as file:
                table = csv.writer(file)
                table.writerow(['path', 'class', 'group'])
                for number, (of_class, group) in enumerate(rows):
                    (folder / f'{number}.png').write_bytes(png(number + 1))
                    table.writerow([f'{number}.png', of_class, group])
            words = [program, 'split', str(folder / 'table.csv'), '--parts', PARTS, '--copies', 'apart', '--reach', 'exact',
                     '--conflicts', 'keep', '--force', '--no-catalog', '--format', 'json']
            found = []
            for seed in range(3):
                answer = subprocess.run(words + ['--seed', str(seed)], capture_output=True, check=True).stdout
                found.append(json.loads(answer)['distance'])
            line = f'{name:<18} {len(rows):>5} images  ' + '  '.join(f'{distance:.6f}' for distance in found)
            if reference:
                call = [sys.executable, reference, str(folder / 'table.csv'), '--parts', PARTS.replace('%', ''), '--presence']
                best = json.loads(subprocess.run(call, capture_output=True, check=True).stdout)['reference']['objective']
                worse += sum(distance > best + 1e-6 for distance in found)
                line += f'  optimum {best:.6f}'
            print(line, flush=True)
    if reference:
        print(f'{worse} of 54 above the optimum')


if __name__ == '__main__':
    main()
