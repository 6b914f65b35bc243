"""Put small faults into the code, one at a time, and see which of them the tests notice.

    .venv/bin/python bench/mutants.py [--seed N] [--sample 200] [--part core/shape --part actions ...] [--list]

A mutant turns a comparison, swaps an operation, doubles a number, or drops a "not". It is tried in a copy of the tree, by
the tests that reach its line, each set in a process of its own. Printed: how many were killed, by part, and every
survivor. A survivor is answered by a stronger test, by simpler code, or by a word why it is no fault.
"""

from __future__ import annotations

import argparse
import ast
import contextlib
import copy
import os
import random
import re
import shutil
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import coverage

ROOT = Path(__file__).resolve().parent.parent
HEART = tuple(f"core/{room}" for room in ("edges", "shape", "render", "edit", "deliver", "check", "signal"))
MOST_TESTS = 60
"""So many tests are tried for a mutant at most, the quickest first: a line that hundreds of tests reach needs no more."""
LIMIT_S = 150
IMPURE = {
    "api",
    "state",
    "imports",
    "play",
    "ui",
    "testing",
    "stage.ts",
    "store.ts",
    "worklet.ts",
    "nudging.ts",
    "usePairView.ts",
}
"""Rooms and modules of the interface that talk to the server, to a device or to the page: browser tests hold them,
which are too slow here."""
NO_FAULT = {
    "how much is held or written at a time": ("BLOCK_FRAMES", "_HASH_BYTES", "_PART", "_BLOCKS_AHEAD", "_OPEN_FILES",
                                             "_SPACE_EVERY_FRAMES", "_COLLECT_RARELY", "PART_BYTES"),
    "how often is looked, how long is waited": ("_POLL_S", "_WRITE_EVERY_S", "_RETRY_S", "_LOCK_WAIT_S"),
}  # fmt: skip
"""Constants that may be any other value without a wrong result; what they are there for is measured elsewhere in bench/."""
SLOW = ("tests/web/test_web.py::test_twenty_kills_lose_nothing_that_was_answered",)
"""Tests that run the server as a process of its own, so that no line of it is counted."""
_FREE = {name for names in NO_FAULT.values() for name in names}
_TURNED = {ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
           ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is}  # fmt: skip
_SWAPPED = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.FloorDiv: ast.Mod,
            ast.Mod: ast.FloorDiv}  # fmt: skip
_NAMED = {"min": "max", "max": "min", "floor": "ceil", "ceil": "floor", "minimum": "maximum", "maximum": "minimum",
          "any": "all", "all": "any"}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Mutant:
    """One fault: where, what it was and is, and how the text of the whole file with it in is made."""

    path: Path
    first_line: int
    last_line: int
    what: str
    text: Callable[[], str]

    @property
    def part(self) -> str:
        """The room it is in, such as ``core/shape``."""
        inside = self.path.relative_to(ROOT / "src/wemble" if self.path.suffix == ".py" else ROOT).parts
        return "/".join(inside[:2]) if inside[0] == "core" else inside[0]


# Python


def python_mutants(path: Path) -> list[Mutant]:
    """Return every mutant of a module."""
    tree = ast.parse(path.read_text())

    def text_with(number: int, faulty: ast.expr) -> str:
        changed = copy.deepcopy(tree)
        _put(changed, number, faulty)
        return ast.unparse(changed)

    return [
        Mutant(
            path,
            node.lineno,
            node.end_lineno or node.lineno,
            f"{ast.unparse(node)}  →  {ast.unparse(faulty)}",
            partial(text_with, number, faulty),
        )
        for number, (node, faulty) in enumerate(_faults(tree))
    ]


def _faults(tree: ast.AST) -> Iterator[tuple[ast.expr, ast.expr]]:
    """Yield expressions with a faulty form of each, in an order that is the same in a copy of the tree."""
    for node in _expressions(tree):
        yield from ((node, faulty) for faulty in _faulty(node))


def _expressions(node: ast.AST) -> Iterator[ast.expr]:
    """Yield the expressions that run: no annotations, no defaults of types, nothing in a string, no decorators."""
    if isinstance(node, ast.Assign) and {getattr(target, "id", "") for target in node.targets} & _FREE:
        return
    if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "_Recent":
        return  # how much is held, too
    for name, child in ast.iter_fields(node):
        if name in ("annotation", "returns", "decorator_list", "type_params", "format_spec"):
            continue
        for one in child if isinstance(child, list) else [child]:
            if isinstance(one, (ast.JoinedStr, ast.Raise, ast.Assert)):
                continue
            if isinstance(one, ast.expr):
                yield one
            if isinstance(one, ast.AST):
                yield from _expressions(one)


def _faulty(node: ast.expr) -> list[ast.expr]:
    out: list[ast.expr] = []
    if isinstance(node, ast.Compare) and type(node.ops[0]) in _TURNED:
        out.append(_changed(node, ops=[_TURNED[type(node.ops[0])](), *node.ops[1:]]))
    if isinstance(node, ast.BinOp) and type(node.op) in _SWAPPED:
        out.append(_changed(node, op=_SWAPPED[type(node.op)]()))
    if isinstance(node, ast.BoolOp):
        out.append(_changed(node, op=ast.And() if isinstance(node.op, ast.Or) else ast.Or()))
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        out.append(node.operand)
    if isinstance(node, ast.Constant) and type(node.value) in (int, float):
        out.append(ast.Constant(2 * node.value if node.value else type(node.value)(1)))
    if isinstance(node, ast.Call):
        name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
        if name in _NAMED:
            func = copy.deepcopy(node.func)
            if isinstance(func, ast.Name):
                func.id = _NAMED[name]
            elif isinstance(func, ast.Attribute):
                func.attr = _NAMED[name]
            out.append(_changed(node, func=func))
    return out


def _changed(node: ast.expr, **fields: object) -> ast.expr:
    made = copy.deepcopy(node)
    for name, value in fields.items():
        setattr(made, name, value)
    return made


def _put(tree: ast.AST, number: int, faulty: ast.expr) -> None:
    """Put a faulty form where the n-th fault of a tree is."""
    wanted = next(node for n, (node, _) in enumerate(_faults(tree)) if n == number)
    for parent in ast.walk(tree):
        for name, child in ast.iter_fields(parent):
            if child is wanted:
                setattr(parent, name, faulty)
                return
            if isinstance(child, list) and any(one is wanted for one in child):
                child[[one is wanted for one in child].index(True)] = faulty
                return


# TypeScript: no tree, but the formatter leaves one blank around every operation

_TEXT_FAULTS = [
    (re.compile(rf"(?<= ){re.escape(old)}(?= )"), new)
    for old, new in (("<", "<="), ("<=", "<"), (">", ">="), (">=", ">"), ("===", "!=="), ("!==", "==="), ("+", "-"),
                     ("-", "+"), ("*", "/"), ("/", "*"), ("&&", "||"), ("||", "&&"), ("??", "&&"))
] + [(re.compile(r"Math\.min\b"), "Math.max"), (re.compile(r"Math\.max\b"), "Math.min")]  # fmt: skip
_NUMBER = re.compile(r"(?<![\w.\"'`#-])\d+(\.\d+)?(?![\w.\"'`])")


def typescript_mutants(path: Path) -> list[Mutant]:
    """Return every mutant of a module without components."""
    lines = path.read_text().splitlines(keepends=True)
    made = []
    for at, line in enumerate(lines):
        code = line.split("//")[0]
        if not code.strip() or code.lstrip().startswith(("*", "/*", "import", "export type", "type ", "readonly", "|")):
            continue
        found = [(m.start(), m.end(), new) for pattern, new in _TEXT_FAULTS for m in pattern.finditer(code)]
        found += [(m.start(), m.end(), _twice(m.group())) for m in _NUMBER.finditer(code)]
        for start, end, new in found:
            if code[:start].count("`") % 2 or code[:start].count('"') % 2:
                continue
            text = "".join([*lines[:at], line[:start] + new + line[end:], *lines[at + 1 :]])
            what = f"{line.strip()[:110]}  →  {line[start:end]} to {new}"
            made.append(Mutant(path, at + 1, at + 1, what, partial(str, text)))
    return made


def _twice(number: str) -> str:
    return "1" if float(number) == 0 else f"{2 * float(number):g}"


# Trying


def reached(tree: Path, folder: Path) -> tuple[dict[Path, dict[int, set[str]]], dict[str, float]]:
    """Run the Python tests once and return who reaches which line of which module, and how long each test takes."""
    data = folder / "coverage"
    (folder / "who_reaches.py").write_text(_WHO_REACHES)
    command = [sys.executable, "-m", "coverage", "run", f"--data-file={data}", f"--source={tree / 'src/wemble'}"]
    command += ["-m", "pytest", "-p", "who_reaches", "-p", "no:cacheprovider", "--durations=0", "-vv"]
    env = os.environ | {"PYTHONPATH": f"{tree / 'src'}:{folder}"}
    slow = ["--ignore=tests/browser", *(f"--deselect={test}" for test in SLOW)]
    said = subprocess.run([*command, *slow], cwd=tree, env=env, capture_output=True, text=True)
    failed = set(re.findall(r"^(?:FAILED|ERROR) (\S+)", said.stdout, re.M))
    print(f"{len(failed)} tests fail as they are and count for nothing: {', '.join(sorted(failed))}" if failed else "")
    took: dict[str, float] = defaultdict(float)
    for seconds, test in re.findall(r"^\s*([\d.]+)s (?:call|setup)\s+(\S.*)$", said.stdout, re.M):
        took[test] += float(seconds)
    read = coverage.CoverageData(str(data))
    read.read()
    lines: dict[Path, dict[int, set[str]]] = {}
    for file in read.measured_files():
        tests = {n: {test for test in who if test} - failed for n, who in read.contexts_by_lineno(file).items()}
        lines[ROOT / Path(file).relative_to(tree)] = tests
    return lines, took


_WHO_REACHES = """
import coverage
import pytest


@pytest.hookimpl(hookwrapper=True)
def pytest_runtest_protocol(item):
    coverage.Coverage.current().switch_context(item.nodeid)
    yield
"""


def tests_for(mutant: Mutant, lines: dict[int, set[str]], took: dict[str, float]) -> list[str]:
    """Return the tests that reach a mutant, the quickest first; what runs at import or in a worker, those of the module."""
    near = [lines.get(n, set()) for n in range(mutant.first_line, mutant.last_line + 1)]
    tests = set().union(*near) or set().union(*lines.values())
    return sorted(tests, key=lambda test: (took.get(test, 0.0), test))[:MOST_TESTS]


def survives_python(mutant: Mutant, tests: Sequence[str], copy_of_tree: Path) -> bool:
    """Try a mutant in a copy of the tree; no test at all lets it live, a test that hangs has noticed."""
    if not tests:
        return True
    place = copy_of_tree / mutant.path.relative_to(ROOT)
    before = place.read_text()
    place.write_text(mutant.text())
    env = os.environ | {"PYTHONPATH": str(copy_of_tree / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
    command = [sys.executable, "-m", "pytest", "-x", "-q", "-p", "no:cacheprovider", "--hypothesis-seed=1", *tests]
    try:
        return not _run(command, copy_of_tree, env)
    finally:
        place.write_text(before)


def survives_typescript(mutant: Mutant, copy_of_tree: Path) -> bool:
    place = copy_of_tree / mutant.path.relative_to(ROOT)
    before = place.read_text()
    place.write_text(mutant.text())
    try:
        command = ["node_modules/.bin/vitest", "related", str(place), "--run", "--bail", "1", "--passWithNoTests"]
        return not _run(command, copy_of_tree / "frontend", dict(os.environ))
    finally:
        place.write_text(before)


def _run(command: Sequence[str], folder: Path, env: dict[str, str]) -> int:
    process = subprocess.Popen(
        command, cwd=folder, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
    )
    try:
        return process.wait(LIMIT_S)
    except subprocess.TimeoutExpired:
        return 1
    finally:
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, 9)


def copied_tree(folder: Path) -> Path:
    """Return a copy of what the tests need."""
    for name in ("src", "tests", "docs"):
        shutil.copytree(ROOT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copytree(ROOT / "frontend", folder / "frontend", ignore=shutil.ignore_patterns("node_modules", "dist"))
    (folder / "frontend/node_modules").symlink_to(ROOT / "frontend/node_modules")
    for name in ("pyproject.toml", "README.md"):
        shutil.copy(ROOT / name, folder / name)
    return folder


def all_mutants(parts: Sequence[str]) -> list[Mutant]:
    """Return every mutant of the rooms that are asked for, by default of all that are under test."""
    rooms = ("core", "actions", "store", "formats")
    modules = [path for room in rooms for path in sorted((ROOT / "src/wemble" / room).rglob("*.py"))]
    scripts = [
        path
        for path in sorted((ROOT / "frontend/src").rglob("*.ts"))
        if not path.name.endswith((".test.ts", ".gen.ts", ".d.ts")) and not IMPURE & set(path.parts)
    ]
    found = [m for path in modules for m in python_mutants(path)]
    found += [m for path in scripts for m in typescript_mutants(path)]
    return [m for m in found if not parts or any(m.part.startswith(part) for part in parts)]


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--sample", type=int, default=200)
    ask.add_argument("--part", action="append", default=[], help="such as core/shape, core, actions, frontend")
    ask.add_argument("--list", action="store_true", help="print the sample and stop")
    asked = ask.parse_args()
    mutants = all_mutants(asked.part)
    sample = random.Random(asked.seed).sample(mutants, min(asked.sample, len(mutants)))
    print(f"{len(sample)} of {len(mutants)} mutants, seed {asked.seed}")
    if asked.list:
        for mutant in sample:
            print(f"{mutant.path.relative_to(ROOT)}:{mutant.first_line}: {mutant.what}")
        return
    began = time.monotonic()
    with tempfile.TemporaryDirectory(prefix="wemble-mutants-") as scratch:
        trees = [copied_tree(Path(scratch) / f"tree-{n}") for n in range(os.cpu_count() or 2)]
        needs_python = any(m.path.suffix == ".py" for m in sample)
        lines, took = reached(trees[0], Path(scratch)) if needs_python else ({}, {})

        def tried(mutant: Mutant) -> tuple[Mutant, bool]:
            tree = trees.pop()
            try:
                if mutant.path.suffix == ".ts":
                    return mutant, survives_typescript(mutant, tree)
                return mutant, survives_python(mutant, tests_for(mutant, lines.get(mutant.path, {}), took), tree)
            finally:
                trees.append(tree)

        with ThreadPoolExecutor(len(trees)) as pool:
            results = []
            for mutant, lives in pool.map(tried, sample):
                results.append((mutant, lives))
                if lives:
                    print(f"survives  {mutant.path.relative_to(ROOT)}:{mutant.first_line}: {mutant.what}", flush=True)
    print(f"\n{time.monotonic() - began:.0f} s")
    for part in sorted({mutant.part for mutant, _ in results}):
        of_part = [lives for mutant, lives in results if mutant.part == part]
        print(f"{part:20} {of_part.count(False):4} of {len(of_part):4} killed")
    for name, chosen in (("the heart", True), ("elsewhere", False)):
        group = [lives for mutant, lives in results if (mutant.part in HEART) is chosen]
        if group:
            print(f"{name:20} {100 * group.count(False) / len(group):.0f} % of {len(group)} killed")


if __name__ == "__main__":
    main()
