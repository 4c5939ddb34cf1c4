#!/usr/bin/env python3
"""bench-unrelated.py PROGRAM ROOM A B: whether unrelated images change what is said of others.

Searches the folder-per-class collection A alone, and A beside B in one folder (in ROOM, by links), both with `duplicates
--reach wide`. Of the pairs of A it prints how many are reported in both, how many have another kind or a score that
differs by more than .001, and how many of these are duplicates in one of the two answers. Standard library only.
"""
import csv, os, shutil, subprocess, sys

COPIES = {'same-bytes', 'same-pixels', 'near', 'rotated', 'bordered', 'cropped', 'marked'}


def search(program, room, name, parts):
    folder = os.path.join(room, name)
    shutil.rmtree(folder, ignore_errors=True)
    for mark, part in parts:
        for place, _, files in os.walk(part):
            into = os.path.join(folder, mark + os.path.relpath(place, part).replace('/', '-'))
            for file in files:
                os.makedirs(into, exist_ok=True)
                os.symlink(os.path.abspath(os.path.join(place, file)), os.path.join(into, file))
    pairs = os.path.join(room, name + '.csv')
    if os.path.exists(pairs):
        os.remove(pairs)
    subprocess.run([program, 'duplicates', folder, '--reach', 'wide', '--no-catalog', '--follow-links', '--pairs', pairs],
                   check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    own = parts[0][0]
    rows = (row for row in csv.DictReader(open(pairs)) if row['path_a'].startswith(own) and row['path_b'].startswith(own))
    return {(row['path_a'], row['path_b']): (row['kind'], float(row['score'])) for row in rows}


def main():
    if len(sys.argv) != 5:
        sys.exit(__doc__)
    program, room, a, b = sys.argv[1:]
    alone = search(program, room, 'alone', [('a-', a)])
    beside = search(program, room, 'beside', [('a-', a), ('b-', b)])
    none = ('none', 0.0)
    both = {pair: (alone.get(pair, none), beside.get(pair, none)) for pair in {*alone, *beside}}
    changed = [(one, other) for one, other in both.values() if one[0] != other[0] or abs(one[1] - other[1]) > .001]
    copies = sum(one[0] in COPIES or other[0] in COPIES for one, other in changed)
    drops = sum((one[0] in COPIES) != (other[0] in COPIES) for one, other in changed)
    print(f'{a} beside {b}: {len(both)} pairs, {len(changed)} changed, {copies} of them copies, '
          f'{drops} copies in one answer only', flush=True)


if __name__ == '__main__':
    main()
