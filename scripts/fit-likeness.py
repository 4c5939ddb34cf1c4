#!/usr/bin/env python3
"""fit-likeness.py [--check] BENCH=FEATURES.csv ... : fits the weights of the verdict on pairs of pictures.

BENCH is a folder of ../shared/eval/make_neardup.py, FEATURES.csv what the example `alignment_features` wrote of
BENCH/images. A pair of copies of one base is the same picture; a pair of copies of two bases is not. Bases that
the benchmark lists as look-alikes are left out; of a +BENCH they count as two pictures too, unless their
thumbnails correlate by more than ALIKE; of a ++BENCH, which holds counterfeits, too, and its other pairs weigh
COUNTERFEIT times as much. All pairs of copies of the same two bases weigh together as much as 30
pairs at most, so that one unlucky pair of bases does not decide alone. Marks on a fifth of a side (logo5) are left
out of every +BENCH: on a drawing they may as well be another drawing.

Two models of the same kind, one for a glance and one for a close look: evidence, each number clamped to what
99.8 % of the pairs have, so that a picture unlike any of these cannot run away with it; HIDDEN sums of it through
x / (1 + |x|); their sum is the log odds. Fitted by Adam on the logistic loss, once for each of EPOCHS, from other
beginnings: the mean of them is less moved by chance. A fit of few steps is the better one on other pictures, one of
many on these. A glance is promising when its log
odds are above those of all but LOST of the copies that a close look is sure of. --check fits on one half of the
bases and says how many copies and how many other pairs it finds among the other half, and the reverse; without
it the weights fitted on all go to crates/sieve-core/src/likeness/coefficients.rs. The same inputs give the same
weights. Needs numpy.
"""
import collections, csv, multiprocessing, os, sys, zlib
import numpy as np

HIDDEN, EPOCHS, BATCH = 12, (3, 3, 20, 20), 2048
NUMBERS = 27
MOST_OF_BASES, OTHERS, COUNTERFEIT, ALIKE = 10, 3.0, .3, .995
SURE = 3.7
LOST = .002
OUT = os.path.join(os.path.dirname(__file__), '..', 'crates/sieve-core/src/likeness/coefficients.rs')


class Bench:
    def __init__(self, argument):
        self.name, evidence = argument.rsplit('=', 1)
        self.siblings = self.name.startswith('+')
        others = OTHERS * (COUNTERFEIT if self.name.startswith('++') else 1)
        self.name = self.name.lstrip('+')
        self.rows = list(csv.DictReader(open(f'{self.name}/truth.csv')))
        info = {r['path']: (r['base_id'], r['transform']) for r in self.rows}
        alike = set()
        for r in csv.DictReader(open(f'{self.name}/hard_negatives.csv')):
            if not self.siblings or float(r['ncc']) > ALIKE:
                alike |= {(r['base_a'], r['base_b']), (r['base_b'], r['base_a'])}
        numbers, same, self.pairs, self.copies, bases = [], [], [], [], []
        for line in open(evidence):
            # In how many ways one was changed is weighed by a rule of its own, in verdict.rs.
            a, b, _, *values = line.rstrip().split(',')
            (i, one), (j, other) = info[a], info[b]
            if i != j and (i, j) in alike or self.siblings and 'logo5' in (one, other):
                continue
            numbers.append(np.array(values, np.float32))
            same.append(i == j)
            self.pairs.append((min(a, b), max(a, b)))
            self.copies.append(i == j and 'base' in (one, other))
            bases.append((min(i, j), max(i, j)))
        numbers = np.array(numbers)
        self.looks, self.same = [numbers[:, :NUMBERS], numbers[:, NUMBERS:2 * NUMBERS]], np.array(same)
        self.half = np.array([half(i) if half(i) == half(j) else -1 for i, j in bases])
        count = collections.Counter(b for b, y in zip(bases, same) if not y)
        self.weights = np.array([1.0 if y else others * min(1.0, MOST_OF_BASES / count[b]) for b, y in zip(bases, same)])


def half(base):
    return zlib.crc32(base.encode()) % 2


def soft(x):
    return x / (1 + abs(x))


def odds(p, x):
    return soft(x @ p[0] + p[1]) @ p[2] + p[3]


def fit(x, y, w, seed, epochs, batch=BATCH, decay=1e-4):
    r = np.random.default_rng(seed)
    x, y, w = (np.asarray(v, np.float32) for v in (x, y, w))
    p = [r.normal(0, x.shape[1] ** -.5, (x.shape[1], HIDDEN)), np.zeros(HIDDEN), r.normal(0, HIDDEN ** -.5, HIDDEN), np.zeros(1)]
    p = [q.astype(np.float32) for q in p]
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


class Model:
    """What `look` (0 a glance, 1 close) of the benches says, fitted on one half of their bases or on all."""

    def __init__(self, benches, look, which):
        chosen = [np.ones(len(b.same), bool) if which is None else b.half == which for b in benches]
        gather = lambda of: np.concatenate([of(b)[c] for b, c in zip(benches, chosen)])
        numbers = gather(lambda b: b.looks[look])
        self.low, self.high = np.quantile(numbers, .001, 0), np.quantile(numbers, .999, 0)
        clamped = np.clip(numbers, self.low, self.high)
        self.mean, self.deviation = clamped.mean(0), clamped.std(0) + 1e-9
        self.look = look
        ready, same, weights = self.ready(numbers), gather(lambda b: b.same).astype(float), gather(lambda b: b.weights)
        fits = [fit(ready, same, weights, seed, epochs) for seed, epochs in enumerate(EPOCHS)]
        join = lambda k: np.concatenate([p[k] for p in fits], -1)
        self.p = [join(0), join(1), join(2) / len(fits), join(3).mean(keepdims=True)]

    def ready(self, numbers):
        return (np.clip(numbers, self.low, self.high) - self.mean) / self.deviation

    def odds(self, bench, chosen=slice(None)):
        return odds(self.p, self.ready(bench.looks[self.look][chosen]))

    def code(self, name, kind='Weights<ALIGNMENT_FEATURES, HIDDEN>'):
        inner = self.p[0] / self.deviation[:, None]
        shifts = self.p[1] - self.mean @ inner
        limits = ', '.join(line(v) for v in (self.low, self.high))
        return (f'const {name}: {kind} = Weights {{\n    hidden_weights: [\n' + ''.join(f'        {line(c)},\n' for c in inner.T)
                + f'    ],\n    hidden_bias: {line(shifts)},\n    output_weights: {line(self.p[2])},\n    output_bias: {line(self.p[3])[1:-1]},\n'
                + f'    limits: [{limits}],\n}};\n')


def line(values):
    return '[' + ', '.join(np.format_float_positional(np.float32(v), trim='0') for v in values) + ']'


def glanced(benches, glance, close, chosen):
    """The log odds of a glance that are promising, printed with what they spare."""
    first = [glance.odds(b, c) for b, c in zip(benches, chosen)]
    sure = np.concatenate([f[(close.odds(b, c) > SURE) & b.same[c]] for f, b, c in zip(first, benches, chosen)])
    least = np.quantile(sure, LOST)
    for f, b, c in zip(first, benches, chosen):
        print(f'{os.path.basename(b.name):12s} promising {least:.2f}: other rows {(f[~b.same[c]] > least).mean():.3f}, all rows {(f > least).mean():.3f}')
    return least


def models(benches, which):
    """Both looks, each in a process of its own, which shares the benches."""
    global fitted
    fitted = lambda look: Model(benches, look, which)
    with multiprocessing.get_context('fork').Pool(2) as pool:
        return pool.map(one_look, (0, 1))


def one_look(look):
    return fitted(look)


def main():
    benches = [Bench(a) for a in sys.argv[1:] if a != '--check']
    print('log odds: share of copies found, other pairs a million')
    if '--check' in sys.argv:
        for which in (0, 1):
            glance, close = models(benches, which)
            chosen = [b.half == 1 - which for b in benches]
            for b, c in zip(benches, chosen):
                report(b, close.odds(b, c), c, 1 - which)
            glanced(benches, glance, close, chosen)
        return
    glance, close = models(benches, None)
    chosen = [np.ones(len(b.same), bool) for b in benches]
    for b, c in zip(benches, chosen):
        report(b, close.odds(b), c, None)
    least = glanced(benches, glance, close, chosen)
    with open(OUT, 'w') as f:
        f.write('// Written by scripts/fit-likeness.py, which says how.\n\n/// What a glance says.\n' + glance.code('GLANCE')
                + f'\n/// Log odds above which a glance is worth a close look.\nconst PROMISING: f32 = {least:.3f};\n'
                + '\n/// What a close look says.\n' + close.code('CLOSE'))


if __name__ == '__main__':
    main()
