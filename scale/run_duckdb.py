#!/usr/bin/env python3
"""Runs the SQL of this folder on an exported catalog with DuckDB (PyPI: duckdb), and writes every answer as CSV.

    mint-sieve catalog export photos --to photos.parquet
    python3 scale/run_duckdb.py photos.parquet --to answers
"""
import argparse
import pathlib
import time

import duckdb

HERE = pathlib.Path(__file__).parent
ANSWERS = {
    "exact_copies": "copy_group, path",
    "near_pairs": "a, b",
    "near_groups": "near_group, path",
    "leaks": "kind, split, other_split",
    "balance": "split, class",
}


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("catalog", help="Parquet or CSV file that `mint-sieve catalog export` wrote")
    parser.add_argument("--to", required=True, help="new folder for the answers")
    parser.add_argument("--memory", default="4GB", help="memory for DuckDB; the rest goes to disk")
    parser.add_argument("--without-bit-count", action="store_true", help="use the form for engines that lack it")
    args = parser.parse_args()
    target = pathlib.Path(args.to)
    target.mkdir(parents=True)
    base = duckdb.connect(str(target / "work.duckdb"))
    base.execute(f"SET memory_limit='{args.memory}'; SET preserve_insertion_order = false")
    reader = "read_csv" if args.catalog.endswith(".csv") else "read_parquet"
    base.execute(f"CREATE VIEW images AS SELECT * FROM {reader}({quoted(args.catalog)})")

    def run(name):
        begin = time.perf_counter()
        answer = base.execute((HERE / f"{name}.sql").read_text()).fetchall()
        print(f"{name:32} {time.perf_counter() - begin:8.1f} s", flush=True)
        return answer

    run("exact_copies")
    run("bands")
    run("near_pairs_without_bit_count" if args.without_bit_count else "near_pairs")
    run("components_start")
    while True:
        run("components_step")
        changed = run("components_changed")[0][0]
        base.execute("DROP TABLE labels; ALTER TABLE next_labels RENAME TO labels")
        if changed == 0:
            break
    run("near_groups")
    run("leaks")
    run("balance")
    for name, order in ANSWERS.items():
        file = quoted(str(target / f"{name}.csv"))
        base.execute(f"COPY (SELECT * FROM {name} ORDER BY {order}) TO {file} (HEADER)")
    base.close()
    (target / "work.duckdb").unlink()


def quoted(text):
    return "'" + text.replace("'", "''") + "'"


if __name__ == "__main__":
    main()
