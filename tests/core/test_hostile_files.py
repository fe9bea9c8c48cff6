"""Files that are cut off, twisted or lie about their size: refused in words, within limits."""

from __future__ import annotations

import json
import random
import struct
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from heron.errors import HeronError
from heron.model import load_document
from heron.shapes import exchange, imports
from server.config import ROOT
from tests.fuzz import damaged
from tests.reference.test_exact_bodies import body
from tests.waiting import PATIENCE

STEP = (ROOT / "examples" / "skiff.step").read_bytes()
CUBE = {"kind": "box", "size": ["20 mm", "20 mm", "20 mm"]}


@pytest.fixture(scope="module")
def stl(tmp_path_factory: pytest.TempPathFactory) -> bytes:
    path = tmp_path_factory.mktemp("stl") / "a.stl"
    made = body({"kind": "cylinder", "radius": "10 mm", "height": "20 mm"})
    exchange.write_stl([exchange.Named("a", made.shape)], path, made.unit, 1e-3)
    return path.read_bytes()


def text_stl(points: np.ndarray) -> bytes:
    lines = ["solid a"]
    for triangle in points:
        lines += [
            "facet normal 0 0 0",
            "outer loop",
            *(f"vertex {x} {y} {z}" for x, y, z in triangle),
            "endloop",
            "endfacet",
        ]
    return "\n".join([*lines, "endsolid a"]).encode()


REFUSED: dict[str, tuple[str, bytes, str]] = {
    "empty": ("a.step", b"", "not a STEP file"),
    "cut STEP": ("a.step", STEP[: len(STEP) // 2], "cut off"),
    "another type": ("a.step", b"PK\x03\x04" + bytes(400), "not a STEP file"),
    "another ending": ("a.exe", STEP, "give a STEP, STL, OBJ or DXF"),
    "STEP without shapes": (
        "a.step",
        b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n",
        "",
    ),
    "cut text STL": (
        "a.stl",
        b"solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0",
        "not whole",
    ),
    "ten million faces": ("a.stl", bytes(80) + struct.pack("<I", 10**7), "does not fit"),
    "not a number": (
        "a.stl",
        text_stl(np.array([[[0, 0, 0], [1, 0, 0], [0, np.nan, 0]]])),
        "no numbers",
    ),
    "no extent": ("a.stl", text_stl(np.zeros((4, 3, 3))), "no extent"),
    "words for numbers": ("a.obj", b"v one two three\nf 1 2 3\n", "cannot be read"),
    "corners that are not there": (
        "a.obj",
        b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n",
        "do not exist",
    ),
    "no faces": ("a.obj", b"v 0 0 0\n", "no faces"),
    "no drawing": ("a.dxf", b"0\nSECTION\n2\nENTITIES\n0\nLINE\n8", "not a DXF drawing"),
    "words for a drawing": ("a.dxf", b"hello there\n" * 9, "not a DXF drawing"),
}


@pytest.mark.parametrize("name", REFUSED)
def test_a_bad_file_is_refused_in_words(name: str) -> None:
    file, data, words = REFUSED[name]
    with pytest.raises(HeronError) as caught:
        imports.read(file, data)
    assert words in caught.value.message


def test_many_true_triangles_are_refused_before_they_are_sewn() -> None:
    count = exchange.MAX_TRIANGLES + 1
    data = bytes(80) + struct.pack("<I", count) + bytes(50 * count)
    with pytest.raises(HeronError, match="import the STEP original"):
        imports.read("a.stl", data)


def test_too_large_a_file_is_not_even_looked_at() -> None:
    with pytest.raises(HeronError, match="larger than"):
        imports.read("a.step", bytes(imports.MAX_BYTES + 1))


def test_a_step_file_with_countless_entities_is_refused_within_its_limits() -> None:
    """Ten million faces are half a gigabyte at least; here are as many as fit into the largest file
    that is taken.
    """
    line = b"#1=ADVANCED_FACE('',(#2),#3,.T.);\n"
    data = (
        b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\n"
        + line * ((imports.MAX_BYTES - 200) // len(line))
        + b"ENDSEC;\nEND-ISO-10303-21;\n"
    )
    with pytest.raises(HeronError, match="faces; up to"):
        imports.apart("a.step", data)


def small_step(path: Path) -> None:
    made = body(
        CUBE,
        {
            "kind": "cylinder",
            "centre": ["10 mm", "10 mm", "-1 mm"],
            "radius": "4 mm",
            "height": "30 mm",
        },
        {"kind": "combine", "operation": "cut", "first": "p0", "others": ["p1"]},
    )
    exchange.write_step([exchange.Named("block", made.shape, "#8a5a3c")], path, made.unit)


def test_three_hundred_damaged_files_are_read_or_refused(tmp_path: Path, stl: bytes) -> None:
    """STEP, STL and OBJ with bytes changed, cut, doubled and replaced.

    The kernel itself falls over some twisted STEP files; our own code raises nothing but refusals,
    and reading apart turns each fall into one.
    """
    small_step(tmp_path / "a.step")
    (tmp_path / "b.stl").write_bytes(stl)
    (tmp_path / "c.obj").write_bytes(
        b"v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n"
    )
    total = 300
    done = subprocess.run(
        [sys.executable, "-m", "tests.fuzz", str(tmp_path), str(total)],
        cwd=ROOT,
        capture_output=True,
        timeout=PATIENCE,
        check=False,
    )
    assert done.returncode == 0, done.stderr.decode()[-2000:]
    found = json.loads(done.stdout.splitlines()[-1])
    print(f"{total} damaged files:", {k: len(v) for k, v in found.items()})
    assert found["broken"] == [], done.stderr.decode()[-2000:]
    assert found["read"]
    assert found["refused"]
    for n in found["fallen"][:3]:
        with pytest.raises(HeronError, match="twisted"):
            imports.apart(*damaged(tmp_path, n))


def test_reading_apart_gives_the_same_bodies_and_the_same_refusals() -> None:
    assert [n.name for n in imports.apart("skiff.step", STEP)] == [
        n.name for n in imports.read("skiff.step", STEP)
    ]
    with pytest.raises(HeronError, match="cut off"):
        imports.apart("skiff.step", STEP[:9000])


def test_mutated_documents_are_refused_or_read() -> None:
    """Random edits of the JSON of every example: a document or a refusal, never another error."""
    chooser = random.Random(11)
    refused = 0
    for path in sorted((ROOT / "examples").glob("*.json")):
        for _ in range(25):
            raw = bytearray(path.read_bytes())
            for _ in range(chooser.choice((1, 2, 8))):
                at = chooser.randrange(len(raw))
                raw[at : at + chooser.randrange(0, 3)] = chooser.choice(
                    (b'"', b"[", b"}", b"null", b"1e999", b"-", b"\xff", b"{")
                )
            try:
                load_document(bytes(raw))
            except HeronError:
                refused += 1
    print(
        f"{refused} of {25 * len(list((ROOT / 'examples').glob('*.json')))} mutated documents"
        " refused"
    )
    assert refused > 100


def test_reports_name_what_is_wrong(tmp_path: Path, stl: bytes) -> None:
    open_cylinder = bytes(80) + struct.pack("<I", (len(stl) - 84) // 50 - 1) + stl[84:-50]
    named = imports.read("tub.stl", open_cylinder)
    texts = [f.text for f in imports.report(named, 0.345).findings]
    assert any("does not close" in t for t in texts)
    small_step(tmp_path / "a.step")
    report = imports.report(imports.read("a.step", (tmp_path / "a.step").read_bytes()), 345.0)
    assert [f.text for f in report.findings] == [
        "the largest side is 5.8e-05 wavelengths; is the unit right?"
    ]
    assert report.bodies[0]["volume_m3"] == pytest.approx(8e-6 - np.pi * 16e-6 * 0.02)
    assert (report.bodies[0]["name"], report.bodies[0]["colour"], report.bodies[0]["kind"]) == (
        "block",
        "#8a5a3c",
        "solid",
    )


def test_packed_bodies_come_back(tmp_path: Path) -> None:
    named = imports.read("skiff.step", STEP)
    again = imports.unpacked(imports.packed(named))
    assert [(n.name, n.colour) for n in again] == [(n.name, n.colour) for n in named]
    for a, b in zip(imports.report(named).bodies, imports.report(again).bodies, strict=True):
        assert json.dumps(a, sort_keys=True) == json.dumps(b, sort_keys=True)


def test_small_holes_and_fillets_can_be_left_out() -> None:
    made = body(
        CUBE,
        {
            "kind": "cylinder",
            "centre": ["10 mm", "10 mm", "-1 mm"],
            "radius": "0.5 mm",
            "height": "30 mm",
        },
        {"kind": "combine", "operation": "cut", "first": "p0", "others": ["p1"]},
        plan={"f_start": "1 GHz", "f_stop": "1 GHz"},
    )
    plain, gone = imports.simplified(made.shape, 1e-3 / made.unit)
    assert gone == 1
    from heron.shapes.kernel import volume

    assert volume(plain) * made.unit**3 == pytest.approx(8e-6)
    assert imports.simplified(made.shape, 0.1e-3 / made.unit)[1] == 0
