"""Checks a package of a bench with a general-purpose validator, and opens it with three general-purpose tools.

    python3 reference/check_package.py bench.zip

frictionless checks every table against its schema, types, keys and references; pandas, sqlite3 and DuckDB read the same figures and have to
agree. The examples are those of docs/PACKAGE.md.
"""

import io
import sqlite3
import sys
import tempfile
import zipfile

import duckdb
import pandas
from frictionless import Package


def validated(path):
    report = Package(path).validate()
    for task in report.tasks:
        for error in task.errors:
            print(f"{task.name}: {error.message}")
    return report.valid


def table(archive, name):
    return pandas.read_csv(io.BytesIO(archive.read(f"tables/{name}.csv")), keep_default_na=False, na_values=[""])


def by_pandas(archive):
    readings, figures, tests, panels = (table(archive, name) for name in ["readings", "reading_figures", "tests", "panels"])
    joined = (
        figures[figures.quantity == "power_w"]
        .merge(readings, left_on="reading_id", right_on="id")
        .merge(tests, left_on="test_id", right_on="id", suffixes=("", "_test"))
        .merge(panels, left_on="panel_id", right_on="id", suffixes=("", "_panel"))
    )
    return joined.groupby("tag").low.max().round(9).to_dict()


QUERY = """
    SELECT p.tag, max(f.low) FROM reading_figures f JOIN readings r ON r.id = f.reading_id JOIN tests t ON t.id = r.test_id
    JOIN panels p ON p.id = t.panel_id WHERE f.quantity = 'power_w' GROUP BY p.tag
"""


def by_sqlite(archive):
    bench = sqlite3.connect(":memory:")
    for name in ["readings", "reading_figures", "tests", "panels"]:
        table(archive, name).to_sql(name, bench, index=False)
    return {tag: round(watts, 9) for tag, watts in bench.execute(QUERY)}


def by_duckdb(archive):
    with tempfile.TemporaryDirectory() as folder:
        archive.extractall(folder)
        bench = duckdb.connect()
        for name in ["readings", "reading_figures", "tests", "panels"]:
            bench.execute(f"CREATE VIEW {name} AS SELECT * FROM read_csv('{folder}/tables/{name}.csv')")
        return {tag: round(watts, 9) for tag, watts in bench.execute(QUERY).fetchall()}


def main():
    path = sys.argv[1]
    is_valid = validated(path)
    with zipfile.ZipFile(path) as archive:
        answers = [by(archive) for by in (by_pandas, by_sqlite, by_duckdb)]
    agree = answers[0] == answers[1] == answers[2]
    print(f"valid: {is_valid}; {len(answers[0])} panels with watts; pandas, sqlite3 and DuckDB agree: {agree}")
    return 0 if is_valid and agree and answers[0] else 1


if __name__ == "__main__":
    sys.exit(main())
