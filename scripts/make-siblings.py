#!/usr/bin/env python3
"""make-siblings.py SRC OUT: pictures that are easily taken for each other, for fitting the verdict.

From the drawings of SRC, a folder per class, OUT/siblings gets 150 of them and two counterfeits of each, in which one
part is turned, mirrored, wiped out or exchanged: faces with another mouth, clocks at another hour. OUT/sparse gets
150 others, small on wide plain ground, some among dots. ../shared/eval/make_neardup.py makes copies of both; no
two of the pictures are the same. The same SRC gives the same OUT. Needs Pillow and numpy.
"""
import os, sys, zlib
import numpy as np
from PIL import Image, ImageDraw

EACH, SIDE = 150, 256
GROUNDS = ((0, 0, 0), (255, 255, 255), (10, 10, 12), (4, 6, 24))


def flat(path):
    drawing = Image.open(path).convert('RGBA')
    drawing.thumbnail((SIDE, SIDE))
    return drawing


def on(ground, drawing):
    return Image.alpha_composite(Image.new('RGBA', drawing.size, ground + (255,)), drawing).convert('RGB')


def coarse(picture):
    return np.asarray(picture.convert('L').resize((8, 8), Image.BOX), np.float32)


def counterfeit(picture, other, draws):
    """`picture` with one disc of it changed so that an eighth by an eighth of it is seen to differ; or None."""
    pixels = np.asarray(picture)
    height, width = pixels.shape[:2]
    lines = np.abs(np.diff(pixels.astype(int).sum(2), axis=1))
    places = np.argwhere(lines > 60)
    if len(places) < 20:
        return None
    for _ in range(20):
        y, x = places[draws.integers(len(places))]
        r = int(draws.uniform(.08, .2) * min(width, height))
        if 2 * r + 2 > min(width, height):
            return None
        y, x = np.clip(y, r, height - r), np.clip(x, r, width - r)
        box = (x - r, y - r, x + r, y + r)
        patch, way = picture.crop(box), draws.integers(5)
        if way == 0:
            patch = patch.rotate(float(draws.uniform(30, 330)), Image.BICUBIC)
        elif way == 1:
            patch = patch.transpose(Image.FLIP_LEFT_RIGHT if draws.random() < .5 else Image.FLIP_TOP_BOTTOM)
        elif way == 2:
            edge = np.concatenate([np.asarray(patch)[0], np.asarray(patch)[-1]])
            patch = Image.new('RGB', patch.size, tuple(int(v) for v in np.median(edge, 0)))
        elif way == 3:
            v, u = places[draws.integers(len(places))]
            v, u = np.clip(v, r, height - r), np.clip(u, r, width - r)
            patch = picture.crop((u - r, v - r, u + r, v + r))
        else:
            patch = other.resize(picture.size).crop(box)
        mask = Image.new('L', patch.size, 0)
        ImageDraw.Draw(mask).ellipse((0, 0, 2 * r - 1, 2 * r - 1), fill=255)
        changed = picture.copy()
        changed.paste(patch, box[:2], mask)
        if 12 < np.abs(coarse(changed) - coarse(picture)).max():
            return changed
    return None


def sparse(drawing, draws):
    ground = GROUNDS[draws.integers(len(GROUNDS))]
    canvas = Image.new('RGB', (512, int(draws.choice((384, 512)))), ground)
    pen = ImageDraw.Draw(canvas)
    for _ in range(int(draws.choice((0, 0, 20, 80)))):
        x, y, r = draws.uniform(0, 512), draws.uniform(0, 512), draws.uniform(.5, 3)
        pen.ellipse((x - r, y - r, x + r, y + r), fill=tuple(int(v) for v in draws.integers(90, 230, 3)))
    side = int(draws.uniform(.08, .4) * 512)
    drawing = drawing.copy()
    drawing.thumbnail((side, side))
    place = [int(draws.normal(.5, .04) * a - b / 2) for a, b in zip(canvas.size, drawing.size)]
    canvas.paste(drawing, place, drawing)
    return canvas


def main():
    source, out = sys.argv[1:]
    paths = sorted(os.path.join(d, f) for d, _, files in os.walk(source) for f in files if f.endswith('.png'))
    paths.sort(key=lambda p: zlib.crc32(os.path.relpath(p, source).encode()))
    draws = np.random.default_rng(1)
    [os.makedirs(f'{out}/{kind}/a', exist_ok=True) for kind in ('siblings', 'sparse')]
    for number, path in enumerate(paths[:EACH]):
        picture = on((255, 255, 255), flat(path))
        picture.save(f'{out}/siblings/a/{number:03}.png')
        for which in 'xy':
            other = on((255, 255, 255), flat(paths[draws.integers(len(paths))]))
            changed = counterfeit(picture, other, draws)
            if changed:
                changed.save(f'{out}/siblings/a/{number:03}{which}.png')
    for number, path in enumerate(paths[EACH:2 * EACH]):
        sparse(flat(path), draws).save(f'{out}/sparse/a/{number:03}.png')


if __name__ == '__main__':
    main()
