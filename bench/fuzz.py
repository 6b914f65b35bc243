"""Every finder on what nobody would record, for many seeds: python bench/fuzz.py [seeds] [first]"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))
from tests.core.test_degenerate import broken


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    failed = 0
    with np.errstate(all="ignore"):
        for seed in range(first, first + count):
            for line in broken(seed):
                failed += 1
                print(line, flush=True)
    print(f"{count:,} seeds from {first:,}: {failed} failures")


if __name__ == "__main__":
    main()
