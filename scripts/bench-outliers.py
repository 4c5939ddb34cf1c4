#!/usr/bin/env python3
"""bench-outliers.py PROGRAM ROOM COLLECTION STRAYS [SEEDS [VECTORS.csv]]: how well `outliers` ranks planted errors.

Builds, in ROOM and by links, copies of the folder-per-class COLLECTION in which 3% of the images were moved to another
class, or to which 3% strays from the folder STRAYS were added, and ranks them with `outliers`. Prints for each kind of
error the area under the ROC curve, the share of errors in the top 6% of the list, and the share of all errors in its top
fifth, as means over SEEDS (3 by default). VECTORS.csv, as scripts/make-vectors.py writes it, has the vectors of all
images by their absolute paths; images without one are left out. Classes with fewer than 8 images are left out. Standard library only.
"""
import csv, io, os, random, shutil, subprocess, sys

IMAGES = ('.png', '.jpg', '.jpeg', '.webp', '.gif', '.bmp', '.tif', '.tiff', '.ppm', '.pgm')


def images_below(folder):
    found = []
    for place, _, files in os.walk(folder):
        found += [os.path.join(place, file) for file in files if file.lower().endswith(IMAGES)]
    return sorted(found)


def classes_of(collection):
    names = sorted(name for name in os.listdir(collection) if os.path.isdir(os.path.join(collection, name)))
    classes = {name: images_below(os.path.join(collection, name)) for name in names}
    return {name: files for name, files in classes.items() if len(files) >= 8}


def planted(room, classes, strays, kind, seed, vectors):
    """Writes the collection, and its vectors beside it; returns its folder and the names of the wrong images."""
    rng = random.Random(f'{kind}-{seed}')
    folder = os.path.join(room, f'{kind}-{seed}')
    shutil.rmtree(folder, ignore_errors=True)
    rows = [(name, file) for name, files in classes.items() for file in files]
    count, wrong, names = max(1, round(0.03 * len(rows))), set(), list(classes)
    if kind == 'swapped':
        for at in rng.sample(range(len(rows)), count):
            other = rng.choice([name for name in names if name != rows[at][0]])
            rows[at] = (other, rows[at][1])
            wrong.add(at)
    else:
        for file in rng.sample(strays, min(count, len(strays))):
            wrong.add(len(rows))
            rows.append((rng.choice(names), file))
    bad, lines = set(), []
    for at, (name, file) in enumerate(rows):
        into = os.path.join(folder, name)
        os.makedirs(into, exist_ok=True)
        # A name that says nothing.
        own = f'{rng.getrandbits(48):012x}{os.path.splitext(file)[1].lower()}'
        os.symlink(os.path.abspath(file), os.path.join(into, own))
        if at in wrong:
            bad.add(f'{name}/{own}')
        if vectors:
            lines.append([f'{name}/{own}', *vectors[os.path.abspath(file)]])
    with open(folder + '.csv', 'w', newline='') as table:
        csv.writer(table).writerows(lines)
    return folder, bad


def area(flags):
    """Area under the ROC curve of a list, most suspicious first."""
    wrong, right, pairs = 0, 0, 0
    for flag in reversed(flags):
        if flag:
            pairs += right
            wrong += 1
        else:
            right += 1
    return pairs / (wrong * right) if wrong and right else float('nan')


def main():
    if len(sys.argv) not in (5, 6, 7):
        sys.exit(__doc__)
    program, room, collection, strays = sys.argv[1:5]
    seeds = int(sys.argv[5]) if len(sys.argv) > 5 else 3
    classes, strays = classes_of(collection), images_below(strays)
    vectors = {}
    if len(sys.argv) == 7:
        vectors = {row[0]: row[1:] for row in csv.reader(open(sys.argv[6]))}
        strays = [file for file in strays if os.path.abspath(file) in vectors]
    total = sum(map(len, classes.values()))
    print(f'{collection}: {total} images in {len(classes)} classes')
    for kind in ('stray', 'swapped'):
        sums = [0.0, 0.0, 0.0]
        for seed in range(seeds):
            folder, bad = planted(room, classes, strays, kind, seed, vectors)
            call = [program, 'outliers', folder, '--top', str(total * 2), '--format', 'csv', '--no-catalog', '--follow-links']
            call += ['--vectors', folder + '.csv'] if vectors else []
            answer = subprocess.run(call, check=True, capture_output=True, text=True).stdout
            flags = [row['path'] in bad for row in csv.DictReader(io.StringIO(answer))]
            top, fifth = flags[:max(1, round(0.06 * len(flags)))], flags[:len(flags) // 5]
            ranked = max(1, sum(flags))
            for at, value in enumerate((area(flags), sum(top) / len(top), sum(fifth) / ranked)):
                sums[at] += value / seeds
            shutil.rmtree(folder)
        print(f'  {kind:8} area {sums[0]:.3f}  errors in the top 6% {sums[1]:.2f}  errors found in the top fifth {sums[2]:.2f}')


if __name__ == '__main__':
    main()
