"""Some hundred damaged files, as `make fuzz` makes a hundred thousand of."""

from __future__ import annotations

import random

import pytest

from fuzz.hold import attempt, commands, survives


@pytest.mark.parametrize("part", range(4))
def test_damaged_files(part, tmp_path):
    found = []
    for number in range(75):
        place = tmp_path / str(number)
        place.mkdir()
        found += [
            f"file {number}: {kind}, {detail}"
            for kind, detail, _ in attempt(random.Random(f"tests {part} {number}"), place)
        ]
    assert not found, "\n".join(found)


def test_a_finding_is_found(tmp_path, monkeypatch):
    """What holds the commands must not be blind: an exception, a changed input and an output that is left are told."""

    def broken(words):
        path, out = tmp_path / "a.xlsx", tmp_path / "left.xlsx"
        path.write_bytes(b"changed")
        out.write_bytes(b"no archive")
        raise KeyError("x")

    monkeypatch.setattr("fuzz.hold.main", broken)
    found = [kind for kind, _ in survives(b"x", "a.xlsx", tmp_path, lambda every: every[:1])]
    assert any("KeyError" in kind for kind in found) and "show changed its input" in found
    assert "show: no archive (BadZipFile)" in found and "show left an output when it stopped with None" in found
    assert len(commands(tmp_path, tmp_path, "a.xlsx")) > 20
