#!/usr/bin/env python3
"""fit-likeness.py [--check] BENCH=EVIDENCE.csv ... : fits the weights of the verdict on pairs of pictures.

BENCH is a folder of ../shared/eval/make_neardup.py, EVIDENCE.csv what the example `evidence` wrote of
BENCH/images. A pair of copies of one base is the same picture; a pair of copies of two bases is not, unless
the benchmark lists the bases as look-alikes: those are left out. Of each base pair of different pictures all
weigh as much together as at most 30 pairs, so that one unlucky pair of bases does not decide alone.

The model: log odds = constant + weighted evidence + weighted products, by logistic regression. Weights that
could only be chance in one direction (a better fit that speaks against) are held at 0, and each number is
clamped to what 99.8 % of the pairs have, so that a picture unlike any of these cannot run away with it.

Writes crates/sieve-core/src/likeness/coefficients.rs, unless --check, and says how many pairs of (base, copy)
are found, and how many other pairs, at several limits. Needs numpy.
"""
import collections, csv, os, sys
import numpy as np

NAMES = ('whole robust middle finest fitting residual contrast middle_energy finest_energy energy_ratio '
         'chroma_fit chroma_there chroma_apart overlap gain offset plain_middle structure shear stretch').split()
# -1: more of it speaks against; +1: for; 0: either.
SIGNS = dict(whole=-1, robust=-1, middle=-1, finest=-1, fitting=1, residual=-1, energy_ratio=-1, chroma_fit=1,
             chroma_apart=-1, overlap=1, gain=-1, offset=-1, plain_middle=-1, shear=-1, stretch=-1)
TOGETHER = [('whole', 'structure'), ('middle', 'structure'), ('plain_middle', 'structure'), ('finest', 'structure'),
            ('residual', 'structure'), ('fitting', 'structure'), ('middle', 'middle_energy'),
            ('finest', 'finest_energy'), ('chroma_fit', 'structure'), ('shear', 'structure'), ('structure', 'structure')]
MOST_OF_BASES = 30
OUT = os.path.join(os.path.dirname(__file__), '..', 'crates/sieve-core/src/likeness/coefficients.rs')


def load(bench, evidence):
    rows = list(csv.DictReader(open(f'{bench}/truth.csv')))
    info = {r['path']: (r['base_id'], r['transform']) for r in rows}
    hard = set()
    for r in csv.DictReader(open(f'{bench}/hard_negatives.csv')):
        hard |= {(r['base_a'], r['base_b']), (r['base_b'], r['base_a'])}
    numbers, same, keys, bases = [], [], [], []
    for line in open(evidence):
        a, b, *values = line.rstrip().split(',')
        i, j = info[a], info[b]
        if i[0] != j[0] and (i[0], j[0]) in hard:
            continue
        numbers.append([float(v) for v in values])
        same.append(i[0] == j[0])
        keys.append((min(a, b), max(a, b), same[-1] and 'base' in (i[1], j[1])))
        bases.append(tuple(sorted((i[0], j[0]))))
    return np.array(numbers), np.array(same), keys, bases, rows


def features(x):
    at = {n: k for k, n in enumerate(NAMES)}
    return np.concatenate([x, np.stack([x[:, at[a]] * x[:, at[b]] for a, b in TOGETHER], 1)], 1)


def fit(f, y, w):
    mean, deviation = f.mean(0), f.std(0) + 1e-9
    z = np.concatenate([np.ones((len(f), 1)), (f - mean) / deviation], 1)
    signs = np.array([0] + [SIGNS.get(n, 0) for n in NAMES] + [0] * len(TOGETHER))
    free = np.ones(z.shape[1], bool)
    while True:
        b = np.zeros(free.sum())
        zf = z[:, free]
        for _ in range(60):
            p = 1 / (1 + np.exp(-np.clip(zf @ b, -35, 35)))
            h = (zf * (np.maximum(p * (1 - p), 1e-7) * w)[:, None]).T @ zf + np.eye(len(b)) * 2.0
            step = np.linalg.solve(h, zf.T @ (w * (y - p)) - 2.0 * b)
            b += step
            if abs(step).max() < 1e-5:
                break
        full = np.zeros(z.shape[1])
        full[free] = b
        wrong = free & (signs * full < 0)
        if not wrong.any():
            break
        free &= ~wrong
    c = full[1:] / deviation
    return full[0] - (c * mean).sum(), c


def report(name, numbers, same, keys, rows, constant, c):
    s = constant + features(numbers) @ c
    best = {}
    for (a, b, is_copy), v, y in zip(keys, s, same):
        if v > best.get((a, b), (-1e9,))[0]:
            best[a, b] = (v, y, is_copy)
    v, y, is_copy = (np.array([t[k] for t in best.values()]) for k in range(3))
    y, is_copy = y.astype(bool), is_copy.astype(bool)
    copies = sum(r['transform'] != 'base' for r in rows)
    million = len(rows) * (len(rows) - 1) / 2e6
    for limit in (2, 3, 4, 5, 6, 7, 8):
        print(f'{name:24s} limit {limit}: copies found {(v[is_copy] > limit).sum() / copies:.4f}, '
              f'others {(v[~y] > limit).sum():5d} = {(v[~y] > limit).sum() / million:.2f} a million')


def main():
    check = '--check' in sys.argv
    sets = [load(*a.rsplit('=', 1)) for a in sys.argv[1:] if a != '--check']
    names = [a.rsplit('=', 1)[0] for a in sys.argv[1:] if a != '--check']
    numbers = np.concatenate([s[0] for s in sets])
    low, high = np.quantile(numbers, .001, 0), np.quantile(numbers, .999, 0)
    same = np.concatenate([s[1] for s in sets])
    weights = []
    for k, s in enumerate(sets):
        count = collections.Counter(b for b, y in zip(s[3], s[1]) if not y)
        weights += [1.0 if y else min(1.0, MOST_OF_BASES / count[b]) * 3 for b, y in zip(s[3], s[1])]
    constant, c = fit(features(np.clip(numbers, low, high)), same.astype(float), np.array(weights))
    for n, v in zip(NAMES + [f'{a}*{b}' for a, b in TOGETHER], c):
        print(f'{n:28s} {v:9.3f}')
    for name, s in zip(names, sets):
        report(name, np.clip(s[0], low, high), s[1], s[2], s[4], constant, c)
    if len(sets) > 1:
        for k, name in enumerate(names):
            rest = [s for j, s in enumerate(sets) if j != k]
            n = np.concatenate([s[0] for s in rest])
            used = np.concatenate([s[1] for s in sets])[:0]
            w = np.concatenate([np.array([1.0 if y else 1.0 for y in s[1]]) for s in rest])
            k0, c0 = fit(features(np.clip(n, low, high)), np.concatenate([s[1] for s in rest]).astype(float), w)
            s = sets[k]
            report('held out: ' + os.path.basename(name), np.clip(s[0], low, high), s[1], s[2], s[4], k0, c0)
    if check:
        return
    text = lambda values: ', '.join(f'{v:.5}' if '.' in f'{v:.5}' or 'e' in f'{v:.5}' else f'{v:.5}.0' for v in values)
    at = {n: k for k, n in enumerate(NAMES)}
    with open(OUT, 'w') as f:
        f.write(f'''// Written by scripts/fit-likeness.py, which says how.

/// What is added in any case.
const CONSTANT: f32 = {text([constant])};
/// Numbers of the evidence that also count multiplied.
const TOGETHER: [(usize, usize); {len(TOGETHER)}] = [{', '.join(f'({at[a]}, {at[b]})' for a, b in TOGETHER)}];
/// What each number counts, and then each product.
const WEIGHTS: [f32; EVIDENCE + TOGETHER.len()] = [{text(c)}];
/// What each number is at least and at most: what the weights were fitted on had no more.
pub(super) const LEAST: [f32; EVIDENCE] = [{text(low)}];
/// See [`LEAST`].
pub(super) const MOST: [f32; EVIDENCE] = [{text(high)}];
''')


if __name__ == '__main__':
    main()
