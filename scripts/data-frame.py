#!/usr/bin/env python3
"""Edges, a debounce of 8 ms and a count of one CSV by a data frame, as one would do it by hand: what to hold a run against.

    scripts/data-frame.py RECORDING.csv [--is-there]
"""
import sys

try:
    import pandas
except ImportError:
    sys.exit("pandas is not installed")

if "--is-there" in sys.argv:
    sys.exit(0)

frame = pandas.read_csv(sys.argv[1])
time = frame["time_s"]
for name in frame.columns[1:]:
    level = frame[name]
    changes = level.ne(level.shift()).iloc[1:]
    at = time.iloc[1:][changes]
    # A change holds where the next one comes later than the debounce time.
    held = at.diff().shift(-1).fillna(float("inf")).ge(0.008)
    rising = level.iloc[1:][changes].eq(1)
    print(name, int(changes.sum()), int(held.sum()), int((held & rising).sum()))
