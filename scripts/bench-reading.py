"""The measuring part of scripts/bench-reading; run by it."""

import glob
import os
import shutil
import subprocess
import time

PARTS, PROGRAM = os.environ["PARTS"], os.environ["PROGRAM"]
SETS, WORK = os.environ["SETS"], os.environ["WORK"]
ROUNDS = int(os.environ["ROUNDS"])
CATALOG = os.path.join(WORK, "catalog.sqlite")


def run(*command):
    """User CPU, all CPU and wall seconds, and greatest memory in MB."""
    start = time.time()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(process.pid, 0)
    assert status == 0, command
    cpu = usage.ru_utime + usage.ru_stime
    return usage.ru_utime, cpu, time.time() - start, usage.ru_maxrss / 1024


def forget():
    for file in glob.glob(CATALOG + "*"):
        os.remove(file)


def audit(folder, *options):
    # Looking for copies is what bench-duplicates measures.
    return run(PROGRAM, "audit", folder, "--reach", "exact", *options)


def least(measure):
    return [min(values) for values in zip(*(measure() for _ in range(ROUNDS)))]


def together(*measures):
    """Each measured once a round, so that a slow moment of the machine meets all of them."""
    rounds = [[measure() for measure in measures] for _ in range(ROUNDS)]
    return [[min(values) for values in zip(*column)] for column in zip(*rounds)]


def cold(folder, *options):
    forget()
    return audit(folder, "--catalog", CATALOG, *options)


def djpeg(files):
    """User seconds of scaling each file to 1/8, without starting the program."""
    def usage():
        times = os.times()
        return times.children_user
    a = usage()
    for file in files:
        subprocess.run(["djpeg", "-scale", "1/8", "-outfile", "/dev/null", file], check=True)
    b = usage()
    for _ in files:
        subprocess.run(["djpeg", "-version"], stderr=subprocess.DEVNULL)
    return ((b - a) - (usage() - b),)


for folder in sorted(glob.glob(SETS + "/*/")):
    files = sorted(glob.glob(folder + "/**/*.jpg", recursive=True))
    one = lambda: cold(folder, "--threads", "1")
    measures = [lambda: run(PARTS, "decode", folder), one, lambda: cold(folder, "--threads", "2")]
    if shutil.which("djpeg"):
        measures.append(lambda: djpeg(files))
    image, ours, two, *turbo = together(*measures)
    print(f"{os.path.basename(folder[:-1])}: {len(files)} files, {ours[0] / len(files) * 1e3:.2f} ms each")
    print(f"  user CPU to a full decode of every image  {ours[0] / image[0]:.2f}")
    if turbo:
        print(f"  user CPU to djpeg -scale 1/8                   {ours[0] / turbo[0][0]:.2f}")
    print(f"  two threads to one, times faster              {ours[2] / two[2]:.2f}")

few, many = (os.path.join(WORK, "tiny", count) for count in ("30000", "300000"))
forget()
first = audit(few, "--catalog", CATALOG)
second = least(lambda: audit(few, "--catalog", CATALOG))
print(f"30,000 tiny files: second run to first, CPU     {second[1] / first[1]:.3f}")
small, large = together(lambda: cold(few), lambda: cold(many))
print(f"300,000 to 30,000 tiny files, CPU a file        {large[1] / small[1] / 10:.2f}")
print(f"300,000 tiny files, memory                      {large[3]:.0f} MB")
walk, find = together(
    lambda: run(PARTS, "walk", many),
    lambda: run("find", many, "-printf", "%p %s %T@\\n"),
)
print(f"listing 300,000 files to find, CPU              {walk[1] / find[1]:.2f}")
