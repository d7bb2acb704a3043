"""The project itself: what its papers name is there, what ships is what the script makes."""

from __future__ import annotations

import importlib
import re
import tomllib
from pathlib import Path

import pytest

import tinquire
from parts import members
from tinquire.cli.main import COMMANDS
from tinquire.larkfold.make import job_files
from tinquire.workbook import Workbook
from tinquire.workbook.calc.recalculate import recalculate

ROOT = Path(__file__).parent.parent
PACKAGE = Path(tinquire.__file__).parent


def test_shipped_data_is_what_the_seeded_script_makes():
    for name, content in job_files():
        shipped = (PACKAGE / "larkfold/job" / name).read_bytes()
        # Compressed bytes depend on the installation, the parts never do.
        same = members(shipped) == members(content) if name.endswith(".xlsx") else shipped == content
        assert same, f"run scripts/make_larkfold.py: {name} differs"


@pytest.mark.parametrize("paper", ["ARCHITECTURE.md", "CONTRIBUTING.md", "README.md", "docs/guide.md"])
def test_paths_that_the_papers_name_exist(paper):
    text = (ROOT / paper).read_text("utf-8")
    named = re.findall(r"`((?:src|tests|docs|scripts|benchmarks)/[\w./-]+)`", text)
    named += [str(Path(paper).parent / link) for link in re.findall(r"\]\((?!https?:|#)([^)#]+)\)", text)]
    assert named
    missing = [path for path in named if not (ROOT / path).exists()]
    assert not missing


@pytest.mark.parametrize("script", sorted((ROOT / "scripts").glob("*")), ids=lambda path: path.name)
def test_scripts_import_what_is_there(script):
    """Also what a shell script hands to Python, which no linter reads."""
    imports = re.findall(r"^from (tinquire[\w.]*) import ([\w, ]+)$", script.read_text("utf-8"), re.MULTILINE)
    for module, names in imports:
        there = importlib.import_module(module)
        for name in names.split(", "):
            assert hasattr(there, name) or importlib.import_module(f"{module}.{name}"), f"{module}.{name}"


def test_the_architecture_names_every_package():
    text = (ROOT / "ARCHITECTURE.md").read_text("utf-8")
    packages = [path.name for path in PACKAGE.iterdir() if (path / "__init__.py").exists()]
    assert [name for name in packages if f"`{name}`" not in text] == []


def test_the_import_contract_names_every_package():
    contracts = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["importlinter"]["contracts"]
    layers = " ".join(contracts[0]["layers"])
    packages = {path.name for path in PACKAGE.iterdir() if (path / "__init__.py").exists()} - {"larkfold"}
    assert packages <= set(re.findall(r"\w+", layers))


def test_the_reference_lists_every_command():
    text = (ROOT / "docs/commands.md").read_text("utf-8")
    assert [name for name in COMMANDS if f"tinquire {name}" not in text] == []


def test_the_template_recalculates_to_itself():
    book = Workbook.open(PACKAGE / "larkfold/job/templates/pack.xlsx")
    report = recalculate(book)
    assert report.formulas == 5


def test_screenshots_are_few_and_linked():
    pictures = list((ROOT / "docs/screenshots").glob("*.png"))
    readme = (ROOT / "README.md").read_text("utf-8")
    assert 0 < len(pictures) < 20
    assert [picture.name for picture in pictures if picture.name not in readme] == []
