"""In and out: what cannot be read is named, what is written opens at true size."""

from __future__ import annotations

import io
import json
import sys
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import pytest
from shapely.geometry import Polygon

from fairlay.cli import main
from fairlay.core.errors import FairLayError
from fairlay.core.formats.dxf import lay_dxf
from fairlay.core.formats.exchange import read_job, read_lay, write_job, write_lay
from fairlay.core.formats.svg import lay_svg
from fairlay.core.lay import Lay, Placement
from fairlay.core.shapes import Placing
from tests import jobs


def _changed(path: str, value: Any) -> str:
    job = jobs.everything()
    *way, last = path.split(".")
    at: Any = job
    for step in way:
        at = at[int(step)] if step.isdigit() else at[step]
    at[int(last) if last.isdigit() else last] = value
    return json.dumps(job)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (json.dumps(jobs.everything())[:900], "not whole JSON: .* line 1, column"),
        ("", "not whole JSON"),
        ("[]", "job"),
        (_changed("format", "other/9"), "format: input should be 'fairlay.job/1'"),
        (
            _changed("pieces.0.outline", [[0, 0], [10, 10], [10, 0], [0, 10]]),
            "piece seat: the outline crosses",
        ),
        (
            _changed("hides.0.outline", [[0, 0], [0, 0], [1, 1]]),
            "hide Q-1: the outline has 2 distinct points",
        ),
        (_changed("pieces.2.outline.1", [float("nan"), 0]), r"piece strap: point 2 of the outline is \[nan"),
        (_changed("pieces.0.quantity", -1), r"pieces\[0\].quantity: .* not -1"),
        (_changed("pieces.0.quantity", 10**7), "quantity"),
        (_changed("pieces.3.quantity", 3), "piece palm: 3 wanted of a pair"),
        (_changed("pieces.0.max_tightness", 5), "max_tightness"),
        (_changed("pieces.1.hidden", [jobs.square(300, 5, 60)]), "hidden area reaches outside"),
        (_changed("pieces.1.id", "seat"), "two pieces are called seat"),
        (_changed("hides.0.flaws.0.severity", 4), r"flaws\[0\].severity"),
        (_changed("hides.0.edge_margin", 900), "hide Q-1 has no usable leather"),
        (_changed("hides.0.thickness.0.mm", 90), "thickness reading of 90"),
        (_changed("match_sets", ["bench"]), "match_sets names the set 'bench'"),
        (
            _changed("fixed", [{"piece": "saddle", "copy": 0, "hide": "Q-1", "x": 0, "y": 0}]),
            "a fixed placement names saddle",
        ),
        (_changed("gap", float("nan")), "gap: input should be a finite number"),
        (
            _changed("pieces.0.outline", [[0, 0], [9000, 0], [9000, 4000], [0, 4000]]),
            "was it drawn in inches",
        ),
        (
            json.dumps(
                {**jobs.everything(), "pieces": [{**p, "quantity": 0} for p in jobs.everything()["pieces"]]}
            ),
            "every quantity of the job is 0",
        ),
    ],
)
def test_a_bad_job_is_refused_in_one_clear_line(
    text: str, words: str, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    with pytest.raises(FairLayError, match=words):
        read_job(text)
    job_file, out = tmp_path / "job.json", tmp_path / "lay.json"
    job_file.write_text(text)
    monkeypatch.setattr("sys.argv", ["fairlay", "lay", str(job_file), "--out", str(out), "--seconds", "0.1"])
    with pytest.raises(SystemExit) as ended:
        main()
    said = capsys.readouterr().err
    assert ended.value.code == 2 and said.startswith("fairlay: ") and said.count("\n") == 1
    assert not list(tmp_path.glob("lay*"))


def test_sizes_that_are_questioned_can_be_said_to_be_right() -> None:
    text = _changed("pieces.0.outline", [[0, 0], [9000, 0], [9000, 40], [0, 40]])
    assert read_job(text, sizes_are_right=True).pieces[0].area_mm2 == pytest.approx(360_000)


def test_a_prick_is_a_flaw_and_no_least_thickness_is_one() -> None:
    hide = read_job(_changed("hides.0.flaws.2.outline", jobs.square(330, 170, 0.2))).hides[0]
    assert hide.flawed(3).area == pytest.approx(0.04) and hide.usable.area < hide.within_margin.area
    with pytest.raises(FairLayError, match=r"encloses 0\.000 mm2"):
        read_job(_changed("hides.0.flaws.2.outline", jobs.square(330, 170, 0.02)))
    assert read_job(_changed("pieces.0.thickness_mm", [0, 3])).pieces[0].thickness_mm == (0.0, 3.0)
    for range_mm in ([0, 0], [-1, 3], [3, 2]):
        with pytest.raises(FairLayError, match="thickness"):
            read_job(_changed("pieces.0.thickness_mm", range_mm))


def test_a_job_and_a_lay_come_back_as_they_were() -> None:
    job = read_job(json.dumps(jobs.everything(match_sets=[])))
    assert write_job(read_job(json.dumps(write_job(job)))) == write_job(job)
    lay = Lay((Placement("seat", 0, "Q-1", Placing(60.1234, 40.0, 180.0, False)),))
    assert read_lay(json.dumps(write_lay(lay))) == lay


def _lay() -> tuple[Any, Lay]:
    job = read_job(json.dumps(jobs.everything()))
    return job, Lay(
        (
            Placement("back", 0, "Q-1", Placing(100.0, 20.0, 0.0)),
            Placement("palm", 1, "Q-1", Placing(420.0, 60.0, 0.0, True)),
        )
    )


def test_svg_opens_at_true_size() -> None:
    job, lay = _lay()
    root = ET.fromstring(lay_svg(job, lay))
    width, view = root.attrib["width"], [float(v) for v in root.attrib["viewBox"].split()]
    assert (
        width.endswith("mm") and float(width[:-2]) == view[2] and float(root.attrib["height"][:-2]) == view[3]
    )
    piece = next(e for e in root.iter() if e.attrib.get("data-piece") == "back")
    points = np.array([[float(v) for v in p.split(",")] for p in piece.attrib["d"].strip("MZ").split("L")])
    assert Polygon(points).area == pytest.approx(140 * 90, rel=1e-6)
    assert np.ptp(points, axis=0).tolist() == [140.0, 90.0]


def test_dxf_opens_at_true_size_and_is_not_mirrored() -> None:
    job, lay = _lay()
    doc = ezdxf.read(io.StringIO(lay_dxf(job, lay)))
    assert doc.header["$INSUNITS"] == 4
    cuts = {
        round(Polygon(list(e.get_points("xy"))).area): e
        for e in doc.modelspace().query("LWPOLYLINE[layer=='CUT']")
    }
    assert 140 * 90 in cuts
    # Upward y: the belly lies below the backbone, tail still at the left.
    hide = np.array(next(iter(doc.modelspace().query("LWPOLYLINE[layer=='HIDE']"))).get_points("xy"))
    assert hide[:, 1].max() == pytest.approx(0.0) and hide[:, 1].min() == pytest.approx(-470.0)
    back = np.array(cuts[140 * 90].get_points("xy"))
    assert back.min(axis=0).tolist() == pytest.approx([100.0, -110.0])


def test_the_command_line_lays_draws_and_checks(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    files = {name: tmp_path / name for name in ("job.json", "lay.json", "lay.svg")}
    files["job.json"].write_text(json.dumps(jobs.everything()))

    def run(*words: str) -> int:
        monkeypatch.setattr("sys.argv", ["fairlay", *words])
        with pytest.raises(SystemExit) as ended:
            main()
        return int(ended.value.code or 0)

    assert (
        run(
            "lay",
            str(files["job.json"]),
            "--out",
            str(files["lay.json"]),
            "--steps",
            "1",
            "--seed",
            "4",
            "--svg",
            str(files["lay.svg"]),
        )
        == 0
    )
    assert ET.parse(files["lay.svg"])
    assert run("check", str(files["job.json"]), str(files["lay.json"])) == 0
    assert capsys.readouterr().out.startswith("fair: ")
    lay = json.loads(files["lay.json"].read_text())
    lay["placements"][0]["x"] = -500
    files["lay.json"].write_text(json.dumps(lay))
    assert run("check", str(files["job.json"]), str(files["lay.json"])) == 1
    assert "edge: Q-1:" in capsys.readouterr().out
    assert run("lay", str(tmp_path / "none.json"), "--out", str(files["lay.json"])) == 2
    assert "No such file" in capsys.readouterr().err


def test_the_command_line_says_what_no_lay_exceeds(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    asked = jobs.everything(
        pieces=[
            jobs.piece("panel", jobs.rectangle(700, 300), 2, max_tightness=1),
            jobs.piece("tab", jobs.rectangle(40, 20), 5, set="tabs", per_set=2),
        ]
    )
    (tmp_path / "job.json").write_text(json.dumps(asked))
    monkeypatch.setattr("sys.argv", ["fairlay", "bound", str(tmp_path / "job.json")])
    with pytest.raises(SystemExit) as ended:
        main()
    said = capsys.readouterr().out.splitlines()
    assert not ended.value.code
    assert said[0] == "panel: no more than 0 of 2 have room" and said[1] == "whole sets of tabs: 2 at most"
    assert float(said[2].split()[1]) == pytest.approx(
        5 * 800 / read_job(json.dumps(asked)).hides[0].usable.area, abs=1e-4
    )
    (tmp_path / "lay.json").write_text(json.dumps(write_lay(Lay(()))))
    monkeypatch.setattr("sys.argv", [*sys.argv, "--lay", str(tmp_path / "lay.json")])
    with pytest.raises(SystemExit) as ended:
        main()
    said = capsys.readouterr().out.splitlines()
    assert not ended.value.code and said == ["No panel has room on these hides: other leather is needed."]
