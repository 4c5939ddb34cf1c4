#!/usr/bin/env python3
"""fit-second-look.py [--check] BENCH=DOUBTS.csv ... : fits the weights of the second look on pairs left in doubt.

BENCH is a folder of ../shared/eval/make_neardup.py, marked + or ++ as for fit-likeness.py; DOUBTS what the example
`doubts` wrote of BENCH/images: two paths and the numbers of likeness/second_look.rs, the first of which are the log
odds of the first look. Only pairs with log odds of LEAST to MOST are fitted, which is about where they are used.
The model and what pairs weigh are those of fit-likeness.py, with HIDDEN sums for each of EPOCHS. --check writes
nothing but, for each BENCH after the word --on, how many copies and how many other pairs (and base pairs) lie above
several limits. Without it the weights go to crates/sieve-core/src/likeness/second_coefficients.rs. The
same inputs give the same weights. Needs numpy.
"""
import collections, csv, importlib.util, os, sys
import numpy as np

HERE = os.path.dirname(os.path.abspath(__file__))
spec = importlib.util.spec_from_file_location('likeness', f'{HERE}/fit-likeness.py')
likeness = importlib.util.module_from_spec(spec)
spec.loader.exec_module(likeness)
likeness.HIDDEN = 8
EPOCHS, LEAST, MOST = (10, 10, 20, 20), 1.5, 5.0
CERTAIN, SURE_AGAIN = 3.8, 2.75
OUT = f'{HERE}/../crates/sieve-core/src/likeness/second_coefficients.rs'


class Doubts:
    def __init__(self, argument):
        self.name, path = argument.rsplit('=', 1)
        siblings = self.name.startswith('+')
        others = likeness.OTHERS * (likeness.COUNTERFEIT if self.name.startswith('++') else 1)
        self.name = self.name.lstrip('+')
        info = {r['path']: (r['base_id'], r['transform']) for r in csv.DictReader(open(f'{self.name}/truth.csv'))}
        alike = set()
        for r in csv.DictReader(open(f'{self.name}/hard_negatives.csv')):
            if not siblings or float(r['ncc']) > likeness.ALIKE:
                alike |= {(r['base_a'], r['base_b']), (r['base_b'], r['base_a'])}
        numbers, self.bases, copies = [], [], []
        for line in open(path):
            a, b, *values = line.rstrip().split(',')
            (i, one), (j, other) = info[a], info[b]
            if (i, j) in alike or siblings and 'logo5' in (one, other):
                continue
            numbers.append([float(value) for value in values])
            self.bases.append((min(i, j), max(i, j)))
            copies.append('base' in (one, other))
        self.numbers, self.copies = np.array(numbers, np.float32), np.array(copies)
        self.same = np.array([i == j for i, j in self.bases])
        count = collections.Counter(b for b, same in zip(self.bases, self.same) if not same)
        self.weights = np.array([1.0 if same else others * min(1.0, likeness.MOST_OF_BASES / count[b])
                                 for b, same in zip(self.bases, self.same)])


class Model(likeness.Model):
    def __init__(self, benches):
        chosen = [(b.numbers[:, 0] >= LEAST) & (b.numbers[:, 0] < MOST) for b in benches]
        gather = lambda of: np.concatenate([of(b)[c] for b, c in zip(benches, chosen)])
        numbers = gather(lambda b: b.numbers)
        self.low, self.high = np.quantile(numbers, .001, 0), np.quantile(numbers, .999, 0)
        clamped = np.clip(numbers, self.low, self.high)
        self.mean, self.deviation = clamped.mean(0), clamped.std(0) + 1e-9
        ready, same, weights = self.ready(numbers), gather(lambda b: b.same).astype(float), gather(lambda b: b.weights)
        print(f'{len(same)} pairs, {same.mean():.3f} of them copies', flush=True)
        fits = [likeness.fit(ready, same, weights, seed, epochs) for seed, epochs in enumerate(EPOCHS)]
        join = lambda k: np.concatenate([p[k] for p in fits], -1)
        self.p = [join(0), join(1), join(2) / len(fits), join(3).mean(keepdims=True)]


def report(bench, model):
    doubtful = (bench.numbers[:, 0] >= LEAST) & (bench.numbers[:, 0] < CERTAIN)
    odds = likeness.odds(model.p, model.ready(bench.numbers))
    text = [f'{os.path.basename(bench.name):10s} {(doubtful & bench.same & bench.copies).sum()} copies, {(doubtful & ~bench.same).sum()} others']
    for limit in (1, 1.5, 2, 2.5, 3, 3.5):
        found = doubtful & (odds > limit)
        others = np.flatnonzero(found & ~bench.same)
        text.append(f'{limit}: {(found & bench.same & bench.copies).sum()} {len(others)} ({len({bench.bases[i] for i in others})})')
    print(' | '.join(text), flush=True)


def main():
    arguments = [a for a in sys.argv[1:] if a != '--check']
    cut = arguments.index('--on') if '--on' in arguments else len(arguments)
    benches = [Doubts(a) for a in arguments[:cut]]
    model = Model(benches)
    for bench in benches + [Doubts(a) for a in arguments[cut + 1:]]:
        report(bench, model)
    if '--check' in sys.argv:
        return
    with open(OUT, 'w') as f:
        f.write('// Written by scripts/fit-second-look.py, which says how.\n\n/// Log odds of a second look from which it is sure.\n'
                + f'const SURE_AGAIN: f32 = {SURE_AGAIN};\n\n/// What a second look says.\n' + model.code('SECOND_LOOK', 'Weights<SECOND, HIDDEN>'))


if __name__ == '__main__':
    main()
