#!/usr/bin/env python3
"""bench-planted.py PROGRAM COLLECTION ROOM [--most 2000] [--planted 60] [--seed 1]: one altered copy in a large collection.

COLLECTION is a folder per class of images that nobody copied on purpose. Of its images --most are drawn by the seed and
laid out as train and test, one half each. Of --planted of those in train one altered copy each is put into test, under a
name of its own; each of twelve alterations is used equally often. ROOM receives the folders. `duplicates --reach wide`
searches them once without the planted copies and once with them. Printed: for each alteration how many copies are
reported as copies (score of .95 and more), how many as possible ones (.3 and more); the copies that are reported between
other images, and those of them that the first search did not report; and the pairs of the first search whose kind or
score differs in the second. Needs Pillow. Times are CPU seconds without a catalog.
"""
import argparse, collections, csv, glob, os, random, shutil, subprocess
from PIL import Image, ImageEnhance, ImageOps

Image.MAX_IMAGE_PIXELS = None
COPIES = {'same-bytes', 'same-pixels', 'near', 'rotated', 'bordered', 'cropped', 'marked'}


def flat(path):
    image = ImageOps.exif_transpose(Image.open(path)).convert('RGBA')
    ground = Image.new('RGBA', image.size, 'white')
    ground.alpha_composite(image)
    return ground.convert('RGB')


def resized(image, share, kernel):
    return image.resize([max(1, round(side * share)) for side in image.size], kernel)


def cropped(image, chance):
    width, height = [round(side * .9) for side in image.size]
    left, top = chance.randint(0, image.width - width), chance.randint(0, image.height - height)
    return image.crop((left, top, left + width, top + height))


# What is done to an image, and the quality of the JPEG that it is then saved as; none for PNG.
ALTERED = {
    'saved-75': (lambda image, chance: image, 75),
    'saved-50': (lambda image, chance: image, 50),
    'half-lanczos': (lambda image, chance: resized(image, .5, Image.LANCZOS), None),
    'half-saved': (lambda image, chance: resized(image, .5, Image.BICUBIC), 85),
    'larger-bilinear': (lambda image, chance: resized(image, 1.3, Image.BILINEAR), None),
    'brighter': (lambda image, chance: ImageEnhance.Brightness(image).enhance(1.2), None),
    'darker-saved': (lambda image, chance: ImageEnhance.Brightness(image).enhance(.8), 85),
    'mirrored': (lambda image, chance: ImageOps.mirror(image), 85),
    'quarter-turn': (lambda image, chance: image.transpose(Image.ROTATE_90), None),
    'cropped': (cropped, None),
    'cropped-saved': (cropped, 85),
    'bordered': (lambda image, chance: ImageOps.expand(image, max(2, max(image.size) // 16), 'black'), 85),
}


def search(program, folder, pairs):
    if os.path.exists(pairs):
        os.remove(pairs)
    before = os.times()
    subprocess.run([program, 'duplicates', folder, '--reach', 'wide', '--no-catalog', '--pairs', pairs],
                   check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    after = os.times()
    spent = after.children_user + after.children_system - before.children_user - before.children_system
    rows = list(csv.DictReader(open(pairs)))
    return {frozenset((row['path_a'], row['path_b'])): (row['kind'], float(row['score'])) for row in rows}, spent


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawTextHelpFormatter)
    parser.add_argument('program')
    parser.add_argument('collection')
    parser.add_argument('room')
    parser.add_argument('--most', type=int, default=2000)
    parser.add_argument('--planted', type=int, default=60)
    parser.add_argument('--seed', default='1')
    asked = parser.parse_args()
    chance = random.Random(asked.seed)
    files = sorted(path for path in glob.glob(os.path.join(asked.collection, '**', '*.*'), recursive=True)
                   if os.path.isfile(path))
    files = chance.sample(files, min(asked.most, len(files)))
    folder = os.path.join(asked.room, 'images')
    shutil.rmtree(folder, ignore_errors=True)
    placed = []
    for number, path in enumerate(files):
        name, ending = os.path.basename(os.path.dirname(path)), os.path.splitext(path)[1]
        place = f'{"test" if number % 2 else "train"}/{name}/{number:05d}x{ending}'
        os.makedirs(os.path.dirname(os.path.join(folder, place)), exist_ok=True)
        shutil.copyfile(path, os.path.join(folder, place))
        placed.append((place, path))
    before, _ = search(asked.program, folder, os.path.join(asked.room, 'before.csv'))
    planted, alterations = {}, list(ALTERED)
    sources = [one for one in placed if one[0].startswith('train/')]
    chance.shuffle(sources)
    for place, path in sources:
        if len(planted) == asked.planted:
            break
        try:
            image = flat(path)
        except OSError:
            continue
        if min(image.size) < 48:
            continue
        alteration = alterations[len(planted) % len(alterations)]
        work, quality = ALTERED[alteration]
        copy = f'test/{place.split("/")[1]}/planted-{len(planted):03d}x.{"jpg" if quality else "png"}'
        os.makedirs(os.path.dirname(os.path.join(folder, copy)), exist_ok=True)
        work(image, chance).save(os.path.join(folder, copy), **({'quality': quality} if quality else {}))
        planted[copy] = (place, alteration)
    after, spent = search(asked.program, folder, os.path.join(asked.room, 'after.csv'))
    sure, possible, asked_of = collections.Counter(), collections.Counter(), collections.Counter()
    for copy, (place, alteration) in planted.items():
        kind, score = after.get(frozenset((copy, place)), ('none', 0))
        asked_of[alteration] += 1
        sure[alteration] += kind in COPIES
        possible[alteration] += kind in COPIES or kind not in ('none', 'burst') and score >= .3
    own = {pair: known for pair, known in after.items() if not any(path in planted for path in pair)}
    copies = {pair for pair, (kind, _) in own.items() if kind in COPIES}
    new = copies - {pair for pair, (kind, _) in before.items() if kind in COPIES}
    differ = [pair for pair in set(before) | set(own) if before.get(pair) != own.get(pair)]
    print(f'{asked.collection}: {len(files)} images, {len(planted)} planted, {spent:.1f} CPU s')
    for alteration in alterations:
        print(f'    {alteration:16s} {sure[alteration]:2d} found, {possible[alteration]:2d} possible, of {asked_of[alteration]}')
    print(f'    {"all":16s} {sum(sure.values()):2d} found, {sum(possible.values()):2d} possible, of {len(planted)}; '
          f'{len(copies)} other copies, {len(new)} of them new, {len(differ)} of {len(before)} other pairs changed', flush=True)


if __name__ == '__main__':
    main()
