#!/usr/bin/env python3
"""grain-likeness.py BENCH=EVIDENCE.csv ... : what the rule of grain in likeness/verdict.rs finds.

BENCH is a folder of ../shared/eval/make_neardup.py, EVIDENCE.csv what the example `evidence` wrote of BENCH/images.
For several limits on the plain ground and the correlation of grain: the pairs of a base and a copy of it, all pairs
of copies of one base, and pairs of different bases (those that the benchmark lists as look-alikes left out) for which
the rule holds. Each pair counts once. Standard library only."""
import csv, math, sys

NUMBERS = 27
FITTING, QUARTER = 4, 24
SHARE, LEAST_QUARTER, LEAST_FITTING = 0.05, 0.8, 0.8

for argument in sys.argv[1:]:
    bench, evidence = argument.rsplit('=', 1)
    info = {r['path']: (r['base_id'], r['transform']) for r in csv.DictReader(open(f'{bench}/truth.csv'))}
    alike = set()
    for r in csv.DictReader(open(f'{bench}/hard_negatives.csv')):
        alike |= {(r['base_a'], r['base_b']), (r['base_b'], r['base_a'])}
    holds = {}
    for line in open(evidence):
        a, b, departures, *values = line.rstrip().split(',')
        close = [float(value) for value in values[NUMBERS:]]
        share, grain, plain = close[NUMBERS:]
        enough = share >= SHARE and close[FITTING] >= LEAST_FITTING
        if enough and int(departures) <= 1 and 1 - math.exp(close[QUARTER]) >= LEAST_QUARTER:
            holds.setdefault((min(a, b), max(a, b)), []).append((grain, plain))
    for most in (0.2, 0.3, 1.01):
        for least in (0.85, 0.9, 0.95):
            copies = same = others = 0
            for (a, b), looks in holds.items():
                if any(grain >= least and plain < most for grain, plain in looks):
                    (i, one), (j, other) = info[a], info[b]
                    same += i == j
                    copies += i == j and 'base' in (one, other)
                    others += i != j and (i, j) not in alike
            print(f'{bench}: plain below {most}, grain from {least}: {copies} copies of bases, {same} of one base, {others} others')
