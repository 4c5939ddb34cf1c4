#!/usr/bin/env python3
"""few-copies.py BENCH OUT COUNT DRAWS [SEED]: collections as people have them, from a benchmark of many copies.

BENCH is a folder of ../shared/eval/make_neardup.py, in which each picture is there in dozens of changes. OUT gets DRAWS
folders 0, 1, ... of the same form, in each of which every base is there with COUNT of its copies, drawn by chance: where a
picture has dozens of copies around it, what its surroundings say is not what they say of a picture that is there twice.
Files are linked, not copied.
"""
import csv, os, random, shutil, sys

if len(sys.argv) < 5:
    sys.exit(__doc__)
bench, out, count, draws = sys.argv[1], sys.argv[2], int(sys.argv[3]), int(sys.argv[4])
chance = random.Random(sys.argv[5] if len(sys.argv) > 5 else '0')
rows = list(csv.DictReader(open(f'{bench}/truth.csv')))
bases = {}
for row in rows:
    bases.setdefault(row['base_id'], []).append(row)
for draw in range(draws):
    kept = []
    for base in sorted(bases):
        copies = [row for row in bases[base] if row['transform'] != 'base']
        kept += [row for row in bases[base] if row['transform'] == 'base']
        kept += chance.sample(copies, min(count, len(copies)))
    for row in kept:
        path = f'{out}/{draw}/images/{row["path"]}'
        os.makedirs(os.path.dirname(path), exist_ok=True)
        os.link(f'{bench}/images/{row["path"]}', path)
    shutil.copy(f'{bench}/hard_negatives.csv', f'{out}/{draw}/')
    with open(f'{out}/{draw}/truth.csv', 'w', newline='') as file:
        writer = csv.DictWriter(file, rows[0].keys(), lineterminator='\n')
        writer.writeheader()
        writer.writerows(kept)
