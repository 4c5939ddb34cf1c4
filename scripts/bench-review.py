#!/usr/bin/env python3
"""bench-review.py PROGRAM ROOM COLLECTION [SEEDS]: how well doubtful labels are found without a model.

Builds, in ROOM and by links, copies of the folder-per-class COLLECTION in which 3% of the images were moved to another
class, has `trial --out-of-fold` predict all images, and `review` rank them. Prints for each seed the area under the ROC
curve of the margins, the share of the top 3% that is wrong, and between which numbers of wrong labels the estimate lies;
then the same estimate for the collection as it is. Classes with fewer than 8 images are left out. Standard library only.
"""
import csv, importlib.util, io, json, os, subprocess, sys, time

here = os.path.dirname(os.path.abspath(__file__))
spec = importlib.util.spec_from_file_location('bench_outliers', os.path.join(here, 'bench-outliers.py'))
outliers = importlib.util.module_from_spec(spec)
spec.loader.exec_module(outliers)


def reviewed(program, folder):
    table = folder + '.predictions.csv'
    if os.path.exists(table):
        os.remove(table)
    start = time.time()
    subprocess.run([program, 'trial', folder, '--out-of-fold', table, '--follow-links'], check=True, stdout=subprocess.DEVNULL)
    seconds = time.time() - start
    call = [program, 'review', table, '--in', folder, '--follow-links', '--format']
    rows = subprocess.run(call + ['csv'], check=True, capture_output=True, text=True).stdout
    answer = json.loads(subprocess.run(call + ['json'], check=True, capture_output=True, text=True).stdout)
    rows = list(csv.DictReader(io.StringIO(rows)))
    rows.sort(key=lambda row: -float(row['margin']))
    accuracy = answer['scores']['accuracy']['share']
    return [row['path'] for row in rows], answer['doubtful']['wrong_labels'] or [0, len(rows)], accuracy, seconds


def main():
    program, room, collection = sys.argv[1:4]
    seeds = int(sys.argv[4]) if len(sys.argv) > 4 else 1
    os.makedirs(room, exist_ok=True)
    classes = outliers.classes_of(collection)
    for seed in range(seeds):
        folder, bad = outliers.planted(room, classes, [], 'swapped', seed, None)
        order, (low, high), accuracy, seconds = reviewed(program, folder)
        flags = [path in bad for path in order]
        top = flags[:max(1, round(0.03 * len(flags)))]
        print(f'seed {seed}: {len(order)} images, accuracy {accuracy:.3f}, area {outliers.area(flags):.3f}, '
              f'top 3% wrong {sum(top) / len(top):.2f}, planted {len(bad)}, estimated {low} to {high}, {seconds:.0f} s',
              flush=True)

    folder, _ = outliers.planted(room, classes, [], 'clean', 0, None)
    order, (low, high), accuracy, seconds = reviewed(program, folder)
    print(f'as it is: {len(order)} images, accuracy {accuracy:.3f}, estimated {low} to {high}, {seconds:.0f} s')


main()
