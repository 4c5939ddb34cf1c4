#!/usr/bin/env python3
"""Measures a collection on Spark executors and runs the SQL of this folder there (PyPI: pyspark 4; Java 17).

    spark-submit scale/run_spark.py s3://herbs/photos --parts 64 --work /shared/herbs --to /shared/answers
    spark-submit scale/run_spark.py --catalog /shared/photos.parquet --to /shared/answers

Each executor runs `mint-sieve measure --part K/N`, so the program must be installed on all of them, with the features
`parquet` and, for buckets, `bucket`. A part that is there already is not measured again: a task that dies is run again.
"""
import argparse
import os
import pathlib
import subprocess

from pyspark.sql import SparkSession

HERE = pathlib.Path(__file__).parent
ANSWERS = ["exact_copies", "near_pairs", "near_groups", "leaks", "balance"]


def measured(number, parts, collection, work, program, options):
    """Runs on an executor: writes one part under its name once it is whole."""
    part = os.path.join(work, f"part-{number:05d}.parquet")
    if not os.path.exists(part):
        words = [program, "measure", collection, "--part", f"{number}/{parts}", "--to", part,
                 "--catalog", os.path.join(work, f"part-{number:05d}.catalog"), *options]
        done = subprocess.run(words, capture_output=True, text=True)
        if done.returncode != 0 and not os.path.exists(part):
            raise RuntimeError(done.stderr)
    return part


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("collection", nargs="?")
    parser.add_argument("--catalog", help="a catalog that was exported or measured already")
    parser.add_argument("--parts", type=int, default=16)
    parser.add_argument("--work", help="folder that all machines see, for the parts")
    parser.add_argument("--to", required=True, help="folder for the answers, as Parquet")
    parser.add_argument("--checkpoints", help="folder that all machines see, for intermediate tables that outlive an executor")
    parser.add_argument("--program", default="mint-sieve")
    parser.add_argument("--option", action="append", default=[], help="further word for measure, for example --option=--anonymous")
    args = parser.parse_args()
    spark = SparkSession.builder.appName("mint-sieve").getOrCreate()
    if args.checkpoints:
        spark.sparkContext.setCheckpointDir(args.checkpoints)
    files = args.catalog
    if files is None:
        settings = (args.parts, args.collection, args.work, args.program, args.option)
        numbers = spark.sparkContext.parallelize(range(1, args.parts + 1), args.parts)
        files = numbers.map(lambda number: measured(number, *settings)).collect()
    images = spark.read.parquet(*([files] if isinstance(files, str) else files))
    if "outcome" in images.columns:
        images = images.where("outcome = 'image'")
    images.createOrReplaceTempView("images")

    def run(name):
        text = "\n".join(line for line in (HERE / f"{name}.sql").read_text().splitlines() if not line.startswith("--"))
        for statement in filter(str.strip, text.split(";")):
            table, query = statement.strip().removeprefix("CREATE TABLE ").split(" AS\n", 1)
            # What a lost executor held must not be computed again from the start in every step.
            frame = spark.sql(query)
            frame = frame.checkpoint() if args.checkpoints else frame.localCheckpoint()
            frame.createOrReplaceTempView(table)

    for name in ["exact_copies", "bands", "near_pairs", "components_start"]:
        run(name)
    changed = 1
    while changed:
        run("components_step")
        changed = spark.sql((HERE / "components_changed.sql").read_text().rstrip().rstrip(";")).first()[0]
        spark.table("next_labels").createOrReplaceTempView("labels")
    for name in ["near_groups", "leaks", "balance"]:
        run(name)
    for name in ANSWERS:
        spark.table(name).write.mode("overwrite").parquet(os.path.join(args.to, f"{name}.parquet"))
    spark.stop()


if __name__ == "__main__":
    main()
