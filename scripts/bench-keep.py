#!/usr/bin/env python3
"""Says which copy of each group `duplicates` keeps, on benchmarks of make_neardup.py.

    scripts/bench-keep.py PROGRAM BENCH ...

For each BENCH: groups of copies, how many hold the untouched base, and in how many of these the base, or a file with its
very pixels (transforms `copy` and `meta`), is the first to keep; how often every other transform is; and images with two
verdicts, of which there must be none.
"""
import collections
import csv
import json
import subprocess
import sys
from pathlib import Path

NO_COPIES = {"burst", "variant", "recoloured", "look-alike"}
SAME = {"base", "copy", "meta"}

program, *benches = sys.argv[1:]
for bench in map(Path, benches):
    truth = {}
    with open(bench / "truth.csv") as rows:
        for row in csv.DictReader(rows):
            truth[row["path"].removeprefix("images/")] = (row["base_id"], row["transform"])
    answer = subprocess.run(
        [program, "duplicates", bench / "images", "--format", "json", "--reach", "wide"],
        capture_output=True, text=True, check=True,
    )
    groups = [group for group in json.loads(answer.stdout)["groups"] if group["kind"] not in NO_COPIES]
    verdicts = collections.defaultdict(set)
    for image in (image for group in groups for image in group["images"]):
        verdicts[image["path"]].add(image["keep"])
    transform = lambda image: truth[image["path"]][1]
    with_base = [group for group in groups if any(transform(image) == "base" for image in group["images"])]
    first = collections.Counter(transform(group["images"][0]) for group in with_base)
    kept = sum(count for name, count in first.items() if name in SAME)
    drops = sum(verdict == {False} for verdict in verdicts.values())
    print(f"{bench.name}: {len(groups)} groups, {drops} images to drop; {len(with_base)} groups hold their base, "
          f"which is kept in {kept} ({100 * kept / max(len(with_base), 1):.0f} %)")
    print(f"  kept first: {', '.join(f'{name} {count}' for name, count in first.most_common(10))}")
    print(f"  images with two verdicts: {sum(len(one) > 1 for one in verdicts.values())}")
