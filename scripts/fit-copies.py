#!/usr/bin/env python3
"""fit-copies.py [--check] [MARKS]FOLDER=WEIGHED.csv ... : fits what tells copies from different pictures.

FOLDER is a folder of ../shared/eval/make_neardup.py, or a collection in which no picture is a copy of another (pictures
that are the same to a level are left out). WEIGHED.csv is what the example `weighed` wrote of FOLDER/images, or of the
collection. MARKS are any of
  +  drawings: copies with a mark on them (logo5, watermark) are left out, since another emblem is another drawing
  !  every two bases are different pictures; without it those that the benchmark lists as look-alikes are left out
  -  pairs of which one is mirrored are left out: drawings that look the other way are told by how many there are
Copies of another hue are left out everywhere; they are told as recoloured. All pairs of copies of the same two bases weigh
as much as MOST pairs together, and so do those of one picture of a collection; different pictures weigh OTHERS times as
much as copies.

The model is that of fit-likeness.py: each number clamped to what 99.8 % of the pairs have, SUMS of them through
x / (1 + |x|), their sum the log odds; the mean of a fit for each of EPOCHS. --check fits on one half of the bases and says
what it finds among the other half, and the reverse, and how often a score holds that is said. Without it the weights go to
crates/sieve-core/src/likeness/copy_model_coefficients.rs, and with them the odds of a copy among all pairs that were fitted:
duplicates/odds.rs exchanges them for those of the collection at hand. The same input gives the same weights. Needs numpy
and Pillow.
"""
import collections, csv, importlib.util, os, sys, zlib
import numpy as np
from PIL import Image

HERE = os.path.dirname(os.path.abspath(__file__))
spec = importlib.util.spec_from_file_location('likeness', f'{HERE}/fit-likeness.py')
likeness = importlib.util.module_from_spec(spec)
spec.loader.exec_module(likeness)
likeness.HIDDEN = 12
EPOCHS, MOST, OTHERS, NUMBERS, TURNED = (20, 20, 20, 20), 10, 3.0, 35, 1
MARKED, HUES = {'logo5', 'watermark'}, {'hue30', 'hue90'}
OUT = f'{HERE}/../crates/sieve-core/src/likeness/copy_model_coefficients.rs'


def of_two(text, known):
    """The two paths of a row; either may hold commas."""
    parts = text.split(',')
    for cut in range(1, len(parts)):
        both = ','.join(parts[:cut]), ','.join(parts[cut:])
        if both[0] in known and both[1] in known:
            return both
    sys.exit(f'{text}: no two pictures that are known')


class Pairs:
    def __init__(self, argument):
        folder, path = argument.rsplit('=', 1)
        marks = {mark for mark in '+!-' if mark in folder[:len(folder) - len(folder.lstrip('+!-'))]}
        self.name = folder.lstrip('+!-')
        rows = [line.rstrip('\n').rsplit(',', NUMBERS) for line in open(path)]
        chosen = self.of_bench if os.path.exists(f'{self.name}/truth.csv') else self.of_collection
        kept, same, bases, weights, base_pairs = [], [], [], [], []
        for number, is_same, base, is_base in chosen(rows, marks):
            if '-' in marks and float(rows[number][1 + TURNED]):
                continue
            kept.append(number), same.append(is_same), bases.append(base), base_pairs.append(is_base)
        self.numbers = np.array([rows[number][1:] for number in kept], np.float32).reshape(-1, NUMBERS)
        self.same, self.copies = np.array(same, bool), np.array(base_pairs, bool)
        self.half = np.array([likeness.half(a) if likeness.half(a) == likeness.half(b) else -1 for a, b in bases])
        self.bases = bases
        counts = collections.Counter(base for base, y in zip(bases, same) if not y)
        if chosen == self.of_collection:
            degree = collections.Counter(picture for base in bases for picture in base)
            counts = {base: max(degree[base[0]], degree[base[1]]) for base in bases}
        self.weights = np.array([1.0 if y else OTHERS * min(1.0, MOST / counts[base]) for base, y in zip(bases, same)])

    def of_bench(self, rows, marks):
        info = {r['path']: (r['base_id'], r['transform']) for r in csv.DictReader(open(f'{self.name}/truth.csv'))}
        alike = set()
        if '!' not in marks:
            for r in csv.DictReader(open(f'{self.name}/hard_negatives.csv')):
                alike |= {(r['base_a'], r['base_b']), (r['base_b'], r['base_a'])}
        for number, row in enumerate(rows):
            a, b = of_two(row[0], info)
            (i, one), (j, other) = info[a], info[b]
            left_out = i == j and {one, other} & (HUES | (MARKED if '+' in marks else set()))
            if not left_out and (i, j) not in alike:
                yield number, i == j, (min(i, j), max(i, j)), 'base' in (one, other)

    def of_collection(self, rows, marks):
        root, pixels = self.name, {}
        files = {os.path.relpath(os.path.join(d, f), root) for d, _, names in os.walk(root) for f in names}

        def of(path):
            if path not in pixels:
                picture = Image.open(os.path.join(root, path)).convert('RGBA')
                ground = Image.new('RGBA', picture.size, 'white')
                ground.alpha_composite(picture)
                pixels[path] = np.asarray(ground.convert('RGB').resize((64, 64))).astype(np.int16)
            return pixels[path]
        for number, row in enumerate(rows):
            a, b = of_two(row[0], files)
            if np.abs(of(a) - of(b)).max() > 3:
                yield number, False, (a, b), True


class Model(likeness.Model):
    def __init__(self, sets, chosen):
        gather = lambda of: np.concatenate([of(s)[c] for s, c in zip(sets, chosen)])
        numbers = gather(lambda s: s.numbers)
        self.low, self.high = np.quantile(numbers, .001, 0), np.quantile(numbers, .999, 0)
        clamped = np.clip(numbers, self.low, self.high)
        self.mean, self.deviation = clamped.mean(0), clamped.std(0) + 1e-9
        same, weights = gather(lambda s: s.same).astype(float), gather(lambda s: s.weights)
        self.prior = np.log(weights[same > 0].sum() / weights[same == 0].sum())
        fits = [likeness.fit(self.ready(numbers), same, weights, seed, epochs) for seed, epochs in enumerate(EPOCHS)]
        join = lambda k: np.concatenate([p[k] for p in fits], -1)
        self.p = [join(0), join(1), join(2) / len(fits), join(3).mean(keepdims=True)]

    def says(self, pairs):
        return likeness.odds(self.p, self.ready(pairs.numbers))


def report(pairs, odds, chosen):
    same, copies = pairs.same & chosen, pairs.same & pairs.copies & chosen
    text = []
    for limit in (1, 2, 3, 4, 5):
        wrong = {base for base, y in zip(pairs.bases, chosen & ~pairs.same & (odds > limit)) if y}
        text.append(f'{limit}: {(odds[copies] > limit).mean() if copies.any() else 0:.4f} {(chosen & ~pairs.same & (odds > limit)).sum()} ({len(wrong)})')
    print(f'{os.path.basename(pairs.name):12s} {copies.sum()} copies, {(chosen & ~pairs.same).sum()} others | ' + ' | '.join(text), flush=True)


def main():
    sets = [Pairs(a) for a in sys.argv[1:] if a != '--check']
    print('log odds: share of copies found, other pairs (of how many two bases)')
    if '--check' in sys.argv:
        odds = [np.zeros(len(s.same)) for s in sets]
        for which in (0, 1):
            model = Model(sets, [s.half == which for s in sets])
            for s, o in zip(sets, odds):
                o[s.half == 1 - which] = model.says(s)[s.half == 1 - which]
        for s, o in zip(sets, odds):
            report(s, o, s.half >= 0)
        score, same, weight = (np.concatenate([v[s.half >= 0] for v, s in zip(lists, sets)]) for lists in
                               ([1 / (1 + np.exp(-o)) for o in odds], [s.same for s in sets], [s.weights for s in sets]))
        for low, high in ((0, .1), (.1, .5), (.5, .8), (.8, .95), (.95, .99), (.99, .999), (.999, 1.01)):
            here = (score >= low) & (score < high)
            print(f'score {low} to {min(high, 1)}: {here.sum()} pairs, {np.average(same[here], weights=weight[here]):.4f} copies')
        return
    model = Model(sets, [np.ones(len(s.same), bool) for s in sets])
    for s in sets:
        report(s, model.says(s), np.ones(len(s.same), bool))
    with open(OUT, 'w') as f:
        f.write('// Written by scripts/fit-copies.py, which says how.\n\n/// Log odds of a copy among the pairs that were fitted.\n'
                + f'pub const FITTED: f32 = {model.prior:.3f};\n\n/// What all numbers say.\n'
                + model.code('COPIES', 'Weights<WEIGHED, HIDDEN>'))


if __name__ == '__main__':
    main()
