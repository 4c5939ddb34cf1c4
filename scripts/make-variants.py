#!/usr/bin/env python3
"""make-variants.py DRAWINGS PICTURES OUT: different pictures that are easily taken for copies, for fitting.

From the drawings of DRAWINGS and the pictures of PICTURES, a folder per class each, OUT gets one folder for each way in
which they are alike; no two files are copies:
  recoloured  a drawing, and twice the same with one or two of its colours exchanged
  emblems     a drawing with another small sign on it each time, or none
  parts       a drawing of which one part was turned, mirrored, wiped out or exchanged
  stamped     one and the same mark on different drawings and pictures
  pages       pages of one layout with other words
  pieces      what lies beside each other on one picture, cut apart
The same input gives the same OUT. Needs Pillow and numpy.
"""
import importlib.util, os, sys, zlib
import numpy as np
from PIL import Image, ImageDraw, ImageFont

EACH, SIDE = 110, 320
HERE = os.path.dirname(os.path.abspath(__file__))
spec = importlib.util.spec_from_file_location('siblings', f'{HERE}/make-siblings.py')
siblings = importlib.util.module_from_spec(spec)
spec.loader.exec_module(siblings)
Image.MAX_IMAGE_PIXELS = None


def listed(folder):
    paths = sorted(os.path.join(d, f) for d, _, files in os.walk(folder) for f in files)
    paths = [p for p in paths if p.lower().endswith(('.png', '.jpg', '.jpeg', '.webp'))]
    return sorted(paths, key=lambda p: zlib.crc32(os.path.relpath(p, folder).encode()))


def opened(path, side=SIDE):
    picture = Image.open(path).convert('RGBA')
    picture.thumbnail((side, side))
    return siblings.on((255, 255, 255), picture)


def recoloured(picture, draws):
    """`picture` with one or two of its colours exchanged, shades and lines kept; or None."""
    few = picture.quantize(6, dither=Image.Dither.NONE)
    places, palette = np.asarray(few), np.array(few.getpalette()[:18]).reshape(-1, 3)
    shares = np.bincount(places.ravel(), minlength=6) / places.size
    able = [k for k in range(len(palette)) if .03 < shares[k] < .7 and palette[k].min() < 235]
    if not able:
        return None
    pixels = np.asarray(picture).astype(int)
    for k in draws.permutation(able)[:draws.integers(1, 3)]:
        move = draws.integers(-150, 151, 3)
        if draws.random() < .3:
            move = np.full(3, draws.choice((-1, 1)) * draws.integers(40, 110))
        pixels[places == k] += move
    pixels = np.clip(pixels, 0, 255).astype(np.uint8)
    apart = np.abs(pixels.astype(int) - np.asarray(picture)).mean(2)
    return Image.fromarray(pixels) if (apart > 25).mean() > .02 else None


def emblem(picture, draws):
    """`picture` with a small sign where it is drawn."""
    picture = picture.copy()
    ink = np.argwhere(np.asarray(picture).min(2) < 240)
    if len(ink) < 50:
        return None
    y, x = ink[draws.integers(len(ink))]
    r = max(3, int(draws.uniform(.03, .09) * min(picture.size)))
    pen, colour = ImageDraw.Draw(picture), tuple(int(v) for v in draws.integers(0, 256, 3))
    box, way = (int(x - r), int(y - r), int(x + r), int(y + r)), draws.integers(6)
    if way == 0:
        pen.ellipse(box, fill=colour)
    elif way == 1:
        pen.rectangle(box, fill=colour)
    elif way == 2:
        pen.ellipse(box, outline=colour, width=max(2, r // 3))
    elif way == 3:
        pen.line(box, fill=colour, width=max(2, r // 3))
    elif way == 4:
        pen.polygon([(box[0], box[3]), (box[2], box[3]), (int(x), box[1])], fill=colour)
    else:
        pen.text((int(x), int(y)), chr(65 + draws.integers(26)), fill=colour, font=ImageFont.load_default(2 * r + 6), anchor='mm')
    return picture


def stamp(picture, corner, side=.24):
    picture, (w, h) = picture.copy(), picture.size
    n = round(side * (w * h) ** .5)
    n = min(n, w, h)
    x, y = (w - n if corner & 1 else 0), (h - n if corner & 2 else 0)
    pen = ImageDraw.Draw(picture)
    pen.rectangle((x, y, x + n - 1, y + n - 1), fill=(245, 244, 238))
    pen.ellipse((x + n // 6, y + n // 6, x + n - n // 6, y + n - n // 6), fill=(30, 90, 70))
    pen.line((x + n // 2, y + n // 8, x + n // 2, y + n - n // 8), fill=(250, 250, 250), width=max(1, n // 12))
    return picture


def page(draws):
    canvas = Image.new('RGB', (480, 640), (252, 251, 246))
    pen = ImageDraw.Draw(canvas)
    pen.text((40, 30), 'Drying shed, record of trays', fill=(20, 20, 30), font=ImageFont.load_default(24))
    pen.line((40, 66, 440, 66), fill=(20, 20, 30), width=2)
    for row in range(24):
        word = lambda: ''.join(chr(97 + c) for c in draws.integers(0, 26, draws.integers(2, 9)))
        pen.text((40, 84 + 22 * row), ' '.join(word() for _ in range(6)), fill=(40, 40, 44), font=ImageFont.load_default(14))
    return canvas


def main():
    drawings, pictures, out = sys.argv[1:]
    drawn, taken = listed(drawings), listed(pictures)
    draws = np.random.default_rng(6)

    def put(kind, name, picture):
        os.makedirs(f'{out}/{kind}/a', exist_ok=True)
        picture.save(f'{out}/{kind}/a/{name}.png')
    kinds = (('recoloured', lambda p, o: recoloured(p, draws)), ('emblems', lambda p, o: emblem(p, draws)),
             ('parts', lambda p, o: siblings.counterfeit(p, o, draws)))
    for place, (kind, change) in enumerate(kinds):
        for number, path in enumerate(drawn[place * EACH:(place + 1) * EACH]):
            picture = opened(path)
            put(kind, f'{number:03}', picture)
            for which in 'xy':
                changed = change(picture, opened(drawn[draws.integers(len(drawn))]))
                if changed:
                    put(kind, f'{number:03}{which}', changed)
    for number, path in enumerate(drawn[3 * EACH:4 * EACH] + taken[:EACH]):
        put('stamped', f'{number:03}', stamp(opened(path), 3))
    for number in range(60):
        put('pages', f'{number:03}', page(draws))
    for number, path in enumerate(taken[EACH:EACH + 30]):
        picture = opened(path, 1200)
        w, h = picture.width // 3, picture.height // 3
        if min(w, h) >= 64:
            for at in range(9):
                x, y = at % 3 * w, at // 3 * h
                put('pieces', f'{number:03}-{at}', picture.crop((x, y, x + w, y + h)))


if __name__ == '__main__':
    main()
