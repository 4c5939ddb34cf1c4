#!/usr/bin/env python3
"""fit-likeness.py [--check] BENCH=EVIDENCE.csv ... : fits the weights of the verdict on pairs of pictures.

BENCH is a folder of ../shared/eval/make_neardup.py, EVIDENCE.csv what the example `evidence` wrote of
BENCH/images. A pair of copies of one base is the same picture; a pair of copies of two bases is not, unless the
benchmark lists the bases as look-alikes: those are left out. All pairs of copies of the same two bases weigh
together as much as 90 pairs at most, so that one unlucky pair of bases does not decide alone.

The model: evidence, each number clamped to what 99.8 % of the pairs have, so that a picture unlike any of these
cannot run away with it; HIDDEN sums of it through x / (1 + |x|); their sum is the log odds. Fitted by Adam on
the logistic loss. --check fits on one half of the bases and says how many copies and how many other pairs it
finds among the other half, and the reverse; without it the weights fitted on all go to
crates/sieve-core/src/likeness/coefficients.rs. The same inputs give the same weights. Needs numpy.
"""
import collections, csv, os, sys, zlib
import numpy as np

HIDDEN = 12
MOST_OF_BASES, OTHERS = 30, 3.0
OUT = os.path.join(os.path.dirname(__file__), '..', 'crates/sieve-core/src/likeness/coefficients.rs')


class Bench:
    def __init__(self, argument):
        self.name, evidence = argument.rsplit('=', 1)
        self.rows = list(csv.DictReader(open(f'{self.name}/truth.csv')))
        info = {r['path']: (r['base_id'], r['transform']) for r in self.rows}
        alike = set()
        for r in csv.DictReader(open(f'{self.name}/hard_negatives.csv')):
            alike |= {(r['base_a'], r['base_b']), (r['base_b'], r['base_a'])}
        numbers, same, self.pairs, self.copies, bases = [], [], [], [], []
        for line in open(evidence):
            a, b, *values = line.rstrip().split(',')
            (i, one), (j, other) = info[a], info[b]
            if i != j and (i, j) in alike:
                continue
            numbers.append([float(v) for v in values])
            same.append(i == j)
            self.pairs.append((min(a, b), max(a, b)))
            self.copies.append(i == j and 'base' in (one, other))
            bases.append((min(i, j), max(i, j)))
        self.numbers, self.same = np.array(numbers), np.array(same)
        self.half = np.array([half(i) if half(i) == half(j) else -1 for i, j in bases])
        count = collections.Counter(b for b, y in zip(bases, same) if not y)
        self.weights = np.array([1.0 if y else OTHERS * min(1.0, MOST_OF_BASES / count[b]) for b, y in zip(bases, same)])


def half(base):
    return zlib.crc32(base.encode()) % 2


def soft(x):
    return x / (1 + abs(x))


def odds(p, x):
    return soft(x @ p[0] + p[1]) @ p[2] + p[3]


def fit(x, y, w, epochs=40, batch=1024, decay=1e-4):
    r = np.random.default_rng(0)
    p = [r.normal(0, x.shape[1] ** -.5, (x.shape[1], HIDDEN)), np.zeros(HIDDEN), r.normal(0, HIDDEN ** -.5, HIDDEN), np.zeros(1)]
    m, v, t = [np.zeros_like(q) for q in p], [np.zeros_like(q) for q in p], 0
    for epoch in range(epochs):
        rate = .005 * (1 - epoch / epochs) + 1e-4
        order = r.permutation(len(x))
        for at in range(0, len(x), batch):
            k = order[at:at + batch]
            s = x[k] @ p[0] + p[1]
            h = soft(s)
            d = (1 / (1 + np.exp(-np.clip(h @ p[2] + p[3], -30, 30))) - y[k]) * w[k] / len(k)
            back = np.outer(d, p[2]) / (1 + abs(s)) ** 2
            slopes = [x[k].T @ back + decay * p[0], back.sum(0), h.T @ d + decay * p[2], np.array([d.sum()])]
            t += 1
            for i, g in enumerate(slopes):
                m[i] = .9 * m[i] + .1 * g
                v[i] = .999 * v[i] + .001 * g * g
                p[i] = p[i] - rate * (m[i] / (1 - .9 ** t)) / (np.sqrt(v[i] / (1 - .999 ** t)) + 1e-8)
    return p


def report(bench, scores, chosen, which):
    best = {}
    for at, score in zip(np.flatnonzero(chosen), scores):
        if score > best.get(bench.pairs[at], (-1e9,))[0]:
            best[bench.pairs[at]] = (score, bench.same[at], bench.copies[at])
    v, same, copy = (np.array([b[k] for b in best.values()]) for k in range(3))
    rows = [r for r in bench.rows if which is None or half(r['base_id']) == which]
    copies, million = sum(r['transform'] != 'base' for r in rows), len(rows) ** 2 / 2e6
    text = [f'{limit}: {(v[copy] > limit).sum() / copies:.4f} {(v[~same] > limit).sum() / million:6.2f}' for limit in (1, 2, 3, 4, 5, 6)]
    print(f'{os.path.basename(bench.name):12s} ' + ' | '.join(text), flush=True)


def main():
    benches = [Bench(a) for a in sys.argv[1:] if a != '--check']
    numbers = np.concatenate([b.numbers for b in benches])
    low, high = np.quantile(numbers, .001, 0), np.quantile(numbers, .999, 0)
    mean, deviation = np.clip(numbers, low, high).mean(0), np.clip(numbers, low, high).std(0) + 1e-9
    ready = lambda x: (np.clip(x, low, high) - mean) / deviation

    def fitted(which):
        chosen = [np.ones(len(b.same), bool) if which is None else b.half == which for b in benches]
        gather = lambda of: np.concatenate([of(b)[c] for b, c in zip(benches, chosen)])
        return fit(ready(gather(lambda b: b.numbers)), gather(lambda b: b.same).astype(float), gather(lambda b: b.weights))
    print('log odds: share of copies found, other pairs a million')
    if '--check' in sys.argv:
        for which in (0, 1):
            p = fitted(which)
            for b in benches:
                chosen = b.half == 1 - which
                report(b, odds(p, ready(b.numbers[chosen])), chosen, 1 - which)
        return
    p = fitted(None)
    for b in benches:
        report(b, odds(p, ready(b.numbers)), np.ones(len(b.same), bool), None)
    inner = p[0] / deviation[:, None]
    outer = p[1] - mean @ inner

    def line(values):
        return '[' + ', '.join(np.format_float_positional(np.float32(v), trim='0') for v in values) + ']'
    with open(OUT, 'w') as f:
        f.write('// Written by scripts/fit-likeness.py, which says how.\n\n'
                '/// Sums that the evidence is brought to.\n'
                f'const HIDDEN: usize = {HIDDEN};\n'
                '/// What each sum takes of each number of the evidence.\n'
                'const INNER: [[f32; EVIDENCE]; HIDDEN] = [\n' + ''.join(f'    {line(c)},\n' for c in inner.T) + '];\n'
                f'/// What is added to each sum.\nconst SHIFTS: [f32; HIDDEN] = {line(outer)};\n'
                f'/// What each sum counts.\nconst OUTER: [f32; HIDDEN] = {line(p[2])};\n'
                f'/// What is added in any case.\nconst CONSTANT: f32 = {line(p[3])[1:-1]};\n'
                '/// What each number is at least and at most: what the weights were fitted on had no more.\n'
                f'pub(super) const LEAST: [f32; EVIDENCE] = {line(low)};\n'
                f'/// See [`LEAST`].\npub(super) const MOST: [f32; EVIDENCE] = {line(high)};\n')


if __name__ == '__main__':
    main()
