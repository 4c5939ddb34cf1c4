#!/usr/bin/env python3
"""bench-copies.py PROGRAM [--each] FOLDER ... : what `duplicates --reach wide` finds where the truth is known.

FOLDER is a bench of ../shared/eval/make_neardup.py, or a collection in which nothing was copied on purpose. Of a bench a line
says how many copies are found (a changed hue also counts when it is told as recoloured), how many pairs of other bases
are told as copies, without those that the bench lists as look-alikes and with them; with --each a line for each change.
Of a collection, what kinds of pairs are told. In the end, for all benches together, how many of the pairs of each range of
scores are copies: pairs of bases that a bench lists as look-alikes are left out, since some of them are one scene. All
runs begin without a catalog; times are CPU seconds. Standard library only.
"""
import collections, csv, os, subprocess, sys, tempfile

COPIES = {'same-bytes', 'same-pixels', 'near', 'rotated', 'bordered', 'cropped', 'marked'}
RANGES = (0, .5, .8, .95, .99, .999, 1.01)


def told(program, folder):
    with tempfile.TemporaryDirectory() as room:
        pairs = os.path.join(room, 'pairs.csv')
        before = os.times()
        subprocess.run([program, 'duplicates', folder, '--reach', 'wide', '--no-catalog', '--pairs', pairs],
                       check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        after = os.times()
        spent = after.children_user + after.children_system - before.children_user - before.children_system
        return list(csv.DictReader(open(pairs))), spent


def bench(program, folder, each, scores):
    info = {r['path']: (r['base_id'], r['transform']) for r in csv.DictReader(open(f'{folder}/truth.csv'))}
    alike = set()
    for r in csv.DictReader(open(f'{folder}/hard_negatives.csv')):
        alike |= {(r['base_a'], r['base_b']), (r['base_b'], r['base_a'])}
    rows, spent = told(program, f'{folder}/images')
    total, hit, others, lenient = collections.Counter(t for _, t in info.values() if t != 'base'), collections.Counter(), 0, 0
    for row in rows:
        (i, one), (j, other) = info[row['path_a']], info[row['path_b']]
        is_copy = row['kind'] in COPIES
        if i == j and 'base' in (one, other):
            change = one if other == 'base' else other
            hit[change] += is_copy or row['kind'] == 'recoloured' and change.startswith('hue')
        if is_copy and i != j:
            others += 1
            lenient += (i, j) not in alike
        if row['kind'] != 'burst' and (i, j) not in alike and not {one, other} & {'hue30', 'hue90'}:
            place = sum(float(row['score']) >= low for low in RANGES) - 1
            scores[place][i == j] += 1
    found, all_ = sum(hit.values()), sum(total.values())
    print(f'{os.path.basename(folder):12s} {len(info)} images, {spent:6.1f} CPU s, copies found {found} / {all_} {found / all_:.4f}, other bases {lenient} ({others} with look-alikes)', flush=True)
    for change in total if each else ():
        print(f'    {change:16s} {hit[change] / total[change]:.3f}')


def main():
    program, *folders = [a for a in sys.argv[1:] if a != '--each']
    scores = [[0, 0] for _ in RANGES]
    for folder in folders:
        folder = folder.rstrip('/')
        if os.path.exists(f'{folder}/truth.csv'):
            bench(program, folder, '--each' in sys.argv, scores)
            continue
        rows, spent = told(program, folder)
        kinds = collections.Counter(row['kind'] for row in rows)
        print(f'{os.path.basename(folder):12s} as it is, {spent:6.1f} CPU s:', ', '.join(f'{kind} {n}' for kind, n in sorted(kinds.items())) or 'none', flush=True)
    for low, high, (other, copy) in zip(RANGES, RANGES[1:], scores):
        if other + copy:
            print(f'score {low} to {min(high, 1)}: {other + copy} pairs, {copy / (other + copy):.4f} copies')


if __name__ == '__main__':
    main()
