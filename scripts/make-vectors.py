#!/usr/bin/env python3
"""make-vectors.py TRAIN OUT.csv FOLDER [FOLDER ...]: vectors of images from a small network, to try --vectors with.

Trains a network of one hidden layer on the folder-per-class collection TRAIN (grey, 20 x 20 pixels), and writes for every
image below each FOLDER a line with its absolute path and the 64 values of the hidden layer. Needs numpy and Pillow.
"""
import csv, os, sys

import numpy as np
from PIL import Image

SIDE, HIDDEN, ROUNDS, BATCH, RATE = 20, 64, 60, 64, 0.05


def read(file):
    with Image.open(file) as image:
        return np.asarray(image.convert('L').resize((SIDE, SIDE)), np.float32).ravel() / 255 - 0.5


def files_below(folder):
    found = [os.path.join(place, file) for place, _, files in os.walk(folder) for file in files]
    return sorted(file for file in found if file.lower().endswith(('.png', '.jpg', '.jpeg')))


def main():
    if len(sys.argv) < 4:
        sys.exit(__doc__)
    train, out, folders = sys.argv[1], sys.argv[2], sys.argv[3:]
    rng = np.random.default_rng(0)
    files = files_below(train)
    classes = sorted({os.path.basename(os.path.dirname(file)) for file in files})
    x = np.stack([read(file) for file in files])
    y = np.array([classes.index(os.path.basename(os.path.dirname(file))) for file in files])
    a = rng.normal(0, 1 / np.sqrt(x.shape[1]), (x.shape[1], HIDDEN)).astype(np.float32)
    b = rng.normal(0, 1 / np.sqrt(HIDDEN), (HIDDEN, len(classes))).astype(np.float32)
    bias_a, bias_b = np.zeros(HIDDEN, np.float32), np.zeros(len(classes), np.float32)
    for _ in range(ROUNDS):
        order = rng.permutation(len(x))
        for start in range(0, len(x), BATCH):
            at = order[start:start + BATCH]
            hidden = np.maximum(0, x[at] @ a + bias_a)
            scores = hidden @ b + bias_b
            shares = np.exp(scores - scores.max(1, keepdims=True))
            shares /= shares.sum(1, keepdims=True)
            shares[np.arange(len(at)), y[at]] -= 1
            shares /= len(at)
            back = (shares @ b.T) * (hidden > 0)
            b -= RATE * hidden.T @ shares
            bias_b -= RATE * shares.sum(0)
            a -= RATE * x[at].T @ back
            bias_a -= RATE * back.sum(0)
    right = (np.maximum(0, x @ a + bias_a) @ b + bias_b).argmax(1) == y
    print(f'{len(files)} images in {len(classes)} classes; {right.mean():.1%} right on them')
    with open(out, 'w', newline='') as table:
        writer = csv.writer(table)
        for folder in folders:
            for file in files_below(folder):
                vector = np.maximum(0, read(file) @ a + bias_a)
                writer.writerow([os.path.abspath(file), *(f'{value:.5f}' for value in vector)])


if __name__ == '__main__':
    main()
