#!/usr/bin/env python3
"""Makes schema_1.bench to schema_4.bench out of one bench of schema 4: each holds what a bench of that schema could hold.

Usage: make.py BENCH_OF_SCHEMA_4 FOLDER. The migrations are those of the crate, with the checksums that its library writes.
"""
import hashlib
import pathlib
import sqlite3
import sys

source, folder = sys.argv[1], pathlib.Path(sys.argv[2])
migrations = sorted((pathlib.Path(__file__).parents[2] / "migrations").glob("000[1-4]_*.sql"))
TABLES = ["places", "bench", "panels", "gear", "gear_fields", "rigs", "rig_meters", "tests", "runs", "run_events", "readings",
          "reading_figures", "acknowledgements"]

for schema in range(1, 5):
    path = folder / f"schema_{schema}.bench"
    path.unlink(missing_ok=True)
    bench = sqlite3.connect(path, isolation_level=None)
    bench.execute("""CREATE TABLE _sqlx_migrations (version BIGINT PRIMARY KEY, description TEXT NOT NULL,
        installed_on TIMESTAMP NOT NULL DEFAULT CURRENT_TIMESTAMP, success BOOLEAN NOT NULL, checksum BLOB NOT NULL,
        execution_time BIGINT NOT NULL)""")
    for migration in migrations[:schema]:
        sql = migration.read_text()
        bench.executescript(sql)
        version, name = migration.stem.split("_", 1)
        bench.execute("INSERT INTO _sqlx_migrations VALUES (?, ?, '2026-11-20', 1, ?, 0)",
                      (int(version), name.replace("_", " "), hashlib.sha384(sql.encode()).digest()))
    bench.execute("PRAGMA foreign_keys = OFF")
    bench.execute("ATTACH ? AS whole", (source,))
    there = {row[0] for row in bench.execute("SELECT name FROM main.sqlite_master WHERE type = 'table'")}
    # Before schema 3 there were ratings without a plan only.
    of_tests = "1" if schema >= 3 else "plan IS NULL"
    kept = {"tests": of_tests, "readings": f"test_id IN (SELECT id FROM whole.tests WHERE {of_tests})",
            "reading_figures": f"reading_id IN (SELECT id FROM whole.readings WHERE test_id IN (SELECT id FROM whole.tests WHERE {of_tests}))"}
    for table in TABLES:
        if table in there:
            columns = ", ".join(row[1] for row in bench.execute(f"PRAGMA main.table_info({table})"))
            where = kept.get(table, "1")
            bench.execute(f"INSERT INTO main.{table} ({columns}) SELECT {columns} FROM whole.{table} WHERE {where}")
    bench.execute("DETACH whole")
    bench.execute("PRAGMA page_size = 1024")
    bench.execute("VACUUM")
    bench.close()
