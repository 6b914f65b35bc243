"""The house's own rules that no linter knows."""

from __future__ import annotations

import re
from pathlib import Path

from wemble.actions.job_settings import NAME
from wemble.core.briefs import BRIEFS

ROOT = Path(__file__).parents[1]
COMPARES = re.compile(
    r"brief(\.name)?\s*(===?|!==?|\bin\b|\bis\b)\s*[\[\"'({\w]|case \"(" + "|".join(BRIEFS) + r")\"|match \w*\.?brief"
)


def test_no_file_but_the_two_tables_tells_the_briefs_apart() -> None:
    code = [*(ROOT / "src").rglob("*.py"), *(ROOT / "frontend" / "src").rglob("*.ts*")]
    allowed = {
        "briefs.py",
        "briefs.tsx",
        "NewJob.tsx",
        "schema.gen.ts",
    }  # NewJob: which of those that are served is chosen
    compared = [f"{path}:{line}" for path in code if path.name not in allowed for line in found(path)]
    assert compared == []
    assert found_in('if job.brief == "drums":') and found_in(
        'desk.brief.name === "release"'
    )  # the search finds what it is for


def found(path: Path) -> list[int]:
    return found_in(path.read_text())


def found_in(text: str) -> list[int]:
    lines = enumerate(text.splitlines(), 1)
    return [n for n, line in lines if COMPARES.search(line) and not line.lstrip().startswith(("#", "*", "/", '"""'))]


def test_every_setting_that_the_interface_keeps_has_a_name_that_is_taken() -> None:
    texts = [path.read_text() for path in (ROOT / "frontend" / "src").rglob("*.ts*")]
    names = {name for text in texts for name in re.findall(r'useSetting\("(\w+)"', text)}
    assert len(names) > 15
    assert {name for name in names if not NAME.fullmatch(name)} == set()
